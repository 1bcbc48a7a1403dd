"""The counts that a moving cutoff reads: exact wherever the handle can stand, and no more of them for more rows."""

from __future__ import annotations

import math

import numpy as np
from typing_extensions import TypedDict

from .counting.answers import Answers
from .counting.tally import Tally
from .decide import confidence
from .number import FloatArray
from .prepared import Prepared

PLACES = 500  # at least so many steps between the lowest and the highest score, and at most ten times as many


class LiveTally(TypedDict):
    """True and false positives with the cutoff at each of ascending places.

    The k-th place is (first + k) / 10**digits, one correctly rounded division, so that it is the same number wherever
    it is worked out. `positives` and `negatives` are all rows that the candidate is judged on; of these the unanswered
    ones are flagged by nobody. With sampling weights all of them are sums of weights.
    """

    first: int
    digits: int
    tp: list[float]
    fp: list[float]
    positives: float
    negatives: float
    unanswered_positive: float
    unanswered_negative: float


def place(first: int, k: int, digits: int) -> float:
    """The k-th place.

    Examples
    --------
    >>> place(0, 183, 3), place(-2, 1, -2)
    (0.183, -100.0)
    """
    return (first + k) / 10**digits if digits >= 0 else float((first + k) * 10**-digits)


def places(low: float, high: float, probable: bool) -> tuple[int, int, int]:
    """Where the handle can stand: the first place and how many, in steps of a power of ten, and its digits.

    Examples
    --------
    >>> places(0.02, 0.97, True), places(-3.2, 41.0, False)
    ((0, 1001, 3), (-320, 4421, 2))
    """
    if probable:
        low, high = 0.0, 1.0
    if not high > low:
        low, high = low - 0.5, high + 0.5
    digits = -math.floor(math.log10((high - low) / PLACES))
    scale = 10.0**digits
    first, last = math.floor(low * scale), math.ceil(high * scale)
    return first, last - first + 1, digits


def live_tally(ready: Prepared, i: int, split: str, of: int | None = None) -> LiveTally | None:
    """The counts of the i-th candidate on a split; None where it gives no score or has no row there.

    Of three classes and more the largest probability is the score, and a positive is a row that it is right of; with
    `of`, of the rows alone for which that class's probability is the largest. Rows without an answer are negatives.

    Examples
    --------
    >>> from .prepared import prepare
    >>> from .study import Candidate, Study
    >>> actual, score = np.array([0, 1, 0, 1]), np.array([0.2, 0.9, 0.7, 0.6])
    >>> one = Candidate("net", score=score)
    >>> study = Study("q", ("no", "yes"), actual, 1, {"all": np.ones(4, dtype=bool)}, "all", None, (one,))
    >>> live = live_tally(prepare(study), 0, "all")
    >>> live["tp"][650], live["fp"][650]
    (1, 1)
    """
    a = ready.on_split(i, split).judged
    if not len(a.actual):
        return None
    if a.probable is not None:
        return _of_likely(a, of)
    if a.scored is None:
        return None
    t = a.scored.tally
    first, digits, tp, fp = _counted(t, a.is_probability)
    weight = np.ones(len(a.actual), dtype=np.int64) if a.weight is None else a.weight
    missing = ~a.answered

    def sum_of(rows: np.ndarray) -> float:
        found: FloatArray = weight[rows]
        return float(found.sum()) if a.weight is not None else int(found.sum())

    return {
        "first": first, "digits": digits, "tp": tp, "fp": fp, "positives": sum_of(a.is_positive),
        "negatives": sum_of(~a.is_positive), "unanswered_positive": sum_of(a.is_positive & missing),
        "unanswered_negative": sum_of(~a.is_positive & missing),
    }  # fmt: skip


def _counted(t: Tally, probable: bool) -> tuple[int, int, list[float], list[float]]:
    """The first place and its digits, and what is reached from each place on."""
    low, high = (float(t.score[0]), float(t.score[-1])) if len(t.score) else (0.0, 1.0)
    first, many, digits = places(low, high, probable)
    at = np.array([place(first, k, digits) for k in range(many)])
    reached = np.searchsorted(t.score, at, side="left")
    tp, fp = (np.append(counts, counts.dtype.type(0))[reached].tolist() for counts in (t.tp, t.fp))
    return first, digits, tp, fp


def _of_likely(a: Answers, of: int | None) -> LiveTally:
    t = (confidence.likely(a) if of is None else confidence.answering(a, of)).tally
    first, digits, tp, fp = _counted(t, True)
    missing = ~a.answered
    unanswered = float(a.weight[missing].sum()) if a.weight is not None else int(missing.sum())
    return {
        "first": first, "digits": digits, "tp": tp, "fp": fp, "positives": t.positives,
        "negatives": t.negatives + unanswered, "unanswered_positive": 0, "unanswered_negative": unanswered,
    }  # fmt: skip
