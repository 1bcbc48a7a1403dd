"""From a revision's content to one HTML file that needs no network and no script."""

from __future__ import annotations

import base64
import hashlib
from functools import lru_cache
from pathlib import Path
from typing import Any

import jinja2
from markupsafe import Markup

from skarlo.core import (
    METRICS,
    as_set,
    count,
    gate_sentence,
    p_shown,
    shown,
    with_interval,
)

from . import drafting
from .blocks import Rung, Whisker, stopped, whole
from .content import as_today
from .markdown import to_html
from .scope import COLOURS, Scope, candidates

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
        "stopped": stopped,
        "whole": whole,
        "shown": shown,
        "with_interval": with_interval,
        "p_shown": p_shown,
        "markdown": to_html,
        "count": count,
        "as_set": as_set,
    }
    env.globals |= {
        "METRICS": METRICS,
        "whisker": whisker,
        "bar": bar,
        "zip": zip,
        "chosen_where": drafting.chosen_where,
        "gate_sentence": gate_sentence,
    }
    return env


def to_page(content: dict[str, Any], state: dict[str, Any]) -> str:
    """Render a report.

    Parameters
    ----------
    content : what `package.build` gathered
    state : stamp ("draft", "waiting", "signed", "returned"), number, sha256, author, submitted, verdict
    """
    content = as_today(content)
    return templates().get_template("report.html.j2").render(
        c=content, state=state, exhibits=content["exhibits"], css=Markup(style_sheet()), policy=content_policy(),
        decision=_decision(content), gates=_gates(content),
        every_page=[f["message"] for f in content["findings"] if f["code"] in EVERY_PAGE],
        warnings=[f for f in content["findings"] if f["level"] != "note" and f["code"] not in EVERY_PAGE],
    )  # fmt: skip


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


def whisker(w: Whisker) -> Markup:
    """Dot and whisker of a value on its column's scale."""

    def x(v: float) -> str:
        return f"{80 * (v - w['scale'][0]) / (w['scale'][1] - w['scale'][0]):.2f}"

    svg = (
        '<svg viewBox="0 0 80 8" width="72" height="7" aria-hidden="true"><line x1="0" x2="80" y1="4" y2="4" '
        f'stroke="#ebe6dc"/><line x1="{x(w["low"])}" x2="{x(w["high"])}" y1="4" y2="4" stroke="{w["colour"]}" '
        f'stroke-width="1.6"/><circle cx="{x(w["value"])}" cy="4" r="3" fill="{w["colour"]}"/></svg>'
    )
    return Markup(svg)


def bar(r: Rung) -> Markup:
    """The bar of a rung; hollow where it has no colour."""
    hollow = r["colour"] == "none"
    width = 40 * r["part"]
    return Markup(
        '<svg viewBox="0 0 40 8" width="40" height="8" preserveAspectRatio="none" aria-hidden="true">'
        f'<rect x="0.5" y="0.5" height="7" width="{max(width - 1, 0.75 if width else 0):.2f}" '
        f'fill="{"none" if hollow else r["colour"]}" stroke="{"#777" if hollow else r["colour"]}"/></svg>'
    )
