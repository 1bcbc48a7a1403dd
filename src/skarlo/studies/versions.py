"""Versions of a candidate: each new file is one more, one of them is in use, and the older stay readable."""

from __future__ import annotations

from typing import Any

from sqlmodel import Session, col, select

from skarlo.core.steps import Progress
from skarlo.intake import read_study

from .accounts import note
from .catalog import candidate_at, candidates_of, columns_of, files_of, spec_of, study_of
from .records import CandidateRecord, Upload, User, VersionRecord
from .refusals import Missing, Refusal
from .workspace import Workspace


def versions_of(session: Session, candidate: CandidateRecord, deleted: bool = False) -> list[VersionRecord]:
    """A candidate's versions, oldest first; those that were deleted only when asked for."""
    query = select(VersionRecord).where(VersionRecord.candidate_id == candidate.id).order_by(col(VersionRecord.number))
    return [v for v in session.exec(query) if deleted or v.deleted is None]


def version_at(session: Session, study_id: int, position: int, number: int) -> tuple[CandidateRecord, VersionRecord]:
    """One version and its candidate. Raises Missing."""
    candidate = candidate_at(session, study_id, position)
    found = next((v for v in versions_of(session, candidate) if v.number == number), None)
    if found is None:
        raise Missing(f"{candidate.name} has no version {number}")
    return candidate, found


def add(
    workspace: Workspace, session: Session, user: User, study_id: int, position: int, upload: Upload,
    entry: dict[str, Any], text: str, progress: Progress | None = None,
) -> VersionRecord:  # fmt: skip
    """Take a new file as a candidate's next version, which is then the one in use.

    Parameters
    ----------
    entry : which column is what and how it was made, in the words of the study file; what it leaves out stays as it was
    text : what changed, in a person's words

    Raises
    ------
    InputError, Refusal
        When the file does not join the rows; the version in use stays then.
    """
    candidate = candidate_at(session, study_id, position)
    kept = {k: v for k, v in candidate.columns.items() if k not in ("version", "made_with")}
    if any(entry.get(k) for k in ("score", "label", "probabilities")):
        kept = {k: v for k, v in kept.items() if k not in ("score", "label", "probabilities", "score_is")}
    said = {k: v for k, v in entry.items() if v not in (None, "")}
    gone = {k for k in ("reason", "price") if entry.get(k) == ""}  # said to be none, which is not left out
    gone |= {"price_per_1000"} if "price" in said else {"price"} if "price_per_1000" in said else set()
    kept = {k: v for k, v in kept.items() if k not in gone}
    version = VersionRecord(
        candidate_id=candidate.id or 0, number=1 + max(v.number for v in versions_of(session, candidate, deleted=True)),
        sha256=upload.sha256, file_name=upload.name, columns=kept | columns_of(entry), note=text.strip(),
        user_id=user.id or 0,
    )  # fmt: skip
    session.add(version)
    _put_in_use(workspace, session, candidate, version, progress)
    detail = {"candidate": candidate.name, "version": version.number, "sha256": upload.sha256, "note": version.note}
    note(session, user, "version added", study_id, detail)
    return version


def use(workspace: Workspace, session: Session, user: User, study_id: int, position: int, number: int) -> None:
    """Put a version in use."""
    candidate, version = version_at(session, study_id, position, number)
    was = candidate.version_number
    _put_in_use(workspace, session, candidate, version)
    note(session, user, "version put in use", study_id, {"candidate": candidate.name, "from": was, "to": number})


def _put_in_use(
    workspace: Workspace, session: Session, candidate: CandidateRecord, version: VersionRecord,
    progress: Progress | None = None,
) -> None:  # fmt: skip
    """All is read, joined and checked before anything changes."""
    study = study_of(session, candidate.study_id)
    records = candidates_of(session, candidate.study_id)
    scored = "score" in version.columns
    after = {
        "sha256": version.sha256, "file_name": version.file_name, "columns": version.columns,
        "version_number": version.number,
        "cutoff": (0.5 if candidate.cutoff is None else candidate.cutoff) if scored else None,
        "cutoff_chosen_on": candidate.cutoff_chosen_on if scored and candidate.cutoff is not None else None,
    }  # fmt: skip
    tried = [c.model_copy(update=after) if c.id == candidate.id else c for c in records]
    read_study(spec_of(study, tried), files_of(workspace, study, tried), progress)
    for name, value in after.items():
        setattr(candidate, name, value)
    session.add(candidate)
    session.flush()


def delete_version(session: Session, user: User, study_id: int, position: int, number: int) -> VersionRecord:
    """Delete a version that is not in use."""
    candidate, version = version_at(session, study_id, position, number)
    if candidate.version_number == number:
        raise Refusal(f"version {number} of {candidate.name} is in use; put another in use first")
    note(session, user, "version deleted", study_id, {"candidate": candidate.name, "version": number})
    return version
