"""The roster: the metrics of all candidates side by side, who leads, and what nobody is shown to lead on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from skarlo.core import HEADLINE, HEADLINE_MANY, METRICS, Drift, Metric, Part, Results, named, shown
from skarlo.report.blocks import Block, Cell, Row, Whisker, note, table, texts
from skarlo.report.drafting import LEADS, counted_rows, joined, lead, of_baseline, read_on
from skarlo.report.scope import Scope, Shown, baselines, candidates

from .cells import difference_cell, signed, value_cell, who
from .entry import Exhibit, Reading


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "brier")) if s]
    text = joined(parts or [lead(results, scope, "f1") or lead(results, scope, "accuracy") or "Nothing to compare"])
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
    if any(c.part["rows"] != always.part["rows"] for c in chosen):  # then it has another value beside each of them
        scores, where = "", " on the rows that each answers"
    else:
        scores, where = f" {shown(always.part['metrics']['accuracy']['value'])},", ""
    return f". Accuracy misleads here: {of_baseline(always.name)} scores{scores} more than {named(behind)}{where}"


def _many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("balanced_accuracy", "log_loss")) if s]
    text = joined(parts) if parts else "There is nothing to compare"
    left = [c for c in chosen if c.part["no_answer"]]
    if not left:
        return f"{text}."
    return (
        f"{text}. Without an answer: "
        + named([f"{counted_rows(c.part['no_answer'], 'all')} of {c.name}" for c in left])
        + "."
    )


def headline(holdout: Mapping[str, Any]) -> tuple[str, ...]:
    """The metrics that stand side by side."""
    return HEADLINE if holdout["positive"] is not None else HEADLINE_MANY


def _columns(results: Results, scope: Scope) -> tuple[str, ...]:
    """The metrics that stand side by side, as far as they were chosen, in their order."""
    every = results["candidates"][0]["splits"][scope.split]["metrics"]
    chosen = [m for m in scope.own.get("metrics", "").split(",") if m in every]
    return tuple(dict.fromkeys(chosen)) or headline(results["holdout"])


def _reads(results: Results, scope: Scope) -> str:
    """Values, "differences" from one candidate, or "splits" side by side."""
    read, holdout = scope.own.get("read", ""), results["holdout"]
    if read == "differences" and scope.split == holdout["report_on"] and results["pairs"]:
        return read
    return read if read == "splits" and len(holdout["splits"]) > 1 else "values"


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    if _reads(results, scope) != "splits":
        return ()
    return tuple(Part(kind, split) for split in _splits(results) for kind in ("lines", "gap"))


FIRST = ("train", "tuning")  # the order in which rows are used, where splits are called so


def _splits(results: Results) -> list[str]:
    """All splits, the reported one last."""
    holdout = results["holdout"]
    others = [s for s in holdout["splits"] if s != holdout["report_on"]]
    return [*sorted(others, key=lambda s: FIRST.index(s) if s in FIRST else len(FIRST)), holdout["report_on"]]


def _blocks(reading: Reading) -> list[Block]:
    columns, read = _columns(reading.results, reading.scope), _reads(reading.results, reading.scope)
    if read == "splits":
        return _side_by_side(reading, columns)
    return _differences(reading, columns) if read == "differences" else _values(reading, columns)


def _titles(columns: Sequence[str]) -> list[str]:
    return [f"{METRICS[m].title}{' ↓' if METRICS[m].better == 'lower' else ''}" if m in METRICS else m for m in columns]


def _level(results: Results) -> str:
    return f"{results['settings']['confidence'] * 100:g} %"


def _side_by_side(reading: Reading, columns: Sequence[str]) -> list[Block]:
    """Every split, and how far each one's number lies from that on the reported rows."""
    results, splits, report_on = reading.results, _splits(reading.results), reading.results["holdout"]["report_on"]
    further = {c["name"]: c["splits"] for c in reading.further()["candidates"]}
    rows: list[Row] = []
    for c in reading.chosen:
        for split in splits:
            part = further[c.name][split]
            cells = [_with_gap(part["metrics"][m], None if split == report_on else part.get("gap", {}).get(m))
                     for m in columns]  # fmt: skip
            head: list[Cell] = [who(c) if split == splits[0] else {"text": ""}, {"text": split}]
            rows.append({"cells": [*head, *cells]})
    return [
        table(texts("Candidate", "rows", *_titles(columns)), rows, wide=True),
        note(
            *read_on(results, reading.scope)[1:],
            f"under each number: less that on {report_on}, with its {_level(results)} interval",
        ),
    ]


def _with_gap(m: Metric, gap: Drift | None) -> Cell:
    cell = value_cell(m, interval=True)
    if gap is not None and gap["difference"] is not None:
        cell["below"] = signed(gap)
    return cell


def _differences(reading: Reading, columns: Sequence[str]) -> list[Block]:
    """Each candidate less one of them, by the paired tests."""
    results, scope = reading.results, reading.scope
    own = [c for c in results["candidates"] if c["gives"] != "baseline"]
    every = candidates(results, replace(scope, show=scope.positions or tuple(range(1, len(own) + 1))))
    reference = next((c for c in every if c.letter == scope.own.get("against")), every[0])
    found = {(p["a"], p["b"]): p["metrics"] for p in results["pairs"] if p["split"] == scope.split}

    def told(c: Shown, metric: str) -> Cell:
        if c.name == reference.name:
            return {"text": "reference" if metric == columns[0] else ""}
        d = found.get((c.name, reference.name), {}).get(metric)
        turned = found.get((reference.name, c.name), {}).get(metric)
        cell = difference_cell(d or turned, d is None, results["settings"]["confidence"])
        one = d or turned
        if one is not None and one["difference"] is not None and one.get("p_adjusted") is None:
            cell["note"] = "not tested"
        return cell

    rows: list[Row] = [
        {"cells": [who(c, below=True), *(told(c, m) for m in columns)]} for c in reading.chosen
    ]  # fmt: skip
    return [
        table(texts(f"Less {reference.name}", *_titles(columns)), rows, wide=True),
        note(
            *read_on(results, scope),
            f"paired differences on the rows of both, with their {_level(results)} interval",
            "black edge: separated, after correction",
        ),
    ]


def _values(reading: Reading, columns: Sequence[str]) -> list[Block]:
    results, scope, chosen = reading.results, reading.scope, reading.chosen
    without = baselines(results, scope)
    scales, edged = _scales([*chosen, *without], columns), edges(results, scope.split, columns)
    untested = {m: best["not_tested"] for m, best in results["best"].get(scope.split, {}).items()}

    def told(c: Shown, metric: str) -> Cell:
        m = c.part["metrics"][metric]
        cell = value_cell(m)
        if c.result["gives"] == "baseline":
            return cell
        drawn = _whisker(m, scales.get(metric), c.colour)
        if drawn is not None:
            cell["whisker"] = drawn
        if c.name in edged.get(metric, []):
            cell["edge"] = True
        if c.name in untested.get(metric, []):
            cell["note"] = "not tested"
        return cell

    rows: list[Row] = [{"cells": [who(c, below=True), *(told(c, m) for m in columns)]} for c in chosen]
    rows += [{"cells": [{"text": c.name}, *(told(c, m) for m in columns)], "quiet": True} for c in without]
    return [
        table(texts("Candidate", *_titles(columns)), rows, wide=True),
        note(
            *read_on(results, scope),
            f"dot and whisker: value and {_level(results)} interval, one scale a column",
            "black edge: best, or not separable from the best; “not separable” does not mean equal" if edged else "",
            "where no test exists there is no edge" if edged else "",
        ),
    ]


def edges(results: Any, split: str, columns: Sequence[str]) -> dict[str, list[str]]:
    """Who bears the black edge, by metric: the best and whoever is not separable from it, where that was tested."""
    own = [c for c in results["candidates"] if c["gives"] != "baseline"]
    out: dict[str, list[str]] = {}
    for name in columns:
        lead = results["best"].get(split, {}).get(name)
        if lead is None:
            continue
        at = {c["name"]: c["splits"][split]["metrics"][name] for c in own}
        ranked = {who for who, m in at.items() if m["value"] is not None and not m.get("thin")}
        if ranked - {lead["leader"], *lead["not_tested"]}:
            out[name] = [lead["leader"], *lead["not_separated"]]
    return out


def _scales(chosen: list[Shown], columns: Sequence[str]) -> dict[str, tuple[float, float]]:
    """One scale a column: from the lowest to the highest end of any interval in it."""
    out = {}
    for name in columns:
        ends = [x for c in chosen for x in _ends(c.part["metrics"][name]) if not _lone(c)]
        if ends:
            pad = 0.06 * (max(ends) - min(ends)) or 0.05
            out[name] = (min(ends) - pad, max(ends) + pad)
    return out


def _lone(c: Shown) -> bool:
    return c.result["gives"] == "baseline"


def _ends(m: Metric) -> list[float]:
    return [x for x in (m["value"], m.get("low"), m.get("high")) if x is not None]


def _whisker(m: Metric, scale: tuple[float, float] | None, colour: str) -> Whisker | None:
    """Dot and whisker of a value on the column's scale."""
    value, low, high = m["value"], m.get("low"), m.get("high")
    if scale is None or value is None or low is None or high is None:
        return None
    return {"low": low, "value": value, "high": high, "scale": scale, "colour": colour}


ROSTER = Exhibit(view="roster", reads=LEADS, shows=_shows, two=_two, many=_many, blocks=_blocks)
