"""Casebook: labels that may be wrong, and what would follow."""

from __future__ import annotations

from skarlo.core import DoubtResult, Part, Results, count, named, several, shown
from skarlo.report.blocks import Block, Row, counts, note, table, texts
from skarlo.report.drafting import MOST_NAMED, title_of
from skarlo.report.scope import Scope, Shown, candidates

from .cells import who
from .entry import Reading

MOST_ROWS = 20
METRICS = ("accuracy", "recall", "precision", "f1", "balanced_accuracy", "mcc", "roc_auc", "average_precision",
           "log_loss")  # fmt: skip


def shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    most = scope.own.get("wrong", "")
    how = "dropped" if scope.own.get("how") == "dropped" else "flipped"
    return Part("lines", scope.split), Part("doubt", doubted=(int(most) if most.isdecimal() else 0, how))


def says(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    told = results.get("doubt")
    if told is None:
        return "Nothing is asked of the labels."
    if not told["judges"]:
        return "No candidate knows the classes surely enough to judge a label."
    many, n = len(told["judges"]), len(told["listed"])
    names = named(told["judges"]) if many <= MOST_NAMED else f"the {count(many)} candidates that judge"
    speak = f"{names} speaks" if many == 1 else f"{names} both speak"
    if many > 2:
        speak = f"Most of {names} speak"
    against = several(n, "label") if n else "no label"
    expected = count(round(told["expected_if_right"]))
    return f"{speak} against {against}; with every label right about {expected} would stand here.{_few(told)}"


def _few(told: DoubtResult) -> str:
    """Which metrics a handful of wrong labels could give another leader on."""
    fewest = [(name, lead["flips_to_change"]) for name, lead in told["lead"].items()]
    close = [f"{title_of(name)} ({n})" for name, n in fewest if n is not None and n <= told["beyond"]]
    return f" A handful of wrong labels could change the lead on {named(close)}." if close else ""


def blocks(reading: Reading) -> list[Block]:
    results, scope = reading.further(), reading.scope
    told = results.get("doubt")
    if told is None:
        return []
    labels = results["holdout"].get("names", {})
    listed: list[Row] = [
        {"cells": [*texts(one["id"], labels.get(one["label"], one["label"]), labels.get(one["other"], one["other"])),
                   *counts(f"{one['evidence']['times']:,.1f}")]}
        for one in told["listed"][:MOST_ROWS]
    ]  # fmt: skip
    out: list[Block] = []
    if listed:
        out.append(table([*texts("Row", "label", "taken for"), *counts("times likelier")], listed))
    chosen = [c for c in candidates(results, scope) if c.result["name"] in told["candidates"]]
    names = [name for name in METRICS if any(name in told["candidates"][c.result["name"]] for c in chosen)]
    if told["doubted"] and names:
        rows: list[Row] = []
        for c in chosen:
            of = told["candidates"][c.result["name"]]
            cells = [f"{shown(of[n]['low'])} to {shown(of[n]['high'])}" if n in of else "—" for n in names]
            rows.append({"cells": [who(c), *counts(*cells)]})
        out.append(table([*texts("Could be"), *counts(*(title_of(n) for n in names))], rows))
    said = "turned" if told["how"] == "flipped" else "dropped"
    more = len(told["listed"]) - len(listed)
    return [*out, note(
        f"if at most {several(told['at_most'], 'label')} of the {count(told['doubted'])} in doubt are wrong, {said}: "
        "from the least to the greatest value over every way; a reading, no test",
        f"{count(more)} more rows stand in the list" if more > 0 else "",
    )]  # fmt: skip
