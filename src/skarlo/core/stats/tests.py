"""Tests of two shares, means or areas, with intervals at any confidence, and what adjusts many of them together."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
import scipy

from ..number import BoolArray, Difference, FloatArray, IntArray, clean
from ..once import lazy
from .hypergeometric import mid_p
from .intervals import Interval, Intervals, wilson, z_value


@dataclass(frozen=True)
class Compared:
    """A difference whose interval can still be asked for at any confidence (Holm's needs two).

    kind : the name of the interval, where it is not the test's own
    """

    difference: float
    p: float | None
    test: str
    interval: Callable[[float], Interval] | None
    why: str = ""
    kind: str = ""
    unreliable: bool = False


def normal_p(z: float) -> float:
    """Two-sided p of a standard normal statistic."""
    return min(1.0, 2.0 * float(scipy.special.ndtr(-abs(z))))


def normal_ps(z: FloatArray) -> FloatArray:
    """The same of several; NaN where a statistic is."""
    return np.minimum(1.0, 2.0 * np.asarray(scipy.special.ndtr(-np.abs(z))))


def normal(difference: float, variance: float, test: str) -> Compared:
    """Normal theory. No difference and no variance: p = 1; a difference and no variance: no p."""
    if variance <= 1e-30:
        if abs(difference) <= 1e-15:
            return Compared(difference, 1.0, test, lambda confidence: (difference, difference))
        return Compared(difference, None, test, None, "the rows show a difference and no variance")
    se = math.sqrt(variance)
    p = normal_p(difference / se)

    def interval(confidence: float) -> Interval:
        half = z_value(confidence) * se
        return difference - half, difference + half

    return Compared(difference, p, test, interval)


def mcnemar_midp(b: int, c: int) -> float:
    """Mid-p McNemar test of b against c discordant rows.

    Fagerland, Lydersen and Laake 2013, BMC Med. Res. Methodol. 13:91.

    Examples
    --------
    Their table 1 (b = 1, c = 7): p = 0.039.

    >>> round(mcnemar_midp(1, 7), 3)
    0.039
    """
    if b + c == 0:
        return 1.0
    k = min(b, c)  # twice P(X < k) + P(X = k) / 2
    up_to = float(scipy.special.bdtr(k, b + c, 0.5))
    return min(1.0, up_to + float(scipy.special.bdtr(k - 1, b + c, 0.5)) if k > 0 else up_to)


def paired_interval(a: int, b: int, c: int, d: int, confidence: float) -> Interval:
    """Interval of (b - c)/n for paired proportions (Newcombe 1998, Stat. Med. 17:2635, method 10).

    a: both right, b: only the first, c: only the second, d: neither.
    """
    n = a + b + c + d
    p1, p2 = (a + b) / n, (a + c) / n
    l1, u1 = wilson(a + b, n, confidence)
    l2, u2 = wilson(a + c, n, confidence)
    margins = (a + b) * (c + d) * (a + c) * (b + d)
    phi = 0.0
    if margins > 0:
        cross = a * d - b * c
        phi = (max(cross - n / 2.0, 0.0) if cross > 0 else float(cross)) / math.sqrt(margins)
    down = (p1 - l1) ** 2 - 2 * phi * (p1 - l1) * (u2 - p2) + (u2 - p2) ** 2
    up = (u1 - p1) ** 2 - 2 * phi * (u1 - p1) * (p2 - l2) + (p2 - l2) ** 2
    difference = (b - c) / n
    return max(-1.0, difference - math.sqrt(max(down, 0.0))), min(1.0, difference + math.sqrt(max(up, 0.0)))


def agreement(a: int, b: int, c: int, d: int) -> Compared:
    """Difference of two paired shares by McNemar's mid-p and Newcombe's method 10."""
    n = a + b + c + d
    return Compared(
        (b - c) / n, mcnemar_midp(b, c), "mcnemar_midp", lambda confidence: paired_interval(a, b, c, d, confidence)
    )


def predictive_value(
    hits_a: int, called_a: int, hits_b: int, called_b: int, hits_both: int, called_both: int
) -> Compared:
    """Difference of two paired predictive values: weighted generalised score (Kosinski 2013, Stat. Med. 32:964).

    `called` are the rows each predicts so, `hits` those that are; `both` are the rows that both predict so.
    """
    difference = hits_a / called_a - hits_b / called_b
    rows = called_a + called_b
    pooled = (hits_a + hits_b) / rows
    shared = (hits_both * (1 - pooled) ** 2 + (called_both - hits_both) * pooled**2) / rows
    variance = (pooled * (1 - pooled) - 2 * shared) * (1 / called_a + 1 / called_b)
    return normal(difference, max(variance, 0.0), "kosinski")


def hypergeometric_midp(k1: Any, n1: Any, k2: Any, n2: Any) -> Any:
    """Twice the smaller of the two mid tails of k1 given the margins, at most 1; of numbers or of arrays of them.

    Examples
    --------
    3 of 3 against 0 of 3: the tail is half of 1/20, so p = 0.05.

    >>> round(float(hypergeometric_midp(3, 3, 0, 3)), 12)
    0.05
    """
    k1, n1, k2, n2 = (np.asarray(x, dtype=np.int64) for x in np.broadcast_arrays(k1, n1, k2, n2))
    p = mid_p(*(np.atleast_1d(x) for x in (k1, n1, k1 + k2, n1 + n2)))
    return p if k1.ndim else p[0]


def holm(p_values: Iterable[float | None]) -> list[float | None]:
    """Holm's (1979) step-down adjustment over the p-values that exist.

    Examples
    --------
    >>> holm([0.01, None, 0.04, 0.03])
    [0.03, None, 0.06, 0.06]
    """
    found = holm_each(np.array([np.nan if p is None else p for p in p_values], dtype=np.float64))
    return list(_or_none(found))


def holm_each(p: FloatArray) -> FloatArray:
    """The same, shape (m,); NaN where there is none."""
    there = np.flatnonzero(~np.isnan(p))
    order = there[np.argsort(p[there], kind="stable")]
    out = np.full(len(p), np.nan)
    out[order] = np.maximum.accumulate(np.minimum(1.0, np.arange(len(order), 0, -1) * p[order]))
    return out


def _or_none(x: FloatArray) -> Sequence[float | None]:
    """As plain numbers; None where there is none."""
    if not np.isnan(x).any():
        return list(x.tolist())
    return [None if math.isnan(v) else v for v in x.tolist()]


@dataclass(frozen=True)
class Many:
    """What `Compared` says of one difference, of many at once; arrays have shape (m,).

    Attributes
    ----------
    absent : why there is no difference, "" where there is one
    p : NaN where there is none
    interval : the ends at a confidence, worked out once for all its parts; read only where `bounded`
    why : why there is no p
    """

    difference: FloatArray
    absent: Sequence[str]
    p: FloatArray
    test: str
    interval: Callable[[float], Intervals]
    bounded: BoolArray
    why: Sequence[str]
    kind: str = ""

    @lazy
    def _interval(self) -> Callable[[float], Intervals]:
        return lru_cache(maxsize=2)(self.interval)

    def some(self, at: slice) -> Many:
        """Some of them."""

        def interval(confidence: float) -> Intervals:
            low, high = self._interval(confidence)
            return low[at], high[at]

        return replace(
            self, difference=self.difference[at], absent=self.absent[at], p=self.p[at], interval=interval,
            bounded=self.bounded[at], why=self.why[at],
        )  # fmt: skip

    def family(
        self, places: Sequence[int], absent: Sequence[str], confidence: float,
        is_approximate: Callable[[str], bool] = lambda how: False,
    ) -> list[Difference]:  # fmt: skip
        """The differences in some places, adjusted together; `absent` says why one of them is not told all the same,
        `is_approximate` whether intervals made in a way are to be marked so."""
        none = [why or self.absent[i] for i, why in zip(places, absent, strict=True)]
        told = np.array([i for i, why in zip(places, none, strict=True) if not why], dtype=np.intp)
        p = self.p[told]
        adjusted = holm_each(p)
        m = int(np.count_nonzero(~np.isnan(p)))
        low, high = self._ends(told, confidence)
        lower, higher = self._ends(told, 1 - (1 - confidence) / m) if m else ([None] * len(told),) * 2
        marked = is_approximate(self.kind or self.test)
        columns = (_finite(self.difference[told]), low, high, lower, higher, _or_none(p), _or_none(adjusted))
        entries: list[Difference] = [
            {
                "difference": gap, "low": a, "high": b, "low_adjusted": wide_a, "high_adjusted": wide_b,
                "p": one, "p_adjusted": all_of_them, "test": self.test,
            }
            for gap, a, b, wide_a, wide_b, one, all_of_them in zip(*columns, strict=True)
        ]  # fmt: skip
        if self.kind or marked or m < len(told):
            for i, entry in zip(told.tolist(), entries, strict=True):
                self._say_more(i, entry, marked)
        found = iter(entries)
        return [{"difference": None, "why": why} if why else next(found) for why in none]

    def _say_more(self, i: int, entry: Difference, marked: bool) -> None:
        """How an interval was made, whether it is approximate, and why there is no p."""
        bounded = entry["low"] is not None
        if self.kind and bounded:
            entry["interval"] = self.kind
        if entry["p_adjusted"] is None:
            entry |= {"p": None, "why": self.why[i]}
        if marked and bounded:
            entry["approximate"] = True

    def _ends(self, places: IntArray, confidence: float) -> tuple[Sequence[float | None], Sequence[float | None]]:
        """The ends in some places, None where there is no interval."""
        bounded = self.bounded[places]
        low, high = (_finite(np.where(bounded, x[places], 0.0)) for x in self.interval(confidence))
        if bounded.all():
            return low, high
        there = bounded.tolist()
        return [x if b else None for x, b in zip(low, there, strict=True)], [
            x if b else None for x, b in zip(high, there, strict=True)
        ]


def _finite(x: FloatArray) -> list[float]:
    """As plain numbers, with -0.0 written 0.0. Raises ValueError where one is none."""
    if not np.isfinite(x).all():
        raise ValueError("a difference that does not exist must say why")
    return list((x + 0.0).tolist())


def untested(found: Compared | str, why: str) -> Compared | str:
    """A difference with its interval and no p, where there is a reason why; as it is where there is none."""
    return replace(found, p=None, why=why) if why and isinstance(found, Compared) else found


def family(pairs: Sequence[Compared | str], confidence: float, why: str = "") -> list[Difference]:
    """The differences of one metric over all pairs, adjusted together. A string is why there is none.

    why : why none of them is tested, if so
    """
    pairs = [untested(p, why) for p in pairs]
    adjusted = holm([p.p if isinstance(p, Compared) else None for p in pairs])
    m = sum(1 for p in adjusted if p is not None)
    out: list[Difference] = []
    for pair, p_adjusted in zip(pairs, adjusted, strict=True):
        if isinstance(pair, str):
            out.append({"difference": None, "why": pair})
            continue
        entry: Difference = {"difference": clean(pair.difference)}
        plain = pair.interval(confidence) if pair.interval else None
        wide = pair.interval(1 - (1 - confidence) / m) if pair.interval and m else None
        entry["low"], entry["high"] = (clean(plain[0]), clean(plain[1])) if plain else (None, None)
        entry["low_adjusted"], entry["high_adjusted"] = (clean(wide[0]), clean(wide[1])) if wide else (None, None)
        entry["p"], entry["p_adjusted"], entry["test"] = pair.p, p_adjusted, pair.test
        if pair.kind and pair.interval:
            entry["interval"] = pair.kind
        if pair.unreliable:
            entry["unreliable"] = True
        if pair.p is None:
            entry["why"] = pair.why
        out.append(entry)
    return out
