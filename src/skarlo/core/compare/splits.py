"""A candidate on one split against itself on another: other rows, so two independent samples."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from ..counting.answers import Answers
from ..metrics.panel import Reading
from ..number import IntArray, Metric
from ..results import Drift
from ..stats.tests import family
from .rest import Part, against_rest

SHARED = "some groups have rows in both splits"


def gap(first: Answers, second: Answers, found: Mapping[str, Metric], reading: Reading) -> dict[str, Drift]:
    """Each metric on the first rows, `found` there, less that on the second ones, compared as a slice is with the rest.
    Without an interval where some group has rows in both."""
    sides = [Part(x, _all(x), x.table) for x in (first, second)]
    shared = first.group is not None and second.group is not None and np.intersect1d(first.group, second.group).size
    out: dict[str, Drift] = {}
    for name, compared in against_rest(sides[0], sides[1], found, reading).items():
        d = family([compared], reading.settings.confidence)[0]
        told: Drift = {"difference": d["difference"]}
        if d["difference"] is None:
            told["why"] = d.get("why", "")
        elif shared:
            told |= {"low": None, "high": None, "p": None, "why": SHARED}
        else:
            told |= {"low": d.get("low"), "high": d.get("high"), "p": d.get("p")}
        out[name] = told
    return out


def _all(a: Answers) -> Callable[[], IntArray]:
    return lambda: np.arange(len(a.actual))
