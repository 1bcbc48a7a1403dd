"""Casebook: the map of the rows, and what lies within a line against what lies outside."""

from __future__ import annotations

import math

import numpy as np

from skarlo.core import BoolArray, Results, count, places, several, shown
from skarlo.report.blocks import Block, Row, counts, drawing, note, table, texts
from skarlo.report.plane import MOST_MARKED, Corners, Kinds, kinds, plane
from skarlo.report.scope import Scope, Shown
from skarlo.studies.mapped import COMPONENTS, Mapped, Telling, mapped, telling
from skarlo.studies.rows import Rows

from .cells import signed, value_cell, who
from .entry import Reading
from .rows import front

MOST_TELLING = 5


def _axes(scope: Scope) -> tuple[str, str]:
    x = scope.own.get("x") or COMPONENTS
    return (x, x) if x == COMPONENTS else (x, scope.own.get("y") or x)


def line_of(text: str) -> Corners:
    """The corners of a closed line, as an address says them: "0,1;2,1;2,3"; none where it is no line.

    Examples
    --------
    >>> line_of("0,1;2,1;2,3"), line_of("0,1;x")
    ([(0.0, 1.0), (2.0, 1.0), (2.0, 3.0)], [])
    """
    try:
        corners = [(float(x), float(y)) for x, _, y in (one.partition(",") for one in text.split(";"))]
    except ValueError:
        return []
    return corners if len(corners) > 2 and all(math.isfinite(v) for at in corners for v in at) else []


def says(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """How rows are placed, and what is marked."""
    x, y = (a.removeprefix("field:").replace("score:", "the score of ") for a in _axes(scope))
    by = "the first two components of the numeric fields" if x == COMPONENTS else f"{x} and {y}"
    of, show = "" if scope.split == "all" else f"{scope.split} ", scope.own.get("show_by", "errors")
    what = {"errors": f"where {front(scope, chosen).name} errs", "differ": "where candidates disagree",
            "actual": "by actual class"}.get(show, f"by {show.removeprefix('by:')}")  # fmt: skip
    line = ", with a line around some of them" if line_of(scope.own.get("line", "")) else ""
    return f"The {of}rows by {by}, marked {what}{line}."


def blocks(reading: Reading) -> list[Block]:
    """The plane; of what lies within a line how candidates fare there, and what tells it from the rest."""
    scope, behind = reading.scope, reading.behind()
    rows, one = behind.rows, front(scope, reading.chosen)
    show, corners = scope.own.get("show_by", "errors"), line_of(scope.own.get("line", ""))
    by = show.removeprefix("by:") if show.startswith("by:") else ""
    found = mapped(rows, scope.split, behind.within, _axes(scope), rows.letters.index(one.letter), by)
    svg, marks, inside = drawn(rows, found, show, corners)
    out: list[Block] = [drawing("map", svg)]
    if inside is not None and inside.any():
        out += _beside(reading, found.columns[0][inside])
    marked = int(np.count_nonzero(marks.of))
    unplaced = found.about["rows"] - found.about["placed"]
    return [*out, note(
        "pale: all rows",
        f"every {-(-marked // MOST_MARKED)}th marked row is drawn" if marked > MOST_MARKED else "",
        f"{several(unplaced, 'row')} without a place are not shown" if unplaced else "",
        "the axes are arbitrary: they could as well be turned" if found.about["arbitrary"] else "",
        "" if inside is None else _caveat(scope, reading.results),
    )]  # fmt: skip


def drawn(rows: Rows, found: Mapped, show: str, corners: Corners) -> tuple[str, Kinds, BoolArray | None]:
    """The figure, how rows are marked in it, and which points lie within the line where there is one."""
    study = rows.study
    marks = kinds(found, show, study.positive, [study.names.get(x, x) for x in study.classes])
    x, y = (c.astype(np.float64) for c in found.columns[1:3])
    inside = places.within_line(x, y, corners) if corners else None
    return plane(found, marks, corners, inside), marks, inside


def _caveat(scope: Scope, results: Results) -> str:
    drawn, tune = scope.own.get("drawn"), results["holdout"]["tune_on"]
    if drawn and drawn == tune and scope.split != tune:
        return f"the line was drawn on {tune} and is read on {scope.split}"
    return "a line drawn after the errors were seen is no test"


def _beside(reading: Reading, chosen: np.ndarray) -> list[Block]:
    """Some rows, by their places from 1, against the others."""
    behind, split = reading.behind(), reading.scope.split
    told = behind.inside((chosen.astype(np.int64) - 1).tolist())
    lines: list[Row] = []
    for c in reading.chosen:
        of = told.get(c.result["name"])
        if of is None:
            continue
        accuracy, less = of["metrics"].get("accuracy"), of["rest"].get("accuracy")
        cells = [*counts(count(of["rows"])), *([{"text": "—"}] if accuracy is None else [value_cell(accuracy, True)]),
                 *texts("—" if less is None else signed(less))]  # fmt: skip
        lines.append({"cells": [who(c), *cells]})
    rows = behind.rows
    of_split = rows.study.splits[split] if behind.within is None else rows.study.splits[split] & behind.within
    among = np.isin(rows.places, chosen)
    tells = telling(rows, of_split & among, of_split & ~among)[:MOST_TELLING]
    head = [*texts("Within the line"), *counts("rows"), *texts("accuracy", "less that of the others")]
    out: list[Block] = [table(head, lines)]
    if tells:
        out.append(table(texts("What tells them from the others", "within", "outside"),
                         [{"cells": texts(*_tells(t))} for t in tells]))  # fmt: skip
    return out


def _tells(t: Telling) -> tuple[str, str, str]:
    if not t["value"]:
        return f"{t['field']}, median", shown(t["inside"]), shown(t["outside"])
    return f"{t['field']} is {t['value']}", shown(t["inside"]), shown(t["outside"])
