"""The map: rows in two dimensions, and some of them against the others."""

from __future__ import annotations

import json
from typing import Annotated, Literal

import numpy as np
from flask import Response
from flask_openapi3 import Tag
from pydantic import BaseModel, Field

from skarlo.core import SliceResult
from skarlo.report.exhibits.plane import drawn, line_of
from skarlo.studies.mapped import Mapped, Telling, mapped, telling
from skarlo.studies.refusals import Missing
from skarlo.studies.rows import Rows

from ..models import CutoffsQuery, Id, StudyPath
from ..shared import LONG, answer, api, asked_of, evaluator, prepared_of, rows_of

TAG = [Tag(name="rows")]
AXIS = r"^(components|field:.+|score:[A-Z]+)$"


class MapQuery(CutoffsQuery):
    split: str
    x: str = Field(default="components", pattern=AXIS, description="components, field:NAME or score:LETTER")
    y: str = Field(default="components", pattern=AXIS, description="the same")
    candidate: Id | None = Field(default=None, description="position of the candidate whose answers are told")
    by: str = Field(default="", description="a field whose values are told")


@api.get("/studies/<int:study_id>/map", tags=TAG, responses=LONG)
def read_map(path: StudyPath, query: MapQuery) -> Response:
    """The rows of a split in two dimensions, as bytes: the length of what follows as a little-endian u32, so many bytes
    of JSON about it, padded with blanks to a multiple of 4; then of n points n each of the row (u32, from 1), x and y
    (f32), the value of `by` (u16, 65535: none of those told), the actual class (u8), the candidate's (u8, 255: no
    answer, 254: none, and left out), and whether candidates differ (u8)."""
    _, found = _mapped(path.study_id, query)
    about = json.dumps(found.about, ensure_ascii=False).encode()
    about += b" " * (-len(about) % 4)
    data = b"".join((np.array([len(about)], dtype="<u4").tobytes(), about, *(c.tobytes() for c in found.columns)))
    response = Response(data, mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, no-cache"
    return response


def _mapped(study_id: int, query: MapQuery) -> tuple[Rows, Mapped]:
    asked = asked_of(study_id, query.by_position(), within=query.where())
    rows = rows_of(asked)
    if query.candidate is not None and query.candidate not in asked.positions:
        raise Missing(f"there is no candidate at position {query.candidate}", "candidate")
    inside = rows.within(query.where()) if query.where() else None
    at = None if query.candidate is None else asked.positions.index(query.candidate)
    return rows, mapped(rows, query.split, inside, (query.x, query.y), at, query.by)


class DrawnQuery(MapQuery):
    show: Literal["errors", "differ", "actual", "by"] = Field(
        default="errors",
        description="what is marked: the candidate's errors, disagreement, the class, or values of `by`",
    )
    line: str = Field(default="", max_length=10_000, description="corners of a closed line, as 0,1;2,1;2,3")


@api.get("/studies/<int:study_id>/map.svg", tags=TAG, responses=LONG)
def draw_map(path: StudyPath, query: DrawnQuery) -> Response:
    """The same as a figure that needs neither script nor style sheet, as it stands in a report."""
    rows, found = _mapped(path.study_id, query)
    show = f"by:{query.by}" if query.show == "by" else query.show
    response = Response(drawn(rows, found, show, line_of(query.line))[0], mimetype="image/svg+xml")
    response.headers["Content-Disposition"] = 'attachment; filename="map.svg"'
    return response


class InsideQuery(CutoffsQuery):
    split: str


class InsideIn(BaseModel):
    rows: list[Annotated[int, Field(ge=1)]] = Field(
        min_length=1, max_length=2_000_000, description="their places in the hold-out file, from 1"
    )


class InsideOut(BaseModel):
    """Some rows against the others of the split: chosen by eye, so that differences have an interval and no p."""

    candidates: dict[str, SliceResult]
    telling: list[Telling]


@api.post("/studies/<int:study_id>/inside", tags=TAG, responses={200: InsideOut, **LONG})
def read_inside(path: StudyPath, query: InsideQuery, body: InsideIn) -> Response:
    """Compare some rows, chosen by eye, with the others of a split. Nothing is kept."""
    asked = asked_of(path.study_id, query.by_position(), within=query.where())
    rows = rows_of(asked)
    if query.split not in rows.study.splits:
        raise Missing(f"there is no split {query.split}", "split")
    prepared_of(asked)
    found = evaluator().inside(asked, query.split, [row - 1 for row in body.rows])
    of_split = rows.study.splits[query.split] & (rows.within(query.where()) if query.where() else True)
    chosen = np.isin(rows.places, np.asarray(body.rows))
    return answer(InsideOut(
        candidates=found, telling=telling(rows, of_split & chosen, of_split & ~chosen)
    ))  # fmt: skip
