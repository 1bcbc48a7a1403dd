"""The arithmetic: arrays in, values out. No files, clock, database, web or globals."""

from __future__ import annotations

from .evaluate import VERSION, Memo, evaluate
from .explain import Explanation, explain, explain_path
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
    "Memo",
    "Metric",
    "Results",
    "Settings",
    "Study",
    "Tally",
    "evaluate",
    "explain",
    "explain_path",
    "shown",
    "with_interval",
]
