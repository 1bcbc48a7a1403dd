"""What every unfolding says in the same way: its form, its interval, rows with their noun, classes by name."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NotRequired

from typing_extensions import TypedDict

from ..counting import outcomes
from ..number import Metric
from ..results import Results
from ..writing import several, shown
from .methods import INTERVALS, SUFFIXES


class Behind(TypedDict):
    """The rows that a number is a share of, or is read from: of these classes; null for any."""

    actual: str | None
    predicted: str | None


class Unfolded(TypedDict):
    """One number, unfolded. Every text is a whole sentence, or empty where there is nothing to say."""

    title: str
    meaning: str
    formula: str
    sentence: str
    interval: str
    direction: str
    also: list[str]
    metric: Metric
    behind: NotRequired[Behind]


def told(
    title: str, meaning: str, formula: str, sentence: str, interval: str, better: str, also: tuple[str, ...], m: Metric
) -> Unfolded:  # fmt: skip
    directions = {"higher": "Higher is better.", "lower": "Lower is better."}
    return {
        "title": title, "meaning": meaning[:1].upper() + meaning[1:] + ("." if meaning else ""), "formula": formula,
        "sentence": sentence, "interval": interval, "direction": directions.get(better, ""), "also": list(also),
        "metric": m,
    }  # fmt: skip


def none(m: Metric) -> str:
    return f"Not defined here: {m['why']}." if m["value"] is None else ""


def method(name: str, texts: Mapping[str, str] = INTERVALS) -> str:
    """How an interval or test was made, from its name."""
    design = [text for suffix, text in SUFFIXES.items() if suffix in name]
    for suffix in SUFFIXES:
        name = name.replace(suffix, "")
    return texts[name] + "".join(design)


def class_names(results: Results) -> dict[str, str]:
    """The names to show for the "positive" and the "negative" class of a two-class study.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["y", "n", "y", "n"], {"net": [0.9, 0.2, 0.6, 0.7]}, positive="y")
    >>> class_names(results)
    {'positive': 'y', 'negative': 'n'}
    """
    holdout = results["holdout"]
    names = holdout.get("names", {})
    positive = holdout["positive"] or ""
    negative = next(x for x in holdout["classes"] if x != positive)
    return {"positive": names.get(positive, positive), "negative": names.get(negative, negative)}


def confidence(results: Results) -> str:
    return f"{results['settings']['confidence'] * 100:g} %"


def interval(results: Results, m: Metric) -> str:
    if m["value"] is None:
        return ""
    low, high = m.get("low"), m.get("high")
    if low is None or high is None:
        return f"No interval: {m['why_interval']}."
    said = f"{confidence(results)} interval {shown(low)} to {shown(high)}: {method(m['interval'])}."
    if m.get("thin"):
        said += f" It rests on fewer than {results['settings']['min_denominator']} rows."
    if m.get("unreliable"):
        said += " A class has fewer than 10 rows, so the interval cannot be relied on."
    if m.get("approximate"):
        said += " It is approximate: in simulations it covered the true value less often than stated."
    if "why_interval" in m:
        said += f" Note that {m['why_interval']}."
    return said


def rows(n: float, part: Any = None) -> str:
    """A number of rows with its noun; sums of sampling weights are called that."""
    matrix = (part or {}).get("matrix") or []
    weighted = any(isinstance(x, float) for row in matrix for x in row)
    return several(n, "weighted row" if weighted else "row")


def were(n: float) -> str:
    return "was" if n == 1 else "were"


def outcomes_of(results: Results, part: Any, k: int | None = None) -> dict[str, Any]:
    """The outcomes of one class against the rest, the positive one unless said; without a matrix the actual rows.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["y", "n", "y", "n"], {"net": [0.9, 0.2, 0.6, 0.7]}, positive="y")
    >>> found = outcomes_of(results, results["candidates"][0]["splits"]["all"])
    >>> found["TP"], found["FP"], found["P"]
    (2, 1, 2)
    """
    classes = results["holdout"]["classes"]
    p = classes.index(results["holdout"]["positive"] or "") if k is None else k
    if part["matrix"] is not None:
        return outcomes.counted(part["matrix"], p)
    actual = [part["actual"][label] for label in classes]
    nothing = outcomes.counted([[0] * len(classes)] * len(classes), p)
    return nothing | {"P": actual[p], "N": sum(actual) - actual[p], "rows": sum(actual)}
