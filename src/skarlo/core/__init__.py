"""The arithmetic: arrays in, values out. No files, clock, database, web or globals."""

from __future__ import annotations

from .evaluate import VERSION, evaluate
from .explain import Explanation, explain, explain_path
from .prepared import Prepared, prepare
from .results import Results
from .shown import shown, with_interval
from .study import Candidate, Cutoff, Field, Settings, Study
from .tally import Tally
from .values import Difference, Finding, Metric

__all__ = [
    "VERSION",
    "Candidate",
    "Cutoff",
    "Difference",
    "Explanation",
    "Field",
    "Finding",
    "Metric",
    "Prepared",
    "Results",
    "Settings",
    "Study",
    "Tally",
    "evaluate",
    "explain",
    "explain_path",
    "prepare",
    "shown",
    "with_interval",
]
