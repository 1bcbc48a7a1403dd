"""Candidates against each other and against the baselines, and which of them the data cannot separate from the best."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import combinations

import numpy as np

from ..counting.answers import Answers
from ..metrics import panel, spread
from ..metrics.classes import FEW
from ..metrics.panel import Reading
from ..metrics.trust import DIFFERENCE, mark_difference
from ..number import BoolArray, Difference, Metric
from ..once import Once, beside, lazy
from ..results import Lead, PairResult
from ..stats import tests
from ..stats.tests import Compared
from . import paired
from .more_rows import Standing, clearing
from .paired import Both
from .together import Together

Told = Compared | str  # a difference, or why there is none


@dataclass(frozen=True)
class Entrant:
    """A candidate on the reported split: all its rows, those it is judged on, and its numbers there.

    key : what it is called where values are kept; its name if left out
    """

    name: str
    whole: Answers
    left_out: bool
    metrics: dict[str, Metric]
    reading: Reading
    key: Hashable = None


@dataclass(frozen=True)
class Pair:
    """Two candidates on the rows that they share."""

    a: Entrant
    b: Entrant
    together: Together | None = None

    @lazy
    def answers(self) -> Both:
        """On the rows that neither leaves out."""
        if not (self.a.left_out or self.b.left_out):
            return self._on(None)
        a, b = (e.whole.answered if e.left_out else None for e in (self.a, self.b))
        return self._on(b if a is None else a if b is None else a & b)

    @lazy
    def scores(self) -> Both:
        """On the rows that both answered."""
        if self.a.whole.all_answered and self.b.whole.all_answered:
            return self._on(None)
        both = self._on(self.a.whole.answered & self.b.whole.answered)
        a, b = self.a.whole.scored, self.b.whole.scored
        if both is self._whole or a is None or b is None:
            return both
        return replace(both, together=self.together, whole=(a, b))

    def _on(self, keep: BoolArray | None) -> Both:
        if keep is None or keep.all():
            return self._whole
        return Both(_only(self.a.whole, keep), _only(self.b.whole, keep))

    @lazy
    def _whole(self) -> Both:
        return Both(self.a.whole, self.b.whole, self.together)

    def difference(self, name: str) -> Told:
        """One metric's paired difference, a less b."""
        for one in (self.a, self.b):
            value = one.metrics[name]
            if value["value"] is None:
                return f"{one.name}: {value['why']}"
        reading = self.a.reading
        both = self.scores if reading.over_answered(name) else self.answers
        values = [self._value(name, one, rows) for one, rows in zip((self.a, self.b), both.sides, strict=True)]
        if values[0] is None or values[1] is None:
            return "on the rows that both answered it is not defined"
        positive = 0 if reading.positive is None else reading.positive
        found = paired.compare(name, both, (values[0], values[1]), positive, reading.own_named(name))
        return tests.untested(found, self.untested)

    @property
    def untested(self) -> str:
        """Why no difference of the two is tested; empty where it is."""
        return self.a.reading.untested or self.b.reading.untested

    @staticmethod
    def _value(name: str, one: Entrant, rows: Answers) -> float | None:
        """The value on the rows of both: known, where these are the ones that it stands for."""
        whole = one.whole
        if len(rows.actual) == len(whole.actual):
            return one.metrics[name]["value"]
        if rows is whole.with_answer and (one.left_out or one.reading.over_answered(name)):
            return one.metrics[name]["value"]
        return panel.value(name, rows, one.reading)


def together(entrants: Sequence[Entrant]) -> Together | None:
    """The scores of those that have any, without weights or groups; None where fewer than two have."""
    found = [
        e.whole.scored for e in entrants
        if e.whole.scored is not None and not e.whole.designed and e.whole.scored.tally.positives
        and e.whole.scored.tally.negatives
    ]  # fmt: skip
    return Together(found) if len(found) > 1 else None


def _only(a: Answers, keep: BoolArray) -> Answers:
    """Some of the rows; where these are all the answered ones, what is known of them is shared."""
    return a.with_answer if np.array_equal(keep, a.answered) else a.take(keep)


def _differences(pair: Pair, names: Sequence[str], once: Once) -> dict[str, Told]:
    """All differences of a pair; those that no cutoff changes are made once."""
    key = ("difference", pair.a.key or pair.a.name, pair.b.key or pair.b.name)
    return {
        name: pair.difference(name) if pair.a.reading.needs_class(name)
        else once.get((*key, name), partial(pair.difference, name))
        for name in names
    }  # fmt: skip


def pairs(
    entrants: Sequence[Entrant], split: str, confidence: float, names: Sequence[str] | None = None,
    once: Once | None = None, together: Together | None = None,
) -> list[PairResult]:  # fmt: skip
    """All pairs in study order, first minus second, each metric's p-values adjusted together.

    names : the metrics wanted; all of them where left out
    once : where differences that no cutoff changes are kept
    together : the scores of those that can be looked at in one pass
    """
    if not entrants:
        return []
    names, once = entrants[0].reading.metrics if names is None else names, once or Once()
    chosen = [Pair(a, b, together) for a, b in combinations(entrants, 2)]
    out: list[PairResult] = [
        {"a": p.a.name, "b": p.b.name, "split": split, "rows": len(p.answers.a.actual), "metrics": {}} for p in chosen
    ]
    found = beside(partial(_differences, names=names, once=once), chosen, len(entrants[0].whole.actual))
    for name in names:
        family = tests.family([told[name] for told in found], confidence)
        for entry, d, pair in zip(out, family, chosen, strict=True):
            marked = mark_difference(name, d, DIFFERENCE)
            reading = pair.a.reading
            rows = pair.scores if reading.over_answered(name) else pair.answers
            entry["metrics"][name] = _with_more_rows(marked, name, rows.a, reading)
    if entrants[0].reading.positive is None:
        _averages(out, chosen, confidence)
    return out


AVERAGES = ("precision", "recall", "f1")


def _averages(out: list[PairResult], chosen: Sequence[Pair], confidence: float) -> None:
    """The differences of means over the classes, of three and more."""
    for entry in out:
        entry["averages"] = {"macro": {}, "weighted": {}}
    for kind in ("macro", "weighted"):
        for name in AVERAGES:
            family = tests.family([_average(pair, kind, name) for pair in chosen], confidence)
            for entry, d in zip(out, family, strict=True):
                entry["averages"][kind][name] = mark_difference(f"{kind} {name}", d, DIFFERENCE)


def _average(pair: Pair, kind: str, name: str) -> Told:
    for one in (pair.a, pair.b):
        if one.whole.predicted is None:
            return f"{one.name}: {one.reading.no_cutoff}"
    both = pair.answers
    first, second = both.a.table, both.b.table
    if first is None or second is None or first.total <= 0:
        return "there are no rows"
    present = np.asarray(first.cells.sum(axis=1) > 0)
    of = spread.of_average(name, kind == "weighted", present)
    values = [of.value(t.cells.astype(np.float64)) or 0.0 for t in (first, second)]
    found = spread.pair(of, both.a, both.b, both.joint, values[0] - values[1])
    few = bool(first.rows.sum(axis=1)[present].min() < FEW)
    return tests.untested(replace(found, unreliable=few), pair.untested)


def _with_more_rows(d: Difference, name: str, a: Answers, reading: Reading) -> Difference:
    """The same, with about how many more rows would tell the two apart where these rows do not."""
    gap, low, high = d["difference"], d.get("low_adjusted"), d.get("high_adjusted")
    if not gap or low is None or high is None or d.get("p") is None:
        return d
    found = clearing(abs(gap), gap - low if gap > 0 else high - gap, standing(a, reading), name)
    return d if found is None else {**d, "more_rows": found}


def standing(a: Answers, reading: Reading) -> Standing:
    """The rows that a number rests on, as `more_rows` takes them."""
    if reading.positive is None:
        return Standing(len(a.actual))
    return standing_of(len(a.actual), a.positives, reading)


def standing_of(rows: int, positives: int, reading: Reading) -> Standing:
    """The same of two classes, from counts."""
    positive = reading.positive or 0
    named = (reading.classes[1 - positive], reading.classes[positive])
    return Standing(rows, (rows - positives, positives), named)


def against_baselines(
    entrants: Sequence[Entrant],
    baselines: Sequence[Entrant],
    confidence: float,
    once: Once | None = None,
    together: Together | None = None,
) -> dict[str, dict[str, dict[str, Difference]]]:
    """Each candidate minus each baseline, adjusted over the candidates."""
    out: dict[str, dict[str, dict[str, Difference]]] = {e.name: {b.name: {} for b in baselines} for e in entrants}
    once = once or Once()
    for baseline in baselines:
        names = baseline.reading.metrics
        each = [Pair(e, baseline, together) for e in entrants]
        found = beside(partial(_differences, names=names, once=once), each, len(baseline.whole.actual))
        for name in names:
            family = tests.family([told[name] for told in found], confidence)
            for e, d in zip(entrants, family, strict=True):
                out[e.name][baseline.name][name] = mark_difference(name, d, DIFFERENCE)
    return out


def best(
    entrants: Sequence[Entrant], found: list[PairResult], confidence: float, names: Sequence[str] | None = None
) -> dict[str, Lead]:
    """For each metric of the pairs who leads, and whom the data cannot separate from the best.

    A candidate that no test compares with the leader is named apart from those: nothing is known of it.
    Hsu 1984, Ann. Stat. 12:1136; Edwards and Hsu 1983, J. Am. Stat. Assoc. 78:965.
    """
    out: dict[str, Lead] = {}
    if not entrants:
        return out
    for name in entrants[0].reading.metrics if names is None else names:
        sign = entrants[0].reading.improves(name)
        ranked = {
            e.name: v for e in entrants
            if (v := e.metrics[name]["value"]) is not None and not e.metrics[name].get("thin")
        }  # fmt: skip
        if sign == 0 or not ranked:
            continue
        leader = max(ranked, key=lambda n: sign * ranked[n])
        apart, tested = set(), {leader}
        for pair in found:
            d = pair["metrics"][name]
            p, gap = d.get("p"), d["difference"]
            if p is None or gap is None or pair["a"] not in ranked or pair["b"] not in ranked:
                continue
            if leader in (pair["a"], pair["b"]):
                tested |= {pair["a"], pair["b"]}
            if gap and min(1.0, (len(ranked) - 1) * p / 2) <= 1 - confidence:
                apart.add(pair["b"] if sign * gap > 0 else pair["a"])
        left = [n for n in ranked if n != leader and n not in apart]
        out[name] = {
            "leader": leader, "not_separated": [n for n in left if n in tested],
            "not_tested": [n for n in left if n not in tested],
        }  # fmt: skip
    return out
