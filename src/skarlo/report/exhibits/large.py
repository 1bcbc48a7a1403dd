"""A matrix of more classes than a page has room for: tinted cells without numbers, and the worst of them in words."""

from __future__ import annotations

from collections.abc import Sequence

from skarlo.core import CellsLess, count, shown
from skarlo.report import figures
from skarlo.report.blocks import Block, Row, counts, drawing, table, texts
from skarlo.report.scope import Shown

from .grid import Cells, Layout, share_of

MOST = 15  # cells that are listed


def drawn(how: Layout, names: Sequence[str], order: Sequence[int], c: Shown, cells: Cells) -> list[Block]:
    """One candidate's matrix, and the cells in which it is wrong most often."""
    across = [*order, *range(len(names), len(cells[0]))]
    down, along = (across, order) if how.turned else (order, across)
    shares = [[share_of(cells, *((x, y) if how.turned else (y, x)), how.of) for x in along] for y in down]
    called = [*names, "no answer"]
    right = [(i, j) for i, y in enumerate(down) for j, x in enumerate(along) if x == y]
    axes = "predicted ↓ actual →" if how.turned else "actual ↓ predicted →"
    svg = figures.tints(shares, [called[y] for y in down], len(along), axes, f"Matrix of {c.name}.", right)
    wrong = sorted(
        ((-n, i, j) for i, row in enumerate(cells) for j, n in enumerate(row) if i != j and n > 0),
    )[:MOST]  # fmt: skip
    rows: list[Row] = [
        {"cells": [*texts(called[i], called[j]), *counts(count(-n), shown(share_of(cells, i, j, "actual")))]}
        for n, i, j in wrong
    ]
    head = [*texts(f"{c.letter} {c.name}: actual", "predicted"), *counts("rows", "of the actual class")]
    return [drawing(c.name, svg), table(head, rows)] if rows else [drawing(c.name, svg)]


def differing(names: Sequence[str], a: Shown, b: Shown, less: CellsLess) -> list[Block]:
    """The cells in which two candidates differ most: the separated ones first, then by the size of the difference."""
    found = []
    for i, row in enumerate(less["difference"]):
        for j, d in enumerate(row):
            low, high = less["low"][i][j], less["high"][i][j]
            if d:
                apart = low is not None and high is not None and (low > 0 or high < 0)
                found.append((not apart, -abs(d), i, j))
    called = [*names, "no answer"]
    rows: list[Row] = []
    for plain, _, i, j in sorted(found)[:MOST]:
        d, low, high = less["difference"][i][j], less["low"][i][j], less["high"][i][j]
        ends = "" if low is None or high is None else f"({shown(low)} to {shown(high)})"
        rows.append({"cells": [
            *texts(called[i], called[j]), *counts(f"{less['counts'][i][j]:+,}".replace("-", "−")),
            *texts(f"{shown(d)} {ends}", "" if plain else "separated"),
        ]})  # fmt: skip
    head = [*texts("Actual", "predicted"), *counts(f"rows of {a.letter} less {b.letter}"),
            *texts("as a share of the actual class", "")]  # fmt: skip
    return [table(head, rows)] if rows else []
