"""Slices: a metric by the groups of one field or two, each against the other rows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, cast

from skarlo.core import (
    METRICS,
    NAMED,
    GroupCutoffs,
    Metric,
    Part,
    Results,
    SliceResult,
    SplitResult,
    count,
    named,
    p_shown,
    shown,
)
from skarlo.report.blocks import Block, Cell, Row, counts, note, table, texts
from skarlo.report.drafting import MOST_NAMED, picked_by, read_on, title_of
from skarlo.report.scope import Scope, Shown, candidates, class_read

from . import worst
from .cells import signed, value_cell, who
from .entry import Exhibit, Reading

ORDERS = ("gap", "size", "name")


def fields_of(scope: Scope) -> tuple[str, ...]:
    """What it is sliced by, each field with its cut: one, or two."""
    asked = (scope.own.get("by", ""), scope.own.get("and", ""))
    return tuple(dict.fromkeys(x for x in asked if x))


OF_CLASS = "of:"  # before a metric of one class of several against the rest


@dataclass(frozen=True)
class Metered:
    """What is read of each group: a metric, of three classes and more perhaps of one class against the rest."""

    metric: str
    of: str = ""
    title: str = ""

    def whole(self, part: SplitResult) -> Metric:
        """The same of all rows."""
        return cast(Metric, cast(Any, part["per_class"][self.of])[self.metric]) if self.of else (
            part["metrics"][self.metric]
        )  # fmt: skip


def metered(results: Results, scope: Scope) -> Metered:
    """The metric that is read: the chosen one, else recall, or accuracy of three classes and more."""
    every = results["candidates"][0]["splits"][scope.split]["metrics"]
    chosen, two = scope.own.get("metric", ""), results["holdout"]["positive"] is not None
    if not two and chosen.startswith(OF_CLASS) and (name := chosen.removeprefix(OF_CLASS)) in CLASS_METRICS:
        label = class_read(results, scope)
        return Metered(name, label, f"{title_of(name)} of {results['holdout'].get('names', {}).get(label, label)}")
    name = chosen if chosen in every else "recall" if two else "accuracy"
    return Metered(name, title=title_of(name))


CLASS_METRICS = ("recall", "precision", "f1")


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    return *_told(results, scope), *worst.shows(results, scope)


def _told(results: Results, scope: Scope) -> tuple[Part, ...]:
    fields = fields_of(scope)
    if not fields:
        return ()
    lines = Part("lines", scope.split)
    if scope.own.get("read") == "alike":
        return lines, Part("alike", scope.split, fields=fields, of=scope.of, **_own_cutoffs(scope))
    read = metered(results, scope)
    per_class = (Part("classes", scope.split),) if read.of else ()
    return lines, *per_class, Part("slices", scope.split, fields=fields, of=read.of)


def group_name(s: SliceResult) -> str:
    """The values of a slice, absent ones called that."""
    return " · ".join(value or "absent" for value in s["by"].values())


def _worse(metric: str, difference: float) -> bool:
    better = METRICS[metric].better if metric in METRICS else "higher"
    return difference > 0 if better == "lower" else difference < 0


def _apart(s: SliceResult, metric: str, alpha: float) -> bool:
    d = s["rest"].get(metric)
    p = None if d is None else d.get("p_adjusted")
    return p is not None and p <= alpha


def ordered(slices: Sequence[Sequence[SliceResult]], metric: str, order: str) -> list[int]:
    """In which order groups stand: by the largest gap of any candidate, by rows, or as the field has them."""
    first = slices[0]
    if order == "name":
        return list(range(len(first)))
    if order == "size":
        return sorted(range(len(first)), key=lambda i: (-first[i]["rows"], i))

    def gap(i: int) -> float:
        rests = [of[i]["rest"][metric]["difference"] for of in slices if metric in of[i]["rest"]]
        worse = [abs(d) if _worse(metric, d) else -abs(d) for d in rests if d is not None]
        return max(worse, default=-math.inf)

    return sorted(range(len(first)), key=lambda i: (-gap(i), i))


MOST_GAPS = 3
CRITERIA = {
    "flagged_share": "flagged alike", "recall": "found alike", "fpr": "spared alike",
    "recall_and_fpr": "found and spared alike", "precision": "meant alike", "npv": "meant alike, the other answer",
    "calibration_in_the_large": "promised alike", "accuracy": "right alike",
}  # fmt: skip


def _front(scope: Scope, chosen: Sequence[Shown]) -> Shown:
    return next((c for c in chosen if c.letter == scope.own.get("front")), chosen[0])


def _by(scope: Scope) -> str:
    return " and ".join("condition or mark" if f == NAMED else f.rpartition(":")[0] or f for f in fields_of(scope))


GROUP_RULES = {
    "recall": "found alike", "fpr": "spared alike", "flagged_share": "flagged alike", "precision": "meant alike",
    "least_cost": "of least cost",
}  # fmt: skip


def _own_cutoffs(scope: Scope) -> dict[str, Any]:
    """What cutoffs for each group are to do, where that is looked at."""
    rule = scope.own.get("rule", "")
    if rule not in GROUP_RULES:
        return {}

    def number(text: str, usual: float) -> float:
        try:
            found = float(text)
        except ValueError:
            return usual
        return found if math.isfinite(found) and found >= 0 else usual

    needless, _, missed = scope.own.get("prices", "").partition(",")
    prices = (number(needless, 1.0), number(missed, 1.0))
    return {"rule": rule, "rate": number(scope.own.get("gap", ""), 0.02) or 0.02, "prices": prices}


def cutoffs_blocks(told: GroupCutoffs, asked_for: bool = False) -> list[Block]:
    """What cutoffs for each group would change; asked_for : by the decision."""
    before, after, changed = told.get("before"), told.get("after"), told.get("changed")
    if before is None or after is None or changed is None:
        return []
    name = "recall" if told["rule"] == "least_cost" else told["rule"]
    rows: list[Row] = []
    for group, cutoff in told["by_group"].items():
        sides = (side["by_group"].get(group) for side in (before, after))
        ends = [None if of is None else of["metrics"].get(name) for of in sides]
        moved = sum(changed["by_group"][group].values())
        value = "flags nothing" if cutoff["value"] is None else f"≥ {shown(cutoff['value'])}"
        rows.append({"cells": [*texts(group, value), *counts(
            *("—" if m is None else shown(m["value"]) for m in ends), count(moved)
        )]})  # fmt: skip
    head = [*texts("Group", "cutoff of its own"), *counts(f"{title_of(name)} now", "then", "rows with another answer")]
    said = "" if told["fits"] else "no cutoffs bring the groups so near; these come nearest"
    how = f"cutoffs for each group, {GROUP_RULES[told['rule']]}, chosen on {told.get('learned_on', '')}"
    return [table(head, rows), note(
        how if asked_for else f"{how}: read, not applied",
        f"{count(changed['rows'])} rows would get another answer", said, owed(told),
    )]  # fmt: skip


def owed(told: GroupCutoffs) -> str:
    """What the cutoffs owe to being chosen on the same rows, in words."""
    found = told.get("optimism", {})
    why = next((o["why"] for o in found.values() if "why" in o), "")
    if not found or why:
        return f"what they owe to being chosen there is not told: {why}" if why else ""
    ways = {"gap": "a gap of {}", "cost": "a cost of {} a row"}
    each = [f"{way.format(shown(found[name]['cross_chosen']))} in place of {shown(found[name]['value'])}"
            for name, way in ways.items() if name in found]  # fmt: skip
    return f"chosen over again on nine tenths of these rows and read on the tenth: {' and '.join(each)}"


OVERALL = ("accuracy", "precision", "recall", "fpr", "flagged_share", "f1")


def changed_blocks(told: GroupCutoffs) -> list[Block]:
    """What cutoffs for groups change over all the reported rows."""
    before, after, change = told.get("before"), told.get("after"), told.get("change", {})
    if before is None or after is None:
        return []
    rows: list[Row] = []
    for name in OVERALL:
        d = change.get(name)
        rows.append({"cells": [
            *texts(title_of(name)), value_cell(before["metrics"][name], True), value_cell(after["metrics"][name], True),
            *texts("—" if d is None else signed(d)),
        ]})  # fmt: skip
    return [table(texts("All rows", "with one cutoff", "with these", "change"), rows)]


def _alike(results: Results, scope: Scope, c: Shown) -> str:
    """Which gaps between groups the data separates from nought."""
    told = c.part.get("alike")
    if told is None:
        return f"{c.name} predicts no class here, or there is no such field."
    if c.name in picked_by(results):
        return f"No gap between groups of {c.name} is tested on rows that its own answers picked out."
    alpha = 1 - results["settings"]["confidence"]
    found = [(title, told["criteria"][name]) for name, title in CRITERIA.items() if name in told["criteria"]]
    apart = [(title, one) for title, one in found if one["gap"] is not None and one["p"] <= alpha]
    apart.sort(key=lambda x: -(x[1]["gap"] or 0.0))
    said = [
        f"{title} {shown(one['gap'])} ({shown(one['low'])} to {shown(one['high'])}), {one['largest']} over "
        f"{one['smallest']}"
        for title, one in apart[:MOST_GAPS]
    ]
    if len(apart) > MOST_GAPS:
        said.append(f"and {len(apart) - MOST_GAPS} more")
    groups = len(told["groups"]) - len(told["small"])
    if not said:
        return f"Of {c.name}, the data separates no gap between the {groups} groups by {_by(scope)} from nought."
    return f"Of {c.name}, by {_by(scope)} these gaps are separated from nought: {'; '.join(said)}."


def _alike_blocks(results: Results, scope: Scope, c: Shown) -> list[Block]:
    told = c.part.get("alike")
    if told is None:
        return [note(*read_on(results, scope), _alike(results, scope, c).rstrip("."))]
    alpha = 1 - results["settings"]["confidence"]
    rows: list[Row] = []
    for name, title in CRITERIA.items():
        one = told["criteria"].get(name)
        if one is None:
            continue
        if one["gap"] is None:
            rows.append({"cells": texts(title, "—", "", "", one.get("why", ""))})
            continue
        gap: Cell = {"text": f"{shown(one['gap'])} ({shown(one['low'])} to {shown(one['high'])})"}
        p = one.get("p")
        if p is not None and p <= alpha:
            gap["edge"] = True
        ends = ["all alike", ""] if not one["gap"] else [
            f"{g} {shown(one['values'][g]['value'])}" if g in one["values"] else g
            for g in (one["largest"], one["smallest"])
        ]  # fmt: skip
        rows.append({"cells": [*texts(title), gap, *texts(*ends, "not tested" if p is None else p_shown(p))]})
    forced: Any = told["not_all_at_once"]
    said = []
    if forced is not None:
        least, *_, most = sorted(forced["groups"].items(), key=lambda g: g[1]["prevalence"])
        said.append(
            f"not all of these can hold at once: the share of positives is {shown(least[1]['prevalence'])} in "
            f"{least[0]} and {shown(most[1]['prevalence'])} in {most[0]}; with a precision of "
            f"{shown(forced['precision'])} and a recall of {shown(forced['recall'])} everywhere the false-positive "
            f"rates would be {shown(least[1]['fpr'])} and {shown(most[1]['fpr'])}"
        )
    head = texts(f"{c.name}, by {_by(scope)}", "largest gap", "highest", "lowest", "p, corrected for all pairs")
    few = [f"{named(told['small'])}: under {results['settings']['min_slice']} rows, left out"] if told["small"] else []
    own = cutoffs_blocks(told["cutoffs"]) if "cutoffs" in told else []
    return [table(head, rows), note(*read_on(results, scope), "black edge: separated from nought", *few, *said), *own]


def _sentence(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    if scope.own.get("read") == "alike" and fields_of(scope):
        return _alike(results, scope, _front(scope, chosen))
    if not fields_of(scope):
        return "No field is chosen to slice by."
    if not chosen[0].part.get("slices"):
        return "There is no such field to slice by."
    own = [c for c in chosen if c.name in picked_by(results)]
    if own:
        untested = f"no group of {named([c.name for c in own])} is tested on rows picked by {_whose(own)} answers"
        judged = [c for c in chosen if c not in own]
        told = _separates(results, scope, judged).removesuffix(".") if judged else ""
        return f"{told}; {untested}." if told else f"{untested[0].upper()}{untested[1:]}."
    return _separates(results, scope, chosen)


def _whose(some: Sequence[Shown]) -> str:
    return "its own" if len(some) == 1 else "their own"


def _separates(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """Which groups a test tells apart as worse."""
    read, named_ones = metered(results, scope), fields_of(scope) == (NAMED,)
    by, alpha = _by(scope), 1 - results["settings"]["confidence"]
    metric = read.metric
    found = [(c, s) for c in chosen for s in c.part["slices"] if _apart(s, metric, alpha)]
    worse = [(c, s) for c, s in found if _worse(metric, s["rest"][metric]["difference"] or 0.0)]
    worse.sort(key=lambda x: -abs(x[1]["rest"][metric]["difference"] or 0.0))
    groups = len(chosen[0].part["slices"])
    title = read.title
    if not worse:
        better = (
            f", though some are better: {named(sorted({group_name(s) for _, s in found})[:MOST_NAMED])}"
            if found
            else ""
        )
        none = "does not separate the one group" if groups == 1 else f"separates none of the {groups} groups"
        return f"On {title}, the data {none} by {by} as worse than the other rows{better}."
    said = []
    for c, s in worse[:2]:
        d, m = s["rest"][metric], s["metrics"][metric]
        less = "less" if (d["difference"] or 0.0) < 0 else "more"
        ends = [abs(x) for x in (d.get("low"), d.get("high")) if x is not None]
        span = f" ({shown(min(ends))} to {shown(max(ends))})" if len(ends) == 2 else ""
        which = group_name(s) if named_ones else f"where {by} is {group_name(s)}"
        said.append(
            f"{c.name} reaches {shown(m['value'])} on the {count(s['rows'])} rows {which}, "
            f"{shown(abs(d['difference'] or 0.0))} {less} than on the others{span}"
        )
    more = len(worse) - len(said)
    behind = {c.name for c, _ in worse}
    others = [c.name for c in chosen if c.name not in behind]
    tail = f"; and {more} more" if more else ""
    rest = f". For {named(others)} the data separates no group as worse" if others and len(others) <= MOST_NAMED else ""
    return f"On {title}, {'; '.join(said)}{tail}, after correction for {groups} groups{rest}."


def _blocks(reading: Reading) -> list[Block]:
    scope, results = reading.scope, reading.results
    told = candidates(reading.further(), scope) if fields_of(scope) else []
    if told and scope.own.get("read") == "alike":
        return _alike_blocks(results, scope, _front(scope, told))
    told = [c for c in told if c.part.get("slices")]
    if not told:
        none = "there is no such field to slice by" if fields_of(scope) else "no field is chosen to slice by"
        return [note(*read_on(results, scope), none)]
    read, alpha = metered(results, scope), 1 - results["settings"]["confidence"]
    metric = read.metric
    positive = results["holdout"]["positive"]
    order = scope.own.get("order", ORDERS[0])
    every = [c.part["slices"] for c in told]
    rows: list[Row] = []
    for i in ordered(every, metric, order if order in ORDERS else ORDERS[0]):
        s = every[0][i]
        cells: list[Cell] = [*texts(group_name(s)), *counts(count(s["rows"]))]
        if positive is not None:
            cells += counts(count(s["actual"][positive]))
        cells += [_cell(of[i], metric, alpha) for of in every]
        rows.append({"cells": cells})
    everywhere: list[Cell] = [*texts("all rows"), *counts(count(told[0].part["rows"]))]
    if positive is not None:
        everywhere += counts(count(told[0].part["actual"][positive]))
    rows.append({"cells": [*everywhere, *(value_cell(read.whole(c.part), interval=True) for c in told)],
                 "quiet": True})  # fmt: skip
    names = results["holdout"].get("names", {})
    head = [*texts(" and ".join(every[0][0]["by"])), *counts("rows")]
    if positive is not None:
        head += counts(names.get(positive, positive))
    least = results["settings"]["min_slice"]
    told_how = [
        f"{read.title} by group, and how far it lies from that of the other rows",
        f"black edge: separated from them, after correction for the {len(every[0])} groups",
        f"groups under {least} rows are told by their counts alone",
    ]
    found = table([*head, *(who(c) for c in told)], rows, wide=True)
    return [found, note(*read_on(results, scope), *told_how), *worst.blocks(reading)]


def _cell(s: SliceResult, metric: str, alpha: float) -> Cell:
    cell = value_cell(s["metrics"][metric], interval=True)
    d = s["rest"].get(metric)
    if d is not None and d["difference"] is not None:
        cell["below"] = signed(cast(dict[str, object], d))
    if _apart(s, metric, alpha):
        cell["edge"] = True
    return cell


SLICES = Exhibit(
    view="slices", reads=("lines",), shows=_shows, says=_told, two=_sentence, many=_sentence, blocks=_blocks
)  # fmt: skip
