"""The sentence under a number: its formula with this study's counts filled in, its interval, its other names."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..metrics.definitions import METRICS
from ..metrics.registry import Definition
from ..number import Difference, Metric
from ..results import CandidateResult, GateResult, Results
from ..writing import as_set, count, p_shown, shown
from . import choice, telling
from .methods import AVERAGES, CARRIED, COUNTS, MEASURES, TESTS
from .telling import Behind, Unfolded, class_names, outcomes_of


def unfold(results: Results, candidate: str, split: str, metric: str, of: str | None = None) -> Unfolded:
    """Unfold one number of the results.

    Parameters
    ----------
    results : what `evaluate` returned, or a results file read back
    candidate, split, metric : names, as they stand there
    of : a part of the split: a class, "macro", "weighted" or "micro", a slice as "district=Harbour, soil=clay",
        "expected base rate 0.08" for numbers restated for one, "drift" for what became of a metric since the cutoff
        was chosen; where the results hold them "cost", "band", "withheld", of a class "withheld rust"

    Raises
    ------
    KeyError
        When the results hold no such number, with a message that says which name is unknown.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["y", "n", "y", "n"], {"net": [0.9, 0.2, 0.6, 0.7]}, positive="y")
    >>> unfold(results, "net", "all", "recall")["title"]
    'Recall'
    """
    found = next((c for c in results["candidates"] if c["name"] == candidate), None)
    if found is None:
        raise KeyError(f"no candidate is named {candidate}")
    if split not in found["splits"]:
        raise KeyError(f"there is no split {split}")
    part: Any = found["splits"][split]
    if of is None:
        return {**_of_part(results, found, part, metric), "behind": _behind(results, metric)}
    if of in part.get("per_class", {}):
        return {**_of_class(results, found, part, metric, of), "behind": _behind(results, metric, of)}
    if of in AVERAGES:
        return {**_of_average(results, part, metric, of), "behind": {"actual": None, "predicted": None}}
    if of.startswith("expected base rate"):
        return _restated(results, found, part, metric, of)
    if of.partition(" ")[0] in choice.OF:
        return choice.unfold(results, found, part, metric, of)
    for s in part.get("slices", []):
        if ", ".join(f"{field}={value}" for field, value in s["by"].items()) == of:
            told = _of_part(results, found, s, metric)
            told["title"] += f", {of}"
            return told
    raise KeyError(f"{split} has no class, average, slice or expected base rate named {of}")


def unfold_path(results: Results, path: str) -> Unfolded:
    """Unfold by a path: "candidate/split/metric", "candidate/split/of/metric", "A - B/metric" for a pair, "gates/3".

    Candidates' names may hold slashes. Raises KeyError as `unfold` does.

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
            return unfold(results, c["name"], parts[0], parts[-1], of)
    who, _, metric = path.rpartition("/")
    for pair in results["pairs"]:
        if f"{pair['a']} - {pair['b']}" == who:
            if metric not in pair["metrics"]:
                raise KeyError(f"there is no metric {metric}")
            return _pair(results, pair["a"], pair["b"], metric, pair["metrics"][metric])
    raise KeyError(f"“{path}” names no number: no candidate, pair or gate is so named")


def _behind(results: Results, metric: str, label: str | None = None) -> Behind:
    """Which rows a number is read from; where no class says which, all of them."""
    holdout = results["holdout"]
    yes = label or holdout["positive"]
    no = next((x for x in holdout["classes"] if x != yes), None) if holdout["positive"] is not None else None
    classes = {"positive": yes, "negative": no}
    if metric in COUNTS and label is None:
        _, _, _, actual, predicted, _ = COUNTS[metric]
        return {"actual": classes[actual], "predicted": classes[predicted]}
    d = METRICS.get(metric)
    of = d.over[1] if d is not None and d.over is not None and yes is not None else "rows"
    actual_of, predicted_of = {"P": yes, "N": no}, {"flagged": yes, "passed": no}
    return {"actual": actual_of.get(of), "predicted": predicted_of.get(of)}


def _defined(d: Definition, sentence: str, interval: str, m: Metric, many: bool = False) -> Unfolded:
    formula = d.formula_many if many and d.formula_many else d.formula
    meaning = d.meaning_many if many and d.meaning_many else d.meaning
    return telling.told(d.title, meaning, formula, sentence, interval, d.better, d.also, m)


def _of_part(results: Results, c: CandidateResult, part: Any, metric: str) -> Unfolded:
    if metric in COUNTS and results["holdout"]["positive"] is not None:
        return _count(results, c, part, metric)
    if metric not in part["metrics"]:
        raise KeyError(f"there is no metric {metric}")
    m: Metric = part["metrics"][metric]
    if metric not in METRICS:
        return _own(results, c, part, metric, m)
    d, many = METRICS[metric], results["holdout"]["positive"] is None
    sentence = telling.none(m) or (_many if many else _two)(results, c, part, d, m)
    return _defined(d, sentence, telling.interval(results, m), m, many)


def _of_class(results: Results, c: CandidateResult, part: Any, metric: str, label: str) -> Unfolded:
    found = part["per_class"][label].get(metric)
    if not isinstance(found, dict) or "value" not in found:
        raise KeyError(f"there is no metric {metric} of a class")
    m: Metric = found  # type: ignore[assignment]
    if metric == "share_gap":
        return _share_gap(results, c, part, m, label)
    d = METRICS[metric]
    named = {"positive": results["holdout"].get("names", {}).get(label, label), "negative": "another class"}
    k = results["holdout"]["classes"].index(label)
    sentence = telling.none(m) or _filled(d, m, c, part, outcomes_of(results, part, k), named)
    told = _defined(d, sentence, telling.interval(results, m), m)
    told["title"] += f" of {named['positive']}"
    return told


def _share_gap(results: Results, c: CandidateResult, part: Any, m: Metric, label: str) -> Unfolded:
    """A class's share of the answers less its share of the rows."""
    k, cells = results["holdout"]["classes"].index(label), part["matrix"] or []
    width = len(results["holdout"]["classes"])
    answers, rows = (sum(row[k] for row in cells), sum(cells[k][:width])) if cells else (0, 0)
    whole, name = sum(sum(row[:width]) for row in cells), results["holdout"].get("names", {}).get(label, label)
    said = (
        f"Of {count(whole)} answers of {c['name']}, {count(answers)} are “{name}”, and {count(rows)} of the rows are: "
        f"({count(answers)} − {count(rows)}) / {count(whole)} = {shown(m['value'])}."
    )
    return telling.told(
        f"Predicted less actual share of {name}", "how much more often a class is predicted than it is so",
        "predicted as it / rows with an answer - of it / rows with an answer", telling.none(m) or said,
        telling.interval(results, m), "neither", (), m,
    )  # fmt: skip


def _of_average(results: Results, part: Any, metric: str, kind: str) -> Unfolded:
    if metric not in part.get("averages", {}).get(kind, {}):
        raise KeyError(f"there is no {kind} average of {metric}")
    m: Metric = part["averages"][kind][metric]
    d = METRICS[metric]
    parts = ", ".join(shown(p[metric]["value"]) for p in part["per_class"].values() if p["actual_rows"])
    sentence = telling.none(m) or AVERAGES[kind].format(metric=d.title.lower(), parts=parts, value=shown(m["value"]))
    told = _defined(d, sentence, telling.interval(results, m), m)
    told["title"] += f", {kind} average"
    return told


def _restated(results: Results, c: CandidateResult, part: Any, metric: str, of: str) -> Unfolded:
    listed: Any = part.get("at_expected_base_rate") or []
    for one in listed if isinstance(listed, list) else [listed]:
        if _is_rate(of, one["base_rate"]) and metric in one["metrics"]:
            m: Metric = one["metrics"][metric]
            if metric == "cost":
                told = choice.cost(results, m)
                return {**told, "title": f"{told['title']} at a base rate of {one['base_rate']:g}"}
            named = class_names(results)
            words = {
                "pi": f"{one['base_rate']:g}", "value": shown(m["value"]),
                "r": shown(part["metrics"]["recall"]["value"]), "f": shown(part["metrics"]["fpr"]["value"]),
                "pos": f"“{named['positive']}”",
                "neg": f"“{named['negative']}”",
            }  # fmt: skip
            told = _defined(
                METRICS[metric],
                telling.none(m) or METRICS[metric].says_expected.format(**words),
                telling.interval(results, m),
                m,
            )
            told["title"] += f" at a base rate of {words['pi']}"
            return told
    raise KeyError(f"there is no {metric} restated for “{of}”")


def _is_rate(of: str, rate: float) -> bool:
    said = of.removeprefix("expected base rate").strip()
    return said == f"{rate:g}" or said == str(rate)


def _own(results: Results, c: CandidateResult, part: Any, metric: str, m: Metric) -> Unfolded:
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
        counts = {k: f"{v}" for k, v in outcomes_of(results, part).items()} | {
            k: f"{v:g}" for k, v in own["costs"].items()
        }
        filled = re.sub(r"[A-Za-z_]\w*(?!\w*\s*\()", lambda f: counts.get(f[0], f[0]), formula)
        sentence = f"{filled} = {shown(m['value'])}."
    return telling.told(metric, "a metric of this study's own", formula, telling.none(m) or sentence,
                        telling.interval(results, m),
                 own["better"], (), m)  # fmt: skip


def _pair(results: Results, a: str, b: str, metric: str, d: Difference) -> Unfolded:
    title = METRICS[metric].title if metric in METRICS else metric
    better = METRICS[metric].better if metric in METRICS else ""
    low, high, gap = d.get("low"), d.get("high"), d["difference"]
    m: Metric = {"value": gap, "low": low, "high": high}
    if gap is None:
        return telling.told(f"{title}: {a} less {b}", "", "", f"Not defined here: {d['why']}.", "", better, (), m)
    sentence = f"The {title} of {a} less that of {b}, on the same rows, is {shown(gap, ())}."
    how = f"Not tested: {d['why']}." if "why" in d else ""
    if low is not None and high is not None:
        carried = telling.method(d["interval"], CARRIED) if "interval" in d else ""
        made = (
            f"{telling.method(d['test'], TESTS).split('; interval')[0]}; {carried}"
            if carried
            else telling.method(d["test"], TESTS)
        )
        how = f"{telling.confidence(results)} interval {shown(low, ())} to {shown(high, ())}: {made}."
        adjusted = d.get("p_adjusted")
        if d.get("p") is not None:
            how += f" {p_shown(d['p'] or 0.0)}" + (
                f"; {p_shown(adjusted)} for having compared all pairs (Holm)." if adjusted is not None else "."
            )
        elif "why" in d:
            how += f" Not tested: {d['why']}."
    if d.get("approximate"):
        how += " The interval is approximate: in simulations it covered the true value less often than stated."
    if "more_rows" in d:
        how += f" {_more(d['more_rows'])} would separate them, if the difference stays as it is: a rough guide."
    return telling.told(f"{title}: {a} less {b}", "a paired difference", f"{metric} of {a} - {metric} of {b}", sentence,
                        how,
                 better, (), m)  # fmt: skip


def _more(more: Mapping[str, Any]) -> str:
    of = f", of them {more['of_rows']:,} “{more['of']}”," if "of" in more else ""
    return f"About {more['rows']:,} more rows{of}"


def _gate(results: Results, number: int) -> Unfolded:
    if not 1 <= number <= len(results["gates"]):
        raise KeyError(f"there are {len(results['gates'])} gates; there is no number {number}")
    g = results["gates"][number - 1]
    how = ""
    if "more_rows" in g:
        how = f"{_more(g['more_rows'])} would settle it, if the value stays as it is: a rough guide."
    m: Metric = {"value": g["value"], "low": g["low"], "high": g["high"]}
    return telling.told(g["text"], f"a gate that {g['level']} be met", g["metric"], gate_sentence(g), how, "", (), m)


def gate_sentence(g: GateResult) -> str:
    """What a gate read, what it required, and what follows.

    Examples
    --------
    >>> gate = {"candidate": "net", "by": None, "read": None, "why": "it has no interval"}
    >>> gate_sentence(gate)
    'net: unclear, because it has no interval.'
    """
    who = g["candidate"] + (f", {', '.join(g['by'].values())}" if g["by"] else "")
    if g["read"] is None:
        return f"{who}: unclear, because {g.get('why', 'there is no such number')}."
    ends = {"value": "the value", "low": "the low end", "high": "the high end"}
    side = next((name for name in ("low", "high") if g["value"] != g["read"] and g[name] == g["read"]), "value")
    of = " of the paired difference" if g["against"] is not None else ""
    rel = {("least", True): "at least", ("least", False): "below", ("most", True): "at most", ("most", False): "above"}
    least = g["bound"] == "least"
    inside = g["read"] >= g["needed"] if least else g["read"] <= g["needed"]
    met = g["status"] == "pass" if g["status"] != "unclear" else inside
    bounds = (g["needed"],)
    said = f"{who}: {ends[side]}{of}, {shown(g['read'], bounds)}, is {rel[g['bound'], met]} the "
    said += f"{as_set(g['needed'])} required: {g['status']}"
    return said + (f", because {g['why']}." if "why" in g else ".")


def _count(results: Results, c: CandidateResult, part: Any, name: str) -> Unfolded:
    title, key, also, actual, predicted, unanswered = COUNTS[name]
    if part["matrix"] is None:
        raise KeyError(f"{c['name']} has no cutoff here, so there is no count {name}")
    n = outcomes_of(results, part)
    of = n["P"] if actual == "positive" else n["N"]
    named = class_names(results)
    rule = ""
    if c["cutoff"] and c["cutoff"]["value"] is not None:
        rule = f" at score {'≥' if predicted == 'positive' else '<'} {as_set(c['cutoff']['value'])}"
    left = n[unanswered] if unanswered else 0
    said = f"{c['name']} predicted {count(n[key] - left)} “{named[predicted]}”{rule}"
    said += f" and left {count(left)} without an answer" if left else ""
    shares = f": {count(n[key])} / {count(of)} = {shown(n[key] / of)}" if of else ""
    m: Metric = {"value": float(n[key]), "low": None, "high": None, "why_interval": "it is a count of rows"}
    return telling.told(
        results["holdout"].get("words", {}).get(name, title).capitalize(),
        f"Rows that were “{named[actual]}” and predicted “{named[predicted]}”"
        + (", or left without an answer" if left else ""),
        f"{key} = rows actual {actual}, predicted {predicted}",
        f"Of the {telling.rows(of, part)} that {telling.were(of)} “{named[actual]}”, {said}{shares}.",
        "A count of rows, with no interval; the rates made from it have one.",
        "higher" if actual == predicted else "lower", tuple(x for x in (title, key, also) if x), m,
    )  # fmt: skip


def _two(results: Results, c: CandidateResult, part: Any, d: Definition, m: Metric) -> str:
    return _filled(d, m, c, part, outcomes_of(results, part), class_names(results))


def _filled(
    d: Definition, m: Metric, c: CandidateResult, part: Any, n: dict[str, Any], named: Mapping[str, str]
) -> str:
    """A sentence with the counts of one class against the rest in it."""
    if d.needs != "counts":  # these are over the rows with an answer alone
        n = n | {"P": n["P"] - n["unanswered_P"], "N": n["N"] - n["unanswered_N"]}
        n["rows"] = n["P"] + n["N"]
    rows, value = n["rows"], m["value"] or 0.0
    words = {
        "value": shown(m["value"]), "name": c["name"],
        "pos": f"“{named['positive']}”", "neg": f"“{named['negative']}”",
        "chance": shown(n["P"] / rows if rows else None),
        "flat": shown(n["P"] * n["N"] / rows**2 if rows else None),
        "chance_gap": _chance(m), "size": shown(abs(value), ()), "side": "high" if value < 0 else "low",
        "left_P": _left(n["unanswered_P"], d), "left_N": _left(n["unanswered_N"], d),
    }  # fmt: skip
    for key, k in n.items():
        words |= {key: count(k), f"{key}_rows": telling.rows(k, part), f"{key}_were": telling.were(k)}
    if d.name == "roc_auc":
        words["pairs"] = count(n["P"] * n["N"])
        words["ordered"] = count(round(2 * value * n["P"] * n["N"]) / 2)
    return d.says.format(**words) + _unanswered(d, part)


def _left(n: float, d: Definition) -> str:
    """Rows of a class without an answer, where these count as wrong."""
    return f", {count(n)} of them without an answer" if n and d.name in ("f1", "fnr") else (
        f"; {count(n)} had no answer" if n else ""
    )  # fmt: skip


def _unanswered(d: Definition, part: Any) -> str:
    """What is said of rows without an answer under a number that is over the others alone."""
    n = part.get("no_answer", 0)
    if not n or d.needs == "counts":
        return ""
    return f" It is over the rows with an answer; {telling.rows(n)} had none."


def _chance(m: Metric) -> str:
    expected = m.get("expected_if_calibrated")
    return "" if expected is None else f", where chance alone gives {shown(expected)}"


def _many(results: Results, c: CandidateResult, part: Any, d: Definition, m: Metric) -> str:
    matrix: Any = part["matrix"] or []
    rows, right = sum(sum(row) for row in matrix), sum(row[i] for i, row in enumerate(matrix))
    if d.needs != "counts":
        rows -= sum(sum(row[len(matrix) :]) for row in matrix)
    areas = [p["roc_auc"]["value"] for p in part.get("per_class", {}).values() if p["roc_auc"]["value"] is not None]
    words = {
        "name": c["name"], "value": shown(m["value"]), "rows": count(rows), "rows_rows": telling.rows(rows, part),
        "right": count(right), "areas": ", ".join(shown(area) for area in areas), "chance_gap": _chance(m),
        "parts": ", ".join(shown(row[i] / sum(row)) for i, row in enumerate(matrix) if sum(row)),
    }  # fmt: skip
    return (d.says_many or d.says).format(**words) + _unanswered(d, part)
