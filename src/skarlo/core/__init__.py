"""The arithmetic: arrays in, values out. No files, clock, database, web or globals."""

from __future__ import annotations

from .changes import Changed, Changes, MetricChange, paired_changes
from .changes import compare as changes_between
from .counting.tally import Tally
from .decide.gates import COUNTS as GATE_COUNTS
from .decide.rules import PARAMETERS as RULE_PARAMETERS
from .evaluation import VERSION, environment, evaluate, holdout_of, with_choices
from .language import formula
from .live import LiveTally, live_tally
from .metrics.definitions import HEADLINE, HEADLINE_MANY, METRICS
from .metrics.own import MEASURES
from .metrics.own import UNTESTED as UNTESTED_MEASURES
from .number import BoolArray, Difference, Finding, FloatArray, IntArray, Metric
from .prepared import Prepared, prepare, told_of
from .progress import Progress, Steps
from .results import CandidateResult, ClassResult, GateResult, HoldoutResult, Lead, Results, SplitResult
from .stats import association
from .stats.tests import mcnemar_midp
from .study import Candidate, Cutoff, Field, Gate, OwnMetric, Quoted, Settings, Study
from .words.findings import OF_CUTOFFS as CUTOFF_FINDINGS
from .words.findings import counted_rows, finding
from .words.unfold import Unfolded, class_names, gate_sentence, outcomes_of, unfold, unfold_path
from .writing import as_set, count, listed, named, p_shown, several, shown, with_interval

__all__ = [
    "CUTOFF_FINDINGS",
    "GATE_COUNTS",
    "HEADLINE",
    "HEADLINE_MANY",
    "MEASURES",
    "METRICS",
    "RULE_PARAMETERS",
    "UNTESTED_MEASURES",
    "VERSION",
    "BoolArray",
    "Candidate",
    "CandidateResult",
    "Changed",
    "Changes",
    "ClassResult",
    "Cutoff",
    "Difference",
    "Field",
    "Finding",
    "FloatArray",
    "Gate",
    "GateResult",
    "HoldoutResult",
    "IntArray",
    "Lead",
    "LiveTally",
    "Metric",
    "MetricChange",
    "OwnMetric",
    "Prepared",
    "Progress",
    "Quoted",
    "Results",
    "Settings",
    "SplitResult",
    "Steps",
    "Study",
    "Tally",
    "Unfolded",
    "as_set",
    "association",
    "changes_between",
    "class_names",
    "count",
    "counted_rows",
    "environment",
    "evaluate",
    "finding",
    "formula",
    "gate_sentence",
    "holdout_of",
    "listed",
    "live_tally",
    "mcnemar_midp",
    "named",
    "outcomes_of",
    "p_shown",
    "paired_changes",
    "prepare",
    "several",
    "shown",
    "told_of",
    "unfold",
    "unfold_path",
    "with_choices",
    "with_interval",
]
