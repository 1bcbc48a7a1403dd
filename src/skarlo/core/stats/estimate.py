"""A value apart from its interval, which is made when it is asked for, at any level."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..number import Metric, measured, point
from .intervals import Interval, z_value


@dataclass(frozen=True)
class Estimate:
    """A value, and how its interval is made.

    Attributes
    ----------
    value : the value
    ends : the ends of its interval by the normal quantile z; None where it has none
    kind : the name of the interval
    why : why there is no interval
    unreliable : whether so few rows stand behind it that the interval may say too much
    """

    value: float
    ends: Callable[[float], Interval] | None = None
    kind: str = ""
    why: str = ""
    unreliable: bool = False

    def metric(self, confidence: float) -> Metric:
        """As it stands in the results."""
        if self.ends is None:
            return point(self.value, self.why)
        found = measured(self.value, *self.ends(z_value(confidence)), self.kind)
        if self.unreliable:
            found["unreliable"] = True
        return found
