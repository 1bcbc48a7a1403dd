"""Labels that may be wrong: rows where candidates that know the classes agree on another class than the label says.

After Brodley and Friedl 1999, J. Artif. Intell. Res. 11:131. How many such rows there would be with every label right
is told beside them: they are not findings, but where to look.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from ..number import FloatArray, IntArray, total

CLIP = 1e-6
NONE = -1  # the code of no answer
MOST_POWER = 2.0


@dataclass(frozen=True)
class Judge:
    """A candidate whose answers speak for or against a label.

    Attributes
    ----------
    name : of the candidate
    predicted : class codes, shape (n,), -1 for no answer
    chance : of two classes, the recalibrated probability of the positive class, shape (n,), NaN for no answer; None
        where only the predicted class speaks
    counts : rows by (actual, predicted) class, shape (K, K), read where there is no `chance`
    positive : which class `chance` is of
    """

    name: str
    predicted: IntArray
    chance: FloatArray | None = None
    counts: IntArray | None = None
    positive: int = 1

    def log(self, label: IntArray, rows: IntArray) -> FloatArray:
        """Of some rows the logarithm of how likely it takes a class to be, each; 0 where it does not answer."""
        if self.chance is not None:
            p = np.clip(self.chance[rows], CLIP, 1.0 - CLIP)
            return np.nan_to_num(np.log(np.where(label == self.positive, p, 1.0 - p)), nan=0.0)
        assert self.counts is not None
        spread = self.counts + 0.5
        table = np.log(spread / np.add.reduce(spread, axis=0))
        said = self.predicted[rows]
        return np.where(said < 0, 0.0, table[label, np.maximum(said, 0)])


@dataclass(frozen=True)
class Doubt:
    """Rows whose label is doubted, the most doubted first.

    rows : their places, shape (m,)
    other : for each the class that the judges take it for
    evidence : for each the mean over the judges of the logarithm of how much likelier that class is than the label
    expected_if_right : how many rows would be listed with every label right
    power : how far the judges' evidence adds up; below 1 they err together
    """

    rows: IntArray
    other: IntArray
    evidence: FloatArray
    expected_if_right: float
    power: float


def doubted(actual: IntArray, judges: Sequence[Judge], classes: int) -> Doubt:
    """The rows whose label most judges speak against, with evidence.

    A row is listed when more than half of the judges predict one other class and the mean of their evidence for it is
    above 0. Equal evidence: the greater least evidence of a judge first, then the order of the rows.

    Parameters
    ----------
    actual : the labels, int64 codes, shape (n,)
    judges : may be none; then nothing is listed

    Examples
    --------
    >>> y = np.array([0, 0, 1, 1, 1])
    >>> sure = Judge("net", np.array([0, 0, 1, 1, 0]), np.array([0.1, 0.2, 0.8, 0.9, 0.05]))
    >>> found = doubted(y, [sure], 2)
    >>> found.rows.tolist(), found.other.tolist(), found.evidence.round(3).tolist()
    ([4], [0], [2.944])
    """
    n = len(actual)
    if not judges or not n:
        nothing = np.zeros(0, dtype=np.int64)
        return Doubt(nothing, nothing, np.zeros(0), 0.0, 1.0)
    taken = _most_take(judges, classes, n)
    at = np.flatnonzero((taken >= 0) & (taken != actual))
    each = np.stack([_evidence(j, taken[at], actual[at], at) for j in judges])
    mean = np.add.reduce(each, axis=0) / len(judges)
    kept = np.flatnonzero(mean > 0)
    order = kept[np.lexsort((at[kept], -each.min(axis=0)[kept], -mean[kept]))]
    expected, power = _expected(actual, judges, classes, taken)
    return Doubt(at[order], taken[at[order]], mean[order], expected, power)


def others(actual: IntArray, rows: IntArray, judges: Sequence[Judge], classes: int) -> IntArray:
    """Of some rows the class that most judges predict besides the label, shape (m,): of as many the one with more
    evidence, then the first. -1 where no judge predicts another one; of two classes it is always the other.

    Examples
    --------
    >>> net = Judge("net", np.array([2, 0]), counts=np.ones((3, 3)))
    >>> others(np.array([0, 0]), np.array([0, 1]), [net], 3).tolist()
    [2, -1]
    """
    label = actual[rows]
    if classes == 2:
        return 1 - label
    votes, evidence = np.zeros((len(rows), classes)), np.zeros((len(rows), classes))
    for k in range(classes):
        for j in judges:
            votes[:, k] += j.predicted[rows] == k
            evidence[:, k] += _evidence(j, np.full(len(rows), k), label, rows)
    votes[np.arange(len(rows)), label] = 0
    most = votes.max(axis=1, initial=0)
    among = np.where(votes == most[:, None], evidence, -np.inf)
    among[np.arange(len(rows)), label] = -np.inf
    return np.where(most > 0, among.argmax(axis=1), NONE)


def _evidence(judge: Judge, other: IntArray, label: IntArray, rows: IntArray) -> FloatArray:
    return np.asarray(judge.log(other, rows) - judge.log(label, rows))


def _most_take(judges: Sequence[Judge], classes: int, n: int) -> IntArray:
    """The class that more than half of the judges predict, shape (n,); -1 where there is none."""
    out = np.full(n, NONE, dtype=np.int64)
    for k in range(classes):
        votes = np.zeros(n, dtype=np.int64)
        for j in judges:
            votes += j.predicted == k
        out[2 * votes > len(judges)] = k
    return out


def _expected(actual: IntArray, judges: Sequence[Judge], classes: int, taken: IntArray) -> tuple[float, float]:
    """How many rows would be listed with every label right, and the power of the evidence.

    The chance of each class is that of its share times the judges' evidence to a power, which is that of greatest
    likelihood in 0 to 2.
    """
    n = len(actual)
    every = np.arange(n)
    prior = np.log((np.bincount(actual, minlength=classes) + 0.5) / (n + classes / 2))
    logs = np.zeros((n, classes))
    said = np.zeros(n)
    for j in judges:
        said += j.predicted >= 0
    for k in range(classes):
        label = np.full(n, k)
        for j in judges:
            logs[:, k] += j.log(label, every)
    evidence = logs - said[:, None] * prior
    power = _power(prior, evidence, actual)
    chance = _chances(prior, evidence, power)
    listed = np.zeros((n, classes), dtype=bool)
    voted = np.flatnonzero(taken >= 0)
    for k in range(classes):
        at = voted[taken[voted] != k]
        label = np.full(len(at), k)
        mean = np.add.reduce(np.stack([_evidence(j, taken[at], label, at) for j in judges]), axis=0) / len(judges)
        listed[at, k] = mean > 0
    return total(np.add.reduce(np.where(listed, chance, 0.0), axis=1)), power


def _chances(prior: FloatArray, evidence: FloatArray, power: float) -> FloatArray:
    x = prior + power * evidence
    e = np.exp(x - x.max(axis=1, keepdims=True))
    return np.asarray(e / np.add.reduce(e, axis=1)[:, None])


def _power(prior: FloatArray, evidence: FloatArray, actual: IntArray) -> float:
    """The power of greatest likelihood of the labels: where its slope, which only falls, is 0."""
    own = evidence[np.arange(len(actual)), actual]

    def slope(t: float) -> float:
        return total(own - np.add.reduce(_chances(prior, evidence, t) * evidence, axis=1))

    if slope(0.0) <= 0:
        return 0.0
    if slope(MOST_POWER) >= 0:
        return MOST_POWER
    return float(scipy.optimize.brentq(slope, 0.0, MOST_POWER, xtol=1e-13, rtol=1e-13))
