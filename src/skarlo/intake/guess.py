"""What each column of a table probably is. Only ever a proposal: a person confirms it."""

from __future__ import annotations

from typing import Any

import polars as pl

from .read import as_number, as_text

FIRST = 5
# A column of numbers may hold a few stray words; intake then names the rows.
STRAY = 0.05
_NAMES = {
    "split": ("split", "fold", "part", "partition", "subset"),
    "truth": ("actual", "truth", "label", "target", "class", "outcome", "y", "y_true"),
    "score": ("score", "prob", "probability", "p", "p_yes", "proba"),
}


def describe(table: pl.DataFrame) -> list[dict[str, Any]]:
    """Each column's name, first values, distinct and empty values, the values if few, and whether they are numbers."""
    out = []
    for column in table.get_columns():
        text = as_text(column)
        distinct = text.filter(text != "").unique(maintain_order=True)
        numeric = len(distinct) > 0 and len(as_number(distinct)[1]) <= len(distinct) * STRAY
        out.append({
            "name": column.name, "first": text.head(FIRST).to_list(), "distinct": len(distinct),
            "empty": int((text == "").sum()), "values": sorted(distinct.to_list()) if len(distinct) <= 12 else [],
            "numeric": numeric,
        })  # fmt: skip
    return out


def guess(columns: list[dict[str, Any]], rows: int) -> dict[str, str | None]:
    """Likely columns for id, truth, split, score and label, each None where nothing speaks for one."""
    keys = [c["name"] for c in columns if c["distinct"] == rows and not c["empty"] and not _fraction(c)]
    named = [k for k in keys if k.lower() == "id" or k.lower().endswith(("_id", " id", "id"))]
    few = [c for c in columns if 2 <= c["distinct"] <= 12 and not c["empty"]]
    split = next((c["name"] for c in few if c["name"].lower() in _NAMES["split"]), None) or next(
        (c["name"] for c in few if "test" in [v.lower() for v in c["values"]]), None
    )
    key = (named or keys or [None])[0]
    rest = [c for c in few if c["name"] not in (split, key)]
    truth = next((c["name"] for c in rest if c["name"].lower() in _NAMES["truth"]), None)
    pairs = [c["name"] for c in rest if c["distinct"] == 2]
    scores = [c["name"] for c in columns if c["numeric"] and c["name"] not in keys]
    return {
        "id": key,
        "truth": truth or (pairs[-1] if pairs else None),
        "split": split,
        "score": scores[0] if scores else None,
        "label": None if scores else (rest[0]["name"] if rest else None),
    }


def _fraction(c: dict[str, Any]) -> bool:
    return c["numeric"] and any("." in value or "," in value for value in c["first"])
