"""The one shape of a result: a value with its interval and how both were made, or an absence with its reason.

The types here go unchanged from the arithmetic to the results file, the HTTP interface and the screens.
"""

from __future__ import annotations

import math
from typing import Any, Literal, NotRequired

import numpy as np
import numpy.typing as npt
from typing_extensions import TypedDict

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
BoolArray = npt.NDArray[np.bool_]


class Metric(TypedDict):
    """A number, or why there is none. `low` and `high` are the ends of the interval named in `interval`."""

    value: float | None
    low: NotRequired[float | None]
    high: NotRequired[float | None]
    interval: NotRequired[str]
    why: NotRequired[str]
    why_interval: NotRequired[str]
    thin: NotRequired[bool]
    unreliable: NotRequired[bool]
    approximate: NotRequired[bool]
    bias: NotRequired[float]
    expected_if_calibrated: NotRequired[float]
    p_calibrated: NotRequired[float]


class MoreRows(TypedDict):
    """About how many more rows would settle it, and of them how many of the class that matters (`of`)."""

    rows: int
    of: NotRequired[str]
    of_rows: NotRequired[int]


class Difference(TypedDict):
    """A difference (a minus b) with its interval and test, or why there is none. `interval` names the interval where
    it is not made by the test."""

    difference: float | None
    low: NotRequired[float | None]
    high: NotRequired[float | None]
    low_adjusted: NotRequired[float | None]
    high_adjusted: NotRequired[float | None]
    p: NotRequired[float | None]
    p_adjusted: NotRequired[float | None]
    test: NotRequired[str]
    interval: NotRequired[str]
    unreliable: NotRequired[bool]
    why: NotRequired[str]
    more_rows: NotRequired[MoreRows]
    approximate: NotRequired[bool]


class Finding(TypedDict):
    """Something noticed in the data or the results."""

    level: Literal["error", "warning", "note"]
    code: str
    message: str
    where: dict[str, Any]


def clean(x: float) -> float:
    """Return x as a plain float, with -0.0 written 0.0.

    Raises ValueError for NaN or infinity: a number that does not exist must be made with `absent`.
    """
    x = float(x)
    if not math.isfinite(x):
        raise ValueError(f"{x} is not a result; use absent() with the reason")
    return x + 0.0


def measured(value: float, low: float, high: float, interval: str) -> Metric:
    """A value with the interval [low, high] made by the named method."""
    return {"value": clean(value), "low": clean(low), "high": clean(high), "interval": interval}


def point(value: float, why_interval: str) -> Metric:
    """A value that has no interval, and why."""
    return {"value": clean(value), "low": None, "high": None, "why_interval": why_interval}


def absent(why: str) -> Metric:
    """A number that does not exist, and why."""
    return {"value": None, "why": why}


def bounded(value: float, low: float, high: float, lower: float, upper: float) -> tuple[float, float]:
    """Keep an interval around its value and inside [lower, upper]; rounding may push an end past either."""
    return max(lower, min(low, value)), min(upper, max(high, value))


def total(x: FloatArray) -> float:
    """Sum of a float array in its own order by pairwise summation: the only float sum used over rows."""
    return float(np.add.reduce(np.ascontiguousarray(x, dtype=np.float64)))
