"""Cells that several exhibits have."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from skarlo.core import Difference, Metric, as_set, shown, with_interval
from skarlo.report.blocks import Cell, Tile
from skarlo.report.scope import Shown


def tile(c: Shown) -> Tile:
    """A candidate's letter on its colour."""
    return {"letter": c.letter, "position": c.position}


def cutoff_of(c: Shown) -> str:
    """A candidate's cutoff in words; empty where it has none to set."""
    cutoff = c.result["cutoff"]
    if cutoff is None:
        return ""
    if cutoff["value"] is not None:
        return f"≥ {as_set(cutoff['value'])}"
    return "flags nothing" if "flags" in cutoff else "no cutoff"


def who(c: Shown, below: bool = False) -> Cell:
    """A candidate at the head of a row, with its cutoff in a line below its name on request."""
    cell: Cell = {"text": c.name, "kind": "name", "tile": tile(c)}
    if below and cutoff_of(c):
        cell["below"] = cutoff_of(c)
    return cell


def value_cell(m: Metric, interval: bool = False) -> Cell:
    """A value, with its interval on request; or why there is none."""
    cell: Cell = {"text": with_interval(m) if interval else shown(m["value"])}
    if m["value"] is None:
        cell["why"] = m.get("why", "")
    return cell


def signed(d: Mapping[str, Any]) -> str:
    """A difference with its sign, and its interval where it has one."""
    if d["difference"] is None:
        return "—"
    told = f"{'+' if d['difference'] > 0 else ''}{shown(d['difference'])}"
    low, high = d.get("low"), d.get("high")
    return told if low is None or high is None else f"{told} ({shown(low)} to {shown(high)})"


def difference_cell(d: Difference | None, turned: bool, confidence: float) -> Cell:
    """A paired difference with its interval, or taken the other way round; an edge where the two are separated."""
    if d is None or d["difference"] is None:
        return {"text": "—", "why": "not tested" if d is None else d.get("why", "not tested")}
    sign, low, high = (-1, d.get("high"), d.get("low")) if turned else (1, d.get("low"), d.get("high"))
    ends = (None if x is None else sign * x for x in (low, high))
    cell: Cell = {
        "text": signed(dict(zip(("difference", "low", "high"), (sign * d["difference"], *ends), strict=True)))
    }
    p = d.get("p_adjusted")
    if p is not None and p <= 1 - confidence:
        cell["edge"] = True
    return cell
