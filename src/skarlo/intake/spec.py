"""The study file: what it may hold, read from TOML with every mistake named."""

from __future__ import annotations

import difflib
import tomllib
from datetime import date
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Discriminator,
    Field,
    PrivateAttr,
    StringConstraints,
    Tag,
    ValidationError,
    WithJsonSchema,
    field_validator,
    model_validator,
)

from skarlo.core import MEASURES, RULES

from .problems import InputError, Problem, refuse

Share = Annotated[float, Field(gt=0, lt=1)]
Name = Annotated[str, StringConstraints(min_length=1)]


def _as_text(value: Any) -> Any:
    """A label as it would stand in a CSV: whole numbers in decimal, true and false."""
    return str(value).lower() if isinstance(value, bool) else str(value) if isinstance(value, int) else value


Label = Annotated[
    str,
    BeforeValidator(_as_text),
    WithJsonSchema({"anyOf": [{"type": "string"}, {"type": "integer"}, {"type": "boolean"}]}),
]


Ids = Name | list[Label]  # a file of ids, or the ids themselves


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class SplitSpec(_Part):
    """[holdout.make_split]: a split where none exists; `tuning` is the share of rows that choices are made on."""

    by: Literal["class", "group", "time"]
    field: Name | None = None
    tuning: Share = 0.3
    seed: int = Field(default=1, ge=0)

    @model_validator(mode="after")
    def _fits(self) -> SplitSpec:
        if (self.by == "class") == (self.field is not None):
            raise ValueError("by class takes no field; by group and by time need one")
        return self


class HoldoutSpec(_Part):
    """[holdout]: the labelled rows and what each column is. `files` names one file for each split, in place of `path`;
    `merge` says which labels, as found, count as which class."""

    path: Name | None = None
    files: dict[Name, Name] = {}
    id: Name | None = None
    truth: Name
    positive: Label | None = None
    classes: list[Label] | None = None
    merge: dict[str, Label] = {}
    names: dict[str, str] = {}
    words: dict[Literal["tp", "fn", "fp", "tn"], str] = {}
    split: Name | None = None
    report_on: Label | None = None
    tune_on: Label | None = None
    also: list[Label] = []
    make_split: SplitSpec | None = None
    weight: Name | None = None
    group: Name | None = None
    slices: list[list[Name]] = []
    show: dict[str, Any] = {}
    expected_base_rate: Share | list[Share] | None = None
    marks: Name | dict[Name, list[Label]] | None = None
    notes: dict[Label, str] = {}

    @model_validator(mode="after")
    def _one_way(self) -> HoldoutSpec:
        if (self.path is None) == (not self.files):
            raise ValueError("the hold-out has either path, or files: one for each split")
        if self.split is not None and (self.files or self.make_split):
            raise ValueError("split names a column; files and make_split make one")
        if self.files and self.make_split:
            raise ValueError("files are splits already, so there is none to make")
        if self.make_split and (self.report_on or self.tune_on or self.also):
            raise ValueError("make_split makes tuning and test, and reports on test")
        return self

    @property
    def paths(self) -> list[str]:
        """Every file it is read from."""
        return list(self.files.values()) or [self.path or ""]


class QuotedSpec(_Part):
    """[[quoted]]: a published result without its rows: metric values, or a whole matrix, and where it is from."""

    name: Name
    source: Name
    metrics: dict[Name, Annotated[float, Field(allow_inf_nan=False)]] = {}
    matrix: list[list[Annotated[int, Field(ge=0)]]] | None = None

    @model_validator(mode="after")
    def _one_of(self) -> QuotedSpec:
        if bool(self.metrics) == (self.matrix is not None):
            raise ValueError("a quoted result has either metrics or a matrix")
        return self


class SettingsSpec(_Part):
    """[settings]: of every interval, of random draws, of what counts as thin."""

    confidence: float = Field(default=0.95, gt=0.5, lt=1.0)
    seed: int = Field(default=1, ge=0)
    draws: int = Field(default=2000, ge=100, le=1_000_000)
    bins: int = Field(default=10, ge=2, le=1000)
    min_slice: int = Field(default=30, ge=1)
    min_denominator: int = Field(default=10, ge=1)


def _known_rule(name: str) -> str:
    if name not in RULES:
        raise ValueError(f"there is no rule {name}; there are {', '.join(RULES)}")
    return name


def _names_of_rules(schema: dict[str, Any]) -> None:
    schema["enum"] = list(RULES)


RuleName = Annotated[str, AfterValidator(_known_rule), Field(json_schema_extra=_names_of_rules)]


class _Parameters(_Part):
    """What rules take."""

    false_positive: float | None = Field(default=None, ge=0, allow_inf_nan=False)
    false_negative: float | None = Field(default=None, ge=0, allow_inf_nan=False)
    value: float | None = Field(default=None, ge=0, le=1)
    share: float | None = Field(default=None, ge=0, le=1)
    rows: int | None = Field(default=None, ge=0)


class RuleSpec(_Parameters):
    """A cutoff chosen by a rule on the tuning split."""

    rule: RuleName

    @model_validator(mode="after")
    def _fits(self) -> RuleSpec:
        rule, given = RULES[self.rule], set(self.parameters())
        if rule.one_of:
            if len(given) != 1 or not given <= set(rule.takes):
                raise ValueError(f"{self.rule} takes exactly one of {' and '.join(rule.takes)}")
        elif given != set(rule.takes):
            raise ValueError(f"{self.rule} takes " + (" and ".join(rule.takes) or "no parameter"))
        return self

    def parameters(self) -> dict[str, float]:
        """The numbers that were given."""
        return {k: v for k, v in self.model_dump(exclude={"rule"}).items() if v is not None}


_NUMBER, _RULE = "(a number)", "(a rule)"
CutoffSpec = Annotated[
    Annotated[float, Field(allow_inf_nan=False), Tag(_NUMBER)] | Annotated[RuleSpec, Tag(_RULE)],
    Discriminator(lambda v: _RULE if isinstance(v, dict | RuleSpec) else _NUMBER),
]


class MetricSpec(_Part):
    """[[metrics]]: an own metric: a formula over the counts, or a measure with its parameters."""

    name: Name
    formula: Name | None = None
    measure: Literal[
        "expected_cost", "net_benefit", "partial_area", "recall_at_fpr", "precision_at_top", "top_k_accuracy"
    ] | None = None  # fmt: skip
    better: Literal["higher", "lower"] | None = None
    costs: dict[str, Annotated[float, Field(allow_inf_nan=False)]] = {}
    cost: list[list[Annotated[float, Field(allow_inf_nan=False)]]] | None = None
    no_answer: float | None = Field(default=None, allow_inf_nan=False)
    threshold: Share | None = None
    fpr_at_most: float | None = Field(default=None, gt=0, le=1)
    rows: int | None = Field(default=None, ge=1)
    share: float | None = Field(default=None, gt=0, le=1)
    k: int | None = Field(default=None, ge=1)

    @model_validator(mode="after")
    def _fits(self) -> MetricSpec:
        if (self.formula is None) == (self.measure is None):
            raise ValueError("an own metric has exactly one of formula and measure")
        given = set(self.parameters())
        if self.measure is None:
            if self.better is None:
                raise ValueError("a formula needs better: higher or lower")
            if given:
                raise ValueError(f"{' and '.join(sorted(given))} belong to a measure, not to a formula")
            return self
        kind = MEASURES[self.measure]
        needed = set(kind.parameters) - {"no_answer"}
        if self.measure == "precision_at_top":
            if len(given) != 1 or not given <= needed:
                raise ValueError("precision_at_top takes exactly one of rows and share")
        elif given - {"no_answer"} != needed or not given <= set(kind.parameters):
            raise ValueError(f"{self.measure} takes {' and '.join(kind.parameters)}")
        if self.costs:
            raise ValueError("costs belong to a formula; expected_cost takes cost, a row for each actual class")
        if self.better not in (None, kind.better):
            raise ValueError(f"of {self.measure}, {kind.better} is better")
        return self

    def parameters(self) -> dict[str, Any]:
        """What a measure was given."""
        names = ("cost", "no_answer", "threshold", "fpr_at_most", "rows", "share", "k")
        return {name: getattr(self, name) for name in names if getattr(self, name) is not None}

    @property
    def direction(self) -> Literal["higher", "lower", "neither"]:
        """Which way is better."""
        return self.better or MEASURES[self.measure or ""].better


class GateSpec(_Part):
    """[[gates]]: a condition set in advance."""

    text: str | None = None
    metric: Name
    of_class: Label | None = Field(default=None, alias="class")
    at_least: float | None = Field(default=None, allow_inf_nan=False)
    at_most: float | None = Field(default=None, allow_inf_nan=False)
    against: Name | None = None
    margin: float = Field(default=0.0, ge=0, allow_inf_nan=False)
    read_at: Literal["value", "low", "high", "safe"] = "safe"
    on: Name | None = None
    every: list[Name] = []
    where: Name | None = None
    level: Literal["must", "should"] = "must"

    @model_validator(mode="after")
    def _one_condition(self) -> GateSpec:
        if sum(x is not None for x in (self.at_least, self.at_most, self.against)) != 1:
            raise ValueError("a gate has exactly one of at_least, at_most and against")
        if self.where is not None and (self.every or self.against):
            raise ValueError("where goes with neither every nor against")
        return self


class ChosenSpec(_Parameters):
    """How a cutoff that is given as a number came about: by hand, or by a rule with its parameters."""

    rule: Literal["by hand"] | RuleName

    def told(self) -> dict[str, Any]:
        """The rule and its numbers."""
        return self.model_dump(exclude_none=True)


class CandidateSpec(_Part):
    """[[candidates]]: whose answers, in which file and columns."""

    name: Name
    path: Name | None = None
    id: Name | None = None
    score: Name | None = None
    predicted: Name | None = None
    probabilities: dict[str, Name] | None = None
    score_is: Literal["probability", "ranking"] | None = None
    cutoff: CutoffSpec | None = None
    cutoff_chosen_on: Label | None = None
    cutoff_chosen_by: ChosenSpec | None = None
    runs_now: bool = False
    no_answer: Literal["error", "wrong", "left_out"] = "error"
    reason: Name | None = None
    price: Name | None = None
    price_per_1000: float | None = Field(default=None, ge=0, allow_inf_nan=False)
    latency_ms: float | None = Field(default=None, ge=0, allow_inf_nan=False)
    version: str | None = None
    made_with: dict[str, Any] = {}


class CutoffStudySpec(_Part):
    """[cutoff_study]: the results file tells how wide the choice of each cutoff is."""

    step: float = Field(default=0.05, gt=0, le=1)
    catches: int = Field(default=10, ge=1)

    @field_validator("step")
    @classmethod
    def _goes_into_one(cls, step: float) -> float:
        if abs(round(1 / step) * step - 1) > 1e-9:
            raise ValueError("step goes into 1 a whole number of times: 0.1, 0.05, 0.01")
        return step


class ReviewCostSpec(_Part):
    """What a row costs: one that is flagged needlessly, one that is missed, one that is looked at."""

    false_positive: float = Field(ge=0, allow_inf_nan=False)
    false_negative: float = Field(ge=0, allow_inf_nan=False)
    review: float = Field(ge=0, allow_inf_nan=False)


class BandSpec(_Part):
    """[[bands]]: rows scored between two cutoffs are looked at by someone."""

    on: Name | None = None
    low: float | None = Field(default=None, allow_inf_nan=False)
    high: float | None = Field(default=None, allow_inf_nan=False)
    least_cost: ReviewCostSpec | None = None

    @model_validator(mode="after")
    def _fits(self) -> BandSpec:
        given = [x is not None for x in (self.low, self.high)]
        if (self.least_cost is not None and any(given)) or (self.least_cost is None and not all(given)):
            raise ValueError("a band has low and high, or least_cost")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"low is {self.low:g} and high {self.high:g}: low is at most high")
        return self


class KeptSpec(_Part):
    """A condition whose rows stay those of which it was true once, on the day `kept`: `ids` are theirs, or a CSV."""

    where: Name
    kept: date
    ids: Ids

    @field_validator("kept", mode="before")
    @classmethod
    def _a_day(cls, value: Any) -> Any:
        return date.fromisoformat(value) if isinstance(value, str) else value


_TEXT, _KEPT = "(a condition)", "(kept)"
ConditionSpec = Annotated[
    Annotated[Name, Tag(_TEXT)] | Annotated[KeptSpec, Tag(_KEPT)],
    Discriminator(lambda v: _KEPT if isinstance(v, dict | KeptSpec) else _TEXT),
]


class CutSpec(_Part):
    """[cuts]: how a field is cut into groups: a number at so many quantiles or at edges, a date by a period."""

    quantiles: int | None = Field(default=None, ge=2, le=100)
    edges: list[Annotated[float, Field(allow_inf_nan=False)]] = []
    by: Literal["year", "quarter", "month", "week", "day"] | None = None

    @model_validator(mode="after")
    def _one_way(self) -> CutSpec:
        if sum((self.quantiles is not None, bool(self.edges), self.by is not None)) != 1:
            raise ValueError("a field is cut in one way: quantiles, edges, or by a period")
        return self


class SearchSpec(_Part):
    """[[search]]: the slices that are served worst, by a metric or by a loss."""

    on: Name | None = None
    metric: Name | None = None
    loss: Literal["log_loss", "brier", "error"] | None = None
    fields: list[Name] = []
    depth: int = Field(default=2, ge=1, le=3)
    of_class: Label | None = Field(default=None, alias="class")

    @model_validator(mode="after")
    def _one_of(self) -> SearchSpec:
        if (self.metric is None) == (self.loss is None):
            raise ValueError("a search is by a metric or by a loss, one of them")
        return self


CRITERIA = (
    "flagged_share", "recall", "fpr", "recall_and_fpr", "precision", "npv", "calibration_in_the_large", "accuracy",
)  # fmt: skip


class GroupCutoffsSpec(_Part):
    """What cutoffs for each group are to do: be equal in a rate at the least cost, or cost least."""

    equal: Literal["recall", "fpr", "flagged_share", "precision"] | None = None
    gap_at_most: float = Field(default=0.02, ge=0, le=1)
    rule: Literal["least_cost"] | None = None
    false_positive: float = Field(default=1.0, ge=0, allow_inf_nan=False)
    false_negative: float = Field(default=1.0, ge=0, allow_inf_nan=False)

    @model_validator(mode="after")
    def _one_of(self) -> GroupCutoffsSpec:
        if (self.equal is None) == (self.rule is None):
            raise ValueError("cutoffs for groups have equal or rule, one of them")
        return self


class GroupsSpec(_Part):
    """[[groups]]: whether the groups of a field, or of two, are treated alike."""

    by: list[Name] = Field(min_length=1, max_length=2)
    criteria: list[Annotated[str, AfterValidator(lambda x: _criterion(x))]] = [
        "flagged_share", "recall", "fpr", "precision", "calibration_in_the_large",
    ]  # fmt: skip
    against: str | None = None
    cutoffs: GroupCutoffsSpec | None = None
    of_class: Label | None = Field(default=None, alias="class")


def _criterion(name: str) -> str:
    if name not in CRITERIA:
        raise ValueError(f"there is no criterion {name}; there are {', '.join(CRITERIA)}")
    return name


class DoubtSpec(_Part):
    """[doubt]: labels that may be wrong; `marked` are their ids, or a CSV with these; if left out those of the rule."""

    marked: Ids | None = None
    at_most: int | None = Field(default=None, ge=1)
    how: Literal["flipped", "dropped"] = "flipped"


class ShownSpec(_Part):
    """[shown]: what stands on screen where nobody chose otherwise: metrics side by side, in order, and which axis of a
    matrix lies across. It changes no number."""

    metrics: list[Name] = []
    across: Literal["predicted", "actual"] = "predicted"


class StudySpec(_Part):
    """A whole study file."""

    format: Literal["skarlo.study/1"]
    title: str
    holdout: HoldoutSpec
    settings: SettingsSpec = SettingsSpec()
    candidates: list[CandidateSpec] = Field(min_length=1)
    metrics: list[MetricSpec] = []
    gates: list[GateSpec] = []
    quoted: list[QuotedSpec] = []
    cutoff_study: CutoffStudySpec | None = None
    bands: list[BandSpec] = []
    conditions: dict[Name, ConditionSpec] = {}
    cuts: dict[Name, CutSpec] = {}
    search: list[SearchSpec] = []
    groups: list[GroupsSpec] = []
    doubt: DoubtSpec | None = None
    shown: ShownSpec = ShownSpec()
    _file: str = PrivateAttr(default="")

    @property
    def file(self) -> str:
        """The name of the study file it was read from; "" where there is none."""
        return self._file

    @property
    def lists(self) -> list[str]:
        """The files of ids that it asks by, besides those of rows and answers."""
        kept = [c.ids for c in self.conditions.values() if isinstance(c, KeptSpec)]
        marked = None if self.doubt is None else self.doubt.marked
        return [x for x in (*kept, marked, self.holdout.marks) if isinstance(x, str)]


# What a study file asks for besides its files.
ASKS = frozenset(StudySpec.model_fields) - {"format", "title", "holdout", "candidates"}


def read_spec(path: Path) -> StudySpec:
    """Read study.toml. Raises InputError with every mistake in it."""
    try:
        data = path.read_bytes()
    except OSError as e:
        raise refuse(f"cannot be read: {e.strerror}", file=path.name) from e
    return parse_spec(read_toml(data, path.name), path.name)


def read_toml(data: bytes, file: str) -> dict[str, Any]:
    """Plain data from TOML. Raises InputError."""
    try:
        return tomllib.loads(data.decode("utf-8").replace("\r\n", "\n"))
    except UnicodeDecodeError as e:
        raise refuse("is not UTF-8 text", file=file) from e
    except (ValueError, RecursionError) as e:  # also a number of more digits than Python turns into one
        raise refuse(f"is not TOML: {e}", file=file) from e


def parse_spec(data: dict[str, Any], file: str) -> StudySpec:
    """A study from plain data. Raises InputError with every mistake in it."""
    try:
        spec = StudySpec.model_validate(data)
    except ValidationError as e:
        raise InputError([_problem(error, file) for error in e.errors()]) from e
    spec._file = file
    return spec


_PARTS: dict[str, type[BaseModel]] = {
    "holdout": HoldoutSpec, "settings": SettingsSpec, "candidates": CandidateSpec, "metrics": MetricSpec,
    "gates": GateSpec, "quoted": QuotedSpec, "cutoff_study": CutoffStudySpec, "bands": BandSpec,
    "shown": ShownSpec, "conditions": KeptSpec, "cuts": CutSpec, "search": SearchSpec, "groups": GroupsSpec,
    "doubt": DoubtSpec,
}  # fmt: skip


def _keys(model: type[BaseModel]) -> list[str]:
    return [field.alias or name for name, field in model.model_fields.items()]


def _problem(error: Any, file: str) -> Problem:
    steps = [part for part in error["loc"] if part not in (_NUMBER, _RULE, _TEXT, _KEPT)]
    path = ".".join(str(part + 1) if isinstance(part, int) else str(part) for part in steps)
    if error["type"] == "extra_forbidden":
        part = _PARTS.get(str(error["loc"][0])) if len(error["loc"]) > 1 else StudySpec
        part = RuleSpec if _RULE in error["loc"] else part
        known = _keys(part or StudySpec)
        near = difflib.get_close_matches(str(error["loc"][-1]), known, n=1, cutoff=0.5)
        hint = f"the nearest known key is {near[0]}" if near else f"one of {', '.join(known)}"
        return Problem(f"unknown key {path}", file=file, expected=hint)
    if error["type"] == "missing":
        return Problem(f"{path} is missing", file=file)
    if error["type"] == "value_error":
        return Problem(f"{path}: {error['ctx']['error']}", file=file)
    return Problem(f"{path} does not fit", file=file, found=_found(error["input"]), expected=_expected(error))


# What pydantic's kinds of fault ask for, in plain words.
_KINDS = {
    "string_type": "text", "bool_type": "true or false", "list_type": "a list", "dict_type": "a table",
    "model_type": "a table", "model_attributes_type": "a table", "float_type": "a number", "int_type": "a whole number",
    "int_from_float": "a whole number", "finite_number": "a finite number",
    "string_too_short": "text that is not empty", "too_short": "at least one", "literal_error": "{expected}",
    "greater_than": "more than {gt:g}",
    "greater_than_equal": "at least {ge:g}", "less_than": "less than {lt:g}", "less_than_equal": "at most {le:g}",
}  # fmt: skip


def _found(value: Any) -> str:
    """A value as it stands in the file, as far as it is plain."""
    if isinstance(value, str):
        return value
    if isinstance(value, dict | list):
        return "a table" if isinstance(value, dict) else "a list"
    return str(value).lower() if isinstance(value, bool) else str(value)


def _expected(error: Any) -> str:
    said: str = _KINDS.get(error["type"], "")
    return said.format(**error.get("ctx", {})) or str(error["msg"])
