"""The cutoff: what it catches, misses and flags, over the scores of both classes."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from skarlo.core import (
    METRICS,
    Catch,
    CutoffResult,
    Part,
    Results,
    Stretch,
    Tally,
    as_set,
    class_names,
    count,
    listed,
    outcomes_of,
    shown,
    with_interval,
)
from skarlo.report import figures
from skarlo.report.blocks import Block, Cell, Row, counts, drawing, note, table, texts
from skarlo.report.drafting import MOST_NAMED, chosen_where, outcome_words, read_on, rows_named
from skarlo.report.scope import Scope, Shown, candidates, class_read

from .cells import cutoff_of, signed, value_cell, who
from .entry import Exhibit, Reading


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    words = outcome_words(results)
    said = []
    for c in chosen:
        if c.result["cutoff"] is None:
            continue
        if c.part["matrix"] is None:
            said.append(f"{c.name} has no cutoff: {c.result['cutoff'].get('why', 'none was set')}")
            continue
        n = outcomes_of(results, c.part)
        at = f"≥ {as_set(c.cutoff)}" if c.cutoff is not None else "flagging nothing"
        said.append(f"{c.name} at {at}: {count(n['TP'])} {words['tp']}, {count(n['FN'])} {words['fn']}, "
                    f"{count(n['FP'])} {words['fp']}")  # fmt: skip
    if not said:
        return "These candidates answer classes only: there is no cutoff to set."
    more = f"; and {len(said) - MOST_NAMED} others" if len(said) > MOST_NAMED + 1 else ""
    shown_here = said if len(said) <= MOST_NAMED + 1 else said[:MOST_NAMED]
    return f"On {rows_named(results, scope)}, {'; '.join(shown_here)}{more}."


def _many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    predicted = f"Of {len(results['holdout']['classes'])} classes the one with the largest probability is predicted."
    there = [c for c in chosen if c.part["metrics"]["accuracy"]["value"] is not None]
    if not there:
        return predicted
    said = [f"{c.name} {with_interval(c.part['metrics']['accuracy'])}" for c in there[:MOST_NAMED]]
    said += [f"{len(there) - MOST_NAMED} others"] if len(there) > MOST_NAMED else []
    return (
        f"{predicted} With no answer withheld, the share of right ones on {rows_named(results, scope)} is "
        f"{listed(said)}."
    )


def _blocks(reading: Reading) -> list[Block]:
    return _chosen(reading) if reading.results["holdout"]["positive"] is not None else _withholding(reading)


def _least(scope: Scope) -> dict[str, float]:
    """By letter the probability that answers of several classes have at least, as the address says it: A:0.6,B:0.5."""
    found = {}
    for part in scope.own.get("least", "").split(","):
        letter, _, text = part.partition(":")
        try:
            value = float(text)
        except ValueError:
            continue
        if letter and 0 <= value <= 1:
            found[letter] = value
    return found


def _of_class(scope: Scope) -> bool:
    """Whether the answers of one class alone are withheld."""
    return scope.own.get("by") == "class"


LEFT = {"share_answered": "answered", "selective_accuracy": "right among them"}
LEFT_OF_CLASS = {"share_answered": "answered", "precision": "precision", "recall": "recall"}


def _withholding(reading: Reading) -> list[Block]:
    """Of three classes and more: what is left where answers with too little probability are withheld."""
    results, scope, least = reading.results, reading.scope, _least(reading.scope)
    names, label = results["holdout"].get("names", {}), class_read(results, scope)
    one, titles = _of_class(scope), LEFT_OF_CLASS if _of_class(scope) else LEFT
    rows: list[Row] = []
    for c in candidates(reading.further(), scope):
        found = c.part["per_class"][label].get("withheld") if one else c.part.get("withheld")
        at = least.get(c.letter, 0.0)
        if found is None:
            told = texts("gives no probability", *[""] * len(titles))
        else:
            said = [with_interval(found["metrics"][name]) for name in titles]
            told = texts(f"≥ {as_set(at)}" if at else "none withheld", *said)
        rows.append({"cells": [who(c), *told]})
    drawn = [] if one else [
        (replace(c, result={**c.result, "cutoff": _at(least.get(c.letter, 0.0))}), t)
        for c in reading.chosen if (t := reading.tallies()[c.name]) is not None and t.rows
    ]  # fmt: skip
    what = f"the answer “{names.get(label, label)}” alone" if one else "every answer"
    return [
        *([drawing("strips", figures.strips(drawn, rooted=True))] if drawn else []),
        table(texts("Candidate", "largest probability", *titles.values()), rows),
        note(
            *read_on(results, scope),
            f"{what} is withheld where its probability is less",
            "right answers up, wrong ones down, by their probability, each as the square root of its share of its kind"
            if drawn
            else "",
        ),
    ]


def _at(least: float) -> CutoffResult:
    return {"value": least, "rule": "by hand", "chosen_on": None}


def _chosen(reading: Reading) -> list[Block]:
    results, tallies = reading.results, reading.tallies()
    counted = [(c, t) for c in reading.chosen if (t := tallies[c.name]) is not None and t.rows]
    words, names = outcome_words(results), class_names(results)
    rooted = reading.scope.own.get("height") != "share"
    head = [
        *texts("Candidate"), *counts("cutoff"), *texts("chosen"),
        *counts(*(words[k] for k in OUTCOMES)), *texts("recall", "precision"),
    ]  # fmt: skip
    return [
        *([drawing("strips", figures.strips(counted, rooted))] if counted else []),
        table(head, [{"cells": _cells(c)} for c in reading.chosen]),
        *_choice(reading),
        *_besides(reading),
        note(
            *read_on(results, reading.scope),
            f"scores by actual class: {names['positive']} up, {names['negative']} down, each as "
            f"{'the square root of its' if rooted else 'a'} share of its class",
        ),
    ]


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    split, lines = scope.split, Part("lines", scope.split)
    if results["holdout"]["positive"] is None:
        least = _least(scope)
        names = tuple((c.result["name"], least.get(c.letter, 0.0)) for c in candidates(results, scope))
        return lines, Part("classes", split), Part("withheld", split, least=names)
    return lines, Part("choice", split), Part("optimism"), Part("drift"), *_asked(scope)


def _asked(scope: Scope) -> list[Part]:
    """What the view was asked for besides: a band for review, an expected base rate."""
    band, rate, prices = _band(scope), _rate(scope), _prices(scope)
    step = _step(scope) or (TRACED if scope.own.get("trace") else 0.0)
    return [
        *([Part("net_benefit", scope.split)] if scope.own.get("trace") == BENEFIT else []),
        *([Part("sweep", scope.split, step=step)] if step else []),
        *([Part("review", scope.split, band=band)] if band else []),
        *([Part("expected", scope.split, rate=rate, prices=prices)] if rate else []),
        *([Part("cost", scope.split, prices=prices)] if prices else []),
    ]


BENEFIT = "net_benefit"
TRACED = 0.01  # between the cutoffs of a trace


def _step(scope: Scope) -> float:
    """How far apart the cutoffs of the sweep table are; 0 where it is not open."""
    step = _numbers(scope.own.get("step", "0.1"))
    return step[0] if scope.own.get("sweep") == "yes" and step and step[0] in (0.1, 0.05, 0.02, 0.01) else 0.0


def _numbers(text: str) -> tuple[float, ...]:
    try:
        found = tuple(float(x) for x in text.split(":"))
    except ValueError:
        return ()
    return found if all(map(math.isfinite, found)) else ()


def _band(scope: Scope) -> tuple[float, ...]:
    """The ends of the band for review, as the address says them: 0.2:0.6."""
    ends = _numbers(scope.own.get("band", ""))
    return ends if len(ends) == 2 and ends[0] <= ends[1] else ()


def _rate(scope: Scope) -> float:
    """The expected share of positives; 0 where none is."""
    rate = _numbers(scope.own.get("base", ""))
    return rate[0] if len(rate) == 1 and 0 < rate[0] < 1 else 0.0


def _prices(scope: Scope) -> tuple[float, ...]:
    """What a needless flag and a miss cost, and a catch and a row rightly left; empty where nothing was said."""
    prices = _numbers(scope.own.get("costs", ""))
    return prices if len(prices) in (2, 4) and min(prices) >= 0 else ()


DRIFTING = ("recall", "precision", "flagged_share")
WIDE = 1 / 3  # of the share flagged: a stretch that changes it by more fixes no cutoff


def _choice(reading: Reading) -> list[Block]:
    """How wide the choice of each cutoff is, what the next catches cost, and what became of it on the reported rows."""
    further = candidates(reading.further(), reading.scope)
    words, holdout = outcome_words(reading.results), reading.results["holdout"]
    told = [c for c in further if c.part.get("next_catch") or c.part.get("last_catch")]
    out: list[Block] = []
    if told:
        head = texts("Candidate", f"The next catches, in {words['fp']}", "The last ones", "Not separable from the best",
                     "The choice")  # fmt: skip
        out.append(table(head, [{"cells": [who(c), *texts(*_width(c))]} for c in told], wide=True))
    drifting = [c for c in further if c.result.get("drift")]
    if drifting and reading.scope.split == holdout["report_on"]:
        since = [f"{METRICS[name].title} since {holdout['tune_on']}" for name in DRIFTING]
        rows: list[Row] = [
            {"cells": [who(c), *texts(*(signed(c.result["drift"][name]) for name in DRIFTING))]} for c in drifting
        ]
        out.append(table(texts("Candidate", *since), rows))
    tallies = reading.tallies()
    said = [s for c in further for s in _told_signer(c, tallies.get(c.name))]
    return [*out, note(*said)] if said else out


ASIDE = {"share_reviewed": "looked at", "precision_above": "precision above", "npv_below": "npv below",
         "recall_with_review": "recall with review"}  # fmt: skip
RESTATED = ("precision", "flagged_share", "cost")


def _besides(reading: Reading) -> list[Block]:
    """What the view was asked for besides: the cost of errors, a band for review, an expected base rate."""
    scope = reading.scope
    band, rate, prices = _band(scope), _rate(scope), _prices(scope)
    rows: list[Row]
    traced, step = scope.own.get("trace", ""), _step(scope)
    asked = band or rate or prices or traced or step
    further = candidates(reading.further(), scope) if asked else []
    out: list[Block] = _trace(further, traced) if traced else []
    if step:
        out += _sweep(further, scope)
    if prices:
        named = zip(("needless flag", "miss", "catch", "rightly left"), prices, strict=False)
        price = "Cost of a row, " + ", ".join(f"{name} {as_set(x)}" for name, x in named)
        costs = [(c, c.part["cost"]) for c in further if "cost" in c.part]
        rows = [{"cells": [who(c), value_cell(m, interval=True)]} for c, m in costs]
        out.append(table(texts("Candidate", price), rows))
    if band:
        low, high = (as_set(x) for x in band)
        rows = []
        for c in further:
            for b in c.part.get("bands", []):
                sides = (b.get("below"), b.get("between"), b.get("above"))
                counted = [count(side["rows"]) if side else "—" for side in sides]
                said = [with_interval(b["metrics"][name]) if name in b["metrics"] else "—" for name in ASIDE]
                rows.append({"cells": [who(c), *counts(*counted), *texts(*said)]})
        head = [*texts("Candidate"), *counts(f"below {low}", "for review", f"from {high}"), *texts(*ASIDE.values())]
        out.append(table(head, rows, wide=True))
    if rate:
        found = [(c, c.part["at_expected_base_rate"]) for c in further if "at_expected_base_rate" in c.part]
        restated = [(c, m["metrics"]) for c, m in found if not isinstance(m, list)]
        names = [n for n in RESTATED if any(n in m for _, m in restated)]
        titles = [METRICS[n].title if n in METRICS else "Cost of a row" for n in names]
        rows = [{"cells": [who(c), *(value_cell(m[n], interval=True) for n in names)]} for c, m in restated]
        out.append(table(texts(f"With {as_set(rate)} positive", *titles), rows))
    return out


def _trace(further: list[Shown], name: str) -> list[Block]:
    """A metric of counts by cutoff, a line a candidate."""
    lines: list[tuple[Shown, list[tuple[float, float]]]] = []
    for c in further:
        if name == BENEFIT and "net_benefit" in c.part:
            worth = c.part["net_benefit"]
            lines.append((c, list(zip(worth["threshold"], worth["net_benefit"], strict=True))))
        found: Any = c.part.get("sweep", {})
        if isinstance(found.get(name), dict):
            at = zip(found["cutoff"], found[name]["value"], strict=True)
            lines.append((c, [(x, y) for x, y in at if y is not None]))
    if not lines:
        return []
    title = "Net benefit" if name == BENEFIT else METRICS[name].title if name in METRICS else name
    return [drawing("trace", figures.trace(lines, title)), note(f"{title} by cutoff")]


SWEPT = ("flagged_share", "recall", "precision", "specificity", "f1")


def _sweep(further: list[Shown], scope: Scope) -> list[Block]:
    """The metrics of the candidate in front at cutoffs one step apart."""
    swept = [c for c in further if "sweep" in c.part]
    front = next(iter([*(c for c in swept if c.letter == scope.own.get("front")), *swept]), None)
    if front is None:
        return []
    found: Any = front.part["sweep"]
    rows: list[Row] = [
        {"cells": texts(f"≥ {as_set(at)}", *(shown(found[name]["value"][i]) for name in SWEPT))}
        for i, at in enumerate(found["cutoff"])
    ]
    return [table(texts(f"Cutoff of {front.name}", *(METRICS[name].title for name in SWEPT)), rows)]


def _width(c: Shown) -> list[str]:
    stretch = c.part.get("stretch")
    wide = "—" if stretch is None or "why" in stretch else between(stretch)
    return [_price(c.part.get("next_catch")), _price(c.part.get("last_catch")), wide, _owed(c)]


def _price(found: Catch | None) -> str:
    if not found:
        return "none"
    at = "above every score" if found["cutoff"] is None else f"≥ {as_set(found['cutoff'])}"
    return f"{count(found['needless'])} for {count(found['catches'])}, {at}"


def between(stretch: Stretch) -> str:
    """A stretch of cutoffs in words."""
    low, high = stretch["low"], stretch["high"]
    if low is None or high is None:
        return "all scores" if low is high else f"up to {as_set(high)}" if low is None else f"from {as_set(low)} on"  # type: ignore[arg-type]
    return f"{as_set(low)} to {as_set(high)}"


def _owed(c: Shown) -> str:
    """What the rule's metric is where it was chosen, and where it is chosen over on parts of these rows."""
    for name, o in c.result.get("optimism", {}).items():
        if o["difference"] is not None:
            title = "cost a row" if name == "cost" else METRICS[name].title
            return f"{title} {shown(o['value'])}, chosen over {shown(o['cross_chosen'])}"
    return "—"


def _told_signer(c: Shown, t: Tally | None) -> list[str]:
    """What the numbers of a choice force to be said."""
    out = []
    stretch, cutoff = c.part.get("stretch"), c.cutoff
    if t is not None and cutoff is not None and stretch is not None and "why" not in stretch:
        low, high = (math.inf if end is None else end for end in (stretch["low"], stretch["high"]))
        most, least, here = (sum(t.at(x)) for x in (-math.inf if stretch["low"] is None else low, high, cutoff))
        if most - least > WIDE * here:
            out.append(f"{c.name}: the data do not fix the cutoff: between {count(least)} and {count(most)} rows "
                       "flagged it cannot be separated from the best")  # fmt: skip
    beyond = [d["beyond_choosing"] for d in c.result.get("drift", {}).values() if "beyond_choosing" in d]
    if any(b["low"] > 0 or b["high"] < 0 for b in beyond):
        out.append(f"{c.name}: tuning and test differ by more than choosing explains")
    return out


OUTCOMES = ("tp", "fn", "fp", "tn")


def _cells(c: Shown) -> list[Cell]:
    n = c.part.get("outcomes")
    said = ["—"] * len(OUTCOMES) if n is None else [count(n[k]) for k in OUTCOMES]  # type: ignore[literal-required]
    metrics = c.part["metrics"]
    return [
        who(c), *counts(cutoff_of(c) or "classes only"), {"text": chosen_where(c.result["cutoff"])}, *counts(*said),
        *texts(*(with_interval(metrics[name]) for name in ("recall", "precision"))),
    ]  # fmt: skip


CUTOFF = Exhibit(
    view="cutoff", reads=("lines",), shows=_shows, counts_only=True, two=_two,
    many=_many, blocks=_blocks,
)  # fmt: skip
