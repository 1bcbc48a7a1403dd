"""Cutoffs: where they stand, what each moves, what it owes to being chosen; bands for review."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict

from ..number import Metric


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
