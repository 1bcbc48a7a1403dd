"""What the HTTP interface takes and gives. The OpenAPI document is made from these."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    create_model,
)
from pydantic_core import CoreSchema, core_schema

from skarlo.core import ClassBalance, HoldoutResult
from skarlo.intake.guess import Guess
from skarlo.intake.spec import CandidateSpec
from skarlo.report.exhibits import EXHIBITS


class Strict(BaseModel):
    """A body in which an unknown field is an error."""

    model_config = ConfigDict(extra="forbid")


def of_spec(spec: type[BaseModel], *fields: str) -> Any:
    """A base for bodies: some fields of a part of the study file, each as the study file allows it."""
    kept: dict[str, Any] = {name: (spec.model_fields[name].annotation, spec.model_fields[name]) for name in fields}
    return create_model(f"Of{spec.__name__}", __base__=Strict, **kept)


def listed(value: Any) -> Any:
    """Repeated, or separated by commas."""
    return [x for part in value for x in str(part).split(",") if x] if isinstance(value, list) else value


@dataclass(frozen=True)
class OneOf:
    """A text out of a set of names that is said elsewhere; the document lists them."""

    names: Callable[[], Sequence[str]]

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self._known, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        return {**handler(schema), "enum": [*self.names()]}

    def _known(self, value: str) -> str:
        if value not in self.names():
            raise ValueError(f"has to be one of {', '.join(self.names())}")
        return value


FieldIs = Annotated[str, Field(pattern="^[^=]+=")]
View = Annotated[str, OneOf(lambda: tuple(EXHIBITS))]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Id = Annotated[int, Field(ge=0, le=2**63 - 1)]  # what a record can be numbered with
MOST_NESTED, MOST_TOLD = 20, 1 << 16


def _small(value: Any) -> Any:
    """How a candidate was made: not nested without end, nor without end at all."""
    if len(repr(value)) > MOST_TOLD or _depth(value) > MOST_NESTED:
        raise ValueError(f"is nested more than {MOST_NESTED} deep, or longer than {MOST_TOLD >> 10} kB")
    return value


def _depth(value: Any) -> int:
    """How deep a value is nested, as far as it matters."""
    depth, level = 0, [value]
    while level and depth <= MOST_NESTED:
        level = [x for v in level if isinstance(v, dict | list) for x in (v.values() if isinstance(v, dict) else v)]
        depth += 1
    return depth


MadeWith = Annotated[dict[str, Any], AfterValidator(_small)]


Stamp = Literal["waiting", "signed", "returned"]


class Problem(BaseModel):
    """Problem details, RFC 9457."""

    type: str
    title: str
    status: int
    detail: str
    field: str | None = None
    problems: list[dict[str, Any]] | None = None
    count: int | None = None


class ColumnOut(BaseModel):
    name: str
    first: list[str]
    distinct: int
    empty: int
    values: list[str]
    counts: list[int]
    alike: list[list[str]]
    numeric: bool
    least: float | None
    most: float | None


class UploadQuery(BaseModel):
    name: str = Field(min_length=1, max_length=255)


class UploadOut(BaseModel):
    id: int
    name: str
    sha256: str
    size: int
    rows: int
    columns: list[ColumnOut]
    guess: dict[str, Guess]


ANSWERED = ("id", "score", "predicted", "price_per_1000", "latency_ms")


class CandidateIn(of_spec(CandidateSpec, *ANSWERED, "reason", "price", "probabilities", "runs_now", "no_answer")):  # type: ignore[misc]
    """A candidate's answers in an upload, in the words of the study file."""

    upload: Id
    name: str = Field(min_length=1, max_length=80)
    cutoff: Finite | None = None
    version: str | None = Field(default=None, max_length=200)
    made_with: MadeWith = {}


class StudyPath(BaseModel):
    study_id: Id


class StudyLine(BaseModel):
    id: int
    title: str
    author: str
    created: datetime
    candidates: list[str]
    exhibits: int
    revisions: int
    stamp: Stamp | None = Field(description="of the last revision")
    signed: int | None = Field(description="the number of the last revision that is signed")


class StudyList(BaseModel):
    studies: list[StudyLine]


class VersionOut(BaseModel):
    """One file of a candidate."""

    number: int
    file: str
    sha256: str
    columns: dict[str, Any]
    note: str
    by: str
    created: datetime


class CandidateOut(BaseModel):
    position: int
    letter: str
    name: str
    gives: Literal["scores", "classes", "probabilities"]
    file: str
    sha256: str
    columns: dict[str, Any]
    cutoff: float | None
    cutoff_chosen_on: str | None
    cutoff_chosen: str = Field(description="where and how the cutoff was chosen, in words")
    runs_now: bool
    version_number: int
    versions: list[VersionOut]


class MetricInfo(BaseModel):
    """What there is to know of a metric: its title, which way is better, and what it reads. A cutoff changes what reads
    counts."""

    name: str
    title: str
    short: str
    better: Literal["higher", "lower", "neither"]
    needs: Literal["counts", "scores", "probabilities"]


class RuleInfo(BaseModel):
    """A rule for cutoffs. It takes all of its parameters, or exactly one of them."""

    name: str
    title: str
    takes: list[str]
    one_of: bool


class PicturesKept(BaseModel):
    """The pictures of a study's rows: how many, and the fingerprint of all of them together."""

    count: int
    sha256: str


class NamedOut(BaseModel):
    """A named condition. `kept`: the day as of which its rows stay what they were; `alone`: the condition by which its
    rows are read alone, where they are the same for every candidate and at every cutoff."""

    where: str
    kept: date | None
    alone: str | None


class StudyOut(BaseModel):
    id: int
    title: str
    author: str
    created: datetime
    holdout: HoldoutResult
    conditions: dict[str, NamedOut]
    mapping: dict[str, Any]
    holdout_file: str
    balance: dict[str, dict[str, ClassBalance]] = Field(description="rows and share of each class, by split")
    candidates: list[CandidateOut]
    steps_read: list[str]
    revision: int
    stamp: Stamp | None
    may: list[Literal["write", "sign"]] = Field(description="what the role of who asks allows")
    metrics: list[MetricInfo]
    rules: list[RuleInfo] = Field(description="how cutoffs can be chosen")
    z: float | None = Field(
        description="the normal quantile of the confidence, for intervals of counts by Wilson; null where rows have "
        "weights or groups, on which these rest as well"
    )
    headline: list[str] = Field(description="the metrics that stand side by side where nobody chose otherwise")
    usual: list[str] = Field(description="the metrics that stand side by side where nothing is kept for the study")
    across: Literal["predicted", "actual"] = Field(description="which axis of a matrix lies across")
    pictures: PicturesKept | None = Field(description="the pictures of its rows; null where none were brought in")


class JobOut(BaseModel):
    """Long work that goes on. Once it is done, the answer is at `then`; when it failed, `problem` says why."""

    id: str
    what: str
    step: str
    done: int
    of: int
    state: Literal["running", "done", "failed", "stopped"]
    then: str | None = None
    problem: Problem | None = None


class WithinQuery(BaseModel):
    within: list[Annotated[str, Field(pattern="=", max_length=10_000)]] = Field(
        default=[],
        description="only rows with this value in this field, as ward=North, or of which a condition is true, as "
        "=girth >= 40 and girth < 80; several go together",
    )

    def where(self) -> tuple[tuple[str, str], ...]:
        """The fields with their values."""
        return tuple((name, value) for name, _, value in (one.partition("=") for one in self.within))


class CutoffsQuery(WithinQuery):
    cutoffs: str = Field(
        default="",
        pattern=r"^(\d+:-?\d+(\.\d*)?([eE][-+]?\d+)?(,|$))*$",
        description="cutoffs by candidate position in place of the kept ones, as 1:0.4,2:0.5",
    )

    def by_position(self) -> dict[int, float]:
        """The cutoffs as numbers."""
        return by_position(self.cutoffs)


def by_position(text: str) -> dict[int, float]:
    """Numbers by candidate position, as 1:0.4,2:0.5."""
    pairs = (part.split(":") for part in text.split(",") if part)
    return {int(position): float(value) for position, value in pairs}


class VerdictOut(BaseModel):
    verdict: Literal["signed", "returned"]
    by: str
    at: str
    reason: str


class RevisionOut(BaseModel):
    id: int
    number: int
    sha256: str
    author: str
    author_ids: list[int] = Field(description="everybody who wrote of it: none of them signs it")
    submitted: str
    stamp: Stamp
    verdict: VerdictOut | None


class Health(BaseModel):
    status: Literal["ok"]
    skarlo: str
