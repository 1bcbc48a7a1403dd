"""About how many more rows would settle what these rows leave open, if the effect stays as it is.

A rough guide: intervals narrow with the square root of the rows, the shares of the classes stay as they are, and the
difference that was found, which is itself uncertain, is taken as true.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from ..metrics.definitions import METRICS
from ..number import MoreRows


class Standing(NamedTuple):
    """What there is now: rows, those of the negative and the positive class where there are two, and their labels."""

    rows: int
    actual: tuple[int, int] | None = None
    names: tuple[str, str] = ("", "")


def clearing(gap: float, half: float, at: Standing, metric: str) -> MoreRows | None:
    """Rows to add until an interval's near end clears a bound.

    Parameters
    ----------
    gap : distance of the value from the bound, above 0 where the value lies on the right side of it
    half : distance of the value from the interval's end that faces the bound
    at : the rows the interval rests on
    metric : which metric, for the class that matters

    Returns
    -------
    None where the bound is cleared already, or no number of rows would do it.

    Examples
    --------
    An interval twice as wide as the gap needs four times the rows, so three times as many more.

    >>> clearing(0.01, 0.02, Standing(1000, (900, 100), ("no", "yes")), "recall")
    {'rows': 3000, 'of': 'yes', 'of_rows': 300}
    """
    if gap <= 0 or half <= gap or at.rows <= 0:
        return None
    return _told(at.rows * ((half / gap) ** 2 - 1), at, metric)


def reaching(needed: int, found: float, at: Standing, metric: str) -> MoreRows | None:
    """Rows to add until a rate's denominator, now `found`, reaches the least that is read."""
    if found <= 0 or found >= needed:
        return None
    return _told(at.rows * (needed / found - 1), at, metric)


def _told(more: float, at: Standing, metric: str) -> MoreRows | None:
    if not math.isfinite(more) or more > 1e12:
        return None
    out: MoreRows = {"rows": rounded(more)}
    side = _side(metric, at.actual)
    if at.actual is not None and side is not None:
        out["of"], out["of_rows"] = at.names[side], rounded(more * at.actual[side] / at.rows)
    return out


def _side(metric: str, actual: tuple[int, int] | None) -> int | None:
    """Which of two classes the metric waits for."""
    waits = METRICS[metric].waits_for if metric in METRICS else ""
    if waits == "smaller":
        return None if actual is None else 1 if actual[1] <= actual[0] else 0
    return {"positive": 1, "negative": 0}.get(waits)


def rounded(x: float) -> int:
    """Up, to two digits: more would claim more than is known.

    Examples
    --------
    >>> rounded(3.2), rounded(1234.0), rounded(99.1)
    (4, 1300, 100)
    """
    n = math.ceil(x - 1e-9)
    step = 10 ** max(0, len(str(n)) - 2)
    return int(-(-n // step) * step)
