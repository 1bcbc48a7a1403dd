"""How a matrix is laid out: what its view's own choices ask for, in which order classes stand, what a cell is a share
of. Rows are actual classes, columns predicted ones; a last column is no answer, where there is one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from skarlo.report.scope import Scope, Shown

TOGETHER = 12  # classes up to which several candidates find room in one matrix
MOST = 6  # candidates that do

Cells = Sequence[Sequence[float]]


@dataclass(frozen=True)
class Layout:
    """mode : "together", "each", or "less" for one candidate less another
    of : what a cell is a share of: "actual", "predicted" or "all"
    order : of classes: "study", "rows", "name" or "taken"
    turned : whether actual classes stand across
    merge : for each class in order the number of the group it goes to; empty where none are taken together
    pair : the two that are compared
    """

    mode: str
    of: str
    order: str
    turned: bool
    merge: tuple[int, ...]
    pair: tuple[Shown, Shown] | None


def layout(scope: Scope, chosen: Sequence[Shown], classes: int) -> Layout:
    """What the view's own choices ask for; what does not fit is left out, as on the page."""
    own = scope.own
    told = [c for c in chosen if c.part["matrix"] is not None]
    roomy = classes <= TOGETHER and 1 < len(told) <= MOST
    modes = ["together", "each", "less"] if roomy else ["each", "less"] if len(told) > 1 else ["each"]
    mode = own.get("mode", "") if own.get("mode") in modes else modes[0]
    merge = _groups(own.get("merge", ""), classes) if classes > 2 else ()
    of = own["bars"] if own.get("bars") in ("predicted", "all") else "actual"
    order = own["order"] if classes > 2 and own.get("order") in ("rows", "name", "taken") else "study"
    pair = _pair(own.get("pair", ""), told) if mode == "less" and not merge else None
    together = mode == "less" and merge  # taken together, candidates are not compared
    return Layout("together" if together else mode, of, order, own.get("across") == "actual", merge, pair)


def _groups(text: str, classes: int) -> tuple[int, ...]:
    parts = text.split(",")
    if len(parts) != classes or not all(p.isdecimal() and len(p) < 4 for p in parts):
        return ()
    groups = tuple(map(int, parts))
    return groups if set(groups) == set(range(max(groups) + 1)) and 1 < len(set(groups)) < classes else ()


def _pair(text: str, told: Sequence[Shown]) -> tuple[Shown, Shown] | None:
    found = [next((c for c in told if c.letter == letter), None) for letter in text.split("-")]
    first, second = found if len(found) == 2 else (None, None)
    if first and second and first is not second:
        return first, second
    return (told[0], told[1]) if len(told) > 1 else None


def share_of(cells: Cells, i: int, j: int, of: str) -> float | None:
    """A cell's share of its actual class, of its predicted one, or of all rows; None where there are none."""
    every = sum(cells[i]) if of == "actual" else sum(r[j] for r in cells) if of == "predicted" else sum(map(sum, cells))
    return cells[i][j] / every if every > 0 else None


def added(matrices: Sequence[Cells]) -> list[list[float]]:
    """The matrices cell by cell added up, over the columns of the first."""
    if not matrices:
        return []
    width = len(matrices[0][0])
    return [
        [sum(m[i][j] if j < len(m[i]) else 0.0 for m in matrices) for j in range(width)]
        for i in range(len(matrices[0]))
    ]


def ordered(cells: Cells, names: Sequence[str], how: str) -> list[int]:
    """The order in which classes stand. "taken": classes that are taken for each other stand beside each other, from
    the most confused pair on: each next one is that which is confused most with what stands at an end."""
    every = list(range(len(names)))
    if how == "rows":
        return sorted(every, key=lambda i: (-sum(cells[i]), i))
    if how == "name":
        return sorted(every, key=lambda i: (names[i].casefold(), i))
    wrong = [(-(cells[i][j] + cells[j][i]), -cells[i][j], i, j) for i in every for j in every
             if i != j and cells[i][j] > 0]  # fmt: skip
    if how != "taken" or not wrong:
        return every
    _, _, i, j = min(wrong)
    line = [min(i, j), max(i, j)]
    left = [k for k in every if k not in line]
    while left:
        # by how often it is taken for what stands at an end; of equals the first in class order, at the far end
        found = [(-(cells[k][end] + cells[end][k]), k, front) for k in left
                 for end, front in ((line[-1], False), (line[0], True))]  # fmt: skip
        _, best, front = min(found)
        line = [best, *line] if front else [*line, best]
        left.remove(best)
    return line
