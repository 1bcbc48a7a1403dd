"""Published results without their rows, beside what was measured: never in a paired test, never in the lead."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..counting import table
from ..metrics import panel
from ..metrics.panel import Reading
from ..number import Metric, absent, point
from ..results import QuotedResult
from ..study import Quoted

ABSENT = absent("there is no such metric here")
ALONE = "it is quoted from a document without the rows behind it"


def told(q: Quoted, reading: Reading, candidates: Mapping[str, Mapping[str, Metric]]) -> QuotedResult:
    """A quoted result with its metrics; those of a whole matrix have intervals.

    Parameters
    ----------
    candidates : each candidate's metrics on the reported rows, by name
    """
    metrics = {name: point(value, ALONE) for name, value in q.metrics.items()}
    if q.matrix is not None:
        metrics = panel.of_table(table.of_cells(np.array(q.matrix, dtype=np.int64), len(reading.classes)), reading)
    return {
        "name": q.name,
        "source": q.source,
        "matrix": None if q.matrix is None else [list(row) for row in q.matrix],
        "metrics": metrics,
        "against": {name: _where(metrics, theirs) for name, theirs in candidates.items()},
    }


def _where(metrics: Mapping[str, Metric], measured: Mapping[str, Metric]) -> dict[str, str]:
    out = {}
    for name, m in metrics.items():
        theirs = measured.get(name, ABSENT)
        low, high = theirs.get("low"), theirs.get("high")
        if m["value"] is not None and low is not None and high is not None:
            out[name] = "below" if m["value"] < low else "above" if m["value"] > high else "inside"
    return out
