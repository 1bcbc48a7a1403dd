"""How numbers are written for people. The page writes them by the same rules; one table of cases holds both to them.

Rounding is that of the exact value, half to even, and never onto a bound that was not met.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from .number import Metric

DASH = "—"
MOST = 15


def shown(value: float | None, bounds: tuple[float, ...] = (0.0, 1.0)) -> str:
    """Write a value to three digits after the point, or as many as keep it off a bound; from 1,000 on to none.

    Parameters
    ----------
    value : a finite number, or None for one that does not exist
    bounds : values that rounding must not reach unless the value is there (0, 1, a gate's threshold)

    Examples
    --------
    >>> shown(0.80512), shown(0.99987), shown(1.0), shown(None), shown(2194.6), shown(5 / 16)
    ('0.805', '0.9999', '1.000', '—', '2,195', '0.312')
    """
    if value is None:
        return DASH
    digits = 3 if abs(value) < 1000 else 0
    while digits < MOST and any(value != b and float(f"{value:.{digits}f}") == b for b in bounds):
        digits += 1
    if digits == MOST:  # nearer than arithmetic can tell: the bound, as it would be written
        digits = 3
    text = f"{value:,.{digits}f}"
    return text.replace("-", "−") if float(f"{value:.{digits}f}") != 0 else text.replace("-", "")


def as_set(value: float) -> str:
    """Write a number that someone set, a cutoff above all, whole: the shortest digits that are it and no other.

    Examples
    --------
    >>> as_set(0.2345), as_set(0.5), as_set(-3.0), as_set(1e-05)
    ('0.2345', '0.5', '−3', '0.00001')
    """
    text = repr(float(value) + 0.0)
    if 1e-6 <= abs(value) < 1e21:
        text = format(Decimal(text), "f")
    return text.removesuffix(".0").replace("e-0", "e-").replace("e+", "e").replace("-", "−")


def count(n: float) -> str:
    """Write a number of rows; a sum of sampling weights with one digit after the point.

    Examples
    --------
    >>> count(12345), count(1234.56), count(10.0)
    ('12,345', '1,234.6', '10')
    """
    return f"{n:,.0f}" if float(n).is_integer() else f"{n:,.1f}"


def several(n: float, noun: str, plural: str = "") -> str:
    """Write a number with its noun.

    Examples
    --------
    >>> several(1, "row"), several(1200, "row"), several(2, "category", "categories")
    ('1 row', '1,200 rows', '2 categories')
    """
    return f"{count(n)} {noun if n == 1 else plural or f'{noun}s'}"


MOST_NAMED = 3


def listed(items: Sequence[str]) -> str:
    """ "A, B and C".

    Examples
    --------
    >>> listed(["A", "B", "C"])
    'A, B and C'
    """
    return items[0] if len(items) == 1 else f"{', '.join(items[:-1])} and {items[-1]}"


def named(items: Sequence[str]) -> str:
    """The same with no more than three named, or four: "A, B, C and 9 others".

    Examples
    --------
    >>> named(list("ABCD")), named(list("ABCDE"))
    ('A, B, C and D', 'A, B, C and 2 others')
    """
    if len(items) <= MOST_NAMED + 1:
        return listed(items)
    return f"{', '.join(items[:MOST_NAMED])} and {len(items) - MOST_NAMED} others"


def p_shown(p: float) -> str:
    """A p-value as "p = 0.012" or "p < 0.001".

    Examples
    --------
    >>> p_shown(0.0123), p_shown(1e-9)
    ('p = 0.012', 'p < 0.001')
    """
    return "p < 0.001" if p < 0.001 else f"p = {shown(p, ())}"


def with_interval(m: Metric) -> str:
    """A value followed by its interval, as "0.805 (0.786 to 0.822)".

    Examples
    --------
    >>> with_interval({"value": 0.805, "low": 0.786, "high": 0.8222, "interval": "delong_logit"})
    '0.805 (0.786 to 0.822)'
    """
    low, high = m.get("low"), m.get("high")
    if m["value"] is None or low is None or high is None:
        return shown(m["value"])
    return f"{shown(m['value'])} ({shown(low)} to {shown(high)})"


def letter(position: int) -> str:
    """A, B, … for the first, second, … candidate.

    Examples
    --------
    >>> letter(1), letter(26), letter(27)
    ('A', 'Z', 'AA')
    """
    return chr(64 + position) if position <= 26 else letter((position - 1) // 26) + letter((position - 1) % 26 + 1)
