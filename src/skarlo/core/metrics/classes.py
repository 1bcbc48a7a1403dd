"""Areas of one class against the rest, their plain mean over the classes, and those of all classes pooled."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from ..counting.answers import Answers, Scored
from ..counting.curves import Curve, pr_curve, roc_curve
from ..counting.tally import Tally
from ..number import FloatArray, IntArray, total
from ..stats.estimate import Estimate
from ..stats.intervals import Interval, z_value
from ..stats.mover import mover_mean
from ..stats.tests import Compared, normal
from . import ranking

FEW = 10  # rows of a class, under which a mean over classes may say too much
NONE = "no class has rows inside and outside of it"


def against_rest(one: Scored, b: Answers) -> Answers:
    """A score of one class against the rest over the answered rows, as two-class answers."""
    return Answers(2, 1, one.positive.astype(np.int64), scored=one, weight=b.weight, group=b.group)


def said_against_rest(a: Answers, k: int) -> Answers:
    """Whether class k was said, and whether it is so, as two-class answers without scores."""
    said = None if a.predicted is None else np.where(a.predicted < 0, -1, a.predicted == k)
    return Answers(2, 1, (a.actual == k).astype(np.int64), said, none_counts=a.none_counts, weight=a.weight,
                   group=a.group)  # fmt: skip


@dataclass(frozen=True)
class ClassAreas:
    """The areas of the classes that have rows inside and outside.

    Attributes
    ----------
    estimates : the area of each with its own interval, M of them
    influence : float64, shape (M, n): each row's placement less the area, over the rows on its side of the class
    actual, group : of the answered rows; few : whether a class has under 10 rows
    """

    estimates: tuple[Estimate, ...]
    influence: FloatArray
    actual: IntArray
    group: IntArray | None
    few: bool
    suffix: str

    @property
    def mean(self) -> float:
        return sum(e.value for e in self.estimates) / len(self.estimates)

    @property
    def complete(self) -> bool:
        """Whether each has an interval."""
        return all(e.ends is not None for e in self.estimates)


def class_areas(a: Answers, name: str = "roc_auc") -> ClassAreas | None:
    """The areas, worked out once for all that ask; None where no class has any.

    name : roc_auc, or average_precision
    """
    assert a.probable is not None
    return a.probable.given.once.get(f"class {name}", partial(_class_areas, a, name))


def _class_areas(a: Answers, name: str) -> ClassAreas | None:
    b = a.with_answer
    assert b.probable is not None
    estimates, influence = [], []
    for scored in b.probable.of_class:
        t = scored.tally
        if t.positives <= 0 or t.negatives <= 0:
            continue
        one = against_rest(scored, b)
        w = np.ones(len(scored.positive)) if b.weight is None else b.weight
        if name == "average_precision":
            found = ranking.average_precision_estimate(one, t)
            estimates.append(found)
            influence.append(w * one.of_rows(*ranking.average_precision_influence(t, found.value)))
            continue
        found = ranking.roc_auc_estimate(one, t)
        on_pos, on_neg = ranking.placements(t)
        pos = scored.positive
        placed = one.of_rows(on_pos, on_neg) - found.value
        sides = np.where(pos, float(np.add.reduce(w[pos])), float(np.add.reduce(w[~pos])))
        estimates.append(found)
        influence.append(w * placed / sides)
    if not estimates:
        return None
    rows = np.bincount(b.actual, minlength=a.classes)
    few = bool(rows[rows > 0].min() < FEW)
    return ClassAreas(tuple(estimates), np.array(influence), b.actual, b.group, few, a.suffix)


def _correlations(influence: FloatArray, group: IntArray | None) -> FloatArray:
    """Of the parts, from the rows' (or groups') influence on each: shape (M, M)."""
    part = influence
    if group is not None:
        _, code = np.unique(group, return_inverse=True)
        part = np.array([np.bincount(code, weights=row) for row in influence])
    products = part @ part.T
    spread = np.sqrt(np.diag(products))
    with np.errstate(invalid="ignore", divide="ignore"):
        rho = np.where(np.outer(spread, spread) > 0, products / np.outer(spread, spread), 0.0)
    np.fill_diagonal(rho, 1.0)
    return np.clip(rho, -1.0, 1.0)


def macro_area(a: Answers, name: str = "roc_auc") -> Estimate | None:
    """The plain mean of the areas, its interval from those of the classes; None where no class has one."""
    found = class_areas(a, name)
    if found is None:
        return None
    if not found.complete:
        why = next(e.why for e in found.estimates if e.ends is None)
        return Estimate(found.mean, why=f"the area of a class has no interval: {why}")
    rho = _correlations(found.influence, found.group)

    def ends(z: float) -> Interval:
        own = [e.ends(z) for e in found.estimates if e.ends is not None]
        return mover_mean([e.value for e in found.estimates], own, rho, limits=(0.0, 1.0))

    return Estimate(found.mean, ends, "mover_classes" + found.suffix, unreliable=found.few)


def pooled(a: Answers) -> Answers:
    """All (row, class) pairs as one problem of two classes: the class's probability, and whether the row is of it. The
    pairs of a row belong together, as rows of a group do (Fawcett 2006, Pattern Recognit. Lett. 27:861).
    """
    assert a.probable is not None
    return a.probable.given.once.get("pooled", partial(_pooled, a.with_answer))


def _pooled(b: Answers) -> Answers:
    assert b.probable is not None
    k = b.classes
    positive = (b.actual[:, None] == np.arange(k)).ravel()
    rows = np.arange(len(b.actual)) if b.group is None else b.group
    weight = None if b.weight is None else np.repeat(b.weight, k)
    scored = Scored(b.probable.probabilities.ravel() + 0.0, positive, True, weight)
    return Answers(2, 1, positive.astype(np.int64), scored=scored, weight=weight, group=np.repeat(rows, k))


def macro_roc(a: Answers) -> Curve:
    """At every false-positive rate that any class's curve has the mean of the recalls there, linear between points; of
    a vertical step both ends. Its area is the plain mean of the areas.
    """
    drawn = [(c["fpr"], c["tpr"]) for c in map(roc_curve, _both_sides(a))]
    at = np.unique(np.concatenate([x for x, _ in drawn]))
    low, high = (np.mean([_level(*c, at, side) for c in drawn], axis=0) for side in ("left", "right"))
    return {"fpr": np.repeat(at, 2), "tpr": np.stack([low, high], axis=1).ravel()}


def _level(x: FloatArray, y: FloatArray, at: FloatArray, side: Literal["left", "right"]) -> FloatArray:
    """A curve that runs to the right and up, at some places: the lower or the upper end of its vertical steps."""
    i = np.searchsorted(x, at, side=side)
    if side == "left":  # the first point at or after the place
        j = np.minimum(i, len(x) - 1)
        before = np.maximum(j - 1, 0)
        return np.where(x[j] == at, y[j], _between(x, y, before, j, at))
    j = np.maximum(i - 1, 0)  # the last point at or before it
    return np.where(x[j] == at, y[j], _between(x, y, j, np.minimum(j + 1, len(x) - 1), at))


def _between(x: FloatArray, y: FloatArray, i: IntArray, j: IntArray, at: FloatArray) -> FloatArray:
    width = x[j] - x[i]
    share = np.divide(at - x[i], width, out=np.zeros(len(at)), where=width > 0)
    return np.asarray(y[i] + share * (y[j] - y[i]))


def macro_pr(a: Answers) -> Curve:
    """At every recall above 0 that any class's curve has the mean of the precisions at the highest cutoff that reaches
    it, in steps to the left. Its area by steps is the plain mean of the average precisions.
    """
    drawn = [(c["recall"], c["precision"]) for c in map(pr_curve, _both_sides(a))]
    at = np.unique(np.concatenate([x[x > 0] for x, _ in drawn]))
    mean = np.mean([y[np.minimum(np.searchsorted(x, at), len(x) - 1)] for x, y in drawn], axis=0)
    return {"recall": at, "precision": mean}


def _both_sides(a: Answers) -> list[Tally]:
    """The tallies of the classes that have rows inside and outside."""
    assert a.probable is not None
    return [t for t in (one.tally for one in a.probable.of_class) if t.positives > 0 and t.negatives > 0]


def macro_area_difference(a: Answers, b: Answers) -> Compared:
    """Paired difference of two means of areas, on the rows that both answered."""
    first, second = class_areas(a), class_areas(b)
    assert first is not None
    assert second is not None
    gap, m = first.mean - second.mean, len(first.estimates)
    between = (np.add.reduce(first.influence) - np.add.reduce(second.influence)) / m
    found = normal(gap, _variance(between, first), "influence" + first.suffix)
    if not (first.complete and second.complete):
        return found
    parts = (*first.estimates, *second.estimates)
    rho = _correlations(np.concatenate((first.influence, second.influence)), first.group)

    def interval(confidence: float) -> Interval:
        z = z_value(confidence)
        own = [e.ends(z) for e in parts if e.ends is not None]
        return mover_mean([e.value for e in parts], own, rho, [1.0] * m + [-1.0] * m, m)

    kind = "mover_classes" + first.suffix
    return Compared(gap, found.p, found.test, interval, found.why, kind, first.few)


def _variance(between: FloatArray, found: ClassAreas) -> float:
    """Of a sum of independent rows, those of a class around their mean; of sums of groups where there are any."""
    if found.group is not None:
        _, code = np.unique(found.group, return_inverse=True)
        return total(np.asarray(np.bincount(code, weights=between), dtype=np.float64) ** 2)
    out = 0.0
    for k in np.unique(found.actual).tolist():
        here = between[found.actual == k]
        n = len(here)
        out += (n / (n - 1) if n > 1 else 1.0) * total(here**2)
    return out
