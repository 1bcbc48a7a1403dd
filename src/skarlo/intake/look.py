"""A look at what came in, before and beside its numbers: the fields, and how each candidate's answers joined."""

from __future__ import annotations

from typing_extensions import TypedDict

from skarlo.core import Study

from .columns import Files, Loading
from .glance import FieldGlance, Progress, glance
from .holdout import read_holdout
from .joining import account
from .load import no_fields
from .read import as_text, read_table
from .spec import StudySpec

SHOWN = 20


class Joined(TypedDict):
    """How one candidate's answers joined the rows: counts, and the first ids that did not match."""

    candidate: str
    matched: int
    missing: int
    extra: int
    doubled: int
    first_missing: list[str]


class Look(TypedDict):
    """What came in."""

    fields: list[FieldGlance]
    joins: list[Joined]


def look(spec: StudySpec, files: Files, study: Study, progress: Progress | None = None) -> Look:
    """Look at a study's files, which were loaded as `study`.

    progress : told (done, of, name) before each field
    """
    holdout = read_holdout(spec.holdout, files, Loading())
    h, table = holdout.spec, holdout.table
    own = {x for c in spec.candidates if c.path is None for x in (c.score, c.label, *(c.probabilities or {}).values())}
    leave = set(no_fields(h)) | {x for x in own if x}
    joins: list[Joined] = []
    if h.id is not None:
        ids = as_text(table[h.id])
        for c in spec.candidates:
            answers = ids if c.path is None else as_text(read_table(files(c.path))[c.id or h.id])
            found = account(ids, answers)
            joins.append({"candidate": c.name, **found.counts(),  # type: ignore[typeddict-item]
                          "first_missing": found.missing.head(SHOWN).to_list()})  # fmt: skip
    if h.split is not None:
        table = table.filter(as_text(table[h.split]) != "")  # as the study was loaded
    fields = glance(table, study.actual, len(study.classes), study.positive, leave, progress)
    return {"fields": fields, "joins": joins}
