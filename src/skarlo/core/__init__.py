"""The arithmetic: arrays in, values out. No files, clock, database, web or globals."""

from __future__ import annotations

from .evaluate import VERSION, evaluate, holdout_of, with_choices
from .live import LiveTally, live_tally
from .paired import mcnemar_midp
from .prepared import Prepared, prepare
from .results import Results
from .shown import as_set, count, several, shown, with_interval
from .study import Candidate, Cutoff, Field, Settings, Study
from .tally import Tally
from .unfold import Unfolded, unfold, unfold_path
from .values import Difference, Finding, Metric

__all__ = [
    "VERSION",
    "Candidate",
    "Cutoff",
    "Difference",
    "Field",
    "Finding",
    "LiveTally",
    "Metric",
    "Prepared",
    "Results",
    "Settings",
    "Study",
    "Tally",
    "Unfolded",
    "as_set",
    "count",
    "evaluate",
    "holdout_of",
    "live_tally",
    "mcnemar_midp",
    "prepare",
    "several",
    "shown",
    "unfold",
    "unfold_path",
    "with_choices",
    "with_interval",
]
