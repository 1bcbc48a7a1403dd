"""Cutoffs chosen by a rule: each compares the distinct scores of one split, and flagging nothing."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from ..counting.tally import Counts, Tally, blocks
from ..number import FloatArray
from ..writing import shown

NOTHING = math.inf
Values = Callable[[Counts, Counts], FloatArray]


@dataclass(frozen=True)
class Chosen:
    """A cutoff, infinity where nothing is flagged, or None with why and how near the rule comes."""

    value: float | None
    why: str = ""


@dataclass(frozen=True)
class Sweep:
    """Counts at the cutoffs that can be best: flagging nothing, then each score where a positive stands, downwards.

    A score where none stands only adds false positives, so no rule but flag_at_most ever prefers it. `positives` and
    `negatives` are all actual rows, answered or not.
    """

    tally: Tally
    positives: float
    negatives: float

    @property
    def rows(self) -> float:
        return self.positives + self.negatives

    def values(self, of: Values) -> Iterator[tuple[FloatArray, FloatArray]]:
        """Cutoffs and what they are worth, block by block, from the highest down; flagging nothing first."""
        t = self.tally.steps
        none = np.zeros(1, dtype=t.tp.dtype)
        yield np.array([NOTHING]), of(none, none)
        for at in blocks(len(t.score)):
            yield t.score[at], of(t.tp[at], t.fp[at])


Params = Mapping[str, float]


def _best(of: Values, s: Sweep) -> tuple[Any, float]:
    """The greatest value (an integer where it is counted) and the highest cutoff among those that reach it."""
    best: Any = -math.inf
    at = NOTHING
    for cutoff, value in s.values(of):
        i = int(np.argmax(value))
        if value[i].item() > best:
            best, at = value[i].item(), float(cutoff[i])
    return best, at


def _best_f1(s: Sweep, p: Params) -> Chosen:
    def f1(tp: Counts, fp: Counts) -> FloatArray:
        below = tp + fp + s.positives
        return np.asarray(np.divide(2 * tp, below, out=np.zeros(len(below)), where=below > 0))

    return Chosen(_best(f1, s)[1])


def _best_youden(s: Sweep, p: Params) -> Chosen:
    return Chosen(_best(lambda tp, fp: tp * s.negatives - fp * s.positives, s)[1])


def _least_cost(s: Sweep, p: Params) -> Chosen:
    cost = _best(lambda tp, fp: -(p["false_positive"] * fp + p["false_negative"] * (s.positives - tp)), s)
    return Chosen(cost[1])


def _recall_at_least(s: Sweep, p: Params) -> Chosen:
    most = 0.0
    for cutoff, recall in s.values(lambda tp, fp: tp / s.positives):
        reached = np.flatnonzero(recall >= p["value"])
        if reached.size:
            return Chosen(float(cutoff[reached[0]]))
        most = max(most, float(recall.max()))
    return Chosen(None, f"the greatest recall that any cutoff reaches is {shown(most)}")


def _precision_at_least(s: Sweep, p: Params) -> Chosen:
    def precision(tp: Counts, fp: Counts) -> FloatArray:
        return np.asarray(np.divide(tp, tp + fp, out=np.full(len(tp), -1.0), where=tp + fp > 0))

    caught, cutoff = _best(lambda tp, fp: np.where(precision(tp, fp) >= p["value"], tp, -1), s)
    if caught < 0:
        return Chosen(None, f"the greatest precision that any cutoff reaches is {shown(_best(precision, s)[0])}")
    return Chosen(cutoff)


def _flag_at_most(s: Sweep, p: Params) -> Chosen:
    """The last place where a positive stands that fits, then down through the negatives before the next one."""
    t, steps = s.tally, s.tally.steps

    def excess(flagged: float) -> float:
        return flagged - p["rows"] if "rows" in p else flagged / s.rows - p["share"]

    def fitting(flagged: FloatArray) -> int:
        """How many fit: what is flagged rises along the array."""
        return bisect_right(range(len(flagged)), 0.0, key=lambda i: excess(flagged[i].item()))

    j = fitting(steps.tp + steps.fp)  # so many places where a positive stands fit
    tp, fp = (steps.tp[j - 1 : j], steps.fp[j - 1 : j]) if j else (np.zeros(1), np.zeros(1))
    above = int(np.searchsorted(t.score, steps.score[j - 1])) if j else len(t.score)
    below = int(np.searchsorted(t.score, steps.score[j])) if j < len(steps.score) else -1
    between = t.neg[below + 1 : above][::-1]
    further = fitting(tp[0] + np.cumsum(np.concatenate((fp, between)))[1:])
    at = above - further
    return Chosen(float(t.score[at]) if at < len(t.score) else NOTHING)


@dataclass(frozen=True)
class Rule:
    """One rule.

    Attributes
    ----------
    title : for people
    choose : the cutoff, of the counts at each
    takes : its parameters; where `one_of`, exactly one of them is given, else all
    needs : the classes of which the split looked at must have rows
    """

    title: str
    choose: Callable[[Sweep, Params], Chosen]
    takes: tuple[str, ...] = ()
    one_of: bool = False
    needs: tuple[Literal["positive", "negative"], ...] = ()


RULES: dict[str, Rule] = {
    "best_f1": Rule("greatest F1", _best_f1, needs=("positive",)),
    "best_youden": Rule("greatest Youden index", _best_youden, needs=("positive", "negative")),
    "least_cost": Rule("least cost", _least_cost, ("false_positive", "false_negative")),
    "recall_at_least": Rule("recall at least", _recall_at_least, ("value",), needs=("positive",)),
    "precision_at_least": Rule("precision at least", _precision_at_least, ("value",), needs=("positive",)),
    "flag_at_most": Rule("flag at most", _flag_at_most, ("share", "rows"), one_of=True),
}


def choose(rule: str, parameters: Params, t: Tally, positives: float, negatives: float) -> Chosen:
    """Apply a rule.

    Parameters
    ----------
    rule : a name in RULES
    parameters : numbers by name, as the rule takes them
    t : the tally of the split looked at

    Examples
    --------
    >>> import numpy as np
    >>> from skarlo.core.counting import tally
    >>> t = tally.make(np.array([0.9, 0.8, 0.3, 0.1]), np.array([True, False, True, False]))
    >>> choose("recall_at_least", {"value": 1.0}, t, 2, 2).value
    0.3
    """
    asked = RULES[rule]
    for name, rows in (("positive", positives), ("negative", negatives)):
        if name in asked.needs and rows <= 0:
            return Chosen(None, f"the split looked at has no {name} rows")
    if positives + negatives <= 0:
        return Chosen(None, "the split looked at has no rows")
    return asked.choose(Sweep(t, positives, negatives), parameters)
