"""Freezing a dossier into a revision, and what named people say of it."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any, cast

from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, col, select

from skarlo.intake.write import as_json
from skarlo.studies import accounts
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import RevisionRecord, SignatureRecord, User
from skarlo.studies.refusals import Conflict, Forbidden, Missing, Refusal
from skarlo.studies.workspace import Workspace

from . import package


def revisions_of(session: Session, study_id: int) -> list[RevisionRecord]:
    """A study's revisions, oldest first."""
    query = select(RevisionRecord).where(RevisionRecord.study_id == study_id).order_by(col(RevisionRecord.number))
    return list(session.exec(query))


def revision_of(session: Session, revision_id: int) -> RevisionRecord:
    """A revision by its own number. Raises Missing."""
    found = session.get(RevisionRecord, revision_id)
    if found is None:
        raise Missing(f"there is no revision {revision_id}")
    return found


def verdict_of(session: Session, revision: RevisionRecord) -> SignatureRecord | None:
    """What was said of a revision, if anything."""
    return session.exec(select(SignatureRecord).where(SignatureRecord.revision_id == revision.id)).first()


def stamp(session: Session, revision: RevisionRecord) -> str:
    """waiting, signed or returned."""
    verdict = verdict_of(session, revision)
    return verdict.verdict if verdict else "waiting"


def submit(evaluator: Evaluator, session: Session, user: User, study_id: int) -> RevisionRecord:
    """Freeze the dossier as the next revision.

    The content is written and synced first, its record last: a crash leaves no revision or a whole one.

    Raises
    ------
    Conflict
        While a revision waits for a signature, or when the last one is signed and nothing was changed since.
    Refusal
        When the dossier holds no exhibit or no decision.
    """
    earlier = revisions_of(session, study_id)
    last = earlier[-1] if earlier else None
    if last and stamp(session, last) == "waiting":
        raise Conflict(f"revision {last.number} waits for a signature; it must be signed or returned first")
    content = package.build(evaluator, session, study_id)
    if not content["exhibits"]:
        raise Refusal("pin at least one exhibit before submitting", "exhibits")
    if content["decision"] is None:
        raise Refusal("state the decision (which candidate) before submitting", "decision")
    number = last.number + 1 if last else 1
    at = datetime.now(UTC).replace(microsecond=0)
    frozen = {
        "number": number, "author": user.name, "submitted": at.isoformat(), "previous": last.sha256 if last else None,
    } | content  # fmt: skip
    sha256 = evaluator.workspace.keep(as_json(frozen))
    revision = RevisionRecord(study_id=study_id, number=number, sha256=sha256, author_id=user.id or 0, created=at)
    session.add(revision)
    accounts.note(session, user, "submitted", study_id, {"revision": number, "sha256": sha256})
    try:
        session.flush()
    except IntegrityError as e:
        raise Conflict(f"revision {number} has just been submitted by someone else") from e
    return revision


def content_of(workspace: Workspace, revision: RevisionRecord) -> dict[str, Any]:
    """A revision's content, checked against its fingerprint."""
    return cast(dict[str, Any], json.loads(workspace.read(revision.sha256)))


def decide(session: Session, user: User, revision: RevisionRecord, verdict: str, password: str,
           reason: str = "") -> SignatureRecord:  # fmt: skip
    """Sign a revision with one's password, or return it with a reason.

    Raises Forbidden for a role that may not sign, for the revision's author, and for a wrong password.
    """
    if not accounts.may(user, "sign"):
        raise Forbidden("only an approver may sign or return a revision")
    if user.id == revision.author_id:
        raise Forbidden("the author of a revision cannot sign or return it")
    if verdict == "returned" and not reason.strip():
        raise Refusal("say why it is returned", "reason")
    if verdict_of(session, revision):
        raise Conflict(f"revision {revision.number} is {stamp(session, revision)} already")
    if verdict == "signed" and not accounts.password_matches(user, password):
        raise Forbidden("that is not your password", "password")
    signature = SignatureRecord(revision_id=revision.id or 0, revision_sha256=revision.sha256, user_id=user.id or 0,
                                verdict=verdict, reason=reason.strip())  # fmt: skip
    session.add(signature)
    accounts.note(session, user, verdict, revision.study_id,
                  {"revision": revision.number, "sha256": revision.sha256, "reason": reason.strip()})  # fmt: skip
    try:
        session.flush()
    except IntegrityError as e:
        raise Conflict(f"revision {revision.number} has just been decided by someone else") from e
    return signature


def page_state(session: Session, revision: RevisionRecord) -> dict[str, Any]:
    """What a rendered report says besides its frozen content: its stamp and who said what."""
    author = session.get(User, revision.author_id)
    verdict = verdict_of(session, revision)
    by = session.get(User, verdict.user_id) if verdict else None
    return {
        "stamp": stamp(session, revision), "number": revision.number, "sha256": revision.sha256,
        "author": author.name if author else "", "submitted": day(revision.created),
        "verdict": {"verdict": verdict.verdict, "by": by.name if by else "", "at": day(verdict.created),
                    "reason": verdict.reason} if verdict else None,
    }  # fmt: skip


DRAFT = {"stamp": "draft", "number": 0, "sha256": None, "author": "", "submitted": "", "verdict": None}


def day(t: datetime) -> str:
    """A time as a reader likes it: 4 March 2026, 09:14 UTC."""
    return f"{t.day} {t:%B %Y, %H:%M} UTC"
