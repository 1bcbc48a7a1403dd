"""The matrix: which errors each candidate makes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from skarlo.core import (
    METRICS,
    CellsLess,
    Part,
    Results,
    class_names,
    count,
    mcnemar_midp,
    named,
    outcomes_of,
    row_shares,
    shown,
)
from skarlo.report.blocks import (
    Block,
    Cell,
    Matrices,
    Matrix,
    MatrixCell,
    MatrixRow,
    Row,
    Rung,
    RungCell,
    RungRow,
    Rungs,
    counts,
    note,
    table,
    texts,
)
from skarlo.report.drafting import MOST_NAMED, counted_rows, read_on
from skarlo.report.scope import Scope, Shown, candidates

from . import large
from .cells import cutoff_of, difference_cell, tile, value_cell
from .entry import Exhibit, Reading
from .grid import TOGETHER, Layout, added, layout, ordered, share_of


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    positive, negative = class_names(results).values()
    made = [c for c in chosen if c.part["matrix"] is not None]
    if not made:
        return "No cutoff could be set, so no class is predicted."
    of_classes = {(n["P"], n["N"]) for c in made for n in [outcomes_of(results, c.part)]}
    if len(of_classes) > 1:
        return _each_on_its_rows(results, made)
    first = outcomes_of(results, made[0].part)
    missed = _of_each(made, "misses", lambda c: count(outcomes_of(results, c.part)["FN"]))
    wrong = _of_each(made, "wrongly flags", lambda c: count(outcomes_of(results, c.part)["FP"]))
    said = [
        f"Of the {count(first['P'])} rows that were “{positive}”, {missed}",
        f"of the {count(first['N'])} that were “{negative}”, {wrong}",
    ]
    left = [f"{c.name} for {counted_rows(c.part['no_answer'], 'all')}" for c in made if c.part["no_answer"]]
    return "; ".join(said) + (f". No answer: {named(left)}." if left else ".")


def _each_on_its_rows(results: Results, made: list[Shown]) -> str:
    """Where each leaves out rows of its own: there is no one number of rows of a class."""
    positive, negative = class_names(results).values()
    said = []
    for c in made[:MOST_NAMED]:
        n = outcomes_of(results, c.part)
        said.append(f"{c.name} misses {count(n['FN'])} of {count(n['P'])} that were “{positive}” and wrongly flags "
                    f"{count(n['FP'])} of {count(n['N'])} that were “{negative}”")  # fmt: skip
    more = len(made) - len(said)
    left = [f"{c.name} for {counted_rows(c.part['no_answer'], 'all')}" for c in made if c.part["no_answer"]]
    others = f"; and {more} others" if more > 0 else ""
    return f"Of the rows that each answers, {'; '.join(said)}{others}. No answer: {named(left)}."


def _of_each(chosen: Sequence[Shown], verb: str, told: Callable[[Shown], str]) -> str:
    """ "A misses 203, B 178 and C 198"."""
    return named([f"{c.name} {f'{verb} ' if i == 0 else ''}{told(c)}" for i, c in enumerate(chosen)])


def _many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """How many each predicts right, and which class it takes for which other."""
    said = [f"{c.name} predicts {count(_right(c))} of {counted_rows(_all(c), scope.split)} right{_confused(results, c)}"
            for c in chosen]  # fmt: skip
    if len(said) > MOST_NAMED + 1:
        return "; ".join(said[:MOST_NAMED]) + f"; and {len(said) - MOST_NAMED} others."
    return "; ".join(said) + "."


def _right(c: Shown) -> float:
    return sum(row[a] for a, row in enumerate(c.part["matrix"] or []))


def _all(c: Shown) -> float:
    """The rows that are judged, or the sum of their weights."""
    return sum(map(sum, c.part["matrix"] or []))


def _confused(results: Results, c: Shown) -> str:
    """The pair of classes that is confused most, as far as one stands out from the next: by the sign test between the
    two counts, corrected for having picked the largest of all."""
    classes, names = results["holdout"]["classes"], results["holdout"].get("names", {})
    wrong = sorted(
        ((n, -a, -p) for a, row in enumerate(c.part["matrix"] or []) for p, n in enumerate(row[: len(classes)])
         if p != a and n > 0), reverse=True,
    )  # fmt: skip
    if not wrong:
        return ""

    def told(cell: tuple[float, int, int]) -> str:
        actual, predicted = (names.get(classes[-k], classes[-k]) for k in cell[1:])
        return f"“{actual}” for “{predicted}” ({counted_rows(int(cell[0]), 'all')})"

    if len(wrong) == 1:
        return f" and takes {told(wrong[0])}"
    whole = all(float(n).is_integer() for n, _, _ in wrong)
    p = mcnemar_midp(int(wrong[0][0]), int(wrong[1][0])) * (len(wrong) - 1) if whole else 1.0
    if p <= 1 - results["settings"]["confidence"]:
        return f" and most often takes {told(wrong[0])}"
    return f"; among its errors, it takes {told(wrong[0])} and {told(wrong[1])}"


@dataclass(frozen=True)
class Face:
    """One candidate's matrix as it is shown, perhaps with classes taken together."""

    c: Shown
    cells: list[list[float]]


def _layout(results: Results, scope: Scope, chosen: Sequence[Shown]) -> Layout:
    return layout(scope, chosen, len(results["holdout"]["classes"]))


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    """What the layout reads besides the matrices."""
    how, lines = _layout(results, scope, candidates(results, scope)), Part("lines", scope.split)
    if how.merge:
        return lines, Part("merged", scope.split, merge=how.merge)
    if how.pair is not None:
        return lines, Part("cells", scope.split, pair=tuple(c.result["name"] for c in how.pair))
    return ()


OF = {"actual": "the actual class", "predicted": "the predicted class", "all": "all rows"}


def _blocks(reading: Reading) -> list[Block]:
    results, scope = reading.results, reading.scope
    how = _layout(results, scope, reading.chosen)
    labels, called = results["holdout"]["classes"], results["holdout"].get("names", {})
    names, faces = [called.get(x, x) for x in labels], _faces(reading.chosen)
    less: CellsLess | None = None
    if how.merge or how.pair:
        further = candidates(reading.further(), scope)
        if how.merge:
            found = [(c, c.part["merged"]) for c in further if "merged" in c.part]
            names = found[0][1]["classes"] if found else names
            faces = [Face(c, m["matrix"]) for c, m in found if m["matrix"] is not None]
        elif how.pair is not None:
            first = next(c for c in further if c.position == how.pair[0].position)
            less, faces = first.part["cells"], _faces(how.pair)
    if not faces:
        return [_each(results, reading.chosen, how), note(*read_on(results, scope))]
    columns = ordered(added([f.cells for f in faces]), names, how.order)
    standing = _Standing(how, names, columns)
    drawn: list[Block]
    if len(names) > TOGETHER:
        drawn, told = _beyond(how, names, columns, faces, less)
    elif how.mode == "each" and not how.merge:
        told = [f"under each count its share of {OF[how.of]}",
                "an error is tinted, darker as it takes more of its actual class"]  # fmt: skip
        drawn = [_each(results, reading.chosen, how, columns)]
    elif less is not None and how.pair is not None:
        drawn = [_less(standing, faces, less)]
        a, b = (c.name for c in how.pair)
        told = [
            f"in each cell: rows that {a} predicts so less those that {b} does, and the same as a share of the actual "
            f"class{' with its interval' if len(names) <= ENDS else ''}",
            "tinted: separated, after correction for all cells",
        ]
    else:
        drawn = [_together(standing, group) for group in ([[f] for f in faces] if how.mode == "each" else [faces])]
        told = [f"bars: share of {OF[how.of]}", "framed: right"]
    axes = f"rows: the {'predicted' if how.turned else 'actual'} class; columns: the " + (
        "actual one" if how.turned else "predicted one"
    )
    each = _classes(results, scope, reading.chosen) if not how.merge else []
    each += _averages_less(results, scope, *how.pair) if how.pair is not None else []
    merged = [f"{name} are taken together" for name in names if " + " in name] if how.merge else []
    listed = less is not None and len(names) > TOGETHER
    return [*drawn, note(*read_on(results, scope), "" if listed else axes, *told, *merged), *each]


def _beyond(
    how: Layout, names: Sequence[str], order: Sequence[int], faces: Sequence[Face], less: CellsLess | None
) -> tuple[list[Block], list[str]]:  # fmt: skip
    """More classes than there is room for, and how that is to be read."""
    if less is not None and how.pair is not None:
        told = f"the {large.MOST} cells in which the two differ most; first what is separated after correction for all"
        return large.differing(names, *how.pair, less), [told]
    drawn = [block for f in faces for block in large.drawn(how, names, order, f.c, f.cells)]
    return drawn, [f"tinted: an error, darker as it is a greater share of {OF[how.of]}", "framed: right",
                   f"below each its {large.MOST} most frequent errors"]  # fmt: skip


TOLD = ("precision", "recall", "f1")
AVERAGES = {"macro": "plain mean of the classes", "weighted": "mean weighted by their rows", "micro": "all pooled"}


def _averages_less(results: Results, scope: Scope, a: Shown, b: Shown) -> list[Block]:
    """One candidate's averages over the classes less another's, by the paired tests."""
    names = {a.result["name"], b.result["name"]}
    pair = next((p for p in results["pairs"] if p["split"] == scope.split and {p["a"], p["b"]} == names), None)
    if pair is None or "averages" not in pair:
        return []
    turned, confidence = pair["a"] != a.result["name"], results["settings"]["confidence"]
    rows: list[Row] = [
        {"cells": [*texts(AVERAGES[kind]), *(difference_cell(told.get(m), turned, confidence) for m in TOLD)]}
        for kind, told in pair["averages"].items()
    ]
    head = texts(f"{a.name} less {b.name}", *(METRICS[m].title for m in TOLD))
    return [table(head, rows), note("black edge: separated, after correction")]


def _classes(results: Results, scope: Scope, chosen: Sequence[Shown]) -> list[Block]:
    """Each class of the candidate in front against the rest, and the averages, where the view had them open."""
    told = [c for c in chosen if c.part["matrix"] is not None and "per_class" in c.part]
    front = next(iter([*(c for c in told if c.letter == scope.own.get("front")), *told]), None)
    if scope.own.get("classes") != "yes" or front is None:
        return []
    names = results["holdout"].get("names", {})

    def cells(of: Mapping[str, Any]) -> list[Cell]:
        return [value_cell(of[m], interval=True) if m in of else {"text": "—"} for m in TOLD]

    rows: list[Row] = [
        {"cells": [*texts(names.get(label, label)), *counts(count(one["actual_rows"])), *cells(one)]}
        for label, one in front.part["per_class"].items()
    ]
    averages = front.part.get("averages", {})
    rows += [
        {"cells": [*texts(title), *counts(""), *cells(averages[kind])]} for kind, title in AVERAGES.items()
        if kind in averages
    ]  # fmt: skip
    head = [*texts(f"Classes of {front.name}"), *counts("rows"), *texts(*(METRICS[m].title for m in TOLD))]
    return [table(head, rows)]


def _faces(chosen: Sequence[Shown]) -> list[Face]:
    return [Face(c, c.part["matrix"]) for c in chosen if c.part["matrix"] is not None]


class _Standing:
    """Rows and columns as they stand: which cell of the matrix is where."""

    def __init__(self, how: Layout, names: Sequence[str], order: Sequence[int]) -> None:
        self.how, self.names, self.order = how, names, order

    def columns(self, width: int) -> list[int]:
        """Those of the matrix, no answer last."""
        return [*self.order, *range(len(self.names), width)]

    def called(self, k: int) -> str:
        return self.names[k] if k < len(self.names) else "no answer"

    def grid(self, width: int, cell: Callable[[int, int], RungCell], faces: Sequence[Face]) -> Rungs:
        actual, predicted = list(self.order), self.columns(width)
        down, across = (predicted, actual) if self.how.turned else (actual, predicted)
        rows: list[RungRow] = [
            {"name": self.called(y), "cells": [cell(x, y) if self.how.turned else cell(y, x) for x in across]}
            for y in down
        ]  # fmt: skip
        return {"kind": "rungs", "axes": _axes(self.how), "columns": [self.called(k) for k in across], "rows": rows,
                "told": [{"tile": tile(f.c), "name": f.c.name, "cutoff": cutoff_of(f.c)} for f in faces]}  # fmt: skip


def _axes(how: Layout) -> str:
    return "predicted ↓ actual →" if how.turned else "actual ↓ predicted →"


def _together(standing: _Standing, faces: Sequence[Face]) -> Rungs:
    width = max(len(f.cells[0]) for f in faces)
    padded = [[[*row, *[0.0] * (width - len(row))] for row in f.cells] for f in faces]
    roomy = len(standing.names) <= ROOMY

    def cell(i: int, j: int) -> RungCell:
        rungs: list[Rung] = []
        for f, cells in zip(faces, padded, strict=True):
            share = share_of(cells, i, j, standing.how.of)
            rungs.append({"colour": f.c.colour, "part": share or 0.0, "text": count(cells[i][j]),
                          "note": shown(share) if roomy else ""})  # fmt: skip
        return {"tint": "right" if i == j else "", "rungs": rungs}

    return standing.grid(width, cell, faces)


ROOMY = 5  # classes up to which shares stand beside counts
ENDS = 6  # classes up to which there is room for intervals


def _less(standing: _Standing, faces: Sequence[Face], less: CellsLess) -> Rungs:
    first, second = faces

    def cell(i: int, j: int) -> RungCell:
        n, d = less["counts"][i][j], less["difference"][i][j]
        low, high = less["low"][i][j], less["high"][i][j]
        tested = less["p_adjusted"][i][j] is not None
        apart = tested and low is not None and high is not None and (low > 0 or high < 0)
        tint = "right" if i == j else ""
        roomy = len(standing.names) <= ENDS
        ends = "" if low is None or high is None or not roomy else f"{shown(low)} to {shown(high)}"
        more = first.c if (d or 0) > 0 else second.c
        rung: Rung = {
            "colour": more.colour if apart else "none", "part": 0.0 if d is None else min(1.0, abs(d)),
            "text": f"+{count(n)}" if n > 0 else f"−{count(-n)}" if n < 0 else "0",
            "note": "no rows" if d is None else shown(d), "ends": ends,
        }  # fmt: skip
        return {"tint": f"{tint} apart".strip() if apart else tint, "rungs": [rung]}

    return standing.grid(len(less["counts"][0]), cell, faces)


def _each(results: Results, chosen: Sequence[Shown], how: Layout, order: Sequence[int] | None = None) -> Matrices:
    matrices = [_matrix(results, c, how, order) for c in chosen]
    return {"kind": "matrices", "matrices": matrices}


def _matrix(results: Results, c: Shown, how: Layout, order: Sequence[int] | None) -> Matrix:
    """A matrix as it is drawn: every cell with its share, a last column for no answer where there are such rows."""
    names, labels = results["holdout"].get("names", {}), results["holdout"]["classes"]
    called = [names.get(x, x) for x in labels]
    positive = results["holdout"]["positive"]
    cells = c.part["matrix"] or []
    of_actual = c.part["shares"] if "shares" in c.part else row_shares(cells)  # frozen before results had them
    standing = _Standing(how, called, order or range(len(called)))
    across = standing.columns(len(cells[0])) if cells else list(standing.order)
    rows: list[MatrixRow] = [
        {"name": called[i], "cells": [
            _cell(cells[i][j], of_actual[i][j],
                  of_actual[i][j] if how.of == "actual" else share_of(cells, i, j, how.of),
                  right=i == j, missed=positive is None or labels[i] == positive)
            for j in across
        ]}
        for i in (standing.order if cells else ())
    ]  # fmt: skip
    columns = [standing.called(j) for j in across]
    if how.turned and rows:
        columns, rows = [r["name"] for r in rows], [
            {"name": name, "cells": [r["cells"][x] for r in rows]} for x, name in enumerate(columns)
        ]  # fmt: skip
    cutoff = c.result["cutoff"]
    return {
        "name": c.name, "tile": tile(c), "cutoff": cutoff_of(c), "axes": _axes(how), "columns": columns, "rows": rows,
        "why": "no class is predicted" if cutoff is None else cutoff.get("why", "no class is predicted"),
    }  # fmt: skip


STEPS = (0.1, 0.25, 0.45)  # shares of a row from which on an error is tinted darker


def _cell(n: float, of_actual: float | None, share: float | None, *, right: bool, missed: bool) -> MatrixCell:
    tint = "right" if right else f"{'m' if missed else 'n'}{1 + sum((of_actual or 0) > s for s in STEPS)}"
    return {"count": count(n), "share": shown(share), "tint": tint if n or right else ""}


MATRIX = Exhibit(
    view="matrix", reads=("lines",), shows=_shows, counts_only=True, two=_two, many=_many, blocks=_blocks
)  # fmt: skip
