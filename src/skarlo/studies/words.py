"""A person's explanation of a warning: why it is acceptable. It goes into the report."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import NotRequired

from sqlmodel import Session, select
from typing_extensions import TypedDict

from skarlo.core import Finding

from .accounts import note
from .records import User, WordRecord, now
from .refusals import Missing, Refusal


class Word(TypedDict):
    """An explanation, and whose it is."""

    word: str
    by: str


class Answered(Finding):
    """A finding with its key, and the explanation of it where there is one."""

    key: str
    word: NotRequired[str]
    by: NotRequired[str]


def key_of(finding: Finding) -> str:
    """What a finding is about, without how its numbers read: an explanation outlives a moved cutoff."""
    where = {k: v for k, v in finding["where"].items() if not isinstance(v, int | float | list) and v is not None}
    return hashlib.sha256(json.dumps([finding["code"], where], sort_keys=True).encode()).hexdigest()[:16]


def words_of(session: Session, study_id: int) -> dict[str, Word]:
    """The explanations of a study, by what they are of."""
    out: dict[str, Word] = {}
    for w in session.exec(select(WordRecord).where(WordRecord.study_id == study_id)):
        user = session.get(User, w.user_id)
        out[w.finding] = {"word": w.text, "by": user.name if user else ""}
    return out


def answered(findings: Sequence[Finding], words: Mapping[str, Word]) -> list[Answered]:
    """Findings with the explanations of them."""
    out: list[Answered] = []
    for f in findings:
        one: Answered = {"level": f["level"], "code": f["code"], "message": f["message"], "where": f["where"],
                         "key": key_of(f)}  # fmt: skip
        if one["key"] in words:
            one["word"], one["by"] = words[one["key"]]["word"], words[one["key"]]["by"]
        out.append(one)
    return out


def say(session: Session, user: User, study_id: int, findings: Sequence[Finding], key: str, text: str) -> None:
    """Keep an explanation of a warning; an empty one takes it back.

    Raises Missing where no finding has the key, Refusal for what is not a warning.
    """
    found = next((f for f in findings if key_of(f) == key), None)
    if found is None:
        raise Missing("there is no such finding any more", "key")
    if found["level"] != "warning":
        raise Refusal("only a warning needs an explanation", "key")
    kept = session.get(WordRecord, (study_id, key))
    if not text.strip():
        if kept is not None:
            session.delete(kept)
    else:
        record = kept or WordRecord(study_id=study_id, finding=key, text="", user_id=user.id or 0)
        record.text, record.user_id, record.at = text.strip(), user.id or 0, now()
        session.add(record)
    note(session, user, "warning answered", study_id, {"code": found["code"], "text": text.strip()})
