"""Of three classes and more: what is left of the answers where those given with too little probability are withheld.

El-Yaniv and Wiener 2010, J. Mach. Learn. Res. 11:1605.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from ..counting import table
from ..counting.answers import Answers, Scored
from ..metrics import counts
from ..metrics.panel import Reading
from ..number import BoolArray, Metric, clean, point, total
from ..results import SweepResult
from .cutoffs import steps


def likely(a: Answers) -> Scored:
    """The largest probability of each row that has one, as a score of being right."""
    assert a.probable is not None
    return a.probable.likely


def answering(a: Answers, k: int) -> Scored:
    """The rows whose largest probability is class k's: it, as a score of being right."""
    assert a.probable is not None
    g = a.probable.given
    mine = g.largest == k
    weight = None if g.weight is None else g.weight[mine]
    return Scored(g.probabilities[mine, k] + 0.0, g.actual[mine] == k, True, weight)


def sweep(a: Answers, reading: Reading, step: float, k: int | None = None) -> SweepResult:
    """At the cutoffs 0, step … 1 of the largest probability: the share of rows that are still answered, and how many of
    these are right. Of a class k, whose answers alone are withheld: its precision and recall as well.

    Raises ValueError where 1 is not a whole number of steps.
    """
    at: list[float] = steps(step).tolist()
    told = [at_cutoff(a, reading, c, k) for c in at]
    out: SweepResult = {"cutoff": at}
    for name in told[0]:
        out[name] = {key: [t[name].get(key) for t in told] for key in ("value", "low", "high")}  # type: ignore[assignment]
    return out


def at_cutoff(a: Answers, reading: Reading, cutoff: float, k: int | None = None) -> Mapping[str, Metric]:
    """The same at one cutoff."""
    assert a.probable is not None
    p = a.probable
    given = np.nan_to_num(p.probabilities.max(axis=1), nan=-math.inf)
    kept = p.answered & ((given >= cutoff) | (False if k is None else p.largest != k))
    of_k = p.largest == k if k is not None else p.answered
    right, actual = p.largest == a.actual, a.actual == k if k is not None else p.largest == a.actual
    # rows: actual k (or right) or not; columns: withheld, answered otherwise, answered k (or at all)
    where = np.where(~kept, 0, np.where(of_k, 2, 1))
    t = table.make(actual.astype(np.int64), where, 3, weight=a.weight, group=a.group)
    s = reading.settings.sampling
    out = {"share_answered": counts.share(t, _cells([0, 1], [1, 2]), _cells([0, 1], [0, 1, 2]), s, NO_ROWS)}
    if k is None:
        out["selective_accuracy"] = counts.share(t, _cells([1], [2]), _cells([0, 1], [2]), s, NONE_ANSWERED)
        return out
    u = table.make(right.astype(np.int64), np.where(kept, 2, 0), 3, weight=a.weight, group=a.group)
    out["selective_accuracy"] = counts.share(u, _cells([1], [2]), _cells([0, 1], [2]), s, NONE_ANSWERED)
    label = reading.classes[k]
    out["precision"] = counts.share(
        t, _cells([1], [2]), _cells([0, 1], [2]), s, f"no row is answered “{label}” with so much probability"
    )
    out["recall"] = counts.share(t, _cells([1], [2]), _cells([1], [0, 1, 2]), s, f"no row is actually “{label}”")
    return out


NO_ROWS = "there are no rows"
NONE_ANSWERED = "no row is answered with so much probability"


def _cells(rows: Sequence[int], columns: Sequence[int]) -> BoolArray:
    out = np.zeros((3, 3), dtype=bool)
    out[np.ix_(rows, columns)] = True
    return out


def risk_area(a: Answers) -> Metric:
    """The mean, over the answered rows from the most to the least sure, of the share of wrong ones among those at least
    as sure; of equally sure rows the share at the end of them. Without an interval.

    Examples
    --------
    >>> p = np.array([[0.9, 0.1, 0.0], [0.7, 0.2, 0.1], [0.2, 0.6, 0.2]])
    >>> from ..counting.answers import Probable
    >>> actual = np.array([0, 1, 1])
    >>> round(risk_area(Answers(3, None, actual, probable=Probable(p, actual)))["value"], 4)
    0.2778
    """
    t = likely(a).tally
    rows = t.pos + t.neg
    errors = np.divide(t.fp, t.tp + t.fp, out=np.zeros(len(rows)), where=(t.tp + t.fp) > 0)
    return point(clean(total(rows * errors) / t.rows), "the area under the risk has no interval here")
