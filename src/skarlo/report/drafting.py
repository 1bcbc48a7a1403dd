"""Sentences drafted from the numbers. None claims more than the intervals and the paired tests allow."""

from __future__ import annotations

from skarlo.core import Results, shown, with_interval
from skarlo.core.definitions import METRICS
from skarlo.core.explain import class_names, outcomes

from .scope import Scope, Shown, baselines, candidates


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
    return f"the {rows:,} {scope.split} rows" if scope.split != "all" else f"the {rows:,} rows"


def outcome_words(results: Results) -> dict[str, str]:
    """The study's words for the four outcomes, or the trade's."""
    plain = {"tp": "true positives", "fn": "false negatives", "fp": "false positives", "tn": "true negatives"}
    return plain | results["holdout"].get("words", {})


def listed(items: list[str]) -> str:
    """ "A, B and C"."""
    return items[0] if len(items) == 1 else f"{', '.join(items[:-1])} and {items[-1]}"


def lead(results: Results, scope: Scope, metric: str) -> str:
    """Who leads on a metric, as far as the paired tests on the reported split can tell."""
    title = METRICS[metric].title
    title = title if title[1].isupper() or title.startswith("Brier") else title[0].lower() + title[1:]
    scored = [c for c in candidates(results, scope) if c.part["metrics"][metric]["value"] is not None]
    if not scored:
        return ""
    sign = -1 if METRICS[metric].better == "lower" else 1
    first = max(scored, key=lambda c: sign * (c.part["metrics"][metric]["value"] or 0.0))
    value = with_interval(first.part["metrics"][metric])
    if len(scored) == 1:
        return f"On {title}, {first.name} stands at {value}"
    if scope.split != results["holdout"]["report_on"]:
        return f"On {title}, {first.name} has the {'lowest' if sign < 0 else 'highest'} value, {value}"
    tied = [c.name for c in scored if c is not first and not _apart(results, metric, first.name, c.name)]
    if not tied:
        return f"On {title}, {first.name} leads at {value}"
    return f"On {title}, {first.name} at {value} is not told apart from {listed(tied)}"


def _apart(results: Results, metric: str, a: str, b: str) -> bool:
    """Whether b is told apart from a: by the best set where a leads the study, else by the adjusted paired test."""
    best = results["best"][results["holdout"]["report_on"]].get(metric)
    if best and best["leader"] == a:
        return b not in best["not_told_apart"]
    for pair in results["pairs"]:
        if {pair["a"], pair["b"]} == {a, b}:
            p = pair["metrics"][metric].get("p_adjusted")
            return p is not None and p <= 1 - results["settings"]["confidence"]
    return False


def _line_up(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "brier")) if s]
    if not parts:
        parts = [lead(results, scope, "f1") or lead(results, scope, "accuracy")]
    text = "; ".join([parts[0], *[p[0].lower() + p[1:] for p in parts[1:]]])
    always = baselines(results, scope)[0]
    accuracy = always.part["metrics"]["accuracy"]["value"] or 0.0
    behind = [c.name for c in chosen if (c.part["metrics"]["accuracy"]["value"] or 0.0) < accuracy]
    if behind:
        text += (
            f". Accuracy says little here: {always.name} alone reaches {shown(accuracy)}, "
            f"more than {listed(behind)}"
        )  # fmt: skip
    return text + "."


def _matrix(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    positive, negative = class_names(results).values()
    first = outcomes(results, chosen[0].part)
    missed = [f"{c.name} misses {outcomes(results, c.part)['FN']:,}" for c in chosen]
    wrong = [f"{outcomes(results, c.part)['FP']:,}" for c in chosen]
    return (
        f"Of the {first['P']:,} rows that were {positive}, {listed(missed)}; "
        f"of the {first['N']:,} that were {negative}, {_they(len(chosen))} call {listed(wrong)} {positive}."
    )


def _they(n: int) -> str:
    return "it does" if n == 1 else "they"


def _curves(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "average_precision")) if s]
    if not parts:
        return "These candidates answer classes only: there is no score to draw a curve from."
    base = shown(chosen[0].part["metrics"]["prevalence"]["value"])
    return f"{parts[0]}; {parts[1][0].lower() + parts[1][1:]}, where guessing gives {base}."


def _cutoff(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    words = outcome_words(results)
    said = []
    for c in chosen:
        if c.cutoff is None:
            continue
        n = outcomes(results, c.part)
        said.append(
            f"{c.name} at ≥ {shown(c.cutoff)}: {n['TP']:,} {words['tp']}, {n['FN']:,} {words['fn']}, "
            f"{n['FP']:,} {words['fp']}"
        )
    if not said:
        return "These candidates answer classes only: there is no cutoff to set."
    return f"On {rows_named(results, scope)}, {'; '.join(said)}."


def _line_up_of_many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("balanced_accuracy", "log_loss")) if s]
    text = "; ".join([parts[0], *[p[0].lower() + p[1:] for p in parts[1:]]]) if parts else "There is nothing to compare"
    unanswered = [f"{c.name} leaves {c.part['no_answer']:,} rows without an answer" for c in chosen
                  if c.part["no_answer"]]  # fmt: skip
    return ". ".join([text, *([listed(unanswered)] if unanswered else [])]) + "."


def _matrix_of_many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """How many each calls right, and which class it takes most often for which other."""
    classes, names = results["holdout"]["classes"], results["holdout"].get("names", {})
    said = []
    for c in chosen:
        matrix = c.part["matrix"] or []
        wrong = [(n, a, p) for a, row in enumerate(matrix) for p, n in enumerate(row[: len(classes)]) if p != a]
        right = sum(row[a] for a, row in enumerate(matrix))
        text = f"{c.name} calls {right:,} of {rows_named(results, scope)} right"
        n, a, p = max(wrong, default=(0, 0, 0), key=lambda w: w[0])
        if n:
            actual, other = (names.get(classes[k], classes[k]) for k in (a, p))
            text += f" and most often takes {actual} for {other} ({n:,} rows)"
        said.append(text)
    return "; ".join(said) + "."


def _not_yet(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    return f"This view reads two classes so far, and this study has {len(results['holdout']['classes'])}."


_MANY = {"line-up": _line_up_of_many, "matrix": _matrix_of_many, "curves": _not_yet, "cutoff": _not_yet}
_DRAFTS = {"line-up": _line_up, "matrix": _matrix, "curves": _curves, "cutoff": _cutoff}


def summary(results: Results, scope: Scope) -> str:
    """A first draft of the dossier's argument, in Markdown, for its author to edit."""
    chosen = candidates(results, scope)
    positive = class_names(results)["positive"]
    if results["holdout"]["positive"] is None:
        return "\n\n".join([
            f"**What was compared.** {listed([c.name for c in chosen])}, on {rows_named(results, scope)} of "
            f"{len(results['holdout']['classes'])} classes.",
            "**What stands out.** " + sentence("line-up", results, scope),
            "**Which errors.** " + sentence("matrix", results, scope),
        ])  # fmt: skip
    lines = [
        f"**What was compared.** {listed([c.name for c in chosen])}, on {rows_named(results, scope)}, of which "
        f"{outcomes(results, chosen[0].part)['P']:,} were {positive}.",
        "**What stands out.** " + sentence("line-up", results, scope),
        "**What errors cost.** " + sentence("matrix", results, scope),
    ]
    tied = [m for m in ("roc_auc", "average_precision", "f1") if "not told apart" in lead(results, scope, m)]
    if tied:
        lines.append(
            "**Not settled.** " + " ".join(lead(results, scope, m) + "." for m in tied)
            + " That they are not told apart does not say that they are equal."
        )  # fmt: skip
    return "\n\n".join(lines)
