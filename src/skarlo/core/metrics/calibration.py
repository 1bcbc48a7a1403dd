"""Of the rows given 0.7, did 70 % happen? Gaps of bins and the logistic fit, as metrics."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from ..counting.answers import Answers, Scored
from ..counting.table import Sampling
from ..counting.tally import Left, Tally, at_ranks, blocks, make
from ..number import BoolArray, FloatArray, IntArray, Metric, absent, bounded, clean, measured, point, total
from ..stats import intervals
from ..stats.draws import generator, successes
from .logistic import Carried, carried, expit, fit_on, logit, logits, no_fit, third_moments

# From this variance on a sum of Bernoulli draws is taken as normal; under it, beyond this many rows, as Poisson.
NORMAL, MANY = 9.0, 2000


def width_bins(score: FloatArray, bins: int) -> IntArray:
    """The equal-width bin of each score: min(floor(score x bins), bins - 1), the product in float64."""
    return np.minimum(np.floor(score * bins).astype(np.int64), bins - 1)


def width_edges(score: FloatArray, bins: int) -> IntArray:
    """Where each equal-width bin begins among ascending scores, and last their number: shape (bins + 1,)."""

    def which(x: np.float64) -> int:
        return min(math.floor(float(x) * bins), bins - 1)

    begins = [bisect_left(score, k, key=which) for k in range(bins)]
    return np.array([*begins, len(score)], dtype=np.int64)


def mass_edges(rows: tuple[IntArray, ...], bins: int) -> IntArray:
    """The same for equal-mass bins, from the rows at each distinct score (the counts are added up).

    A cut at rank ceil(k n / bins), k = 1 … bins - 1, moves up to the end of its tie group; coinciding cuts count once.
    """
    n = sum(int(r.sum()) for r in rows)
    ranks = np.array([-(-k * n // bins) for k in range(1, bins)], dtype=np.int64)
    return np.unique(np.concatenate(([0], at_ranks(rows, ranks) + 1, [len(rows[0])])))


@dataclass(frozen=True)
class Sums:
    """Sums over the rows of each bin, positives and negatives apart; each shape (bins,)."""

    pos: FloatArray
    neg: FloatArray
    score_pos: FloatArray
    score_neg: FloatArray
    variance: FloatArray

    @property
    def rows(self) -> FloatArray:
        return self.pos + self.neg

    @property
    def score(self) -> FloatArray:
        """Sums of scores: what is expected of positives."""
        return self.score_pos + self.score_neg


def sums_in(t: Tally, edges: IntArray) -> Sums:
    """Scores ascend, so each bin is one stretch of the tally; summed block by block, once for all that ask."""
    return t.once.get(("sums", edges.tobytes()), lambda: _sums_in(t, edges))


WAYS: dict[str, Callable[[Tally, int], IntArray]] = {
    "width": lambda t, bins: width_edges(t.score, bins),
    "mass": lambda t, bins: mass_edges((t.pos, t.neg), bins),
}


def sums_by(t: Tally, way: str, bins: int) -> Sums:
    """The same in equal-width or equal-mass bins of a tally's rows. Of one that few rows were left out of, from the
    sums with these."""
    edges = _edges(t, way, bins)
    return sums_in(t, edges) if t.source is None else _left_sums(t, edges, t.source, _edges(t.source.whole, way, bins))


def _edges(t: Tally, way: str, bins: int) -> IntArray:
    return t.once.get(("edges", way, bins), lambda: WAYS[way](t, bins))


def _left_sums(t: Tally, edges: IntArray, left: Left, before: IntArray) -> Sums:
    at = left.placed(edges)
    if len(at) != len(before) or np.abs(at - before).sum() > len(t.score) // 4:
        return sums_in(t, edges)
    found = sums_in(left.whole, before)
    table = np.array([found.pos, found.neg, found.score_pos, found.score_neg, found.variance])
    for b in np.flatnonzero(at != before).tolist():  # what lies between goes over to the neighbour
        low, high = sorted((int(before[b]), int(at[b])))
        between = np.add.reduce(_in_bins(left.whole, slice(low, high)), axis=1)
        table[:, b - 1] += between if at[b] == high else -between
        table[:, b] -= between if at[b] == high else -between
    score, which = left.whole.score[left.place], np.searchsorted(at, left.place, side="right") - 1
    pos, neg = left.positive.astype(np.float64), (~left.positive).astype(np.float64)
    np.subtract.at(table.T, which, np.stack([pos, neg, pos * score, neg * score, score * (1.0 - score)], axis=1))
    table[:, table[0] + table[1] == 0] = 0.0
    return Sums(*np.ascontiguousarray(table))


def _sums_in(t: Tally, edges: IntArray) -> Sums:
    out = []
    for i, j in pairwise(edges.tolist()):
        at = (slice(i + b.start, i + b.stop) for b in blocks(j - i))
        parts = [np.add.reduce(_in_bins(t, here), axis=1) for here in at]
        out.append(np.add.reduce(np.array(parts).reshape(-1, 5), axis=0))
    return Sums(*np.ascontiguousarray(np.array(out).T))


def _in_bins(t: Tally, at: slice) -> FloatArray:
    """What is summed, at each distinct score; shape (5, k)."""
    score, pos, neg = t.score[at], t.pos[at], t.neg[at]
    out = np.empty((5, len(score)))
    out[0], out[1] = pos, neg
    np.multiply(pos, score, out=out[2])
    np.multiply(neg, score, out=out[3])
    np.add(out[2], out[3], out=out[4])
    out[4] *= 1.0 - score
    return out


def gaps_of(sums: Sums) -> tuple[FloatArray, FloatArray]:
    """Mean score and observed share of each bin; NaN where a bin is empty."""
    n = sums.rows
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(n > 0, sums.score / n, np.nan), np.where(n > 0, sums.pos / n, np.nan)


def ece(a: Answers, t: Tally, bins: int, sampling: Sampling) -> Metric:
    """Expected calibration error over equal-width bins.

    Marks: `expected_if_calibrated`, what chance alone gives; `p_calibrated`, how often scores that are true
    probabilities give as much (Bröcker and Smith 2007, Weather Forecast. 22:651).
    """
    edges = width_edges(t.score, bins)
    sums = sums_in(t, edges)
    n, value = total(np.concatenate((sums.pos, sums.neg))), _ece_of(sums)
    expected = math.sqrt(2.0 / math.pi) * total(np.sqrt(sums.variance)) / n
    low, high = _ece_inverted(a, t, sums, value, sampling)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), "inverted" + a.suffix)
    metric["expected_if_calibrated"] = clean(expected)
    metric["p_calibrated"] = _p_calibrated(t, edges, sums, value, sampling)
    return metric


def ece_value(t: Tally, bins: int) -> float:
    """The value alone."""
    return _ece_of(sums_by(t, "width", bins))


def ece_classwise(a: Answers, bins: int) -> float:
    """The plain mean over the classes of the gap of each one's probability against the rest (Kull and others 2019,
    Advances in Neural Information Processing Systems 32)."""
    assert a.probable is not None
    found = [ece_value(one.tally, bins) for one in a.probable.of_class]
    return total(np.array(found)) / len(found)


def _by_answer(a: Answers) -> list[Tally]:
    """The largest probability as a score of being right, among the rows predicted as each class that is predicted."""
    assert a.probable is not None
    g = a.probable.given
    score, largest = g.probabilities.max(axis=1), g.largest
    right = largest == g.actual
    each = (largest == k for k in range(a.classes))
    made = (make(score[m], right[m], None if g.weight is None else g.weight[m]) for m in each if m.any())
    return [t for t in made if t.rows > 0]  # rows may weigh nothing


def ece_by_answer_value(a: Answers, bins: int) -> float:
    """The gap of the largest probability among the rows that are predicted alike, by how many these are (Gupta and
    Ramdas 2022, International Conference on Learning Representations)."""
    tallies = _by_answer(a)
    rows = np.array([t.rows for t in tallies], dtype=np.float64)
    return total(rows * np.array([ece_value(t, bins) for t in tallies])) / total(rows)


def ece_by_answer(a: Answers, bins: int, sampling: Sampling) -> Metric:
    """The same with how often probabilities that are true give as much."""
    tallies = _by_answer(a)
    rows = float(sum(t.rows for t in tallies))
    value = ece_by_answer_value(a, bins)
    edges = [width_edges(t.score, bins) for t in tallies]
    sums = [sums_in(t, e) for t, e in zip(tallies, edges, strict=True)]
    seeds = np.concatenate([np.concatenate((s.pos, s.neg)) for s in sums])
    rng = generator(sampling.seed, "calibrated", (len(sums), bins), seeds)
    gap = np.zeros(sampling.draws)
    for t, e, s in zip(tallies, edges, sums, strict=True):
        gap += _drawn_gap(t, e, s, sampling, rng) * (t.rows / rows)
    metric = point(value, "the gap by answer has no interval here")
    metric["p_calibrated"] = float(np.count_nonzero(gap >= value - 1e-12)) / sampling.draws
    return metric


def _ece_of(sums: Sums) -> float:
    return total(np.abs(sums.score - sums.pos)) / total(np.concatenate((sums.pos, sums.neg)))


def _p_calibrated(t: Tally, edges: IntArray, sums: Sums, value: float, sampling: Sampling) -> float:
    """Share of draws of y ~ Bernoulli(score) whose gap is at least the one observed.

    The sum of a bin's draws is taken as normal where its variance is at least 9, and drawn from its own distribution
    under that (as Poisson beyond 2,000 rows).
    """
    rng = generator(sampling.seed, "calibrated", sums.pos.shape, np.concatenate((sums.pos, sums.neg)))
    gap = _drawn_gap(t, edges, sums, sampling, rng)
    return float(np.count_nonzero(gap >= value - 1e-12)) / sampling.draws


def _drawn_gap(t: Tally, edges: IntArray, sums: Sums, sampling: Sampling, rng: np.random.Generator) -> FloatArray:
    """The gap in each draw of rows whose scores are true."""
    gap = np.zeros(sampling.draws)
    for (i, j), rows, mean, variance in zip(
        pairwise(edges.tolist()), sums.rows, sums.score, sums.variance, strict=True
    ):
        if rows <= 0:
            continue
        if variance >= NORMAL or t.pos.dtype.kind != "i":
            drawn: FloatArray | IntArray = rng.normal(mean, math.sqrt(variance), size=sampling.draws)
        elif rows <= MANY:
            drawn = successes(np.repeat(t.score[i:j], t.pos[i:j] + t.neg[i:j]), rng, sampling.draws)
        else:
            drawn = rng.poisson(mean, size=sampling.draws)
        gap += np.abs(drawn - mean) / t.rows
    return gap


HALVINGS = 60


def _ece_inverted(a: Answers, t: Tally, sums: Sums, value: float, sampling: Sampling) -> intervals.Interval:
    """The gaps that a test would not reject, along two directions: those seen, and those seen less what chance gives.

    Of gaps t times as large the sum of absolute gaps is drawn with the noise of each bin; the interval runs between
    the t at which the value seen is as large, or as small, as chance lets it be.
    """
    c = _Cells.of(a, t, sums)
    scale = [(d, c.noise(sampling)) for d in c.directions()]
    found = [_inverted_along(c, d, noise, value, 1.0 - sampling.confidence) for d, noise in scale]
    return min(low for low, _ in found), max(high for _, high in found)


@dataclass(frozen=True)
class _Cells:
    """The bins with rows: weight, gap, variances of the gap (seen, and if the scores are true), and what is drawn.

    sums : (bins of all, positive then negative) seeds the noise; root : of its covariance where groups tell it
    """

    weight: FloatArray
    gap: FloatArray
    seen: FloatArray
    calibrated: FloatArray
    effective: float
    counts: FloatArray
    bins: int
    root: FloatArray | None = None

    @staticmethod
    def of(a: Answers, t: Tally, sums: Sums) -> _Cells:
        keep = sums.rows > 0
        c, k, s = sums.rows[keep], sums.pos[keep], sums.score[keep]
        squares, calibrated = _squares(a, sums, keep)
        rows = c * c / squares
        q = (rows * k / c + s / c) / (rows + 1.0)
        seen = q * (1.0 - q) * squares
        n = total(c)
        counts = np.concatenate((sums.pos, sums.neg))
        whole = t.pos.dtype.kind == "i"
        root = _root(a, len(sums.pos), keep, seen)
        return _Cells(
            c, s - k, seen, calibrated,
            n * n / total(squares), counts.astype(np.int64) if whole else counts, len(sums.pos), root,
        )  # fmt: skip

    def directions(self) -> tuple[FloatArray, FloatArray]:
        """The gaps, and the gaps less what chance alone gives each."""
        spread = self.seen if self.root is None else np.square(self.root).sum(axis=1)
        less = np.sign(self.gap) * np.maximum(0.0, np.abs(self.gap) - np.sqrt(2.0 / math.pi * spread))
        return self.gap, less if less.any() else self.gap

    def noise(self, sampling: Sampling) -> FloatArray:
        """Standard normal draws: for the spread of the gaps between bins first, then for each bin."""
        rng = generator(sampling.seed, "ece", (self.bins,), self.counts)
        return rng.standard_normal((sampling.draws, len(self.gap) + 1))


def _squares(a: Answers, sums: Sums, keep: BoolArray) -> tuple[FloatArray, FloatArray]:
    """Of the bins with rows the sums of w² and of w² s (1 - s)."""
    b = a.with_answer
    if b.weight is None:
        return sums.rows[keep], sums.variance[keep]
    assert b.score is not None
    code, square = width_bins(b.score, len(keep)), b.weight**2
    found = (np.bincount(code, weights=x, minlength=len(keep)) for x in (square, square * b.score * (1.0 - b.score)))
    of_w, of_s = (np.asarray(x[keep], dtype=np.float64) for x in found)
    return of_w, of_s


def _root(a: Answers, bins: int, keep: BoolArray, seen: FloatArray) -> FloatArray | None:
    """A root of the gaps' covariance over groups (Cholesky's), its diagonal no less than the rows' own variance."""
    b = a.with_answer
    if b.group is None:
        return None
    assert b.score is not None
    _, group = np.unique(b.group, return_inverse=True)
    groups = int(group.max()) + 1
    weight = np.ones(len(b.score)) if b.weight is None else b.weight
    gaps = np.bincount(
        group * bins + width_bins(b.score, bins), weights=weight * (b.score - b.is_positive), minlength=groups * bins
    ).reshape(groups, bins)[:, keep]  # fmt: skip
    around = gaps - gaps.mean(axis=0)
    spread = around.T @ around * (groups / max(1, groups - 1))
    at = np.diag_indices(len(seen))
    spread[at] = np.maximum(spread[at], seen)
    spread[at] += 1e-10 * spread[at].mean()
    try:
        return np.asarray(np.linalg.cholesky(spread))
    except np.linalg.LinAlgError:  # so few groups, or scores so sure, that some gaps do not vary
        sizes, ways = np.linalg.eigh(spread)
        return np.asarray(ways * np.sqrt(np.maximum(sizes, 0.0)))


def _inverted_along(c: _Cells, d: FloatArray, x: FloatArray, value: float, alpha: float) -> intervals.Interval:
    n = total(c.weight)
    whole = total(np.abs(d)) / n
    shared, each = x[:, 0], x[:, 1:]
    if c.root is not None:
        each = np.asarray(each @ c.root.T, dtype=np.float64)
    step = np.abs(d) / c.weight
    between = math.sqrt(max(0.0, total(c.weight * step**2) / n - (total(c.weight * step) / n) ** 2) / c.effective)

    def drawn(t: float, shared: FloatArray, each: FloatArray) -> FloatArray:
        if c.root is None:
            each = np.sqrt((1.0 - t) * c.calibrated + t * c.seen if t < 1 else c.seen) * each
        return np.asarray(np.abs(t * d + each).sum(axis=1) / n + t * between * shared)

    none = drawn(0.0, shared, each)
    if whole <= 0:
        return 0.0, float(np.quantile(none, 1.0 - alpha / 2))
    steepest = _steepest(c, d, x, between, n)
    farthest, enough = 6.0 * max(1.0, value / whole), alpha / 2 * len(x) + 1e-9

    def crossing(large: bool) -> float:
        """Where as many draws as are enough are as large as the value (or as small). A draw that no t still in question
        can carry over the value is not drawn again; where one is left and it is what is wanting, it is where that one
        has the value."""
        near, far, decided, open_ = 0.0, farthest, 0, (shared, each, steepest)

        def over(t: float) -> float:
            return float(drawn(t, *open_[:2])[0]) - value

        for _ in range(HALVINGS):
            middle = (near + far) / 2
            if middle in (near, far):
                break
            e = drawn(middle, *open_[:2]) - value
            found = decided + int(np.count_nonzero(e >= 0 if large else e <= 0))
            if (found > enough) == large:
                far = middle
            else:
                near = middle
            sure = np.abs(e) > open_[2] * (far - near)
            if sure.any():
                decided += int(np.count_nonzero(sure & (e > 0 if large else e < 0)))
                open_ = (open_[0][~sure], open_[1][~sure], open_[2][~sure])
                wanting = decided <= enough < decided + 1
                if wanting and len(open_[2]) == 1 and over(near) * over(far) < 0:
                    return float(scipy.optimize.brentq(over, near, far, xtol=1e-300, rtol=1e-15))
        return near

    low = 0.0 if np.count_nonzero(none >= value) > enough else whole * crossing(large=True)
    return low, whole * crossing(large=False)


def _steepest(c: _Cells, d: FloatArray, x: FloatArray, between: float, n: float) -> FloatArray:
    """How fast the sum of each draw changes with t at most, shape (draws,)."""
    out = total(np.abs(d)) / n + between * np.abs(x[:, 0])
    if c.root is None:
        with np.errstate(divide="ignore", invalid="ignore"):
            rate = np.abs(c.seen - c.calibrated) / 2 / np.sqrt(np.minimum(c.seen, c.calibrated))
        out = out + np.abs(x[:, 1:]) @ np.nan_to_num(rate, nan=0.0, posinf=1e300) / n
    return np.asarray(out)


def effective_in(a: Answers, n: float) -> float:
    b = a.with_answer
    if b.weight is None:
        return n
    return float(np.add.reduce(b.weight)) ** 2 / float(np.add.reduce(b.weight**2))


def mce(a: Answers, t: Tally, bins: int) -> Metric:
    """The largest gap between mean score and observed share over the equal-mass bins."""
    sums = sums_by(t, "mass", bins) if a.weight is None else sums_in(t, mass_edges(rows_at(a, t), bins))
    mean, share = gaps_of(sums)
    return point(float(np.abs(mean - share)[sums.rows > 0].max()), "the largest of several gaps has no interval")


def rows_at(a: Answers, t: Tally) -> tuple[IntArray, ...]:
    """Rows (not weights) at each distinct score, as counts that add up."""
    if a.weight is None:
        return t.pos, t.neg
    return (np.bincount(a.place, minlength=len(t.score)).astype(np.int64),)


def fit_value(scored: Scored, name: str) -> float | None:
    """The calibration intercept or slope alone; None where there is none. Of rows that are all but few of others it is
    carried over from what fits those, where that is exact to 1e-11."""
    if no_fit(scored.tally):
        return None
    start = _start(scored, name)
    if start is not None and start.moved < NEAR:
        return float(start.beta[-1])
    found = _fitted(scored.given, name)
    return None if found is None else float(found[0][-1])


def _fitted(scored: Scored, name: str, x: FloatArray | None = None) -> tuple[FloatArray, FloatArray] | None:
    """What is sought and its information; None where the fit does not converge.

    x : the logits of the tally's scores, where they are known
    """

    def fit() -> tuple[FloatArray, FloatArray] | None:
        t, start = scored.tally, _start(scored, name)
        for near in (None,) if start is None else (start.beta, None):  # it may lie too far off where rows are few
            try:
                return fit_on(t, logits(t) if x is None else x, np.array([True, name == SLOPE]), near)
            except (ValueError, np.linalg.LinAlgError):
                continue
        return None

    return scored.once.get(("fit", name), fit)


NEAR = 1e-3  # how far a row's logit may move for terms beyond the square to be under 1e-6 of the move


def _start(scored: Scored, name: str) -> Carried | None:
    """Where rows are all but few of others, what fits them, from what fits those and the rows that were left out."""
    if scored.source is None or no_fit(scored.source[0].tally):
        return None
    (whole, _), left = scored.source, scored.tally.source
    before, t = _fitted(whole, name), whole.tally
    if before is None or left is None:
        return None
    bend = whole.once.get("bends", lambda: _bends(whole))[name]
    ends = logit(t.score[[0, -1]])
    return carried(*before, bend, (logit(t.score[left.place]), left.positive), ends)


def _bends(whole: Scored) -> dict[str, FloatArray]:
    """How the information of each fit bends; the logits are worked out once for both."""
    x, fits = logits(whole.tally), {name: _fitted(whole, name) for name in (INTERCEPT, SLOPE)}
    return {name: third_moments(whole.tally, x, fit[0]) for name, fit in fits.items() if fit is not None}


INTERCEPT, SLOPE = "calibration_intercept", "calibration_slope"


def fit_metrics(a: Answers, scored: Scored, confidence: float) -> dict[str, Metric]:
    """calibration_intercept (slope fixed at 1) with a robust Wald interval, calibration_slope with a plain one."""
    t = scored.tally
    why = no_fit(t)
    if why:
        return {INTERCEPT: absent(why), SLOPE: absent(why)}
    out: dict[str, Metric] = {}
    x = logits(t)
    for name in (INTERCEPT, SLOPE):
        fixed, found = name == INTERCEPT, _fitted(scored.given, name, x)
        try:
            if found is None:
                raise ValueError
            beta, information = found
            variance = _fit_variance(a, t, x, beta, information, fixed)
        except (ValueError, np.linalg.LinAlgError):
            out[name] = absent("the logistic fit does not converge")
            continue
        value = float(beta[-1])
        half = intervals.z_value(confidence) * math.sqrt(variance)
        kind = ("wald_robust" if fixed else "wald") + a.suffix
        out[name] = measured(value, value - half, value + half, kind)
    return out


def _robust_variance(t: Tally, x: FloatArray, intercept: float, information: float) -> float:
    """Of the intercept alone, whether or not its slope is right (White 1982, Econometrica 50:1)."""
    parts = []
    for at in blocks(len(x)):
        p = expit(x[at] + intercept)
        parts.append(total(t.pos[at] * (1.0 - p) ** 2 + t.neg[at] * p**2))
    return total(np.array(parts)) / information**2


def _fit_variance(a: Answers, t: Tally, x: FloatArray, beta: FloatArray, information: FloatArray, fixed: bool) -> float:
    inverse = np.linalg.inv(information)
    if not a.designed and not fixed:
        return float(inverse[-1, -1])
    if not a.designed:
        return _robust_variance(t, x, float(beta[0]), float(information[0, 0]))
    b = a.with_answer
    eta = x + beta[0] if fixed else beta[0] + beta[1] * x
    gap = b.is_positive - (expit(eta))[a.place]
    design = np.ones((1, len(gap))) if fixed else np.stack((np.ones(len(gap)), x[a.place]))
    part = design * gap * (1.0 if b.weight is None else b.weight)
    if b.group is not None:
        _, code = np.unique(b.group, return_inverse=True)
        part = np.stack([np.bincount(code, weights=row) for row in part])
    meat = np.array([[total(p * q) for q in part] for p in part])
    sandwich = [
        sum(inverse[-1, i] * meat[i, j] * inverse[j, -1] for j in range(len(part))) for i in range(len(part))
    ]  # fmt: skip
    return float(sum(sandwich))
