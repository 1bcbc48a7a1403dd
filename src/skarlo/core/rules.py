"""Cutoffs chosen by a rule: each compares the distinct scores of one split, and flagging nothing."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from .shown import shown
from .tally import Tally
from .values import BoolArray, FloatArray

NOTHING = math.inf


@dataclass(frozen=True)
class Chosen:
    """A cutoff, infinity where nothing is flagged, or None with why and how near the rule comes."""

    value: float | None
    why: str = ""


@dataclass(frozen=True)
class Sweep:
    """Counts at the cutoffs that can be best: flagging nothing, then each score where a positive stands, downwards.

    A score where none stands only adds false positives, so no rule but flag_at_most ever prefers it.
    """

    cutoff: FloatArray
    tp: FloatArray
    fp: FloatArray
    positives: float
    negatives: float
    tally: Tally

    @property
    def rows(self) -> float:
        return self.positives + self.negatives

    @property
    def flagged(self) -> FloatArray:
        return self.tp + self.fp


def sweep(t: Tally, positives: float, negatives: float) -> Sweep:
    """The cutoffs of a tally. `positives` and `negatives` are all actual rows, answered or not."""
    s = t.steps
    zero = np.zeros(1, dtype=s.tp.dtype)
    return Sweep(
        np.concatenate(([NOTHING], s.score)), np.concatenate((zero, s.tp)), np.concatenate((zero, s.fp)), positives,
        negatives, t,
    )  # fmt: skip


Params = Mapping[str, float]


def _best(value: FloatArray, s: Sweep) -> Chosen:
    """The highest cutoff among equal optima."""
    return Chosen(float(s.cutoff[int(np.argmax(value))]))


def _first(good: BoolArray, s: Sweep, why: str) -> Chosen:
    found = np.flatnonzero(good)
    return Chosen(float(s.cutoff[found[0]])) if found.size else Chosen(None, why)


def _best_f1(s: Sweep, p: Params) -> Chosen:
    below = s.flagged + s.positives
    return _best(np.divide(2 * s.tp, below, out=np.zeros(len(below)), where=below > 0), s)


def _best_youden(s: Sweep, p: Params) -> Chosen:
    return _best(s.tp * s.negatives - s.fp * s.positives, s)


def _least_cost(s: Sweep, p: Params) -> Chosen:
    return _best(-(p["false_positive"] * s.fp + p["false_negative"] * (s.positives - s.tp)), s)


def _recall_at_least(s: Sweep, p: Params) -> Chosen:
    recall = s.tp / s.positives
    return _first(
        recall >= p["value"], s, f"the greatest recall that any cutoff reaches is {shown(float(recall.max()))}"
    )


def _precision_at_least(s: Sweep, p: Params) -> Chosen:
    some = s.flagged > 0
    precision = np.divide(s.tp, s.flagged, out=np.full(len(s.tp), -1.0), where=some)
    good = precision >= p["value"]
    if not good.any():
        return Chosen(None, f"the greatest precision that any cutoff reaches is {shown(float(precision.max()))}")
    return _best(np.where(good, s.tp, -1), s)


def _flag_at_most(s: Sweep, p: Params) -> Chosen:
    """The last place where a positive stands that fits, then down through the negatives before the next one."""
    t = s.tally

    def excess(flagged: float) -> float:
        return flagged - p["rows"] if "rows" in p else flagged / s.rows - p["share"]

    def fitting(flagged: FloatArray) -> int:
        """How many fit: what is flagged rises along the array."""
        return bisect_right(range(len(flagged)), 0.0, key=lambda i: excess(flagged[i].item()))

    j = fitting(s.flagged) - 1
    above = int(np.searchsorted(t.score, s.cutoff[j]))
    below = int(np.searchsorted(t.score, s.cutoff[j + 1])) if j + 1 < len(s.cutoff) else -1
    between = t.neg[below + 1 : above][::-1]
    further = fitting(s.tp[j] + np.cumsum(np.concatenate((s.fp[j : j + 1], between)))[1:])
    at = above - further
    return Chosen(float(t.score[at]) if at < len(t.score) else NOTHING)


RULES: dict[str, Callable[[Sweep, Params], Chosen]] = {
    "best_f1": _best_f1,
    "best_youden": _best_youden,
    "least_cost": _least_cost,
    "recall_at_least": _recall_at_least,
    "precision_at_least": _precision_at_least,
    "flag_at_most": _flag_at_most,
}
NEEDS_POSITIVES = ("best_f1", "best_youden", "recall_at_least", "precision_at_least")
PARAMETERS: dict[str, tuple[str, ...]] = {
    "best_f1": (), "best_youden": (), "least_cost": ("false_positive", "false_negative"),
    "recall_at_least": ("value",), "precision_at_least": ("value",), "flag_at_most": ("share", "rows"),
}  # fmt: skip


def choose(rule: str, parameters: Params, t: Tally, positives: float, negatives: float) -> Chosen:
    """Apply a rule.

    Parameters
    ----------
    rule : a name in RULES
    parameters : numbers by name, as PARAMETERS lists them; flag_at_most takes share or rows
    t : the tally of the split looked at

    Examples
    --------
    >>> import numpy as np
    >>> from skarlo.core import tally
    >>> t = tally.make(np.array([0.9, 0.8, 0.3, 0.1]), np.array([True, False, True, False]))
    >>> choose("recall_at_least", {"value": 1.0}, t, 2, 2).value
    0.3
    """
    if rule in NEEDS_POSITIVES and positives <= 0:
        return Chosen(None, "the split looked at has no positive rows")
    if rule == "best_youden" and negatives <= 0:
        return Chosen(None, "the split looked at has no negative rows")
    if positives + negatives <= 0:
        return Chosen(None, "the split looked at has no rows")
    return RULES[rule](sweep(t, positives, negatives), parameters)
