"""What changed between two results, as a page that needs no network and no script."""

from __future__ import annotations

from typing import Any

import matplotlib as mpl
from markupsafe import Markup
from matplotlib.figure import Figure

from skarlo.core import Changes, Results

from .figures import INK, RULE, SOFT, STYLE, as_svg
from .render import content_policy, style_sheet, templates
from .scope import COLOURS


def to_page(changes: Changes, before: Results, after: Results) -> str:
    """Render changes, with the curves before and after over each other."""
    split = after["holdout"]["report_on"]
    earlier = {c["name"]: c for c in before["candidates"]}
    figures: dict[str, Markup] = {}
    for i, c in enumerate(after["candidates"]):
        was = earlier.get(c["name"])
        parts: list[Any] = [x["splits"].get(split, {}) for x in (was, c) if x is not None]
        if len(parts) == 2 and all("roc" in p and "pr" in p for p in parts) and parts[0] != parts[1]:
            figures[c["name"]] = Markup(overlaid(parts[0], parts[1], COLOURS[i % len(COLOURS)], c["name"]))
    return templates().get_template("changes.html.j2").render(
        c=changes, figures=figures, split=split, classes=after["holdout"]["classes"], css=Markup(style_sheet()),
        policy=content_policy(),
    )  # fmt: skip


def overlaid(before: Any, after: Any, colour: str, name: str) -> str:
    """ROC and precision-recall of one candidate, before dashed and grey under after."""
    with mpl.rc_context(STYLE):
        fig = Figure(figsize=(7.6, 3.1))
        axes = fig.subplots(1, 2)
        fig.subplots_adjust(left=0.065, right=0.98, wspace=0.3, bottom=0.15, top=0.9)
        for ax, kind, x, y, title in (
            (axes[0], "roc", "fpr", "tpr", "ROC"), (axes[1], "pr", "recall", "precision", "Precision-recall"),
        ):  # fmt: skip
            if kind == "roc":
                ax.plot([0, 1], [0, 1], color=RULE, lw=1)
            ax.plot(before[kind][x], before[kind][y], color=SOFT, lw=1.2, ls=(0, (3, 2)), label="before")
            ax.plot(after[kind][x], after[kind][y], color=colour, lw=1.5, label="after")
            ax.set(xlim=(0, 1), ylim=(0, 1.01), xlabel={"fpr": "False-positive rate", "recall": "Recall"}[x],
                   ylabel={"tpr": "Recall", "precision": "Precision"}[y])  # fmt: skip
            ax.set_title(title, loc="left", fontsize=9.5, color=INK)
            ax.legend(frameon=False, fontsize=8, loc="lower right" if kind == "roc" else "lower left")
        return as_svg(fig, f"Curves of {name}: before dashed, after drawn through.")
