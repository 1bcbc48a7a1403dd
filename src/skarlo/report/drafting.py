"""What the drafted sentences of all exhibits are made of. None claims more than intervals and paired tests allow.

"Leads", "more than", "most often" are said where a test says so; where there is no test, that is said.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from skarlo.core import (
    METRICS,
    Lead,
    Results,
    as_set,
    named,
    several,
    shown,
    with_interval,
)

from .scope import Scope, Shown, baselines, candidates

MOST_NAMED = 3  # candidates that a sentence names one by one


def rows_named(results: Results, scope: Scope) -> str:
    """ "the 4,000 test rows": all of them, whoever answers them."""
    where = f" where {scope.where}" if scope.within else ""
    return f"the {counted_rows(baselines(results, scope)[0].part['rows'], scope.split)}{where}"


def read_on(results: Results, scope: Scope) -> list[str]:
    """What an exhibit says of the rows it shows; of rows that were picked out, that nothing allows for the picking."""
    picked = ["these rows were picked out: no test here is corrected for how many slices were looked at"]
    return [rows_named(results, scope), *(picked if scope.within else [])]


def picked_by(results: Results) -> set[str]:
    """The candidates whose own answers picked the rows that are read: nothing of them is tested, or judged, there."""
    return set(results["holdout"].get("picked_by", ()))


def counted_rows(n: float, split: str) -> str:
    """ "4,000 test rows"."""
    return several(n, "row" if split == "all" else f"{split} row")


def outcome_words(results: Results) -> dict[str, str]:
    """The study's words for the four outcomes, or the trade's."""
    plain = {"tp": "true positives", "fn": "false negatives", "fp": "false positives", "tn": "true negatives"}
    return plain | results["holdout"].get("words", {})


def title_of(metric: str) -> str:
    """A metric's title inside a sentence."""
    title = METRICS[metric].title if metric in METRICS else metric
    fixed = not title[1:2].islower() or title.startswith(("Brier", "Cohen", "Matthews"))
    return title if fixed else (
        title[0].lower() + title[1:]
    )  # fmt: skip


LEADS = ("lines", "best", "pairs", "against_baseline")  # what it takes to say who leads


def lead(results: Results, scope: Scope, metric: str) -> str:
    """Who leads on a metric, as far as the paired tests on the reported split can tell."""
    title = title_of(metric)
    scored = [c for c in candidates(results, scope) if c.part["metrics"][metric]["value"] is not None]
    if not scored:
        return ""
    sign = -1 if METRICS[metric].better == "lower" else 1
    first = max(scored, key=lambda c: sign * (c.part["metrics"][metric]["value"] or 0.0))
    value, most = with_interval(first.part["metrics"][metric]), "lowest" if sign < 0 else "highest"
    if len(scored) == 1:
        return f"On {title}, {first.name} stands at {value}"
    if scope.split != results["holdout"]["report_on"]:
        return f"On {title}, {first.name} has the {most} value, {value}; {scope.split} rows are not tested"
    found = {c.name: _separated(results, metric, first.name, c.name) for c in scored if c is not first}
    tied = [name for name, separated in found.items() if separated is False]
    untested = [name for name, separated in found.items() if separated is None]
    if tied:
        said = f"On {title}, {first.name} is {most} at {value}, but this data cannot separate it from {named(tied)}"
        return f"{said}; {named(untested)} {_is(untested)} not tested against it" if untested else said
    if untested:
        who = "" if len(untested) == len(found) else f" against {named(untested)}"
        return f"On {title}, {first.name} has the {most} value, {value}; not tested{who}"
    return f"On {title}, {first.name} leads at {value}{_beaten(results, scope, metric, first)}"


def _is(names: Sequence[str]) -> str:
    return "is" if len(names) == 1 else "are"


def _beaten(results: Results, scope: Scope, metric: str, first: Shown) -> str:
    """What takes the shine off a lead: that something without a model is not shown to be worse."""
    against = results["against_baseline"].get(scope.split, {}).get(first.name, {})
    sign = -1 if METRICS[metric].better == "lower" else 1
    for b in baselines(results, scope):
        d = against.get(b.result["name"], {}).get(metric)
        own = b.part["metrics"].get(metric)
        if d is None or own is None or own["value"] is None or d["difference"] is None:
            continue
        p = d.get("p_adjusted")
        better = p is not None and p <= 1 - results["settings"]["confidence"] and sign * d["difference"] > 0
        if not better:
            value = own["value"]
            if first.part["no_answer"]:  # what the baseline has on the rows that the first answers
                value = (first.part["metrics"][metric]["value"] or 0.0) - d["difference"]
            return f", which is not shown to be better than {of_baseline(b.name)} ({shown(value)})"
    return ""


def of_baseline(name: str) -> str:
    """A baseline's name inside a sentence."""
    return "the base rate" if name == "base rate" else name.replace("always", "always answering", 1)


def _separated(results: Results, metric: str, first: str, other: str) -> bool | None:
    """Whether the data separates a candidate from the first: by the best set where the first leads the study, else by
    the adjusted paired test; None where no test was made."""
    best: Lead | None = results["best"][results["holdout"]["report_on"]].get(metric)
    if best and best["leader"] == first:
        return None if other in best["not_tested"] else other not in best["not_separated"]
    for pair in results["pairs"]:
        if {pair["a"], pair["b"]} == {first, other}:
            p = pair["metrics"][metric].get("p_adjusted")
            return None if p is None else p <= 1 - results["settings"]["confidence"]
    return None


def joined(parts: Sequence[str]) -> str:
    """Parts as one sentence."""
    return "; ".join([parts[0], *[p[0].lower() + p[1:] for p in parts[1:]]])


def chosen_where(cutoff: Any) -> str:
    """Where and how a cutoff was chosen, in words: "chosen by hand on the tuning rows"."""
    if cutoff is None:
        return ""
    rule, on = cutoff["rule"], cutoff["chosen_on"]
    given = cutoff.get("parameters") or {}
    how = "by hand" if rule == "by hand" else f"by the rule {rule.replace('_', ' ')}"
    if given:
        told = [f"{name.replace('_', ' ')} {as_set(v)}" for name, v in given.items()]
        how += f" ({', '.join(told)})"
    if rule == "fixed":
        return "set in advance" if on is None else f"chosen on the {_split_rows(on)}"
    return f"chosen {how}" if on is None else f"chosen {how} on the {_split_rows(on)}"


def _split_rows(split: str) -> str:
    return "rows" if split == "all" else f"{split} rows"
