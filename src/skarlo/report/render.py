"""From a revision's content to one HTML file that needs no network and no script."""

from __future__ import annotations

import base64
import hashlib
from functools import lru_cache
from pathlib import Path
from typing import Any, cast

import jinja2
from markupsafe import Markup

from skarlo.core import Metric, Results, shown, with_interval
from skarlo.core.definitions import METRICS
from skarlo.core.explain import class_names, outcomes
from skarlo.core.shown import p_shown

from . import drafting
from .markdown import to_html
from .scope import COLOURS, LINE_UP, Scope, Shown, baselines, candidates

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
        "count": lambda n: f"{n:,}",
    }
    env.globals |= {"METRICS": METRICS, "LINE_UP": LINE_UP, "whisker": whisker, "outcomes": outcomes, "zip": zip}
    return env


def to_page(content: dict[str, Any], state: dict[str, Any]) -> str:
    """Render a report.

    Parameters
    ----------
    content : what `package.build` gathered
    state : stamp ("draft", "waiting", "signed", "returned"), number, sha256, author, submitted, verdict
    """
    exhibits = [_exhibit(e, content["results"][e["results"]]) for e in content["exhibits"]]
    positive, negative = class_names(cast(Results, {"holdout": content["holdout"]})).values()
    return templates().get_template("report.html.j2").render(
        c=content, state=state, exhibits=exhibits, css=Markup(style_sheet()), policy=content_policy(),
        positive=positive, negative=negative, decision=_decision(content),
        every_page=[f["message"] for f in content["findings"] if f["code"] in EVERY_PAGE],
        warnings=[
            f for f in content["findings"] if f["level"] != "note" and f["code"] not in EVERY_PAGE
        ],
    )  # fmt: skip


def _decision(content: dict[str, Any]) -> dict[str, Any] | None:
    d: dict[str, Any] | None = content["decision"]
    if d is None:
        return None
    results = content["results"][d["results"]]
    scope = Scope(content["holdout"]["report_on"], (d["position"],), positions=tuple(d.get("positions", ())))
    return d | {"shown": candidates(results, scope)[0], "rows": drafting.rows_named(results, scope)}


def _exhibit(exhibit: dict[str, Any], results: Any) -> dict[str, Any]:
    scope = Scope.of(exhibit["scope"])
    chosen = candidates(results, scope)
    return exhibit | {
        "chosen": chosen,
        "baselines": baselines(results, scope),
        "rows": drafting.rows_named(results, scope),
        "scales": _scales([*chosen, *baselines(results, scope)]),
        "best": results["best"].get(scope.split, {}),
        "words": drafting.outcome_words(results),
        "figures": {name: Markup(svg) for name, svg in exhibit["figures"].items()},
        "outcomes": [outcomes(results, c.part) for c in chosen],
    }


def _scales(chosen: list[Shown]) -> dict[str, tuple[float, float]]:
    """One scale a column: from the lowest to the highest end of any interval in it."""
    out = {}
    for name in LINE_UP:
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
