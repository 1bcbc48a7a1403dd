"""What a reliability diagram draws: bins, the monotone fit with its bands, the parts of the Brier score, and tests."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from ..counting.answers import Answers, effective_rows, mean_variance
from ..counting.table import Sampling
from ..counting.tally import Tally, blocks
from ..number import FloatArray, IntArray, absent, clean, measured, total
from ..results import Band, CalibrationBins, CalibrationResult, InTheLarge, IsotonicFit, Spiegelhalter
from ..stats import intervals
from ..stats.draws import generator
from ..stats.tests import normal_p
from .calibration import effective_in, gaps_of, mass_edges, rows_at, sums_in, width_edges
from .losses import mean_loss, moments

RUNS = 50  # runs of neighbouring scores, at most, at which the bands of the monotone fit stand


def isotonic(t: Tally) -> tuple[IntArray, FloatArray, FloatArray]:
    """Least-squares monotone fit of actual on score: first index of each block, its weight and its observed share.

    Pool adjacent violators, ties pooled first; neighbouring blocks of one share are one block.
    """
    n = (t.pos + t.neg).astype(np.float64)
    keep = np.flatnonzero(n > 0)
    share, weight = (t.pos / n, n) if len(keep) == len(n) else (t.pos[keep] / n[keep], n[keep])
    first = keep[np.asarray(scipy.optimize.isotonic_regression(share, weights=weight).blocks[:-1], dtype=np.int64)]
    weight, pos = np.add.reduceat(n, first), np.add.reduceat(t.pos, first).astype(np.float64)
    share = pos / weight
    new = np.concatenate(([True], share[1:] != share[:-1]))
    start = np.flatnonzero(new)
    weight, pos = np.add.reduceat(weight, start), np.add.reduceat(pos, start)
    return first[start], weight, pos / weight


def block(a: Answers, t: Tally, bins: int, sampling: Sampling) -> CalibrationResult:
    """Everything a reliability diagram draws, the parts of the Brier score, calibration in the large, and
    Spiegelhalter's test."""
    rows = rows_at(a, t)
    n = float(t.rows)
    first, weight, share = isotonic(t)
    last = np.append(first[1:] - 1, len(t.score) - 1)
    m = moments(a, "brier")
    p = t.positives / n
    fitted = total(weight * share * (1 - share)) / n
    runs = Runs.of(a, t, rows)
    fit: IsotonicFit = {
        "from": t.score[first].tolist(),
        "to": t.score[last].tolist(),
        "observed": share.tolist(),
        "runs": runs.told(),
        "consistency": runs.consistency(sampling),
        "confidence": runs.confidence(sampling.confidence),
    }
    return {
        "equal_width": _bins(a, t, rows, width_edges(t.score, bins), np.arange(bins + 1) / bins, sampling),
        "equal_mass": _bins(a, t, rows, mass_edges(rows, bins), None, sampling),
        "isotonic": fit,
        "brier": mean_loss(a, m, sampling.confidence),
        "parts": {
            "miscalibration": clean(m.mean - fitted) if m else 0.0,
            "discrimination": clean(p * (1 - p) - fitted),
            "uncertainty": clean(p * (1 - p)),
        },
        "in_the_large": in_the_large(a, t, sampling.confidence),
        "spiegelhalter": spiegelhalter(t),
    }


def _bins(
    a: Answers, t: Tally, rows: tuple[IntArray, ...], edges: IntArray, named: FloatArray | None, sampling: Sampling
) -> CalibrationBins:
    """A reliability diagram's bins; `named` are the scores at their edges, else those of their rows."""
    mean, share = gaps_of(sums_in(t, edges))
    out: CalibrationBins = {
        "low_edge": [], "high_edge": [], "rows": [], "mean_score": [], "observed": [], "low": [], "high": [],
        "consistency_low": [], "consistency_high": [],
    }  # fmt: skip
    n = float(sum(r.sum() for r in rows))
    effective = effective_in(a, n) / n if n else 1.0
    for i, (first, end) in enumerate(pairwise(edges.tolist())):
        count = sum(int(r[first:end].sum()) for r in rows)
        out["low_edge"].append(float(named[i]) if named is not None else float(t.score[first]))
        out["high_edge"].append(float(named[i + 1]) if named is not None else float(t.score[end - 1]))
        out["rows"].append(count)
        told: list[float | None] = [None] * 6
        if np.isfinite(mean[i]):
            ends = intervals.wilson_share(float(share[i]), effective * count, sampling.confidence)
            chance = _consistent(float(mean[i]), count, effective, a.weight is not None, sampling.confidence)
            told = [clean(x) for x in (mean[i], share[i], *ends, *chance)]
        for name, x in zip(("mean_score", "observed", "low", "high", "consistency_low", "consistency_high"), told,
                           strict=True):  # fmt: skip
            out[name].append(x)  # type: ignore[literal-required]
    return out


def _consistent(p: float, rows: int, effective: float, weighted: bool, confidence: float) -> intervals.Interval:
    """Where the observed share of so many rows would lie if the scores were true (Bröcker and Smith 2007, Weather
    Forecast. 22:651): binomial quantiles, with weights Wilson's interval around the mean score."""
    p = min(1.0, max(0.0, p))
    if weighted:
        return intervals.wilson_share(p, effective * rows, confidence)
    tail = (1.0 - confidence) / 2.0
    return _quantile(tail, rows, p) / rows, _quantile(1.0 - tail, rows, p) / rows


def _quantile(q: float, n: int, p: float) -> float:
    """The least k with P(X <= k) >= q of a binomial X."""
    if p in (0.0, 1.0):
        return n * p
    if scipy.special.bdtr(0, n, p) >= q:
        return 0.0
    k = math.ceil(float(scipy.special.bdtrik(q, n, p)))
    while k > 0 and scipy.special.bdtr(k - 1, n, p) >= q:
        k -= 1
    while k < n and scipy.special.bdtr(k, n, p) < q:
        k += 1
    return float(k)


@dataclass(frozen=True)
class Runs:
    """Neighbouring scores with about as many rows each, at most 50; shape (G,) each.

    low, high : the lowest and the highest score; rows : how many, effectively where they have weights or groups
    mean_score : the mean score; hits : positives among `rows`
    """

    low: FloatArray
    high: FloatArray
    rows: FloatArray
    mean_score: FloatArray
    hits: FloatArray
    weighted: bool
    counts: IntArray | FloatArray

    @classmethod
    def of(cls, a: Answers, t: Tally, rows: tuple[IntArray, ...]) -> Runs:
        """Those of a tally; `rows` as of `rows_at`."""
        edges = mass_edges(rows, RUNS)
        sums = sums_in(t, edges)
        b = a.with_answer
        each = [[r[i:j].sum() for i, j in pairwise(edges.tolist())] for r in rows]
        n = np.add.reduce(np.array(each, dtype=np.float64), axis=0)
        there = sums.rows > 0
        whole = float(n.sum())
        share = effective_rows(b.weight, b.group, len(b.actual)) / whole if whole else 1.0
        n = n[there] * min(1.0, share)
        observed = sums.pos[there] / sums.rows[there]
        counts = np.concatenate((sums.pos, sums.neg))
        return cls(
            t.score[edges[:-1]][there], t.score[edges[1:] - 1][there], n, sums.score[there] / sums.rows[there],
            n * observed, b.weight is not None, counts if b.weight is not None else counts.astype(np.int64),
        )  # fmt: skip

    def told(self) -> dict[str, list[float]]:
        """Where they lie."""
        return {"from": self.low.tolist(), "to": self.high.tolist(), "mean_score": self.mean_score.tolist()}

    def consistency(self, sampling: Sampling) -> Band:
        """Where the fit would lie if the scores were true, point by point: the fits to draws of each run.

        Dimitriadis, Gneiting and Jordan 2021, PNAS 118:e2016191118.
        """
        rng = generator(sampling.seed, "consistency", (len(self.rows),), self.counts)
        n = np.maximum(1, np.rint(self.rows)).astype(np.int64)
        drawn = rng.binomial(n, np.clip(self.mean_score, 0.0, 1.0), (sampling.draws, len(n)))
        tail = (1.0 - sampling.confidence) / 2.0
        low, high = np.quantile(monotone(drawn.astype(np.float64), n.astype(np.float64)), [tail, 1.0 - tail], axis=0)
        return {"low": low.tolist(), "high": high.tolist()}

    def confidence(self, confidence: float) -> Band | None:
        """Where the true curve lies, all of it at once, if it never falls; None with weights.

        Of all runs from i to j pooled, exact binomial ends that hold together; a curve that never falls lies above
        what lies under it to the left, and under what lies above it to the right (Dimitriadis, Dümbgen, Henzi, Puke
        and Ziegel 2023, J. R. Stat. Soc. B 85:1034).
        """
        if self.weighted:
            return None
        g = len(self.rows)
        tail = (1.0 - confidence) / (g * (g + 1))
        begin, end = np.triu_indices(g)
        hits, rows = (np.concatenate(([0.0], np.cumsum(x))) for x in (self.hits, self.rows))
        k, n = hits[end + 1] - hits[begin], rows[end + 1] - rows[begin]
        with np.errstate(invalid="ignore"):
            low = np.where(k > 0, scipy.special.betaincinv(np.maximum(k, 1e-12), n - k + 1, tail), 0.0)
            high = np.where(k < n, scipy.special.betaincinv(k + 1, np.maximum(n - k, 1e-12), 1.0 - tail), 1.0)
        lower, upper = np.zeros(g), np.ones(g)
        np.maximum.at(lower, end, low)
        np.minimum.at(upper, begin, high)
        return {
            "low": np.maximum.accumulate(lower).tolist(),
            "high": np.minimum.accumulate(upper[::-1])[::-1].tolist(),
        }


def monotone(hits: FloatArray, rows: FloatArray) -> FloatArray:
    """The least-squares monotone fit of many draws of the same runs, shape (draws, G): the greatest over beginnings of
    the least over ends of the shares of the runs between (Robertson, Wright and Dykstra 1988)."""
    draws, g = hits.shape
    k = np.concatenate((np.zeros((1, draws)), np.cumsum(hits.T, axis=0)))  # a run's draws lie beside each other
    n = np.concatenate(([0.0], np.cumsum(rows)))
    out, room = np.full((g, draws), -np.inf), np.empty((g, draws))
    for begin in range(g):
        share = np.subtract(k[begin + 1 :], k[begin], out=room[begin:])
        share /= (n[begin + 1 :] - n[begin])[:, None]
        for end in range(len(share) - 1, 0, -1):
            np.minimum(share[end - 1], share[end], out=share[end - 1])
        np.maximum(out[begin:], share, out=out[begin:])
    return out.T


@dataclass(frozen=True)
class Shifted:
    """A mean score and a share of rows, the variance of their difference, and how many rows the share would have to be
    of to spread as much."""

    mean: float
    share: float
    spread: float
    rows: float

    def interval(self, confidence: float) -> intervals.Interval:
        """Of the mean less the share: Wilson's of the share, shifted."""
        return self.ends(intervals.z_value(confidence))

    def ends(self, z: float) -> intervals.Interval:
        """The same so many standard errors away."""
        low, high = intervals.wilson_at(np.array([self.share]), np.array([self.rows]), z)
        return self.mean - float(high[0]), self.mean - float(low[0])


def shifted(b: Answers, score: FloatArray, y: FloatArray) -> Shifted:
    """Of rows that all have an answer: their scores and whether they are positive, 1.0 or 0.0, shape (n,) each."""
    n = float(len(y))
    whole = n if b.weight is None else total(b.weight)
    mean, share = (total(x if b.weight is None else b.weight * x) / whole for x in (score, y))
    spread = mean_variance(score - y - (mean - share), b.weight, b.group)
    if not b.designed:
        spread = spread * n / (n - 1) if n > 1 else 0.0
    rows = share * (1 - share) / spread if 0 < share < 1 and spread > 0 else effective_rows(b.weight, b.group, len(y))
    return Shifted(mean, share, spread, rows)


def in_the_large(a: Answers, t: Tally, confidence: float) -> InTheLarge:
    """Mean score less the share of positives: its interval by Wilson's on as many rows as their spread is worth, and a
    test that the scores are true on average (Kleinberg, Mullainathan and Raghavan 2017)."""
    b = a.with_answer
    if b.scored is None or t.rows <= 0:
        return {**absent("there are no rows"), "p": None}
    score, n = b.scored.score, float(len(b.actual))
    s = shifted(b, score, b.scored.positive.astype(np.float64))
    metric = measured(s.mean - s.share, *s.interval(confidence), "wilson_shifted" + a.suffix)
    chance = s.spread if a.designed else total(score * (1 - score)) / (n * n)
    if chance <= 0:
        return {**metric, "p": None}
    return {**metric, "p": normal_p((s.mean - s.share) / math.sqrt(chance))}


def spiegelhalter(t: Tally) -> Spiegelhalter:
    """Test that the scores are true probabilities (Spiegelhalter 1986, Stat. Med. 5:421)."""
    parts = []
    for at in blocks(len(t.score)):
        s, pos, neg = t.score[at], t.pos[at], t.neg[at]
        turn = 1 - 2 * s
        chance = s * (1 - s) * turn
        parts.append([
            np.add.reduce((pos * (1 - s) - neg * s) * turn), np.add.reduce((pos + neg) * turn * chance)
        ])  # fmt: skip
    gap, variance = np.add.reduce(np.array(parts), axis=0).tolist()
    if variance <= 0:
        return {"z": None, "p": None, "why": "the scores leave no room for chance"}
    z = gap / math.sqrt(variance)
    return {"z": clean(z), "p": normal_p(z)}
