"""Slices: those that a candidate serves worst, as they were searched for."""

from __future__ import annotations

from skarlo.core import Confirmed, Find, Part, Results, SearchEntry, SearchStudy, count, several, shown
from skarlo.report.blocks import Block, Cell, Row, counts, note, table, texts
from skarlo.report.drafting import title_of
from skarlo.report.scope import Scope, candidates, class_read

from .cells import signed
from .entry import Reading

MOST_DEEP, MOST_BELOW = 3, 5
LOSSES = {"error": "wrong rows", "log_loss": "log loss by row", "brier": "Brier loss by row"}
STATUS = {"confirmed": "confirmed", "not_confirmed": "not confirmed", "too_few": "too few rows"}


def _asked(results: Results, scope: Scope) -> SearchStudy | None:
    """The search that the view says: "yes", what slices are searched by, and how many fields at a time."""
    asks, _, rest = scope.own.get("worst", "").partition(":")
    measure, _, depth = rest.partition(":")
    chosen = candidates(results, scope)
    if asks != "yes" or not measure or not chosen:
        return None
    one = next((c for c in chosen if c.letter == scope.own.get("front")), chosen[0])
    deep = min(MOST_DEEP, max(1, int(depth))) if depth.isdecimal() else 2
    if measure in LOSSES:
        return SearchStudy(one.result["name"], loss=measure, depth=deep)
    many = results["holdout"]["positive"] is None and measure != "accuracy"
    return SearchStudy(one.result["name"], measure, depth=deep, of=class_read(results, scope) if many else "")


def shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    """The search, where there is one."""
    asked = _asked(results, scope)
    return () if asked is None else (Part("search", searched=asked),)


def blocks(reading: Reading) -> list[Block]:
    """The finds, those that survive first; nothing where nothing is searched."""
    results, scope = reading.results, reading.scope
    asked = _asked(results, scope)
    if asked is None:
        return []
    told = next(iter(reading.further().get("search", [])), None)
    if told is None:
        return []
    if "why" in told:
        return [note(f"no slices were searched: {told['why']}")]
    what = LOSSES.get(asked.loss) or title_of(asked.metric)
    of = f" of {results['holdout'].get('names', {}).get(asked.of, asked.of)}" if asked.of else ""
    found, below = told["found"], told.get("below", [])
    head = [*texts(f"Served worst by {told['candidate']}, by {what}{of}"), *counts(f"rows, {told.get('read_on', '')}"),
            *texts("less the rest", "there"), *counts(f"q, {told.get('searched_on', '')}")]  # fmt: skip
    lines = [_line(f, below=False) for f in found] + [_line(f, below=True) for f in below[:MOST_BELOW]]
    return [*([table(head, lines)] if lines else []), note(*_said(told))]


def _said(told: SearchEntry) -> list[str]:
    looked, n = several(told["looked_at"], "slice"), len(told["found"])
    if not told["looked_at"]:
        return ["no slice is large enough to be looked at"]
    survives = "none survives" if n == 0 else "the first survives" if n == 1 else f"the first {count(n)} survive"
    return [
        f"of {looked} looked at on {told.get('searched_on', '')}, "
        f"{survives} correction (Benjamini and Hochberg); pale ones do not",
        f"less the rest: on {told.get('read_on', '')}, which was not searched; black edge: confirmed there",
        "there is no tuning split: one half is searched, the other read" if told.get("halved") else "",
        "rows have weights or belong together: the tests are approximate" if told.get("approximate") else "",
    ]  # fmt: skip


def _q(q: float | None) -> str:
    return "—" if q is None else "< 0.001" if q < 0.001 else shown(q)


def _line(f: Find, below: bool) -> Row:
    confirmed: Confirmed = f["confirmed"]
    name: Cell = {"text": f["condition"]}
    folded = f.get("folded", {"count": 0})["count"]
    if folded:
        name["below"] = f"and {count(folded)} more of nearly the same rows"
    less: Cell = {"text": signed(dict(confirmed))}
    if confirmed["status"] == "confirmed":
        less["edge"] = True
    row: Row = {"cells": [name, *counts(count(confirmed["rows"])), less, *texts(STATUS[confirmed["status"]]),
                          *counts(_q(f["effect"]["p_bh"]))]}  # fmt: skip
    return {**row, "quiet": True} if below else row
