"""Calibration: whether a probability can be believed, where not, and what a repair learned on tuning would do."""

from __future__ import annotations

from typing import Any, Literal, cast

from skarlo.core import METRICS, Metric, Results, count, named, several, shown
from skarlo.report import figures
from skarlo.report.blocks import Block, Cell, Row, counts, drawing, note, table, texts
from skarlo.report.drafting import counted_rows, picked_by, read_on
from skarlo.report.scope import Scope, Shown, candidates, class_read, of_class

from .cells import value_cell, who
from .entry import Exhibit, Reading

Verdict = Literal["as promised", "more", "less", "extreme", "timid", "places", "few", "none", "picked"]
SAID: dict[str, str] = {
    "more": "promises more than happens",
    "less": "promises less than happens",
    "extreme": "is too sure of itself",
    "timid": "is not sure enough",
    "places": "is off in places",
}
Bin = tuple[int, float, float, float, float]  # rows, mean score, observed share and its interval
LEAST_HAPPENED = 10  # rows of the rarer outcome, under which nothing is said of a calibration
NUMBERS = ("brier", "log_loss", "ece", "mce", "calibration_intercept", "calibration_slope")
NUMBERS_OF_CLASS = ("in_the_large",)
METHODS = {"logistic": "shift and stretch", "temperature": "stretch alone", "isotonic": "monotone steps"}


def calibrated(results: Results, scope: Scope) -> list[Shown]:
    """The candidates in scope, each with the calibration of the class that is read, or of the largest probability."""
    many = results["holdout"]["positive"] is None
    return of_class(results, scope) if many and not _largest(scope) else candidates(results, scope)


def _largest(scope: Scope) -> bool:
    """Whether the largest probability is read, of several classes."""
    return scope.own.get("by") == "largest"


def _happened_as(results: Results, scope: Scope) -> str:
    """What happened or not: the class that is read, or that the answer was right."""
    if results["holdout"]["positive"] is None and _largest(scope):
        return "right"
    label = class_read(results, scope)
    return f"“{results['holdout'].get('names', {}).get(label, label)}”"


def verdict(c: Shown, confidence: float, many: bool) -> Verdict:
    """What the data says of a candidate's probabilities.

    As promised is said only where neither the gaps of the bins nor the mean probability show anything else: of two
    classes by the expected gap's p and the intercept, of one of several by Spiegelhalter's test and the mean.
    """
    found = c.part.get("calibration")
    if found is None:
        return "none"
    alpha, large = 1 - confidence, found["in_the_large"]
    p = found["spiegelhalter"]["p"] if many else c.part["metrics"]["ece"].get("p_calibrated")
    level = large if many else c.part["metrics"]["calibration_intercept"]
    happened = [x for x in _happened(found) if x is not None]
    if not happened or min(sum(happened), sum(found["equal_width"]["rows"]) - sum(happened)) < LEAST_HAPPENED:
        return "few"
    low, high = level.get("low"), level.get("high")
    holds = low is None or high is None or low <= 0 <= high
    if holds and (p is None or p > alpha):
        return "as promised"
    if not holds:
        return "more" if (large["value"] or 0.0) > 0 else "less"
    if many:
        return "places"
    slope = c.part["metrics"]["calibration_slope"]
    if (slope.get("high") or 1.0) < 1:
        return "extreme"
    return "timid" if (slope.get("low") or 1.0) > 1 else "places"


def _happened(found: Any) -> list[float | None]:
    bins = found["equal_width"]
    return [None if o is None else o * n for o, n in zip(bins["observed"], bins["rows"], strict=True)]


def worst_bin(c: Shown, v: Verdict) -> Bin | None:
    """The bin of equal rows that lies farthest off with its whole interval, to the side that the verdict speaks of:
    rows, mean score, observed, low, high."""
    found = c.part.get("calibration")
    if found is None:
        return None
    b = found["equal_mass"]
    told = zip(b["rows"], b["mean_score"], b["observed"], b["low"], b["high"], strict=True)
    there = [(n, m, o, low, high) for n, m, o, low, high in told if None not in (m, o, low, high)]
    off = [cast(Bin, x) for x in there if not cast(Bin, x)[3] <= cast(Bin, x)[1] <= cast(Bin, x)[4]]
    side = {"more": 1, "less": -1}.get(v, 0)
    off = [x for x in off if side * (x[1] - x[2]) >= 0]
    return max(off, key=lambda x: abs(x[1] - x[2]), default=None)


def _said(results: Results, scope: Scope) -> str:
    many, confidence = results["holdout"]["positive"] is None, results["settings"]["confidence"]
    chosen = calibrated(results, scope)
    happened = _happened_as(results, scope)
    own = picked_by(results)
    found = [(c, "picked" if c.name in own else verdict(c, confidence, many)) for c in chosen]
    off = [(c, v) for c, v in found if v in SAID]
    off.sort(key=lambda x: -_gap(*x))
    said = []
    for i, (c, v) in enumerate(off[:3]):
        bin_, why = worst_bin(c, v) if i == 0 else None, _by(c, v, many)
        if bin_ is not None:
            rows, mean, observed, low, high = bin_
            told = why if v in ("extreme", "timid") else ""  # the bin itself says how much more or less
            said.append(
                f"{c.name} {SAID[v]}{told}: of {counted_rows(rows, scope.split)} given {shown(mean)} on average, "
                f"{shown(observed)} were {happened} ({shown(low)} to {shown(high)})"
            )
        else:
            said.append(f"{c.name} {SAID[v]}{why}")
    if len(off) > len(said):
        said.append(
            f"{several(len(off) - len(said), 'more candidate')} {'is' if len(off) - len(said) == 1 else 'are'} off"
        )
    kept = [c.name for c, v in found if v == "as promised"]
    if kept:
        said.append(
            f"What {named(kept)} {'promises' if len(kept) == 1 else 'promise'} happens, as far as these rows can show"
        )
    few = [c.name for c, v in found if v == "few"]
    if few:
        said.append(f"There are too few rows to say whether {named(few)} can be believed")
    by_own = [c.name for c, v in found if v == "picked"]
    if by_own:
        whose = "its own answers" if len(by_own) == 1 else "their own answers"
        said.append(f"Whether {named(by_own)} can be believed is not told by rows that {whose} picked out")
    none = [c.name for c, v in found if v == "none"]
    if none and len(none) < len(found):
        said.append(f"{named(none)} {'gives' if len(none) == 1 else 'give'} no probability")
    if len(none) == len(found):
        return "These candidates give no probability that could be compared with what happened."
    start = "" if not many else "The largest probability. " if _largest(scope) else f"Probability of {happened}. "
    return start + ". ".join(said) + "."


def _gap(c: Shown, v: Verdict) -> float:
    bin_ = worst_bin(c, v)
    return 0.0 if bin_ is None else abs(bin_[1] - bin_[2])


def _by(c: Shown, v: Verdict, many: bool) -> str:
    """The number that says so, where it is one."""
    if v in ("more", "less"):
        if many:
            return f" (on average {_signed(c.part['calibration']['in_the_large'])})"
        return f" (intercept {_signed(c.part['metrics']['calibration_intercept'])})"
    if v in ("extreme", "timid"):
        return f" (slope {_signed(c.part['metrics']['calibration_slope'])})"
    return ""


def _signed(m: Metric) -> str:
    value, low, high = m["value"], m.get("low"), m.get("high")
    told = shown(value)
    return told if low is None or high is None else f"{told}, from {shown(low)} to {shown(high)}"


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    return _said(results, scope)


def _blocks(reading: Reading) -> list[Block]:
    results, scope = reading.results, reading.scope
    many = results["holdout"]["positive"] is None
    chosen = [c for c in calibrated(results, scope) if "calibration" in c.part]
    cut = "equal_width" if scope.own.get("bins") == "equal_width" else "equal_mass"
    whole = scope.own.get("band") == "whole"
    grey = "where the true curve lies, all of it at once, if it never falls" if whole else (
        "where it would lie if the probabilities were true, point by point"
    )  # fmt: skip
    told = note(
        *read_on(results, scope),
        f"step line: best monotone fit; grey: {grey}; rings: bins of "
        f"{'one width' if cut == 'equal_width' else 'about as many rows each'}, with "
        f"{results['settings']['confidence'] * 100:g} % intervals; "
        "beneath: the rows that were so up, the others down, as the square root of the share of their class",
    )
    if not chosen:
        return [note(*read_on(results, scope))]
    happened = _happened_as(results, scope).strip("“”")
    blocks: list[Block] = [
        drawing("calibration", figures.reliability(chosen, happened, _said(results, scope), cut, whole)),
        told,
        _numbers(chosen, many),
    ]
    if scope.own.get("table") == "yes":
        blocks += [_bins(c, cut, happened) for c in chosen]
    repaired = None if many else _repaired(chosen)
    return blocks if repaired is None else [*blocks, *repaired]


def _bins(c: Shown, cut: str, happened: str) -> Block:
    """The bins of a candidate, one a row; those without rows are left out."""
    b = cast(Any, c.part["calibration"])[cut]
    head = [*texts(f"Bins of {c.name}"), *counts("rows"), *texts("mean probability", f"share “{happened}”")]
    rows: list[Row] = []
    for i, n in enumerate(b["rows"]):
        if n:
            ends = f"{shown(b['low_edge'][i])} to {shown(b['high_edge'][i])}"
            seen = f"{shown(b['observed'][i])} ({shown(b['low'][i])} to {shown(b['high'][i])})"
            rows.append({"cells": [*texts(ends), *counts(count(n)), *texts(shown(b["mean_score"][i]), seen)]})
    return table(head, rows)


def _numbers(chosen: list[Shown], many: bool) -> Block:
    names = () if many else NUMBERS
    head = ["Brier is made of", "On average"]
    rows: list[Row] = []
    for c in chosen:
        parts = c.part["calibration"]["parts"]
        made: Cell = {
            "text": f"{shown(parts['uncertainty'])} base rate",
            "below": f"less {shown(parts['discrimination'])} earned by ranking, "
            f"plus {shown(parts['miscalibration'])} lost by false probabilities",
        }  # fmt: skip
        large: Cell = {"text": _signed(c.part["calibration"]["in_the_large"])}
        rows.append({"cells": [who(c), *(value_cell(c.part["metrics"][n]) for n in names), made, large]})
    return table(texts("Candidate", *(METRICS[n].short or METRICS[n].title for n in names), *head), rows, wide=True)


def _repaired(chosen: list[Shown]) -> list[Block] | None:
    """What a recalibration learned on tuning does: for each candidate, before and after."""
    rows: list[Row] = []
    learned = ""
    for c in chosen:
        found = c.result.get("recalibration")
        if found is None or "methods" not in found:
            continue
        learned = f"Recalibrated on {found['learned_on']}, judged on {found['judged_on']}"
        for method, one in found["methods"].items():
            if "metrics" not in one:
                continue
            change = one.get("change", {}).get("brier")
            said = "" if change is None or change["difference"] is None else _signed_difference(change)
            after = one["metrics"]
            cells = [value_cell(after["brier"]), {"text": said}, *(value_cell(after[n]) for n in ("ece", "roc_auc"))]
            rows.append({"cells": [who(c), {"text": METHODS[method]}, *cast(list[Cell], cells)]})
    if not rows:
        return None
    head = texts("Candidate", "Repair", "Brier after", "Change", "Expected gap after", "ROC AUC after")
    return [note(learned), table(head, rows, wide=True)]


def _signed_difference(d: Any) -> str:
    told = shown(d["difference"])
    if d.get("low_adjusted") is None:
        return told
    return f"{told} ({shown(d['low_adjusted'])} to {shown(d['high_adjusted'])})"


CALIBRATION = Exhibit(
    view="calibration", reads=("lines", "classes", "calibration"), two=_two, many=_two, blocks=_blocks
)
