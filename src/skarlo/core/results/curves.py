"""What curves hold: ROC, precision-recall, gain, net benefit, and their bands."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict

from ..number import Metric


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
