"""Two candidates on the same rows, as counts: all that a paired test of predicted classes reads."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..number import BoolArray, FloatArray, IntArray
from .answers import Answers
from .bits import Bits, ones

Quad = tuple[int, int, int, int]
MOST_MASKS = 160  # cells up to which rows are counted by bits


def _by_bits(was: list[Bits], first: list[Bits], second: list[Bits], width: int) -> IntArray:
    """Cells from which rows are of a class, and which are predicted to be, each as bits."""
    k = len(was)
    cells = np.zeros((k, width, width), dtype=np.int64)
    for i, of_class in enumerate(was):
        for j, said in enumerate(first):
            both = of_class & said
            for m, other in enumerate(second):
                cells[i, j, m] = ones(both & other)
            if width > k:
                cells[i, j, k] = ones(both) - cells[i, j].sum()
        if width > k:
            for m, other in enumerate(second):
                cells[i, k, m] = ones(of_class & other) - cells[i, :, m].sum()
            cells[i, k, k] = ones(of_class) - cells[i].sum()
    return cells


@dataclass(frozen=True)
class Joint:
    """Rows by actual class and by what each of two candidates predicts.

    cells : int64, shape (K, L, L); L is K, or K + 1 where either has rows without an answer, in the last place
    """

    cells: IntArray

    @staticmethod
    def of(a: Answers, b: Answers) -> Joint:
        """Count the rows of two candidates that predict classes."""
        assert a.predicted is not None
        assert b.predicted is not None
        k = a.classes
        width = k if a.all_answered and b.all_answered else k + 1
        if k * width * width <= MOST_MASKS:
            return Joint(_by_bits(a.was, a.said, b.said, width))
        first, second = (np.where(x < 0, k, x) for x in (a.predicted, b.predicted))
        at = (a.actual * width + first) * width + second
        return Joint(np.bincount(at, minlength=k * width * width).astype(np.int64).reshape(k, width, width))

    def quad(self, inside: BoolArray) -> Quad:
        """Rows that both, only the first, only the second and neither have in some cells.

        inside : which (actual, predicted) cells count, shape (K, L)
        """
        both = int(np.add.reduce(self.cells[inside[:, :, None] & inside[:, None, :]]))
        first, second = (int(np.add.reduce(side[inside])) - both for side in self.sides)
        return both, first, second, int(np.add.reduce(self.cells, axis=None)) - both - first - second

    def within(self, rows: BoolArray) -> Joint:
        """Only the rows of some actual classes, shape (K,)."""
        return Joint(self.cells[rows])

    @property
    def sides(self) -> tuple[IntArray, IntArray]:
        """The matrix of each, shape (K, L)."""
        return self.cells.sum(axis=2), self.cells.sum(axis=1)

    def squared_gap(self, first: FloatArray, second: FloatArray) -> float:
        """Σ over the rows of (what the first's cell bears - what the second's cell bears)²."""
        gap = first[:, :, None] - second[:, None, :]
        return float(np.add.reduce((self.cells * gap * gap).reshape(-1)))
