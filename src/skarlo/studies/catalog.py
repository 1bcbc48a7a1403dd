"""Studies and their candidates: made from uploaded files, read back, their cutoffs kept."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, func, select

from skarlo.core import Cutoff, Progress
from skarlo.intake import Files, InputError, Problem, Source, StudySpec, parse_spec, read_study

from .accounts import SHOWN, note
from .records import (
    CandidateRecord,
    ChoiceRecord,
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

MOST_CANDIDATES = 60
KEPT = ("id", "score", "predicted", "probabilities", "score_is", "no_answer", "reason", "price", "price_per_1000",
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
        raise Missing(f"Study {study_id} does not exist or was deleted.")
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
    study: StudyRecord, candidates: Sequence[CandidateRecord], cutoffs: dict[int, float] | None = None
) -> StudySpec:
    """The study file that describes a kept study. `cutoffs` (by position) stand in for the kept ones."""
    entries: list[dict[str, Any]] = []
    for c in candidates:
        path = f"{c.position}:{c.file_name}"
        entry: dict[str, Any] = {"name": c.name, "path": path, "runs_now": c.runs_now, **c.columns}
        if is_scored(c.columns):
            value = (cutoffs or {}).get(c.position)
            entry["cutoff"] = c.cutoff if value is None else value
            if value is None or value == c.cutoff:
                entry |= {"cutoff_chosen_on": c.cutoff_chosen_on} if c.cutoff_chosen_on else {}
                entry |= {"cutoff_chosen_by": c.cutoff_chosen_by} if c.cutoff_chosen_by else {}
        entries.append(entry)
    data = {
        "format": "skarlo.study/1",
        "title": study.title,
        "holdout": {"path": f"0:{study.holdout_name}", **study.mapping},
        "candidates": entries,
        **study.asks,
    }
    return parse_spec(data, "")


def files_of(workspace: Workspace, study: StudyRecord, candidates: Sequence[CandidateRecord]) -> Files:
    """From the paths that `spec_of` writes to the kept files."""
    shas = {0: study.holdout_sha256, **{c.position: c.sha256 for c in candidates}}

    def find(path: str) -> Source:
        position, _, name = path.partition(":")
        return Source(workspace.blob(shas[int(position)]), name)

    return find


@dataclass(frozen=True)
class NewStudy:
    """A study that was read, joined and checked, and is not kept yet."""

    study: StudyRecord
    candidates: tuple[CandidateRecord, ...]
    rows: int


def plan(
    user: User, title: str, holdout: Upload, mapping: dict[str, Any], candidates: list[tuple[Upload, dict[str, Any]]],
    asks: dict[str, Any] | None, place: Callable[[str], Path], progress: Progress | None = None,
) -> NewStudy:  # fmt: skip
    """Make a study ready from uploads: all is read, joined and checked, and nothing is kept.

    Parameters
    ----------
    mapping : what each column of the hold-out is, in the words of the study file's [holdout]
    candidates : each one's upload and its entry of the study file: name, score or predicted, cutoff, runs_now
    asks : settings, own metrics and gates, in the words of the study file
    place : from a fingerprint to the file
    progress : told of each step; what it raises stops the work

    Raises
    ------
    InputError
        With every problem in the files.
    """
    if not title.strip():
        raise Refusal("a study needs a title", "title")
    if len(candidates) > MOST_CANDIDATES:
        raise Refusal(f"a study takes at most {MOST_CANDIDATES} candidates, and there are {len(candidates)}",
                      "candidates")  # fmt: skip
    study = StudyRecord(title=title.strip(), holdout_sha256=holdout.sha256, holdout_name=holdout.name, mapping=mapping,
                        author_id=user.id or 0, asks=asks or {})  # fmt: skip
    records = tuple(_candidate(i, upload, entry) for i, (upload, entry) in enumerate(candidates, 1))
    shas = {0: holdout.sha256, **{c.position: c.sha256 for c in records}}

    def find(path: str) -> Source:
        position, _, name = path.partition(":")
        return Source(place(shas[int(position)]), name)

    loaded = read_study(spec_of(study, records), find, progress).study
    return NewStudy(study, records, len(loaded.actual))


def keep_study(session: Session, user: User, new: NewStudy) -> StudyRecord:
    """Keep a study that was made ready."""
    session.add(new.study)
    session.flush()
    for record in new.candidates:
        record.study_id = new.study.id or 0
        _keep(session, user, record)
    session.add(DossierRecord(study_id=new.study.id or 0, heading=new.study.title))
    note(session, user, "study made", new.study.id, {"rows": new.rows, "candidates": len(new.candidates)})
    return new.study


def keep_pictures(session: Session, user: User, study_id: int, sha256: str) -> None:
    """Keep the pictures of a study's rows, in place of any before. Raises Missing, and Refusal where rows name none."""
    study = study_of(session, study_id)
    if not study.mapping.get("show", {}).get("picture"):
        raise Refusal("no column of this study names the pictures of its rows")
    study.pictures_sha256 = sha256
    session.add(study)
    note(session, user, "pictures kept", study_id, {"sha256": sha256})


def plan_candidate(
    workspace: Workspace, session: Session, study_id: int, upload: Upload, entry: dict[str, Any]
) -> Callable[[Progress | None], CandidateRecord]:
    """Look at what one more candidate of a study would be; what is returned reads and checks it, without the records.

    Parameters
    ----------
    entry : its entry of the study file: name, score or predicted, cutoff, runs_now

    Raises
    ------
    InputError, Refusal
        When its answers do not fit the rows, or its name is taken.
    """
    study = study_of(session, study_id)
    position = _free(session, study_id, entry["name"])
    record = _candidate(position, upload, entry)
    record.study_id = study_id
    others = [c.model_copy(update={"runs_now": c.runs_now and not record.runs_now})
              for c in candidates_of(session, study_id)]  # fmt: skip
    if len(others) >= MOST_CANDIDATES:
        raise Refusal(f"a study takes at most {MOST_CANDIDATES} candidates")

    def check(progress: Progress | None) -> CandidateRecord:
        tried = [*others, record]
        read_study(spec_of(study, tried), files_of(workspace, study, tried), progress)
        return record

    return check


def _free(session: Session, study_id: int, name: str) -> int:
    """The next position in a study, whose candidates have other names. Letters are never given twice."""
    ever = session.exec(select(CandidateRecord).where(CandidateRecord.study_id == study_id)).all()
    if any(c.name == name for c in ever):
        where = "" if any(c.name == name and c.deleted is None for c in ever) else "; it was deleted"
        raise Refusal(f"the study has a candidate named {name} already{where}", "name")
    return 1 + max((c.position for c in ever), default=0)


def add_candidate(session: Session, user: User, record: CandidateRecord) -> CandidateRecord:
    """Keep a candidate that was checked, after the others there are by now."""
    study_of(session, record.study_id)
    record.position = _free(session, record.study_id, record.name)
    if record.runs_now:
        for other in candidates_of(session, record.study_id):
            other.runs_now = False
            session.add(other)
    _keep(session, user, record)
    detail: dict[str, object] = {"candidate": record.name, "sha256": record.sha256}
    note(session, user, "candidate added", record.study_id, detail)
    return record


def _keep(session: Session, user: User, record: CandidateRecord) -> None:
    """Keep a new candidate, with its first version and its first cutoff."""
    session.add(record)
    session.flush()
    session.add(VersionRecord(candidate_id=record.id or 0, number=1, sha256=record.sha256, columns=record.columns,
                              file_name=record.file_name, user_id=user.id or 0))  # fmt: skip
    if record.cutoff is not None:
        session.add(_choice(record, user))
    session.flush()


def _choice(record: CandidateRecord, user: User) -> ChoiceRecord:
    """The cutoff that stands, as it came about."""
    return ChoiceRecord(candidate_id=record.id or 0, value=record.cutoff or 0.0, chosen_on=record.cutoff_chosen_on,
                        chosen_by=record.cutoff_chosen_by, user_id=user.id or 0)  # fmt: skip


def is_scored(columns: dict[str, Any]) -> bool:
    """Whether a candidate gives a score of the positive class, alone or as one of two probabilities."""
    return "score" in columns or len(columns.get("probabilities") or {}) == 2


def columns_of(entry: dict[str, Any]) -> dict[str, Any]:
    """What is kept of a candidate's entry of the study file: its columns and how it was made."""
    columns = {k: entry[k] for k in KEPT if entry.get(k) not in (None, "", {})}
    if columns.get("no_answer") == "error":
        del columns["no_answer"]
    return columns


def _candidate(position: int, upload: Upload, entry: dict[str, Any]) -> CandidateRecord:
    columns = columns_of(entry)
    cutoff = entry.get("cutoff")
    if is_scored(columns) and cutoff is None:
        cutoff = 0.5
    if "predicted" in columns and cutoff is not None:
        raise InputError([Problem(f"candidate {entry['name']}: a cutoff needs a score, and it gives classes")])
    return CandidateRecord(
        study_id=0, position=position, name=entry["name"], sha256=upload.sha256, file_name=upload.name,
        columns=columns, cutoff=cutoff, cutoff_chosen_on=entry.get("cutoff_chosen_on"),
        cutoff_chosen_by=entry.get("cutoff_chosen_by") or {}, runs_now=bool(entry.get("runs_now")),
    )  # fmt: skip


BY_HAND = {"rule": "by hand"}


def keep_cutoff(
    session: Session, user: User, study_id: int, position: int, value: float, chosen_on: str, splits: Sequence[str]
) -> None:
    """Keep a candidate's cutoff that was set by hand.

    Parameters
    ----------
    chosen_on : the split whose rows were looked at
    splits : those that the study has; what was set before at this very number keeps how it came about then
    """
    if not math.isfinite(value):
        raise Refusal("a cutoff is a finite number", "value")
    if chosen_on not in splits:
        raise Refusal(f"there is no split {chosen_on}; one of {', '.join(splits)}", "chosen_on")
    keep_chosen(session, user, study_id, position, value, chosen_on, BY_HAND)


def keep_chosen(
    session: Session, user: User, study_id: int, position: int, value: float, chosen_on: str, by: dict[str, Any]
) -> None:
    """Keep a candidate's cutoff, with where it was chosen and how: a rule with its parameters, or by hand. What was set
    before at this very number keeps how it came about then."""
    found = candidate_at(session, study_id, position)
    if found.cutoff is None:
        raise Refusal(f"{found.name} answers classes only and has no cutoff", "value")
    was = found.cutoff
    known = choice_of(session, found, value)
    found.cutoff = value
    found.cutoff_chosen_on = chosen_on if known is None else known.chosen_on
    found.cutoff_chosen_by = by if known is None else known.chosen_by
    session.add(found)
    if known is None:
        session.add(_choice(found, user))
    note(session, user, "cutoff kept", study_id,
         {"candidate": found.name, "from": was, "to": value, "chosen_on": chosen_on, **by})  # fmt: skip


def choice_of(session: Session, candidate: CandidateRecord, value: float) -> ChoiceRecord | None:
    """How a cutoff of this very number came about, when it was first set for a candidate; None if it never was."""
    query = select(ChoiceRecord).where(ChoiceRecord.candidate_id == candidate.id, ChoiceRecord.value == value)
    return session.exec(query.order_by(col(ChoiceRecord.id))).first()


def cutoff_of(session: Session, candidate: CandidateRecord, value: float, seen_on: str) -> Cutoff:
    """A cutoff with where and how it was chosen; one that nobody kept counts as chosen by hand on the rows that were
    looked at with it."""
    known = choice_of(session, candidate, value)
    if known is None:
        return Cutoff(value, seen_on, chosen_by=BY_HAND)
    return Cutoff(value, known.chosen_on, chosen_by=known.chosen_by)


def keep_shown(session: Session, user: User, study_id: int, shown: dict[str, Any]) -> None:
    """Keep what stands on screen where nobody chooses otherwise, in the words of the study file's [shown]."""
    study = study_of(session, study_id)
    usual = {key: value for key, value in shown.items() if value}
    study.asks = {**{key: value for key, value in study.asks.items() if key != "shown"},
                  **({"shown": usual} if usual else {})}  # fmt: skip
    session.add(study)
    note(session, user, SHOWN, study_id, usual)


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


def touch(session: Session, dossier: DossierRecord) -> None:
    """Note that a dossier, or what is pinned in it, changed."""
    dossier.changed = now()
    dossier.number += 1
    session.add(dossier)
