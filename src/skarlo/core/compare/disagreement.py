"""Two candidates on the same rows: who is right where they differ, and how alike their answers and scores are."""

from __future__ import annotations

import numpy as np

from ..counting import table
from ..counting.answers import Answers
from ..metrics import agreement, counts
from ..metrics.panel import Reading
from ..number import BoolArray, FloatArray, IntArray, Metric, absent, clean, point, total
from ..results import DisagreementOfClass, DisagreementResult, EqualFlags, OnlyShare
from ..stats import intervals
from ..stats.tests import mcnemar_midp
from .paired import Both

DESIGNED = "rows have weights or belong together, which a count of rows leaves aside"
EXACT = 1e-12  # sums of weights in another order
POINTS = 1500  # rows of which both scores are told, evenly through the split
NONE_DIFFERS = "the two are right and wrong on the same rows"


def disagreement(both: Both, against: str, reading: Reading) -> DisagreementResult:
    """Of each actual class how often both, one or neither are right, on the rows of both; rows that either leaves
    unanswered are counted by themselves.

    against : the other candidate's name
    """
    a, b = both.sides
    assert a.predicted is not None
    assert b.predicted is not None
    first, second, actual = a.predicted, b.predicted, a.actual
    given = (first >= 0) & (second >= 0)
    right_a, right_b = (first == actual) & given, (second == actual) & given
    kinds = {
        "both_right": right_a & right_b, "only_a": right_a & ~right_b, "only_b": ~right_a & right_b,
        "both_wrong_alike": given & ~right_a & ~right_b & (first == second),
        "both_wrong_otherwise": given & ~right_a & ~right_b & (first != second), "no_answer": ~given,
    }  # fmt: skip
    by_class: dict[str, DisagreementOfClass] = {}
    for k, label in enumerate(reading.classes):
        rows = actual == k
        n = {name: int(np.count_nonzero(which & rows)) for name, which in kinds.items()}
        share = _share(n["only_a"], n["only_b"], reading, a.designed)
        by_class[label] = {**n, "only_a_share": share}  # type: ignore[typeddict-item]
    one, other = (int(np.count_nonzero(kinds[name])) for name in ("only_a", "only_b"))
    out: DisagreementResult = {
        "against": against, "rows": len(actual), "by_class": by_class, "only_a": one, "only_b": other,
        "only_a_share": _share(one, other, reading, a.designed), "kappa": _kappa(first[given], second[given], reading),
    }  # fmt: skip
    if b.scored is not None:
        out["equal_flags"] = equal_flags(first == a.positive, b)
    if a.score is not None and b.score is not None:
        there = ~np.isnan(a.score) & ~np.isnan(b.score)
        out["spearman"] = _spearman(a.score[there], b.score[there])
        some = np.flatnonzero(there)
        even = np.linspace(0, len(some) - 1, min(POINTS, len(some)))
        some = some[np.unique(even.astype(np.int64))]
        out["points"] = {
            "a": [clean(x) for x in a.score[some].tolist()], "b": [clean(x) for x in b.score[some].tolist()],
            "actual": actual[some].tolist(), "of": int(np.count_nonzero(there)),
        }  # fmt: skip
    return out


def equal_flags(flagged: BoolArray, b: Answers) -> EqualFlags:
    """Where a second candidate flags as many rows as a first, or as near below as its scores allow.

    flagged : which rows the first flags, bool, shape (n,); b : the second's answers on the same rows

    Examples
    --------
    >>> b = Answers.of_scores(np.array([0, 0, 1, 1]), np.array([0.1, 0.4, 0.4, 0.8]))
    >>> equal_flags(np.array([True, True, False, False]), b)
    {'cutoff': 0.8, 'flags': 1.0, 'first': 2.0}
    """
    assert b.tally is not None
    weight = np.ones(len(flagged)) if b.weight is None else b.weight
    wanted = total(weight * flagged)
    flags = np.asarray(b.tally.tp + b.tally.fp, dtype=np.float64)
    fits = np.flatnonzero(flags <= wanted * (1 + EXACT))
    if not len(fits):
        return {"cutoff": None, "flags": 0.0, "first": wanted}
    return {"cutoff": clean(float(b.tally.score[fits[0]])), "flags": clean(float(flags[fits[0]])), "first": wanted}


def _share(one: int, other: int, reading: Reading, designed: bool) -> OnlyShare:
    """Of the rows that one alone is right about, how many the first is; Wilson's interval, McNemar's mid-p. Neither
    where rows have weights or belong together."""
    if one + other == 0:
        return {"value": None, "why": NONE_DIFFERS}
    if designed:
        return {"value": one / (one + other), "low": None, "high": None, "why_interval": DESIGNED}
    low, high = intervals.wilson(one, one + other, reading.settings.confidence)
    out: OnlyShare = {"value": one / (one + other), "low": low, "high": high, "interval": "wilson"}
    return out if reading.untested else {**out, "p": mcnemar_midp(one, other)}


def _kappa(first: IntArray, second: IntArray, reading: Reading) -> Metric:
    """Cohen's kappa of the two predicted classes."""
    if not len(first):
        return absent("no row is answered by both")
    t = table.make(first, second, len(reading.classes))
    value = counts.value("kappa", t, 0)
    if value is None:
        return absent("each answers one class alone")
    draws = t.dirichlet(reading.settings.sampling)
    with np.errstate(all="ignore"):
        spread = agreement.FORMULAS["kappa"](draws)
    return counts.drawn(value, np.asarray(spread, dtype=np.float64), t, reading.settings.sampling, "")


def _spearman(a: FloatArray, b: FloatArray) -> Metric:
    """Spearman's rank correlation, by mid-ranks."""
    if len(a) < 2:
        return absent("under two rows have both scores")
    x, y = (_ranks(s) for s in (a, b))
    x, y = x - total(x) / len(x), y - total(y) / len(y)
    spread = float(np.sqrt(total(x * x) * total(y * y)))
    if spread <= 0:
        return absent("all scores of one are the same")
    return point(clean(total(x * y) / spread), "the rank correlation has no interval here")


def _ranks(x: FloatArray) -> FloatArray:
    order = np.argsort(x, kind="stable")
    ranked = x[order]
    out = np.empty(len(x))
    out[order] = (np.searchsorted(ranked, ranked, "left") + np.searchsorted(ranked, ranked, "right") + 1) / 2.0
    return out
