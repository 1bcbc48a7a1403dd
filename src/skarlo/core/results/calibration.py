"""Calibration and recalibration."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict

from ..number import Difference, Metric
from .curves import Band


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
