"""Single rows: in which order they teach most, and which row on the other side of the cutoff lies closest to one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..language.truth import Numbers, Texts
from ..number import BoolArray, FloatArray, IntArray, total

CLIP = 1e-15
NONE = -1  # the code of no answer


@dataclass(frozen=True)
class Answered:
    """What a candidate answered on the rows of a split, shape (n,) or (n, K).

    predicted : class codes, -1 for no answer
    score : of two classes, NaN for no answer; probable : whether it lies in 0 to 1 and may be read as a probability
    probabilities : of three classes and more, rows of NaN for no answer
    """

    actual: IntArray
    predicted: IntArray
    positive: int | None = None
    score: FloatArray | None = None
    probable: bool = False
    probabilities: FloatArray | None = None
    cutoff: float | None = None


def most_wrong(a: Answered) -> IntArray:
    """The rows in the order of how wrong a candidate is: wrong rows first, then by the loss of the row downwards.

    The loss is the log loss of a probability; of a score that only ranks, the share of the rows with a score between
    the row's and the cutoff; of classes alone there is none. Rows of equal loss stand in their own order.

    Examples
    --------
    >>> y, p = np.array([1, 1, 0]), np.array([0.4, 0.1, 0.2])
    >>> most_wrong(Answered(y, (p >= 0.5).astype(int), 1, p, True, cutoff=0.5)).tolist()
    [1, 0, 2]
    """
    wrong = a.predicted != a.actual
    return np.lexsort((-_loss(a), ~wrong))


def _loss(a: Answered) -> FloatArray:
    if a.probabilities is not None:
        p = a.probabilities[np.arange(len(a.actual)), a.actual]
        return _log_loss(p)
    if a.score is None:
        return np.zeros(len(a.actual))
    if a.probable:
        return _log_loss(np.where(a.actual == a.positive, a.score, 1.0 - a.score))
    if a.cutoff is None:
        return np.zeros(len(a.actual))
    ranked = np.sort(a.score[~np.isnan(a.score)])
    low, high = np.minimum(a.score, a.cutoff), np.maximum(a.score, a.cutoff)
    between = np.searchsorted(ranked, high, side="left") - np.searchsorted(ranked, low, side="right")
    return np.where(np.isnan(a.score), math.inf, np.maximum(between, 0) / max(1, len(ranked)))


def _log_loss(p: FloatArray) -> FloatArray:
    """Of the actual class's probability; without an answer the most there is."""
    return np.where(np.isnan(p), math.inf, -np.log(np.clip(p, CLIP, 1.0 - CLIP)))


def least_sure(a: Answered) -> IntArray:
    """The rows in the order of how near the candidate is to another answer: of two classes by how far the rank of the
    score lies from that of the cutoff (mid-ranks), else by the largest less the second probability. Rows without an
    answer stand last.

    Examples
    --------
    >>> p = np.array([0.1, 0.9, 0.45, 0.6])
    >>> least_sure(Answered(np.zeros(4, int), (p >= 0.5).astype(int), 1, p, True, cutoff=0.5)).tolist()
    [2, 3, 0, 1]
    """
    if a.probabilities is not None:
        ends = np.sort(a.probabilities, axis=1)
        return np.argsort(np.nan_to_num(ends[:, -1] - ends[:, -2], nan=math.inf), kind="stable")
    if a.score is None or a.cutoff is None:
        return np.arange(len(a.actual))
    order = np.argsort(a.score, kind="stable")  # what is absent stands last
    ranked = a.score[order]
    ranked = ranked[~np.isnan(ranked)]
    far = np.full(len(a.score), math.inf)
    apart = np.abs(_rank(ranked, ranked) - _rank(ranked, np.array([a.cutoff])))
    far[order[: len(ranked)]] = apart / max(1, len(ranked))
    return np.argsort(far, kind="stable")


def _rank(ranked: FloatArray, x: FloatArray) -> FloatArray:
    """The mid-rank of values among ranked ones: halfway between those below and those not above."""
    return (np.searchsorted(ranked, x, side="left") + np.searchsorted(ranked, x, side="right")) / 2.0


def disagreement(predicted: Sequence[IntArray], probabilities: Sequence[FloatArray] = ()) -> IntArray:
    """The rows in the order of how much candidates differ: by the pairs of candidates whose predicted classes differ,
    then by how far their probabilities of the positive class lie apart.

    Examples
    --------
    >>> said = [np.array([0, 1, 1]), np.array([0, 0, 1]), np.array([0, 1, 0])]
    >>> disagreement(said).tolist()
    [1, 2, 0]
    """
    n = len(predicted[0]) if predicted else 0
    pairs = np.zeros(n)
    for i, one in enumerate(predicted):
        for other in predicted[i + 1 :]:
            pairs += one != other
    spread = np.zeros(n)
    if len(probabilities) > 1:
        told = np.stack(list(probabilities))
        there = ~np.isnan(told)
        most = np.where(there, told, -math.inf).max(axis=0)
        least = np.where(there, told, math.inf).min(axis=0)
        spread = np.where(there.sum(axis=0) > 1, most - least, 0.0)
    return np.lexsort((-spread, -pairs))


@dataclass(frozen=True)
class Nearest:
    """A row that lies close, how far it is, and of each field its part of that."""

    row: int
    distance: float
    parts: dict[str, float]


def nearest(
    at: int, fields: dict[str, Numbers | Texts], among: BoolArray, inside: BoolArray, most: int = 5,
    score: FloatArray | None = None, embedding: FloatArray | None = None,
) -> list[Nearest]:  # fmt: skip
    """The rows that lie closest to one.

    The distance adds up over the fields: of numbers and dates the difference in standard deviations (n - 1) over the
    rows inside, a field without any spread being left out; of categories 0 where they are equal, else 1; where one of
    the two is absent 1, where both are 0 (after Gower 1971, Biometrics 27:857). Of equal ones the nearer score, then
    the order of the rows.

    Parameters
    ----------
    at : the row
    fields : of all rows, shape (n,) each
    among : bool, shape (n,); the rows that are looked at, the row itself never being one
    inside : bool, shape (n,); the rows whose spread a number is measured in
    most : how many are told
    score : of all rows, where there is one
    embedding : of all rows, shape (n, d); where given the distance is that of the embedding alone, and the fields say
        what differs

    Examples
    --------
    >>> x = {"girth": Numbers(np.array([1.0, 2.0, 4.0]))}
    >>> every = np.ones(3, dtype=bool)
    >>> [(n.row, round(n.distance, 3)) for n in nearest(0, x, every, every)]
    [(1, 0.655), (2, 1.964)]
    """
    rows = np.flatnonzero(among)
    rows = rows[rows != at]
    parts: dict[str, FloatArray] = {}
    for name, of in fields.items():
        found = _apart(of, at, rows, inside)
        if found is not None:
            parts[name] = found
    far = np.zeros(len(rows))
    if embedding is not None:
        far = np.nan_to_num(np.sqrt(np.add.reduce((embedding[rows] - embedding[at]) ** 2, axis=1)), nan=math.inf)
    for part in parts.values() if embedding is None else ():
        far = far + part
    beside = np.zeros(len(rows)) if score is None else np.nan_to_num(np.abs(score[rows] - score[at]), nan=math.inf)
    best = np.lexsort((rows, beside, far))[:most]
    return [
        Nearest(int(rows[i]), float(far[i]), {name: float(part[i]) for name, part in parts.items()})
        for i in best.tolist()
    ]  # fmt: skip


def _apart(of: Numbers | Texts, at: int, rows: IntArray, inside: BoolArray) -> FloatArray | None:
    """How far the rows lie from one in a field; None for a field without any spread."""
    if isinstance(of, Texts):
        differs: FloatArray = (of.codes[rows] != of.codes[at]).astype(np.float64)
        return differs
    x = of.values
    known = x[inside & ~np.isnan(x)]
    if len(known) < 2:
        return None
    mean = total(known) / len(known)
    spread = math.sqrt(total((known - mean) ** 2) / (len(known) - 1))
    if spread <= 0:
        return None
    here = x[at]
    if np.isnan(here):
        return np.where(np.isnan(x[rows]), 0.0, 1.0)
    return np.asarray(np.where(np.isnan(x[rows]), 1.0, np.abs(x[rows] - here) / spread))
