"""Two candidates on the same rows, and who leads."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict

from ..number import Difference, Metric


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
