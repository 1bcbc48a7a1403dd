"""What a view brings to the report: its sentence, and the blocks that it freezes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from skarlo.core import Part, Results, Tally
from skarlo.report.blocks import Block
from skarlo.report.scope import Scope, Shown

Sentence = Callable[[Results, Scope, list[Shown]], str]


@dataclass(frozen=True, kw_only=True)
class Reading:
    """One exhibit as it is read: the results, what of them, the candidates in scope, by name the tallies of their
    scores, and the parts that it shows besides the results file's; both are made when they are asked for."""

    results: Results
    scope: Scope
    chosen: list[Shown]
    tallies: Callable[[], Mapping[str, Tally | None]]
    further: Callable[[], Results]


@dataclass(frozen=True, kw_only=True)
class Exhibit:
    """One view that can be pinned.

    Attributes
    ----------
    view : its name, in addresses and in files
    reads : the parts of the results that its sentence is about
    shows : the parts that its blocks hold and that do not always stand in the results file
    two, many : its sentence of two classes, and of three or more
    by_choice : whether its sentence is about what it shows besides, as the view's own choices say
    counts_only : whether its sentence says counts and no rate, so that it stands where rows are too few for rates
    blocks : what it freezes, in the order it is read
    refused : why it is not pinned of three classes or more; "" where it is
    """

    view: str
    reads: tuple[str, ...]
    two: Sentence
    many: Sentence
    blocks: Callable[[Reading], list[Block]]
    shows: Callable[[Results, Scope], tuple[Part, ...]] = lambda results, scope: ()
    refused: str = ""
    counts_only: bool = False
    by_choice: bool = False
