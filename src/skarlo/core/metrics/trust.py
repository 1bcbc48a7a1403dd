"""Intervals that hold the truth less often than they say, by simulation (`make coverage-study`, docs/methods.md).

An interval is approximate when its mean coverage of nominal 95 % over the settings of the study is under 0.94, or the
least under 0.90. Those are marked in the results.
"""

from __future__ import annotations

from functools import lru_cache

from ..number import Difference, Metric
from .definitions import METRICS

ALIKE = {
    "rates": tuple(name for name in METRICS.rates if name != "f1"),
    "balanced_accuracy, youden_j": METRICS.where(paired="recalls"),
}
# An interval for few rows stands in one line with the one it stands in for: a reader meets whichever applies.
ONE = {"newcombe5": "delong_logit", "binomial_logit": "influence_logit"}
DIFFERENCE, SLICE = "difference of ", "slice less the rest, "

# (number, interval) as the tables of docs/methods.md name them; a test holds the two together.
APPROXIMATE: frozenset[tuple[str, str]] = frozenset({
    ("calibration_intercept", "wald_robust"),
    ("calibration_slope", "wald_clustered"),
    ("difference of average_precision", "influence"),
    ("difference of balanced_accuracy, youden_j", "delta_clustered"),
    ("difference of balanced_accuracy, youden_j", "delta_weighted"),
    ("difference of brier", "influence"),
    ("difference of brier", "influence_clustered"),
    ("difference of log_loss", "influence_weighted"),
    ("difference of net_benefit", "delta"),
    ("difference of partial_area", "delta"),
    ("difference of partial_area", "mover"),
    ("difference of rates", "delta_clustered"),
    ("difference of rates", "delta_weighted"),
    ("flagged_share, expected base rate", "mover_clustered"),
    ("own formula", "dirichlet_clustered"),
    ("partial_area", "influence_logit"),
    ("partial_area", "influence_logit_clustered"),
    ("partial_area", "influence_logit_weighted"),
    ("precision_at_top", "wilson"),
    ("precision_at_top", "wilson_weighted"),
    ("recall_at_fpr", "bootstrap"),
    ("slice less the rest, average_precision", "influence"),
    ("slice less the rest, average_precision", "mover_clustered"),
    ("slice less the rest, brier", "mover"),
    ("slice less the rest, f1", "mover_clustered"),
    ("slice less the rest, kappa", "delta_weighted"),
    ("slice less the rest, log_loss", "mover"),
    ("slice less the rest, mcc", "delta_weighted"),
    ("slice less the rest, own formula", "delta"),
    ("slice less the rest, partial_area", "influence"),
    ("slice less the rest, partial_area", "mover"),
    ("slice less the rest, partial_area", "mover_clustered"),
    ("slice less the rest, partial_area", "mover_weighted"),
    ("slice less the rest, rates", "independent_clustered"),
})  # fmt: skip


@lru_cache(maxsize=4096)
def row(name: str, kind: str, of: str = "") -> tuple[str, str]:
    """The line of the coverage table for a metric's interval or test; `of` is "", DIFFERENCE or SLICE."""
    alike = next((label for label, names in ALIKE.items() if name in names), name)
    for few, many in ONE.items():
        kind = kind.replace(few, many)
    return of + alike, kind


@lru_cache(maxsize=256)
def _ever(name: str) -> bool:
    """Whether any interval of a metric is approximate."""
    return row(name, "")[0] in {label for label, _ in APPROXIMATE}


def mark(name: str, found: Metric) -> Metric:
    """A metric, marked where its interval is approximate."""
    if _ever(name) and row(name, found.get("interval", "")) in APPROXIMATE:
        return {**found, "approximate": True}
    return found


def is_approximate(name: str, how: str, of: str) -> bool:
    """Whether intervals of a difference that are made in a way, or go with a test, are approximate."""
    return row(name, how, of) in APPROXIMATE


def mark_difference(name: str, found: Difference, of: str) -> Difference:
    """A difference, marked where its interval is approximate."""
    how = found.get("interval", found.get("test", ""))
    if found.get("low") is not None and is_approximate(name, how, of):
        return {**found, "approximate": True}
    return found
