"""One candidate's answers on some rows: what every metric of it is computed from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar, overload

import numpy as np
import numpy.typing as npt

from ..number import BoolArray, FloatArray, IntArray, total
from ..once import Once, lazy
from . import table, tally
from .bits import Bits, packed
from .table import Table
from .tally import Counts, Tally

Rows = BoolArray | IntArray
T = TypeVar("T", bound=np.generic)


@overload
def taken(x: npt.NDArray[T], rows: Rows) -> npt.NDArray[T]: ...
@overload
def taken(x: None, rows: Rows) -> None: ...
def taken(x: npt.NDArray[T] | None, rows: Rows) -> npt.NDArray[T] | None:
    """Some of the rows, where there are any; all but few are copied as the stretches that lie between these."""
    if x is None:
        return None
    if rows.dtype == np.bool_ and len(rows) - np.count_nonzero(rows) <= tally.FEW:
        return tally.without(x, np.flatnonzero(~rows))
    return x[rows]


def ranked(distinct: FloatArray, x: FloatArray) -> IntArray:
    """The place of each number among distinct ones that hold it: for few numbers."""
    return np.asarray(np.searchsorted(distinct, x + 0.0))


@dataclass(frozen=True)
class Scored:
    """A score for each row, read as saying that it is positive; no cutoff is part of it.

    Attributes
    ----------
    score : float64, shape (n,), NaN for no answer
    positive : bool, shape (n,); which rows are positive
    probable : whether scores may be read as probabilities
    weight : float64, shape (n,), or None
    once : what was worked out of these scores, for whoever asks next
    source : the scores that all but few of the rows were left of, and which stayed; counted : the tally, where it is
        known already
    """

    score: FloatArray
    positive: BoolArray
    probable: bool = True
    weight: FloatArray | None = None
    once: Once = field(default_factory=Once, compare=False, repr=False)
    source: tuple[Scored, BoolArray] | None = field(default=None, compare=False, repr=False)
    counted: Tally | None = field(default=None, compare=False, repr=False)

    def take(self, rows: Rows) -> Scored:
        """The same on some of the rows. Where only few are left out, what was put in order is not put in order anew."""
        found, whole = self._some(rows), self.given
        if rows.dtype != np.bool_ or self.weight is not None or "tally" not in whole.__dict__:
            return found
        kept = np.asarray(rows if self.complete else rows[self.answered], dtype=bool)
        left_out = len(kept) - int(np.count_nonzero(kept))
        if len(kept) - left_out < len(found.score) or left_out > len(kept) // 8:
            return found  # some that are kept have no score, or many are left out
        return replace(found, source=(whole, kept))

    def _some(self, rows: Rows) -> Scored:
        return Scored(taken(self.score, rows), taken(self.positive, rows), self.probable, taken(self.weight, rows))

    @lazy
    def answered(self) -> BoolArray:
        """Which rows have a score."""
        return np.asarray(~np.isnan(self.score))

    @lazy
    def complete(self) -> bool:
        """Whether all have."""
        return not bool(np.isnan(self.score).any())

    @lazy
    def given(self) -> Scored:
        """Only the rows with a score."""
        return self if self.complete else self._some(self.answered)

    @lazy
    def tally(self) -> Tally:
        """The tally of the rows with a score."""
        if self.counted is not None:
            return self.counted
        if self.source is not None:
            whole = self.source[0]
            score, positive = whole.score[self.left_out], whole.positive[self.left_out]
            return tally.left_of(whole.tally, ranked(whole.tally.score, score), positive)
        return tally.make(self.score, self.positive, self.weight) if self.complete else self.given.tally

    @lazy
    def place(self) -> Counts:
        """The place in the tally of each row with a score, shape (n,), from 0."""
        if self.source is not None:
            place, left = tally.without(self.source[0].place, self.left_out), self.tally.source
            assert left is not None
            gone = left.gone
            if len(gone) > tally.FEW:
                return place - np.searchsorted(gone, place)
            moved = np.zeros(len(place), dtype=np.int8)
            for at in gone.tolist():
                moved += place > at
            return place - moved
        if not self.complete:
            return self.given.place
        order = tally.order(self.score + 0.0)
        width = tally.narrow(2 * len(order))  # `of_rows` goes up to twice the place
        place = np.empty(len(order), dtype=width)
        place[order] = np.repeat(np.arange(len(self.tally.score), dtype=width), self._ties(order))
        return place

    def _ties(self, order: IntArray) -> IntArray:
        """How many rows have each distinct score; by weights the tally does not know."""
        if self.weight is None:
            return self.tally.pos + self.tally.neg
        ordered = self.score[order]
        begins = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
        return np.diff(begins, append=len(order))

    @lazy
    def left_out(self) -> IntArray:
        """Which rows of the source were left out."""
        assert self.source is not None
        return np.flatnonzero(~self.source[1])

    def of_rows(self, on_positive: FloatArray, on_negative: FloatArray) -> FloatArray:
        """Of each row with a score, what stands at its place for its class; both arrays go along the tally."""
        both = np.stack([on_negative, on_positive], axis=1).ravel()
        at = 2 * self.place
        at += self.given.positive
        return np.asarray(both[at])


@dataclass(frozen=True)
class Probable:
    """Class probabilities for each row, float64, shape (n, K), rows of NaN for no answer; and each row's class."""

    probabilities: FloatArray
    actual: IntArray
    weight: FloatArray | None = None
    once: Once = field(default_factory=Once, compare=False, repr=False)

    def take(self, rows: Rows) -> Probable:
        """The same on some of the rows."""
        return Probable(taken(self.probabilities, rows), taken(self.actual, rows), taken(self.weight, rows))

    @lazy
    def answered(self) -> BoolArray:
        """Which rows have probabilities."""
        return np.asarray(~np.isnan(self.probabilities[:, 0]))

    @lazy
    def complete(self) -> bool:
        """Whether all have."""
        return bool(self.answered.all())

    @lazy
    def given(self) -> Probable:
        """Only the rows with probabilities."""
        return self if self.complete else self.take(self.answered)

    @lazy
    def largest(self) -> IntArray:
        """The class with the largest probability, first of equals; -1 for no answer."""
        best = np.argmax(np.nan_to_num(self.probabilities, nan=-1.0), axis=1).astype(np.int64)
        return np.where(self.answered, best, -1)

    @lazy
    def of_class(self) -> tuple[Scored, ...]:
        """Each class's probability as a score of that class against the rest, over the rows that have one."""
        g = self.given
        return tuple(
            Scored(g.probabilities[:, k] + 0.0, g.actual == k, True, g.weight) for k in range(g.probabilities.shape[1])
        )

    @lazy
    def likely(self) -> Scored:
        """The largest probability as a score of being right, over the rows that have one."""
        g = self.given
        return Scored(g.probabilities.max(axis=1), g.largest == g.actual, True, g.weight)


@dataclass(frozen=True)
class Answers:
    """Rows with their actual class and what a candidate answered: a score, class probabilities, or classes alone.

    What no cutoff changes lies in `scored` and `probable`, which answers at several cutoffs share; so the rows are put
    in order once for all of them.

    Attributes
    ----------
    classes : number of classes K
    positive : the positive class of two; None with more
    actual : int64 codes, shape (n,)
    predicted : int64 codes, shape (n,), -1 for no answer; None when no cutoff could be set
    scored : two classes, scores; probable : three or more, probabilities; at most one of them
    none_counts : whether rows without an answer count as wrong, in a column of their own
    weight : float64, shape (n,); group : int64, shape (n,); or None
    numbers : numeric fields that own metrics sum, each float64, shape (n,)
    counted : the matrix of these rows, where it is known already
    """

    classes: int
    positive: int | None
    actual: IntArray
    predicted: IntArray | None = None
    scored: Scored | None = None
    probable: Probable | None = None
    none_counts: bool = False
    weight: FloatArray | None = None
    group: IntArray | None = None
    numbers: Mapping[str, FloatArray] = field(default_factory=dict)
    counted: Table | None = None

    @staticmethod
    def of_scores(
        actual: IntArray, score: FloatArray, cutoff: float | None = None, *, positive: int = 1, probable: bool = True,
        weight: FloatArray | None = None, **about: Any,
    ) -> Answers:  # fmt: skip
        """Of two classes, from scores.

        Parameters
        ----------
        actual : int64 codes 0 and 1, shape (n,)
        score : float64, shape (n,), NaN for no answer
        cutoff : predicted positive when score >= cutoff; no class is predicted if left out
        about : none_counts, group, numbers
        """
        scored = Scored(score, actual == positive, probable, weight)
        a = Answers(2, positive, actual, scored=scored, weight=weight, **about)
        return a if cutoff is None else a.at(cutoff)

    @staticmethod
    def of_probabilities(
        actual: IntArray, probabilities: FloatArray, *, weight: FloatArray | None = None, **about: Any
    ) -> Answers:
        """Of three classes or more, from probabilities, float64, shape (n, K): the largest is predicted."""
        probable = Probable(probabilities, actual, weight)
        return Answers(
            probabilities.shape[1], None, actual, probable.largest, probable=probable, weight=weight, **about
        )

    @staticmethod
    def of_classes(
        actual: IntArray, predicted: IntArray, classes: int = 2, *, positive: int | None = 1, **about: Any
    ) -> Answers:
        """From predicted classes alone, int64 codes, shape (n,), -1 for no answer."""
        return Answers(classes, positive if classes == 2 else None, actual, predicted, **about)

    def at(self, cutoff: float) -> Answers:
        """The same with the positive class predicted when score >= cutoff; infinity predicts it for no row."""
        if self.scored is None or self.positive is None:
            raise ValueError("a cutoff needs scores of two classes")
        said = (self.scored.score >= cutoff).view(np.int8).astype(np.int64)
        if self.positive == 0:
            np.subtract(1, said, out=said)
        if not self.scored.complete:
            said[~self.scored.answered] = -1
        return replace(self, predicted=said, counted=None)

    def take(self, rows: Rows, counted: Table | None = None) -> Answers:
        """The same on some of the rows; `counted` is their matrix, where it is known already."""
        scored = None if self.scored is None else self.scored.take(rows)
        probable = None if self.probable is None else self.probable.take(rows)
        return self._with(rows, scored, probable, counted)

    def _with(self, rows: Rows, scored: Scored | None, probable: Probable | None, counted: Table | None) -> Answers:
        return replace(
            self, actual=taken(self.actual, rows), predicted=taken(self.predicted, rows), scored=scored,
            probable=probable, weight=taken(self.weight, rows), group=taken(self.group, rows),
            numbers={name: taken(x, rows) for name, x in self.numbers.items()}, counted=counted,
        )  # fmt: skip

    @property
    def score(self) -> FloatArray | None:
        """The scores, where there are any."""
        return None if self.scored is None else self.scored.score

    @property
    def probabilities(self) -> FloatArray | None:
        """The class probabilities, where there are any."""
        return None if self.probable is None else self.probable.probabilities

    @property
    def is_probability(self) -> bool:
        """Whether what was given may be read as probabilities."""
        return self.probable is not None or (self.scored is not None and self.scored.probable)

    @lazy
    def answered(self) -> BoolArray:
        """Which rows have an answer."""
        given = self.scored or self.probable
        if given is not None:
            return given.answered
        if self.predicted is not None:
            return np.asarray(self.predicted >= 0)
        return np.ones(len(self.actual), dtype=bool)

    @lazy
    def all_answered(self) -> bool:
        """Whether all have."""
        given = self.scored or self.probable
        return given.complete if given is not None else bool(self.answered.all())

    @lazy
    def with_answer(self) -> Answers:
        """Only the rows with an answer: what score metrics are over."""
        if self.all_answered:
            return self
        scored = None if self.scored is None else self.scored.given
        probable = None if self.probable is None else self.probable.given
        return self._with(self.answered, scored, probable, None)

    @lazy
    def is_positive(self) -> BoolArray:
        """Which rows are positive."""
        return np.asarray(self.actual == self.positive)

    @lazy
    def positives(self) -> int:
        """How many rows are positive, answered or not."""
        return int(np.count_nonzero(self.is_positive))

    @property
    def tally(self) -> Tally | None:
        """The tally of the answered rows' scores."""
        return None if self.scored is None else self.scored.tally

    @property
    def place(self) -> Counts:
        """Each answered row's place in the tally. Raises ValueError where there are no scores."""
        return self._with_scores.place

    def of_rows(self, on_positive: FloatArray, on_negative: FloatArray) -> FloatArray:
        """Of each answered row, what stands at its place in the tally for its class. Raises as `place`."""
        return self._with_scores.of_rows(on_positive, on_negative)

    @property
    def _with_scores(self) -> Scored:
        if self.scored is None:
            raise ValueError("answers of classes only have no place in a tally")
        return self.scored

    @lazy
    def was(self) -> list[Bits]:
        """For each class which rows are of it, as bits."""
        return [packed(self.actual == k) for k in range(self.classes)]

    @lazy
    def said(self) -> list[Bits]:
        """For each class which rows are predicted to be of it, as bits. Raises ValueError without predicted classes."""
        if self.predicted is None:
            raise ValueError("no class is predicted")
        return [packed(self.predicted == k) for k in range(self.classes)]

    @lazy
    def table(self) -> Table | None:
        """The matrix, with a last column where rows without an answer count as wrong."""
        if self.predicted is None:
            return None
        if self.counted is not None:
            return self.counted
        return table.make(
            self.actual, self.predicted, self.classes, none_column=self.none_counts and not self.all_answered,
            weight=self.weight, group=self.group,
        )  # fmt: skip

    @property
    def class_rows(self) -> tuple[float, float]:
        """Rows of the positive and of the other class, answered or not; with weights the sums of these."""
        if self.weight is None:
            positives = int(np.count_nonzero(self.is_positive))
            return positives, len(self.actual) - positives
        return total(self.weight[self.is_positive]), total(self.weight[~self.is_positive])

    def one_against_rest(self, k: int) -> Tally | None:
        """The tally of class k's probability or score, against the rest."""
        if self.probable is not None:
            return self.probable.of_class[k].tally
        t = self.tally
        return t if t is None or k == self.positive else tally.mirrored(t, self.is_probability)

    @property
    def designed(self) -> bool:
        """Whether weights or groups make intervals other than the plain ones."""
        return self.weight is not None or self.group is not None

    @property
    def suffix(self) -> str:
        """What is added to an interval's name."""
        return ("_weighted" if self.weight is not None else "") + ("_clustered" if self.group is not None else "")


def mean_variance(psi: FloatArray, weight: FloatArray | None, group: IntArray | None) -> float:
    """Variance of a weighted mean whose rows have influence psi (mean 0): linearised, cluster-robust with groups.

    psi : float64, shape (n,). The sum of squares of the (weighted) influence, within groups where given, over (Σw)².
    """
    part = psi if weight is None else psi * weight
    total = float(len(psi)) if weight is None else float(np.add.reduce(weight))
    if group is not None:
        _, code = np.unique(group, return_inverse=True)
        part = np.asarray(np.bincount(code, weights=part), dtype=np.float64)
    return float(np.add.reduce(part**2)) / (total * total)


def effective_rows(weight: FloatArray | None, group: IntArray | None, n: int) -> float:
    """How many independent rows stand behind n rows: groups as one each, weights by Kish's (Σw)²/Σw²."""
    if group is not None:
        _, code = np.unique(group, return_inverse=True)
        weight = np.bincount(code, weights=weight).astype(np.float64)
    if weight is None:
        return float(n)
    squares = float(np.add.reduce(weight**2))
    return float(np.add.reduce(weight)) ** 2 / squares if squares > 0 else 0.0
