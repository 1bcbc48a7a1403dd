"""The logistic fit of actual on logit(score), by maximum likelihood over the tally."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..counting.tally import Counts, Tally, blocks, coarse
from ..number import BoolArray, FloatArray, total
from .losses import CLIP

SURE = 1e-10  # of a gradient a row near the maximum: one more step leaves about its square
COARSE = 4000  # scores of the smaller fit that a large one starts from
TOGETHER = 128  # of them that are made at once


def logit(score: FloatArray) -> FloatArray:
    """log p - log1p(-p) of the clipped double."""
    out = np.empty(len(score))
    for at in blocks(len(score)):
        p = np.clip(score[at], CLIP, 1.0 - CLIP)
        np.subtract(np.log(p), np.log1p(-p), out=out[at])
    return out


def logits(t: Tally) -> FloatArray:
    """Of each distinct score."""
    return t.of_score("logit", logit)


def expit(x: FloatArray) -> FloatArray:
    """1 / (1 + exp(-x)); where exp overflows, 0 is the right limit."""
    with np.errstate(over="ignore"):
        return np.asarray(1.0 / (1.0 + np.exp(-x)))


def fit(t: Tally, fixed_slope: bool = False, fixed_intercept: bool = False) -> tuple[FloatArray, FloatArray]:
    """Logistic regression of actual on logit(score) by Newton with step halving.

    Returns the coefficients that are free (intercept, slope) and the information matrix. A fixed slope is 1, a fixed
    intercept 0.

    Raises
    ------
    ValueError
        When the gradient per row does not come below 1e-12.
    """
    return fit_on(t, logits(t), np.array([not fixed_intercept, not fixed_slope]))


def fit_ranking(t: Tally) -> FloatArray:
    """Intercept and slope of the same regression on the score itself, standardised for the fit (Platt 1999)."""
    n = (t.pos + t.neg).astype(np.float64)
    middle = total(n * t.score) / total(n)
    spread = math.sqrt(total(n * (t.score - middle) ** 2) / total(n))
    beta, _ = fit_on(t, (t.score - middle) / spread, np.array([True, True]))
    slope = float(beta[1]) / spread
    return np.array([float(beta[0]) - slope * middle, slope])


def no_fit(t: Tally) -> str | None:
    """Why there is no logistic fit, if there is none."""
    return t.once.get("no fit", lambda: _no_fit(t))


def _no_fit(t: Tally) -> str | None:
    if len(t.score) == 1:
        return "every row has the same score"
    if t.positives == 0 or t.negatives == 0:
        return "a class has no rows"
    (low_pos, high_pos), (low_neg, high_neg) = _reach(t, t.pos), _reach(t, t.neg)
    if low_pos >= high_neg or low_neg >= high_pos:
        return "the scores separate the classes, so the likelihood has no maximum"
    return None


def _reach(t: Tally, counts: Counts) -> tuple[float, float]:
    """The lowest and the highest score where there are any."""
    there = counts > 0
    return float(t.score[int(there.argmax())]), float(t.score[len(there) - 1 - int(there[::-1].argmax())])


def fit_on(t: Tally, x: FloatArray, free: BoolArray, near: FloatArray | None = None) -> tuple[FloatArray, FloatArray]:
    """The same regression on any x at each distinct score.

    free : which of intercept and slope are sought; the others stay 0 and 1
    near : where to begin, close to what is sought
    """
    rows = float(t.rows)
    at_free = np.ix_(free, free)

    def slope_at(beta: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Gradient and information, block by block through the cache."""
        a, b = beta.tolist()
        parts = []
        for at in blocks(len(x)):
            pos, here = t.pos[at], x[at]
            n = pos + t.neg[at]
            p = expit(a + b * here)
            w = n * p
            rest = pos - w
            w *= 1.0 - p
            borne = [rest, w]
            if free[1]:  # the slope's share is not worked out where it is fixed
                wx = w * here
                borne += [rest * here, wx, wx * here]
            parts.append([np.add.reduce(v) for v in borne])
        sums = np.zeros(5)
        sums[: len(parts[0])] = np.add.reduce(np.array(parts), axis=0)
        g0, i00, g1, i01, i11 = sums.tolist()
        return np.array([g0, g1])[free], np.array([[i00, i01], [i01, i11]])[at_free]

    def likelihood(beta: FloatArray) -> float:
        parts = []
        for at in blocks(len(x)):
            e = beta[0] + beta[1] * x[at]
            parts.append(total(t.pos[at] * e - (t.pos[at] + t.neg[at]) * np.logaddexp(0.0, e)))
        return total(np.array(parts))

    def moved(beta: FloatArray, step: FloatArray) -> FloatArray:
        out = beta.copy()
        out[free] += step
        return out

    beta = np.where(free, 0.0, [0.0, 1.0])
    if near is None and len(x) > 4 * COARSE:
        near = _near(t, x, free)
    if near is not None:
        beta[free] = near
    gradient, information = slope_at(beta)
    for _ in range(200):
        if np.abs(gradient).max() / rows < 1e-12:
            return beta[free], information
        step = np.asarray(np.linalg.solve(information, gradient), dtype=np.float64)
        if near is not None and np.abs(gradient).max() / rows < SURE:
            return moved(beta, step)[free], information
        after, there = slope_at(moved(beta, step))
        if not np.abs(after).max() <= np.abs(gradient).max() / 2:  # far off: halve until the likelihood rises
            current = likelihood(beta)
            for _ in range(40):
                if likelihood(moved(beta, step)) >= current - 1e-13 * abs(current):
                    break
                step = step / 2
            after, there = slope_at(moved(beta, step))
        beta, gradient, information = moved(beta, step), after, there
    if np.abs(gradient).max() / rows < 1e-9:
        return beta[free], information
    raise ValueError("the fit does not converge")


def third_moments(t: Tally, x: FloatArray, beta: FloatArray) -> FloatArray:
    """Sums of p (1 - p) (1 - 2 p) x^k over the rows, k = 0 … 3: how the information bends where a fit moves.

    beta : the intercept alone (slope 1), or intercept and slope
    """
    parts = []
    for at in blocks(len(x)):
        here = x[at]
        p = expit(beta[0] + (beta[1] if len(beta) == 2 else 1.0) * here)
        each = (t.pos[at] + t.neg[at]) * p * (1.0 - p) * (1.0 - 2.0 * p)
        powers = [each]
        for _ in range(3):
            powers.append(powers[-1] * here)
        parts.append([np.add.reduce(v) for v in powers])
    return np.asarray(np.add.reduce(np.array(parts), axis=0))


@dataclass(frozen=True)
class Carried:
    """A fit carried over to some of its rows: the coefficients, and how far a row's logit moved at most."""

    beta: FloatArray
    moved: float


def carried(
    beta: FloatArray, information: FloatArray, bend: FloatArray, out: tuple[FloatArray, BoolArray], ends: FloatArray
) -> Carried | None:
    """What fits the rows of a fit less some, to the second order of the move; the rows left out are taken as they are.

    bend : as of `third_moments`; out : of the rows left out x and whether they are positive; ends : the lowest and the
    highest x. None where too few rows are left to tell.
    """
    k = len(beta)
    x, positive = out
    each = np.stack([np.ones(len(x)), x])[:k]
    turns = np.array([[bend[i : i + k] for i in range(a, a + k)] for a in range(k)])
    step = np.zeros(k)
    for _ in range(8):
        p = expit((beta[0] + step[0]) + (beta[1] + step[1] if k == 2 else 1.0) * x)
        bent = turns @ step
        gradient = information @ step + bent @ step / 2 + each @ (positive - p)
        slope = information + bent - (each * (p * (1.0 - p))) @ each.T
        try:
            change = np.linalg.solve(slope, gradient)
        except np.linalg.LinAlgError:
            return None
        step = step - change
        if not np.isfinite(step).all():
            return None
        if np.abs(change).max() < 1e-15:
            break
    far = np.abs(step[0] + (step[1] if k == 2 else 0.0) * ends).max()
    return Carried(beta + step, float(far))


def _near(t: Tally, x: FloatArray, free: BoolArray) -> FloatArray | None:
    """A start close to the maximum: the fit to runs of neighbouring scores, each at its mean."""
    ends, pos, neg = t.once.get("coarse", lambda: coarse(t, COARSE))
    first, middle = np.concatenate(([0], ends[:-1] + 1)), np.empty(len(ends))
    for runs in blocks(len(ends), TOGETHER):
        here = slice(first[runs.start], ends[runs.stop - 1] + 1)
        middle[runs] = np.add.reduceat((t.pos[here] + t.neg[here]) * x[here], first[runs] - here.start)
    middle /= pos + neg
    try:
        return fit_on(Tally(t.score[ends], pos, neg), middle, free)[0]
    except (ValueError, np.linalg.LinAlgError):
        return None
