"""A band for review: rows scored above it are flagged, rows below it are left, rows in it are looked at by someone.

Chow 1970, IEEE Trans. Inf. Theory 16:41.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..counting import table
from ..counting.answers import Answers
from ..counting.table import Table
from ..counting.tally import Tally
from ..metrics import counts
from ..metrics.panel import Reading
from ..number import BoolArray, FloatArray, absent, clean
from ..results import BandResult, BandSide
from ..stats.intervals import Interval
from ..study import Band

EQUAL = 1e-12  # of the cost: what lies nearer than this costs the same


def least_cost(t: Tally, positives: float, false_positive: float, false_negative: float, review: float) -> Interval:
    """The band that costs least: what is flagged needlessly above it, missed below it, and looked at in it.

    Parameters
    ----------
    positives : all positive rows, answered or not
    false_positive, false_negative, review : the cost of a row

    Returns
    -------
    Its ends, among the distinct scores and infinity; of bands that cost the same the one with fewer rows to look at,
    then the one whose upper end is higher.

    Examples
    --------
    >>> from skarlo.core.counting import tally
    >>> t = tally.make(np.array([0.9, 0.6, 0.5, 0.1]), np.array([True, False, True, False]))
    >>> least_cost(t, 2, 3, 40, 1)
    (0.5, 0.9)
    """
    score = np.append(t.score, math.inf)
    tp, flagged = (np.append(x, 0).astype(np.float64) for x in (t.tp, t.tp + t.fp))
    lower = false_negative * (positives - tp) + review * flagged
    upper = false_positive * (flagged - tp) - review * flagged
    low = _least_so_far(lower)
    cost = upper + lower[low]
    best = np.flatnonzero(cost <= cost.min() + EQUAL * max(1.0, abs(float(cost.min()))))
    reviewed = flagged[low[best]] - flagged[best]
    high = int(best[np.lexsort((-best, reviewed))[0]])
    return float(score[low[high]]), float(score[high])


def _least_so_far(x: FloatArray) -> FloatArray:
    """Of each place, where the least value up to it stands; of equal ones the last."""
    least = np.minimum.accumulate(x)
    return np.asarray(np.maximum.accumulate(np.where(x <= least, np.arange(len(x)), 0)))


SIDES = ("below", "between", "above")


def of_band(a: Answers, reading: Reading, band: Band, low: float, high: float) -> BandResult:
    """What lies below, in and above a band on some rows, and what deciding only outside of it comes to.

    low, high : its ends; a row with low <= score < high is looked at. Rows without a score lie nowhere.
    """
    assert a.score is not None
    told: BandResult = {"low": _end(low), "high": _end(high), "metrics": {}}
    if low > high:
        return {**told, "metrics": {name: absent("the band's lower end lies above its upper one") for name in METRICS}}
    t = _table(a, low, high)
    for i, name in enumerate(SIDES):
        told[name] = _side(t, i, reading)  # type: ignore[literal-required]
    told["metrics"] = {name: counts.share(t, *which, reading.settings.sampling, why.format(**reading.names))
                       for name, (which, why) in _SHARES.items()}  # fmt: skip
    if band.least_cost is not None:
        prices = band.least_cost
        needless, missed = t.cells[0, 2], t.cells[1, [0, 3]].sum()
        told["cost"] = clean(
            prices["false_positive"] * needless + prices["false_negative"] * missed
            + prices["review"] * t.cells[:, 1].sum()
        )  # fmt: skip
    return told


def _end(x: float) -> float | None:
    return x if math.isfinite(x) else None


def _table(a: Answers, low: float, high: float) -> Table:
    """Rows by actual class (negative, positive) and by where they lie: below, between, above, without a score."""
    score = np.asarray(a.score)
    where = np.where(score >= high, 2, np.where(score >= low, 1, np.where(np.isnan(score), -1, 0)))
    return table.make(a.is_positive.astype(np.int64), where, 3, none_column=True, weight=a.weight, group=a.group)


def _which(rows: Sequence[int], columns: Sequence[int]) -> BoolArray:
    out = np.zeros((3, 4), dtype=bool)
    out[np.ix_(rows, columns)] = True
    return out


_BOTH = (0, 1)
_SHARES: dict[str, tuple[tuple[BoolArray, BoolArray], str]] = {
    "share_reviewed": ((_which(_BOTH, [1]), _which(_BOTH, range(4))), "there are no rows"),
    "precision_above": ((_which([1], [2]), _which(_BOTH, [2])), "no row is scored above the band"),
    "npv_below": ((_which([0], [0]), _which(_BOTH, [0])), "no row is scored below the band"),
    "recall_with_review": ((_which([1], [1, 2]), _which([1], range(4))), "no row is actually {positive}"),
    "accuracy_decided": (
        (_which([1], [2]) | _which([0], [0]), _which(_BOTH, [0, 2])), "no row is scored outside of the band",
    ),
}  # fmt: skip
METRICS = tuple(_SHARES)


def _side(t: Table, i: int, reading: Reading) -> BandSide:
    whole = _which(_BOTH, range(4))
    return {
        "rows": t.cells[:, i].sum().item(), "positives": t.cells[1, i].item(),
        "share": counts.share(t, _which(_BOTH, [i]), whole, reading.settings.sampling, "there are no rows"),
    }  # fmt: skip
