"""A field's values as conditions, slices and searches read them."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import polars as pl

from skarlo import core
from skarlo.core import BoolArray

from .fields import is_date
from .read import as_number, as_text


def kind_of(values: pl.Series) -> core.ConditionKind:
    """What a field is in a condition and in slices, from its values, or from each of them once. Text that is all
    numbers, or all dates, is meant as such."""
    if values.dtype.is_numeric():
        return "number"
    if values.dtype in (pl.Date, pl.Datetime):
        return "date"
    if values.dtype not in (pl.String, pl.Categorical):
        return "text"
    text = as_text(values)
    text = text.filter(text != "")
    if not len(text):
        return "text"
    if not as_number(text.head(100))[1] and not as_number(text)[1]:
        return "number"
    return "date" if is_date(text.head(100)) and is_date(text) else "text"


def values_of(values: pl.Series, kind: core.ConditionKind) -> core.ConditionValues:
    """The values along the rows: text as codes, numbers as they are, dates in seconds since 1970."""
    if kind == "text":
        return _coded(values)
    if kind == "number":
        return core.Numbers(as_number(values)[0])
    if values.dtype not in (pl.Date, pl.Datetime):
        values = values.cast(pl.String).str.to_datetime(strict=False, time_unit="us")
    seconds = values.cast(pl.Datetime("us")).dt.epoch("us") / 1e6
    return core.Numbers(seconds.cast(pl.Float64).fill_null(float("nan")).to_numpy())


def _coded(values: pl.Series) -> core.Texts:
    """Text by row as codes into the sorted texts; what is absent or empty has none."""
    text = as_text(values).set(values.is_null(), None)
    text = text.set(text == "", None)
    codes = text.rank("dense").cast(pl.Int64).fill_null(0) - 1
    return core.Texts(text.drop_nulls().unique().sort().to_list(), codes.to_numpy())


class Looked:
    """The fields of a hold-out along the rows of a study, each made ready when it is first asked for.

    table : the hold-out as it was read; kept : bool, which of its rows are in the study
    """

    def __init__(self, table: pl.DataFrame, kept: BoolArray) -> None:
        self.table, self.kept = table, kept
        self.kind: Callable[[str], core.ConditionKind] = lru_cache(maxsize=None)(self._kind)
        self.values: Callable[[str], core.ConditionValues] = lru_cache(maxsize=24)(self._values)

    def _kind(self, name: str) -> core.ConditionKind:
        return kind_of(self.table[name])

    def _values(self, name: str) -> core.ConditionValues:
        column = self.table[name]
        return values_of(column if self.kept.all() else column.filter(pl.Series(self.kept)), self.kind(name))
