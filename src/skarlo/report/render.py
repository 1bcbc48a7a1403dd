"""From a revision's content to one HTML file that needs no network and no script."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

import jinja2
from markupsafe import Markup

from skarlo.core import (
    HEADLINE,
    HEADLINE_MANY,
    METRICS,
    Metric,
    as_set,
    class_names,
    count,
    gate_sentence,
    p_shown,
    shown,
    with_interval,
)

from . import drafting
from .markdown import to_html
from .scope import COLOURS, Scope, Shown, baselines, candidates

_HERE = Path(__file__).parent


@lru_cache(maxsize=1)
def style_sheet() -> str:
    """The report's style sheet, fonts inside it."""
    css = (_HERE / "templates" / "report.css").read_text(encoding="utf-8")
    faces = ""
    for family, file in (("Source Serif 4", "source-serif-4"), ("Public Sans", "public-sans")):
        data = base64.b64encode((_HERE / "fonts" / f"{file}-latin-wght-normal.woff2").read_bytes()).decode()
        faces += f'@font-face{{font-family:"{family}";font-weight:200 900;src:url(data:font/woff2;base64,{data})}}\n'
    tiles = "".join(f".tile{i}{{background:{colour}}}" for i, colour in enumerate(COLOURS, 1))
    return faces + css + tiles


EVERY_PAGE = ("cutoff_chosen_on_report_split", "matched_by_position")  # findings that a reader must not miss


def content_policy() -> str:
    """The content policy a report is served and saved under: its own style sheet and fonts, nothing else."""
    digest = base64.b64encode(hashlib.sha256(style_sheet().encode()).digest()).decode()
    rest = "font-src data:; img-src data:; base-uri 'none'; form-action 'none'"
    return f"default-src 'none'; style-src 'sha256-{digest}'; {rest}"


@lru_cache(maxsize=1)
def templates() -> jinja2.Environment:
    """The templates, with what they may call."""
    env = jinja2.Environment(
        loader=jinja2.FileSystemLoader(_HERE / "templates"), autoescape=True, undefined=jinja2.StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    env.filters |= {
        "shown": shown,
        "with_interval": with_interval,
        "p_shown": p_shown,
        "markdown": to_html,
        "count": count,
        "as_set": as_set,
    }
    env.globals |= {"METRICS": METRICS, "whisker": whisker, "zip": zip, "chosen_where": drafting.chosen_where,
                    "gate_sentence": gate_sentence}  # fmt: skip
    return env


def to_page(content: dict[str, Any], state: dict[str, Any]) -> str:
    """Render a report.

    Parameters
    ----------
    content : what `package.build` gathered
    state : stamp ("draft", "waiting", "signed", "returned"), number, sha256, author, submitted, verdict
    """
    exhibits = [_exhibit(e, content["results"][e["results"]]) for e in content["exhibits"]]
    return templates().get_template("report.html.j2").render(
        c=content, state=state, exhibits=exhibits, css=Markup(style_sheet()), policy=content_policy(),
        decision=_decision(content), gates=_gates(content),
        every_page=[f["message"] for f in content["findings"] if f["code"] in EVERY_PAGE],
        warnings=[f for f in content["findings"] if f["level"] != "note" and f["code"] not in EVERY_PAGE],
    )  # fmt: skip


def headline(holdout: Mapping[str, Any]) -> tuple[str, ...]:
    """The metrics that stand side by side."""
    return HEADLINE if holdout["positive"] is not None else HEADLINE_MANY


def _decision(content: dict[str, Any]) -> dict[str, Any] | None:
    """What is asked for, on the reported split and, where there is one, on that where choices are made."""
    d: dict[str, Any] | None = content["decision"]
    if d is None:
        return None
    results, holdout = content["results"][d["results"]], content["holdout"]
    names = ("recall", "precision", "flagged_share") if holdout["positive"] is not None else (
        "accuracy", "balanced_accuracy"
    )  # fmt: skip
    splits = []
    for split in dict.fromkeys(s for s in (holdout["tune_on"], holdout["report_on"]) if s is not None):
        scope = Scope(split, (d["position"],), positions=tuple(d.get("positions", ())))
        (one,) = candidates(results, scope)
        splits.append({"rows": drafting.rows_named(results, scope), "shown": one})
    return d | {"shown": splits[-1]["shown"], "splits": splits, "metrics": names}


def _gates(content: dict[str, Any]) -> list[dict[str, Any]]:
    """The gates as they stand at the decision's cutoffs, the failing ones first."""
    results = content["results"]
    if not results:
        return []
    found = results[content["decision"]["results"] if content["decision"] else 0]["gates"]
    order = ("fail", "unclear", "pass")
    return sorted(found, key=lambda g: (order.index(g["status"]), g["level"] != "must"))


def _exhibit(exhibit: dict[str, Any], results: Any) -> dict[str, Any]:
    scope = Scope.kept(exhibit["scope"])
    chosen, columns = candidates(results, scope), headline(results["holdout"])
    return (
        exhibit
        | {
            "chosen": chosen,
            "baselines": baselines(results, scope),
            "rows": drafting.rows_named(results, scope),
            "columns": columns,
            "scales": _scales([*chosen, *baselines(results, scope)], columns),
            "edges": edges(results, scope.split, columns),
            "untested": {m: lead["not_tested"] for m, lead in results["best"].get(scope.split, {}).items()},
            "words": drafting.outcome_words(results),
            "figures": {name: Markup(svg) for name, svg in exhibit["figures"].items()},
            "matrices": [_matrix(results, c) for c in chosen] if exhibit["view"] == "matrix" else [],
        }
        | (class_names(results) if results["holdout"]["positive"] is not None else {})
    )


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


def _matrix(results: Any, c: Shown) -> dict[str, Any]:
    """A matrix as it is drawn: every cell with its share of its actual class, a last column for no answer where there
    are such rows."""
    names, labels = results["holdout"].get("names", {}), results["holdout"]["classes"]
    called = [names.get(x, x) for x in labels]
    positive = results["holdout"]["positive"]
    p = None if positive is None else labels.index(positive)
    rows = []
    for actual, cells in enumerate(c.part["matrix"] or []):
        whole = sum(cells)
        missed = [p is None or actual == p] * len(cells)
        rows.append({
            "name": called[actual],
            "cells": [
                {"n": n, "share": n / whole if whole else None, "right": actual == j, "missed": missed[j]}
                for j, n in enumerate(cells)
            ],
        })  # fmt: skip
    width = len(rows[0]["cells"]) if rows else len(called)
    return {"columns": [*called, *(["no answer"] if width > len(called) else [])], "rows": rows, "shown": c}


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


def whisker(m: Metric, scale: tuple[float, float] | None, colour: str) -> Markup:
    """Dot and whisker of a value on the column's scale."""
    value, low, high = m["value"], m.get("low"), m.get("high")
    if scale is None or value is None or low is None or high is None:
        return Markup("")

    def x(v: float) -> str:
        return f"{80 * (v - scale[0]) / (scale[1] - scale[0]):.2f}"

    svg = (
        '<svg viewBox="0 0 80 8" width="72" height="7" aria-hidden="true"><line x1="0" x2="80" y1="4" y2="4" '
        f'stroke="#ebe6dc"/><line x1="{x(low)}" x2="{x(high)}" y1="4" y2="4" stroke="{colour}" stroke-width="1.6"/>'
        f'<circle cx="{x(value)}" cy="4" r="3" fill="{colour}"/></svg>'
    )
    return Markup(svg)
