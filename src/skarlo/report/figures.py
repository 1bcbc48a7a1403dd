"""Figures of a report, as SVG that needs neither script nor style sheet."""

from __future__ import annotations

import io
import logging
import re
import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch, Rectangle
from matplotlib.path import Path

from skarlo.core import Tally, as_set, shown

from .scope import Shown

INK, SOFT, RULE = "#1c2322", "#5b6462", "#dcd6c9"
SCARLET, OCHRE, PALE = "#bb2f1b", "#c98a1f", "#cfc8ba"
DASHES = ("-", (0, (7, 2.5)), (0, (2.5, 2)), (0, (6, 2, 1.5, 2)))
STYLE: Any = {
    "font.family": ["Public Sans", "DejaVu Sans"], "font.size": 8.5, "svg.fonttype": "none", "svg.hashsalt": "skarlo",
    "axes.edgecolor": RULE, "axes.labelcolor": SOFT, "xtick.color": SOFT, "ytick.color": SOFT,
    "axes.spines.top": False, "axes.spines.right": False, "axes.linewidth": 0.8, "figure.facecolor": "none",
    "axes.facecolor": "none", "xtick.major.size": 3, "ytick.major.size": 3,
}  # fmt: skip
# The page brings the font; here only the widths of the stand-in are used.
logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)
MOST_LABELS = 11
_SVG = "http://www.w3.org/2000/svg"
_LINK = "{http://www.w3.org/1999/xlink}href"


Points = tuple[Sequence[float], Sequence[float]]


@dataclass(frozen=True)
class Line:
    """One line, or several of one name on planes beside each other.

    letter : on its tile; colour, dash : how it is drawn; faint : pale, behind the others
    curves : by plane, x and y
    areas : by plane, what stands at its end
    rings : by plane, where its cutoff stands
    cross : by plane, of a point that has no line: x, y with their intervals, each low, value, high
    band : of the ROC curve, upper and lower side
    pr_band : of the precision-recall curve: recall, lowest and highest precision, None where there is none
    """

    letter: str
    colour: str
    dash: Any
    curves: Mapping[str, Points]
    areas: Mapping[str, float | None]
    rings: Mapping[str, tuple[float, float]]
    cross: Mapping[str, tuple[Ends, Ends]] = field(default_factory=dict)
    band: tuple[Points, Points] | None = None
    pr_band: tuple[Sequence[float], Sequence[float | None], Sequence[float | None]] | None = None
    faint: bool = False


Ends = tuple[float, float, float]
PLANES = {
    "roc": ("False-positive rate", "Recall", "ROC", "ROC AUC"),
    "pr": ("Recall", "Precision", "Precision-recall", "Avg precision"),
    "recall": ("Share flagged", "Recall", "Gain", "ROC AUC"),
    "lift": ("Share flagged", "Lift", "Lift", "ROC AUC"),
}  # x, y, title, what is named at a line's end


def curves(lines: Sequence[Line], planes: Sequence[str], prevalence: float, fewer: str) -> str:
    """Curves over each other on planes beside each other, the areas named at the right."""
    with mpl.rc_context(STYLE):
        fig = Figure(figsize=(7.6, 3.1))
        every = fig.subplots(1, len(planes), squeeze=False)[0]
        fig.subplots_adjust(left=0.065, right=0.87, wspace=0.5, bottom=0.15, top=0.92)
        for ax, plane in zip(every, planes, strict=True):
            _reference(ax, plane, prevalence)
            top = 1.0
            for line in sorted(lines, key=lambda one: not one.faint):
                if plane in line.curves:
                    x, y = line.curves[plane]
                    if line.band is not None and plane == "roc":
                        _band(ax, *line.band, line.colour)
                    if line.pr_band is not None and plane == "pr":
                        at, low, high = (np.array(values, dtype=float) for values in line.pr_band)
                        ax.fill_between(at, low, high, color=line.colour, alpha=0.1, lw=0)
                    ax.plot(x, y, color=RULE if line.faint else line.colour, lw=1 if line.faint else 1.4, ls=line.dash)
                    top = max(top, *y) if plane == "lift" else top
                if plane in line.rings:
                    ax.plot(*line.rings[plane], marker="o", ms=5, mfc="white", mec=line.colour, mew=1.4, ls="none")
                if plane in line.cross:
                    _cross(ax, line.cross[plane], line)
            x_title, y_title, title, end = PLANES[plane]
            _end_labels(ax, [line for line in lines if plane in line.curves], plane, end)
            ax.set(xlim=(0, 1), ylim=(0, 1.01 * top), xlabel=x_title, ylabel=y_title)
            ax.set_title(title, loc="left", fontsize=9.5, color=INK)
        titles = " and ".join(PLANES[plane][2] if plane == "roc" else PLANES[plane][2].lower() for plane in planes)
        return as_svg(fig, f"{titles[0].upper()}{titles[1:]} curves. {fewer}")


def _reference(ax: Axes, plane: str, prevalence: float) -> None:
    """What guessing gives."""
    if plane in ("roc", "recall"):
        ax.plot([0, 1], [0, 1], color=RULE, lw=1)
        return
    at = prevalence if plane == "pr" else 1.0
    ax.axhline(at, color=RULE, lw=1)
    if plane == "pr":
        ax.text(0.01, at + 0.015, f"base rate {shown(at)}", color=SOFT, fontsize=7.5)


def _band(ax: Axes, upper: Points, lower: Points, colour: str) -> None:
    """What lies between the sides: the upper is level from each rate to the next, the lower up to each."""
    every = np.unique(np.concatenate([upper[0], lower[0], [0.0, 1.0]]))
    up = np.searchsorted(upper[0], every, side="right") - 1
    down = np.minimum(np.searchsorted(lower[0], every, side="left"), len(lower[0]) - 1)
    high = np.where(up >= 0, np.asarray(upper[1])[np.maximum(up, 0)], 0.0)
    ax.fill_between(every, np.asarray(lower[1])[down], high, color=colour, alpha=0.1, lw=0, step="post")


def _cross(ax: Axes, ends: tuple[Ends, Ends], line: Line) -> None:
    """A point with both its intervals, and its letter."""
    (x_low, x, x_high), (y_low, y, y_high) = ends
    ax.errorbar(x, y, xerr=[[x - x_low], [x_high - x]], yerr=[[y - y_low], [y_high - y]], fmt="o", ms=4, mfc="white",
                mec=line.colour, ecolor=line.colour, elinewidth=1)  # fmt: skip
    ax.annotate(line.letter, (x, y), xytext=(4, -9), textcoords="offset points", fontsize=7.5, color=line.colour)


def _end_labels(ax: Axes, lines: Sequence[Line], plane: str, title: str) -> None:
    ranked = [(value, line) for line in lines if (value := line.areas.get(plane)) is not None]
    ax.text(1.03, 1.0, title, transform=ax.transAxes, fontsize=7.5, color=SOFT, va="center")
    ordered = sorted(ranked, key=lambda pair: -pair[0])
    fit = ordered if len(ordered) <= MOST_LABELS else ordered[: MOST_LABELS - 1]
    if len(fit) < len(ordered):
        ax.text(1.03, 0.92 - 0.085 * len(fit), f"and {len(ordered) - len(fit)} below these", transform=ax.transAxes,
                fontsize=7.5, color=SOFT, va="center")  # fmt: skip
    for i, (value, line) in enumerate(fit):
        y = 0.92 - 0.085 * i
        ax.text(1.03, y, f" {line.letter} ", transform=ax.transAxes, fontsize=7, color="white", va="center",
                fontweight="bold", bbox={"facecolor": line.colour, "edgecolor": "none", "pad": 1.6})  # fmt: skip
        ax.text(1.11, y, shown(value), transform=ax.transAxes, fontsize=8, color=INK, va="center")


def strips(chosen: list[tuple[Shown, Tally]], rooted: bool, bins: int = 60) -> str:
    """The mirrored score strips: positives up, negatives down, what the cutoff gets wrong in another colour.

    rooted : whether a bar is as tall as the square root of its share, and not as the share
    """
    with mpl.rc_context(STYLE):
        height = 1.25 * len(chosen) + 0.2
        fig = Figure(figsize=(7.6, height))
        axes = np.atleast_1d(fig.subplots(len(chosen), 1))
        fig.subplots_adjust(left=0.02, right=0.98, top=1 - 0.25 / height, bottom=0.25 / height, hspace=0.55)
        for ax, (c, t) in zip(axes, chosen, strict=True):
            _strip(ax, c, t, np.linspace(*_ends(t), bins + 1), rooted)
        return as_svg(fig, "Scores by actual class, positives up and negatives down, with the cutoff.")


MOST_PLANES, ACROSS = 6, 3
TINY = 1e-300


def reliability(chosen: list[Shown], happened: str, said: str, cut: str = "equal_mass", whole: bool = False) -> str:
    """Of the rows given a probability, how many were so: a plane a candidate, its scores beneath; the first six.

    cut : how bins are cut, "equal_mass" or "equal_width"
    whole : whether the band is where the true curve lies, and not where the fit would lie if the scores were true
    """
    drawn = chosen[:MOST_PLANES]
    across = min(ACROSS, len(drawn))
    down = -(-len(drawn) // across)
    with mpl.rc_context(STYLE):
        fig = Figure(figsize=(2.55 * across if across > 1 else 3.4, (3.2 if across > 1 else 4.1) * down))
        axes = fig.subplots(2 * down, across, squeeze=False, height_ratios=(4, 1) * down, sharex=True)
        fig.subplots_adjust(left=0.16 / across + 0.02, right=0.985, top=1 - 0.09 / down, bottom=0.12 / down, wspace=0.3)
        for i in range(down * across):
            above, below = axes[2 * (i // across), i % across], axes[2 * (i // across) + 1, i % across]
            if i < len(drawn):
                _plane(above, below, drawn[i], cut, whole)
            else:
                above.axis("off")
                below.axis("off")
        axes[0, 0].set_ylabel(f"share “{happened}”")
        return as_svg(fig, f"Observed share against the probability given. {said}")


def _plane(above: Axes, below: Axes, c: Shown, cut: str, whole: bool) -> None:
    found = c.part["calibration"]
    fit, bins = found["isotonic"], found["equal_width" if cut == "equal_width" else "equal_mass"]
    at = np.array(fit["runs"]["mean_score"])
    band = fit["confidence"] if whole else fit["consistency"]
    if band is not None:
        above.fill_between(at, band["low"], band["high"], color=RULE, alpha=0.55, lw=0)
    above.plot([0, 1], [0, 1], color=SOFT, lw=0.8)
    x = np.ravel(np.column_stack((fit["from"], fit["to"])))
    above.plot(x, np.repeat(fit["observed"], 2), color=c.colour, lw=1.3, drawstyle="steps-post")
    there = [i for i, m in enumerate(bins["mean_score"]) if m is not None]
    mean, seen, low, high = (np.array([bins[k][i] for i in there], dtype=float)
                             for k in ("mean_score", "observed", "low", "high"))  # fmt: skip
    above.errorbar(mean, seen, yerr=(seen - low, high - seen), fmt="o", ms=4, mfc="white", mec=c.colour, mew=1.2,
                   ecolor=c.colour, elinewidth=1)  # fmt: skip
    above.set(xlim=(0, 1), ylim=(0, 1), aspect="equal", anchor="S")
    above.set_title(f"{c.letter}  {c.name}", loc="left", fontsize=8.5, color=INK)
    even = found["equal_width"]
    rows = np.array(even["rows"], dtype=float)
    were = rows * np.array([o or 0.0 for o in even["observed"]])
    edges = np.array(even["low_edge"])
    width = 0.92 * (np.array(even["high_edge"]) - edges)
    for side, sign, colour in ((were, 1, c.colour), (rows - were, -1, PALE)):
        _bars(below, edges, width, sign * np.sqrt(side / max(1.0, side.max())), 0.0, colour)
    below.axhline(0, color=SOFT, lw=0.6)
    below.set_yticks([])
    below.spines["left"].set_visible(False)
    below.set_xlabel("probability given")


def _bars(ax: Axes, left: np.ndarray, width: float | np.ndarray, height: np.ndarray, base: float | np.ndarray,
          colour: str) -> None:  # fmt: skip
    """Bars of one colour, drawn as one path; those of no height are not drawn."""
    right, top = left + width, base + height
    ends = np.stack(np.broadcast_arrays(left, base, right, base, right, top, left, top), axis=-1)[height != 0]
    ax.add_patch(PathPatch(Path.make_compound_path_from_polys(ends.reshape(-1, 4, 2)), color=colour, lw=0))
    ax.autoscale_view()


def _ends(t: Tally) -> tuple[float, float]:
    """The ends of a strip's axis: 0 and 1 for what lies between them, else those of the scores."""
    low, high = float(t.score[0]), float(t.score[-1])
    if low >= 0 and high <= 1:
        return 0.0, 1.0
    return (low, high) if high > low else (low - 0.5, high + 0.5)


def _strip(ax: Axes, c: Shown, t: Tally, edges: np.ndarray, rooted: bool) -> None:
    cutoff = c.cutoff if c.cutoff is not None else float("inf")
    width = edges[1] - edges[0]
    at = np.clip(((t.score - edges[0]) / width).astype(int), 0, len(edges) - 2)
    flagged = t.score >= cutoff
    for counts, sign, right, colours in (
        (t.pos, 1, flagged, (c.colour, SCARLET)), (t.neg, -1, ~flagged, (PALE, OCHRE)),
    ):  # fmt: skip
        share = counts / max(counts.sum(), 1)
        good = np.bincount(at, weights=share * right, minlength=len(edges) - 1)
        bad = np.bincount(at, weights=share * ~right, minlength=len(edges) - 1)
        if rooted:  # of the whole bar; its parts stay in their proportion
            whole = np.sqrt(np.maximum(good + bad, TINY))
            good, bad = good / whole, bad / whole
        _bars(ax, edges[:-1], 0.88 * width, sign * good, 0.0, colours[0])
        _bars(ax, edges[:-1], 0.88 * width, sign * bad, sign * good, colours[1])
    ax.axhline(0, color=SOFT, lw=0.6)
    if np.isfinite(cutoff):
        ax.axvline(cutoff, color=INK, lw=1.4)
        top = 1.3 * ax.get_ylim()[1]  # with room above the bars for what is written there
        ax.set_ylim(top=top)
        far = (cutoff - edges[0]) / (edges[-1] - edges[0]) > 0.85
        ax.annotate(f"≥ {as_set(cutoff)}", (cutoff, top), (-5 if far else 5, -1), textcoords="offset points",
                    ha="right" if far else "left", color=INK, va="top", fontweight="bold", fontsize=8)  # fmt: skip
    ax.set_title(f"{c.letter}  {c.name}", loc="left", fontsize=8.5, color=INK, pad=3)
    ax.set_yticks([])
    ax.spines["left"].set_visible(False)
    ax.set_xlim(edges[0], edges[-1])


def trace(lines: Sequence[tuple[Shown, Sequence[tuple[float, float]]]], title: str) -> str:
    """A metric by cutoff, a line a candidate, with where each cutoff stands."""
    with mpl.rc_context(STYLE):
        fig = Figure(figsize=(7.6, 2.0))
        ax = fig.subplots()
        fig.subplots_adjust(left=0.065, right=0.98, bottom=0.2, top=0.9)
        for c, points in lines:
            at, value = [x for x, _ in points], [y for _, y in points]
            ax.plot(at, value, color=c.colour, lw=1.4, ls=DASHES[c.dash], label=c.letter)
            if c.cutoff is not None:
                ax.axvline(c.cutoff, color=c.colour, lw=0.8, ls=(0, (2, 2)))
                ax.annotate(
                    f"{c.letter} ≥ {as_set(c.cutoff)}", (c.cutoff, 1), (3, -9), xycoords=("data", "axes fraction"),
                    textcoords="offset points", fontsize=7.5, color=c.colour,
                )  # fmt: skip
        ax.set(ylabel=title, xlabel="Cutoff")
        return as_svg(fig, f"{title} by cutoff.")


def tints(shares: Sequence[Sequence[float | None]], down: Sequence[str], across: int, axes: str, title: str,
          right: Sequence[tuple[int, int]]) -> str:  # fmt: skip
    """A matrix that is too large for numbers: each cell tinted by its share, the right ones framed in ink.

    shares : as they stand, row by row; None where there are no rows
    down : names of the rows; those of the columns are the same and stand as numbers, but for no answer
    """
    rows, columns = len(down), across
    with mpl.rc_context(STYLE):
        side = min(0.3, 5.6 / max(rows, columns))
        fig = Figure(figsize=(7.6, rows * side + 0.45))
        ax = fig.subplots()
        height = rows * side + 0.45
        fig.subplots_adjust(left=1.75 / 7.6, right=(1.75 + columns * side) / 7.6, bottom=0.02, top=1 - 0.4 / height)
        for i, row in enumerate(shares):
            for j, share in enumerate(row):
                hit = (i, j) in right
                if share is None or (share <= 0 and not hit):
                    continue
                fill, depth = (PALE, share) if hit else (SCARLET, 0.12 + 0.88 * share)
                ax.add_artist(Rectangle((j, i), 1, 1, facecolor=fill, alpha=depth, lw=0))
                if hit:
                    ax.add_artist(Rectangle((j, i), 1, 1, facecolor="none", edgecolor=INK, lw=0.7))
        size = min(7.5, side * 72 * 0.62)
        names = [f"{k + 1} {name if len(name) <= 24 else name[:23] + '…'}" for k, name in enumerate(down)]
        ax.set(xlim=(0, columns), ylim=(rows, 0), xticks=np.arange(columns) + 0.5, yticks=np.arange(rows) + 0.5)
        ax.set_xticklabels([str(k + 1) for k in range(columns)], fontsize=size, rotation=90 if columns > 20 else 0)
        ax.set_yticklabels(names, fontsize=size)
        ax.xaxis.tick_top()
        ax.tick_params(length=0, pad=2)
        for edge in ("top", "right", "bottom", "left"):
            ax.spines[edge].set(visible=True, color=RULE)
        ax.annotate(axes, (-0.01, 1), (0, 5), xycoords="axes fraction", textcoords="offset points", ha="right",
                    fontsize=7.5, color=SOFT)  # fmt: skip
        return as_svg(fig, title)


def as_svg(fig: Figure, title: str) -> str:
    """A figure as SVG without styles or metadata, the same bytes each time."""
    out = io.StringIO()
    fig.savefig(out, format="svg", metadata={"Date": None, "Creator": None})
    ET.register_namespace("", _SVG)
    root = ET.fromstring(re.sub(r"<!DOCTYPE[^>]*>", "", out.getvalue()))
    for dead in [e for e in root if e.tag == f"{{{_SVG}}}metadata"]:
        root.remove(dead)
    for element in root.iter():
        _attributes(element)
    for defs in root.iter(f"{{{_SVG}}}defs"):
        for style in [e for e in defs if e.tag == f"{{{_SVG}}}style"]:
            defs.remove(style)
    root.attrib.pop("height", None)
    root.set("width", "100%")
    root.set("role", "img")
    root.set("aria-label", title)
    return ET.tostring(root, encoding="unicode")


def _attributes(element: ET.Element) -> None:
    """Style attributes become presentation attributes, which a strict content policy lets pass; what a mark is drawn
    from is named without a prefix, which a page of HTML would not know."""
    if _LINK in element.attrib:
        element.set("href", element.attrib.pop(_LINK))
    style = element.attrib.pop("style", "")
    for part in style.split(";"):
        name, _, value = part.partition(":")
        name, value = name.strip(), value.strip()
        if not name:
            continue
        if name == "font":
            _font(element, value)
        elif not name.startswith("-"):
            element.set(name, value)


def _font(element: ET.Element, shorthand: str) -> None:
    found = re.match(r"(?:(\d+|bold|normal)\s+)?([\d.]+px)\s+(.*)", shorthand)
    if found:
        if found[1]:
            element.set("font-weight", found[1])
        element.set("font-size", found[2])
        element.set("font-family", found[3].replace("'", "").replace('"', ""))
