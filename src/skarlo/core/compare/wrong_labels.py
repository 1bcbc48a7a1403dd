"""How far a candidate's metrics could move if some labels are wrong: the least and the greatest value over all ways in
which at most so many of the doubted labels are turned, or their rows dropped.

Sharp bounds, no estimates (Horowitz and Manski 1995, Econometrica 63:281); what is said "about" is reached, but may not
be the furthest.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..counting.answers import Answers
from ..counting.tally import Tally
from ..metrics import counts, ranking
from ..metrics.losses import class_losses, row_loss, score_loss
from ..metrics.panel import Reading
from ..number import FloatArray, IntArray, clean, total
from ..results import LabelBound

How = Literal["flipped", "dropped"]
COUNTED = (
    "accuracy", "precision", "recall", "specificity", "npv", "f1", "balanced_accuracy", "youden_j", "mcc", "kappa",
)  # fmt: skip
COUNTED_MANY = ("accuracy", "balanced_accuracy", "mcc", "kappa")
LOSSES = ("brier", "log_loss")
GRID = 200  # how many flips of a class are tried one by one for areas; beyond that, so many even steps
MOST_TABLES = 2_000_000  # that are made at once
MOST_SUMS = 300_000_000  # rows looked at for an area without a closed form


@dataclass(frozen=True)
class Doubted:
    """Rows in doubt, at their places among a candidate's rows: at most k of them are wrong.

    other : of each the class that it may be instead
    """

    at: IntArray
    other: IntArray
    k: int
    how: How


@dataclass(frozen=True)
class _Move:
    """What becomes of a row: it leaves a cell, for another one where it is turned; so many may."""

    cell: tuple[int, int]
    to: tuple[int, int] | None
    most: int


def bounds(a: Answers, doubted: Doubted, reading: Reading) -> dict[str, LabelBound]:
    """The bounds of every metric that is told of so, by name; those without a value are left out.

    a : a candidate's rows as it is judged on them, without weights
    """
    out: dict[str, LabelBound] = {}
    if a.table is not None:
        found = _two(a, doubted, reading) if a.positive is not None else _many(a, doubted)
        out |= found
    t = a.tally
    if a.positive is not None and t is not None and t.positives and t.negatives:
        out |= _areas(a, t, doubted)
    if a.is_probability:
        out |= {name: _loss(a, name, doubted) for name in LOSSES if len(a.with_answer.actual)}
    return out


# Of counts.


def _two(a: Answers, d: Doubted, reading: Reading) -> dict[str, LabelBound]:
    """Of two classes: each way that can be furthest, counted."""
    assert a.table is not None
    assert a.predicted is not None
    cells, positive = np.asarray(a.table.cells, dtype=np.int64), a.positive or 0
    negative = 1 - positive
    in_doubt = np.zeros((2, 2), dtype=np.int64)
    said = a.predicted[d.at]
    np.add.at(in_doubt, (a.actual[d.at][said >= 0], said[said >= 0]), 1)

    def moves(*which: tuple[int, int]) -> list[_Move]:
        turned = d.how == "flipped"
        return [_Move(c, (1 - c[0], c[1]) if turned else None, int(in_doubt[c])) for c in which]

    right, wrong = moves((positive, positive), (negative, negative)), moves((positive, negative), (negative, positive))
    down, up = _tables(cells, right, d.k), _tables(cells, wrong, d.k)
    every = _tables(cells, right + wrong, d.k) if d.how == "dropped" else None
    out: dict[str, LabelBound] = {}
    for name in COUNTED:
        now = float(counts.values(name, cells[None], positive)[0])
        if math.isnan(now):
            continue
        lower, upper, exact = down[0], up[0], down[1] and up[1]
        if name == "kappa" and every is not None:
            lower = upper = every[0]
            exact = every[1]
        at_low, low = _furthest(name, lower, positive, -1)
        at_high, high = _furthest(name, upper, positive, 1)
        bound: LabelBound = {"value": clean(now), "low": clean(min(low, now)), "high": clean(max(high, now))}
        ends = counts.count_metrics_each(
            np.stack([lower[at_low], upper[at_high]]), positive, reading.settings.sampling, reading.names
        )  # fmt: skip
        by_chance = ends[0][name].get("low"), ends[1][name].get("high")
        if by_chance[0] is not None and by_chance[1] is not None:
            bound["labels_and_chance"] = {"low": by_chance[0], "high": by_chance[1]}
        if not exact:
            bound["about"] = True
        out[name] = bound
    return out


def _furthest(name: str, tables: IntArray, positive: int, sign: int) -> tuple[int, float]:
    """Where the least (sign -1) or greatest value is, and that; tables without one are left out."""
    value = sign * counts.values(name, tables, positive)
    at = int(np.nanargmax(value))
    return at, float(sign * value[at])


def _tables(cells: IntArray, moves: Sequence[_Move], k: int) -> tuple[IntArray, bool]:
    """The matrices after every number of moves of each kind, at most k together, shape (m, K, L); and whether these are
    all of them: beyond `MOST_TABLES` only even steps are made."""
    most = [min(m.most, k) for m in moves]
    steps = [np.arange(x + 1) for x in most]
    exact, fewer = True, 64
    while math.prod(len(s) for s in steps) > MOST_TABLES:
        exact, fewer = False, fewer - 8
        steps = [np.unique(np.linspace(0, x, min(x + 1, fewer)).astype(np.int64)) for x in most]
    if not exact and len(moves) == 2:
        steps = [np.unique(np.linspace(0, x, min(x + 1, 1400)).astype(np.int64)) for x in most]
    grid = np.stack([g.ravel() for g in np.meshgrid(*steps, indexing="ij")], axis=1)
    grid = grid[grid.sum(axis=1) <= k]
    out = np.repeat(cells[None], len(grid), axis=0)
    for i, m in enumerate(moves):
        out[:, m.cell[0], m.cell[1]] -= grid[:, i]
        if m.to is not None:
            out[:, m.to[0], m.to[1]] += grid[:, i]
    return out, exact


def _many(a: Answers, d: Doubted) -> dict[str, LabelBound]:
    """Of three classes and more: accuracy sharply, the others by the moves that change most, one after another."""
    assert a.table is not None
    assert a.predicted is not None
    cells = np.asarray(a.table.cells, dtype=np.int64)
    width = cells.shape[1]
    said = a.predicted[d.at]
    column = np.where(said < 0, width - 1, said)
    kept = (said >= 0) | (width > len(cells))
    kinds, many = np.unique(
        np.stack([a.actual[d.at], column, d.other], axis=1)[kept], axis=0, return_counts=True
    )  # fmt: skip
    moves = [
        _Move((y, j), (o, j) if d.how == "flipped" else None, int(n))
        for (y, j, o), n in zip(kinds.tolist(), many.tolist(), strict=True)
    ]
    out: dict[str, LabelBound] = {}
    for name in COUNTED_MANY:
        now = float(counts.values(name, cells[None], 0)[0])
        if math.isnan(now):
            continue
        low, high = (_greedy(name, cells, moves, d.k, sign) for sign in (-1, 1))
        out[name] = {"value": clean(now), "low": clean(min(low, now)), "high": clean(max(high, now))}
        if name != "accuracy":
            out[name]["about"] = True
    return out


def _greedy(name: str, cells: IntArray, moves: Sequence[_Move], k: int, sign: int) -> float:
    """The value after the moves that change it most, as long as one does."""
    now, best = cells, float(sign * counts.values(name, cells[None], 0)[0])
    left = [m.most for m in moves]
    for _ in range(k):
        open_ = [i for i, n in enumerate(left) if n]
        if not open_:
            break
        tables = np.repeat(now[None], len(open_), axis=0)
        for row, i in enumerate(open_):
            m = moves[i]
            tables[row, m.cell[0], m.cell[1]] -= 1
            if m.to is not None:
                tables[row, m.to[0], m.to[1]] += 1
        value = sign * counts.values(name, tables, 0)
        if np.isnan(value).all() or not np.nanmax(value) > best:
            break
        at = int(np.nanargmax(value))
        best, now = float(value[at]), tables[at]
        left[open_[at]] -= 1
    return sign * best


# Of scores.


def _areas(a: Answers, t: Tally, d: Doubted) -> dict[str, LabelBound]:
    """Areas and the largest gap: upwards the lowest positives and the highest negatives move, downwards the others."""
    assert a.score is not None
    score, positive = a.score[d.at], a.actual[d.at] == a.positive
    there = ~np.isnan(score)
    pos, neg = np.sort(score[there & positive]), np.sort(score[there & ~positive])
    ways: dict[str, tuple[Callable[[Tally], float], Callable[[_Turn], FloatArray]]] = {
        "roc_auc": (ranking.roc_area, _area), "ks": (ranking.ks_value, _largest_gap),
        "average_precision": (ranking.average_precision_value, _steps),
    }  # fmt: skip
    tied = len(t.score) < t.rows
    out: dict[str, LabelBound] = {}
    up = _Turn(t, pos[: d.k], neg[::-1][: d.k], d.k, d.how)
    down = _Turn(t, pos[::-1][: d.k], neg[: d.k], d.k, d.how)
    for name, (value, furthest) in ways.items():
        now, high, low = value(t), furthest(up), furthest(down)
        ends = [x[~np.isnan(x)] for x in (low, high)]
        least, most = min([now, *ends[0].tolist()]), max([now, *ends[1].tolist()])
        out[name] = {"value": clean(now), "low": clean(least), "high": clean(most)}
        passed_over = d.how == "dropped" and name != "roc_auc" and up.every_nth(len(up.b)) > 1
        if not up.every or passed_over or (name == "average_precision" and tied):
            out[name]["about"] = True
    return out


class _Turn:
    """b of some positives and c of some negatives leave their class, in a given order, b + c being at most k.

    b, c : the pairs, shape (m,); every : whether these are all
    """

    def __init__(self, t: Tally, pos: FloatArray, neg: FloatArray, k: int, how: How) -> None:
        self.t, self.pos, self.neg, self.turned = t, pos, neg, how == "flipped"
        self.every = k <= GRID
        bs, cs = (np.arange(len(x) + 1) for x in (pos, neg))
        if not self.every:
            bs, cs = (np.unique(np.linspace(0, len(x), min(len(x), GRID) + 1).astype(np.int64)) for x in (pos, neg))
        b, c = (g.ravel() for g in np.meshgrid(bs, cs, indexing="ij"))
        fits = b + c <= k
        self.b, self.c = b[fits], c[fits]
        self.positives = t.positives - self.b + (self.c if self.turned else 0)
        self.negatives = t.negatives - self.c + (self.b if self.turned else 0)
        self.left = (self.positives > 0) & (self.negatives > 0)

    def every_nth(self, passes: int) -> int:
        """Which of so many passes over all scores are made, so that it does not take too long."""
        return max(1, math.ceil(passes * len(self.t.score) / MOST_SUMS))

    def below(self, x: FloatArray) -> tuple[FloatArray, FloatArray]:
        """How many positives, and how many negatives, lie below each of some scores, those at it counted half."""
        t = self.t
        i = np.searchsorted(t.score, x)
        pos, neg = (np.concatenate(([0], np.cumsum(y))) for y in (t.pos, t.neg))
        return (pos[i] + pos[i + 1]) / 2, (neg[i] + neg[i + 1]) / 2


def _area(turn: _Turn) -> FloatArray:
    """The share of pairs in order: of what leaves and what comes the pairs are taken out of the whole and added."""
    t, b, c = turn.t, turn.b, turn.c
    pairs = ranking.roc_area(t) * t.positives * t.negatives
    pos_below, neg_below = turn.below(turn.pos)  # of each positive that leaves
    lost_pos = np.concatenate(([0.0], np.cumsum(neg_below)))
    gone_pos = np.concatenate(([0.0], np.cumsum(t.positives - pos_below)))
    at_neg, below_neg = turn.below(turn.neg)
    lost_neg = np.concatenate(([0.0], np.cumsum(t.positives - at_neg)))
    gone_neg = np.concatenate(([0.0], np.cumsum(below_neg)))
    if turn.turned:
        found = pairs - lost_pos[b] + gone_pos[b] - lost_neg[c] + gone_neg[c] + b * c - (b * b + c * c) / 2
    else:
        order = np.sign(turn.pos[:, None] - turn.neg[None, :])
        both = np.zeros((len(turn.pos) + 1, len(turn.neg) + 1))
        both[1:, 1:] = np.cumsum(np.cumsum((order + 1) / 2, axis=0), axis=1)
        found = pairs - lost_pos[b] - lost_neg[c] + both[b, c]
    below = turn.positives * turn.negatives
    return np.where(turn.left, found / np.where(turn.left, below, 1), np.nan)


def _largest_gap(turn: _Turn) -> FloatArray:
    """The largest gap of recall and false-positive rate: between two scores that may move it is where it was."""
    t = turn.t
    tp, fp = t.positives - np.cumsum(t.pos) + t.pos, t.negatives - np.cumsum(t.neg) + t.neg  # at or above each score
    moving = np.unique(np.concatenate((turn.pos, turn.neg)))
    starts = np.searchsorted(t.score, moving)
    ends = np.unique(np.concatenate(([0], starts + 1)))  # a score that moves closes the run of those that lie below it
    ends = ends[ends < len(t.score)]
    lowest = t.score[ends]
    gone_pos = _above(turn.pos, lowest)[turn.b]  # (m, runs): of those that leave, how many lie at or above
    gone_neg = _above(turn.neg, lowest)[turn.c]
    out = np.full(len(turn.b), np.nan)
    classes = np.stack((turn.positives, turn.negatives), axis=1)
    pairs = np.unique(classes[turn.left], axis=0)
    for pair in pairs[:: turn.every_nth(len(pairs))]:
        here = np.flatnonzero((classes == pair).all(axis=1))
        p, n = pair.tolist()
        best = np.maximum.reduceat(tp / p - fp / n, ends)
        came = (gone_neg[here] - gone_pos[here]) / p - (gone_pos[here] - gone_neg[here]) / n
        if not turn.turned:
            came = gone_neg[here] / n - gone_pos[here] / p
        out[here] = np.maximum(0.0, (best + came).max(axis=1))
    return out


def _above(moved: FloatArray, lowest: FloatArray) -> IntArray:
    """Of the first 0, 1, 2 … of some scores how many lie at or above each of others, shape (len + 1, runs)."""
    found = np.zeros((len(moved) + 1, len(lowest)), dtype=np.int64)
    found[1:] = np.cumsum(moved[:, None] >= lowest[None, :], axis=0)
    return found


def _steps(turn: _Turn) -> FloatArray:
    """Average precision: what is flagged at a score stays where labels turn, so that only the true ones change."""
    t = turn.t
    pos, neg = t.pos.astype(np.float64), t.neg.astype(np.float64)
    tp = t.positives - np.cumsum(pos) + pos
    flagged = tp + t.negatives - np.cumsum(neg) + neg
    if not turn.turned:
        return _steps_dropped(turn, pos, tp, flagged)
    moving = np.unique(np.concatenate((turn.pos, turn.neg)))
    at = np.searchsorted(t.score, moving)
    runs = np.concatenate(([0], at[:-1] + 1)) if len(at) else np.zeros(0, dtype=np.int64)
    whole = total(pos * tp / flagged)
    # Up to each moving score, from the one below it on, what one more true one above would bring.
    share = np.add.reduceat(pos / flagged, runs) if len(runs) else np.zeros(0)
    if len(at):
        share[-1] = total((pos / flagged)[runs[-1] : at[-1] + 1])
    change = _above(turn.neg, moving)[turn.c] - _above(turn.pos, moving)[turn.b]
    own = _at(turn.neg, moving)[turn.c] - _at(turn.pos, moving)[turn.b]
    found = whole + (change * share).sum(axis=1) + (own * (tp[at] + change) / flagged[at]).sum(axis=1)
    return np.where(turn.left, found / np.where(turn.left, turn.positives, 1), np.nan)


def _at(moved: FloatArray, scores: FloatArray) -> IntArray:
    found = np.zeros((len(moved) + 1, len(scores)), dtype=np.int64)
    found[1:] = np.cumsum(moved[:, None] == scores[None, :], axis=0)
    return found


def _steps_dropped(turn: _Turn, pos: FloatArray, tp: FloatArray, flagged: FloatArray) -> FloatArray:
    """Where rows leave, each pair over all scores; where that is too much, pairs at even steps."""
    t = turn.t
    out = np.full(len(turn.b), np.nan)
    for i in range(0, len(out), turn.every_nth(len(out))):
        if not turn.left[i]:
            continue
        b, c = turn.pos[: turn.b[i]], turn.neg[: turn.c[i]]
        gone_pos, gone_neg = (len(x) - np.searchsorted(np.sort(x), t.score, side="left") for x in (b, c))
        true, said = tp - gone_pos, flagged - gone_pos - gone_neg
        own = pos - (np.searchsorted(np.sort(b), t.score, side="right") - np.searchsorted(np.sort(b), t.score))
        out[i] = total(np.divide(own * true, said, out=np.zeros(len(said)), where=said > 0)) / float(turn.positives[i])
    return out


# Of losses.


def _loss(a: Answers, name: str, d: Doubted) -> LabelBound:
    """The rows whose loss changes most, or that are least or most off, move."""
    answered = np.flatnonzero(a.answered)
    place = np.full(len(a.actual), -1, dtype=np.int64)
    place[answered] = np.arange(len(answered))
    here = place[d.at] >= 0
    rows, other = place[d.at][here], d.other[here]
    b = a.with_answer
    loss = row_loss(a, name)
    n, whole = len(loss), total(loss)
    mine = loss[rows]
    if d.how == "dropped":
        up, down = np.sort(mine)[: d.k], np.sort(mine)[::-1][: d.k]
        left = n - np.arange(1, len(up) + 1)
        ends = [
            np.where(left > 0, (whole - np.cumsum(x)) / np.maximum(left, 1), whole / n).tolist() for x in (down, up)
        ]  # fmt: skip
        low, high = min(whole / n, *ends[0], whole / n), max(whole / n, *ends[1], whole / n)
        return {"value": clean(whole / n), "low": clean(low), "high": clean(high)}
    change = _turned_loss(b.take(rows), other, name) - mine
    order = np.sort(change)
    low = whole + total(np.minimum(order[: d.k], 0.0))
    high = whole + total(np.maximum(order[::-1][: d.k], 0.0))
    return {"value": clean(whole / n), "low": clean(low / n), "high": clean(high / n)}


def _turned_loss(a: Answers, other: IntArray, name: str) -> FloatArray:
    """The loss of each row, all answered, with the other class as its label."""
    if a.probable is not None:
        return class_losses(replace(a, actual=other, counted=None), name)
    assert a.score is not None
    as_positive, as_negative = (score_loss(a.score, name, positive=one) for one in (True, False))
    return np.where(other == a.positive, as_positive, as_negative)
