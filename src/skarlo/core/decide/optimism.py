"""What a cutoff owes to having been chosen on the rows it is read on, by choosing it over again on parts of them.

Stone 1974, J. R. Stat. Soc. B 36:111 (cross-validatory choice); Efron 1983, J. Am. Stat. Assoc. 78:316 (optimism).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from ..counting.answers import Answers
from ..counting.tally import Counts, Tally
from ..number import FloatArray, IntArray, Metric, clean, total
from ..results import BeyondChoosing, Optimism
from ..stats.draws import generator
from ..stats.intervals import Interval
from ..stats.mover import mover
from .rules import choose

PARTS = 10
REPEATS = 10
MANY = 100_000  # rows beyond which the choice is made over again once only
FEW = f"a class has under {PARTS} rows with a score"
Params = Mapping[str, float]
Value = Callable[["Outcome", Params], float | None]


@dataclass(frozen=True)
class Outcome:
    """True and false positives, and all rows of each class; sums of weights where rows have them."""

    tp: float
    fp: float
    positives: float
    negatives: float

    @property
    def rows(self) -> float:
        return self.positives + self.negatives


def _share(k: float, n: float) -> float | None:
    return k / n if n > 0 else None


def _cost(o: Outcome, prices: Params) -> float | None:
    return (prices["false_positive"] * o.fp + prices["false_negative"] * (o.positives - o.tp)) / o.rows


@dataclass(frozen=True)
class Own:
    """The metric that a rule is about: its name, its value, and whether less of it is better."""

    metric: str
    value: Value
    lower: bool = False


OWN: dict[str, Own] = {
    "best_f1": Own("f1", lambda o, p: _share(2 * o.tp, o.tp + o.fp + o.positives)),
    "best_youden": Own("youden_j", lambda o, p: o.tp / o.positives - o.fp / o.negatives),
    "least_cost": Own("cost", _cost, lower=True),
    "recall_at_least": Own("recall", lambda o, p: _share(o.tp, o.positives)),
    "precision_at_least": Own("precision", lambda o, p: _share(o.tp, o.tp + o.fp)),
    "flag_at_most": Own("flagged_share", lambda o, p: _share(o.tp + o.fp, o.rows), lower=True),
}


def of_choice(a: Answers, rule: str, parameters: Params, cutoff: float, seed: int) -> dict[str, Optimism]:
    """By its name the rule's own metric at the cutoff that it chose on these rows, less its value where each tenth of
    them is read at the cutoff chosen on the other nine; turned round where less is better: above 0 it looks too good.

    Parameters
    ----------
    cutoff : the one that it chose on all of them; infinity flags nothing
    seed : of the parts

    Returns
    -------
    Nothing for a rule that is about no metric.

    Notes
    -----
    In each class the rows go by score (then weight), and the row at place j belongs to part perm(j) mod 10. Rows
    without a score are never flagged; where they count as wrong, a tenth of them counts with each part.

    Examples
    --------
    >>> actual = np.arange(40) % 2
    >>> a = Answers.of_scores(actual, np.where(actual == 1, 0.8, 0.3))
    >>> of_choice(a, "best_f1", {}, 0.8, 1)
    {'f1': {'value': 1.0, 'cross_chosen': 1.0, 'difference': 0.0}}
    """
    own = OWN.get(rule)
    return {} if own is None else {own.metric: _of_metric(own, a, rule, parameters, cutoff, seed)}


def _of_metric(own: Own, a: Answers, rule: str, parameters: Params, cutoff: float, seed: int) -> Optimism:
    b, t = a.with_answer, a.tally
    assert t is not None
    positives, negatives = a.class_rows
    told: Optimism = {"value": None, "cross_chosen": None, "difference": None}
    if min(np.count_nonzero(b.is_positive), np.count_nonzero(~b.is_positive)) < PARTS:
        return {**told, "why": FEW}
    here = own.value(Outcome(*t.at(cutoff), positives, negatives), parameters)
    told["value"] = None if here is None else clean(here)
    left_out = positives - t.positives, negatives - t.negatives
    found = []
    for repeat in range(REPEATS if len(b.actual) <= MANY else 1):
        at = _chosen_over(_parts(b, t, seed, repeat), t.score, rule, parameters, left_out)
        if isinstance(at, str):
            return {**told, "why": at}
        found.append(own.value(Outcome(*at, positives, negatives), parameters))
    there = [x for x in found if x is not None]
    if here is None or len(there) < len(found):
        return {**told, "why": f"no row is flagged, so that there is no {own.metric}"}
    crossed = total(np.array(there)) / len(there)
    apart = here - crossed
    return {**told, "cross_chosen": crossed, "difference": clean(-apart if own.lower else apart)}


def _parts(b: Answers, t: Tally, seed: int, repeat: int) -> tuple[Counts, Counts]:
    """What stands at each score in each part: negatives and positives, each of shape (10, k)."""
    out = []
    for k in (0, 1):
        rows, part = rows_by_part(b, seed, repeat, k)
        cell = part * len(t.score) + b.place[rows]
        weight = None if b.weight is None else b.weight[rows]
        out.append(np.bincount(cell, weights=weight, minlength=PARTS * len(t.score)).reshape(PARTS, -1))
    return out[0], out[1]


def rows_by_part(b: Answers, seed: int, repeat: int, k: int) -> tuple[IntArray, IntArray]:
    """The rows of a class (1: the positive one) by score, then weight, and to which of the parts each belongs."""
    rows = np.flatnonzero(b.is_positive == bool(k))
    place = b.place[rows]
    order = np.argsort(place, kind="stable") if b.weight is None else np.lexsort((b.weight[rows], place))
    rng = generator(seed, "parts", (len(rows),), np.array([repeat, k]))
    return rows[order], rng.permutation(len(rows)) % PARTS


def _chosen_over(
    each: tuple[Counts, Counts], score: FloatArray, rule: str, parameters: Params, left_out: tuple[float, float]
) -> tuple[float, float] | str:
    """True and false positives over all parts, each read at the cutoff that the others choose; a string is why none."""
    neg, pos = each
    tp: list[float] = []
    fp: list[float] = []
    share = (PARTS - 1) / PARTS
    for part in range(PARTS):
        others: IntArray = np.flatnonzero(np.arange(PARTS) != part)
        rest_pos, rest_neg = (np.add.reduce(x[others], axis=0) for x in (pos, neg))
        there = (rest_pos > 0) | (rest_neg > 0)
        rest = Tally(score[there], rest_pos[there], rest_neg[there])
        asked = {name: value * share if name == "rows" else value for name, value in parameters.items()}
        chosen = choose(rule, asked, rest, rest.positives + share * left_out[0], rest.negatives + share * left_out[1])
        if chosen.value is None:
            return f"on nine tenths of the rows no cutoff satisfies the rule: {chosen.why}"
        above = score >= chosen.value
        tp.append(total(pos[part][above]))
        fp.append(total(neg[part][above]))
    return total(np.array(tp)), total(np.array(fp))


def carried(o: Optimism, m: Metric | None) -> Optimism:
    """With the metric's own interval moved along to the cross-chosen value, where there is one."""
    value, crossed, ends = o["value"], o["cross_chosen"], _ends(m)
    if value is None or crossed is None or ends is None:
        return o
    return {**o, "low": crossed - (value - ends[0]), "high": crossed + (ends[1] - value)}


def _ends(m: Metric | None) -> Interval | None:
    low, high = (None, None) if m is None else (m.get("low"), m.get("high"))
    return None if low is None or high is None else (low, high)


def beyond(m: Metric | None, o: Optimism, limits: Interval) -> BeyondChoosing | None:
    """A metric on the reported rows less its cross-chosen value on those where the cutoff was chosen: what choosing
    does not explain of the drift. None where either has no interval.

    limits : how far apart the two can be
    """
    crossed, ends, value = o["cross_chosen"], _ends(m), None if m is None else m["value"]
    if value is None or ends is None or crossed is None or "low" not in o:
        return None
    low, high = mover(value, ends, crossed, (o["low"], o["high"]), limits=limits)
    return {"difference": clean(value - crossed), "low": low, "high": high}
