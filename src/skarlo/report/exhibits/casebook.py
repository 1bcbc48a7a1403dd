"""Casebook: rows, the map of them, or labels that may be wrong."""

from __future__ import annotations

from skarlo.core import Part, Results
from skarlo.report.blocks import Block, note
from skarlo.report.scope import Scope, Shown
from skarlo.studies.refusals import Missing, Refusal

from . import labels, plane, rows
from .entry import Exhibit, Reading


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    return labels.shows(results, scope) if scope.own.get("read") == "labels" else ()


def _sentence(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    read = {"labels": labels.says, "map": plane.says}.get(scope.own.get("read", ""), rows.says)
    return read(results, scope, chosen)


def _blocks(reading: Reading) -> list[Block]:
    made = {"labels": labels.blocks, "map": plane.blocks}.get(reading.scope.own.get("read", ""), rows.blocks)
    try:
        return made(reading)
    except (Missing, Refusal) as e:  # a mark, a field or a candidate that it speaks of is there no longer
        return [note(f"this can no longer be shown: {e}")]


CASEBOOK = Exhibit(
    view="casebook", reads=("lines",), shows=_shows, says=_shows, two=_sentence, many=_sentence, blocks=_blocks,
    counts_only=True,
)  # fmt: skip
