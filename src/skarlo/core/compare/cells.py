"""Cells of matrices compared: each class's predicted share with its actual one, and one candidate's cells with
another's."""

from __future__ import annotations

import numpy as np

from ..counting import table
from ..counting.answers import Answers, mean_variance
from ..metrics import counts
from ..metrics.panel import Reading
from ..number import BoolArray, Difference, Metric
from ..results import CellsLess, ShareGap
from ..stats import tests
from ..stats.tests import Compared
from .paired import Both
from .rest import NO_VARIANCE

NO_ROWS = "there are no rows with an answer"


def share_gaps(a: Answers, reading: Reading) -> dict[str, ShareGap]:
    """Each class's share of the answers less its share of the rows, over the rows with an answer; Holm over the
    classes. The two shares are of the same rows, so they are compared as pairs (Newcombe 1998, method 10; McNemar).

    Examples
    --------
    >>> actual, said = np.array([0, 0, 1, 2]), np.array([0, 1, 1, 1])
    >>> from ..study import Settings
    >>> reading = Reading(("a", "b", "c"), None, Settings())
    >>> [g["value"] for g in share_gaps(Answers(3, None, actual, predicted=said), reading).values()]
    [-0.25, 0.5, -0.25]
    """
    b = a.with_answer
    if a.predicted is None or not len(b.actual) or (b.weight is not None and not b.weight.any()):
        why = reading.no_cutoff if a.predicted is None else NO_ROWS
        return {label: {"value": None, "why": why} for label in reading.classes}
    said = np.asarray(b.predicted)
    found = [_paired(b, said == k, b.actual == k) for k in range(a.classes)]
    family = tests.family(list(found), reading.settings.confidence, reading.untested)
    interval = "influence" + a.suffix if a.designed else "newcombe10"
    t = table.make(b.actual, said, a.classes, weight=b.weight, group=b.group)
    every = np.ones(t.cells.shape, dtype=bool)
    out = {}
    for k, (label, d) in enumerate(zip(reading.classes, family, strict=True)):
        column = np.broadcast_to(np.arange(a.classes) == k, t.cells.shape)
        predicted, actual = (counts.share(t, x, every, reading.settings.sampling, NO_ROWS) for x in (column, column.T))
        out[label] = _told(d, interval, predicted, actual)
    return out


def _told(d: Difference, interval: str, predicted: Metric, actual: Metric) -> ShareGap:
    out: ShareGap = {"value": d["difference"], "low": d.get("low"), "high": d.get("high")}
    out |= {"why_interval": NO_VARIANCE} if out["low"] is None else {"interval": interval}
    return {**out, "p": d.get("p"), "p_adjusted": d.get("p_adjusted"), "predicted": predicted, "actual": actual}


def _paired(a: Answers, first: BoolArray, second: BoolArray) -> Compared:
    """The difference of two shares of the same rows."""
    if not a.designed:
        both, one, other = (int(np.count_nonzero(x)) for x in (first & second, first & ~second, ~first & second))
        return tests.agreement(both, one, other, len(first) - both - one - other)
    gap = first.astype(np.float64) - second
    weight = np.ones(len(gap)) if a.weight is None else a.weight
    mean = float(np.add.reduce(weight * gap) / np.add.reduce(weight))
    return tests.normal(mean, mean_variance(gap - mean, a.weight, a.group), "influence" + a.suffix)


def less(both: Both, against: str, reading: Reading) -> CellsLess:
    """Of the rows of each actual class, the share that one candidate predicts as each class less the share that another
    does, on the rows of both; Holm over all cells. The last column is no answer, where either has such rows.

    against : the other candidate's name
    """
    a, b = both.sides
    assert a.predicted is not None
    assert b.predicted is not None
    k = a.classes
    width = both.joint.cells.shape[1]
    first, second = (np.where(x < 0, k, x) for x in (a.predicted, b.predicted))
    found: list[Compared | str] = []
    for i in range(k):
        rows = a.actual == i
        some = a.take(rows)
        for j in range(width):
            found.append(
                _paired(some, first[rows] == j, second[rows] == j) if rows.any() else "no row is of this class"
            )
    family = tests.family(found, reading.settings.confidence, reading.untested)
    grid = [family[i * width : (i + 1) * width] for i in range(k)]

    def column(key: str) -> list[list[float | None]]:
        return [[d.get(key) for d in row] for row in grid]  # type: ignore[misc]

    kind = "" if reading.untested else "_adjusted"  # what is not tested is not adjusted either
    of_a, of_b = both.joint.sides
    return {
        "against": against, "rows": len(a.actual), "counts": (of_a - of_b).tolist(),
        "difference": column("difference"), "low": column(f"low{kind}"), "high": column(f"high{kind}"),
        "p_adjusted": column("p_adjusted"),
    }  # fmt: skip
