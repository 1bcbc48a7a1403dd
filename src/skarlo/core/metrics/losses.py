"""Metrics of how close probabilities come to what happened."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np

from ..counting.answers import Answers, Scored, effective_rows, mean_variance
from ..counting.tally import BLOCK, Tally, blocks
from ..number import FloatArray, Metric, absent, point, total
from ..stats import intervals
from ..stats.estimate import Estimate

CLIP = 1e-15


def row_losses(t: Tally, name: str, at: slice = slice(None)) -> tuple[FloatArray, FloatArray]:
    """Loss of a (positive, negative) row at each distinct score: "brier" squared distance, "log_loss" surprise."""
    if name == "brier" or t.source is None:
        return score_loss(t.score[at], name, positive=True), score_loss(t.score[at], name, positive=False)

    def of_class(positive: bool) -> FloatArray:  # logarithms take their time
        make = partial(score_loss, name=name, positive=positive)
        return t.once.get((name, positive), lambda: t.of_score(f"{name} of {positive}", make))[at]

    return of_class(True), of_class(False)


def score_loss(score: FloatArray, name: str, *, positive: bool) -> FloatArray:
    """Loss of scores of rows that are positive, or of rows that are not."""
    if name == "brier":
        return np.square(score - 1.0 if positive else score)
    with np.errstate(divide="ignore"):
        loss = -np.log(score) if positive else -np.log1p(-score)
    return np.clip(loss, -math.log1p(-CLIP), -math.log(CLIP))  # the actual class's probability in [1e-15, 1 - 1e-15]


def class_losses(a: Answers, name: str) -> FloatArray:
    """Loss of each answered row from its class probabilities, shape (n,)."""
    b = a.with_answer
    assert b.probabilities is not None
    if name == "brier":
        hit = np.zeros_like(b.probabilities)
        hit[np.arange(len(b.actual)), b.actual] = 1.0
        return np.asarray(np.add.reduce((b.probabilities - hit) ** 2, axis=1))
    p = b.probabilities[np.arange(len(b.actual)), b.actual]
    return np.asarray(-np.log(np.clip(p, CLIP, 1.0 - CLIP)))


@dataclass(frozen=True)
class Moments:
    """Mean, variance and skewness (divisor n) of row losses, the variance of the mean, and the rows behind it."""

    mean: float
    variance: float
    skewness: float
    of_mean: float
    rows: float


def moments(a: Answers, name: str) -> Moments | None:
    """Moments of a loss over the answered rows; None without rows."""
    b, t = a.with_answer, a.tally
    if t is not None and not a.designed:
        if t.rows == 0:
            return None
        return _of_tally(t, name)
    if len(b.actual) == 0:
        return None
    loss = row_loss(a, name)
    if not a.designed:
        return _moments(loss, np.ones(len(loss)), len(loss))
    weight = np.ones(len(loss)) if b.weight is None else b.weight
    plain = _moments(loss, weight, total(weight))
    if plain is None:
        return None
    n = effective_rows(b.weight, b.group, len(loss))
    return Moments(
        plain.mean, plain.variance, plain.skewness, mean_variance(loss - plain.mean, b.weight, b.group), n
    )  # fmt: skip


def row_loss(a: Answers, name: str) -> FloatArray:
    """Loss of each answered row."""
    t = a.tally
    if t is None:
        return class_losses(a, name)
    at_pos, at_neg = row_losses(t, name)
    return a.of_rows(at_pos, at_neg)


def mean_of_losses(s: Scored, name: str) -> float:
    """The mean of a loss over the rows with a score; of rows that few were left out of, from the mean with these."""
    left = s.tally.source
    if left is None:
        return _of_tally(s.tally, name).mean
    score = left.whole.score[left.place]
    losses = np.where(left.positive, *(score_loss(score, name, positive=which) for which in (True, False)))
    mean = _of_tally(left.whole, name).mean
    return mean - total(losses - mean) / float(s.tally.rows)


def _of_tally(t: Tally, name: str) -> Moments:
    """Moments over the counts at the distinct scores, worked out once for all that ask."""
    return t.once.get(("moments", name), lambda: _tallied_moments(t, name))


def _tallied_moments(t: Tally, name: str) -> Moments:
    """The same block by block, in one pass: powers of the losses less their mean over the middle block."""
    rows, n = float(t.rows), len(t.score)
    around = _mean_in(t, name, list(blocks(n))[n // BLOCK // 2])
    parts = []
    for at in blocks(n):
        sums = np.zeros(3)
        for loss, count in zip(row_losses(t, name, at), (t.pos[at], t.neg[at]), strict=True):
            d = loss - around
            power = count * d
            for i in range(3):
                sums[i] += np.add.reduce(power)
                if i < 2:
                    power *= d
        parts.append(sums)
    first, second, third = (np.add.reduce(np.array(parts), axis=0) / rows).tolist()
    variance = max(0.0, second - first * first)
    skewness = (third - 3 * first * second + 2 * first**3) / math.pow(variance, 1.5) if variance > 0 else 0.0
    return Moments(around + first, variance, skewness, variance / rows, rows)


def _mean_in(t: Tally, name: str, at: slice) -> float:
    on_pos, on_neg = row_losses(t, name, at)
    pos, neg = t.pos[at], t.neg[at]
    rows = total(pos) + total(neg)
    return (total(pos * on_pos) + total(neg * on_neg)) / rows if rows > 0 else 0.0


def _moments(loss: FloatArray, weight: FloatArray, n: float) -> Moments | None:
    if n <= 0:
        return None
    mean = total(weight * loss) / n
    d = loss - mean
    squares = weight * d * d
    variance = total(squares) / n
    skewness = total(squares * d) / n / math.pow(variance, 1.5) if variance > 0 else 0.0
    return Moments(mean, variance, skewness, variance / n, n)


def mean_loss(a: Answers, m: Moments | None, confidence: float) -> Metric:
    """Mean row loss, from its moments, with Hall's interval; under 10 rows of a class it is marked unreliable."""
    return absent("there are no rows") if m is None else mean_loss_estimate(a, m).metric(confidence)


def mean_loss_estimate(a: Answers, m: Moments) -> Estimate:
    """The same at any level."""
    if m.variance <= 1e-30 * max(m.mean * m.mean, 1e-300) or m.rows < 2 or m.of_mean <= 0:
        return Estimate(m.mean, why="the losses do not vary")
    t = None if a.weight is not None else a.tally
    rows = np.bincount(a.with_answer.actual, minlength=a.classes) if t is None else (t.positives, t.negatives)

    def hall(z: float) -> intervals.Interval:
        low, high = intervals.hall_mean(m.mean, math.sqrt(m.of_mean), m.skewness, m.rows, z)
        return max(0.0, min(low, m.mean)), max(high, m.mean)

    return Estimate(m.mean, hall, "hall" + a.suffix, unreliable=bool(min(rows) < 10))


def brier_skill(a: Answers, m: Moments | None) -> Metric:
    """1 - brier / (brier of always answering the class shares of the same rows), from the moments of brier."""
    if m is None:
        return absent("there are no rows")
    return skill(a, m.mean)


def skill(a: Answers, brier: float) -> Metric:
    """The same from the Brier score itself."""
    b = a.with_answer
    if b.scored is not None:
        rows = np.array([b.scored.tally.negatives, b.scored.tally.positives], dtype=np.float64)
    else:
        rows = np.bincount(b.actual, weights=b.weight, minlength=a.classes).astype(np.float64)
    share = rows / total(rows)
    flat = total(share * (1.0 - share))
    if a.positive is not None:
        flat /= 2.0
    if flat <= 0:
        return absent("all rows have one actual class")
    return point(1.0 - brier / flat, "the skill is a ratio to the rows' own base rate; it has no interval")
