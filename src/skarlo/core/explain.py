"""The sentence under a number: its formula with this study's counts filled in, its interval, its other names."""

from __future__ import annotations

from typing import Any

from typing_extensions import TypedDict

from .definitions import METRICS, Definition
from .results import CandidateResult, Results, SplitResult
from .shown import shown
from .values import Metric


class Explanation(TypedDict):
    """One number, unfolded. Every text is a whole sentence, or empty where there is nothing to say."""

    title: str
    meaning: str
    formula: str
    sentence: str
    interval: str
    direction: str
    also: list[str]
    metric: Metric


_SUFFIXES = {
    "_weighted": ", with the rows' sampling weights",
    "_clustered": ", with rows that belong together counted so",
}
_INTERVALS = {
    "bootstrap_shifted": "quantiles over redrawn counts, the low end moved down by twice the bias",
    "wald": "normal theory from the information matrix",
    "multinomial": "quantiles over matrices drawn again from the counts",
    "wilson": "Wilson score interval of a proportion",
    "wilson_mapped": "Wilson score interval of TP / (TP + FP + FN), carried over to F1",
    "mover": "hybrid of the two rates' Wilson intervals (Zou and Donner 2008)",
    "dirichlet": "quantiles over random matrices drawn around the counts (Dirichlet)",
    "delong_logit": "DeLong's variance on the logit scale",
    "newcombe5": "the wider of DeLong's and Newcombe's (2006) method 5, for few rows or an area near its bound",
    "influence_logit": "each row's influence on the average, on the logit scale",
    "binomial_logit": "binomial variance on the logit scale, for fewer than 20 positives (Boyd, Eng and Page 2013)",
    "hall": "Hall's (1992) skewness-corrected interval of the mean row loss",
}


def explain(results: Results, candidate: str, split: str, metric: str) -> Explanation:
    """Unfold one number of the results.

    Parameters
    ----------
    results : what `evaluate` returned, or a results file read back
    candidate, split, metric : names, as they stand there

    Raises
    ------
    KeyError
        When the results hold no such number, with a message that says which name is unknown.
    """
    found = next((c for c in results["candidates"] if c["name"] == candidate), None)
    if found is None:
        raise KeyError(f"no candidate is named {candidate}")
    if split not in found["splits"]:
        raise KeyError(f"there is no split {split}")
    part = found["splits"][split]
    if metric in _COUNTS:
        return _count(results, found, part, metric)
    if metric not in part["metrics"]:
        raise KeyError(f"there is no metric {metric}")
    value, definition = part["metrics"][metric], METRICS[metric]
    return {
        "title": definition.title,
        "meaning": definition.meaning[0].upper() + definition.meaning[1:] + ".",
        "formula": definition.formula,
        "sentence": _sentence(results, found, part, definition, value),
        "interval": _interval(results, value),
        "direction": {"higher": "Higher is better.", "lower": "Lower is better."}.get(definition.better, ""),
        "also": list(definition.also),
        "metric": value,
    }


def _method(name: str) -> str:
    """How an interval was made, from its name."""
    design = [text for suffix, text in _SUFFIXES.items() if suffix in name]
    for suffix in _SUFFIXES:
        name = name.replace(suffix, "")
    return _INTERVALS[name] + "".join(design)


_COUNTS = {
    "tp": ("True positives", "TP", "hits", "positive", "positive"),
    "fp": ("False positives", "FP", "false alarms, type I errors", "negative", "positive"),
    "fn": ("False negatives", "FN", "misses, type II errors", "positive", "negative"),
    "tn": ("True negatives", "TN", "correct rejections", "negative", "negative"),
}


def _count(results: Results, c: CandidateResult, part: SplitResult, name: str) -> Explanation:
    title, key, also, was, said = _COUNTS[name]
    counts = outcomes(results, part)
    of = counts["P"] if was == "positive" else counts["N"]
    shares = f": {counts[key]:,} / {of:,} = {shown(counts[key] / of)}" if of else ""
    named = class_names(results)
    rule = ""
    if c["cutoff"] and c["cutoff"]["value"] is not None:
        rule = f" at score {'≥' if said == 'positive' else '<'} {shown(c['cutoff']['value'])}"
    return {
        "title": results["holdout"].get("words", {}).get(name, title).capitalize(),
        "meaning": f"Rows that were “{named[was]}” and were called “{named[said]}”.",
        "formula": f"{key} = rows actual {was}, predicted {said}",
        "sentence": f"Of the {of:,} rows that were “{named[was]}”, {c['name']} called {counts[key]:,} "
        f"“{named[said]}”{rule}{shares}.",
        "interval": "A count of rows, with no interval; the rates made from it have one.",
        "direction": "Higher is better." if was == said else "Lower is better.",
        "also": [x for x in (title, key, also) if x],
        "metric": {"value": float(counts[key]), "low": None, "high": None, "why_interval": "it is a count of rows"},
    }


def class_names(results: Results) -> dict[str, str]:
    """The names to show for the "positive" and the "negative" class of a two-class study."""
    holdout = results["holdout"]
    names = holdout.get("names", {})
    positive = holdout["positive"] or ""
    negative = next(x for x in holdout["classes"] if x != positive)
    return {"positive": names.get(positive, positive), "negative": names.get(negative, negative)}


def _interval(results: Results, m: Metric) -> str:
    if m["value"] is None:
        return ""
    low, high = m.get("low"), m.get("high")
    if low is None or high is None:
        return f"No interval: {m['why_interval']}."
    share = f"{results['settings']['confidence'] * 100:g} %"
    said = f"{share} interval {shown(low)} to {shown(high)}: {_method(m['interval'])}."
    if m.get("thin"):
        said += f" It rests on fewer than {results['settings']['min_denominator']} rows."
    if m.get("unreliable"):
        said += " A class has fewer than 10 rows, so the interval cannot be relied on."
    if "why_interval" in m:
        said += f" Note that {m['why_interval']}."
    return said


def _sentence(results: Results, c: CandidateResult, part: SplitResult, d: Definition, m: Metric) -> str:
    if m["value"] is None:
        return f"There is no such number here: {m['why']}."
    counts = outcomes(results, part)
    named = class_names(results)
    words = {k: f"{v:,}" for k, v in counts.items()} | {
        "value": shown(m["value"]),
        "pos": f"“{named['positive']}”",
        "neg": f"“{named['negative']}”",
        "name": c["name"],
        "chance": shown(counts["P"] / counts["rows"]),
        "flat": shown(counts["P"] * counts["N"] / counts["rows"] ** 2),
        "chance_gap": f", where chance alone gives {shown(m['expected_if_calibrated'])}"
        if "expected_if_calibrated" in m
        else "",
    }
    if d.name == "roc_auc":
        words["pairs"] = f"{counts['P'] * counts['N']:,}"
        twice = round(2 * m["value"] * counts["P"] * counts["N"])
        words["ordered"] = f"{twice // 2:,}" + (".5" if twice % 2 else "")
    return _SENTENCES[d.name].format(**words)


def outcomes(results: Results, part: SplitResult) -> dict[str, int]:
    """TP, FP, FN, TN and their sums from a two-class matrix; a last column of rows without an answer counts wrong."""
    p = results["holdout"]["classes"].index(results["holdout"]["positive"] or "")
    t: Any = part["matrix"] or [[0, 0], [0, 0]]
    tp, fp, tn, none = t[p][p], t[1 - p][p], t[1 - p][1 - p], sum(t[p][2:])
    actual, negatives = sum(t[p]), sum(t[1 - p])
    return {
        "TP": tp, "FP": fp, "FN": actual - tp, "TN": tn, "P": actual, "N": negatives, "rows": actual + negatives,
        "flagged": tp + fp, "passed": tn + actual - tp - none, "right": tp + tn, "union": actual + fp,
    }  # fmt: skip


_SENTENCES = {
    "accuracy": "{name} answered {right} of the {rows} rows right: ({TP} + {TN}) / {rows} = {value}.",
    "balanced_accuracy": "The mean of {TP} / {P} on {pos} and {TN} / {N} on {neg} is {value}.",
    "precision": "Of the {flagged} rows it called {pos}, {TP} were: {TP} / {flagged} = {value}.",
    "recall": "Of the {P} rows that were {pos}, it called {TP} so: {TP} / {P} = {value}.",
    "specificity": "Of the {N} rows that were {neg}, it called {TN} so: {TN} / {N} = {value}.",
    "npv": "Of the {passed} rows it called {neg}, {TN} were: {TN} / {passed} = {value}.",
    "f1": "It caught {TP}, missed {FN} and called {FP} {pos} that were not: "
    "2 × {TP} / (2 × {TP} + {FP} + {FN}) = {value}.",
    "mcc": "From the four counts {TP}, {FP}, {FN} and {TN}, the correlation of what was and what was said is {value}; "
    "0 is no relation, 1 is perfect.",
    "kappa": "{right} of {rows} rows agree; beyond what the row and column totals alone would give, "
    "that is {value} of what was left to gain.",
    "youden_j": "{TP} / {P} on {pos} plus {TN} / {N} on {neg}, less one, is {value}.",
    "fpr": "Of the {N} rows that were {neg}, it called {FP} {pos}: {FP} / {N} = {value}.",
    "fnr": "Of the {P} rows that were {pos}, it missed {FN}: {FN} / {P} = {value}.",
    "flagged_share": "It called {flagged} of the {rows} rows {pos}: {flagged} / {rows} = {value}.",
    "prevalence": "{P} of the {rows} rows were {pos}: {P} / {rows} = {value}.",
    "roc_auc": "Of the {P} × {N} = {pairs} pairs of a {pos} and a {neg} row, the {pos} row scores higher in {ordered} "
    "(ties counted half): {value}. A score that knows nothing gives 0.500.",
    "average_precision": "Going down the scores, the precision at each of the {P} rows that were {pos}, averaged: "
    "{value}. A score that knows nothing gives the base rate, {chance}.",
    "brier": "Over {rows} rows, the mean of (score − what happened)², with {pos} as 1, is {value}. "
    "Always answering the base rate gives {flat}.",
    "ks": "At the cutoff where they are furthest apart, the share caught of {pos} exceeds that of {neg} by {value}.",
    "brier_skill": "Of the base rate's Brier score it gains {value}; 0 is no better than the base rate, 1 is perfect.",
    "ece": "In bins of equal width, the mean score and the share that was {pos} differ by {value} on the mean row"
    "{chance_gap}.",
    "mce": "In bins of equal mass, the widest gap between mean score and the share that was {pos} is {value}.",
    "calibration_intercept": "On the logit scale the scores are {value} too low on the whole; 0 is right.",
    "calibration_slope": "On the logit scale what happened moves by {value} for each unit of score; under 1 the scores "
    "are too extreme.",
    "log_loss": "Over {rows} rows, the mean of −ln(the probability given to what happened) is {value}.",
}
