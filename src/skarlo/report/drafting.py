"""Sentences drafted from the numbers. None claims more than the intervals and the paired tests allow.

"Leads", "more than", "most often" are said where a test says so; where there is no test, that is said.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from skarlo.core import (
    METRICS,
    Lead,
    Results,
    as_set,
    class_names,
    count,
    mcnemar_midp,
    named,
    outcomes_of,
    several,
    shown,
    with_interval,
)

from .scope import Scope, Shown, baselines, candidates, class_read, of_class

MOST_NAMED = 3  # candidates that a sentence names one by one


def sentence(view: str, results: Results, scope: Scope) -> str:
    """The one sentence at the top of a view (now and then two), about the candidates in scope."""
    chosen = candidates(results, scope)
    if not chosen:
        return "No candidate is switched on."
    if not chosen[0].part["rows"]:
        return f"There are no {scope.split} rows."
    return (_DRAFTS if results["holdout"]["positive"] is not None else _MANY)[view](results, scope, chosen)


def rows_named(results: Results, scope: Scope) -> str:
    """ "the 4,000 test rows"."""
    rows = next(iter(results["candidates"]))["splits"][scope.split]["rows"]
    return f"the {_counted(rows, scope.split)}"


def _counted(n: int, split: str) -> str:
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
            return f", which is not shown to be better than {_of_baseline(b.name)} ({shown(own['value'])})"
    return ""


def _of_baseline(name: str) -> str:
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


def _joined(parts: Sequence[str]) -> str:
    return "; ".join([parts[0], *[p[0].lower() + p[1:] for p in parts[1:]]])


def _roster(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "brier")) if s]
    text = _joined(parts or [lead(results, scope, "f1") or lead(results, scope, "accuracy") or "Nothing to compare"])
    return text + _misleading(results, scope, chosen) + "."


def _misleading(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """That always giving one class is shown to be more accurate than some: then accuracy says nothing of these."""
    always = baselines(results, scope)[0]
    against = results["against_baseline"].get(scope.split, {})
    alpha = 1 - results["settings"]["confidence"]
    behind = []
    for c in chosen:
        d = against.get(c.name, {}).get(always.result["name"], {}).get("accuracy")
        p = None if d is None else d.get("p_adjusted")
        if d is not None and p is not None and p <= alpha and (d["difference"] or 0.0) < 0:
            behind.append(c.name)
    if not behind:
        return ""
    accuracy = shown(always.part["metrics"]["accuracy"]["value"])
    return f". Accuracy misleads here: {_of_baseline(always.name)} scores {accuracy}, more than {named(behind)}"


def _matrix(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    positive, negative = class_names(results).values()
    made = [c for c in chosen if c.part["matrix"] is not None]
    if not made:
        return "No cutoff could be set, so no class is predicted."
    first = outcomes_of(results, made[0].part)
    missed = _each(made, "misses", lambda c: count(outcomes_of(results, c.part)["FN"]))
    wrong = _each(made, "wrongly flags", lambda c: count(outcomes_of(results, c.part)["FP"]))
    said = [
        f"Of the {count(first['P'])} rows that were “{positive}”, {missed}",
        f"of the {count(first['N'])} that were “{negative}”, {wrong}",
    ]
    left = [f"{c.name} for {_counted(c.part['no_answer'], 'all')}" for c in made if c.part["no_answer"]]
    return "; ".join(said) + (f". No answer: {named(left)}." if left else ".")


def _each(chosen: Sequence[Shown], verb: str, told: Callable[[Shown], str]) -> str:
    """ "A misses 203, B 178 and C 198"."""
    return named([f"{c.name} {f'{verb} ' if i == 0 else ''}{told(c)}" for i, c in enumerate(chosen)])


def _curves(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "average_precision")) if s]
    if not parts:
        return "These candidates answer classes only: there is no score to draw a curve from."
    base = shown(chosen[0].part["metrics"]["prevalence"]["value"])
    return f"{_joined(parts)}, where guessing gives {base}."


def _cutoff(results: Results, scope: Scope, chosen: list[Shown]) -> str:
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


def _roster_of_many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("balanced_accuracy", "log_loss")) if s]
    text = _joined(parts) if parts else "There is nothing to compare"
    left = [c for c in chosen if c.part["no_answer"]]
    if not left:
        return f"{text}."
    return (
        f"{text}. Without an answer: "
        + named([f"{_counted(c.part['no_answer'], 'all')} of {c.name}" for c in left])
        + "."
    )


def _matrix_of_many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """How many each predicts right, and which class it takes for which other."""
    whole = chosen[0].part["rows"]
    said = [f"{c.name} predicts {count(_right(c))} of {_counted(whole, scope.split)} right{_confused(results, c)}"
            for c in chosen]  # fmt: skip
    if len(said) > MOST_NAMED + 1:
        return "; ".join(said[:MOST_NAMED]) + f"; and {len(said) - MOST_NAMED} others."
    return "; ".join(said) + "."


def _right(c: Shown) -> float:
    return sum(row[a] for a, row in enumerate(c.part["matrix"] or []))


def _confused(results: Results, c: Shown) -> str:
    """The pair of classes that is confused most, as far as one stands out from the next: by the sign test between the
    two counts, corrected for having picked the largest of all."""
    classes, names = results["holdout"]["classes"], results["holdout"].get("names", {})
    wrong = sorted(
        ((n, -a, -p) for a, row in enumerate(c.part["matrix"] or []) for p, n in enumerate(row[: len(classes)])
         if p != a and n > 0), reverse=True,
    )  # fmt: skip
    if not wrong:
        return ""

    def told(cell: tuple[float, int, int]) -> str:
        actual, predicted = (names.get(classes[-k], classes[-k]) for k in cell[1:])
        return f"“{actual}” for “{predicted}” ({_counted(int(cell[0]), 'all')})"

    if len(wrong) == 1:
        return f" and takes {told(wrong[0])}"
    whole = all(float(n).is_integer() for n, _, _ in wrong)
    p = mcnemar_midp(int(wrong[0][0]), int(wrong[1][0])) * (len(wrong) - 1) if whole else 1.0
    if p <= 1 - results["settings"]["confidence"]:
        return f" and most often takes {told(wrong[0])}"
    return f"; among its errors, it takes {told(wrong[0])} and {told(wrong[1])}"


def _curves_of_many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """Who has the highest areas of the class that is read against the rest; no test compares these."""
    label, names = class_read(results, scope), results["holdout"].get("names", {})
    said: list[str] = []
    for metric in ("roc_auc", "average_precision"):
        scored = [c for c in of_class(results, scope) if c.part["metrics"][metric]["value"] is not None]
        if not scored:
            continue
        first = max(scored, key=lambda c: c.part["metrics"][metric]["value"] or 0.0)
        value = with_interval(first.part["metrics"][metric])
        has = "stands at" if len(scored) == 1 else "has the highest value,"
        said.append(f"{'On' if not said else 'on'} {title_of(metric)} {first.name} {has} {value}")
    if not said:
        return "These candidates answer classes only: there is no probability to draw a curve from."
    tested = "" if len(chosen) == 1 else "; not tested"
    return f"“{names.get(label, label)}” against the rest. {'; '.join(said)}{tested}."


def _no_cutoff(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    classes = len(results["holdout"]["classes"])
    return f"Of {classes} classes the one with the largest probability is predicted: there is no cutoff to set yet."


_MANY = {"roster": _roster_of_many, "matrix": _matrix_of_many, "curves": _curves_of_many, "cutoff": _no_cutoff}
_DRAFTS = {"roster": _roster, "matrix": _matrix, "curves": _curves, "cutoff": _cutoff}


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


def summary(results: Results, scope: Scope) -> str:
    """A first draft of the dossier's argument, in Markdown, for its author to edit."""
    chosen = candidates(results, scope)
    if not chosen:
        return ""
    who, rows = named([c.name for c in chosen]), rows_named(results, scope)
    if results["holdout"]["positive"] is None:
        of, asked = f" of {len(results['holdout']['classes'])} classes", ("balanced_accuracy", "log_loss", "accuracy")
    else:
        positives = count(outcomes_of(results, chosen[0].part)["P"])
        of = f", of which {positives} were “{class_names(results)['positive']}”"
        asked = ("roc_auc", "average_precision", "f1")
    lines = [
        f"**What was compared.** {who}, on {rows}{of}.",
        "**What stands out.** " + sentence("roster", results, scope),
        "**Which errors.** " + sentence("matrix", results, scope),
    ]
    open_ = [told for m in asked if "cannot separate" in (told := lead(results, scope, m)) or "not tested" in told]
    if open_:
        lines.append(
            "**Not settled.** " + " ".join(told + "." for told in open_)
            + " Candidates that cannot be separated are not thereby equal."
        )  # fmt: skip
    return "\n\n".join(lines)
