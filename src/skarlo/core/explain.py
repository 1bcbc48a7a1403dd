"""The sentence under a number: its formula with this study's counts filled in, its interval, its other names."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from typing_extensions import TypedDict

from .definitions import METRICS, Definition
from .results import CandidateResult, Results
from .sentences import AVERAGES, COUNTS, IN_USE, INTERVALS, MANY, MEASURES, SENTENCES, SUFFIXES, TESTS
from .shown import p_shown, shown
from .values import Difference, Metric


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


def explain(results: Results, candidate: str, split: str, metric: str, of: str | None = None) -> Explanation:
    """Unfold one number of the results.

    Parameters
    ----------
    results : what `evaluate` returned, or a results file read back
    candidate, split, metric : names, as they stand there
    of : a part of the split: a class, "macro", "weighted" or "micro", a slice as "district=Harbour, soil=clay", or
        "in use 0.08" for a base rate in use

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
    part: Any = found["splits"][split]
    if of is None:
        return _of_part(results, found, part, metric)
    if of in part.get("per_class", {}):
        return _of_class(results, found, part, metric, of)
    if of in AVERAGES:
        return _of_average(results, part, metric, of)
    if of.startswith("in use"):
        return _restated(results, found, part, metric, of)
    for s in part.get("slices", []):
        if ", ".join(f"{field}={value}" for field, value in s["by"].items()) == of:
            told = _of_part(results, found, s, metric)
            told["title"] += f", {of}"
            return told
    raise KeyError(f"{split} has no class, average, slice or base rate in use named {of}")


def explain_path(results: Results, path: str) -> Explanation:
    """Unfold by a path: "candidate/split/metric", "candidate/split/of/metric", "A - B/metric" for a pair, "gates/3".

    Candidates' names may hold slashes. Raises KeyError as `explain` does.

    Examples
    --------
    "Gradient boosting/test/recall", "Net/test/rust/precision", "Net/test/district=Harbour/recall",
    "Net - Checklist/accuracy", "gates/1"
    """
    if re.fullmatch(r"gates/\d+", path):
        return _gate(results, int(path.removeprefix("gates/")))
    for c in sorted(results["candidates"], key=lambda c: -len(c["name"])):
        if path.startswith(c["name"] + "/"):
            parts = path[len(c["name"]) + 1 :].split("/")
            if len(parts) < 2:
                raise KeyError(f"“{path}” names no number; expected candidate/split/metric")
            of = "/".join(parts[1:-1]) or None
            return explain(results, c["name"], parts[0], parts[-1], of)
    who, _, metric = path.rpartition("/")
    for pair in results["pairs"]:
        if f"{pair['a']} - {pair['b']}" == who:
            if metric not in pair["metrics"]:
                raise KeyError(f"there is no metric {metric}")
            return _pair(results, pair["a"], pair["b"], metric, pair["metrics"][metric])
    raise KeyError(f"“{path}” names no number: no candidate, pair or gate is so named")


def _told(
    title: str, meaning: str, formula: str, sentence: str, interval: str, better: str, also: tuple[str, ...], m: Metric
) -> Explanation:  # fmt: skip
    directions = {"higher": "Higher is better.", "lower": "Lower is better."}
    return {
        "title": title, "meaning": meaning[:1].upper() + meaning[1:] + ("." if meaning else ""), "formula": formula,
        "sentence": sentence, "interval": interval, "direction": directions.get(better, ""), "also": list(also),
        "metric": m,
    }  # fmt: skip


def _defined(d: Definition, sentence: str, interval: str, m: Metric) -> Explanation:
    return _told(d.title, d.meaning, d.formula, sentence, interval, d.better, d.also, m)


def _of_part(results: Results, c: CandidateResult, part: Any, metric: str) -> Explanation:
    if metric in COUNTS and results["holdout"]["positive"] is not None:
        return _count(results, c, part, metric)
    if metric not in part["metrics"]:
        raise KeyError(f"there is no metric {metric}")
    m: Metric = part["metrics"][metric]
    if metric not in METRICS:
        return _own(results, c, part, metric, m)
    d = METRICS[metric]
    sentence = _none(m) or (_two if results["holdout"]["positive"] is not None else _many)(results, c, part, d, m)
    return _defined(d, sentence, _interval(results, m), m)


def _none(m: Metric) -> str:
    return f"There is no such number here: {m['why']}." if m["value"] is None else ""


def _of_class(results: Results, c: CandidateResult, part: Any, metric: str, label: str) -> Explanation:
    found = part["per_class"][label].get(metric)
    if not isinstance(found, dict) or "value" not in found:
        raise KeyError(f"there is no metric {metric} of a class")
    m: Metric = found  # type: ignore[assignment]
    d = METRICS[metric]
    named = {"positive": results["holdout"].get("names", {}).get(label, label), "negative": "another class"}
    k = results["holdout"]["classes"].index(label)
    sentence = _none(m) or _filled(d, m, c, outcomes(results, part, k), named)
    told = _defined(d, sentence, _interval(results, m), m)
    told["title"] += f" of {named['positive']}"
    return told


def _of_average(results: Results, part: Any, metric: str, kind: str) -> Explanation:
    if metric not in part.get("averages", {}).get(kind, {}):
        raise KeyError(f"there is no {kind} average of {metric}")
    m: Metric = part["averages"][kind][metric]
    d = METRICS[metric]
    parts = ", ".join(shown(p[metric]["value"]) for p in part["per_class"].values() if p["actual_rows"])
    sentence = _none(m) or AVERAGES[kind].format(metric=d.title.lower(), parts=parts, value=shown(m["value"]))
    told = _defined(d, sentence, _interval(results, m), m)
    told["title"] += f", {kind} average"
    return told


def _restated(results: Results, c: CandidateResult, part: Any, metric: str, of: str) -> Explanation:
    listed: Any = part.get("in_use") or []
    for one in listed if isinstance(listed, list) else [listed]:
        if of == f"in use {one['base_rate']:g}" and metric in one["metrics"]:
            m: Metric = one["metrics"][metric]
            named = class_names(results)
            words = {
                "pi": f"{one['base_rate']:g}", "value": shown(m["value"]),
                "r": shown(part["metrics"]["recall"]["value"]), "f": shown(part["metrics"]["fpr"]["value"]),
                "pos": f"“{named['positive']}”",
                "neg": f"“{named['negative']}”",
            }  # fmt: skip
            told = _defined(METRICS[metric], _none(m) or IN_USE[metric].format(**words), _interval(results, m), m)
            told["title"] += f" at a base rate of {words['pi']}"
            return told
    raise KeyError(f"there is no {metric} restated for “{of}”")


def _own(results: Results, c: CandidateResult, part: Any, metric: str, m: Metric) -> Explanation:
    own: Any = next((o for o in results.get("own_metrics", []) if o["name"] == metric), None)
    if own is None:
        raise KeyError(f"there is no metric {metric}")
    if "measure" in own:
        formula, text = MEASURES[own["measure"]]
        given = own["parameters"]
        words = {k: shown(v) if isinstance(v, float) else str(v) for k, v in given.items()}
        if "share" in given:
            words |= {"rows": "", "share": f"{given['share'] * 100:g} % of the"}
        pos = f"“{class_names(results)['positive']}”" if results["holdout"]["positive"] is not None else ""
        sentence = text.format(**{"rows": "", "share": "", "pos": pos, "value": shown(m["value"])} | words)
    else:
        formula = own["formula"]
        counts = {k: f"{v}" for k, v in outcomes(results, part).items()} | {
            k: f"{v:g}" for k, v in own["costs"].items()
        }
        filled = re.sub(r"[A-Za-z_]\w*(?!\w*\s*\()", lambda f: counts.get(f[0], f[0]), formula)
        sentence = f"{filled} = {shown(m['value'])}."
    return _told(metric, "a metric of this study's own", formula, _none(m) or sentence, _interval(results, m),
                 own["better"], (), m)  # fmt: skip


def _pair(results: Results, a: str, b: str, metric: str, d: Difference) -> Explanation:
    title = METRICS[metric].title if metric in METRICS else metric
    better = METRICS[metric].better if metric in METRICS else ""
    low, high, gap = d.get("low"), d.get("high"), d["difference"]
    m: Metric = {"value": gap, "low": low, "high": high}
    if gap is None:
        return _told(f"{title}: {a} less {b}", "", "", f"There is no such difference: {d['why']}.", "", better, (), m)
    sentence = f"The {title} of {a} less that of {b}, on the same rows, is {shown(gap, ())}."
    how = f"Not tested: {d['why']}." if "why" in d else ""
    if low is not None and high is not None:
        how = f"{_share(results)} interval {shown(low, ())} to {shown(high, ())}: {_method(d['test'], TESTS)}."
        adjusted = d.get("p_adjusted")
        if d.get("p") is not None:
            how += f" {p_shown(d['p'] or 0.0)}" + (
                f"; {p_shown(adjusted)} for having compared all pairs (Holm)." if adjusted is not None else "."
            )
    if d.get("approximate"):
        how += " The interval is approximate: in simulations it held the truth less often than it says."
    if "more_rows" in d:
        how += f" {_more(d['more_rows'])} would tell them apart, if the difference stays as it is: a rough guide."
    return _told(f"{title}: {a} less {b}", "a paired difference", f"{metric} of {a} - {metric} of {b}", sentence, how,
                 better, (), m)  # fmt: skip


def _more(more: Mapping[str, Any]) -> str:
    of = f", of them {more['of_rows']:,} “{more['of']}”," if "of" in more else ""
    return f"About {more['rows']:,} more rows{of}"


def _gate(results: Results, number: int) -> Explanation:
    if not 1 <= number <= len(results["gates"]):
        raise KeyError(f"there are {len(results['gates'])} gates; there is no number {number}")
    g = results["gates"][number - 1]
    at = f" in {', '.join(g['by'].values())}" if g["by"] else ""
    read = "is absent" if g["read"] is None else f"is {shown(g['read'], (g['needed'],))}"
    state = {"pass": "it passes", "fail": "it fails", "unclear": "it is unclear"}[g["status"]]
    sentence = f"For {g['candidate']}{at} what is read {read}, and {shown(g['needed'], ())} is needed: {state}"
    sentence += f", because {g['why']}." if "why" in g else "."
    how = ""
    if "more_rows" in g:
        how = f"{_more(g['more_rows'])} would settle it, if the value stays as it is: a rough guide."
    m: Metric = {"value": g["value"], "low": g["low"], "high": g["high"]}
    return _told(g["text"], f"a gate that {g['level']} be met", g["metric"], sentence, how, "", (), m)


def _method(name: str, texts: Mapping[str, str] = INTERVALS) -> str:
    """How an interval or test was made, from its name."""
    design = [text for suffix, text in SUFFIXES.items() if suffix in name]
    for suffix in SUFFIXES:
        name = name.replace(suffix, "")
    return texts[name] + "".join(design)


def _count(results: Results, c: CandidateResult, part: Any, name: str) -> Explanation:
    title, key, also, was, said = COUNTS[name]
    counts = outcomes(results, part)
    of = counts["P"] if was == "positive" else counts["N"]
    shares = f": {counts[key]:,} / {of:,} = {shown(counts[key] / of)}" if of else ""
    named = class_names(results)
    rule = ""
    if c["cutoff"] and c["cutoff"]["value"] is not None:
        rule = f" at score {'≥' if said == 'positive' else '<'} {shown(c['cutoff']['value'])}"
    m: Metric = {"value": float(counts[key]), "low": None, "high": None, "why_interval": "it is a count of rows"}
    return _told(
        results["holdout"].get("words", {}).get(name, title).capitalize(),
        f"Rows that were “{named[was]}” and were called “{named[said]}”",
        f"{key} = rows actual {was}, predicted {said}",
        f"Of the {of:,} rows that were “{named[was]}”, {c['name']} called {counts[key]:,} "
        f"“{named[said]}”{rule}{shares}.",
        "A count of rows, with no interval; the rates made from it have one.",
        "higher" if was == said else "lower", tuple(x for x in (title, key, also) if x), m,
    )  # fmt: skip


def class_names(results: Results) -> dict[str, str]:
    """The names to show for the "positive" and the "negative" class of a two-class study."""
    holdout = results["holdout"]
    names = holdout.get("names", {})
    positive = holdout["positive"] or ""
    negative = next(x for x in holdout["classes"] if x != positive)
    return {"positive": names.get(positive, positive), "negative": names.get(negative, negative)}


def _share(results: Results) -> str:
    return f"{results['settings']['confidence'] * 100:g} %"


def _interval(results: Results, m: Metric) -> str:
    if m["value"] is None:
        return ""
    low, high = m.get("low"), m.get("high")
    if low is None or high is None:
        return f"No interval: {m['why_interval']}."
    said = f"{_share(results)} interval {shown(low)} to {shown(high)}: {_method(m['interval'])}."
    if m.get("thin"):
        said += f" It rests on fewer than {results['settings']['min_denominator']} rows."
    if m.get("unreliable"):
        said += " A class has fewer than 10 rows, so the interval cannot be relied on."
    if m.get("approximate"):
        said += " It is approximate: in simulations it held the truth less often than it says."
    if "why_interval" in m:
        said += f" Note that {m['why_interval']}."
    return said


def _two(results: Results, c: CandidateResult, part: Any, d: Definition, m: Metric) -> str:
    return _filled(d, m, c, outcomes(results, part), class_names(results))


def _filled(d: Definition, m: Metric, c: CandidateResult, counts: dict[str, Any], named: Mapping[str, str]) -> str:
    """A sentence with the counts of one class against the rest in it."""
    rows = counts["rows"]
    words = {k: f"{v:,}" for k, v in counts.items()} | {
        "value": shown(m["value"]),
        "pos": f"“{named['positive']}”",
        "neg": f"“{named['negative']}”",
        "name": c["name"],
        "chance": shown(counts["P"] / rows if rows else None),
        "flat": shown(counts["P"] * counts["N"] / rows**2 if rows else None),
        "chance_gap": _chance(m),
    }
    if d.name == "roc_auc":
        words["pairs"] = f"{counts['P'] * counts['N']:,}"
        twice = round(2 * (m["value"] or 0.0) * counts["P"] * counts["N"])
        words["ordered"] = f"{twice // 2:,}" + (".5" if twice % 2 else "")
    return SENTENCES[d.name].format(**words)


def _chance(m: Metric) -> str:
    expected = m.get("expected_if_calibrated")
    return "" if expected is None else f", where chance alone gives {shown(expected)}"


def _many(results: Results, c: CandidateResult, part: Any, d: Definition, m: Metric) -> str:
    matrix: Any = part["matrix"] or []
    rows = sum(sum(row) for row in matrix)
    per_class = part.get("per_class", {})
    areas = [p["roc_auc"]["value"] for p in per_class.values() if p["roc_auc"]["value"] is not None]
    words = {
        "name": c["name"], "value": shown(m["value"]), "rows": f"{rows:,}",
        "right": f"{sum(row[i] for i, row in enumerate(matrix)):,}",
        "parts": ", ".join(shown(row[i] / sum(row)) for i, row in enumerate(matrix) if sum(row)),
        "areas": ", ".join(shown(area) for area in areas),
        "chance_gap": _chance(m),
    }  # fmt: skip
    return MANY[d.name].format(**words)


def outcomes(results: Results, part: Any, k: int | None = None) -> dict[str, Any]:
    """TP, FP, FN, TN and their sums of one class against the rest, the positive one unless said.

    A last column of rows without an answer counts wrong.
    """
    classes = results["holdout"]["classes"]
    p = classes.index(results["holdout"]["positive"] or "") if k is None else k
    n = len(classes)
    t: Any = part["matrix"] or [[0] * n] * n
    tp, said = t[p][p], sum(row[p] for row in t)
    actual, rows, none = sum(t[p]), sum(sum(row) for row in t), sum(sum(row[n:]) for row in t)
    fp, negatives = said - tp, rows - actual
    tn = negatives - fp - (none - sum(t[p][n:]))
    return {
        "TP": tp, "FP": fp, "FN": actual - tp, "TN": tn, "P": actual, "N": negatives, "rows": rows, "flagged": said,
        "passed": rows - said - none, "right": sum(row[i] for i, row in enumerate(t)), "union": actual + fp,
    }  # fmt: skip
