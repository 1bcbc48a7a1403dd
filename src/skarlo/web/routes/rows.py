"""The rows of a study: filtered, sorted, a page at a time."""

from __future__ import annotations

import hashlib
from typing import Annotated, cast

from flask import Response, current_app, request
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
)

from skarlo.core import Condition, ConditionError, Progress, parse_condition
from skarlo.studies import catalog, pictures
from skarlo.studies.refusals import Missing, Refusal
from skarlo.studies.rows import MOST, Rows, Wanted

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
    sort: str = Field(default="row", description="row, score (of the candidate), or a field as field:NAME")
    down: bool = Field(default=False, description="the largest first")
    start: Id = 0
    count: Annotated[int, Field(ge=1, le=MOST)] = 100


class AnswerOut(BaseModel):
    """What one candidate answered for a row."""

    position: int
    place: int | None = Field(description="where in its own file the answer stands, from 1; null where it has none")
    score: float | None
    probabilities: dict[str, float] | None
    predicted: str | None = Field(description="the predicted class; null where there is no answer, or no cutoff")


class RowOut(BaseModel):
    """One row of the hold-out."""

    row: int = Field(description="its place in the hold-out file, from 1")
    split: str
    actual: str
    fields: dict[str, str | None] = Field(description="as they were read; null where absent")
    answers: list[AnswerOut]


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
    classes = rows.study.classes

    def named(code: int | None) -> str | None:
        return None if code is None or code < 0 else classes[code]

    return answer(RowsOut(total=found.total, unknown=found.unknown, rows=[
        RowOut(
            row=r.row, split=r.split, actual=classes[r.actual], fields=r.fields,
            answers=[
                AnswerOut(
                    position=position, place=a.place, score=a.score, predicted=named(a.predicted),
                    probabilities=None if a.probabilities is None else dict(zip(classes, a.probabilities, strict=True)),
                )
                for position, a in zip(asked.positions, r.answers, strict=True)
            ],
        )
        for r in found.rows
    ]))  # fmt: skip


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
    if query.candidate is None and (query.predicted is not None or query.sort == "score"):
        raise Refusal("say whose answer is meant", "candidate")
    return Wanted(
        split=query.split, where=dict(query.where()), actual=code(query.actual, "actual") if query.actual else None,
        candidate=None if query.candidate is None else positions.index(query.candidate),
        predicted=None if query.predicted is None else code(query.predicted, "predicted") if query.predicted else -1,
        condition=_condition(query.condition, rows), sort=query.sort, down=query.down, start=query.start,
        count=query.count,
    )  # fmt: skip


def _condition(text: str, rows: Rows) -> Condition | None:
    if not text.strip():
        return None
    try:
        return parse_condition(text, rows.names())
    except ConditionError as e:
        raise Refusal(str(e), "condition") from e
