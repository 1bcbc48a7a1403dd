"""What the HTTP interface takes and gives. The OpenAPI document is made from these."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    RootModel,
)
from pydantic_core import CoreSchema, core_schema

from skarlo.core import HoldoutResult, LiveTally, Results, Unfolded
from skarlo.intake.account import Account
from skarlo.intake.guess import Guess
from skarlo.report.exhibits import EXHIBITS
from skarlo.studies.records import ROLES
from skarlo.studies.words import Answered


class Strict(BaseModel):
    """A body in which an unknown field is an error."""

    model_config = ConfigDict(extra="forbid")


def _numbers(value: Any) -> Any:
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


View = Annotated[str, OneOf(lambda: tuple(EXHIBITS))]
Step = Annotated[str, OneOf(lambda: ("intake", *EXHIBITS, "dossier"))]
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


class UserOut(BaseModel):
    id: int
    name: str
    role: Literal[ROLES]  # type: ignore[valid-type]


class SessionOut(BaseModel):
    """Who is signed in here, and the token that changes must carry in X-CSRFToken."""

    user: UserOut | None
    may: list[Literal["write", "sign"]] = Field(description="what the person's role allows")
    csrf: str


class Credentials(Strict):
    name: str
    password: str


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


class UploadPath(BaseModel):
    upload_id: Id


class UploadOut(BaseModel):
    id: int
    name: str
    sha256: str
    size: int
    rows: int
    columns: list[ColumnOut]
    guess: dict[str, Guess]


class SplitIn(Strict):
    """A split to make where none exists."""

    by: Literal["class", "group", "time"]
    field: str | None = None
    tuning: float = Field(default=0.3, gt=0, lt=1)
    seed: int = Field(default=1, ge=0)


class QuotedIn(Strict):
    """A published result without its rows."""

    name: str = Field(min_length=1, max_length=80)
    source: str = Field(min_length=1, max_length=300)
    metrics: dict[str, Finite] = {}
    matrix: list[list[Annotated[int, Field(ge=0)]]] | None = None


class ShowIn(Strict):
    """The columns shown when a row is read: its text, its picture, the numbers of its embedding."""

    text: str | None = None
    picture: str | None = None
    embedding: list[str] | None = None


class HoldoutIn(Strict):
    """What each column of the hold-out is, in the words of the study file."""

    upload: Id
    id: str | None = None
    truth: str
    positive: str | None = None
    split: str | None = None
    report_on: str | None = None
    tune_on: str | None = None
    also: list[str] = []
    weight: str | None = None
    group: str | None = None
    slices: list[list[str]] = []
    names: dict[str, str] = {}
    words: dict[Literal["tp", "fn", "fp", "tn"], str] = {}
    merge: dict[str, str] = {}
    make_split: SplitIn | None = None
    show: ShowIn | None = None


class CandidateIn(Strict):
    upload: Id
    name: str = Field(min_length=1, max_length=80)
    id: str | None = None
    score: str | None = None
    predicted: str | None = None
    probabilities: dict[str, str] | None = None
    cutoff: Finite | None = None
    runs_now: bool = False
    no_answer: Literal["error", "wrong", "left_out"] = "error"
    reason: str | None = None
    price: str | None = None
    price_per_1000: Annotated[float, Field(ge=0, allow_inf_nan=False)] | None = None
    latency_ms: Annotated[float, Field(ge=0, allow_inf_nan=False)] | None = None
    version: str | None = Field(default=None, max_length=200)
    made_with: MadeWith = {}


class VersionIn(Strict):
    """A new file of a candidate; which column is what is left out where it is as before."""

    upload: Id
    id: str | None = None
    score: str | None = None
    predicted: str | None = None
    reason: str | None = None
    price: str | None = None
    price_per_1000: Annotated[float, Field(ge=0, allow_inf_nan=False)] | None = None
    latency_ms: Annotated[float, Field(ge=0, allow_inf_nan=False)] | None = None
    version: str | None = Field(default=None, max_length=200)
    made_with: MadeWith = {}
    note: str = Field(default="", max_length=2000)


class StudyPath(BaseModel):
    study_id: Id


class CandidatePath(StudyPath):
    position: Id


class VersionPath(CandidatePath):
    number: Id


class DeletedLine(BaseModel):
    """What was deleted, and until when that can be restored."""

    kind: Literal["study", "candidate", "version"]
    id: int
    name: str
    study_id: int
    study: str
    deleted: datetime
    until: datetime


class DeletedList(BaseModel):
    deleted: list[DeletedLine]


class DeletedPath(BaseModel):
    kind: Literal["study", "candidate", "version"]
    record_id: Id


class RestoredOut(BaseModel):
    """The study that what was restored belongs to."""

    study_id: int


class StackIn(Strict):
    """One upload for each split of a hold-out."""

    parts: dict[str, Id] = Field(min_length=2, max_length=20)


class MadeWithOut(BaseModel):
    """How a candidate was made, read from TOML or JSON."""

    made_with: MadeWith


class AccountOut(RootModel[Account]):
    """The fields of a hold-out, and how each candidate's answers joined."""


class FindingsOut(BaseModel):
    """What was noticed, with the words on warnings."""

    findings: list[Answered]


class WordPath(StudyPath):
    key: str


class WordIn(Strict):
    """Why a warning is right as it stands; empty takes it back."""

    text: str = Field(max_length=2000)


class JoinQuery(BaseModel):
    """Two uploads and the columns that are to join them."""

    holdout: Id
    holdout_id: str
    answers: Id
    answers_id: str


class JoinPath(BaseModel):
    which: Literal["matched", "missing", "extra", "doubled"]


class JoinOut(BaseModel):
    """How many ids matched, are missing from the answers, are not rows of the hold-out, or stand twice."""

    matched: int
    missing: int
    extra: int
    doubled: int


class StudyIn(Strict):
    title: str = Field(min_length=1, max_length=200)
    holdout: HoldoutIn
    candidates: list[CandidateIn] = Field(min_length=1)
    quoted: list[QuotedIn] = []


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


class StudyOut(BaseModel):
    id: int
    title: str
    author: str
    created: datetime
    holdout: HoldoutResult
    mapping: dict[str, Any]
    holdout_file: str
    balance: dict[str, dict[str, int]]
    candidates: list[CandidateOut]
    steps_read: list[str]
    revision: int
    stamp: Stamp | None
    may: list[Literal["write", "sign"]] = Field(description="what the role of who asks allows")
    metrics: list[MetricInfo]
    headline: list[str] = Field(description="the metrics that stand side by side where nobody chose otherwise")


class JobPath(BaseModel):
    job_id: str


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


class CutoffsQuery(BaseModel):
    cutoffs: str = Field(
        default="",
        pattern=r"^(\d+:-?\d+(\.\d*)?([eE][-+]?\d+)?(,|$))*$",
        description="cutoffs by candidate position in place of the kept ones, as 1:0.4,2:0.5",
    )

    def by_position(self) -> dict[int, float]:
        """The cutoffs as numbers."""
        pairs = (part.split(":") for part in self.cutoffs.split(",") if part)
        return {int(position): float(value) for position, value in pairs}


class ResultsOut(RootModel[Results]):
    """The results file."""


class ScopeQuery(CutoffsQuery):
    view: View
    split: str
    show: Annotated[list[Id], BeforeValidator(_numbers)] = []
    of: str = Field(default="", description="of three classes or more, the one that is read against the rest")


class SentenceOut(BaseModel):
    """A sentence, and the cutoffs that it speaks of, as they were asked for."""

    sentence: str
    cutoffs: str


class UnfoldQuery(CutoffsQuery):
    candidate: str
    split: str
    metric: str
    of: str | None = Field(default=None, description="a class, an average, a slice, or an expected base rate")


class UnfoldedOut(RootModel[Unfolded]):
    """One number, unfolded."""


class SplitQuery(BaseModel):
    split: str


class TallyOut(LiveTally):
    """True and false positives with the cutoff at each of ascending places, the k-th at (first + k) / 10**digits; sums
    of weights where rows have them. `positives` and `negatives` are all rows, the unanswered ones among them."""

    position: int


class TalliesOut(BaseModel):
    tallies: list[TallyOut]


class CutoffPath(StudyPath):
    position: Id


class CutoffIn(Strict):
    value: Finite
    chosen_on: str = Field(description="the split whose rows were looked at when it was chosen")


class StepPath(StudyPath):
    step: Step


class ScopeBody(Strict):
    split: str
    show: list[Id] = Field(min_length=1)
    cutoffs: dict[Id, Finite] = {}
    of: str = Field(default="", description="of three classes or more, the one that is read against the rest")


class ExhibitIn(Strict):
    view: View
    scope: ScopeBody
    caption: str = Field(default="", max_length=2000)
    position: Id | None = None


class ExhibitPath(StudyPath):
    exhibit_id: Id


class CaptionIn(Strict):
    caption: str = Field(max_length=2000)


class OrderIn(Strict):
    order: list[Id]


class ExhibitOut(BaseModel):
    id: int
    view: View
    scope: ScopeBody
    caption: str


class DossierIn(Strict):
    """What is to change; what is left out stays."""

    heading: str = Field(default="", max_length=300)
    summary: str = Field(default="", max_length=100_000)
    decision_candidate: str | None = None
    decision_cutoff: Finite | None = None
    decision_note: str = Field(default="", max_length=20_000)


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


class DossierDraftOut(BaseModel):
    """A first draft of the argument, from the numbers at the kept cutoffs."""

    text: str


class DossierOut(BaseModel):
    """The draft report. `number` counts its changes and is its ETag; `differs` says where exhibits and the decision
    stand at different cutoffs."""

    number: int
    heading: str
    summary: str
    differs: list[str]
    decision_chosen: str = Field(description="where and how the decision's cutoff was chosen, in words")
    decision_candidate: str | None
    decision_cutoff: float | None
    decision_note: str
    exhibits: list[ExhibitOut]
    revisions: list[RevisionOut]
    preview: str


class RevisionPath(BaseModel):
    revision_id: Id


class SignIn(Strict):
    password: str


class ReturnIn(Strict):
    reason: str = Field(max_length=5000)


class ReportQuery(BaseModel):
    download: bool = False


class Health(BaseModel):
    status: Literal["ok"]
    skarlo: str
