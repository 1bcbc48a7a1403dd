"""Fields cut into groups to slice by: numbers at quantiles or chosen edges, dates by period, categories as they are;
absent values are a group of their own."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from typing import Any, Literal

import numpy as np

from ..language.condition import field_written, quoted
from ..language.truth import Kind, Numbers, Texts
from ..metrics.calibration import mass_edges
from ..number import BoolArray, FloatArray, IntArray
from ..study import Field
from ..writing import as_set

Days = np.ndarray[Any, np.dtype[np.datetime64]]
Period = Literal["year", "quarter", "month", "week", "day"]
PERIODS: tuple[Period, ...] = ("year", "quarter", "month", "week", "day")
EACH = 12  # distinct numbers up to which each is a group
ABSENT = ""


@dataclass(frozen=True)
class Cut:
    """How a field is cut: a number at so many quantiles or at edges, a date by a period. Left out: numbers at each of
    their values where at most 12 are distinct, else at quarters; dates by month."""

    quantiles: int | None = None
    edges: tuple[float, ...] = ()
    by: Period | None = None

    def __post_init__(self) -> None:
        if self.quantiles is not None and not 2 <= self.quantiles <= 100:
            raise ValueError("quantiles are 2 to 100")
        if any(b <= a for a, b in zip(self.edges, self.edges[1:], strict=False)):
            raise ValueError("edges stand in rising order, each once")
        if sum(x is not None and x != () for x in (self.quantiles, self.edges, self.by)) > 1:
            raise ValueError("a field is cut in one way: quantiles, edges, or by a period")


@dataclass(frozen=True)
class CutField:
    """A field as it was cut, with the finite edges between its groups; none where each value is a group."""

    field: Field
    edges: tuple[float, ...] = ()


def parse_cut(text: str) -> Cut:
    """Read a cut as an address says it: "4" quantiles, "10|20|30" edges, or a period.

    Raises
    ------
    ValueError
        Where it is none of these, with a message that says what is expected.

    Examples
    --------
    >>> parse_cut("10|20|30").edges
    (10.0, 20.0, 30.0)
    """
    if text in PERIODS:
        return Cut(by=text)
    if re.fullmatch(r"\d{1,3}", text):
        return Cut(quantiles=int(text))
    try:
        edges = tuple(float(x) for x in text.split("|") if x)
    except ValueError:
        edges = ()
    if not edges or not np.isfinite(edges).all():
        raise ValueError(f"“{text}” cuts no field: 4 (quantiles), 10|20|30 (edges), or {', '.join(PERIODS)}")
    return Cut(edges=edges)


def cut(name: str, values: Numbers | Texts, kind: Kind, inside: BoolArray, how: Cut | None = None) -> CutField:
    """Cut a field.

    Parameters
    ----------
    name : the field's
    values : of each row, shape (n,); dates in seconds since 1970
    inside : bool, shape (n,); the rows whose quantiles are taken, those of the split reported on
    how : see `Cut`

    Raises
    ------
    ValueError
        Where such a field cannot be cut so.

    Examples
    --------
    >>> girth = Numbers(np.array([10.0, 35.0, 60.0, np.nan]))
    >>> cut("girth", girth, "number", np.ones(4, dtype=bool), Cut(edges=(30, 50))).field.values
    ('', '< 30', '[30, 50)', '>= 50')
    """
    how = how or Cut()
    if isinstance(values, Texts):
        if how != Cut():
            raise ValueError(f"{name} holds text, whose values are its groups")
        names = [str(x) for x in values.categories]
        return _grouped(name, names, values.codes, [f"{{}} = {quoted(x)}" for x in names])
    if kind == "date":
        if how.quantiles is not None or how.edges:
            raise ValueError(f"{name} holds dates: cut them by {', '.join(PERIODS)}")
        return _by_period(name, values.values, how.by or "month")
    if how.by is not None:
        raise ValueError(f"{name} holds numbers: cut them at quantiles or edges")
    return _numbers(name, values.values, inside, how)


def _numbers(name: str, x: FloatArray, inside: BoolArray, how: Cut) -> CutField:
    there = ~np.isnan(x)
    if how.edges:
        edges = np.array(how.edges)
        codes = np.searchsorted(edges, x, side="right")
        told = [_written(e) for e in how.edges]
        pairs = list(pairwise(told))
        return _grouped(
            name, [f"< {told[0]}", *(f"[{a}, {b})" for a, b in pairs), f">= {told[-1]}"], np.where(there, codes, -1),
            [f"{{}} < {told[0]}", *(f"{{0}} >= {a} and {{0}} < {b}" for a, b in pairs), f"{{}} >= {told[-1]}"],
            how.edges,
        )  # fmt: skip
    distinct = np.unique(x[there])
    if how.quantiles is None and len(distinct) <= EACH:
        codes = np.searchsorted(distinct, x)
        told = [_written(v) for v in distinct.tolist()]
        return _grouped(name, told, np.where(there, codes, -1), [f"{{}} = {v}" for v in told])
    values, rows = np.unique(x[there & inside], return_counts=True)
    if not len(values):
        return _grouped(name, ["all"], np.where(there, 0, -1), ["not {} is absent"])
    at = mass_edges((rows.astype(np.int64),), how.quantiles or 4)[1:-1]
    edges = values[at - 1]  # each belongs to the group below it
    told = [_written(e) for e in edges.tolist()]
    if not told:
        return _grouped(name, ["all"], np.where(there, 0, -1), ["not {} is absent"])
    pairs = list(pairwise(told))
    codes = np.searchsorted(edges, x, side="left")
    return _grouped(
        name, [f"<= {told[0]}", *(f"> {a}, <= {b}" for a, b in pairs), f"> {told[-1]}"], np.where(there, codes, -1),
        [f"{{}} <= {told[0]}", *(f"{{0}} > {a} and {{0}} <= {b}" for a, b in pairs), f"{{}} > {told[-1]}"],
        tuple(edges.tolist()),
    )  # fmt: skip


_STARTS: dict[Period, str] = {"year": "Y", "month": "M", "quarter": "M", "week": "D", "day": "D"}


def _by_period(name: str, seconds: FloatArray, by: Period) -> CutField:
    there = ~np.isnan(seconds)
    days = np.floor(seconds[there] / 86400).astype(np.int64).astype("datetime64[D]")
    starts, codes = np.unique(_start(days, by), return_inverse=True)
    where = np.full(len(seconds), -1, dtype=np.int64)
    where[there] = codes
    names, said = [], []
    for start in starts:
        first: date = start.astype("datetime64[D]").item()
        names.append(_NAMES[by](first))
        said.append(f'{{0}} >= "{first}" and {{0}} < "{_next(start, by)}"')
    return _grouped(name, names, where, said)


def _start(days: Days, by: Period) -> Days:
    """The first day of the period that each day lies in."""
    if by == "week":  # of which Monday is the first day; day 0 was a Thursday
        return days - (days.astype(np.int64) + 3) % 7
    if by == "quarter":
        months = days.astype("datetime64[M]")
        return (months - months.astype(np.int64) % 3).astype("datetime64[D]")
    return days.astype(f"datetime64[{_STARTS[by]}]").astype("datetime64[D]")


def _next(start: np.datetime64, by: Period) -> np.datetime64:
    """The first day of the period after."""
    if by in ("week", "day"):
        return start + np.timedelta64(7 if by == "week" else 1, "D")
    months = {"year": 12, "quarter": 3, "month": 1}[by]
    after: np.datetime64 = (start.astype("datetime64[M]") + months).astype("datetime64[D]")
    return after


_NAMES: dict[Period, Callable[[date], str]] = {
    "year": lambda d: f"{d.year:04}",
    "quarter": lambda d: f"{d.year:04} Q{(d.month + 2) // 3}",
    "month": lambda d: f"{d.year:04}-{d.month:02}",
    "week": lambda d: "{:04}-W{:02}".format(*d.isocalendar()[:2]),
    "day": lambda d: d.isoformat(),
}


def _grouped(name: str, names: list[str], codes: IntArray, said: list[str], edges: tuple[float, ...] = ()) -> CutField:
    """Groups in order; before them those without a value, where there are any."""
    codes = np.asarray(codes, dtype=np.int64)
    own = field_written(name)
    if (codes < 0).any():
        names, said, codes = [ABSENT, *names], ["{} is absent", *said], codes + 1
    return CutField(Field(name, tuple(names), codes, tuple(_said(one, own) for one in said)), edges)


def _said(template: str, name: str) -> str:
    return template.replace("{0}", name).replace("{}", name)


def _written(x: float) -> str:
    """A number in the name of a group, as a keyboard writes it."""
    return as_set(x).replace("−", "-")
