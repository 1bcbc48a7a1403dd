"""The search for the worst slices."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict


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
