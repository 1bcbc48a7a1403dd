"""Named conditions: given on the page, taken away again."""

from __future__ import annotations

from datetime import UTC, datetime

from flask import Response
from flask_openapi3 import Tag
from pydantic import Field

from skarlo.core import Progress
from skarlo.studies import naming
from skarlo.studies.refusals import Missing

from ..models import CutoffsQuery, Id, Strict, StudyOut, StudyPath
from ..security import needs, signed_in, workspace
from ..shared import LONG, Made, api, asked_of, rows_of
from .studies import made

TAG = [Tag(name="rows")]


class NamedPath(StudyPath):
    name: str = Field(min_length=1, max_length=naming.LONGEST)


class NamedIn(Strict):
    """A condition to be called by a name."""

    where: str = Field(min_length=1, max_length=10_000, description="docs/conditions.md")
    keep: bool = Field(default=False, description="its rows stay those of which it is true now, by their ids")
    candidate: Id | None = Field(default=None, description="of what is kept: whose answers are meant, by position")


@api.put("/studies/<int:study_id>/conditions/<name>", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def name_condition(path: NamedPath, query: CutoffsQuery, body: NamedIn) -> Response:
    """Call a condition by a name, in place of any of that name: it is a slice of the results, gates may be read on it,
    and it goes along with the saved study. Kept, its rows stay what they are at these cutoffs."""
    said: str | dict[str, object] = body.where
    if body.keep:
        asked = asked_of(path.study_id, query.by_position())
        if body.candidate is not None and body.candidate not in asked.positions:
            raise Missing(f"there is no candidate at position {body.candidate}", "candidate")
        at = None if body.candidate is None else asked.positions.index(body.candidate)
        said = naming.kept_as_of(rows_of(asked), body.where, at, datetime.now(UTC).date())
    return _changed(path, said)


@api.delete("/studies/<int:study_id>/conditions/<name>", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def take_name(path: NamedPath) -> Response:
    """Take a named condition away."""
    return _changed(path, None)


def _changed(path: NamedPath, said: str | dict[str, object] | None) -> Response:
    """The study with a condition of that name, or without one: read and checked first, and then kept."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        check = naming.plan(kept, records, path.study_id, path.name, said)

    def keep(tell: Progress) -> Made:
        found = check(tell)
        with kept.writing() as records:
            naming.keep(records, user, path.study_id, path.name, found)
        return Made(path.study_id)

    return made("reading with other conditions", keep, 200)
