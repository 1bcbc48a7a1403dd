"""Studies and their candidates: made from uploaded files, read back, their cutoffs kept."""

from __future__ import annotations

import math
from typing import Any

from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, func, select

from skarlo.core.steps import Progress
from skarlo.intake import InputError, Problem, Source, StudySpec, parse_spec, read_study

from .accounts import note
from .records import (
    CandidateRecord,
    DossierRecord,
    ExhibitRecord,
    ReadingRecord,
    RevisionRecord,
    StudyRecord,
    Upload,
    User,
    VersionRecord,
    now,
)
from .refusals import Missing, Refusal
from .workspace import Workspace

KEPT = ("id", "score", "label", "probabilities", "score_is", "no_answer", "reason", "price", "price_per_1000",
        "latency_ms", "version", "made_with")  # fmt: skip


def upload_of(session: Session, upload_id: int, user: User) -> Upload:
    """One's own upload."""
    found = session.get(Upload, upload_id)
    if found is None or found.user_id != user.id:
        raise Missing("there is no such upload of yours")
    return found


def study_of(session: Session, study_id: int) -> StudyRecord:
    """A study by number. Raises Missing."""
    found = session.get(StudyRecord, study_id)
    if found is None or found.deleted is not None:
        raise Missing(f"there is no study {study_id}")
    return found


def candidates_of(session: Session, study_id: int) -> list[CandidateRecord]:
    """A study's candidates, in order."""
    query = select(CandidateRecord).where(CandidateRecord.study_id == study_id).order_by(col(CandidateRecord.position))
    return [c for c in session.exec(query) if c.deleted is None]


def candidate_at(session: Session, study_id: int, position: int) -> CandidateRecord:
    """A candidate by its position. Raises Missing."""
    study_of(session, study_id)
    found = next((c for c in candidates_of(session, study_id) if c.position == position), None)
    if found is None:
        raise Missing(f"the study has no candidate {position}")
    return found


def spec_of(
    study: StudyRecord, candidates: list[CandidateRecord], cutoffs: dict[int, float] | None = None
) -> StudySpec:
    """The study file that describes a kept study. `cutoffs` (by position) stand in for the kept ones."""
    entries: list[dict[str, Any]] = []
    for c in candidates:
        entry: dict[str, Any] = {"name": c.name, "path": f"{c.position}:{c.file_name}", "in_use": c.in_use, **c.columns}
        if "score" in c.columns:
            value = (cutoffs or {}).get(c.position)
            entry["cutoff"] = c.cutoff if value is None else value
            if c.cutoff_chosen_on and (value is None or value == c.cutoff):
                entry["cutoff_chosen_on"] = c.cutoff_chosen_on
        entries.append(entry)
    data = {
        "format": "skarlo.study/1",
        "title": study.title,
        "holdout": {"path": f"0:{study.holdout_name}", **study.mapping},
        "candidates": entries,
        **study.asks,
    }
    return parse_spec(data, "study")


def files_of(workspace: Workspace, study: StudyRecord, candidates: list[CandidateRecord]) -> Any:
    """From the paths that `spec_of` writes to the kept files."""
    shas = {0: study.holdout_sha256, **{c.position: c.sha256 for c in candidates}}

    def find(path: str) -> Source:
        position, _, name = path.partition(":")
        return Source(workspace.blob(shas[int(position)]), name)

    return find


def create(
    workspace: Workspace, session: Session, user: User, title: str, holdout: Upload, mapping: dict[str, Any],
    candidates: list[tuple[Upload, dict[str, Any]]], asks: dict[str, Any] | None = None,
    progress: Progress | None = None,
) -> StudyRecord:  # fmt: skip
    """Make a study from uploads: all is read, joined and checked first.

    Parameters
    ----------
    mapping : what each column of the hold-out is, in the words of the study file's [holdout]
    candidates : each one's upload and its entry of the study file: name, score or label, cutoff, in_use
    asks : settings, own metrics and gates, in the words of the study file
    progress : told of each step; what it raises stops the work

    Raises
    ------
    InputError
        With every problem in the files; nothing is kept then.
    """
    if not title.strip():
        raise Refusal("a study needs a title", "title")
    study = StudyRecord(title=title.strip(), holdout_sha256=holdout.sha256, holdout_name=holdout.name, mapping=mapping,
                        author_id=user.id or 0, asks=asks or {})  # fmt: skip
    records = [_candidate(i, upload, entry) for i, (upload, entry) in enumerate(candidates, 1)]
    loaded = read_study(spec_of(study, records), files_of(workspace, study, records), progress).study
    session.add(study)
    session.flush()
    for record in records:
        record.study_id = study.id or 0
        _keep(session, user, record)
    session.add(DossierRecord(study_id=study.id or 0, heading=study.title))
    note(session, user, "study made", study.id, {"rows": len(loaded.actual), "candidates": len(records)})
    return study


def add_candidate(
    workspace: Workspace, session: Session, user: User, study_id: int, upload: Upload, entry: dict[str, Any],
    progress: Progress | None = None,
) -> CandidateRecord:  # fmt: skip
    """Take one more candidate into a study, after the others.

    Parameters
    ----------
    entry : its entry of the study file: name, score or label, cutoff, in_use

    Raises
    ------
    InputError, Refusal
        When its answers do not fit the rows, or its name is taken; nothing is kept then.
    """
    study = study_of(session, study_id)
    ever = session.exec(select(CandidateRecord).where(CandidateRecord.study_id == study_id)).all()
    if any(c.name == entry["name"] for c in ever):
        where = "" if any(c.name == entry["name"] and c.deleted is None for c in ever) else "; it was deleted"
        raise Refusal(f"the study has a candidate named {entry['name']} already{where}", "name")
    record = _candidate(1 + max(c.position for c in ever), upload, entry)  # letters are never given twice
    record.study_id = study_id
    others = candidates_of(session, study_id)
    tried = [c.model_copy(update={"in_use": c.in_use and not record.in_use}) for c in others]
    read_study(spec_of(study, [*tried, record]), files_of(workspace, study, [*tried, record]), progress)
    if record.in_use:
        for other in others:
            other.in_use = False
            session.add(other)
    _keep(session, user, record)
    note(session, user, "candidate added", study_id, {"candidate": record.name, "sha256": record.sha256})
    return record


def _keep(session: Session, user: User, record: CandidateRecord) -> None:
    """Keep a new candidate, with its first version."""
    session.add(record)
    session.flush()
    session.add(VersionRecord(candidate_id=record.id or 0, number=1, sha256=record.sha256, columns=record.columns,
                              file_name=record.file_name, user_id=user.id or 0))  # fmt: skip
    session.flush()


def columns_of(entry: dict[str, Any]) -> dict[str, Any]:
    """What is kept of a candidate's entry of the study file: its columns and how it was made."""
    columns = {k: entry[k] for k in KEPT if entry.get(k) not in (None, "", {})}
    if columns.get("no_answer") == "error":
        del columns["no_answer"]
    return columns


def _candidate(position: int, upload: Upload, entry: dict[str, Any]) -> CandidateRecord:
    columns = columns_of(entry)
    cutoff = entry.get("cutoff")
    if "score" in columns and cutoff is None:
        cutoff = 0.5
    if "label" in columns and cutoff is not None:
        raise InputError([Problem(f"candidate {entry['name']}: a cutoff needs a score, and it gives a label")])
    chosen_on = entry.get("cutoff_chosen_on")
    return CandidateRecord(study_id=0, position=position, name=entry["name"], sha256=upload.sha256,
                           file_name=upload.name, columns=columns, cutoff=cutoff,
                           cutoff_chosen_on=chosen_on, in_use=bool(entry.get("in_use")))  # fmt: skip


def keep_cutoff(
    session: Session, user: User, study_id: int, position: int, value: float, chosen_on: str | None
) -> None:
    """Keep a candidate's cutoff, and which split was looked at when it was chosen."""
    found = candidate_at(session, study_id, position)
    if found.cutoff is None:
        raise Refusal(f"{found.name} answers classes only and has no cutoff", "value")
    if not math.isfinite(value):
        raise Refusal("a cutoff is a finite number", "value")
    was = found.cutoff
    found.cutoff, found.cutoff_chosen_on = value, chosen_on
    session.add(found)
    note(session, user, "cutoff kept", study_id,
         {"candidate": found.name, "from": was, "to": value, "chosen_on": chosen_on})  # fmt: skip


def read_step(session: Session, user: User, study_id: int, step: str) -> None:
    """Remember that a person has opened a step."""
    row = {"study_id": study_id, "user_id": user.id or 0, "step": step, "at": now()}
    session.execute(insert(ReadingRecord).values(row).on_conflict_do_nothing())  # two pages may say so at once


def steps_read(session: Session, study_id: int, user: User) -> list[str]:
    """The steps of a study that a person has opened."""
    query = select(ReadingRecord).where(ReadingRecord.study_id == study_id, ReadingRecord.user_id == user.id)
    return sorted(r.step for r in session.exec(query))


def listing(session: Session) -> list[dict[str, Any]]:
    """All studies, newest first, with how far each has come."""
    out = []
    living = select(StudyRecord).where(col(StudyRecord.deleted).is_(None)).order_by(col(StudyRecord.id).desc())
    for study in session.exec(living):
        author = session.get(User, study.author_id)
        exhibits = session.exec(
            select(func.count()).select_from(ExhibitRecord).where(ExhibitRecord.study_id == study.id)
        ).one()
        revisions = session.exec(
            select(func.count()).select_from(RevisionRecord).where(RevisionRecord.study_id == study.id)
        ).one()
        out.append({
            "id": study.id, "title": study.title, "author": author.name if author else "", "created": study.created,
            "candidates": [c.name for c in candidates_of(session, study.id or 0)],
            "exhibits": exhibits, "revisions": revisions,
        })  # fmt: skip
    return out


def touch(dossier: DossierRecord) -> None:
    """Note that a dossier changed."""
    dossier.changed = now()
