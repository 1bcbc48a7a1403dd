"""Numbers restated for the share of positives where a candidate will run."""

from __future__ import annotations

import math

from ..counting.answers import Answers
from ..counting.table import Share
from ..metrics import counts
from ..metrics.own import four_prices
from ..metrics.panel import Reading
from ..metrics.ranking import missing_class
from ..metrics.trust import mark
from ..number import Metric, absent, bounded, measured, point, total
from ..results import RestatedResult
from ..stats.intervals import Interval, hybrid_sum

NO_INTERVAL = "the interval of the ratio does not exist where recall or the false-positive rate is 0"


def restate(
    a: Answers, reading: Reading, base_rate: float, prices: tuple[float, ...] = ()
) -> RestatedResult:  # fmt: skip
    """Precision, flagged share, negative predictive value and average precision at another base rate.

    With recall r and false-positive rate f: precision = πr / (πr + (1-π)f), flagged share = πr + (1-π)f. With prices
    (of a needless flag, a miss, a catch and a row rightly left) also the mean cost of a row, π(r·caught +
    (1-r)·missed) + (1-π)(f·needless + (1-f)·left).
    """
    found = _rates(a, reading, base_rate) | _ranked(a, reading, base_rate)
    if prices:
        found["cost"] = _cost(a, reading, base_rate, prices)
    return {
        "base_rate": base_rate,
        "metrics": {name: mark(f"{name}, expected base rate", m) for name, m in found.items()},
    }


def _rates(a: Answers, reading: Reading, pi: float) -> dict[str, Metric]:
    assert reading.positive is not None
    names = ("precision", "flagged_share", "npv")
    t = a.table
    if t is None:
        return {name: absent(reading.no_cutoff) for name in names}
    which = counts.masks(t, reading.positive)
    recall, fpr = (t.share(*which[name]) for name in ("recall", "fpr"))
    for share, why in ((recall, "recall"), (fpr, "fpr")):
        if share.n <= 0:
            return {name: absent(counts.WHY[why].format(**reading.names)) for name in names}
    conf, suffix = reading.settings.confidence, t.suffix
    r, f = recall.value, fpr.value
    out: dict[str, Metric] = {}
    flagged = pi * r + (1 - pi) * f
    out["precision"] = _ratio(pi, recall, fpr, conf, suffix) if flagged > 0 else absent(
        "no row is predicted {positive}".format(**reading.names)
    )  # fmt: skip
    low, high = hybrid_sum(pi * r, _scaled(recall, pi, conf), (1 - pi) * f, _scaled(fpr, 1 - pi, conf))
    out["flagged_share"] = measured(flagged, *bounded(flagged, low, high, 0.0, 1.0), "mover" + suffix)
    specificity, fnr = (t.share(*which[name]) for name in ("specificity", "fnr"))
    passed = (1 - pi) * specificity.value + pi * fnr.value
    out["npv"] = _ratio(1 - pi, specificity, fnr, conf, suffix) if passed > 0 else absent(
        "no row is predicted {negative}".format(**reading.names)
    )  # fmt: skip
    return out


def _cost(a: Answers, reading: Reading, pi: float, prices: tuple[float, ...]) -> Metric:
    t = a.table
    if t is None or reading.positive is None:
        return absent(reading.no_cutoff)
    which = counts.masks(t, reading.positive)
    fnr, fpr = (t.share(*which[name]) for name in ("fnr", "fpr"))
    for share, why in ((fnr, "recall"), (fpr, "fpr")):
        if share.n <= 0:
            return absent(counts.WHY[why].format(**reading.names))
    needless, missed, caught, left = four_prices(prices)
    sure = pi * caught + (1 - pi) * left  # where every answer is right; an error costs what it costs more
    conf, of_missed, of_needless = reading.settings.confidence, pi * (missed - caught), (1 - pi) * (needless - left)
    first, second = of_missed * fnr.value, of_needless * fpr.value
    low, high = hybrid_sum(first, _scaled(fnr, of_missed, conf), second, _scaled(fpr, of_needless, conf))
    value, low, high = sure + first + second, sure + low, sure + high
    return measured(value, *bounded(value, low, high, 0.0, math.inf), "mover" + t.suffix)


def _scaled(share: Share, by: float, confidence: float) -> Interval:
    low, high = share.interval(confidence)
    return (by * low, by * high) if by >= 0 else (by * high, by * low)


def _ratio(pi: float, hit: Share, false: Share, confidence: float, suffix: str) -> Metric:
    """pi h / (pi h + (1-pi) f): it rises with ln h - ln f, whose hybrid interval is carried over."""
    h, f = hit.value, false.value
    value = pi * h / (pi * h + (1 - pi) * f)
    if h <= 0 or f <= 0 or not 0 < pi < 1:
        return point(value, NO_INTERVAL)
    (h_low, h_high), (f_low, f_high) = hit.interval(confidence), false.interval(confidence)
    if h_low <= 0 or f_low <= 0:
        return point(value, NO_INTERVAL)
    a, b = math.log(h), math.log(f)
    low = a - b - math.hypot(a - math.log(h_low), math.log(f_high) - b)
    high = a - b + math.hypot(math.log(h_high) - a, b - math.log(f_low))

    def at(x: float) -> float:
        return pi / (pi + (1 - pi) * math.exp(-x))

    return measured(value, *bounded(value, at(low), at(high), 0.0, 1.0), "mover" + suffix)


def _ranked(a: Answers, reading: Reading, pi: float) -> dict[str, Metric]:
    t = a.tally
    if t is None:
        return {}
    why = missing_class(t, reading.names)
    if why:
        return {"average_precision": absent(why)}
    recall, fpr = t.tp / t.positives, t.fp / t.negatives
    at = t.pos > 0
    precision = pi * recall[at] / (pi * recall[at] + (1 - pi) * fpr[at])
    value = total(t.pos[at] / t.positives * precision)
    return {"average_precision": point(value, "average precision restated has no interval here")}
