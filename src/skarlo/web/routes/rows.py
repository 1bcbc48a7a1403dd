"""The rows of a study: filtered, sorted, a page at a time."""

from __future__ import annotations

import csv
import hashlib
import io
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Annotated, Literal, cast

from flask import Response, current_app, request
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
)

from skarlo.core import Condition, ConditionError, Progress, parse_condition
from skarlo.studies import catalog, pictures
from skarlo.studies import marks as marking
from skarlo.studies.evaluating import Asked
from skarlo.studies.refusals import Missing, Refusal
from skarlo.studies.rows import MOST, Row, Rows, Wanted

from ..models import (
    CutoffsQuery,
    Id,
    StudyOut,
    StudyPath,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, Made, answer, api, asked_of, pictures_of, rows_of
from .studies import made
from .uploads import chunks

TAG = [Tag(name="rows")]


class RowsQuery(CutoffsQuery):
    """Which rows, in which order."""

    split: str = Field(default="", description="rows of this split; of any where left out")
    actual: str = Field(default="", description="the actual class")
    candidate: Id | None = Field(default=None, description="position of the candidate that `predicted` and `sort` read")
    predicted: str | None = Field(
        default=None, description="the class that the candidate predicts at its cutoff; empty for no answer"
    )
    condition: str = Field(
        default="",
        max_length=10_000,
        description='a condition that is true of them, as `ward = "North" and predicted != actual`; docs/conditions.md',
    )
    sort: str = Field(
        default="row",
        description="row, a field as field:NAME, disagreement (of all candidates), or of the candidate score, wrong "
        "(most wrong first) or unsure (least sure first)",
    )
    down: bool = Field(default=False, description="turned round; of numbers the largest first")
    start: Id = 0
    count: Annotated[int, Field(ge=1, le=MOST)] = 100


class AnswerOut(BaseModel):
    """What one candidate answered for a row."""

    position: int
    place: int | None = Field(description="where in its own file the answer stands, from 1; null where it has none")
    score: float | None
    probabilities: dict[str, float] | None
    predicted: str | None = Field(description="the predicted class; null where there is no answer, or no cutoff")
    reason: str | None = Field(description="why, where the candidate states it")


class MarkOut(BaseModel):
    """A mark on a row, and whose it is."""

    mark: str
    by: str
    at: datetime


class NoteOut(BaseModel):
    """A note on a row, and whose it is."""

    text: str
    by: str
    at: datetime


class RowOut(BaseModel):
    """One row of the hold-out."""

    row: int = Field(description="its place in the hold-out file, from 1")
    split: str
    actual: str
    fields: dict[str, str | None] = Field(description="as they were read; null where absent")
    answers: list[AnswerOut]
    marks: list[MarkOut]
    note: NoteOut | None


class RowsOut(BaseModel):
    """Some rows, of all that are as wanted."""

    total: int
    unknown: int = Field(description="rows of which the condition can not be told, since what it reads is absent")
    rows: list[RowOut]


@api.get("/studies/<int:study_id>/rows", tags=TAG, responses={200: RowsOut, **LONG})
def read_rows(path: StudyPath, query: RowsQuery) -> Response:
    """Rows with all their fields and answers, at the given cutoffs or at those kept."""
    asked = asked_of(path.study_id, query.by_position())
    rows = rows_of(asked)
    found = rows.page(_wanted(query, rows, asked.positions))
    return answer(RowsOut(total=found.total, unknown=found.unknown, rows=_told(path.study_id, rows, asked, found.rows)))


def _told(study_id: int, rows: Rows, asked: Asked, some: Sequence[Row]) -> list[RowOut]:
    """Rows as they are sent, with their marks and notes."""
    classes = rows.study.classes
    with workspace().reading() as records:
        marks, notes = marking.on_rows(records, study_id, [r.row for r in some])

    def named(code: int | None) -> str | None:
        return None if code is None or code < 0 else classes[code]

    return [
        RowOut(
            row=r.row, split=r.split, actual=classes[r.actual], fields=r.fields,
            answers=[
                AnswerOut(
                    position=position, place=a.place, score=a.score, predicted=named(a.predicted), reason=a.reason,
                    probabilities=None if a.probabilities is None else dict(zip(classes, a.probabilities, strict=True)),
                )
                for position, a in zip(asked.positions, r.answers, strict=True)
            ],
            marks=[MarkOut(**m) for m in marks.get(r.row, [])],
            note=NoteOut(**notes[r.row]) if r.row in notes else None,
        )
        for r in some
    ]  # fmt: skip


class SavedQuery(RowsQuery):
    """Which rows to save; `start` and `count` are left aside."""


MOST_SAVED = 200_000


@api.get("/studies/<int:study_id>/rows.csv", tags=TAG, responses=LONG)
def save_rows(path: StudyPath, query: SavedQuery) -> Response:
    """The rows of a filter as CSV (RFC 4180), in its order: every field, each candidate's answer, marks and notes."""
    asked = asked_of(path.study_id, query.by_position())
    rows = rows_of(asked)
    wanted = replace(_wanted(query, rows, asked.positions), start=0, count=MOST)
    first = rows.page(wanted)
    if first.total > MOST_SAVED:
        raise Refusal(f"{first.total:,} rows are more than can be saved at once ({MOST_SAVED:,}): narrow the filter")
    out = io.StringIO()
    names = [c.name for c in rows.study.candidates]
    writer = csv.writer(out)
    fields = rows.fields
    stated = [f"{i}:reason" in rows.columns for i in range(len(names))]
    told = [("predicted", "score", "reason") if states else ("predicted", "score") for states in stated]
    own = [f"{n}: {x}" for n, some in zip(names, told, strict=True) for x in some]
    head = ["row", "split", "actual", *fields, *own, "marks", "note"]
    writer.writerow([_plain(x) for x in head])
    for start in range(0, max(1, first.total), MOST):
        page = first if start == 0 else rows.page(replace(wanted, start=start))
        for r in _told(path.study_id, rows, asked, page.rows):
            said = [x for a, states in zip(r.answers, stated, strict=True)
                    for x in ((a.predicted, a.score, a.reason) if states else (a.predicted, a.score))]  # fmt: skip
            writer.writerow([_plain(x) for x in (
                r.row, r.split, r.actual, *(r.fields[f] for f in fields), *said,
                "; ".join(m.mark for m in r.marks), r.note.text if r.note else "",
            )])  # fmt: skip
    response = Response(out.getvalue(), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="rows.csv"'
    return response


def _plain(x: object) -> object:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{x}" if isinstance(x, str) and x[:1] in ("=", "+", "@", "\t", "\r") else "" if x is None else x


class RowPath(StudyPath):
    row: int = Field(ge=1, description="its place in the hold-out file, from 1")


class NearestQuery(CutoffsQuery):
    split: str = Field(default="", description="rows of this split; of any where left out")
    candidate: Id = Field(description="position of the candidate whose other answer they have")
    count: Annotated[int, Field(ge=1, le=20)] = 5
    by: Literal["fields", "embedding"] = Field(
        default="fields", description="what lies close: of the study's embedding"
    )


class NearestOut(BaseModel):
    """A row on the other side: how far it lies from the one that was asked for, and what each field adds to that."""

    row: RowOut
    distance: float
    parts: dict[str, float]


class NearestRowsOut(BaseModel):
    """The rows to which a candidate answers another class, the closest first."""

    rows: list[NearestOut]


@api.get("/studies/<int:study_id>/rows/<int:row>/nearest", tags=TAG, responses={200: NearestRowsOut, **LONG})
def read_nearest(path: RowPath, query: NearestQuery) -> Response:
    """The rows on the other side that lie closest to one: fields in standard deviations, categories equal or not."""
    asked = asked_of(path.study_id, query.by_position())
    if query.candidate not in asked.positions:
        raise Missing(f"there is no candidate at position {query.candidate}", "candidate")
    rows = rows_of(asked)
    if query.split and query.split not in rows.study.splits:
        raise Missing(f"there is no split {query.split}", "split")
    said = asked.plain.holdout.show.get("embedding", [])
    embedding = [str(x) for x in (said if isinstance(said, list) else [said])] if query.by == "embedding" else []
    if query.by == "embedding" and not embedding:
        raise Refusal("the study names no embedding", "by")
    found = rows.nearest(path.row, asked.positions.index(query.candidate), query.split, query.count, embedding)
    told = _told(path.study_id, rows, asked, [row for _, row in found])
    return answer(NearestRowsOut(rows=[
        NearestOut(row=row, distance=n.distance, parts=n.parts) for (n, _), row in zip(found, told, strict=True)
    ]))  # fmt: skip


class MarkIn(BaseModel):
    mark: str = Field(max_length=200)
    on: bool = True


class NoteIn(BaseModel):
    text: str = Field(max_length=20_000)


class MarksOut(BaseModel):
    """The marks of a study, with how many rows bear each."""

    marks: dict[str, int]


@api.get("/studies/<int:study_id>/marks", tags=TAG, responses={200: MarksOut})
def read_marks(path: StudyPath) -> Response:
    """The marks that rows of the study bear."""
    return _marks(path.study_id)


def _marks(study_id: int) -> Response:
    with workspace().reading() as records:
        catalog.study_of(records, study_id)
        found = marking.marked(records, study_id)
    return answer(MarksOut(marks={name: len(rows) for name, rows in found.items()}))


@api.put("/studies/<int:study_id>/rows/<int:row>/marks", tags=TAG, responses={200: MarksOut})
@needs("write")
def put_mark(path: RowPath, body: MarkIn) -> Response:
    """Put a mark on a row, or take it off."""
    _known(path)
    with workspace().writing() as records:
        marking.put(records, signed_in(), path.study_id, path.row, body.mark, body.on)
    return _marks(path.study_id)


class MarkAllIn(BaseModel):
    mark: str
    rows: list[Annotated[int, Field(ge=1)]] = Field(
        min_length=1, max_length=200_000, description="their places in the hold-out file, from 1"
    )


@api.put("/studies/<int:study_id>/marks", tags=TAG, responses={200: MarksOut})
@needs("write")
def put_marks(path: StudyPath, body: MarkAllIn) -> Response:
    """Put a mark on many rows."""
    last = rows_of(asked_of(path.study_id)).last
    marking.known_row(max(body.rows), last)
    with workspace().writing() as records:
        marking.put_all(records, signed_in(), path.study_id, body.rows, body.mark)
    return _marks(path.study_id)


@api.put("/studies/<int:study_id>/rows/<int:row>/note", tags=TAG, responses={200: MarksOut})
@needs("write")
def put_note(path: RowPath, body: NoteIn) -> Response:
    """Write the note of a row; an empty one takes it away."""
    _known(path)
    with workspace().writing() as records:
        marking.say(records, signed_in(), path.study_id, path.row, body.text)
    return _marks(path.study_id)


def _known(path: RowPath) -> None:
    rows = rows_of(asked_of(path.study_id))
    marking.known_row(path.row, rows.last)


class PictureQuery(BaseModel):
    name: str = Field(min_length=1, max_length=1000, description="as the row names it")
    of: str = Field(default="", max_length=64, description="fingerprint of the study's pictures: it may then be kept")


@api.get("/studies/<int:study_id>/picture", tags=TAG)
def read_picture(path: StudyPath, query: PictureQuery) -> Response:
    """The picture of a row, by the name that the row gives."""
    with workspace().reading() as records:
        study = catalog.study_of(records, path.study_id)
    found = None if study.pictures_sha256 is None else pictures_of(study).read(query.name)
    if found is None:
        raise Missing(f"no picture is named {query.name}", "name")
    data, kind = found
    response = Response(data, mimetype=kind)
    response.set_etag(hashlib.sha256(data).hexdigest()[:32])
    lasting = query.of == study.pictures_sha256
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable" if lasting else "private, no-cache"
    return cast(Response, response.make_conditional(request))


@api.put("/studies/<int:study_id>/pictures", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def keep_pictures(path: StudyPath) -> Response:
    """Bring the pictures of the rows in, in place of any before: a zip (the request's body) of PNG, JPEG, GIF or WebP
    files, named as the rows name them."""
    kept, user = workspace(), signed_in()
    packed, most = kept.take_in(chunks()), current_app.config["MAX_CONTENT_LENGTH"]

    def bring(tell: Progress) -> Made:
        try:
            with kept.receive(pictures.from_zip(packed.path, most)) as incoming:
                if not incoming.size:
                    raise Refusal("the zip holds no picture: PNG, JPEG, GIF or WebP files, named as the rows name them")
                sha256 = incoming.keep()
            with kept.writing() as records:
                catalog.keep_pictures(records, user, path.study_id, sha256)
            return Made(path.study_id)
        finally:
            packed.drop()

    return made("taking the pictures in", bring, 200)


def _wanted(query: RowsQuery, rows: Rows, positions: tuple[int, ...]) -> Wanted:
    classes = rows.study.classes

    def code(label: str, field: str) -> int:
        if label not in classes:
            raise Missing(f"there is no class {label}", field)
        return classes.index(label)

    if query.candidate is not None and query.candidate not in positions:
        raise Missing(f"there is no candidate at position {query.candidate}", "candidate")
    if query.candidate is None and (query.predicted is not None or query.sort in ("score", "wrong", "unsure")):
        raise Refusal("say whose answer is meant", "candidate")
    return Wanted(
        split=query.split, where={name: value for name, value in query.where() if name},
        actual=code(query.actual, "actual") if query.actual else None,
        candidate=None if query.candidate is None else positions.index(query.candidate),
        predicted=None if query.predicted is None else code(query.predicted, "predicted") if query.predicted else -1,
        condition=_condition(_all_of(query), rows), sort=query.sort, down=query.down, start=query.start,
        count=query.count,
    )  # fmt: skip


def _all_of(query: RowsQuery) -> str:
    """The condition, and those of the rows that are read."""
    every = [text for text in (query.condition, *(value for name, value in query.where() if not name)) if text.strip()]
    return every[0] if len(every) == 1 else " and ".join(f"({text})" for text in every)


def _condition(text: str, rows: Rows) -> Condition | None:
    if not text.strip():
        return None
    try:
        return parse_condition(text, rows.names())
    except ConditionError as e:
        raise Refusal(str(e), "condition") from e
