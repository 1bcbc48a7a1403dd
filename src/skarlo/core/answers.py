"""One candidate's answers on some rows: what every metric of it is computed from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from . import table, tally
from .table import Table
from .tally import Tally
from .values import BoolArray, FloatArray, IntArray


@dataclass(frozen=True)
class Answers:
    """Rows with their actual class and what a candidate said of them.

    Attributes
    ----------
    classes : number of classes K
    positive : the positive class of two; None with more
    actual : int64 codes, shape (n,)
    predicted : int64 codes, shape (n,), -1 for no answer; None when no cutoff could be set
    score : float64, shape (n,), NaN for no answer; two classes; None for classes only
    probabilities : float64, shape (n, K), NaN rows for no answer; None where not given
    is_probability : whether scores may be read as probabilities
    none_counts : whether rows without an answer count as wrong, in a column of their own
    weight : float64, shape (n,); group : int64, shape (n,); or None
    numbers : numeric fields that own metrics sum, each float64, shape (n,)
    counted : the matrix of these rows, where it is known already
    """

    classes: int
    positive: int | None
    actual: IntArray
    predicted: IntArray | None
    score: FloatArray | None
    probabilities: FloatArray | None
    is_probability: bool
    none_counts: bool
    weight: FloatArray | None
    group: IntArray | None
    numbers: Mapping[str, FloatArray] = field(default_factory=dict)
    counted: Table | None = None

    def take(self, rows: BoolArray | IntArray, counted: Table | None = None) -> Answers:
        """The same on some of the rows; `counted` is their matrix, where it is known already."""

        def part(x: Any) -> Any:
            return None if x is None else x[rows]

        return replace(
            self, actual=self.actual[rows], predicted=part(self.predicted), score=part(self.score),
            probabilities=part(self.probabilities), weight=part(self.weight), group=part(self.group),
            numbers={name: x[rows] for name, x in self.numbers.items()}, counted=counted,
        )  # fmt: skip

    @cached_property
    def answered(self) -> BoolArray:
        """Which rows have an answer."""
        if self.score is not None:
            return np.asarray(~np.isnan(self.score))
        if self.probabilities is not None:
            return np.asarray(~np.isnan(self.probabilities[:, 0]))
        if self.predicted is not None:
            return np.asarray(self.predicted >= 0)
        return np.ones(len(self.actual), dtype=bool)

    @cached_property
    def all_answered(self) -> bool:
        return not bool(np.isnan(self.score).any()) if self.score is not None else bool(self.answered.all())

    @cached_property
    def with_answer(self) -> Answers:
        """Only the rows with an answer: what score metrics are over."""
        return self if self.all_answered else self.take(self.answered)

    @cached_property
    def is_positive(self) -> BoolArray:
        return np.asarray(self.actual == self.positive)

    @cached_property
    def tally(self) -> Tally | None:
        """The tally of the answered rows' scores."""
        if self.score is None:
            return None
        a = self.with_answer
        assert a.score is not None
        return tally.make(a.score, a.is_positive, a.weight)

    @cached_property
    def place(self) -> IntArray:
        """Each answered row's place in the tally."""
        a, t = self.with_answer, self.tally
        assert t is not None
        assert a.score is not None
        return np.searchsorted(t.score, a.score + 0.0)

    @cached_property
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

    def one_against_rest(self, k: int) -> Tally | None:
        """The tally of class k's probability or score, against the rest."""
        if self.positive is not None:
            t = self.tally
            return t if k == self.positive or t is None else tally.mirrored(t, self.is_probability)
        if self.probabilities is None:
            return None
        a = self.with_answer
        assert a.probabilities is not None
        return tally.make(a.probabilities[:, k], a.actual == k, a.weight)

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
