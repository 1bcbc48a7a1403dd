"""Versions of a candidate: each new file is one more, one of them is evaluated here, and the older stay readable."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session, col, select

from skarlo.core import Progress
from skarlo.intake import read_study

from .accounts import note
from .catalog import (
    candidate_at,
    candidates_of,
    columns_of,
    files_of,
    is_scored,
    plan_candidate,
    spec_of,
    study_of,
)
from .records import CandidateRecord, Upload, User, VersionRecord
from .refusals import Missing, Refusal
from .workspace import Workspace

LONGEST = 80
EARLIER = "earlier_version_of"  # how a candidate says whose version it is


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


@dataclass(frozen=True)
class Checked:
    """A version that was read and fits, and what its candidate becomes with it."""

    version: VersionRecord
    after: dict[str, Any]


def plan(
    workspace: Workspace, session: Session, user: User, study_id: int, position: int, upload: Upload,
    entry: dict[str, Any], text: str,
) -> Callable[[Progress | None], Checked]:  # fmt: skip
    """Look at what a new file of a candidate would be; what is returned reads and checks it, without the records.

    Parameters
    ----------
    entry : which column is what and how it was made, in the words of the study file; what it leaves out stays as it was
    text : what changed, in a person's words

    Raises
    ------
    InputError
        When the file does not join the rows.
    """
    candidate = candidate_at(session, study_id, position)
    kept = {k: v for k, v in candidate.columns.items() if k not in ("version", "made_with")}
    if any(entry.get(k) for k in ("score", "predicted", "probabilities")):
        kept = {k: v for k, v in kept.items() if k not in ("score", "predicted", "probabilities", "score_is")}
    said = {k: v for k, v in entry.items() if v not in (None, "")}
    gone = {k for k in ("reason", "price") if entry.get(k) == ""}  # said to be none, which is not left out
    gone |= {"price_per_1000"} if "price" in said else {"price"} if "price_per_1000" in said else set()
    kept = {k: v for k, v in kept.items() if k not in gone}
    version = VersionRecord(
        candidate_id=candidate.id or 0, number=0, sha256=upload.sha256, file_name=upload.name,
        columns=kept | columns_of(entry), note=text.strip(), user_id=user.id or 0,
    )  # fmt: skip
    return _checking(workspace, session, candidate, version)


def plan_use(
    workspace: Workspace, session: Session, study_id: int, position: int, number: int
) -> Callable[[Progress | None], Checked]:
    """The same for a version that is there already."""
    return _checking(workspace, session, *version_at(session, study_id, position, number))


def _checking(
    workspace: Workspace, session: Session, candidate: CandidateRecord, version: VersionRecord
) -> Callable[[Progress | None], Checked]:
    """All is read, joined and checked before anything changes."""
    study = study_of(session, candidate.study_id)
    scored = is_scored(version.columns)
    after: dict[str, Any] = {
        "sha256": version.sha256, "file_name": version.file_name, "columns": version.columns,
        "cutoff": (0.5 if candidate.cutoff is None else candidate.cutoff) if scored else None,
        "cutoff_chosen_on": candidate.cutoff_chosen_on if scored and candidate.cutoff is not None else None,
        "cutoff_chosen_by": candidate.cutoff_chosen_by if scored and candidate.cutoff is not None else {},
    }  # fmt: skip
    records = candidates_of(session, candidate.study_id)
    tried = [c.model_copy(update=after) if c.id == candidate.id else c for c in records]

    def check(progress: Progress | None) -> Checked:
        read_study(spec_of(study, tried), files_of(workspace, study, tried), progress)
        return Checked(version, after)

    return check


def plan_beside(
    workspace: Workspace, session: Session, user: User, study_id: int, position: int, number: int
) -> tuple[Upload, Callable[[Progress | None], CandidateRecord]]:
    """An older version as a candidate of its own, beside the one that is evaluated, at its cutoff; see
    `catalog.plan_candidate`.

    Raises
    ------
    Missing, Refusal, InputError
        Where there is no such version, it is the one that is evaluated, or the study has it already.
    """
    candidate, version = version_at(session, study_id, position, number)
    if candidate.version_number == number:
        raise Refusal(f"version {number} of {candidate.name} is evaluated here already")
    more = f", version {number}"
    made = {**version.columns.get("made_with", {}), EARLIER: candidate.name}
    entry: dict[str, Any] = {**version.columns, "name": candidate.name[: LONGEST - len(more)] + more, "made_with": made}
    if is_scored(version.columns) and candidate.cutoff is not None:
        entry |= {"cutoff": candidate.cutoff, "cutoff_chosen_on": candidate.cutoff_chosen_on,
                  "cutoff_chosen_by": candidate.cutoff_chosen_by}  # fmt: skip
    upload = Upload(sha256=version.sha256, name=version.file_name, size=workspace.blob(version.sha256).stat().st_size,
                    user_id=user.id or 0)  # fmt: skip
    return upload, plan_candidate(workspace, session, study_id, upload, entry)


def add(session: Session, user: User, study_id: int, position: int, checked: Checked) -> VersionRecord:
    """Keep a version that was checked as its candidate's next one, which is evaluated from now on."""
    candidate, version = candidate_at(session, study_id, position), checked.version
    version.number = 1 + max((v.number for v in versions_of(session, candidate, deleted=True)), default=0)
    session.add(version)
    _evaluate_here(session, candidate, version, checked.after)
    detail: dict[str, object] = {"candidate": candidate.name, "version": version.number, "sha256": version.sha256,
                                 "note": version.note}  # fmt: skip
    note(session, user, "version added", study_id, detail)
    return version


def use(session: Session, user: User, study_id: int, position: int, number: int, checked: Checked) -> None:
    """Evaluate a version from now on."""
    candidate, version = version_at(session, study_id, position, number)
    was = candidate.version_number
    _evaluate_here(session, candidate, version, checked.after)
    note(session, user, "version evaluated", study_id, {"candidate": candidate.name, "from": was, "to": number})


def _evaluate_here(session: Session, candidate: CandidateRecord, version: VersionRecord, after: dict[str, Any]) -> None:
    for name, value in after.items():
        if not name.startswith("cutoff") or (candidate.cutoff is None) != (after["cutoff"] is None):
            setattr(candidate, name, value)  # a cutoff that was moved meanwhile stays where it was put
    candidate.version_number = version.number
    session.add(candidate)
    session.flush()


def delete_version(session: Session, user: User, study_id: int, position: int, number: int) -> VersionRecord:
    """Delete a version that is not evaluated here."""
    candidate, version = version_at(session, study_id, position, number)
    if candidate.version_number == number:
        raise Refusal(f"version {number} of {candidate.name} is evaluated here; evaluate another first")
    note(session, user, "version deleted", study_id, {"candidate": candidate.name, "version": number})
    return version
