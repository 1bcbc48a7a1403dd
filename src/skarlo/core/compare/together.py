"""Several candidates' scores on the same rows: what each row bears on a metric, compared pair by pair in one pass.

The rows go block by block, so that each candidate's values are gathered once a block for all pairs it stands in, and
never lie in memory for all rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..counting.answers import Scored
from ..counting.tally import Tally, blocks
from ..metrics import losses, ranking
from ..number import FloatArray, IntArray, total
from ..once import Once, beside

Table = tuple[FloatArray, FloatArray]  # what a (positive, negative) row bears at each distinct score


@dataclass(frozen=True)
class PairSums:
    """Sums over the positive and over the negative rows, each shape (2,): of a's and of b's squares, of the squared
    differences and of the differences. What a row bears is taken about a mean: `means` are those of both."""

    squares: tuple[FloatArray, FloatArray]
    squared_gap: FloatArray
    gap: FloatArray
    means: tuple[float, float]
    rows: tuple[int, int]

    @property
    def cross(self) -> float:
        """Σ a b."""
        return (total(self.squares[0]) + total(self.squares[1]) - total(self.squared_gap)) / 2


def _areas(t: Tally) -> tuple[Table, float]:
    area = ranking.roc_area(t)
    on_pos, on_neg = ranking.placements(t)
    return (on_pos - area, on_neg - area), 0.0


def _steps(t: Tally) -> tuple[Table, float]:
    return ranking.average_precision_influence(t, ranking.average_precision_value(t)), 0.0


def _losses(name: str, t: Tally) -> tuple[Table, float]:
    on_pos, on_neg = losses.row_losses(t, name)
    mean = losses.mean_of_losses(t, name)
    return (on_pos - mean, on_neg - mean), mean


LOSSES = ("brier", "log_loss")
TABLES: dict[str, Callable[[Tally], tuple[Table, float]]] = {
    "roc_auc": _areas,
    "average_precision": _steps,
    "brier": lambda t: _losses("brier", t),
    "log_loss": lambda t: _losses("log_loss", t),
}


def _table(name: str, s: Scored) -> tuple[Table, float]:
    """What rows bear; nothing where scores that only rank would be read as probabilities."""
    if name in LOSSES and not s.probable:
        nothing = np.zeros(len(s.tally.score))
        return (nothing, nothing), 0.0
    return TABLES[name](s.tally)


@dataclass(frozen=True)
class _Sums:
    """Of all: squares (2, E), squared gaps and gaps (2, E, E) above the diagonal, means (E,)."""

    squares: FloatArray
    squared_gap: FloatArray
    gap: FloatArray
    means: list[float]


class Together:
    """Scores of several candidates, each with a score for every one of the same rows, without weights or groups."""

    def __init__(self, scored: Sequence[Scored]) -> None:
        self.scored = list(scored)
        self._at = {id(s): i for i, s in enumerate(self.scored)}
        self._once = Once()

    def of(self, name: str, a: Scored, b: Scored) -> PairSums | None:
        """The sums of a pair on a metric; None where one of them is not among these."""
        i, j = self._at.get(id(a)), self._at.get(id(b))
        if i is None or j is None or name not in TABLES:
            return None
        s = self._once.get(name, lambda: self._sums(name))
        first, second = min(i, j), max(i, j)
        sign = 1.0 if i < j else -1.0
        t = a.tally
        return PairSums(
            (s.squares[:, i], s.squares[:, j]), s.squared_gap[:, first, second], sign * s.gap[:, first, second],
            (s.means[i], s.means[j]), (t.positives, t.negatives),
        )  # fmt: skip

    def prepare(self, names: Iterable[str]) -> None:
        """Work out what pairs read of some metrics, beside each other."""
        wanted = [name for name in names if name in TABLES]
        assert self._places  # made once, and not by each
        beside(lambda name: self._once.get(name, lambda: self._sums(name)), wanted)

    @cached_property
    def _places(self) -> tuple[list[IntArray], list[IntArray]]:
        """Of each candidate the place in its tally of each positive, and of each negative."""
        positive = self.scored[0].positive
        pos, neg = np.flatnonzero(positive), np.flatnonzero(~positive)

        def of(s: Scored) -> tuple[IntArray, IntArray]:
            return s.place[pos], s.place[neg]

        found = beside(of, self.scored)
        return [on_pos for on_pos, _ in found], [on_neg for _, on_neg in found]

    def _sums(self, name: str) -> _Sums:
        tables, means = zip(*(_table(name, s) for s in self.scored), strict=True)
        many = len(self.scored)
        squares, squared, gap = np.zeros((2, many)), np.zeros((2, many, many)), np.zeros((2, many, many))
        for c, places in enumerate(self._places):
            for at in blocks(len(places[0])):
                values = np.empty((many, len(places[0][at])))
                for i, place in enumerate(places):
                    np.take(tables[i][c], place[at], out=values[i], mode="clip")
                squares[c] += np.add.reduce(np.square(values), axis=1)
                for i in range(many - 1):
                    d = values[i] - values[i + 1 :]
                    gap[c, i, i + 1 :] += np.add.reduce(d, axis=1)
                    np.square(d, out=d)
                    squared[c, i, i + 1 :] += np.add.reduce(d, axis=1)
        return _Sums(squares, squared, gap, list(means))
