"""Slices, groups treated alike, conditions, and cutoffs for groups."""

from __future__ import annotations

from typing import Literal, NotRequired

from typing_extensions import TypedDict

from ..number import Difference, Metric
from .cutoffs import Optimism


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
