"""How a number is written for people: three decimals, but never rounded onto a bound that was not met."""

from __future__ import annotations

from .values import Metric

DASH = "—"
MOST = 15


def shown(value: float | None, bounds: tuple[float, ...] = (0.0, 1.0)) -> str:
    """Write a value.

    Parameters
    ----------
    value : a finite number, or None for one that does not exist
    bounds : values that rounding must not reach unless the value is there (0, 1, a gate's threshold)

    Examples
    --------
    >>> shown(0.80512), shown(0.99987), shown(1.0), shown(None), shown(2194.6)
    ('0.805', '0.9999', '1.000', '—', '2,195')
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


def p_shown(p: float) -> str:
    """A p-value as "p = 0.012" or "p < 0.001".

    Examples
    --------
    >>> p_shown(0.0123), p_shown(1e-9)
    ('p = 0.012', 'p < 0.001')
    """
    return "p < 0.001" if p < 0.001 else f"p = {shown(p, ())}"


def with_interval(m: Metric) -> str:
    """A value followed by its interval, as "0.805 (0.786–0.822)".

    Examples
    --------
    >>> with_interval({"value": 0.805, "low": 0.786, "high": 0.8222, "interval": "delong_logit"})
    '0.805 (0.786–0.822)'
    """
    low, high = m.get("low"), m.get("high")
    if m["value"] is None or low is None or high is None:
        return shown(m["value"])
    return f"{shown(m['value'])} ({shown(low)}–{shown(high)})"
