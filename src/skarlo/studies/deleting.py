"""Deleting and restoring: what was deleted stays for 30 days, and then goes for good."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any, Literal

from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, col, select

from .accounts import aware, note
from .catalog import candidate_at, candidates_of, study_of
from .records import (
    CandidateRecord,
    DossierRecord,
    ExhibitRecord,
    RevisionRecord,
    StudyRecord,
    User,
    VersionRecord,
    now,
)
from .refusals import Missing, Refusal
from .versions import delete_version

Kind = Literal["study", "candidate", "version"]
TABLES: dict[Kind, Any] = {
    "study": StudyRecord, "candidate": CandidateRecord, "version": VersionRecord,
}  # fmt: skip
KEPT_FOR = timedelta(days=30)


def delete_study(session: Session, user: User, study_id: int) -> None:
    """Delete a study. One whose report was submitted stays: others rely on it."""
    study = study_of(session, study_id)
    if session.exec(select(RevisionRecord).where(RevisionRecord.study_id == study_id)).first() is not None:
        raise Refusal("a study whose report was frozen is kept, so that its signatures can always be checked")
    _mark(session, study)
    note(session, user, "study deleted", study_id, {"title": study.title})


def delete_candidate(session: Session, user: User, study_id: int, position: int) -> None:
    """Delete a candidate that no exhibit and no decision speaks of."""
    candidate = candidate_at(session, study_id, position)
    if len(candidates_of(session, study_id)) == 1:
        raise Refusal("a study keeps at least one candidate")
    for number, e in enumerate(
        session.exec(
            select(ExhibitRecord).where(ExhibitRecord.study_id == study_id).order_by(col(ExhibitRecord.position))
        ),
        1,
    ):
        if position in e.scope["show"]:
            raise Refusal(f"{candidate.name} stands in exhibit {number} of the dossier; unpin it first")
    dossier = session.get(DossierRecord, study_id)
    if dossier is not None and dossier.decision_candidate == candidate.name:
        raise Refusal(f"the dossier's decision is for {candidate.name}; choose another first")
    _mark(session, candidate)
    note(session, user, "candidate deleted", study_id, {"candidate": candidate.name})


def delete_one_version(session: Session, user: User, study_id: int, position: int, number: int) -> None:
    """Delete a version that is not evaluated here."""
    _mark(session, delete_version(session, user, study_id, position, number))


def _mark(session: Session, record: Any) -> None:
    record.deleted = now()
    session.add(record)


def deleted(session: Session) -> list[dict[str, Any]]:
    """What can still be restored, last deleted first."""
    out = []
    for kind, table in TABLES.items():
        for record in session.exec(select(table).where(col(table.deleted).is_not(None))):
            name, study = _told(session, record)
            if study is not None and (study.deleted is None or kind == "study"):
                when = aware(record.deleted or now())
                out.append({"kind": kind, "id": record.id, "name": name, "study_id": study.id, "study": study.title,
                            "deleted": when, "until": when + KEPT_FOR})  # fmt: skip
    return sorted(out, key=lambda line: line["deleted"], reverse=True)


def _told(session: Session, record: Any) -> tuple[str, StudyRecord | None]:
    if isinstance(record, StudyRecord):
        return record.title, record
    if isinstance(record, CandidateRecord):
        return record.name, session.get(StudyRecord, record.study_id)
    candidate = session.get(CandidateRecord, record.candidate_id)
    if candidate is None or candidate.deleted is not None:
        return "", None
    return f"{candidate.name}, version {record.number}", session.get(StudyRecord, candidate.study_id)


def restore(session: Session, user: User, kind: Kind, record_id: int) -> int:
    """Restore what was deleted; returns the study it belongs to."""
    record = session.get(TABLES[kind], record_id)
    if record is None or record.deleted is None:
        raise Missing(f"there is no deleted {kind} {record_id}")
    name, study = _told(session, record)
    if study is None or (kind != "study" and study.deleted is not None):
        raise Refusal("what it belongs to is deleted itself; restore that first")
    record.deleted = None
    if isinstance(record, CandidateRecord) and any(c.runs_now for c in candidates_of(session, record.study_id)):
        record.runs_now = False  # another runs by now
    session.add(record)
    note(session, user, f"{kind} restored", study.id, {"name": name})
    return study.id or 0


def purge(session: Session, at: datetime | None = None) -> tuple[int, list[str]]:
    """Remove for good what was deleted more than 30 days ago.

    Returns how many went, and in words what had to stay because something that is never changed relies on it.
    """
    gone, stayed = 0, []
    for kind, table in TABLES.items():
        for record in session.exec(select(table).where(col(table.deleted).is_not(None))).all():
            if record.deleted is None or aware(record.deleted) + KEPT_FOR >= (at or now()):
                continue
            try:
                with session.begin_nested():
                    session.delete(record)
                gone += 1
            except IntegrityError:
                stayed.append(f"{kind} {record.id}")
    return gone, stayed
