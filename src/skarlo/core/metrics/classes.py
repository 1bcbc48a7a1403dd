"""Areas of one class against the rest, and their plain mean over the classes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from ..counting.answers import Answers, Scored
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


def class_areas(a: Answers) -> ClassAreas | None:
    """The areas, worked out once for all that ask; None where no class has any."""
    assert a.probable is not None
    return a.probable.given.once.get("class areas", partial(_class_areas, a))


def _class_areas(a: Answers) -> ClassAreas | None:
    b = a.with_answer
    assert b.probable is not None
    estimates, influence = [], []
    for scored in b.probable.of_class:
        t = scored.tally
        if t.positives <= 0 or t.negatives <= 0:
            continue
        one = against_rest(scored, b)
        found = ranking.roc_auc_estimate(one, t)
        on_pos, on_neg = ranking.placements(t)
        w = np.ones(len(scored.positive)) if b.weight is None else b.weight
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


def macro_area(a: Answers) -> Estimate | None:
    """The plain mean of the areas, its interval from those of the classes; None where no class has one."""
    found = class_areas(a)
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
