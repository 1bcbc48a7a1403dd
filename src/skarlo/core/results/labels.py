"""Labels in doubt."""

from __future__ import annotations

from typing import Literal, NotRequired

from typing_extensions import TypedDict


class LabelEnds(TypedDict):
    """Two ends."""

    low: float
    high: float


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
