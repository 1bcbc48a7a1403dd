"""Net benefit: what acting on a candidate is worth, by the probability at which one would act."""

from __future__ import annotations

import numpy as np

from ..counting.answers import Answers, mean_variance
from ..results import NetBenefitResult
from ..stats.intervals import z_value

THRESHOLDS = tuple(i / 100 for i in range(1, 100))


def net_benefit_curve(a: Answers, confidence: float) -> NetBenefitResult:
    """Net benefit TP/n - FP/n · t/(1 - t) when rows with score >= t are acted on, for t = 0.01 … 0.99.

    Vickers and Elkin 2006, Med. Decis. Making 26:565. Beside it stands that of acting on every row; acting on none is
    0. Intervals are normal, from the variance of the rows' own benefit.

    Parameters
    ----------
    a : two-class probabilities, with rows of some weight

    Examples
    --------
    >>> y, s = np.array([1, 0, 1, 0]), np.array([0.9, 0.6, 0.3, 0.1])
    >>> found = net_benefit_curve(Answers.of_scores(y, s), 0.95)
    >>> found["threshold"][49], found["net_benefit"][49], found["all"][49]
    (0.5, 0.0, 0.0)
    """
    b, t = a.with_answer, a.tally
    assert t is not None
    n, p = float(t.rows), float(t.positives)
    group = None if b.group is None else np.unique(b.group, return_inverse=True)[1]
    out: NetBenefitResult = {"threshold": [], "net_benefit": [], "low": [], "high": [], "all": []}
    z = z_value(confidence)
    for at in THRESHOLDS:
        odds = at / (1 - at)
        tp, fp = t.at(at)
        value = (tp - fp * odds) / n
        if a.designed:
            assert b.score is not None
            worth = np.where(b.score >= at, np.where(b.is_positive, 1.0, -odds), 0.0)
            variance = mean_variance(worth - value, b.weight, group)
        else:
            squares = tp * (1 - value) ** 2 + fp * (odds + value) ** 2 + (n - tp - fp) * value**2
            variance = squares / n / n
        half = z * float(np.sqrt(variance))
        out["threshold"].append(at)
        out["net_benefit"].append(value + 0.0)
        out["low"].append(value - half + 0.0)
        out["high"].append(value + half + 0.0)
        out["all"].append((p - (n - p) * odds) / n + 0.0)
    return out
