"""Where in the groups of a field the difference of two candidates lies, and whether it is one in all of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from ..metrics import panel
from ..metrics.panel import Reading
from ..number import IntArray
from ..results import AcrossMetric, AcrossResult, AcrossSlice, Unlike
from ..stats import tests
from ..stats.tests import Compared
from . import paired
from .paired import Both
from .slices import few_rows

TWO = ("accuracy", "recall", "specificity", "precision", "f1")
MANY = ("accuracy", "balanced_accuracy")


def across(both: Both, against: str, code: IntArray, names: Sequence[str], reading: Reading) -> AcrossResult:
    """The paired difference in each group, first less second, adjusted over the groups (Holm).

    Of accuracy, recall and specificity `part` is what a group brings to the whole difference: these add up to it.
    `unlike` tests whether the groups' differences are one (Cochran 1954, Biometrics 10:417).

    Parameters
    ----------
    code : the group of each row of both, int64, shape (n,)
    names : of the groups by number

    Raises
    ------
    ValueError
        Where one of the two predicts no class.
    """
    there = [g for g in range(len(names)) if (code == g).any()]
    parts = {g: _on(both, code == g) for g in there}
    out: dict[str, AcrossMetric] = {}
    for name in TWO if reading.positive is not None else MANY:
        told = [_difference(name, parts[g], reading) for g in there]
        family = tests.family(told, reading.settings.confidence, reading.untested)
        over = {g: _over(name, parts[g], reading) for g in there}
        whole = _over(name, both, reading)
        slices: list[AcrossSlice] = []
        for g, d in zip(there, family, strict=True):
            n, first, second = over[g]
            one: AcrossSlice = {
                "group": names[g], "rows": len(parts[g].a.actual), "denominator": n, "difference": d
            }  # fmt: skip
            if n is not None and whole[0]:
                one["part"] = (first - second) / whole[0]
            slices.append(one)
        large = [over[g] for g in there if len(parts[g].a.actual) >= reading.settings.min_slice]
        out[name] = {"slices": slices, "unlike": None if reading.untested else _unlike(large)}
    return {"against": against, "metrics": out}


def _on(both: Both, keep: np.ndarray) -> Both:
    rows = np.flatnonzero(keep)
    return Both(both.a.take(rows), both.b.take(rows))


def _difference(name: str, both: Both, reading: Reading) -> Compared | str:
    least = reading.settings.min_slice
    if len(both.a.actual) < least:
        return few_rows(least)
    x, y = (panel.value(name, a, reading) for a in both.sides)
    if x is None or y is None:
        return "it is not defined here"
    return paired.compare(name, both, (x, y), reading.positive or 0)


def _over(name: str, both: Both, reading: Reading) -> tuple[int | None, int, int]:
    """The rows that a rate is over, and those of them where only the first, only the second is right; without weights
    or groups, and of rates over the same rows for both; else (None, 0, 0)."""
    a, b = both.sides
    if a.predicted is None or b.predicted is None:
        raise ValueError("one of the two predicts no class")
    if a.designed or name not in ("accuracy", "recall", "specificity"):
        return None, 0, 0
    rows = np.ones(len(a.actual), dtype=bool)
    if name != "accuracy":
        rows = (a.actual == reading.positive) == (name == "recall")
    right = [(x.predicted == x.actual) & rows for x in both.sides]
    return int(rows.sum()), int((right[0] & ~right[1]).sum()), int((right[1] & ~right[0]).sum())


def _unlike(groups: Sequence[tuple[int | None, int, int]]) -> Unlike | None:
    """Cochran's Q over the groups with rows; None of other than such rates, or of fewer than two groups."""
    found = [(n, b, c) for n, b, c in groups if n]
    if len(found) < 2 or len(found) < len(groups):
        return None
    n, b, c = (np.array(x, dtype=np.float64) for x in zip(*found, strict=True))
    d = (b - c) / n
    weight = (n + 2) ** 2 / ((b + c + 1) - (b - c) ** 2 / (n + 2))
    mean = float((weight * d).sum() / weight.sum())
    q = float((weight * (d - mean) ** 2).sum())
    return {"q": q, "degrees": len(found) - 1, "p": float(scipy.special.chdtrc(len(found) - 1, q))}
