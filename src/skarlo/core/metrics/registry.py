"""What a metric says of itself, and the registry of all that do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Literal

from ..once import lazy


@dataclass(frozen=True, kw_only=True)
class Definition:
    """One metric.

    Attributes
    ----------
    name, title, short : in files; on screen; where room is short
    needs : "counts" (a predicted class), "scores" (an order of the rows) or "probabilities" (scores in [0, 1])
    classes : for how many classes it is told
    better, lower, upper : its direction, and the range it lies in
    formula, meaning : over TP, FP, FN, TN, P, N and rows; in one plain clause; `_many` of three classes or more, where
        they differ
    also : its other names in the trade
    over : of a rate (and F1), which outcome over which
    why : when it does not exist; {positive} and {negative} are the classes
    paired : how two candidates are compared on the same rows; "" where there is no test
    rest : how a slice is compared with the other rows; "" where it is not
    waits_for : the class whose rows make its interval narrower
    each_class : whether it is read of each class against the rest
    says : how it unfolds, a template; `says_many` of three classes or more, `says_expected` at an expected base rate
    expression : a two-class metric written in the formula language of own metrics needs nothing besides
    """

    name: str
    title: str
    short: str = ""
    needs: Literal["counts", "scores", "probabilities"]
    classes: Literal["two", "many", "any"] = "two"
    better: Literal["higher", "lower", "neither"]
    lower: float = 0.0
    upper: float = 1.0
    formula: str
    formula_many: str = ""
    meaning: str
    meaning_many: str = ""
    also: tuple[str, ...] = ()
    over: tuple[str, str] | None = None
    why: str = ""
    paired: Literal[
        "", "agreement", "predictive", "recalls", "spread", "areas", "steps", "losses", "macro", "pooled"
    ] = ""
    rest: Literal["", "rate", "recalls", "spread", "carried"] = ""
    waits_for: Literal["", "positive", "negative", "smaller"] = ""
    each_class: bool = False
    says: str = ""
    says_many: str = ""
    says_expected: str = ""
    expression: str = ""


class Registry(Mapping[str, Definition]):
    """All metrics by name, in the documented order, and which of them are told when."""

    def __init__(self, entries: tuple[Definition, ...]) -> None:
        self._entries = {d.name: d for d in entries}

    def __getitem__(self, name: str) -> Definition:
        return self._entries[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)

    def _told(self, classes: str, *needs: str) -> tuple[str, ...]:
        return tuple(d.name for d in self._entries.values() if d.classes in (classes, "any") and d.needs in needs)

    @lazy
    def counts(self) -> tuple[str, ...]:
        """Those that read the predicted class."""
        return tuple(d.name for d in self._entries.values() if d.needs == "counts")

    @lazy
    def two(self) -> tuple[str, ...]:
        """Those of two classes."""
        return self._told("two", "counts", "scores", "probabilities")

    @lazy
    def many(self) -> tuple[str, ...]:
        """Those of three classes or more."""
        return self._told("many", "counts", "scores", "probabilities")

    @lazy
    def of_scores(self) -> tuple[str, ...]:
        """Those of two classes that read scores or probabilities."""
        return self._told("two", "scores", "probabilities")

    @lazy
    def of_probabilities(self) -> tuple[str, ...]:
        """Those of two classes that read scores as probabilities."""
        return self._told("two", "probabilities")

    @lazy
    def of_class_probabilities(self) -> tuple[str, ...]:
        """Those of three classes or more that read probabilities."""
        return self._told("many", "scores", "probabilities")

    @lazy
    def rates(self) -> tuple[str, ...]:
        """One outcome over another: Wilson's interval, and F1 that is mapped from it."""
        return tuple(d.name for d in self._entries.values() if d.over is not None)

    @lazy
    def expressions(self) -> tuple[str, ...]:
        """Those that are nothing but a formula over the counts."""
        return tuple(d.name for d in self._entries.values() if d.expression)

    def where(self, **what: object) -> tuple[str, ...]:
        """The names of those whose entries say so."""
        return tuple(d.name for d in self._entries.values() if all(getattr(d, k) == v for k, v in what.items()))

    @contextmanager
    def with_one_more(self, entry: Definition) -> Iterator[None]:
        """One metric more for a while: what tests and trials need."""
        derived = [name for name, x in vars(Registry).items() if isinstance(x, lazy)]
        self._entries[entry.name] = entry
        try:
            for name in derived:
                self.__dict__.pop(name, None)
            yield
        finally:
            del self._entries[entry.name]
            for name in derived:
                self.__dict__.pop(name, None)
