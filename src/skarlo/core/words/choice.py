"""Numbers around a cutoff, unfolded: what became of it since it was chosen, what it costs, a band for review, and
answers that are withheld."""

from __future__ import annotations

from typing import Any

from ..metrics.definitions import METRICS
from ..number import Metric
from ..results import BandResult, CandidateResult, Results
from ..writing import as_set, count, p_shown, shown
from . import telling
from .telling import Unfolded

OF = ("drift", "cost", "band", "withheld")


def unfold(results: Results, c: CandidateResult, part: Any, metric: str, of: str) -> Unfolded:
    """One of these numbers. `of` is one of OF, of withheld answers with a class after it: "withheld rust".

    Raises
    ------
    KeyError
        When the results hold no such number.
    """
    kind, _, label = of.partition(" ")
    told = _KINDS[kind](results, c, part, metric, label)
    if told is None:
        raise KeyError(f"there is no {metric} of “{of}” here")
    return told


def _drift(results: Results, c: CandidateResult, part: Any, metric: str, _: str) -> Unfolded | None:
    d = c.get("drift", {}).get(metric)
    if d is None or metric not in METRICS:
        return None
    tune_on, report_on, title = results["holdout"]["tune_on"], results["holdout"]["report_on"], METRICS[metric].title
    low, high = d.get("low"), d.get("high")
    m: Metric = {"value": d["difference"], "low": low, "high": high}
    said, how = f"Not defined here: {d.get('why')}.", ""
    if d["difference"] is not None:
        there = part["metrics"].get(metric, {}).get("value")
        before = "" if there is None else f" ({shown(there)} less {shown(there - d['difference'])})"
        said = f"At the same cutoff the {title} on {report_on} less that on {tune_on} is "
        said += f"{_signed(d['difference'])}{before}."
    if low is not None and high is not None:
        p = d.get("p")
        how = f"{telling.confidence(results)} interval {_signed(low)} to {_signed(high)}"
        how += ": the intervals of the two, whose rows differ, taken together." + (
            f" {p_shown(p)}." if p is not None else ""
        )
    elif "why" in d:
        how = f"No interval: {d['why']}." if d["difference"] is not None else ""
    return telling.told(
        f"{title}: {report_on} less {tune_on}", "what became of the cutoff since it was chosen",
        f"{metric} on {report_on} - {metric} on {tune_on}", said, how, "", (), m,
    )  # fmt: skip


def _cost(results: Results, c: CandidateResult, part: Any, metric: str, _: str) -> Unfolded | None:
    return cost(results, part["cost"]) if metric == "cost" and "cost" in part else None


def cost(results: Results, m: Metric) -> Unfolded:
    """The mean cost of a row."""
    said = telling.none(m)
    if not said:
        thousand = count(round(1000 * (m["value"] or 0.0)))
        said = f"A row costs {shown(m['value'])} on average at these prices; 1,000 rows cost {thousand}."
    return telling.told(
        "Cost of a row", "the mean of what its outcome costs, over all rows",
        "(FP·needless + FN·missed + TP·caught + TN·left) / rows", said,
        telling.interval(results, m), "lower", (), m,
    )  # fmt: skip


_SIDES = {
    "below": ("Below the band", "rows below / rows"),
    "between": ("In the band", "rows in it / rows"),
    "above": ("Above the band", "rows at its upper end and above / rows"),
}
_DECIDED = {
    "share_reviewed": ("Looked at", "rows in the band / rows"),
    "precision_above": ("Precision above the band", "{pos} above / rows above"),
    "npv_below": ("Rightly left below the band", "{neg} below / rows below"),
    "recall_with_review": ("Recall, if who looks is right", "({pos} above + {pos} in the band) / {pos}"),
    "accuracy_decided": ("Right outside of the band", "({pos} above + {neg} below) / (rows above + rows below)"),
}


def _band(results: Results, c: CandidateResult, part: Any, metric: str, _: str) -> Unfolded | None:
    found: list[BandResult] = part.get("bands", [])
    b = next((b for b in found if metric in b["metrics"] or metric in b), None)
    if b is None or (metric not in _DECIDED and metric not in _SIDES):
        return None
    names, side = telling.class_names(results), metric in _SIDES
    title, formula = _SIDES[metric] if side else _DECIDED[metric]
    m: Metric = b[metric]["share"] if side else b["metrics"][metric]  # type: ignore[literal-required]
    ends = "between " + " and ".join("no cutoff" if x is None else as_set(x) for x in (b["low"], b["high"]))
    said = telling.none(m)
    if not said:
        top, bottom = _counted(b, metric, telling.outcomes_of(results, part))
        said = f"With the band {ends}: {count(top)} / {count(bottom)} = {shown(m['value'])}."
    return telling.told(
        title, "of a band for review between two cutoffs: at the upper one and above it rows are flagged, below the "
        "lower one they are left, between them looked at",
        formula.format(pos=f"“{names['positive']}”", neg=f"“{names['negative']}”"), said,
        telling.interval(results, m), "" if side or metric == "share_reviewed" else "higher", (), m,
    )  # fmt: skip


def _counted(b: BandResult, metric: str, n: dict[str, Any]) -> tuple[float, float]:
    """The two counts that a share around a band is made of."""
    below, between, above = b["below"], b["between"], b["above"]
    if metric in _SIDES:
        return b[metric]["rows"], n["rows"]  # type: ignore[literal-required]
    left = below["rows"] - below["positives"]
    return {
        "share_reviewed": (between["rows"], n["rows"]),
        "precision_above": (above["positives"], above["rows"]),
        "npv_below": (left, below["rows"]),
        "recall_with_review": (above["positives"] + between["positives"], n["P"]),
        "accuracy_decided": (above["positives"] + left, above["rows"] + below["rows"]),
    }[metric]


_GIVEN = {
    "share_answered": ("Answered", "rows that keep an answer / rows", "of the rows keep an answer", "higher"),
    "selective_accuracy": ("Right among them", "right answers / answers", "of the answers that are left are right",
                           "higher"),
    "precision": ("Precision", "rows of the class / answers with it",
                  "of the answers “{label}” that are left are right", "higher"),
    "recall": ("Recall", "right answers / rows of the class", "of the rows that were “{label}” are still answered so",
               "higher"),
}  # fmt: skip


def _withheld(results: Results, c: CandidateResult, part: Any, metric: str, label: str) -> Unfolded | None:
    found = (part["per_class"].get(label, {}) if label else part).get("withheld")
    if found is None or metric not in found["metrics"] or metric not in _GIVEN:
        return None
    m: Metric = found["metrics"][metric]
    title, formula, said, better = _GIVEN[metric]
    name = results["holdout"].get("names", {}).get(label, label)
    which = f"answers “{name}”" if label else "answers"
    sentence = f"With {which} of less probability than {as_set(found['least'])} withheld, {shown(m['value'])} "
    return telling.told(
        title, "where answers that are not sure enough are withheld", formula,
        telling.none(m) or sentence + said.format(label=name) + ".", telling.interval(results, m), better, (), m,
    )  # fmt: skip


def _signed(x: float) -> str:
    return ("+" if x > 0 else "") + shown(x, ())


_KINDS = {"drift": _drift, "cost": _cost, "band": _band, "withheld": _withheld}
