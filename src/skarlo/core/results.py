"""The shape of the results file. These types are its schema, in JSON and in the front end alike."""

from __future__ import annotations

from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict

from .number import Difference, Finding, Metric, MoreRows

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


class SettingsResult(TypedDict):
    confidence: float
    seed: int
    draws: int
    bins: int
    min_slice: int
    min_denominator: int
    environment: dict[str, str]


class CutoffResult(TypedDict):
    """`rule` is "fixed" for a cutoff set in advance, "by hand" for one set while looking at the rows of `chosen_on`, or
    the rule that chose it there, with its parameters. `flags` is "nothing" where a rule flags nothing; `why` says why
    no cutoff satisfies the rule."""

    value: float | None
    flags: NotRequired[str]
    rule: str
    parameters: NotRequired[dict[str, float]]
    chosen_on: str | None
    why: NotRequired[str]


class RocResult(TypedDict):
    fpr: list[float]
    tpr: list[float]
    cutoff: list[float | None]


class PrResult(TypedDict):
    recall: list[float]
    precision: list[float]
    cutoff: list[float]


class AreasResult(TypedDict):
    """Areas by other methods: of precision-recall by straight lines (too high), and of ROC up to a false-positive rate,
    over that rate."""

    average_precision_trapezoid: float
    partial_area: NotRequired[Metric]


class Averaged(TypedDict):
    """ROC and precision-recall of several classes in one curve; a plain mean is at no cutoff."""

    roc: dict[str, list[float | None]]
    pr: dict[str, list[float | None]]


class GainResult(TypedDict):
    """Recall and lift (recall over the share flagged) as more rows are flagged."""

    flagged_share: list[float]
    recall: list[float]
    lift: list[float | None]
    cutoff: list[float | None]


class NetBenefitResult(TypedDict):
    """Net benefit by threshold probability, with that of acting on every row; acting on none is 0."""

    threshold: list[float]
    net_benefit: list[float]
    low: list[float]
    high: list[float]
    all: list[float]


class Recalibrated(TypedDict, total=False):
    """One recalibration: what was learned, its metrics, its losses less those as they came; or why there is none."""

    learned: dict[str, float]
    metrics: dict[str, Metric]
    change: dict[str, Difference]
    why: str


class Recalibration(TypedDict):
    """What simple recalibrations learned on one split do on another."""

    learned_on: str | None
    judged_on: str
    methods: NotRequired[dict[str, Recalibrated]]
    why: NotRequired[str]


class CalibrationBins(TypedDict):
    """Bins of a reliability diagram. `consistency_*`: where the observed share would lie if the scores were true."""

    low_edge: list[float]
    high_edge: list[float]
    rows: list[int]
    mean_score: list[float | None]
    observed: list[float | None]
    low: list[float | None]
    high: list[float | None]
    consistency_low: list[float | None]
    consistency_high: list[float | None]


class RocSide(TypedDict):
    fpr: list[float]
    tpr: list[float]


class RocBand(TypedDict):
    """What a ROC curve may be at each cutoff: level from each rate of `upper` to the next, up to each of `lower`."""

    upper: RocSide
    lower: RocSide


class PrBand(TypedDict):
    """What precision may be at each of evenly spaced recalls; null where no cutoff's box holds that recall."""

    recall: list[float]
    low: list[float | None]
    high: list[float | None]


class Band(TypedDict):
    low: list[float]
    high: list[float]


# In blocks of one observed share. `runs` are where the bands stand; `consistency`: where the fit would lie if the
# scores were true, point by point; `confidence`: where the true curve lies, all of it at once, null with weights.
IsotonicFit = TypedDict("IsotonicFit", {
    "from": list[float], "to": list[float], "observed": list[float], "runs": dict[str, list[float]],
    "consistency": Band, "confidence": Band | None,
})  # fmt: skip


class InTheLarge(Metric):
    """Mean score less the share that happened, with a test that it is 0."""

    p: float | None


class Spiegelhalter(TypedDict):
    z: float | None
    p: float | None
    why: NotRequired[str]


class CalibrationResult(TypedDict):
    """Scores as probabilities against what happened. The Brier score is miscalibration less discrimination plus
    uncertainty, exactly."""

    equal_width: CalibrationBins
    equal_mass: CalibrationBins
    isotonic: IsotonicFit
    brier: Metric
    parts: dict[str, float]
    in_the_large: InTheLarge
    spiegelhalter: Spiegelhalter


class Ends(TypedDict):
    """Values one after the other, with their intervals; None where one is not defined."""

    value: list[float | None]
    low: list[float | None]
    high: list[float | None]


# The cutoffs, and at each every metric of counts; of three classes and more what is answered there.
SweepResult = dict[str, list[float] | Ends]


class Withheld(TypedDict):
    """What is left of the answers where those given with less probability are withheld."""

    least: float
    metrics: dict[str, Metric]


class ShareGap(Metric):
    """A class's share of the answers less its share of the rows, over the rows with an answer, with a test that it is
    0, adjusted over the classes; and either share."""

    p: NotRequired[float | None]
    p_adjusted: NotRequired[float | None]
    predicted: NotRequired[Metric]
    actual: NotRequired[Metric]


class CellsLess(TypedDict):
    """One candidate's matrix less another's, on the rows of both: of each cell the counts, and the shares of the actual
    class with their adjusted intervals. Null where a class has no rows."""

    against: str
    rows: int
    counts: list[list[float]]
    difference: list[list[float | None]]
    low: list[list[float | None]]
    high: list[list[float | None]]
    p_adjusted: list[list[float | None]]


class GroupValue(TypedDict):
    """A number of a group, with its interval."""

    value: float
    low: float
    high: float


class AgainstGroup(TypedDict):
    """Each group less one of them, adjusted over the groups."""

    group: str
    groups: dict[str, Difference]


class Criterion(TypedDict):
    """One criterion over some groups: each one's number, and the largest gap with an interval that holds for all pairs
    at once, its p, and between which two it lies; `thin` rest on too few rows for it."""

    values: dict[str, GroupValue]
    gap: float | None
    low: NotRequired[float]
    high: NotRequired[float]
    p: NotRequired[float]
    largest: NotRequired[str]
    smallest: NotRequired[str]
    ratio: NotRequired[float | None]
    against: NotRequired[AgainstGroup]
    thin: NotRequired[list[str]]
    why: NotRequired[str]


class GroupCutoff(TypedDict):
    """A group's cutoff; null where it flags nothing."""

    value: float | None
    flags: NotRequired[Literal["nothing"]]


class MetricsOf(TypedDict):
    """Metrics of some rows."""

    metrics: dict[str, Metric]


class GroupsRead(TypedDict):
    """Metrics of the reported rows and of each group of them, and how alike the groups are treated."""

    metrics: dict[str, Metric]
    by_group: dict[str, MetricsOf]
    criteria: dict[str, Criterion]


class GroupsChanged(TypedDict):
    """How many rows get another answer, by group and actual class."""

    rows: int
    by_group: dict[str, dict[str, int]]


class GroupCutoffs(TypedDict):
    """Cutoffs for groups, learned on the tuning rows: total cost and gap there, and whether the gap is as small as was
    asked; groups that kept the one cutoff. `optimism`: what the cost a row, and the gap, owe to being chosen on those
    rows. What they change on the reported rows: `change` is after less before."""

    rule: Literal["recall", "fpr", "flagged_share", "precision", "least_cost"]
    by_group: dict[str, GroupCutoff]
    cost: float | None
    gap_reached: float | None
    fits: bool
    kept_the_one: list[str]
    optimism: NotRequired[dict[str, Optimism]]
    learned_on: NotRequired[str]
    before: NotRequired[GroupsRead]
    after: NotRequired[GroupsRead]
    change: NotRequired[dict[str, Difference]]
    changed: NotRequired[GroupsChanged]


class AlikeResult(TypedDict):
    """Whether the groups of a field are treated alike. `small` have too few rows and are left out of every gap;
    `not_all_at_once` what equal precision and recall would force the false-positive rates to be."""

    groups: dict[str, int]
    small: list[str]
    criteria: dict[str, Criterion]
    not_all_at_once: dict[str, object] | None
    cutoffs: NotRequired[GroupCutoffs]


class OnlyShare(Metric):
    """Of the rows that one of two alone is right about, the share of the first, with McNemar's mid-p."""

    p: NotRequired[float]


class DisagreementOfClass(TypedDict):
    """Of the rows of a class how often both, one or neither of two candidates are right."""

    both_right: int
    only_a: int
    only_b: int
    both_wrong_alike: int
    both_wrong_otherwise: int
    no_answer: int
    only_a_share: OnlyShare


class ScorePoints(TypedDict):
    """Both scores of some of the rows, evenly through the split, with their classes; of so many rows."""

    a: list[float]
    b: list[float]
    actual: list[int]
    of: int


class EqualFlags(TypedDict):
    """The lowest cutoff of a second candidate at which it flags no more rows (sums of weights) than the first, and how
    many either flags then; no cutoff where it would have to flag nothing."""

    cutoff: float | None
    flags: float
    first: float


class DisagreementResult(TypedDict):
    """Two candidates on the rows of both, told of the first: who is right where they differ; of two classes, where the
    second gives scores, its cutoff at equal flags."""

    against: str
    rows: int
    by_class: dict[str, DisagreementOfClass]
    only_a: int
    only_b: int
    only_a_share: OnlyShare
    kappa: Metric
    spearman: NotRequired[Metric]
    points: NotRequired[ScorePoints]
    equal_flags: NotRequired[EqualFlags]


class LabelEnds(TypedDict):
    """Two ends."""

    low: float
    high: float


class Effect(TypedDict):
    """A slice less the other rows, with its one-sided p, adjusted for every slice that was looked at."""

    difference: float
    low: float
    high: float
    p: float
    p_bh: NotRequired[float]


class Confirmed(TypedDict):
    """The same slice on the rows that were not searched: adjusted by Holm over the finds that are large enough."""

    status: str
    rows: int
    denominator: int
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    p_holm: float | None


class Folded(TypedDict):
    """Slices that say the same of nearly the same rows."""

    count: int
    list: list[str]


class Find(TypedDict):
    """A slice that was found: the condition that is true of its rows, which is all of `conditions`, and the part of
    each of its fields."""

    condition: str
    conditions: list[str]
    by: dict[str, str]
    rows: int
    denominator: int
    effect: Effect
    folded: NotRequired[Folded]
    sharper: NotRequired[list[str]]
    confirmed: Confirmed


class WorstResult(TypedDict):
    """What a search came to. `searched_on` and `read_on` are splits, or the halves of the reported rows."""

    candidate: str
    measure: str
    looked_at: int
    searched_on: str
    read_on: str
    halved: bool
    approximate: bool
    found: list[Find]
    below: list[Find]


class SearchEntry(TypedDict):
    """What a search that the study asks for came to for a candidate; with why where it could not be made."""

    candidate: str
    metric: NotRequired[str]
    loss: NotRequired[str]
    looked_at: int
    searched_on: NotRequired[str]
    read_on: NotRequired[str]
    halved: NotRequired[bool]
    approximate: NotRequired[bool]
    found: list[Find]
    below: NotRequired[list[Find]]
    why: NotRequired[str]


class GroupsEntry(TypedDict):
    """Whether a candidate treats the groups of a field, or of two, alike, as the study asks for."""

    candidate: str
    by: list[str]
    groups: dict[str, int]
    small: list[str]
    criteria: dict[str, Criterion]
    not_all_at_once: dict[str, object] | None
    cutoffs: NotRequired[GroupCutoffs]


class CutEdges(TypedDict):
    """The finite edges between the groups of a field."""

    edges: list[float]


class TrueOf(TypedDict):
    """How many rows a condition is true of, and of how many it cannot be told."""

    rows: int
    unknown_rows: int


class TrueOfSplits(TypedDict):
    """The same by split."""

    splits: dict[str, TrueOf]


class ConditionResult(TypedDict):
    """A named condition, as it is written; by candidate where it reads answers. `kept` says since when its rows stay
    the same ones, of which so many are `gone`."""

    condition: str
    splits: NotRequired[dict[str, TrueOf]]
    candidates: NotRequired[dict[str, TrueOfSplits]]
    kept: NotRequired[str]
    gone: NotRequired[int]


class LabelBound(TypedDict):
    """A metric, and how far it could move if some labels are wrong; `about`: at least so far.

    `labels_and_chance` is the low end of the interval at the lower bound and the high end at the upper.
    """

    value: float
    low: float
    high: float
    labels_and_chance: NotRequired[LabelEnds]
    about: NotRequired[bool]


class Evidence(TypedDict):
    """By how much likelier the judges take another class to be: the mean logarithm over them, and as so many times."""

    mean: float
    times: float


class DoubtedRow(TypedDict):
    """A row whose label is doubted: its id, or its place in the hold-out where there is none; its label, and the class
    that the judges take it for."""

    id: str
    row: int
    label: str
    other: str
    evidence: Evidence


class LabelLead(TypedDict):
    """Who leads on a metric, how few labels would have to be wrong for another to lead (null with why), and of each
    candidate the best and the worst rank it could have."""

    leader: str
    flips_to_change: int | None
    why: NotRequired[str]
    ranks: dict[str, list[int]]


class DoubtResult(TypedDict):
    """Labels of the reported rows that are doubted, and what would follow if at most so many of these are wrong.

    `judges` are the candidates that speak, `not_judges` the others with why; `doubted` counts the rows that may be
    wrong, which are those listed or those marked; `beyond` how many more are listed than would be with every label
    right, at least 1.
    """

    judges: list[str]
    not_judges: dict[str, str]
    recalibrated_on: str
    listed: list[DoubtedRow]
    expected_if_right: float
    beyond: int
    power: float
    of: Literal["listed", "marked"]
    doubted: int
    at_most: int
    how: Literal["flipped", "dropped"]
    candidates: dict[str, dict[str, LabelBound]]
    left_out: dict[str, str]
    lead: dict[str, LabelLead]


class AcrossSlice(TypedDict):
    """The paired difference in a group, over so many rows; `part` is what it brings to the whole difference."""

    group: str
    rows: int
    denominator: int | None
    difference: Difference
    part: NotRequired[float]


class Unlike(TypedDict):
    """Whether the groups' differences are one: Cochran's Q, its degrees of freedom, its p."""

    q: float
    degrees: int
    p: float


class AcrossMetric(TypedDict):
    """A metric's difference group by group."""

    slices: list[AcrossSlice]
    unlike: Unlike | None


class AcrossResult(TypedDict):
    """Where in the groups of a field the difference of two candidates lies, told of the first."""

    against: str
    metrics: dict[str, AcrossMetric]


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


class SliceResult(TypedDict):
    """Rows that share the values of some fields. `condition` is true of them, where they were cut on request."""

    by: dict[str, str]
    condition: NotRequired[str]
    rows: int
    actual: dict[str, int]
    no_answer: int
    matrix: list[list[float]] | None
    metrics: dict[str, Metric]
    rest: dict[str, Difference]


class Price(TypedDict):
    """Needless flags for each catch; without an interval where rows have weights or groups."""

    value: float
    low: float | None
    high: float | None


class Catch(TypedDict):
    """What more catches cost, or what the last ones did. `cutoff`: where one would stand then, None for flagging
    nothing; `all_left`: there are no more than these."""

    catches: float
    needless: float
    price: Price
    cutoff: float | None
    all_left: bool


class Stretch(TypedDict):
    """The cutoffs that cannot be separated from the best by the rule, both ends among them; None where it is open."""

    low: float | None
    high: float | None
    rule: str
    steps: int
    why: NotRequired[str]


class BandSide(TypedDict):
    """Rows on one side of a band or in it, how many of them are positive, and their share of all rows."""

    rows: float
    positives: float
    share: Metric


class BandResult(TypedDict):
    """A band for review: its ends (null above every score), what lies below, between and above them, and shares of it.
    `cost` where it is the band of least cost."""

    low: float | None
    high: float | None
    cost: NotRequired[float]
    below: NotRequired[BandSide]
    between: NotRequired[BandSide]
    above: NotRequired[BandSide]
    metrics: dict[str, Metric]


class Optimism(TypedDict):
    """What the metric that a rule is about owes to the cutoff being chosen on the rows it is read on: its value, its
    value where each tenth of the rows is read at the cutoff chosen on the other nine, and how much better the first
    looks. `low`, `high`: the value's own interval, moved along to the second; approximate."""

    value: float | None
    cross_chosen: float | None
    difference: float | None
    low: NotRequired[float]
    high: NotRequired[float]
    why: NotRequired[str]


class BeyondChoosing(TypedDict):
    """A metric on the reported rows less its cross-chosen value on those where the cutoff was chosen."""

    difference: float
    low: float
    high: float


class Drift(TypedDict):
    """A metric on the reported rows less that on the rows where the cutoff was chosen."""

    difference: float | None
    low: NotRequired[float | None]
    high: NotRequired[float | None]
    p: NotRequired[float | None]
    why: NotRequired[str]
    beyond_choosing: NotRequired[BeyondChoosing]


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


class PairResult(TypedDict):
    a: str
    b: str
    split: str
    rows: int
    metrics: dict[str, Difference]
    averages: NotRequired[dict[str, dict[str, Difference]]]


class Lead(TypedDict):
    """Who leads on a metric, whom the data cannot separate from the best, and whom no test compares with the leader."""

    leader: str
    not_separated: list[str]
    not_tested: list[str]


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
