"""Rows in two dimensions as SVG that needs neither script nor style sheet: what all of them are, and what is marked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

import numpy as np
from matplotlib.ticker import MaxNLocator

from skarlo.core import BoolArray, FloatArray, IntArray, count
from skarlo.studies.mapped import LEFT_OUT, NONE, AxisAbout, Mapped

from .figures import INK, OCHRE, RULE, SCARLET, SOFT
from .scope import COLOURS

WIDE, HIGH, LEFT, BELOW = 620, 470, 88, 36
DENSE, MOST_MARKED = 20_000, 4_000
LEVELS = 6  # of how dense rows lie
FAINT = "#a9a498"
MISSED, NEEDLESS, DIFFER, VALUES = 1, 2, 3, 10
Corners = Sequence[tuple[float, float]]


@dataclass(frozen=True)
class Kinds:
    """What each row is marked as: 0 for nothing, MISSED (of many classes wrong), NEEDLESS, DIFFER, from VALUES on the
    value of a class or field; the names of those that occur, in order."""

    of: IntArray
    names: dict[int, str]

    def colour(self, kind: int) -> str:
        """In which colour it is drawn."""
        return {MISSED: SCARLET, NEEDLESS: OCHRE, DIFFER: INK}.get(kind) or COLOURS[kind - VALUES]


def kinds(found: Mapped, show: str, positive: int | None, called: Sequence[str]) -> Kinds:
    """How rows are marked: "errors" of the candidate, "differ", "actual", or "by:FIELD"; called : names of classes."""
    _, _, _, by, actual, said, differ = found.columns
    if show == "differ":
        return _named(np.where(differ > 0, DIFFER, 0), {DIFFER: "candidates disagree"})
    if show == "actual" or show.startswith("by:"):
        values, names = (actual, called) if show == "actual" else (by, found.about["values"])
        of = np.where(values < len(COLOURS), values.astype(np.int64) + VALUES, 0)
        return _named(of, {VALUES + i: name for i, name in enumerate(names[: len(COLOURS)])})
    wrong = (actual != said) & (said != LEFT_OUT)
    if positive is None:
        return _named(np.where(wrong, MISSED, 0), {MISSED: "wrong"})
    missed = wrong & ((actual == positive) | (said == NONE))
    return _named(np.where(missed, MISSED, np.where(wrong, NEEDLESS, 0)), {MISSED: "missed", NEEDLESS: "needless"})


def _named(of: IntArray, names: dict[int, str]) -> Kinds:
    there = set(np.unique(of).tolist())
    return Kinds(of, {kind: name for kind, name in names.items() if kind in there})


def plane(found: Mapped, marks: Kinds, line: Corners = (), inside: BoolArray | None = None) -> str:
    """The map, all of it.

    Parameters
    ----------
    line : corners of a closed line; inside : which points lie within it, shape (n,)
    """
    x, y = (column.astype(np.float64) for column in found.columns[1:3])
    (x0, x1), (y0, y1) = _reach(x), _reach(y)
    px, py = (x - x0) / (x1 - x0) * WIDE, (y1 - y) / (y1 - y0) * HIGH
    at = np.flatnonzero(marks.of > 0)
    at = at[:: max(1, -(-len(at) // MOST_MARKED))]
    out = [f'<rect width="{WIDE}" height="{HIGH}" fill="none" stroke="{RULE}"/>', *_base(px, py)]
    for kind in marks.names:
        of = at[marks.of[at] == kind]
        within = np.ones(len(of), dtype=bool) if inside is None else inside[of]
        for some, opacity in ((of[~within], 0.25), (of[within], 0.85)):
            if len(some):
                out.append(_dots(px[some], py[some], marks.colour(kind), 4.6, opacity, "round"))
    if len(line) > 2:
        corners = "L".join(f"{(a - x0) / (x1 - x0) * WIDE:.1f} {(y1 - b) / (y1 - y0) * HIGH:.1f}" for a, b in line)
        out.append(f'<path d="M{corners}Z" fill="none" stroke="{INK}" stroke-width="1.6"/>')
    out += [*_ruler(found.about["x"], (x0, x1), across=True), *_ruler(found.about["y"], (y0, y1), across=False)]
    legend, high = _legend(marks)
    title = f"{count(len(x))} rows by {found.about['x']['name']} and {found.about['y']['name']}"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {LEFT + WIDE + 2} {HIGH + BELOW + high}" width="100%" '
        f'role="img" aria-label="{escape(title)}" font-family="Public Sans, DejaVu Sans" font-size="11">'
        f'<g transform="translate({LEFT},1)">{"".join(out + legend)}</g></svg>'
    )


def _legend(marks: Kinds) -> tuple[list[str], int]:
    """What the dots stand for, in lines below, and how high these are."""
    out, x, y = [], 6, HIGH + BELOW + 12
    for kind, name in marks.names.items():
        text = f"{name if len(name) <= 40 else f'{name[:39]}…'}  {count(int(np.count_nonzero(marks.of == kind)))}"
        wide = 22 + 6 * len(text)
        if x > 6 and x + wide > WIDE:
            x, y = 6, y + 16
        out.append(f'<circle cx="{x}" cy="{y - 4}" r="3.5" fill="{marks.colour(kind)}"/>'
                   f'<text x="{x + 8}" y="{y}" fill="{INK}">{escape(text)}</text>')  # fmt: skip
        x += wide
    return out, y - HIGH - BELOW + 6 if out else 0


def _reach(v: FloatArray) -> tuple[float, float]:
    """From where to where it goes, with a little room round it."""
    if not len(v):
        return 0.0, 1.0
    low, high = float(v.min()), float(v.max())
    room = 0.04 * ((high - low) or 1.0)
    return low - room, high + room


def _dots(px: FloatArray, py: FloatArray, colour: str, size: float, opacity: float, cap: str) -> str:
    """Many dots in one path: each a stroke of no length with an end of its own."""
    path = "".join(f"M{a} {b}h0" for a, b in zip(_short(px), _short(py), strict=True))
    return (
        f'<path d="{path}" fill="none" stroke="{colour}" stroke-width="{size:g}" stroke-linecap="{cap}" '
        f'stroke-opacity="{opacity:g}"/>'
    )


def _short(v: FloatArray) -> list[str]:
    return [f"{a:g}" for a in np.round(v, 1).tolist()]


def _base(px: FloatArray, py: FloatArray) -> list[str]:
    """All points in one colour: dots where there are few, else how dense they lie in fields of two units."""
    if len(px) <= DENSE:
        return [_dots(px, py, FAINT, 2, 0.7, "square")] if len(px) else []
    across = WIDE // 2
    cells = (py // 2).astype(np.int64) * across + (px // 2).astype(np.int64)
    at, n = np.unique(cells, return_counts=True)
    level = np.minimum(LEVELS - 1, (np.log1p(n) / np.log1p(n.max()) * LEVELS).astype(np.int64))
    cx, cy = (at % across) * 2 + 1.0, (at // across) * 2 + 1.0
    return [
        _dots(cx[level == k], cy[level == k], FAINT, 2, 0.25 + 0.75 * k / (LEVELS - 1), "square")
        for k in range(LEVELS) if (level == k).any()
    ]  # fmt: skip


def _ruler(about: AxisAbout, reach: tuple[float, float], *, across: bool) -> list[str]:
    """Ticks along an edge, and the name of what is measured there."""
    low, high = reach
    names = about["categories"]
    every = -(-len(names) // 12)
    ticks = [-1, *range(0, len(names), every)] if names else [float(v) for v in MaxNLocator(6).tick_values(low, high)]
    out = []
    for v in ticks:
        if not low <= v <= high:
            continue
        text = f"{v:.4g}".replace("-", "−") if not names else "absent" if v < 0 else names[int(v)]
        text = escape(text if len(text) <= 12 else f"{text[:11]}…")
        part = (v - low) / (high - low)
        if across:
            out.append(f'<path d="M{part * WIDE:.1f} {HIGH}v4" stroke="{SOFT}"/><text x="{part * WIDE:.1f}" '
                       f'y="{HIGH + 15}" text-anchor="middle" fill="{SOFT}">{text}</text>')  # fmt: skip
        else:
            out.append(f'<path d="M-4 {(1 - part) * HIGH:.1f}h4" stroke="{SOFT}"/><text x="-7" '
                       f'y="{(1 - part) * HIGH + 4:.1f}" text-anchor="end" fill="{SOFT}">{text}</text>')  # fmt: skip
    name = escape(about["name"])
    out.append(f'<text x="{WIDE}" y="{HIGH + 31}" text-anchor="end" fill="{INK}">{name}</text>' if across else
               f'<text x="5" y="14" fill="{INK}">{name}</text>')  # fmt: skip
    return out
