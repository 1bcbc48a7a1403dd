"""Uploads, studies, their results and cutoffs."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterator
from typing import Any, cast

from flask import Response, current_app, request
from flask_openapi3 import Tag
from sqlmodel import Session, col, select

from skarlo.core import explain, tally
from skarlo.core.steps import Progress
from skarlo.intake import Source
from skarlo.intake.describe import describe
from skarlo.intake.guess import guess
from skarlo.intake.read import pieces_about, read_pieces
from skarlo.report import drafting
from skarlo.report.revisions import revisions_of, stamp
from skarlo.report.scope import Scope, letter
from skarlo.studies import catalog, versions
from skarlo.studies.evaluating import Remembered
from skarlo.studies.records import StudyRecord, Upload, User, VersionRecord
from skarlo.studies.refusals import Missing, Refusal
from skarlo.studies.stacking import stack
from skarlo.studies.workspace import Workspace

from ..models import (
    CandidateOut,
    CutoffIn,
    CutoffPath,
    CutoffsQuery,
    ExplainQuery,
    ExplanationOut,
    ResultsOut,
    ScopeQuery,
    SentenceOut,
    SplitQuery,
    StackIn,
    StepPath,
    StudyIn,
    StudyLine,
    StudyList,
    StudyOut,
    StudyPath,
    TalliesOut,
    TallyOut,
    UploadOut,
    UploadPath,
    UploadQuery,
    VersionOut,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, Made, Taken, answer, api, awaited, immutable, read_of, results_of

TAG = [Tag(name="studies")]
CHUNK = 1 << 20
Columns = list[dict[str, Any]]


def chunks() -> Iterator[bytes]:
    """The request's body, piece by piece."""
    while chunk := request.stream.read(CHUNK):
        yield chunk


@api.post("/uploads", tags=TAG, responses={201: UploadOut, **LONG})
@needs("write")
def upload(query: UploadQuery) -> Response:
    """Take a file in (the request's body), read it, and say what its columns look like."""
    sha256, size = workspace().keep_stream(chunks())
    name = query.name.replace("\\", "/").rsplit("/", 1)[-1]
    if size == 0:
        raise Refusal(f"{name} is empty", "name")
    kept, user, remembered = workspace(), signed_in(), _remembered()

    def take(tell: Progress) -> Taken:
        try:
            columns = remembered.get(f"{sha256} {name}", lambda: _described(kept, sha256, name, tell))
        except Exception:
            forget(kept, sha256)
            raise
        with kept.session() as records:
            record = Upload(sha256=sha256, name=name, size=size, user_id=user.id or 0)
            records.add(record)
            records.flush()
            return Taken(_upload_out(record, columns))

    return answer(awaited(secrets.token_hex(8), f"reading {name}", take).upload, 201)


@api.get("/uploads/<int:upload_id>", tags=TAG, responses={200: UploadOut, **LONG})
@needs("write")
def read_upload(path: UploadPath) -> Response:
    """An upload of one's own, and what its columns look like."""
    with workspace().session() as records:
        record = catalog.upload_of(records, path.upload_id, signed_in())
    return answer(_upload_out(record, _columns_of(record)))


def _columns_of(record: Upload) -> Columns:
    """What the columns of an upload look like. Raises Pending."""
    kept, remembered, key = workspace(), _remembered(), f"{record.sha256} {record.name}"

    def look(tell: Progress) -> Columns:
        return remembered.get(key, lambda: _described(kept, record.sha256, record.name, tell))

    return awaited(f"columns {key}", f"reading {record.name}", look, f"/api/v1/uploads/{record.id}")


def _remembered() -> Remembered:
    """What the columns of the last uploads looked like."""
    return cast(Remembered, current_app.extensions["skarlo-uploads"])


def _described(kept: Workspace, sha256: str, name: str, tell: Progress) -> Columns:
    source = Source(kept.blob(sha256), name)
    return describe(read_pieces(source), tell, pieces_about(source))


def _upload_out(record: Upload, columns: Columns) -> UploadOut:
    rows = columns[0]["rows"] if columns else 0
    return UploadOut.model_validate({
        "id": record.id, "name": record.name, "sha256": record.sha256, "size": record.size, "rows": rows,
        "columns": columns, "guess": guess(columns, rows),
    })  # fmt: skip


@api.post("/uploads/stack", tags=TAG, responses={201: UploadOut, **LONG})
@needs("write")
def stack_uploads(body: StackIn) -> Response:
    """Make one hold-out of several uploads, one for each split."""
    with workspace().session() as records:
        user = signed_in()
        parts = {split: catalog.upload_of(records, upload, user) for split, upload in body.parts.items()}
        record = stack(workspace(), records, user, parts)
    return answer(_upload_out(record, _columns_of(record)), 201)


def forget(kept: Workspace, sha256: str) -> None:
    """Remove a file that no upload needs, unless an earlier one with these bytes is kept."""
    with kept.session() as records:
        if records.exec(select(Upload).where(col(Upload.sha256) == sha256)).first() is None:
            kept.blob(sha256).unlink(missing_ok=True)


@api.get("/studies", tags=TAG, responses={200: StudyList})
def list_studies() -> Response:
    """All studies, newest first."""
    with workspace().session() as records:
        return answer(StudyList(studies=lines(records)))


def lines(records: Session) -> list[StudyLine]:
    """All studies as they are listed."""
    return [StudyLine(**line, stamp=_last_stamp(records, line["id"])) for line in catalog.listing(records)]


def study_out(records: Session, study_id: int) -> StudyOut:
    """A study for the person signed in."""
    return _study(records, catalog.study_of(records, study_id), signed_in())


def _last_stamp(records: Session, study_id: int) -> str | None:
    earlier = revisions_of(records, study_id)
    return stamp(records, earlier[-1]) if earlier else None


@api.post("/studies", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def make_study(body: StudyIn) -> Response:
    """Make a study from uploads. Any fault in the files is named and nothing is kept."""
    kept = workspace()

    def make(records: Session, user: User, tell: Progress) -> int:
        holdout = catalog.upload_of(records, body.holdout.upload, user)
        mapping = body.holdout.model_dump(exclude={"upload"}, exclude_none=True)
        entries = [(catalog.upload_of(records, c.upload, user), c.model_dump()) for c in body.candidates]
        asks = {"quoted": [q.model_dump(exclude_none=True) for q in body.quoted]} if body.quoted else {}
        return catalog.create(kept, records, user, body.title, holdout, mapping, entries, asks, tell).id or 0

    return made("making the study", make)


def made(what: str, work: Callable[[Session, User, Progress], int]) -> Response:
    """Do work that makes or changes a study, in a transaction of its own, and answer with the study it gives the number
    of. Raises Pending."""
    kept, user = workspace(), signed_in()

    def run(tell: Progress) -> Made:
        with kept.session() as records:
            return Made(work(records, user, tell))

    found = awaited(secrets.token_hex(8), what, run)
    with kept.session() as records:
        study = catalog.study_of(records, found.study_id)
        return answer(_study(records, study, user, found.then), 201)


def _study(records: Session, study: StudyRecord, user: User, then: str | None = None) -> StudyOut:
    results = results_of(records, study.id or 0, then=then)
    first = results["candidates"][0]
    author = records.get(User, study.author_id)
    earlier = revisions_of(records, study.id or 0)
    gives = {c["name"]: c["gives"] for c in results["candidates"]}
    return StudyOut(
        id=study.id or 0, title=study.title, author=author.name if author else "", created=study.created,
        holdout=dict(results["holdout"]), mapping=study.mapping, holdout_file=study.holdout_name,
        balance={name: part["actual"] for name, part in first["splits"].items()},
        candidates=[
            CandidateOut(position=c.position, letter=letter(c.position), name=c.name, gives=gives[c.name],
                         file=c.file_name, sha256=c.sha256, columns=c.columns, cutoff=c.cutoff,
                         cutoff_chosen_on=c.cutoff_chosen_on, in_use=c.in_use, version_number=c.version_number,
                         versions=[_version(records, v) for v in versions.versions_of(records, c)])
            for c in catalog.candidates_of(records, study.id or 0)
        ],
        steps_read=catalog.steps_read(records, study.id or 0, user),
        revision=len(earlier), stamp=stamp(records, earlier[-1]) if earlier else None,
    )  # fmt: skip


def _version(records: Session, v: VersionRecord) -> VersionOut:
    by = records.get(User, v.user_id)
    return VersionOut(number=v.number, file=v.file_name, sha256=v.sha256, columns=v.columns, note=v.note,
                      by=by.name if by else "", created=v.created)  # fmt: skip


@api.get("/studies/<int:study_id>", tags=TAG, responses={200: StudyOut, **LONG})
def read_study(path: StudyPath) -> Response:
    """A study: its rows, columns and candidates."""
    with workspace().session() as records:
        return answer(_study(records, catalog.study_of(records, path.study_id), signed_in()))


@api.get("/studies/<int:study_id>/results", tags=TAG, responses={200: ResultsOut, **LONG})
def read_results(path: StudyPath, query: CutoffsQuery) -> Response:
    """The results, at the given cutoffs or at those kept."""
    with workspace().session() as records:
        return immutable(results_of(records, path.study_id, query.by_position()))


@api.get("/studies/<int:study_id>/sentence", tags=TAG, responses={200: SentenceOut, **LONG})
def read_sentence(path: StudyPath, query: ScopeQuery) -> Response:
    """The drafted sentence at the top of a view."""
    with workspace().session() as records:
        results = results_of(records, path.study_id, query.by_position())
        scope = Scope(query.split, tuple(query.show)).among(catalog.candidates_of(records, path.study_id))
    known_split(results, query.split)
    return answer(SentenceOut(sentence=drafting.sentence(query.view, results, scope)))


def known_split(results: Any, split: str) -> None:
    """Raises Missing for a split the results do not hold."""
    if split not in results["candidates"][0]["splits"]:
        raise Missing(f"there is no split {split}", "split")


@api.get("/studies/<int:study_id>/explain", tags=TAG, responses={200: ExplanationOut, **LONG})
def read_explanation(path: StudyPath, query: ExplainQuery) -> Response:
    """One number, unfolded."""
    with workspace().session() as records:
        results = results_of(records, path.study_id, query.by_position())
    try:
        return immutable(explain(results, query.candidate, query.split, query.metric))
    except KeyError as e:
        raise Missing(str(e.args[0])) from e


@api.get("/studies/<int:study_id>/tallies", tags=TAG, responses={200: TalliesOut, **LONG})
def read_tallies(path: StudyPath, query: SplitQuery) -> Response:
    """The counts that the live cutoff reads, for every candidate that gives a score."""
    with workspace().session() as records:
        study = read_of(records, path.study_id).study
        positions = [c.position for c in catalog.candidates_of(records, path.study_id)]
    if query.split not in study.splits:
        raise Missing(f"there is no split {query.split}", "split")
    rows = study.splits[query.split]
    positive = study.actual[rows] == study.positive
    out = []
    for i, candidate in zip(positions, study.candidates, strict=True):
        if candidate.score is not None:
            t = tally.make(candidate.score[rows], positive)
            out.append(TallyOut(position=i, score=t.score[::-1].tolist(), tp=t.tp[::-1].tolist(),
                                fp=t.fp[::-1].tolist(), positives=t.positives, negatives=t.negatives))  # fmt: skip
    return immutable(TalliesOut(tallies=out).model_dump())


@api.put("/studies/<int:study_id>/candidates/<int:position>/cutoff", tags=TAG, responses={200: StudyOut})
@needs("write")
def keep_cutoff(path: CutoffPath, body: CutoffIn) -> Response:
    """Keep a candidate's cutoff."""
    with workspace().session() as records:
        study = catalog.study_of(records, path.study_id)
        catalog.keep_cutoff(records, signed_in(), path.study_id, path.position, body.value, body.chosen_on)
        records.flush()
        return answer(_study(records, study, signed_in()))


@api.put("/studies/<int:study_id>/steps/<step>", tags=TAG, responses={200: StudyOut})
def read_step(path: StepPath) -> Response:
    """Remember that one has opened a step."""
    with workspace().session() as records:
        study = catalog.study_of(records, path.study_id)
        catalog.read_step(records, signed_in(), path.study_id, path.step)
        records.flush()
        return answer(_study(records, study, signed_in()))
