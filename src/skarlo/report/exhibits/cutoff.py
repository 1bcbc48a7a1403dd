"""The cutoff: what it catches, misses and flags, over the scores of both classes."""

from __future__ import annotations

from skarlo.core import Results, as_set, class_names, count, outcomes_of, with_interval
from skarlo.report import figures
from skarlo.report.blocks import Block, Cell, counts, drawing, note, table, texts
from skarlo.report.drafting import MOST_NAMED, chosen_where, outcome_words, read_on, rows_named
from skarlo.report.scope import Scope, Shown

from .cells import cutoff_of, who
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
    classes = len(results["holdout"]["classes"])
    return f"Of {classes} classes the one with the largest probability is predicted: there is no cutoff to set yet."


def _blocks(reading: Reading) -> list[Block]:
    results, tallies = reading.results, reading.tallies()
    counted = [(c, t) for c in reading.chosen if (t := tallies[c.name]) is not None and t.rows]
    words, names = outcome_words(results), class_names(results)
    head = [
        *texts("Candidate"), *counts("cutoff"), *texts("chosen"),
        *counts(*(words[k] for k in OUTCOMES)), *texts("recall", "precision"),
    ]  # fmt: skip
    return [
        *([drawing("strips", figures.strips(counted))] if counted else []),
        table(head, [{"cells": _cells(c)} for c in reading.chosen]),
        note(
            *read_on(results, reading.scope),
            f"scores by actual class: {names['positive']} up, {names['negative']} down, each as a share of its class",
        ),
    ]


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
    view="cutoff", reads=("lines",), counts_only=True, two=_two, many=_many, blocks=_blocks,
    refused="of three classes or more the one with the largest probability is predicted: there is no cutoff to show",
)  # fmt: skip
