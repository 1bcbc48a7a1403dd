"""The data at a glance: what each field holds, and how strongly it alone tells the classes apart."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection
from concurrent.futures import ThreadPoolExecutor
from typing import NotRequired

import numpy as np
import polars as pl
from typing_extensions import TypedDict

from skarlo.core import FloatArray, IntArray, association

from .columns import codes_of, in_order
from .read import as_number, as_text

MOST_BARS, MOST_VALUES = 20, 12


class Bar(TypedDict):
    """One bar of a field's small figure: a value, so many `others` together, or a stretch of numbers, with its rows by
    class."""

    label: str
    rows: list[int]
    low: NotRequired[float]
    high: NotRequired[float]
    others: NotRequired[int]


class FieldSummary(TypedDict):
    """One field: its kind ("number", "category", "text", "date" or "constant"), gaps, values, and what it tells."""

    name: str
    kind: str
    rows: int
    absent: int
    distinct: int
    bits: float
    share: float
    area: float | None
    bars: list[Bar]
    first: list[str]


def summaries(
    table: pl.DataFrame, actual: IntArray, classes: int, positive: int | None, leave: Collection[str],
    step: Callable[[str], None] = lambda what: None,
) -> list[FieldSummary]:  # fmt: skip
    """Summarise the fields of a hold-out.

    Parameters
    ----------
    table : the hold-out
    actual : each row's class, int64, shape (n,)
    leave : columns that are not fields (id, actual class, split, weight)
    step : told of each field as it comes up
    """
    names = [c for c in table.columns if c not in leave]
    out = []
    with ThreadPoolExecutor(os.cpu_count()) as several:  # sorting and parsing let go of the interpreter
        fields = [several.submit(_field, table[name], actual, classes, positive) for name in names]
        try:
            for name, found in zip(names, fields, strict=True):
                step(f"looking at the field {name}")
                out.append(found.result())
        finally:
            several.shutdown(cancel_futures=True)
    return out


def _field(column: pl.Series, actual: IntArray, classes: int, positive: int | None) -> FieldSummary:
    numbers: FloatArray | None = None
    if column.dtype.is_numeric():  # told from the numbers themselves: as text a million of them take long
        numbers = column.cast(pl.Float64).fill_null(float("nan")).to_numpy(writable=True)
        empty = ~np.isfinite(numbers)
        numbers[empty] = np.nan
        text = as_text(column.head(1000))
    else:
        text = as_text(column)
        empty = (text == "").to_numpy()
        if not as_number(_some(text, 200))[1]:
            numbers, bad = as_number(text)
            numbers = None if len(bad) > int(empty.sum()) else numbers
    known = None if numbers is None else association.ordered(numbers, actual, classes)
    distinct = int(text.n_unique()) - bool(empty.any()) if known is None else known.distinct()
    kind = _kind(column, text, distinct)
    if kind == "number" and known is None:
        kind = _words(distinct, len(column))
    out: FieldSummary = {
        "name": column.name, "kind": kind, "rows": len(column), "absent": int(empty.sum()), "distinct": distinct,
        "bits": 0.0, "share": 0.0, "area": None, "bars": [],
        "first": _some(text, 1000).unique(maintain_order=True).head(5).to_list(),
    }  # fmt: skip
    if kind == "number" and known is not None:
        found = known.told()
        out["bars"] = _number_bars(known)
        if positive is not None:
            out["area"] = known.area(positive)
    elif kind == "category":
        values = in_order([str(v) for v in as_text(column).unique().to_list()])
        table = association.contingency(codes_of(as_text(column), values), len(values), actual, classes)
        found = association.told(table)
        out["bars"] = _value_bars(table, values)
    else:
        return out
    out["bits"], out["share"] = found.bits, found.share
    return out


def _some(text: pl.Series, n: int) -> pl.Series:
    """The first values that are there; mostly the first rows have them."""
    head = text.head(4 * n)
    found = head.filter(head != "")
    return (found if len(found) >= n else text.filter(text != "")).head(n)


def _kind(column: pl.Series, text: pl.Series, distinct: int) -> str:
    if distinct <= 1:
        return "constant"
    if column.dtype.is_numeric():
        return "number" if distinct > 2 else "category"
    if column.dtype in (pl.Date, pl.Datetime) or is_date(text):
        return "date"
    numeric = distinct > 2 and not as_number(_some(text, 200))[1]
    return "number" if numeric else _words(distinct, len(text))


def _words(distinct: int, rows: int) -> str:
    return "category" if distinct <= max(MOST_VALUES, min(200, rows // 20)) else "text"


_DATE = r"^\d{4}-\d{2}-\d{2}([T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?$"


def is_date(text: pl.Series) -> bool:
    """Whether every value that is there is a date or time as ISO 8601 writes it."""
    begins = text.head(1000)
    if not begins.filter(begins != "").head(50).str.contains(_DATE).all():
        return False
    some = text.filter(text != "")
    return bool(len(some)) and bool(some.str.contains(_DATE).all())


def _value_bars(table: IntArray, values: list[str]) -> list[Bar]:
    """The commonest values by rows, the others as one bar."""
    order = sorted(range(len(values)), key=lambda i: (-int(table[i].sum()), i))
    bars: list[Bar] = [{"label": values[i], "rows": table[i].tolist()} for i in order[:MOST_VALUES]]
    if rest := order[MOST_VALUES:]:
        others = table[rest].sum(axis=0).tolist()
        bars.append({"label": f"{len(rest)} others", "rows": others, "others": len(rest)})
    return bars


def _number_bars(known: association.Ordered) -> list[Bar]:
    low, high = float(known.whole[0]), float(known.whole[-1])
    whole = high - low < MOST_BARS and bool((known.whole == np.floor(known.whole)).all())
    edges = np.arange(low, high + 2) if whole else np.linspace(low, high, MOST_BARS + 1)
    table = known.between(edges[1:-1])  # the last bar holds its upper edge
    return [
        {"label": f"{edges[i]:g}" if whole else f"{edges[i]:.4g} to {edges[i + 1]:.4g}", "rows": rows.tolist(),
         "low": float(edges[i]), "high": float(edges[i + 1])}
        for i, rows in enumerate(table)
    ]  # fmt: skip
