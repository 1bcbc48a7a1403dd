"""What an exhibit is made of: blocks that hold all that a reader sees, frozen as JSON, drawn by one renderer a format.

A number stands in a block as the text that is shown, so that what was frozen is read the same for ever after.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NotRequired

from typing_extensions import TypedDict


class Whisker(TypedDict):
    """A value and its interval on a scale, in a colour."""

    low: float
    value: float
    high: float
    scale: tuple[float, float]
    colour: str


class Tile(TypedDict):
    """A candidate's letter on its colour."""

    letter: str
    position: int


class Cell(TypedDict):
    """One cell. `kind`: "name" of a row's head, "count" for what is set flush right; `below` stands in a line of its
    own, `note` small after the text; `why` says why there is no number; `edge` marks the best."""

    text: str
    kind: NotRequired[Literal["name", "count"]]
    tile: NotRequired[Tile]
    below: NotRequired[str]
    note: NotRequired[str]
    why: NotRequired[str]
    edge: NotRequired[bool]
    whisker: NotRequired[Whisker]


class Row(TypedDict):
    """A row of a table; `quiet` for what needs no model."""

    cells: list[Cell]
    quiet: NotRequired[bool]


class Table(TypedDict):
    """A table with a head; a `wide` one may scroll."""

    kind: Literal["table"]
    head: list[Cell]
    rows: list[Row]
    wide: bool


class MatrixCell(TypedDict):
    """A count and its share of its row. `tint`: "right" on the diagonal, else what kind of error and how large a part
    of its row, 1 to 4; empty where there is none."""

    count: str
    share: str
    tint: str


class MatrixRow(TypedDict):
    name: str
    cells: list[MatrixCell]


class Matrix(TypedDict):
    """One candidate's matrix, rows actual and columns predicted where `axes` does not say otherwise; or why there is
    none."""

    name: str
    tile: Tile
    cutoff: str
    axes: NotRequired[str]
    columns: list[str]
    rows: list[MatrixRow]
    why: str


class Matrices(TypedDict):
    """Matrices beside each other."""

    kind: Literal["matrices"]
    matrices: list[Matrix]


class Rung(TypedDict):
    """One line of a cell that several share: a bar, `part` of the cell's width in a colour ("none": hollow), what it
    counts, small after it a share, and in a line of its own an interval."""

    colour: str
    part: float
    text: str
    note: str
    ends: NotRequired[str]


class RungCell(TypedDict):
    """`tint`: "right" on the diagonal, "apart" where the data separate what is compared."""

    tint: str
    rungs: list[Rung]


class RungRow(TypedDict):
    name: str
    cells: list[RungCell]


class Named(TypedDict):
    """Who is shown: at which cutoff, in words."""

    tile: Tile
    name: str
    cutoff: str


class Rungs(TypedDict):
    """One matrix for several candidates, `told` in the order of a cell's rungs; or for two that are compared."""

    kind: Literal["rungs"]
    axes: str
    columns: list[str]
    rows: list[RungRow]
    told: list[Named]


class Drawing(TypedDict):
    """A figure as SVG that needs neither script nor style sheet."""

    kind: Literal["figure"]
    name: str
    svg: str


class Note(TypedDict):
    """What stands under a figure or table: what was read, and how to read it."""

    kind: Literal["note"]
    text: str


Block = Table | Matrices | Rungs | Drawing | Note


def table(head: Sequence[Cell], rows: Sequence[Row], wide: bool = False) -> Table:
    """A table."""
    return {"kind": "table", "head": list(head), "rows": list(rows), "wide": wide}


def drawing(name: str, svg: str) -> Drawing:
    """A figure."""
    return {"kind": "figure", "name": name, "svg": svg}


def note(*sentences: str) -> Note:
    """A note of whole sentences without their full stops, each with its first letter made large."""
    return {"kind": "note", "text": " ".join(whole(s) for s in sentences if s)}


def whole(sentence: str) -> str:
    """A sentence with its first letter made large, and with its full stop unless it asks."""
    return f"{sentence[0].upper()}{stopped(sentence)[1:]}"


def stopped(sentence: str) -> str:
    """A sentence with its full stop, unless it asks."""
    return sentence if sentence.endswith("?") else f"{sentence}."


def texts(*said: str) -> list[Cell]:
    """Cells of plain text."""
    return [{"text": t} for t in said]


def counts(*said: str) -> list[Cell]:
    """Cells set flush right."""
    return [{"text": t, "kind": "count"} for t in said]
