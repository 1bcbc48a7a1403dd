"""What a view brings to the report: its sentence, what it freezes, and how it is drawn."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from skarlo.core import Results, Tally
from skarlo.report.scope import Scope, Shown

Sentence = Callable[[Results, Scope, list[Shown]], str]


@dataclass(frozen=True, kw_only=True)
class Reading:
    """One exhibit as it is read: the results, what of them, the candidates in scope, and by name the tallies of their
    scores, which are made when they are asked for."""

    results: Results
    scope: Scope
    chosen: list[Shown]
    tallies: Callable[[], Mapping[str, Tally | None]]


def _no_figures(reading: Reading) -> dict[str, str]:
    return {}


def _nothing_more(results: Results, scope: Scope, chosen: list[Shown]) -> dict[str, Any]:
    return {}


@dataclass(frozen=True, kw_only=True)
class Exhibit:
    """One view that can be pinned.

    Attributes
    ----------
    view : its name, in addresses and in files
    two, many : its sentence of two classes, and of three or more
    refused : why it is not pinned of three classes or more; "" where it is
    figures : what is drawn when it is frozen, as SVG by name
    drawn : what its template needs besides the figures and the candidates in scope
    template : under templates/exhibits; that of figures alone where it has none of its own
    """

    view: str
    two: Sentence
    many: Sentence
    refused: str = ""
    figures: Callable[[Reading], dict[str, str]] = _no_figures
    drawn: Callable[[Results, Scope, list[Shown]], dict[str, Any]] = _nothing_more
    template: str = "figures.html.j2"
