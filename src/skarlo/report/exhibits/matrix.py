"""The matrix: which errors each candidate makes."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from skarlo.core import Results, class_names, count, mcnemar_midp, named, outcomes_of, row_shares, shown
from skarlo.report.blocks import Block, Matrix, MatrixCell, MatrixRow, note
from skarlo.report.drafting import MOST_NAMED, counted_rows, read_on
from skarlo.report.scope import Scope, Shown

from .cells import cutoff_of, tile
from .entry import Exhibit, Reading


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    positive, negative = class_names(results).values()
    made = [c for c in chosen if c.part["matrix"] is not None]
    if not made:
        return "No cutoff could be set, so no class is predicted."
    of_classes = {(n["P"], n["N"]) for c in made for n in [outcomes_of(results, c.part)]}
    if len(of_classes) > 1:
        return _each_on_its_rows(results, made)
    first = outcomes_of(results, made[0].part)
    missed = _each(made, "misses", lambda c: count(outcomes_of(results, c.part)["FN"]))
    wrong = _each(made, "wrongly flags", lambda c: count(outcomes_of(results, c.part)["FP"]))
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


def _each(chosen: Sequence[Shown], verb: str, told: Callable[[Shown], str]) -> str:
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


def _blocks(reading: Reading) -> list[Block]:
    results = reading.results
    turned = reading.scope.own.get("across") == "actual"
    matrices = [_matrix(results, c) for c in reading.chosen]
    axes = "rows: the predicted class; columns: the actual one" if turned else (
        "rows: the actual class; columns: the predicted one"
    )  # fmt: skip
    return [
        {"kind": "matrices", "matrices": [_turned(m) for m in matrices] if turned else matrices},
        note(
            *read_on(results, reading.scope),
            f"{axes}; under each count its share of the actual class",
            "an error is tinted, darker as it takes more of its actual class",
        ),
    ]


def _matrix(results: Results, c: Shown) -> Matrix:
    """A matrix as it is drawn: every cell with its share of its actual class, a last column for no answer where there
    are such rows."""
    names, labels = results["holdout"].get("names", {}), results["holdout"]["classes"]
    called = [names.get(x, x) for x in labels]
    positive = results["holdout"]["positive"]
    cells = c.part["matrix"] or []
    shares = c.part["shares"] if "shares" in c.part else row_shares(cells)  # frozen before results had them
    without = ["no answer"] if cells and len(cells[0]) > len(called) else []
    cutoff = c.result["cutoff"]
    return {
        "name": c.name, "tile": tile(c), "cutoff": cutoff_of(c), "columns": [*called, *without],
        "rows": [
            {"name": called[k], "cells": _row(row, of, k, positive is None or labels[k] == positive)}
            for k, (row, of) in enumerate(zip(cells, shares, strict=True))
        ],
        "why": "no class is predicted" if cutoff is None else cutoff.get("why", "no class is predicted"),
    }  # fmt: skip


def _turned(m: Matrix) -> Matrix:
    """With actual classes across."""
    rows, names = m["rows"], m["columns"] if m["rows"] else []
    turned: list[MatrixRow] = [
        {"name": name, "cells": [row["cells"][j] for row in rows]} for j, name in enumerate(names)
    ]  # fmt: skip
    return {**m, "columns": [row["name"] for row in rows], "rows": turned}


STEPS = (0.1, 0.25, 0.45)  # shares of a row from which on an error is tinted darker


def _row(row: Sequence[float], shares: Sequence[float | None], actual: int, missed: bool) -> list[MatrixCell]:
    out: list[MatrixCell] = []
    for k, (n, share) in enumerate(zip(row, shares, strict=True)):
        tint = "right" if k == actual else f"{'m' if missed else 'n'}{1 + sum((share or 0) > s for s in STEPS)}"
        out.append({"count": count(n), "share": shown(share), "tint": tint if n or k == actual else ""})
    return out


MATRIX = Exhibit(view="matrix", reads=("lines",), counts_only=True, two=_two, many=_many, blocks=_blocks)
