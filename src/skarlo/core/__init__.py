"""The arithmetic: arrays in, values out. No files, clock, database, web or globals."""

from __future__ import annotations

from .changes import Changed, Changes, MetricChange, paired_changes
from .changes import compare as changes_between
from .compare import cases, places
from .compare.cuts import Cut, CutField, cut, parse_cut
from .compare.search_fields import SearchField
from .compare.search_fields import field_of as search_field
from .counting.table import row_shares
from .counting.tally import Tally
from .decide.gates import COUNTS as GATE_COUNTS
from .decide.recalibration import METHODS as RECALIBRATIONS
from .decide.recalibration import NotLearnedError, Repaired, repair
from .decide.rules import RULES, Rule
from .evaluation import Evaluation, evaluate
from .head import VERSION, ClassBalance, balance_of, environment, holdout_of, with_choices
from .language import formula
from .language.condition import Condition, ConditionError
from .language.condition import Names as ConditionNames
from .language.condition import parse as parse_condition
from .language.condition import quoted as as_literal
from .language.truth import Kind as ConditionKind
from .language.truth import Numbers, Texts, Truth
from .language.truth import Table as ConditionTable
from .language.truth import Values as ConditionValues
from .live import LiveTally, live_tally
from .metrics.definitions import HEADLINE, HEADLINE_MANY, METRICS
from .metrics.own import MEASURES
from .metrics.own import UNTESTED as UNTESTED_MEASURES
from .number import BoolArray, Difference, Finding, FloatArray, IntArray, Metric
from .once import lazy
from .parts import KINDS as PART_KINDS
from .parts import Part, put_together
from .prepared import Prepared, prepare, told_of
from .progress import Progress, Steps
from .results import (
    CandidateResult,
    Catch,
    CellsLess,
    ClassResult,
    Confirmed,
    CutoffResult,
    DisagreementResult,
    DoubtResult,
    Drift,
    Find,
    GateResult,
    GroupCutoffs,
    HoldoutResult,
    Lead,
    Results,
    SearchEntry,
    SliceResult,
    SplitResult,
    Stretch,
    WorstResult,
)
from .stats import association
from .stats.intervals import z_value
from .stats.tests import mcnemar_midp
from .study import (
    BASE_RATE,
    NAMED,
    Band,
    Candidate,
    Cutoff,
    CutoffStudy,
    DoubtStudy,
    Field,
    FieldsOf,
    Gate,
    GroupStudy,
    NamedCondition,
    OwnMetric,
    Quoted,
    RowIds,
    SearchStudy,
    Settings,
    Study,
    merged,
    only,
)
from .words.another import Another, another
from .words.findings import OF_CUTOFFS as CUTOFF_FINDINGS
from .words.findings import counted_rows, finding
from .words.telling import Unfolded, class_names, outcomes_of
from .words.unfold import gate_sentence, unfold, unfold_path
from .worst import LOSSES as WORST_LOSSES
from .worst import Asked as WorstAsked
from .worst import rates, worst
from .writing import as_set, count, letter, listed, named, p_shown, several, shown, with_interval

__all__ = [
    "BASE_RATE",
    "CUTOFF_FINDINGS",
    "GATE_COUNTS",
    "HEADLINE",
    "HEADLINE_MANY",
    "MEASURES",
    "METRICS",
    "NAMED",
    "PART_KINDS",
    "RECALIBRATIONS",
    "RULES",
    "UNTESTED_MEASURES",
    "VERSION",
    "WORST_LOSSES",
    "Another",
    "Band",
    "BoolArray",
    "Candidate",
    "CandidateResult",
    "Catch",
    "CellsLess",
    "Changed",
    "Changes",
    "ClassBalance",
    "ClassResult",
    "Condition",
    "ConditionError",
    "ConditionKind",
    "ConditionNames",
    "ConditionTable",
    "ConditionValues",
    "Confirmed",
    "Cut",
    "CutField",
    "Cutoff",
    "CutoffResult",
    "CutoffStudy",
    "Difference",
    "DisagreementResult",
    "DoubtResult",
    "DoubtStudy",
    "Drift",
    "Evaluation",
    "Field",
    "FieldsOf",
    "Find",
    "Finding",
    "FloatArray",
    "Gate",
    "GateResult",
    "GroupCutoffs",
    "GroupStudy",
    "HoldoutResult",
    "IntArray",
    "Lead",
    "LiveTally",
    "Metric",
    "MetricChange",
    "NamedCondition",
    "NotLearnedError",
    "Numbers",
    "OwnMetric",
    "Part",
    "Prepared",
    "Progress",
    "Quoted",
    "Repaired",
    "Results",
    "RowIds",
    "Rule",
    "SearchEntry",
    "SearchField",
    "SearchStudy",
    "Settings",
    "SliceResult",
    "SplitResult",
    "Steps",
    "Stretch",
    "Study",
    "Tally",
    "Texts",
    "Truth",
    "Unfolded",
    "WorstAsked",
    "WorstResult",
    "another",
    "as_literal",
    "as_set",
    "association",
    "balance_of",
    "cases",
    "changes_between",
    "class_names",
    "count",
    "counted_rows",
    "cut",
    "environment",
    "evaluate",
    "finding",
    "formula",
    "gate_sentence",
    "holdout_of",
    "lazy",
    "letter",
    "listed",
    "live_tally",
    "mcnemar_midp",
    "merged",
    "named",
    "only",
    "outcomes_of",
    "p_shown",
    "paired_changes",
    "parse_condition",
    "parse_cut",
    "places",
    "prepare",
    "put_together",
    "rates",
    "repair",
    "row_shares",
    "search_field",
    "several",
    "shown",
    "told_of",
    "unfold",
    "unfold_path",
    "with_choices",
    "with_interval",
    "worst",
    "z_value",
]
