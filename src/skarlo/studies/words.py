"""A person's word on a warning: why it is right as it stands. It goes into the report."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from typing import NotRequired

from sqlmodel import Session, select

from skarlo.core.values import Finding

from .accounts import note
from .records import User, WordRecord, now
from .refusals import Missing, Refusal


class Answered(Finding):
    """A finding with its key, and the word on it where there is one."""

    key: str
    word: NotRequired[str]
    by: NotRequired[str]


def key_of(finding: Finding) -> str:
    """What a finding is about, without how its numbers read: a word outlives a moved cutoff."""
    where = {k: v for k, v in finding["where"].items() if not isinstance(v, int | float | list)}
    return hashlib.sha256(json.dumps([finding["code"], where], sort_keys=True).encode()).hexdigest()[:16]


def answered(session: Session, study_id: int, findings: Sequence[Finding]) -> list[Answered]:
    """Findings with the words on them."""
    words = {w.finding: w for w in session.exec(select(WordRecord).where(WordRecord.study_id == study_id))}
    out: list[Answered] = []
    for f in findings:
        one: Answered = {"level": f["level"], "code": f["code"], "message": f["message"], "where": f["where"],
                         "key": key_of(f)}  # fmt: skip
        word = words.get(one["key"])
        if word is not None:
            user = session.get(User, word.user_id)
            one["word"], one["by"] = word.text, user.name if user else ""
        out.append(one)
    return out


def say(session: Session, user: User, study_id: int, findings: Sequence[Finding], key: str, text: str) -> None:
    """Keep a word on a warning; an empty one takes it back.

    Raises Missing where no finding has the key, Refusal for what is no warning.
    """
    found = next((f for f in findings if key_of(f) == key), None)
    if found is None:
        raise Missing("there is no such finding any more", "key")
    if found["level"] != "warning":
        raise Refusal("only a warning wants a word", "key")
    kept = session.get(WordRecord, (study_id, key))
    if not text.strip():
        if kept is not None:
            session.delete(kept)
    else:
        record = kept or WordRecord(study_id=study_id, finding=key, text="", user_id=user.id or 0)
        record.text, record.user_id, record.at = text.strip(), user.id or 0, now()
        session.add(record)
    note(session, user, "warning answered", study_id, {"code": found["code"], "text": text.strip()})
