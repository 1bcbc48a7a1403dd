"""The data at a glance: what each field holds, and how strongly it alone tells the classes apart."""

from __future__ import annotations

from collections.abc import Callable
from typing import NotRequired

import numpy as np
import polars as pl
from typing_extensions import TypedDict

from skarlo.core import telling
from skarlo.core.values import FloatArray, IntArray

from .columns import in_order
from .read import as_number, as_text

MOST_BARS, MOST_VALUES = 20, 12
Progress = Callable[[int, int, str], None]


class Bar(TypedDict):
    """One bar of a field's small figure: a value or a stretch of numbers, with its rows by class."""

    label: str
    rows: list[int]
    low: NotRequired[float]
    high: NotRequired[float]


class FieldGlance(TypedDict):
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


def glance(
    table: pl.DataFrame, actual: IntArray, classes: int, positive: int | None, leave: set[str],
    progress: Progress | None = None,
) -> list[FieldGlance]:  # fmt: skip
    """Summarise the fields of a hold-out.

    Parameters
    ----------
    table : the hold-out
    actual : each row's class, int64, shape (n,)
    leave : columns that are no fields (id, actual class, split, weight)
    progress : told (done, of, name) before each field
    """
    names = [c for c in table.columns if c not in leave]
    out = []
    for i, name in enumerate(names):
        if progress is not None:
            progress(i, len(names), name)
        out.append(_field(table[name], actual, classes, positive))
    return out


def _field(column: pl.Series, actual: IntArray, classes: int, positive: int | None) -> FieldGlance:
    numbers: FloatArray | None = None
    if column.dtype.is_numeric():  # told from the numbers themselves: as text a million of them take long
        numbers = column.cast(pl.Float64).fill_null(float("nan")).to_numpy(writable=True)
        empty = ~np.isfinite(numbers)
        numbers[empty] = np.nan
        distinct = int(column.drop_nulls().drop_nans().n_unique() if column.dtype.is_float() else
                       column.drop_nulls().n_unique())  # fmt: skip
        text = as_text(column.head(1000))
    else:
        text = as_text(column)
        empty = (text == "").to_numpy()
        if not as_number(text.filter(text != "").head(200))[1]:  # numbers are told apart faster as such
            numbers, bad = as_number(text)
            numbers = None if len(bad) > int(empty.sum()) else numbers
        if numbers is not None:
            distinct = len(np.unique(numbers[~empty]))
        else:
            distinct = int(text.n_unique()) - (1 if empty.any() else 0)
    kind = _kind(column, text, distinct)
    if kind == "number" and numbers is None:
        kind = _words(distinct, len(column))
    out: FieldGlance = {
        "name": column.name, "kind": kind, "rows": len(column), "absent": int(empty.sum()), "distinct": distinct,
        "bits": 0.0, "share": 0.0, "area": None, "bars": [],
        "first": text.filter(text != "").head(1000).unique(maintain_order=True).head(5).to_list(),
    }  # fmt: skip
    if kind == "number" and numbers is not None:
        code, edges = telling.binned(numbers)
        found = telling.told(code, len(edges) + 2, actual, classes)
        out["bars"] = _number_bars(numbers, actual, classes)
        if positive is not None:
            out["area"] = telling.area(numbers, actual == positive)
    elif kind == "category":
        code, values = _codes(as_text(column))
        found = telling.told(code, len(values), actual, classes)
        out["bars"] = _value_bars(code, values, actual, classes)
    else:
        return out
    out["bits"], out["share"] = found.bits, found.share
    return out


def _kind(column: pl.Series, text: pl.Series, distinct: int) -> str:
    if distinct <= 1:
        return "constant"
    if column.dtype.is_numeric():
        return "number" if distinct > 2 else "category"
    if column.dtype in (pl.Date, pl.Datetime) or is_date(text):
        return "date"
    some = text.filter(text != "").head(200)
    numeric = distinct > 2 and not as_number(some)[1]
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


def _codes(text: pl.Series) -> tuple[IntArray, list[str]]:
    values = in_order([str(v) for v in text.unique().to_list()])
    return text.cast(pl.Enum(values)).to_physical().to_numpy().astype(np.int64), values


def _value_bars(code: IntArray, values: list[str], actual: IntArray, classes: int) -> list[Bar]:
    """The commonest values by rows, the others as one bar."""
    table = np.bincount(code * classes + actual, minlength=len(values) * classes).reshape(len(values), classes)
    order = sorted(range(len(values)), key=lambda i: (-int(table[i].sum()), i))
    bars: list[Bar] = [{"label": values[i], "rows": table[i].tolist()} for i in order[:MOST_VALUES]]
    if rest := order[MOST_VALUES:]:
        bars.append({"label": f"{len(rest)} others", "rows": table[rest].sum(axis=0).tolist()})
    return bars


def _number_bars(x: FloatArray, actual: IntArray, classes: int) -> list[Bar]:
    at = ~np.isnan(x)
    x, y = x[at], actual[at]
    low, high = float(x.min()), float(x.max())
    whole = bool((x == np.floor(x)).all()) and high - low < MOST_BARS
    edges = np.arange(low, high + 2) if whole else np.linspace(low, high, MOST_BARS + 1)
    code = np.clip(np.searchsorted(edges, x, side="right") - 1, 0, len(edges) - 2)
    table = np.bincount(code * classes + y, minlength=(len(edges) - 1) * classes).reshape(-1, classes)
    return [
        {"label": f"{edges[i]:g}" if whole else f"{edges[i]:.4g} to {edges[i + 1]:.4g}", "rows": rows.tolist(),
         "low": float(edges[i]), "high": float(edges[i + 1])}
        for i, rows in enumerate(table)
    ]  # fmt: skip
