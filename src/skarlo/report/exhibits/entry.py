"""What a view brings to the report: its sentence, and the blocks that it freezes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from skarlo.core import BoolArray, Part, Results, SliceResult, Tally
from skarlo.report.blocks import Block
from skarlo.report.scope import Scope, Shown
from skarlo.studies.refusals import Missing
from skarlo.studies.rows import Rows

Sentence = Callable[[Results, Scope, list[Shown]], str]


@dataclass(frozen=True, kw_only=True)
class Behind:
    """The rows behind the numbers, at the scope's cutoffs; `within`: which of them the scope is about, bool; `inside`:
    some of them, by their places in the hold-out from 0, by candidate against the others of the split."""

    rows: Rows
    within: BoolArray | None
    inside: Callable[[Sequence[int]], Mapping[str, SliceResult]]


def no_rows() -> Behind:
    """Where there are none at hand."""
    raise Missing("the rows are not at hand", "rows")


@dataclass(frozen=True, kw_only=True)
class Reading:
    """One exhibit as it is read: the results, what of them, the candidates in scope, by name the tallies of their
    scores, the parts that it shows besides the results file's, and the rows; they are made when they are asked for."""

    results: Results
    scope: Scope
    chosen: list[Shown]
    tallies: Callable[[], Mapping[str, Tally | None]]
    further: Callable[[], Results]
    behind: Callable[[], Behind] = no_rows


@dataclass(frozen=True, kw_only=True)
class Exhibit:
    """One view that can be pinned.

    Attributes
    ----------
    view : its name, in addresses and in files
    reads : the parts of the results that its sentence is about
    shows : the parts that its blocks hold and that do not always stand in the results file
    says : those that its sentence is about, where the view's own choices say which
    two, many : its sentence of two classes, and of three or more
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
    says: Callable[[Results, Scope], tuple[Part, ...]] = lambda results, scope: ()
    refused: str = ""
    counts_only: bool = False
