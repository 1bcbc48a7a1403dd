"""The results file as a whole: the hold-out, each candidate on each split, gates, findings."""

from __future__ import annotations

from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict

from ..number import Difference, Finding, Metric, MoreRows
from .calibration import CalibrationResult, Recalibration
from .curves import AreasResult, Averaged, GainResult, NetBenefitResult, PrBand, PrResult, RocBand, RocResult
from .cutoffs import BandResult, Catch, CutoffResult, Drift, Optimism, Stretch, SweepResult, Withheld
from .groups import AlikeResult, ConditionResult, CutEdges, GroupsEntry, SliceResult
from .labels import DoubtResult
from .pairs import AcrossResult, CellsLess, DisagreementResult, Lead, PairResult
from .search import SearchEntry

Gives = Literal["scores", "classes", "probabilities", "baseline"]


class Outcomes(TypedDict):
    """Rows by outcome, one class read against the rest; with sampling weights, sums of these.

    `fn` and `tn` follow the actual class: `fn` are all positives that were not found, those without an answer among
    them, `tn` the negatives that were predicted negative. `unanswered_positive` and `unanswered_negative` are the rows
    without an answer of each, where these count as wrong; so tp + fn + fp + tn + unanswered_negative is all rows.
    """

    tp: float
    fp: float
    fn: float
    tn: float
    unanswered_positive: float
    unanswered_negative: float


class HoldoutResult(TypedDict):
    sha256: str | None
    rows: int
    classes: list[str]
    positive: str | None
    names: NotRequired[dict[str, str]]
    words: NotRequired[dict[str, str]]
    splits: dict[str, int]
    report_on: str
    tune_on: str | None
    picked_by: NotRequired[list[str]]


class SettingsResult(TypedDict):
    confidence: float
    seed: int
    draws: int
    bins: int
    min_slice: int
    min_denominator: int
    environment: dict[str, str]


class ShareGap(Metric):
    """A class's share of the answers less its share of the rows, over the rows with an answer, with a test that it is
    0, adjusted over the classes; and either share."""

    p: NotRequired[float | None]
    p_adjusted: NotRequired[float | None]
    predicted: NotRequired[Metric]
    actual: NotRequired[Metric]


class ClassResult(TypedDict, total=False):
    """One class against the rest."""

    actual_rows: int
    predicted_rows: int | None
    prevalence: Metric
    precision: Metric
    recall: Metric
    f1: Metric
    roc_auc: Metric
    average_precision: Metric
    share_gap: ShareGap
    roc: RocResult
    pr: PrResult
    gain: GainResult
    areas: AreasResult
    roc_band: RocBand
    pr_band: PrBand
    calibration: CalibrationResult
    sweep: SweepResult
    withheld: Withheld


class RestatedResult(TypedDict):
    """Numbers restated for an expected base rate."""

    base_rate: float
    metrics: dict[str, Metric]


class MergedResult(TypedDict):
    """The same answers, some classes taken together: the largest of the added probabilities, or the mapped class."""

    classes: list[str]
    rows: int
    matrix: list[list[float]] | None
    shares: NotRequired[list[list[float | None]]]
    metrics: dict[str, Metric]
    per_class: dict[str, ClassResult]
    averages: NotRequired[dict[str, dict[str, Metric]]]


class SplitResult(TypedDict):
    """One candidate on one split.

    `matrix`: rows actual, columns predicted, in class order; with rows without an answer counted wrong one more column,
    last. Null where no cutoff could be set. Where there is one, `shares` are each cell's of its actual class, and
    `errors` the rows off the diagonal. `outcomes` are given for two classes, where there is a matrix.
    """

    rows: int
    actual: dict[str, int]
    no_answer: int
    matrix: list[list[float]] | None
    shares: NotRequired[list[list[float | None]]]
    errors: NotRequired[float]
    outcomes: NotRequired[Outcomes]
    metrics: dict[str, Metric]
    per_class: NotRequired[dict[str, ClassResult]]
    averages: NotRequired[dict[str, dict[str, Metric]]]
    roc: NotRequired[RocResult]
    pr: NotRequired[PrResult]
    gain: NotRequired[GainResult]
    areas: NotRequired[AreasResult]
    averaged: NotRequired[dict[Literal["macro", "micro"], Averaged]]
    roc_band: NotRequired[RocBand]
    pr_band: NotRequired[PrBand]
    net_benefit: NotRequired[NetBenefitResult]
    calibration: NotRequired[CalibrationResult]
    at_expected_base_rate: NotRequired[RestatedResult | list[RestatedResult]]
    cost: NotRequired[Metric]
    sweep: NotRequired[SweepResult]
    risk_area: NotRequired[Metric]
    withheld: NotRequired[Withheld]
    stretch: NotRequired[Stretch]
    next_catch: NotRequired[Catch | None]
    last_catch: NotRequired[Catch | None]
    bands: NotRequired[list[BandResult]]
    cells: NotRequired[CellsLess]
    disagreement: NotRequired[DisagreementResult]
    alike: NotRequired[AlikeResult]
    across: NotRequired[AcrossResult]
    merged: NotRequired[MergedResult]
    gap: NotRequired[dict[str, Drift]]
    slices: NotRequired[list[SliceResult]]


class BaselineResult(TypedDict):
    """What needs no model: "always" one class, or the "base_rate" for every row."""

    kind: Literal["always", "base_rate"]
    label: NotRequired[str]


class CandidateResult(TypedDict):
    """`baseline` says which one it is, where `gives` is "baseline"."""

    name: str
    gives: Gives
    baseline: NotRequired[BaselineResult]
    sha256: str | None
    version: str | None
    made_with: dict[str, Any]
    runs_now: bool
    price_per_1000: NotRequired[float]
    latency_ms: NotRequired[float]
    score_is: NotRequired[str]
    cutoff: CutoffResult | None
    splits: dict[str, SplitResult]
    recalibration: NotRequired[Recalibration]
    drift: NotRequired[dict[str, Drift]]
    optimism: NotRequired[dict[str, Optimism]]


class GateResult(TypedDict):
    """A gate, and what came of it. `bound` is "least" where `read` must be at least `needed`, "most" where at most;
    `against` names the candidate of whose value the paired difference is taken."""

    text: str
    candidate: str
    by: dict[str, str] | None
    level: Literal["must", "should"]
    metric: str
    status: Literal["pass", "fail", "unclear"]
    value: float | None
    low: float | None
    high: float | None
    read: float | None
    needed: float
    rows: int
    denominator: float | None
    bound: Literal["least", "most"]
    against: str | None
    why: NotRequired[str]
    more_rows: NotRequired[MoreRows]


class OwnMetricResult(TypedDict):
    """A metric of the study's own, as it was asked for."""

    name: str
    better: Literal["higher", "lower", "neither"]
    formula: NotRequired[str]
    costs: NotRequired[dict[str, float]]
    measure: NotRequired[str]
    parameters: NotRequired[dict[str, Any]]


class QuotedResult(TypedDict):
    """A published result without its rows: its metrics, and where each of its values lies against each candidate's
    interval on the reported rows: "inside", "below" or "above"."""

    name: str
    source: str
    matrix: list[list[int]] | None
    metrics: dict[str, Metric]
    against: dict[str, dict[str, str]]


class Results(TypedDict):
    """Everything that was computed for a study: a function of its inputs alone."""

    format: str
    skarlo: str
    title: str
    holdout: HoldoutResult
    settings: SettingsResult
    own_metrics: NotRequired[list[OwnMetricResult]]
    candidates: list[CandidateResult]
    pairs: list[PairResult]
    best: dict[str, dict[str, Lead]]
    against_baseline: dict[str, dict[str, dict[str, dict[str, Difference]]]]
    quoted: NotRequired[list[QuotedResult]]
    cuts: NotRequired[dict[str, CutEdges]]
    conditions: NotRequired[dict[str, ConditionResult]]
    search: NotRequired[list[SearchEntry]]
    groups: NotRequired[list[GroupsEntry]]
    doubt: NotRequired[DoubtResult]
    findings: list[Finding]
    gates: list[GateResult]


FORMAT = "skarlo.results/1"
