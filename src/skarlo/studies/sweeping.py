"""Files that nothing speaks of any more: uploads that became no study, and what studies gone for good leave behind."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlmodel import Session, select

from .accounts import aware
from .deleting import KEPT_FOR
from .records import CandidateRecord, RevisionRecord, StudyRecord, Upload, VersionRecord, now
from .workspace import Workspace

FRESH = timedelta(days=1)  # a file is written before the record that names it


def sweep(workspace: Workspace, session: Session, at: datetime | None = None) -> int:
    """Remove uploads of more than 30 days ago that no study uses, then every file that no record and no kept result
    names; returns how many files. A file of the last day always stays."""
    when = at or now()
    used = _used(session)
    for upload in session.exec(select(Upload)).all():
        if upload.sha256 not in used and aware(upload.created) + KEPT_FOR < when:
            session.delete(upload)
    session.flush()
    named = used | set(session.exec(select(Upload.sha256)).all()) | workspace.named_by_results()
    named |= workspace.named_by_rows(used)
    gone = 0
    for path in workspace.blobs.glob("??/*"):
        if path.name not in named and path.stat().st_mtime < (when - FRESH).timestamp():
            path.unlink(missing_ok=True)
            gone += 1
    return gone


def _used(session: Session) -> set[str]:
    """The files that studies, their candidates' versions and revisions are made of, deleted ones included."""
    columns = (StudyRecord.holdout_sha256, CandidateRecord.sha256, VersionRecord.sha256, RevisionRecord.sha256)
    pictures = {sha256 for sha256 in session.exec(select(StudyRecord.pictures_sha256)).all() if sha256 is not None}
    return pictures | {sha256 for column in columns for sha256 in session.exec(select(column)).all()}
