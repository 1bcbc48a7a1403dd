"""The matrix: which errors each candidate makes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from skarlo.core import Results, class_names, count, mcnemar_midp, named, outcomes_of
from skarlo.report.drafting import MOST_NAMED, counted_rows
from skarlo.report.scope import Scope, Shown

from .entry import Exhibit


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    positive, negative = class_names(results).values()
    made = [c for c in chosen if c.part["matrix"] is not None]
    if not made:
        return "No cutoff could be set, so no class is predicted."
    first = outcomes_of(results, made[0].part)
    missed = _each(made, "misses", lambda c: count(outcomes_of(results, c.part)["FN"]))
    wrong = _each(made, "wrongly flags", lambda c: count(outcomes_of(results, c.part)["FP"]))
    said = [
        f"Of the {count(first['P'])} rows that were “{positive}”, {missed}",
        f"of the {count(first['N'])} that were “{negative}”, {wrong}",
    ]
    left = [f"{c.name} for {counted_rows(c.part['no_answer'], 'all')}" for c in made if c.part["no_answer"]]
    return "; ".join(said) + (f". No answer: {named(left)}." if left else ".")


def _each(chosen: Sequence[Shown], verb: str, told: Callable[[Shown], str]) -> str:
    """ "A misses 203, B 178 and C 198"."""
    return named([f"{c.name} {f'{verb} ' if i == 0 else ''}{told(c)}" for i, c in enumerate(chosen)])


def _many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """How many each predicts right, and which class it takes for which other."""
    whole = chosen[0].part["rows"]
    said = [f"{c.name} predicts {count(_right(c))} of {counted_rows(whole, scope.split)} right{_confused(results, c)}"
            for c in chosen]  # fmt: skip
    if len(said) > MOST_NAMED + 1:
        return "; ".join(said[:MOST_NAMED]) + f"; and {len(said) - MOST_NAMED} others."
    return "; ".join(said) + "."


def _right(c: Shown) -> float:
    return sum(row[a] for a, row in enumerate(c.part["matrix"] or []))


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


def _drawn(results: Results, scope: Scope, chosen: list[Shown]) -> dict[str, Any]:
    return {"matrices": [_matrix(results, c) for c in chosen]}


def _matrix(results: Any, c: Shown) -> dict[str, Any]:
    """A matrix as it is drawn: every cell with its share of its actual class, a last column for no answer where there
    are such rows."""
    names, labels = results["holdout"].get("names", {}), results["holdout"]["classes"]
    called = [names.get(x, x) for x in labels]
    positive = results["holdout"]["positive"]
    p = None if positive is None else labels.index(positive)
    rows = []
    for actual, cells in enumerate(c.part["matrix"] or []):
        whole = sum(cells)
        missed = [p is None or actual == p] * len(cells)
        rows.append({
            "name": called[actual],
            "cells": [
                {"n": n, "share": n / whole if whole else None, "right": actual == j, "missed": missed[j]}
                for j, n in enumerate(cells)
            ],
        })  # fmt: skip
    width = len(rows[0]["cells"]) if rows else len(called)
    return {"columns": [*called, *(["no answer"] if width > len(called) else [])], "rows": rows, "shown": c}


MATRIX = Exhibit(view="matrix", two=_two, many=_many, drawn=_drawn, template="matrix.html.j2")
