"""What cutoffs of their own would do to groups: learned on the tuning rows, read on the reported ones."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..compare import paired
from ..compare.alike import Group, alike
from ..compare.paired import Both
from ..compare.slices import few_rows
from ..counting.answers import Answers
from ..metrics import panel
from ..metrics.panel import Reading
from ..metrics.trust import DIFFERENCE, mark_difference
from ..number import Difference, IntArray, Metric, absent
from ..results import GroupCutoff, GroupCutoffs, GroupsRead
from ..stats import tests
from . import group_cutoffs, group_optimism
from .group_cutoffs import LEAST_COST


@dataclass(frozen=True)
class Grouped:
    """A candidate's rows on a split, each row's group by number, shape (n,)."""

    rows: Answers
    code: IntArray


@dataclass(frozen=True)
class Wish:
    """What the cutoffs are to do: `rule` is "least_cost", or the rate that is to be equal to within `gap_at_most`;
    prices of a needless flag and of a miss."""

    rule: Literal["recall", "fpr", "flagged_share", "precision", "least_cost"]
    gap_at_most: float = 0.02
    prices: tuple[float, float] = (1.0, 1.0)


def with_cutoffs(
    names: Sequence[str], tuned: Grouped, reported: Grouped, cutoff: float, wish: Wish, reading: Reading
) -> GroupCutoffs:
    """Cutoffs for groups, and what they change.

    Parameters
    ----------
    names : of the groups by number
    tuned, reported : rows with scores of two classes
    cutoff : the one that all groups have now; infinity flags nothing
    """
    places, choices, kept = [], [], []
    for g, name in enumerate(names):
        a = tuned.rows.take(tuned.code == g)
        found = _options(a, wish, reading)
        if found is None:
            kept.append(name)
        else:
            places.append(g)
            choices.append(found)
    each = [cutoff] * len(names)
    out: GroupCutoffs = {
        "rule": wish.rule, "by_group": {}, "cost": None, "gap_reached": None, "fits": True, "kept_the_one": kept,
    }  # fmt: skip
    if choices:
        chosen = group_cutoffs.choose(choices, None if wish.rule == LEAST_COST else wish.gap_at_most)
        for g, value in zip(places, chosen.cutoffs, strict=True):
            each[g] = value
        out |= {"cost": chosen.cost, "fits": chosen.fits}
        gap = None if wish.rule == LEAST_COST else chosen.gap
        out |= {"gap_reached": gap}
        mine = [group_optimism.Mine(*_of_group(tuned, g)) for g in places]
        out["optimism"] = group_optimism.of_choice(
            tuned.rows, mine, wish.rule, wish.prices, wish.gap_at_most, cutoff, (chosen.cost, gap),
            reading.settings.seed,
        )  # fmt: skip
    told = {name: _told(value) for name, value in zip(names, each, strict=True)}
    before, after = reported.rows.at(cutoff), _at_each(reported, np.array(each))
    changed = np.flatnonzero(before.predicted != after.predicted)
    return {
        **out, "by_group": told,
        "before": _read(before, reported.code, names, reading), "after": _read(after, reported.code, names, reading),
        "change": _differences(after, before, reading),
        "changed": {
            "rows": len(changed),
            "by_group": {
                name: {
                    label: int(np.count_nonzero((reported.code[changed] == g) & (before.actual[changed] == k)))
                    for k, label in enumerate(reading.classes)
                }
                for g, name in enumerate(names)
            },
        },
    }  # fmt: skip


def _of_group(tuned: Grouped, g: int) -> tuple[IntArray, float, float]:
    """The rows of a group, and how many of each class it has, answered or not."""
    return (rows := np.flatnonzero(tuned.code == g)), *tuned.rows.take(rows).class_rows


def _told(cutoff: float) -> GroupCutoff:
    return {"value": None, "flags": "nothing"} if math.isinf(cutoff) else {"value": cutoff}


def _options(a: Answers, wish: Wish, reading: Reading) -> group_cutoffs.Options | None:
    """What a group could have; None where its tuning rows are too few, or none of its cutoffs has such a rate."""
    if len(a.actual) < reading.settings.min_slice or a.scored is None or a.scored.tally.rows <= 0:
        return None
    positives, negatives = a.class_rows
    found = group_cutoffs.options(a.scored.tally, positives, negatives, wish.rule, wish.prices)
    return found if len(found.rate) else None


def _at_each(reported: Grouped, cutoffs: np.ndarray) -> Answers:
    """Each row at the cutoff of its group."""
    a = reported.rows
    assert a.scored is not None
    assert a.positive is not None
    said = np.where(a.scored.score >= cutoffs[reported.code], a.positive, 1 - a.positive)
    return replace(a, predicted=np.where(a.scored.answered, said, -1), counted=None)


def _read(a: Answers, code: IntArray, names: Sequence[str], reading: Reading) -> GroupsRead:
    """All metrics of counts, overall and of each group, and how alike the groups are treated."""
    groups = [Group(name, a.take(code == g)) for g, name in enumerate(names) if (code == g).any()]
    least = reading.settings.min_slice

    def metrics(rows: Answers) -> dict[str, Metric]:
        found = panel.of_counts(rows, reading)
        return dict.fromkeys(found, absent(few_rows(least))) if len(rows.actual) < least else found

    return {
        "metrics": panel.of_counts(a, reading),
        "by_group": {g.name: {"metrics": metrics(g.rows)} for g in groups},
        "criteria": alike(groups, a.positive or 0, reading)["criteria"],
    }  # fmt: skip


def _differences(a: Answers, b: Answers, reading: Reading) -> dict[str, Difference]:
    """Paired differences of all metrics of counts, after less before, each at its own confidence."""
    first, second = panel.of_counts(a, reading), panel.of_counts(b, reading)
    both, out = Both(a, b), {}
    for name, m in first.items():
        x, y = m["value"], second[name]["value"]
        if name == "prevalence" or x is None or y is None:
            continue
        d = paired.compare(name, both, (x, y), reading.positive or 0, reading.own_named(name))
        out[name] = mark_difference(name, tests.family([d], reading.settings.confidence)[0], DIFFERENCE)
    return out
