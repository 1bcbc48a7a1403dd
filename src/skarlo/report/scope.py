"""What a view is reading: the split, which candidates, at which cutoffs. An exhibit keeps it; an address carries it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any, cast

from skarlo.core import BASE_RATE, CandidateResult, ClassResult, Metric, Results, SplitResult, letter
from skarlo.studies.records import CandidateRecord

COLOURS = ("#0d6b74", "#7b3f8c", "#a55f0a", "#46586b", "#5d7a1f", "#b0456a", "#2f5aa8", "#7a5b45")
NAMED_ALONE = re.compile(r'named "((?:[^"\\]|\\.)*)"')


def _said(condition: str) -> str:
    """A condition inside a sentence: one that is nothing but a name holds, any other stands as it is."""
    alone = NAMED_ALONE.fullmatch(condition.strip())
    if alone is None:
        return condition
    name = re.sub(r"\\(.)", r"\1", alone[1])
    return f"“{name}” holds"


@dataclass(frozen=True)
class Scope:
    """A split, the positions of the candidates shown, and cutoffs by position where they differ from the kept.

    `positions` are those of all the study's candidates in order, where they do not simply count up. `of` is the class
    that is read against the rest, of three or more; the first where it is left out. `within` are fields with the value
    that rows have to have. `own` are the choices of the view itself, as its address says them: an exhibit opens again
    as it was pinned.
    """

    split: str
    show: tuple[int, ...]
    cutoffs: dict[int, float] = field(default_factory=dict)
    positions: tuple[int, ...] = ()
    of: str = ""
    within: dict[str, str] = field(default_factory=dict)
    own: dict[str, str] = field(default_factory=dict)

    @property
    def where(self) -> str:
        """Which rows these are, in words; empty where they are all."""
        return " and ".join(
            f"{name} is {value or 'absent'}" if name else _said(value) for name, value in self.within.items()
        )

    def among(self, candidates: Sequence[CandidateRecord]) -> Scope:
        """The same among a study's candidates."""
        positions = tuple(c.position for c in candidates)
        return replace(self, positions=() if positions == tuple(range(1, len(positions) + 1)) else positions)

    def as_dict(self) -> dict[str, Any]:
        """For keeping; JSON has only text keys."""
        cutoffs = {str(k): v for k, v in self.cutoffs.items()}
        placed = {"positions": list(self.positions)} if self.positions else {}
        of = {"of": self.of} if self.of else {}
        within = {"within": dict(self.within)} if self.within else {}
        own = {"own": dict(self.own)} if self.own else {}
        return {"split": self.split, "show": list(self.show), "cutoffs": cutoffs, **placed, **of, **within, **own}

    @staticmethod
    def kept(data: dict[str, Any]) -> Scope:
        """Back from what `as_dict` wrote."""
        cutoffs = {int(k): float(v) for k, v in data["cutoffs"].items()}
        placed, of = tuple(data.get("positions", ())), data.get("of", "")
        within, own = dict(data.get("within", {})), dict(data.get("own", {}))
        return Scope(data["split"], tuple(data["show"]), cutoffs, placed, of, within, own)


@dataclass(frozen=True)
class Shown:
    """One candidate as a view shows it; a baseline under a name of its own (`label`), with its class as it is shown."""

    position: int
    result: CandidateResult
    part: SplitResult
    label: str = ""

    @property
    def letter(self) -> str:
        return letter(self.position)

    @property
    def name(self) -> str:
        return self.label or self.result["name"]

    @property
    def colour(self) -> str:
        return COLOURS[(self.position - 1) % len(COLOURS)]

    @property
    def dash(self) -> int:
        """Which of four dashes its lines have: with the colour, 32 candidates have a look of their own."""
        return (self.position - 1 + (self.position - 1) // 8) % 4

    @property
    def cutoff(self) -> float | None:
        return self.result["cutoff"]["value"] if self.result["cutoff"] else None


def candidates(results: Results, scope: Scope) -> list[Shown]:
    """The candidates in scope, in study order."""
    own = [c for c in results["candidates"] if c["gives"] != "baseline"]
    positions = scope.positions or range(1, len(own) + 1)
    return [Shown(i, c, c["splits"][scope.split]) for i, c in zip(positions, own, strict=True) if i in scope.show]


def class_read(results: Results, scope: Scope) -> str:
    """The class that is read against the rest: of two the positive one."""
    holdout = results["holdout"]
    return holdout["positive"] or scope.of or holdout["classes"][0]


def of_class(results: Results, scope: Scope) -> list[Shown]:
    """The candidates in scope, each as it reads one class against the rest: its curves and areas."""
    label = class_read(results, scope)
    rows = {c.position: c.part["per_class"][label] for c in candidates(results, scope)}
    return [
        replace(c, part=cast(SplitResult, {**c.part, **rows[c.position], "metrics": _areas(rows[c.position])}))
        for c in candidates(results, scope)
    ]


def _areas(one: ClassResult) -> dict[str, Metric]:
    """The numbers of a class."""
    return {name: cast(Metric, x) for name, x in one.items() if isinstance(x, dict) and "value" in x}


def baselines(results: Results, scope: Scope) -> list[Shown]:
    """The baselines on the scope's split."""
    own = [c for c in results["candidates"] if c["gives"] == "baseline"]
    return [Shown(0, c, c["splits"][scope.split], baseline_name(results, c)) for c in own]


def base_rate(results: Results, scope: Scope) -> float:
    """The share of positive rows (of many classes, of the one that is read) among all rows of the split, whoever
    answers them."""
    every = baselines(results, scope)[0].part
    if results["holdout"]["positive"] is not None:
        return every["metrics"]["prevalence"]["value"] or 0.0
    of_class = every["per_class"][class_read(results, scope)]
    return (of_class["prevalence"]["value"] or 0.0) if "prevalence" in of_class else 0.0


def baseline_name(results: Results, c: CandidateResult) -> str:
    """A baseline's name with the name to show for its class."""
    names = results["holdout"].get("names", {})
    if "baseline" in c:
        label = c["baseline"].get("label")
    else:  # frozen before baselines said what they are: the name says it
        label = None if c["name"] == BASE_RATE else c["name"].removeprefix("always ")
    return c["name"] if label is None else f"always “{names.get(label, label)}”"
