"""What is evaluated: the rows, the candidates' answers, the settings. Arrays only; reading files is done elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from .counting.table import Sampling
from .language.condition import Condition
from .language.formula import Formula
from .language.truth import Values
from .number import BoolArray, Finding, FloatArray, IntArray

NAMED = ":named"  # in place of a field: all named conditions and marks, each against the other rows
BASE_RATE = "base rate"  # the baseline that gives every row the share of each class


@dataclass(frozen=True)
class Cutoff:
    """Predicted positive when score >= value.

    With a `rule`, the value is chosen by it on the study's tuning split, and `value` is not used. Of a value that was
    picked before, `chosen_on` names the split whose rows were looked at, and `chosen_by` says how: a rule with its
    parameters, or "by hand".
    """

    value: float = 0.5
    chosen_on: str | None = None
    rule: str | None = None
    parameters: Mapping[str, float] = field(default_factory=dict)
    chosen_by: Mapping[str, Any] = field(default_factory=dict)

    @property
    def measured(self) -> Cutoff:
        """What of it changes a number: where it was chosen does only where a rule chose it, which can be done over."""
        by_rule = self.chosen_by.get("rule", BY_HAND) != BY_HAND
        return self if self.rule or by_rule else replace(self, chosen_on=None)


BY_HAND = "by hand"


@dataclass(frozen=True)
class Candidate:
    """One classifier's answers for all rows of the hold-out.

    Exactly one of these is given:

    score : float64, shape (n,), NaN for no answer; two classes only
    probabilities : float64, shape (n, K), rows of NaN for no answer
    predicted : int64 class codes, shape (n,), -1 for no answer

    `no_answer` says how rows without an answer count: "error" (there are none), "wrong" or "left_out".
    """

    name: str
    score: FloatArray | None = None
    probabilities: FloatArray | None = None
    predicted: IntArray | None = None
    cutoff: Cutoff | None = None
    no_answer: str = "error"
    ranking_only: bool = False
    runs_now: bool = False
    version: str | None = None
    made_with: Mapping[str, Any] = field(default_factory=dict)
    price_per_1000: float | None = None
    latency_ms: float | None = None
    sha256: str | None = None

    @property
    def gives(self) -> Literal["scores", "classes", "probabilities"]:
        if self.score is not None:
            return "scores"
        return "probabilities" if self.probabilities is not None else "classes"


@dataclass(frozen=True)
class OwnMetric:
    """A metric of the study's own, with its direction: a formula with the values of its named costs, or a measure.

    measure : a name in `own.MEASURES`, with its parameters
    """

    name: str
    formula: Formula | None
    better: Literal["higher", "lower", "neither"]
    costs: Mapping[str, float] = field(default_factory=dict)
    measure: str | None = None
    parameters: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Gate:
    """A condition set in advance. Exactly one of at_least, at_most and against is given.

    where : the name of a condition, on whose rows alone it is read
    """

    metric: str
    text: str | None = None
    of_class: str | None = None
    at_least: float | None = None
    at_most: float | None = None
    against: str | None = None
    margin: float = 0.0
    read_at: str = "safe"
    on: str | None = None
    every: tuple[str, ...] = ()
    where: str = ""
    level: Literal["must", "should"] = "must"


@dataclass(frozen=True)
class Field:
    """A field of the hold-out to slice by: its values in order, and each row's code, shape (n,).

    conditions : of each value the condition that is true of its rows; empty where none are told
    listed : how many of the values, from the first, are slices; the others are only what these are held against
    """

    name: str
    values: tuple[str, ...]
    codes: IntArray
    conditions: tuple[str, ...] = ()
    listed: int | None = None


@dataclass(frozen=True)
class Settings:
    """The [settings] of a study. `confidence` is that of every interval; `seed` and `draws` rule the random ones."""

    confidence: float = 0.95
    seed: int = 1
    draws: int = 2000
    bins: int = 10
    min_slice: int = 30
    min_denominator: int = 10

    @property
    def sampling(self) -> Sampling:
        return Sampling(self.confidence, self.seed, self.draws, self.min_denominator)


@dataclass(frozen=True)
class Quoted:
    """A published result without its rows: metric values, or a whole matrix of counts, and where it is from."""

    name: str
    source: str
    metrics: Mapping[str, float] = field(default_factory=dict)
    matrix: tuple[tuple[int, ...], ...] | None = None


@dataclass(frozen=True)
class CutoffStudy:
    """How wide the choice of a cutoff is: the step of the sweep, and of how many catches the price is told."""

    step: float = 0.05
    catches: int = 10


@dataclass(frozen=True)
class Band:
    """A band for review between two cutoffs, or the one of least cost for the prices of a needless flag, a miss and a
    row that is looked at (`false_positive`, `false_negative`, `review`).

    on : the candidate it is of; all that have scores if None
    """

    low: float | None = None
    high: float | None = None
    least_cost: Mapping[str, float] | None = None
    on: str | None = None


@dataclass(frozen=True)
class FieldsOf:
    """The fields of the hold-out along a study's rows, each made ready when it is asked for.

    values : by name, as conditions read them; cut : cut into groups as the study says; searched : as slices are
    searched by it, of its name and the rows that are searched; searchable : tells which those are; named : the
    conditions that rows are sliced by as NAMED
    """

    values: Callable[[str], Values]
    cut: Callable[[str], Field]
    searched: Callable[[str, BoolArray], Any]
    searchable: Callable[[], Sequence[str]]
    named: Callable[[], Sequence[NamedCondition]] = lambda: ()

    def only(self, rows: BoolArray) -> FieldsOf:
        """The same along some of the rows, bool, shape (n,): values in groups as they lie among all of them."""
        at = np.flatnonzero(rows)

        def cut(name: str) -> Field:
            found = self.cut(name)
            return replace(found, codes=found.codes[rows])

        def searched(name: str, inside: BoolArray) -> Any:
            whole = np.zeros(len(rows), dtype=bool)
            whole[at[inside]] = True
            found = self.searched(name, whole)
            return replace(found, codes=found.codes[rows])

        def named() -> list[NamedCondition]:
            return [c if c.kept is None else replace(c, kept=c.kept[rows]) for c in self.named()]

        return FieldsOf(lambda name: self.values(name).only(rows), cut, searched, self.searchable, named)


@dataclass(frozen=True)
class NamedCondition:
    """A condition of the study's own. `kept` are the rows of which it was true once, shape (n,), where these stay its
    rows; `gone` says how many of them are there no longer, `since` when that was."""

    name: str
    condition: Condition
    kept: BoolArray | None = None
    gone: int = 0
    since: str = ""


@dataclass(frozen=True)
class SearchStudy:
    """A search for the slices that are served worst, by a rate or F1, or a loss by row; of every candidate, over all
    fields, where left out. of : of three classes and more, the class that the rate is of"""

    on: str | None = None
    metric: str = ""
    loss: str = ""
    fields: tuple[str, ...] = ()
    depth: int = 2
    of: str = ""


@dataclass(frozen=True)
class GroupStudy:
    """Whether the groups of a field, or of two, are treated alike, by some criteria. `rule` says what cutoffs for each
    group are to do: "least_cost", or be equal in a rate to within `gap_at_most`, at the least cost by `prices`."""

    by: tuple[str, ...]
    criteria: tuple[str, ...]
    against: str = ""
    of: str = ""
    rule: str = ""
    gap_at_most: float = 0.02
    prices: tuple[float, float] = (1.0, 1.0)


@dataclass(frozen=True)
class DoubtStudy:
    """What would follow if some labels are wrong: how many at most (None: as many as are listed beyond what is expected
    with every label right), of the rows marked (their places; None: of those listed), turned or dropped."""

    at_most: int | None = None
    how: Literal["flipped", "dropped"] = "flipped"
    marked: tuple[int, ...] | None = None


@dataclass(frozen=True)
class RowIds:
    """The ids of rows, read one by one.

    of : the id at a place in the hold-out
    places : where each row stands there, shape (n,); None where all rows are these
    """

    of: Callable[[int], str]
    places: IntArray | None = None

    def place(self, i: int) -> int:
        """Where a row stands in the hold-out."""
        return i if self.places is None else int(self.places[i])

    def __call__(self, i: int) -> str:
        return self.of(self.place(i))

    def only(self, rows: BoolArray) -> RowIds:
        """Those of some of the rows."""
        return RowIds(self.of, np.flatnonzero(rows) if self.places is None else self.places[rows])


@dataclass(frozen=True)
class Study:
    """One question about candidates on a held-out set.

    Attributes
    ----------
    classes : the labels; with two, negative first unless the study says otherwise
    actual : int64 codes into `classes`, shape (n,)
    positive : index of the positive class of two; None with more
    splits : name -> bool, shape (n,), in the order they are reported
    report_on, tune_on : which split is reported and which cutoffs are chosen on
    weight : float64 sampling weights, shape (n,), or None
    group : int64 codes of rows that belong together, shape (n,), or None
    slices : lists of fields to slice by, one or more at a time
    numbers : numeric fields that own metrics may sum, each float64, shape (n,)
    expected_base_rate : shares of positives where it will run
    cutoff_study : whether the results file tells how wide the choice of each cutoff is, and in what steps
    bands : bands for review, told of in the results file
    picked : whether the rows are a slice that was picked out: under min_slice of them only counts are told
    picked_by : the candidates by whose answers they were: no test is made of their numbers
    doubt : whether the results file tells of labels that may be wrong
    fields : the fields of the hold-out, where something of these is asked; marks : the rows that bear each mark
    cuts : of fields that are cut as the study says, the finite edges
    conditions, search, groups : what the results file tells besides
    ids : of the rows
    names, words : names to show for classes, and words for tp, fn, fp, tn
    """

    title: str
    classes: tuple[str, ...]
    actual: IntArray
    positive: int | None
    splits: Mapping[str, BoolArray]
    report_on: str
    tune_on: str | None
    candidates: tuple[Candidate, ...]
    settings: Settings = Settings()
    weight: FloatArray | None = None
    group: IntArray | None = None
    slices: tuple[tuple[Field, ...], ...] = ()
    numbers: Mapping[str, FloatArray] = field(default_factory=dict)
    metrics: tuple[OwnMetric, ...] = ()
    gates: tuple[Gate, ...] = ()
    expected_base_rate: tuple[float, ...] = ()
    names: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    sha256: str | None = None
    split_rows: Mapping[str, int] = field(default_factory=dict)
    findings: tuple[Finding, ...] = ()
    quoted: tuple[Quoted, ...] = ()
    cutoff_study: CutoffStudy | None = None
    bands: tuple[Band, ...] = ()
    doubt: DoubtStudy | None = None
    fields: FieldsOf | None = None
    marks: Mapping[str, BoolArray] = field(default_factory=dict)
    cuts: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    conditions: tuple[NamedCondition, ...] = ()
    search: tuple[SearchStudy, ...] = ()
    groups: tuple[GroupStudy, ...] = ()
    ids: RowIds = RowIds(str)
    picked: bool = False
    picked_by: tuple[str, ...] = ()

    @property
    def field_lists(self) -> list[tuple[str, ...]]:
        """The lists of fields to slice by, by name."""
        return [tuple(f.name for f in fields) for fields in self.slices]


def only(study: Study, rows: BoolArray) -> Study:
    """The same question on some of the rows. What is set or said of all rows does not go along: gates, quoted results,
    findings. Where fewer than min_slice rows are left of a split, only counts are told of it, as of any slice.

    rows : bool, shape (n,)

    Examples
    --------
    >>> import numpy as np
    >>> actual, score = np.array([0, 1, 0, 1]), np.array([0.2, 0.9, 0.7, 0.6])
    >>> one = Candidate("net", score=score, cutoff=Cutoff(0.5))
    >>> study = Study("q", ("no", "yes"), actual, 1, {"all": np.ones(4, dtype=bool)}, "all", None, (one,))
    >>> only(study, actual == 1).candidates[0].score.tolist()
    [0.9, 0.6]
    """
    candidates = tuple(
        replace(
            c, score=None if c.score is None else c.score[rows],
            probabilities=None if c.probabilities is None else c.probabilities[rows],
            predicted=None if c.predicted is None else c.predicted[rows],
        )
        for c in study.candidates
    )  # fmt: skip
    splits = {name: of[rows] for name, of in study.splits.items()}
    return replace(
        study, actual=study.actual[rows], splits=splits, candidates=candidates,
        weight=None if study.weight is None else study.weight[rows],
        group=None if study.group is None else study.group[rows],
        slices=tuple(tuple(replace(f, codes=f.codes[rows]) for f in fields) for fields in study.slices),
        numbers={name: x[rows] for name, x in study.numbers.items()},
        split_rows={name: int(np.count_nonzero(of)) for name, of in splits.items()}, gates=(), quoted=(), findings=(),
        ids=study.ids.only(rows), fields=None,
        marks={name: of[rows] for name, of in study.marks.items()},
        conditions=(), search=(), groups=(), doubt=None, picked=True,
    )  # fmt: skip


def merged(study: Study, groups: Sequence[int]) -> Study:
    """The same rows with some classes taken together: actual classes and classes that were answered are mapped,
    probabilities added; the largest of the added ones is predicted. What is set or said of the classes as they were
    does not go along: gates, quoted results, slices, own metrics, bands.

    groups : for each class in order the number of the group it goes to, from 0 without a gap

    Raises
    ------
    ValueError
        Where a class has no group, a number is left out, or there are fewer than two groups.

    Examples
    --------
    >>> import numpy as np
    >>> rows = np.ones(3, dtype=bool)
    >>> p = np.array([[0.4, 0.3, 0.3], [0.1, 0.8, 0.1], [0.6, 0.2, 0.2]])
    >>> s = Study("q", ("ash", "elm", "oak"), np.array([0, 1, 2]), None, {"all": rows}, "all", None,
    ...           (Candidate("net", probabilities=p),))
    >>> two = merged(s, (0, 1, 1))
    >>> two.classes, two.actual.tolist(), two.candidates[0].probabilities.round(1).tolist()
    (('ash', 'elm + oak'), [0, 1, 1], [[0.4, 0.6], [0.1, 0.9], [0.6, 0.4]])
    """
    count = max(groups, default=-1) + 1
    if len(groups) != len(study.classes) or set(groups) != set(range(count)) or count < 2:
        raise ValueError("each class goes to a group, from 0 without a gap, and there are two groups at least")
    to = np.asarray(groups, dtype=np.int64)
    adds = np.equal.outer(to, np.arange(count)).astype(np.float64)

    def of(c: Candidate) -> Candidate:
        if c.predicted is not None:
            return replace(c, predicted=np.where(c.predicted < 0, -1, to[c.predicted]), cutoff=None)
        if c.probabilities is None:
            raise ValueError("scores of two classes cannot be merged")
        return replace(c, probabilities=c.probabilities @ adds)

    named = [" + ".join(study.names.get(x, x) for x, g in zip(study.classes, groups, strict=True) if g == k)
             for k in range(count)]  # fmt: skip
    return replace(
        study, classes=tuple(named), actual=to[study.actual], positive=None, names={},
        candidates=tuple(of(c) for c in study.candidates), metrics=(), gates=(), quoted=(), slices=(), bands=(),
        cutoff_study=None, expected_base_rate=(), doubt=None,
        conditions=(), search=(), groups=(), cuts={},
    )  # fmt: skip
