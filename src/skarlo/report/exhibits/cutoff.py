"""The cutoff: what it catches, misses and flags, over the scores of both classes."""

from __future__ import annotations

from typing import Any

from skarlo.core import Results, as_set, class_names, count, outcomes_of
from skarlo.report import figures
from skarlo.report.drafting import MOST_NAMED, outcome_words, rows_named
from skarlo.report.scope import Scope, Shown

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


def _figures(reading: Reading) -> dict[str, str]:
    tallies = reading.tallies()
    counted = [(c, t) for c in reading.chosen if (t := tallies[c.name]) is not None and t.rows]
    return {"strips": figures.strips(counted)} if counted else {}


def _drawn(results: Results, scope: Scope, chosen: list[Shown]) -> dict[str, Any]:
    return {"words": outcome_words(results), **class_names(results)}


CUTOFF = Exhibit(
    view="cutoff", two=_two, many=_many, figures=_figures, drawn=_drawn, template="cutoff.html.j2",
    refused="of three classes or more the one with the largest probability is predicted: there is no cutoff to show",
)  # fmt: skip
