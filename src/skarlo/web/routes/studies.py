"""Uploads, studies, their results and cutoffs."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Collection, Iterator
from typing import Any, cast

from flask import Response, current_app, request
from flask_openapi3 import Tag
from sqlmodel import Session

from skarlo import core
from skarlo.core import HEADLINE, HEADLINE_MANY, METRICS, Cutoff, HoldoutResult, Progress, told_of, unfold
from skarlo.intake import Source
from skarlo.intake.columns_seen import describe
from skarlo.intake.guess import guess
from skarlo.intake.read import pieces_about, read_pieces
from skarlo.intake.spec import MetricSpec
from skarlo.report import drafting
from skarlo.report.exhibits import sentence
from skarlo.report.revisions import revisions_of, stamp
from skarlo.report.scope import Scope, letter
from skarlo.studies import accounts, catalog, versions
from skarlo.studies.evaluating import Asked, Facts, Remembered
from skarlo.studies.records import CandidateRecord, StudyRecord, Upload, User, VersionRecord
from skarlo.studies.refusals import Missing, Refusal
from skarlo.studies.stacking import keep_stacked, stacked_bytes

from ..models import (
    CandidateOut,
    CutoffIn,
    CutoffPath,
    CutoffsQuery,
    MetricInfo,
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
    UnfoldedOut,
    UnfoldQuery,
    UploadOut,
    UploadPath,
    UploadQuery,
    VersionOut,
)
from ..security import needs, signed_in, workspace
from ..shared import (
    LONG,
    Made,
    Taken,
    answer,
    api,
    asked_of,
    awaited,
    evaluator,
    facts_of,
    immutable,
    read_of,
    results_of,
    study_address,
)

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
    name = query.name.replace("\\", "/").rsplit("/", 1)[-1]
    kept, user, remembered = workspace(), signed_in(), _remembered()
    incoming = kept.take_in(chunks())

    def take(tell: Progress) -> Taken:
        try:
            if incoming.size == 0:
                raise Refusal(f"{name} is empty", "name")
            source = Source(incoming.path, name)
            columns = remembered.get(f"{incoming.sha256} {name}", lambda: _described(source, tell))
            record = Upload(sha256=incoming.keep(), name=name, size=incoming.size, user_id=user.id or 0)
            with kept.writing() as records:
                records.add(record)
            return Taken(_upload_out(record, columns))
        finally:
            incoming.drop()

    return answer(awaited(secrets.token_hex(8), f"reading {name}", take).upload, 201)


@api.get("/uploads/<int:upload_id>", tags=TAG, responses={200: UploadOut, **LONG})
@needs("write")
def read_upload(path: UploadPath) -> Response:
    """An upload of one's own, and what its columns look like."""
    with workspace().reading() as records:
        record = catalog.upload_of(records, path.upload_id, signed_in())
    return answer(_upload_out(record, _columns_of(record)))


def _columns_of(record: Upload) -> Columns:
    """What the columns of an upload look like. Raises Pending."""
    remembered, key = _remembered(), f"{record.sha256} {record.name}"
    source = Source(workspace().blob(record.sha256), record.name)

    def look(tell: Progress) -> Columns:
        return remembered.get(key, lambda: _described(source, tell))

    return awaited(f"columns {key}", f"reading {record.name}", look, f"/api/v1/uploads/{record.id}")


def _remembered() -> Remembered:
    """What the columns of the last uploads looked like."""
    return cast(Remembered, current_app.extensions["skarlo-uploads"])


def _described(source: Source, tell: Progress) -> Columns:
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
    kept, user, remembered = workspace(), signed_in(), _remembered()
    with kept.reading() as records:
        parts = {split: catalog.upload_of(records, upload, user) for split, upload in body.parts.items()}

    def stack(tell: Progress) -> Taken:
        data, name = stacked_bytes({k: Source(kept.blob(u.sha256), u.name) for k, u in parts.items()})
        with kept.receive([data]) as incoming:
            source = Source(incoming.path, name)
            columns = remembered.get(f"{incoming.sha256} {name}", lambda: _described(source, tell))
            record = Upload(sha256=incoming.keep(), name=name, size=incoming.size, user_id=user.id or 0)
            with kept.writing() as records:
                keep_stacked(records, user, record, parts)
        return Taken(_upload_out(record, columns))

    return answer(awaited(secrets.token_hex(8), "putting the splits together", stack).upload, 201)


@api.get("/studies", tags=TAG, responses={200: StudyList})
def list_studies() -> Response:
    """All studies, newest first."""
    with workspace().reading() as records:
        return answer(StudyList(studies=lines(records)))


def lines(records: Session) -> list[StudyLine]:
    """All studies as they are listed."""
    return [StudyLine(**line, **_stamps(records, line["id"])) for line in catalog.listing(records)]


def _stamps(records: Session, study_id: int) -> dict[str, Any]:
    stamps = {r.number: stamp(records, r) for r in revisions_of(records, study_id)}
    signed = [number for number, one in stamps.items() if one == "signed"]
    return {"stamp": stamps[max(stamps)] if stamps else None, "signed": max(signed, default=None)}


@api.post("/studies", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def make_study(body: StudyIn) -> Response:
    """Make a study from uploads. Any fault in the files is named and nothing is kept."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        holdout = catalog.upload_of(records, body.holdout.upload, user)
        entries = [(catalog.upload_of(records, c.upload, user), c.model_dump()) for c in body.candidates]
    mapping = body.holdout.model_dump(exclude={"upload"}, exclude_none=True)
    asks = {"quoted": [q.model_dump(exclude_none=True) for q in body.quoted]} if body.quoted else {}

    def make(tell: Progress) -> Made:
        new = catalog.plan(user, body.title, holdout, mapping, entries, asks, kept.blob, tell)
        with kept.writing() as records:
            return Made(catalog.keep_study(records, user, new).id or 0)

    return made("making the study", make)


def made(what: str, work: Callable[[Progress], Made], status: int = 201) -> Response:
    """Do work that makes or changes a study: it reads and checks first, and then keeps what it made in a transaction.
    The answer is the study. Raises Pending."""
    found = awaited(secrets.token_hex(8), what, work)
    return answer(study_out(found.study_id), status)


def study_out(study_id: int) -> StudyOut:
    """A study for the person signed in. Raises Pending when its files take long to read."""
    user = signed_in()
    facts = facts_of(asked_of(study_id), study_address(study_id))
    with workspace().reading() as records:
        study = catalog.study_of(records, study_id)
        candidates = catalog.candidates_of(records, study_id)
        author = records.get(User, study.author_id)
        earlier = revisions_of(records, study_id)
        gives = dict(zip((c.position for c in candidates), facts["gives"], strict=False))
        return StudyOut(
            id=study_id, title=study.title, author=author.name if author else "", created=study.created,
            holdout=facts["holdout"], mapping=study.mapping, holdout_file=study.holdout_name, balance=facts["balance"],
            candidates=[
                CandidateOut(
                    position=c.position, letter=letter(c.position), name=c.name, gives=gives.get(c.position, "classes"),
                    file=c.file_name, sha256=c.sha256, columns=c.columns, cutoff=c.cutoff,
                    cutoff_chosen_on=c.cutoff_chosen_on, cutoff_chosen=_chosen(c), runs_now=c.runs_now,
                    version_number=c.version_number,
                    versions=[_version(records, v) for v in versions.versions_of(records, c)],
                )
                for c in candidates
            ],
            steps_read=catalog.steps_read(records, study_id, user),
            revision=len(earlier), stamp=stamp(records, earlier[-1]) if earlier else None,
            may=accounts.allowed(user), metrics=metric_infos(study, facts),
            headline=list(HEADLINE if facts["holdout"]["positive"] is not None else HEADLINE_MANY),
        )  # fmt: skip


def _chosen(c: CandidateRecord) -> str:
    """Where and how the cutoff that is kept was chosen, in words."""
    if c.cutoff is None:
        return ""
    return drafting.chosen_where(told_of(Cutoff(c.cutoff, c.cutoff_chosen_on, chosen_by=c.cutoff_chosen_by)))


def metric_infos(study: StudyRecord, facts: Facts) -> list[MetricInfo]:
    """What there is to know of each metric of a study, its own ones last."""
    two = facts["holdout"]["positive"] is not None
    names = dict.fromkeys(METRICS.two if two else (*METRICS.many, *METRICS.two))  # of many, also each class's own
    out = [_metric(d.name, d.title, d.short, d.better, d.needs) for d in (METRICS[name] for name in names)]
    for asked in study.asks.get("metrics", []):
        spec = MetricSpec.model_validate(asked)
        needs = "counts" if spec.measure in (None, "expected_cost") else "scores"
        out.append(_metric(spec.name, spec.name, "", spec.direction, needs))
    return out


def _metric(name: str, title: str, short: str, better: str, needs: str) -> MetricInfo:
    about = {"name": name, "title": title, "short": short or title, "better": better, "needs": needs}
    return MetricInfo.model_validate(about)


def _version(records: Session, v: VersionRecord) -> VersionOut:
    by = records.get(User, v.user_id)
    return VersionOut(number=v.number, file=v.file_name, sha256=v.sha256, columns=v.columns, note=v.note,
                      by=by.name if by else "", created=v.created)  # fmt: skip


@api.get("/studies/<int:study_id>", tags=TAG, responses={200: StudyOut, **LONG})
def read_study(path: StudyPath) -> Response:
    """A study: its rows, columns and candidates."""
    return answer(study_out(path.study_id))


@api.get("/studies/<int:study_id>/results", tags=TAG, responses={200: ResultsOut, **LONG})
def read_results(path: StudyPath, query: CutoffsQuery) -> Response:
    """The results, at the given cutoffs or at those kept."""
    return immutable(results_of(asked_of(path.study_id, query.by_position())))


@api.get("/studies/<int:study_id>/sentence", tags=TAG, responses={200: SentenceOut, **LONG})
def read_sentence(path: StudyPath, query: ScopeQuery) -> Response:
    """The drafted sentence at the top of a view."""
    asked = asked_of(path.study_id, query.by_position(), query.split)
    results = results_of(asked)
    known_split(results["candidates"][0]["splits"], query.split)
    known_class(results["holdout"], query.of)
    scope = Scope(query.split, tuple(query.show), positions=asked.positions, of=query.of)
    return answer(SentenceOut(sentence=sentence(query.view, results, scope), cutoffs=query.cutoffs))


def known_split(splits: Collection[str], split: str) -> None:
    """Raises Missing for a split that a study does not have."""
    if split not in splits:
        raise Missing(f"there is no split {split}", "split")


def known_class(holdout: HoldoutResult, label: str) -> None:
    """Raises Missing for a class that a study does not have; the empty one is the study's own choice."""
    if label and label not in holdout["classes"]:
        raise Missing(f"there is no class {label}", "of")


@api.get("/studies/<int:study_id>/unfold", tags=TAG, responses={200: UnfoldedOut, **LONG})
def read_unfolded(path: StudyPath, query: UnfoldQuery) -> Response:
    """One number, unfolded."""
    results = results_of(asked_of(path.study_id, query.by_position()))
    try:
        return immutable(unfold(results, query.candidate, query.split, query.metric, query.of))
    except KeyError as e:
        raise Missing(str(e.args[0])) from e


@api.get("/studies/<int:study_id>/tallies", tags=TAG, responses={200: TalliesOut, **LONG})
def read_tallies(path: StudyPath, query: SplitQuery) -> Response:
    """The counts that the live cutoff reads, for every candidate that gives a score: exact at each place where the
    handle can stand."""
    asked = asked_of(path.study_id)
    ready = prepared_of(asked)
    known_split(ready.study.splits, query.split)
    out = []
    for i, position in enumerate(asked.positions):
        live = core.live_tally(ready, i, query.split)
        if live is not None:
            out.append(TallyOut(position=position, **live))
    return immutable(TalliesOut(tallies=out).model_dump())


def prepared_of(asked: Asked) -> core.Prepared:
    """A study ready to be evaluated. Raises Pending when its files take long to read."""
    read_of(asked)
    return evaluator().prepared(asked)


@api.put("/studies/<int:study_id>/candidates/<int:position>/cutoff", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def keep_cutoff(path: CutoffPath, body: CutoffIn) -> Response:
    """Keep a candidate's cutoff, set by hand while the rows of a split were looked at. It is kept at once, before
    anything is evaluated at it."""
    splits = list(facts_of(asked_of(path.study_id))["balance"])
    with workspace().writing() as records:
        catalog.keep_cutoff(records, signed_in(), path.study_id, path.position, body.value, body.chosen_on, splits)
    return answer(study_out(path.study_id))


@api.put("/studies/<int:study_id>/steps/<step>", tags=TAG, responses={200: StudyOut, **LONG})
def read_step(path: StepPath) -> Response:
    """Remember that one has opened a step."""
    with workspace().writing() as records:
        catalog.study_of(records, path.study_id)
        catalog.read_step(records, signed_in(), path.study_id, path.step)
    return answer(study_out(path.study_id))
