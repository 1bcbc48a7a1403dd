"""The results of a study, whole and in parts, its sentences, unfolded numbers and live counts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Annotated, Any, Literal, get_type_hints

from flask import Response
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    BeforeValidator,
    Field,
    RootModel,
)
from typing_extensions import TypedDict

from skarlo import core
from skarlo.core import (
    PART_KINDS,
    Another,
    CandidateResult,
    HoldoutResult,
    LiveTally,
    Part,
    Results,
    SplitResult,
    Unfolded,
    WorstAsked,
    WorstResult,
    unfold,
)
from skarlo.report.exhibits import EXHIBITS, sentence
from skarlo.report.scope import Scope
from skarlo.studies.evaluating import Asked
from skarlo.studies.refusals import Missing, Refusal

from ..models import (
    CutoffsQuery,
    FieldIs,
    Finite,
    Id,
    OneOf,
    StudyPath,
    View,
    WithinQuery,
    by_position,
    listed,
)
from ..shared import (
    LONG,
    answer,
    api,
    asked_of,
    awaited,
    evaluator,
    facts_of,
    here,
    immutable,
    parts_of,
    place_of,
    prepared_of,
    results_of,
    rows_of,
)

TAG = [Tag(name="studies")]


def _some(name: str, whole: Any, **instead: Any) -> Any:
    """The type of what holds some of another type's keys."""
    make: Any = TypedDict
    return make(name, get_type_hints(whole, include_extras=True) | instead, total=False)


_SomeOfSplit: Any = _some("SplitParts", SplitResult)


_SomeOfCandidate: Any = _some("CandidateParts", CandidateResult, splits=dict[str, _SomeOfSplit])


Parts: Any = _some("Parts", Results, candidates=list[_SomeOfCandidate])


EXACT = 1e-9
Group = Annotated[int, Field(ge=0)]
GroupRule = Literal["recall", "fpr", "flagged_share", "precision", "least_cost"]
Price = Annotated[float, Field(ge=0, allow_inf_nan=False)]
PartKind = Annotated[str, OneOf(lambda: tuple(PART_KINDS))]


class ResultsOut(RootModel[Results]):
    """The results file."""


class ChoiceQuery(CutoffsQuery):
    """What is asked of a cutoff besides itself."""

    base_rate: float = Field(default=0.0, ge=0, lt=1, description="of expected: the share of positives to restate for")
    prices: Annotated[list[Price], BeforeValidator(listed)] = Field(
        default=[],
        max_length=4,
        description="of cost and of expected: of a needless flag, of a miss, of a catch, of a row rightly left, "
        "as 1,10,0,0; the last two may be left out",
    )
    band: Annotated[list[Finite], BeforeValidator(listed)] = Field(
        default=[], max_length=2, description="of review: the band's ends, as 0.2,0.6"
    )

    least: str = Field(
        default="",
        pattern=r"^(\d+:(0(\.\d*)?|1(\.0*)?)(,|$))*$",
        description="of withheld: by candidate position the probability that answers have at least, as 1:0.6,2:0.5",
    )

    def more(self, names: Mapping[int, str]) -> dict[str, dict[str, Any]]:
        """What parts take of it, by their kind; names of the candidates by position."""
        least = {p: x for p, x in by_position(self.least).items() if p in names}
        return {
            "expected": {"rate": self.base_rate, "prices": tuple(self.prices)}, "cost": {"prices": tuple(self.prices)},
            "review": {"band": tuple(self.band)},
            "withheld": {"least": tuple((names[p], x) for p, x in least.items())},
        }  # fmt: skip

    def check(self) -> None:
        """Raises Refusal for what no part can be asked by."""
        if len(self.prices) in (1, 3):
            raise Refusal(PRICES, "prices")
        if self.band and (len(self.band) != 2 or self.band[0] > self.band[1]):
            raise Refusal("a band has two ends, the lower one first: 0.2,0.6", "band")


PRICES = (
    "prices are of a needless flag and of a miss, and of a catch and a row rightly left if those cost: 1,10 or "
    "1,10,0.5,0"
)


class PartsQuery(ChoiceQuery):
    kinds: Annotated[list[PartKind], BeforeValidator(listed)] = Field(
        min_length=1, description="; ".join(f"{k.name}: {k.what}" for k in PART_KINDS.values())
    )
    split: str = Field(default="", description="of parts that there are one of for each split: which")
    fields: list[str] = Field(
        default=[],
        description="of slices: one of the study's lists of fields, as ward,shift, or any fields, each cut as it says: "
        "girth:4 (quantiles), girth:40|80 (edges), seen:month; all lists if left out",
    )

    step: float = Field(default=0.0, ge=0, le=1, description="of a sweep: how far apart its cutoffs are")
    fpr_at_most: float = Field(default=0.0, ge=0, le=1, description="of areas: how far a part of the ROC area goes")
    pair: Annotated[list[Id], BeforeValidator(listed)] = Field(
        default=[],
        max_length=2,
        description="of cells: the positions of two candidates, the second off the first",
    )
    of: str = Field(
        default="", description="of slices and alike, the class that is read against the rest, of three and more"
    )
    against: str = Field(default="", description="of alike: a group that each of the others is held against")
    rule: GroupRule | None = Field(
        default=None, description="of alike: cutoffs for each group by which this rate is equal, or that cost least"
    )
    gap_at_most: float = Field(default=0.02, gt=0, le=1, description="of alike with a rate: how far apart it may lie")
    at_most: int = Field(
        default=0, ge=0, description="of doubt: how many labels may be wrong; 0: as many as are beyond what is expected"
    )
    how: Literal["flipped", "dropped"] = Field(default="flipped", description="of doubt: turned, or their rows dropped")
    mark: str = Field(default="", description="of doubt: the rows with this mark in place of those listed")
    merge: Annotated[list[Group], BeforeValidator(listed)] = Field(
        default=[], description="of merged: for each class in order the group it goes to, from 0, as 0,0,1"
    )

    def parts(self, names: Mapping[int, str], marks: Mapping[str, Collection[int]]) -> list[Part]:
        """The parts that are asked for; names of the candidates by position, and the rows that bear each mark, from 1.
        Raises ValueError without a split."""
        missing = [p for p in self.pair if p not in names]
        if missing:
            raise Missing(f"there is no candidate at position {missing[0]}", "pair")
        pair = tuple(names[p] for p in self.pair)
        if self.mark and self.mark not in marks:
            raise Missing(f"no row is marked “{self.mark}”", "mark")
        marked = tuple(sorted(row - 1 for row in marks[self.mark])) if self.mark else None
        more: dict[str, dict[str, Any]] = {
            "slices": {"fields": tuple(self.fields), "of": self.of if self.fields else ""},
            "doubt": {"doubted": (self.at_most, self.how), "marked": marked},
            "alike": {"fields": tuple(self.fields), "of": self.of, "against": self.against, "rule": self.rule or "",
                      "rate": self.gap_at_most if self.rule else 0.0, "prices": tuple(self.prices[:2])},
            "sweep": {"step": self.step},
            "areas": {"rate": self.fpr_at_most},
            "cells": {"pair": pair}, "disagreement": {"pair": pair},
            "across": {"pair": pair, "fields": tuple(self.fields)}, "merged": {"merge": tuple(self.merge)},
            **self.more(names),
        }  # fmt: skip
        return [Part(kind, self.split if PART_KINDS[kind].each else "", **more.get(kind, {})) for kind in self.kinds]


class PartsOut(RootModel[Parts]):
    """Some parts of the results: what stands in the results file, less what was not asked for."""


class ScopeQuery(CutoffsQuery):
    view: View
    split: str
    show: Annotated[list[Id], BeforeValidator(listed)] = []
    of: str = Field(default="", description="of three classes or more, the one that is read against the rest")
    own: list[FieldIs] = Field(
        default=[], description="the view's own choices that its sentence follows, as by=largest"
    )

    def chosen(self) -> dict[str, str]:
        """The view's own choices."""
        return {name: value for name, _, value in (one.partition("=") for one in self.own)}


class SentenceOut(BaseModel):
    """A sentence, and the cutoffs that it speaks of, as they were asked for."""

    sentence: str
    cutoffs: str


class UnfoldQuery(ChoiceQuery):
    candidate: str
    split: str
    metric: str
    of: str | None = Field(
        default=None,
        description="a class, an average, a slice, an expected base rate as “expected base rate 0.08”, drift, cost, "
        "band, withheld, or of a class “withheld rust”",
    )

    def parts(self, names: Mapping[int, str]) -> list[Part]:
        """The parts that hold the number."""
        more, kind = self.more(names), (self.of or "").partition(" ")[0]
        wanted = {"expected": "expected", "drift": "drift", "cost": "cost", "band": "review", "withheld": "withheld"}
        kinds = ["lines", "classes", *([wanted[kind]] if kind in wanted else [])]
        return [Part(k, self.split if PART_KINDS[k].each else "", **more.get(k, {})) for k in kinds]


class UnfoldedOut(RootModel[Unfolded]):
    """One number, unfolded."""


class WorstQuery(CutoffsQuery):
    candidate: Id = Field(description="position of the candidate")
    metric: str = Field(default="", description="a rate or f1")
    loss: str = Field(default="", description="a loss by row in place of a metric: log_loss, brier or error")
    fields: list[str] = Field(default=[], description="which, repeated or separated by commas; all if left out")
    depth: int = Field(default=2, ge=1, le=3, description="how many fields at a time")
    of: str = Field(default="", description="of three classes or more, the class that the rate is of")


class WorstOut(RootModel[WorstResult]):
    """Slices that a candidate serves worst: found on the tuning rows, read on the reported ones."""


class AnotherQuery(CutoffsQuery):
    candidate: str
    split: str
    value: str = Field(max_length=40, description="the number that was got, with the digits it was got with")


class AnotherOut(RootModel[Another]):
    """What reproduces a number that was got elsewhere."""


class SplitQuery(WithinQuery):
    split: str


class TallyOut(LiveTally):
    """True and false positives with the cutoff at each of ascending places, the k-th at (first + k) / 10**digits; sums
    of weights where rows have them. `positives` and `negatives` are all rows, the unanswered ones among them."""

    position: int


class TalliesOut(BaseModel):
    tallies: list[TallyOut]


@api.get("/studies/<int:study_id>/results", tags=TAG, responses={200: ResultsOut, **LONG})
def read_results(path: StudyPath, query: CutoffsQuery) -> Response:
    """The results, at the given cutoffs or at those kept."""
    return immutable(results_of(asked_of(path.study_id, query.by_position(), within=query.where())))


def fields_named(asked: Asked, said: Sequence[str]) -> list[str]:
    """Fields that are asked for, repeated or separated by commas; what names a field as it is has its commas in it."""
    if not any("," in one for one in said):
        return [one for one in said if one]
    known = set(rows_of(asked).fields)

    def each(one: str) -> list[str]:
        name, _, cut = one.rpartition(":")
        whole = one in known or (name in known and "," not in cut)
        return [one] if whole else [x for x in one.split(",") if x]

    return [x for one in said for x in each(one)]


@api.get("/studies/<int:study_id>/parts", tags=TAG, responses={200: PartsOut, **LONG})
def read_parts(path: StudyPath, query: PartsQuery) -> Response:
    """Some parts of the results, at the given cutoffs or at those kept: nothing else is computed or sent. What no
    cutoff changes is computed once."""
    asked = asked_of(path.study_id, query.by_position(), within=query.where())
    if not query.split and any(PART_KINDS[kind].each for kind in query.kinds):
        raise Refusal("say which split the parts are of", "split")
    if query.step and abs(round(1 / query.step) * query.step - 1) > EXACT:
        raise Refusal("step goes into 1 a whole number of times: 0.1, 0.05, 0.01", "step")
    query.check()
    if "cost" in query.kinds and not query.prices:
        raise Refusal(PRICES, "prices")
    query.fields = fields_named(asked, query.fields)
    names = dict(zip(asked.positions, (c.name for c in asked.plain.candidates), strict=True))
    if {"cells", "disagreement", "across"} & set(query.kinds) and len(set(query.pair)) != 2:
        raise Refusal("cells, a disagreement and what lies across groups are of a pair: two candidates", "pair")
    if query.of:
        known_class(facts_of(asked)["holdout"], query.of)
    if "merged" in query.kinds:
        holdout, groups = facts_of(asked)["holdout"], set(query.merge)
        right = len(query.merge) == len(holdout["classes"]) and groups == set(range(len(groups))) and len(groups) > 1
        if holdout["positive"] is not None or not right:
            raise Refusal(
                f"give each of the {len(holdout['classes'])} classes of a study of three or more its group, from 0 "
                "without a gap: 0,0,1", "merge"
            )  # fmt: skip
    return immutable(parts_of(asked, query.parts(names, dict(asked.marks))))


@api.get("/studies/<int:study_id>/sentence", tags=TAG, responses={200: SentenceOut, **LONG})
def read_sentence(path: StudyPath, query: ScopeQuery) -> Response:
    """The drafted sentence at the top of a view."""
    asked = asked_of(path.study_id, query.by_position(), query.split, query.where())
    exhibit = EXHIBITS[query.view]
    results = parts_of(asked, [Part(kind, query.split if PART_KINDS[kind].each else "") for kind in exhibit.reads])
    known_class(results["holdout"], query.of)
    scope = Scope(query.split, tuple(query.show), positions=asked.positions, of=query.of, within=dict(query.where()),
                  own=query.chosen())  # fmt: skip
    if more := exhibit.says(results, scope):
        results = parts_of(asked, more)
    return answer(SentenceOut(sentence=sentence(query.view, results, scope), cutoffs=query.cutoffs))


def known_split(splits: Collection[str], split: str) -> None:
    """Raises Missing for a split that a study does not have."""
    if split not in splits:
        raise Missing(f"there is no split {split}", "split")


def known_class(holdout: HoldoutResult, label: str) -> None:
    """Raises Missing for a class that a study does not have; the empty one is the study's own choice."""
    if label and label not in holdout["classes"]:
        raise Missing(f"there is no class {label}", "of")


@api.get("/studies/<int:study_id>/unfold", tags=TAG, responses={200: UnfoldedOut, **LONG})
def read_unfolded(path: StudyPath, query: UnfoldQuery) -> Response:
    """One number, unfolded."""
    asked = asked_of(path.study_id, query.by_position(), within=query.where())
    query.check()
    names = dict(zip(asked.positions, (c.name for c in asked.plain.candidates), strict=True))
    results = parts_of(asked, query.parts(names))
    try:
        return immutable(unfold(results, query.candidate, query.split, query.metric, query.of))
    except KeyError as e:
        raise Missing(str(e.args[0])) from e


@api.get("/studies/<int:study_id>/worst", tags=TAG, responses={200: WorstOut, **LONG})
def read_worst(path: StudyPath, query: WorstQuery) -> Response:
    """Search for the slices that a candidate serves worst, over all fields, one and two at a time (three on request);
    it tells how far it is, and can be stopped."""
    asked = asked_of(path.study_id, query.by_position(), within=query.where())
    names = dict(zip(asked.positions, (c.name for c in asked.plain.candidates), strict=True))
    if query.candidate not in names:
        raise Missing(f"there is no candidate at position {query.candidate}", "candidate")
    if bool(query.metric) == bool(query.loss):
        raise Refusal("slices are searched by a metric or by a loss, one of them", "metric")
    fields = tuple(fields_named(asked, query.fields))
    what = WorstAsked(names[query.candidate], query.metric, query.loss, fields, query.depth, query.of)
    prepared_of(asked)
    own = evaluator()
    try:
        if own.has_worst(asked, what):
            return immutable(own.worst(asked, what))
        key = f"worst {own.worst_key(asked, what)}"
        found = awaited(key, "searching", lambda tell: own.worst(asked, what, tell), here(), place_of())
    except KeyError as e:
        raise Missing(str(e.args[0]), "metric") from e
    except ValueError as e:
        raise Refusal(str(e), "fields") from e
    return immutable(found)


@api.get("/studies/<int:study_id>/another", tags=TAG, responses={200: AnotherOut, **LONG})
def read_another(path: StudyPath, query: AnotherQuery) -> Response:
    """Why is another number got elsewhere? What reproduces it: other metrics, classes, averages, definitions, splits,
    cutoffs and candidates."""
    asked = asked_of(path.study_id, query.by_position(), within=query.where())
    prepared_of(asked)
    try:
        return immutable(evaluator().another(asked, query.value, query.candidate, query.split))
    except KeyError as e:
        raise Missing(str(e.args[0])) from e
    except ValueError as e:
        raise Refusal(str(e), "value") from e


class TalliesQuery(SplitQuery):
    of: str = Field(
        default="",
        description="of three classes or more, of which class's answers; of the largest probability if left out",
    )


@api.get("/studies/<int:study_id>/tallies", tags=TAG, responses={200: TalliesOut, **LONG})
def read_tallies(path: StudyPath, query: TalliesQuery) -> Response:
    """The counts that the live cutoff reads, for every candidate that gives a score: exact at each place where the
    handle can stand. Of three classes or more a positive is a row whose predicted class is right."""
    asked = asked_of(path.study_id, within=query.where())
    ready = prepared_of(asked)
    known_split(ready.study.splits, query.split)
    known_class(core.holdout_of(ready.study), query.of)
    of = ready.study.classes.index(query.of) if query.of and ready.study.positive is None else None
    out = []
    for i, position in enumerate(asked.positions):
        live = core.live_tally(ready, i, query.split, of)
        if live is not None:
            out.append(TallyOut(position=position, **live))
    return immutable(TalliesOut(tallies=out).model_dump())
