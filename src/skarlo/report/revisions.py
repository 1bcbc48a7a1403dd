"""Freezing a dossier into a revision, and what named people say of it."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any, Literal, cast

from sqlmodel import Session, col, select

from skarlo.intake.write import as_json
from skarlo.studies import accounts
from skarlo.studies.accounts import aware
from skarlo.studies.catalog import study_of
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import RevisionRecord, SignatureRecord, User
from skarlo.studies.refusals import Conflict, Damaged, Forbidden, Missing, Refusal
from skarlo.studies.workspace import Workspace

from . import package
from .content import EARLIER, FORMAT

Stamp = Literal["waiting", "signed", "returned"]


def revisions_of(session: Session, study_id: int) -> list[RevisionRecord]:
    """A study's revisions, oldest first."""
    query = select(RevisionRecord).where(RevisionRecord.study_id == study_id).order_by(col(RevisionRecord.number))
    return list(session.exec(query))


def revision_of(session: Session, revision_id: int) -> RevisionRecord:
    """A revision by its own number. Raises Missing."""
    found = session.get(RevisionRecord, revision_id)
    if found is None:
        raise Missing(f"Revision {revision_id} does not exist.")
    return found


def verdict_of(session: Session, revision: RevisionRecord) -> SignatureRecord | None:
    """What was said of a revision, if anything."""
    return session.exec(select(SignatureRecord).where(SignatureRecord.revision_id == revision.id)).first()


def stamp(session: Session, revision: RevisionRecord) -> Stamp:
    """waiting, signed or returned."""
    verdict = verdict_of(session, revision)
    return cast(Stamp, verdict.verdict) if verdict else "waiting"


def submit(evaluator: Evaluator, user: User, study_id: int) -> RevisionRecord:
    """Freeze the dossier as the next revision.

    The content is made first, from the records as they are at one moment, every input looked at byte for byte; then it
    is kept in a transaction that checks that this is still how they are. It is written and synced before its record: a
    crash leaves no revision or a whole one.

    Raises
    ------
    Conflict
        While a revision waits for a signature, when the dossier is changed meanwhile, or when an input is damaged.
    Refusal
        When the dossier holds no exhibit or no decision.
    """
    with evaluator.workspace.reading() as session:
        draft = package.gather(evaluator, session, study_id)
        _may_be_next(session, study_id)
    if not draft.exhibits:
        raise Refusal("pin at least one exhibit before submitting", "exhibits")
    if draft.decision is None:
        raise Refusal("state the decision (which candidate) before submitting", "decision")
    evaluator.verify(draft.kept)
    content = package.build(evaluator, draft)
    with evaluator.workspace.writing() as session:
        study_of(session, study_id)
        if package.gather(evaluator, session, study_id).fingerprint != draft.fingerprint:
            raise Conflict("the dossier was changed while it was being frozen; look at it again, then submit")
        last = _may_be_next(session, study_id)
        number = last.number + 1 if last else 1
        at = datetime.now(UTC).replace(microsecond=0)
        if last is not None:  # times in a chain never go back, whatever the clock says
            at = max(at, aware(last.created))
        authors = accounts.writers(session, study_id, user)
        frozen = {
            "number": number, "author": user.name, "authors": [a.name for a in authors], "submitted": at.isoformat(),
            "previous": last.sha256 if last else None,
        } | content  # fmt: skip
        sha256 = evaluator.workspace.keep(as_json(frozen))
        revision = RevisionRecord(study_id=study_id, number=number, sha256=sha256, author_id=user.id or 0,
                                  author_ids=[a.id or 0 for a in authors], created=at)  # fmt: skip
        session.add(revision)
        accounts.note(session, user, accounts.SUBMITTED, study_id, {"revision": number, "sha256": sha256})
        session.flush()
    return revision


def _may_be_next(session: Session, study_id: int) -> RevisionRecord | None:
    """The last revision, where another may follow it."""
    earlier = revisions_of(session, study_id)
    last = earlier[-1] if earlier else None
    if last and stamp(session, last) == "waiting":
        raise Conflict(f"revision {last.number} waits for a signature; it must be signed or returned first")
    return last


def content_of(workspace: Workspace, revision: RevisionRecord) -> dict[str, Any]:
    """A revision's content, checked against its fingerprint. Raises Damaged where it is not what was frozen."""
    name = f"revision {revision.number} of study {revision.study_id}"
    content = json.loads(workspace.read(revision.sha256, name))
    if not isinstance(content, dict) or content.get("format") not in (FORMAT, EARLIER):
        raise Damaged(f"{name} was frozen by an earlier version, which this one cannot draw; its content can be saved")
    return cast(dict[str, Any], content)


def decide(workspace: Workspace, user: User, revision_id: int, verdict: str, password: str = "",
           reason: str = "") -> RevisionRecord:  # fmt: skip
    """Sign a revision with one's password, or return it with a reason.

    What cannot be read is not signed: the content is read and checked first.

    Raises
    ------
    Forbidden
        For a role that may not sign, for whoever wrote part of the revision, and for a wrong password.
    Conflict
        When someone has decided already, or the content is damaged.
    """
    with workspace.reading() as session:
        revision = revision_of(session, revision_id)
        _may_decide(session, user, revision)
    if verdict == "returned" and not reason.strip():
        raise Refusal("say why it is returned", "reason")
    if verdict == "signed":
        content_of(workspace, revision)
        if not accounts.password_matches(user, password):
            raise Forbidden("Wrong password. Nothing was signed; try again.", "password")
    with workspace.writing() as session:
        revision = revision_of(session, revision_id)
        _may_decide(session, user, revision)
        session.add(SignatureRecord(revision_id=revision.id or 0, revision_sha256=revision.sha256,
                                    user_id=user.id or 0, verdict=verdict, reason=reason.strip(),
                                    created=max(datetime.now(UTC), aware(revision.created))))  # fmt: skip
        accounts.note(session, user, verdict, revision.study_id,
                      {"revision": revision.number, "sha256": revision.sha256, "reason": reason.strip()})  # fmt: skip
    return revision


def _may_decide(session: Session, user: User, revision: RevisionRecord) -> None:
    if not accounts.may(user, "sign"):
        raise Forbidden("only an approver may sign or return a revision")
    if user.id in (revision.author_id, *revision.author_ids):
        raise Forbidden("whoever wrote part of a revision cannot sign or return it")
    if verdict_of(session, revision):
        raise Conflict(f"revision {revision.number} is {stamp(session, revision)} already")


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
