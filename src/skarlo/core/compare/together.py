"""Several candidates' scores on the same rows: what each row bears on a metric, compared pair by pair in one pass.

The rows go block by block, so that each candidate's values are worked out once a block for all pairs it stands in, and
never lie in memory for all rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from ..counting.answers import Scored
from ..counting.tally import blocks
from ..metrics import losses, ranking
from ..number import FloatArray, IntArray, total
from ..once import Once, beside, lazy

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


def _areas(s: Scored) -> tuple[Table, float]:
    t = s.tally
    area = ranking.roc_area(t)
    on_pos, on_neg = ranking.placements(t)
    on_pos -= area
    on_neg -= area
    return (on_pos, on_neg), 0.0


def _steps(s: Scored) -> tuple[Table, float]:
    return ranking.average_precision_influence(s.tally, ranking.average_precision_value(s.tally)), 0.0


def _losses(name: str, s: Scored) -> tuple[Table, float]:
    on_pos, on_neg = losses.row_losses(s.tally, name)
    mean = losses.mean_of_losses(s, name)
    return (on_pos - mean, on_neg - mean), mean


LOSSES = ("brier", "log_loss")
TABLES: dict[str, Callable[[Scored], tuple[Table, float]]] = {
    "roc_auc": _areas,
    "average_precision": _steps,
    "brier": partial(_losses, "brier"),
    "log_loss": partial(_losses, "log_loss"),
}


def _table(name: str, s: Scored) -> tuple[Table, float]:
    """What rows bear; nothing where scores that only rank would be read as probabilities."""
    if name in LOSSES and not s.probable:
        nothing = np.zeros(len(s.tally.score))
        return (nothing, nothing), 0.0
    return TABLES[name](s)


@dataclass(frozen=True)
class _Sums:
    """Of all: squares (2, E), squared gaps and gaps (2, E, E) above the diagonal, means (E,)."""

    squares: FloatArray
    squared_gap: FloatArray
    gap: FloatArray
    means: list[float]


class Together:
    """Scores of several candidates for the same rows, without weights or groups; some rows may have none."""

    def __init__(self, scored: Sequence[Scored]) -> None:
        self.scored = list(scored)
        self._at = {id(s): i for i, s in enumerate(self.scored)}
        self._complete = [i for i, s in enumerate(self.scored) if s.complete]
        self._once, self._rows = Once(), len(self.scored[0].score)

    def of(self, name: str, a: Scored, b: Scored, rows: tuple[int, int] | None = None) -> PairSums | None:
        """The sums of a pair on a metric; None where one of them is not among these, or has rows without a score that
        what others bear hangs on.

        rows : how many of each class both have a score for; all of them, if left out
        """
        i, j = self._at.get(id(a)), self._at.get(id(b))
        if i is None or j is None or name not in TABLES:
            return None
        if name not in LOSSES and not (a.complete and b.complete):
            return None
        s = self._once.get(name, lambda: self._sums(name))
        first, second = min(i, j), max(i, j)
        sign = 1.0 if i < j else -1.0
        return PairSums(
            (s.squares[:, i], s.squares[:, j]), s.squared_gap[:, first, second], sign * s.gap[:, first, second],
            (s.means[i], s.means[j]), (a.tally.positives, a.tally.negatives) if rows is None else rows,
        )  # fmt: skip

    def prepare(self, names: Iterable[str]) -> None:
        """Work out what pairs read of some metrics, beside each other."""
        several = len(self._complete) > 1
        wanted = [name for name in names if name in LOSSES or (name in TABLES and several)]
        assert not several or self._places  # made once, and not by each
        beside(lambda name: self._once.get(name, lambda: self._sums(name)), wanted, self._rows)

    @lazy
    def _places(self) -> tuple[list[IntArray], list[IntArray]]:
        """Of each complete candidate the place in its tally of each positive, and of each negative."""
        positive = self.scored[0].positive
        pos, neg = np.flatnonzero(positive), np.flatnonzero(~positive)

        def of(i: int) -> tuple[IntArray, IntArray]:
            place = self.scored[i].place
            return place[pos], place[neg]

        found = beside(of, self._complete, self._rows)
        return [on_pos for on_pos, _ in found], [on_neg for _, on_neg in found]

    def _sums(self, name: str) -> _Sums:
        many = len(self.scored)
        squares, squared, gap = np.zeros((2, many)), np.zeros((2, many, many)), np.zeros((2, many, many))
        means, values_of = self._row_losses(name) if name in LOSSES else self._looked_up(name)
        gaps = name in LOSSES and len(self._complete) < many
        for c, values in values_of:
            squares[c] += np.add.reduce(np.square(np.nan_to_num(values) if gaps else values), axis=1)
            for i in range(many - 1):
                d = values[i] - values[i + 1 :]
                if gaps:
                    d[np.isnan(d)] = 0.0  # a row that one has no score for tells no two apart
                gap[c, i, i + 1 :] += np.add.reduce(d, axis=1)
                np.square(d, out=d)
                squared[c, i, i + 1 :] += np.add.reduce(d, axis=1)
        return _Sums(squares, squared, gap, means)

    def _looked_up(self, name: str) -> tuple[list[float], Iterator[tuple[int, FloatArray]]]:
        """What rows bear that hangs on others' scores, looked up at their places, block by block: the means, and for
        each block its class and the values, shape (E, rows); 0 for candidates with rows without a score."""
        many = len(self.scored)
        tables = [_table(name, self.scored[i]) for i in self._complete]
        means = [0.0] * many
        for i, (_, mean) in zip(self._complete, tables, strict=True):
            means[i] = mean

        def made() -> Iterator[tuple[int, FloatArray]]:
            for c, places in enumerate(self._places):
                for at in blocks(len(places[0])):
                    values = np.zeros((many, len(places[0][at])))
                    for i, (table, _), place in zip(self._complete, tables, places, strict=True):
                        np.take(table[c], place[at], out=values[i], mode="clip")
                    yield c, values

        return means, made()

    def _row_losses(self, name: str) -> tuple[list[float], Iterator[tuple[int, FloatArray]]]:
        """The same of losses, which hang on a row's own score alone; NaN for rows without a score."""
        means = [losses.mean_of_losses(s.given, name) if s.probable else 0.0 for s in self.scored]

        def made() -> Iterator[tuple[int, FloatArray]]:
            positive = self.scored[0].positive
            for at in blocks(len(positive)):
                for c, rows in enumerate((np.flatnonzero(positive[at]), np.flatnonzero(~positive[at]))):
                    values = np.zeros((len(self.scored), len(rows)))
                    for i, (s, mean) in enumerate(zip(self.scored, means, strict=True)):
                        if s.probable:
                            values[i] = losses.score_loss(s.score[at][rows], name, positive=c == 0) - mean
                    yield c, values

        return means, made()


def of_one_score(name: str, a: Scored, b: Scored) -> PairSums | None:
    """The sums of a pair of which one gives every row the same score; None where neither does."""
    if len(a.tally.score) > 1 and len(b.tally.score) > 1:
        return None
    several, one = (b, a) if len(a.tally.score) == 1 else (a, b)
    (tables, mean), (flat, flat_mean), t = _table(name, several), _table(name, one), several.tally
    sign = 1.0 if several is a else -1.0
    squares, gap, squared = np.zeros((2, 2)), np.zeros(2), np.zeros(2)
    for c, (values, same, n) in enumerate(zip(tables, flat, (t.pos, t.neg), strict=True)):
        d = values - same[0]
        squares[:, c] = total(n * values * values), total(n) * float(same[0]) ** 2
        gap[c], squared[c] = sign * total(n * d), total(n * d * d)
    own, means = (0, 1) if several is a else (1, 0), (mean, flat_mean)
    return PairSums(
        (squares[own[0]], squares[own[1]]), squared, gap, (means[own[0]], means[own[1]]), (t.positives, t.negatives)
    )  # fmt: skip
