"""Intervals that hold the truth less often than they say, by simulation (`make coverage-study`, docs/methods.md).

An interval is approximate when its mean coverage of nominal 95 % over the settings of the study is under 0.94, or the
least under 0.90. Those are marked in the results.
"""

from __future__ import annotations

from .values import Difference, Metric

ALIKE = {
    "rates": ("accuracy", "precision", "recall", "specificity", "npv", "fpr", "fnr", "flagged_share", "prevalence"),
    "balanced_accuracy, youden_j": ("balanced_accuracy", "youden_j"),
}
# An interval for few rows stands in one line with the one it stands in for: a reader meets whichever applies.
ONE = {"newcombe5": "delong_logit", "binomial_logit": "influence_logit"}
DIFFERENCE, SLICE = "difference of ", "slice less the rest, "

# (number, interval) as the tables of docs/methods.md name them; a test holds the two together.
APPROXIMATE: frozenset[tuple[str, str]] = frozenset({
})  # fmt: skip


def row(name: str, kind: str, of: str = "") -> tuple[str, str]:
    """The line of the coverage table for a metric's interval or test; `of` is "", DIFFERENCE or SLICE."""
    alike = next((label for label, names in ALIKE.items() if name in names), name)
    for few, many in ONE.items():
        kind = kind.replace(few, many)
    return of + alike, kind


def mark(name: str, found: Metric) -> Metric:
    """A metric, marked where its interval is approximate."""
    if row(name, found.get("interval", "")) in APPROXIMATE:
        return {**found, "approximate": True}
    return found


def mark_difference(name: str, found: Difference, of: str) -> Difference:
    """A difference, marked where its interval is approximate."""
    if found.get("low") is not None and row(name, found.get("test", ""), of) in APPROXIMATE:
        return {**found, "approximate": True}
    return found
