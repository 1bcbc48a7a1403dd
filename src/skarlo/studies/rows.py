"""The rows of a study, kept as one Parquet file: filtered, sorted, and read a page at a time."""

from __future__ import annotations

import tempfile
import threading
from collections import OrderedDict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from skarlo import core
from skarlo.intake.joined import ACTUAL, FIELD, ROW, SPLIT
from skarlo.intake.read import as_text
from skarlo.intake.values import kind_of, values_of

from .refusals import Missing, Refusal

CHUNK = 1 << 20
MOST = 1000  # rows of one page


MOST_PLACES = 8  # orders that are at hand
_PLACES: OrderedDict[tuple[Any, ...], core.IntArray] = OrderedDict()
_PLACES_LOCK = threading.Lock()
ORDERS: dict[str, Callable[..., core.IntArray]] = {
    "wrong": core.cases.most_wrong, "unsure": core.cases.least_sure, "disagreement": core.cases.disagreement,
}  # fmt: skip


MOST_GROUPS = 400  # values of a field up to which it is sliced by


@lru_cache(maxsize=256)
def _kinds(path: Path) -> dict[str, core.ConditionKind]:
    """What each field is in a condition and in slices."""
    out: dict[str, core.ConditionKind] = {}
    for column, dtype in pl.read_parquet_schema(path).items():
        if column.startswith(FIELD):
            one = pl.scan_parquet(path).select(column)
            some = one.collect() if dtype not in (pl.String, pl.Categorical) else one.unique().collect()
            out[column.removeprefix(FIELD)] = kind_of(some.to_series())
    return out


@lru_cache(maxsize=24)
def _column(path: Path, name: str) -> pl.Series:
    """A column of all rows; the last few are at hand."""
    return pl.scan_parquet(path).select(name).collect().to_series()


@lru_cache(maxsize=24)
def _values(path: Path, name: str) -> core.ConditionValues:
    """A field of all rows as conditions and slices read it; the last few are at hand."""
    found = pl.scan_parquet(path).select(f"{FIELD}{name}").collect().to_series()
    return values_of(found, _kinds(path)[name])


def as_parquet(table: pl.DataFrame) -> Iterator[bytes]:
    """A table as the bytes of a Parquet file, piece by piece."""
    with tempfile.NamedTemporaryFile(suffix=".parquet") as made:
        table.write_parquet(made.name, compression="zstd", statistics=True)
        with Path(made.name).open("rb") as f:
            while chunk := f.read(CHUNK):
                yield chunk


@dataclass(frozen=True, kw_only=True)
class Wanted:
    """Which rows, in which order.

    Attributes
    ----------
    split : rows of it; of any where left out
    where : fields with the value that a row has to have, as text
    actual : code of the actual class
    candidate : whose answer is looked at (from 0), with the code of the class it predicts, -1 for no answer
    condition : true of them; what it says of an answer without saying whose is of that candidate
    sort : "row", a field as "field:NAME"; of that candidate "score", "wrong" (most wrong first) or "unsure" (least sure
        first); "disagreement" of all candidates; down : turned round, of numbers the largest first
    start, count : which of them
    """

    split: str = ""
    where: Mapping[str, str] = field(default_factory=dict)
    actual: int | None = None
    candidate: int | None = None
    predicted: int | None = None
    condition: core.Condition | None = None
    sort: str = ROW
    down: bool = False
    start: int = 0
    count: int = 100


@dataclass(frozen=True)
class Answer:
    """What a candidate answered for a row: where in its file, its score or each class's probability, the code of the
    class that is predicted (-1: no answer; None: no cutoff), and why, where it states a reason."""

    place: int | None
    score: float | None
    probabilities: list[float] | None
    predicted: int | None
    reason: str | None = None


@dataclass(frozen=True)
class Row:
    """A row: its place in the hold-out file, its split, the code of its class, its fields as text, its answers."""

    row: int
    split: str
    actual: int
    fields: dict[str, str | None]
    answers: list[Answer]


@dataclass(frozen=True)
class Page:
    """Some rows, of all that are as wanted; of how many others the condition can not be told."""

    total: int
    rows: list[Row]
    unknown: int = 0


class Rows:
    """The rows of a study.

    Parameters
    ----------
    path : the Parquet file, of `skarlo.intake.joined`
    study : whose rows these are
    cutoffs : each candidate's, None where it has none
    letters : each candidate's
    aside : columns of the hold-out that say nothing of what a row is like: its id, class, split, text, picture …
    marks : the rows that bear each mark, by their places in the hold-out from 1
    """

    def __init__(
        self, path: Path, study: core.Study, cutoffs: Sequence[core.Cutoff | None], letters: Sequence[str] = (),
        aside: Collection[str] = (), marks: Mapping[str, frozenset[int]] | None = None,
    ) -> None:  # fmt: skip
        self.path, self.study, self.letters, self.aside, self.marks = path, study, letters, aside, marks or {}
        self.cutoffs = [None if c is None else c.value for c in cutoffs]
        self.columns = list(pl.read_parquet_schema(path))

    @property
    def fields(self) -> list[str]:
        """The fields, in the hold-out's order."""
        return [name.removeprefix(FIELD) for name in self.columns if name.startswith(FIELD)]

    @property
    def places(self) -> core.IntArray:
        """Where each row stands in the hold-out file, from 1."""
        return _column(self.path, ROW).to_numpy()

    def kind(self, name: str) -> core.ConditionKind:
        """What a field is in a condition."""
        return _kinds(self.path)[name]

    @property
    def last(self) -> int:
        """The greatest place of a row."""
        return int(_column(self.path, ROW)[-1])

    def page(self, wanted: Wanted) -> Page:
        """Some of the rows that are as wanted. Raises Missing for a split or field that there is not."""
        mask, unknown = self._meant(wanted), 0
        if wanted.condition is not None:
            truth = self._truth(wanted.condition, wanted.candidate)
            unknown = int(np.count_nonzero(mask & truth.unknown))
            mask = mask & truth.true
        found = np.flatnonzero(mask)
        some = self._in_order(found, wanted)[wanted.start : wanted.start + min(wanted.count, MOST)]
        return Page(len(found), self._rows_at(some), unknown)

    def _meant(self, wanted: Wanted) -> core.BoolArray:
        """Which rows are of the split, the fields' values and the classes that are asked for."""
        n = len(self.study.actual)
        if wanted.split and wanted.split not in self.study.splits:
            raise Missing(f"there is no split {wanted.split}", "split")
        mask = self.study.splits[wanted.split] if wanted.split else np.ones(n, dtype=bool)
        for name, value in wanted.where.items():
            mask = mask & (self.texts(name) == value).to_numpy()
        if wanted.actual is not None:
            mask = mask & (self.study.actual == wanted.actual)
        if wanted.candidate is not None and wanted.predicted is not None:
            mask = mask & (self.said(wanted.candidate) == wanted.predicted)
        return mask

    def _in_order(self, found: core.IntArray, wanted: Wanted) -> core.IntArray:
        """Rows in the order that is asked for; what has no value stands last, whichever way."""
        if wanted.sort == ROW:
            return found[::-1] if wanted.down else found
        if wanted.sort in ORDERS:
            place = self._place(wanted)[found]
            order = np.argsort(place, kind="stable")
            return found[order[::-1] if wanted.down else order]
        by = pl.DataFrame({"at": found, "by": _column(self.path, self._order(wanted)).gather(found)})
        return by.sort("by", descending=wanted.down, nulls_last=True, maintain_order=True)["at"].to_numpy()

    def _rows_at(self, at: core.IntArray) -> list[Row]:
        """Rows by where they stand among the study's, in that order."""
        if not len(at):
            return []
        wanted = _column(self.path, ROW).gather(at)
        found = pl.scan_parquet(self.path).filter(pl.col(ROW).is_in(wanted.implode())).collect()
        return self._told(wanted.to_frame().join(found, on=ROW, how="left", maintain_order="left"))

    def said(self, i: int) -> core.IntArray:
        """The code of the class that a candidate predicts at its cutoff: -1 for no answer, -2 without a cutoff."""
        c, cutoff, positive = self.study.candidates[i], self.cutoffs[i], self.study.positive or 0
        if c.predicted is not None:
            return c.predicted.astype(np.int64)
        if c.score is not None:
            if cutoff is None:
                return np.full(len(c.score), -2)
            with np.errstate(invalid="ignore"):
                said = np.where(c.score >= cutoff, positive, 1 - positive)
            return np.where(np.isnan(c.score), -1, said)
        assert c.probabilities is not None
        absent = np.isnan(c.probabilities[:, 0])
        return np.where(absent, -1, np.where(absent[:, None], 0.0, c.probabilities).argmax(axis=1))

    def names(self) -> core.ConditionNames:
        """What a condition may speak of here."""
        kinds = _kinds(self.path)
        every = [c.name for c in self.study.candidates]
        scoring = [i for i in range(len(every)) if f"{i}:score" in self.columns]
        called = [*every, *self.letters]
        scored = frozenset(
            called[i + k] for i in scoring for k in (0, len(every)) if i + k < len(called)
        )  # fmt: skip
        shown = {name: label for label, name in self.study.names.items()}
        named = frozenset(c.name for c in self.study.conditions)
        return core.ConditionNames(
            kinds, self.study.classes, called, scored, frozenset(self.marks) or None, shown, named
        )  # fmt: skip

    def _truth(self, condition: core.Condition, candidate: int | None) -> core.Truth:
        """Of all rows whether a condition is true."""
        rows, every = len(self.study.actual), [c.name for c in self.study.candidates]

        def whose(name: str | None) -> int:
            if name is None and candidate is None:
                raise Refusal("say whose answer is meant", "candidate")
            return candidate or 0 if name is None else self._whose(name)

        def predicted(name: str | None) -> core.Texts:
            return core.Texts(self.study.classes, np.maximum(self.said(whose(name)), -1))

        def score(name: str | None) -> core.Numbers:
            i = whose(name)
            found = self.study.candidates[i].score
            if found is None:
                raise Refusal(f"{every[i]} gives no score", "condition")
            return core.Numbers(found)

        def marked(name: str) -> core.BoolArray:
            if name not in self.marks:
                raise Missing(f"no row is marked “{name}”", "condition")
            return np.isin(_column(self.path, ROW).to_numpy(), np.array(sorted(self.marks[name])))

        def named(name: str) -> core.Truth:
            c = self._named(name)
            if c.kept is not None:
                return core.Truth(c.kept, np.zeros(rows, dtype=bool))
            return c.condition.evaluate(replace(table, marked=self.study.marks.__getitem__))

        actual = core.Texts(self.study.classes, self.study.actual.astype(np.int64))
        table = core.ConditionTable(rows, self.values, lambda: actual, predicted, score, marked, named)
        return condition.evaluate(table)

    def _named(self, name: str) -> core.NamedCondition:
        return next(c for c in self.study.conditions if c.name == name)

    def values(self, name: str) -> core.ConditionValues:
        """A field of all rows, in the study's order. Raises Missing for one that there is not."""
        if name not in self.fields:
            raise Missing(f"there is no field {name}", "fields")
        return _values(self.path, name)

    def cut(self, asked: str) -> core.Field:
        """A field to slice by, cut as asked for: "girth", "girth:4", "girth:10|20", "seen:month".

        Raises
        ------
        Missing
            Where there is no such field.
        Refusal
            Where it is not cut so, or has too many values.
        """
        name, _, how = (asked, "", "") if asked in self.fields else asked.rpartition(":")
        values, inside = self.values(name or asked), self.study.splits[self.study.report_on]
        try:
            found = core.cut(name, values, _kinds(self.path)[name], inside, core.parse_cut(how) if how else None).field
        except ValueError as e:
            raise Refusal(str(e), "fields") from e
        if len(found.values) > MOST_GROUPS:
            raise Refusal(f"{name} has {len(found.values):,} values: at most {MOST_GROUPS} can be sliced by", "fields")
        return found

    def searchable(self) -> list[str]:
        """The fields that slices are searched by: those that say what a row is like, but for text of many values."""
        out = []
        for name in self.fields:
            if name in self.aside:
                continue
            if _kinds(self.path)[name] == "text":
                distinct = pl.scan_parquet(self.path).select(pl.col(f"{FIELD}{name}").n_unique()).collect().item()
                if distinct > MOST_GROUPS:
                    continue
            out.append(name)
        return out

    def searched(self, name: str, inside: core.BoolArray) -> core.SearchField:
        """A field as slices are searched by it; quantiles and frequencies are those of the rows inside."""
        return core.search_field(name, self.values(name), _kinds(self.path)[name], inside)

    def within(self, where: Sequence[tuple[str, str]]) -> core.BoolArray:
        """Which rows have these values, bool, shape (n,), along the study's rows; with no name beside it, a text is a
        condition. Raises Missing where none has, and Refusal for a wrong condition."""
        found = np.ones(len(self.study.actual), dtype=bool)
        for name, value in where:
            if name:
                found = found & (self.texts(name) == value).to_numpy()
        for text in (text for name, text in where if not name):
            found = found & self.truth(text).true
        if not found.any():
            what = " and ".join(f"{name} “{value}”" if name else value for name, value in where)
            raise Missing(f"no row has {what}", "within")
        return found

    def truth(self, text: str) -> core.Truth:
        """Of all rows whether a condition is true that is the same for every candidate and at every cutoff. Raises
        Refusal for another, or a wrong one."""
        condition = self._lasting(text)
        following = [c.condition for c in map(self._named, condition.named) if c.kept is None]
        for what, of in sorted({x for c in (condition, *following) for x in c.answers}, key=str):
            if of is None:
                raise Refusal(f"{text}: say whose answer is meant, as {what}({self.letters[0]})", "within")
            i = self._whose(of)
            if what == "predicted" and self.study.candidates[i].score is not None:
                raise Refusal(
                    f"{text}: what {of} predicts moves with its cutoff, so these would be other rows at each; say "
                    f"score({of}) >= … instead, or read them in the Casebook",
                    "within",
                )
        return self._truth(condition, None)

    def where(self, text: str, candidate: int | None) -> core.Truth:
        """Of all rows whether a condition is true; what it says of an answer without saying whose is of the candidate.
        Raises Refusal for a wrong one."""
        return self._truth(self._lasting(text), candidate)

    def said_of(self, text: str, candidate: int) -> str:
        """A condition that says whose answers it means, where it meant those of a candidate. Raises Refusal."""
        return self._lasting(text).told_of(self.letters[candidate]).text

    def picked_by(self, where: Sequence[tuple[str, str]]) -> list[str]:
        """The candidates by whose answers rows are picked, in the study's order; all of them where rows were kept by
        answers without saying whose."""
        every = [self._lasting(text) for name, text in where if not name]
        every += [self._named(name).condition for c in every for name in c.named]
        said = {of for c in every for _, of in c.answers}
        read = {self._whose(of) for of in said if of}
        return [c.name for i, c in enumerate(self.study.candidates) if None in said or i in read]

    def _lasting(self, text: str) -> core.Condition:
        try:
            return core.parse_condition(text, self.names())
        except core.ConditionError as e:
            raise Refusal(str(e), "within") from e

    def _whose(self, name: str) -> int:
        every = [c.name for c in self.study.candidates]
        return every.index(name) if name in every else list(self.letters).index(name)

    def texts(self, name: str) -> pl.Series:
        """A field of all rows as it is written in slices: as text, empty where it is absent."""
        if name not in self.fields:
            raise Missing(f"there is no field {name}", "within")
        return as_text(_column(self.path, f"{FIELD}{name}"))

    def _answered(self, i: int, rows: core.BoolArray) -> core.cases.Answered:
        """A candidate's answers on some rows."""
        c, cutoff = self.study.candidates[i], self.cutoffs[i]
        said = np.maximum(self.said(i), -1)
        score = c.score if c.score is None else c.score[rows]
        if self.study.positive is not None and c.probabilities is not None:
            score = c.probabilities[rows, self.study.positive]
        several = self.study.positive is None and c.probabilities is not None
        return core.cases.Answered(
            self.study.actual[rows], said[rows], self.study.positive, score,
            score is not None and not c.ranking_only and bool(((score >= 0) & (score <= 1) | np.isnan(score)).all()),
            c.probabilities[rows] if several and c.probabilities is not None else None, cutoff,
        )  # fmt: skip

    def _place(self, wanted: Wanted) -> core.IntArray:
        """Of each row of the split where it stands in an order made of the answers; the last few are at hand."""
        if wanted.sort != "disagreement" and wanted.candidate is None:
            raise Refusal("say whose answer is meant", "candidate")
        of = (
            tuple(self.cutoffs)
            if wanted.sort == "disagreement"
            else (wanted.candidate, self.cutoffs[wanted.candidate or 0])
        )
        key = (self.path, wanted.sort, wanted.split, of)
        with _PLACES_LOCK:
            if key in _PLACES:
                _PLACES.move_to_end(key)
                return _PLACES[key]
        made = self._made_place(wanted)
        with _PLACES_LOCK:
            _PLACES[key] = made
            while len(_PLACES) > MOST_PLACES:
                _PLACES.popitem(last=False)
        return made

    def _made_place(self, wanted: Wanted) -> core.IntArray:
        n = len(self.study.actual)
        rows = self.study.splits.get(wanted.split, np.ones(n, dtype=bool))
        if wanted.sort == "disagreement":
            every = [self._answered(i, rows) for i in range(len(self.study.candidates))]
            order = core.cases.disagreement(
                [a.predicted for a in every], [a.score for a in every if a.score is not None and a.probable]
            )
        else:
            order = ORDERS[wanted.sort](self._answered(wanted.candidate or 0, rows))
        place = np.full(n, n, dtype=np.int64)
        place[np.flatnonzero(rows)[order]] = np.arange(len(order))
        return place

    def nearest(
        self, row: int, candidate: int, split: str, most: int, embedding: Sequence[str] = ()
    ) -> list[tuple[core.cases.Nearest, Row]]:  # fmt: skip
        """The rows of a split that lie closest to one and to which a candidate answers another class.

        row : its place in the hold-out file, from 1
        embedding : numeric fields by which they lie close; by what a row is like where left out

        Raises
        ------
        Missing
            Where there is no such row in any split.
        """
        place = _column(self.path, ROW).to_numpy()
        at = int(np.searchsorted(place, row))
        if at == len(place) or place[at] != row:
            raise Missing(f"there is no row {row:,}", "row")
        kinds = _kinds(self.path)
        fields = {name: self.values(name) for name in self.fields if name not in self.aside}
        alike = {name: x for name, x in fields.items() if not (
            kinds[name] == "text" and isinstance(x, core.Texts) and len(x.categories) > MOST_GROUPS
        )}  # fmt: skip
        inside = self.study.splits.get(split, np.ones(len(self.study.actual), dtype=bool))
        every = self._answered(candidate, np.ones(len(self.study.actual), dtype=bool))
        among = inside & (every.predicted != every.predicted[at]) & (every.predicted >= 0)
        lies = self._embedded(embedding) if embedding else None
        found = core.cases.nearest(int(at), alike, among, inside, most, every.score, lies)
        return list(zip(found, self._rows_at(np.array([n.row for n in found])), strict=True))

    def _embedded(self, fields: Sequence[str]) -> core.FloatArray:
        """Numeric fields as one array, shape (n, d). Raises Refusal for a field that is no number."""
        each = [self.values(name) for name in fields]
        if not all(isinstance(x, core.Numbers) for x in each):
            raise Refusal("an embedding is of numeric fields", "by")
        return np.stack([x.values for x in each if isinstance(x, core.Numbers)], axis=1)

    def _order(self, wanted: Wanted) -> str:
        """The column that rows are sorted by."""
        if wanted.sort == "score":
            name = f"{wanted.candidate or 0}:score"
            if name not in self.columns:
                raise Missing("this candidate gives no score to sort by", "sort")
            return name
        if wanted.sort not in self.columns or not wanted.sort.startswith(FIELD):
            raise Missing(f"there is no field {wanted.sort.removeprefix(FIELD)}", "sort")
        return wanted.sort

    def _predicted(self, i: int) -> pl.Expr:
        """The code of the class that a candidate predicts at its cutoff, -1 for no answer; null without a cutoff."""
        if f"{i}:predicted" in self.columns:
            return pl.col(f"{i}:predicted")
        if f"{i}:score" in self.columns:
            cutoff, positive = self.cutoffs[i], self.study.positive or 0
            if cutoff is None:
                return pl.lit(None, dtype=pl.Int32)
            score = pl.col(f"{i}:score")
            said = pl.when(score >= cutoff).then(positive).otherwise(1 - positive)
            return pl.when(score.is_null()).then(-1).otherwise(said)
        each = [pl.col(name) for name in self.columns if name.startswith(f"{i}:probability:")]
        likely = pl.concat_list(each).list.arg_max().cast(pl.Int32)
        return pl.when(each[0].is_null()).then(-1).otherwise(likely)

    def _told(self, some: pl.DataFrame) -> list[Row]:
        fields = {name: as_text(some[f"{FIELD}{name}"]).to_list() for name in self.fields}
        absent = {name: some[f"{FIELD}{name}"].is_null().to_list() for name in self.fields}
        answers = [self._answers(i, some) for i in range(len(self.study.candidates))]
        return [
            Row(
                row, split, actual,
                {name: None if absent[name][k] else text[k] for name, text in fields.items()},
                [of[k] for of in answers],
            )
            for k, (row, split, actual) in enumerate(some.select(ROW, SPLIT, ACTUAL).iter_rows())
        ]  # fmt: skip

    def _answers(self, i: int, some: pl.DataFrame) -> list[Answer]:
        def column(name: str) -> list[Any]:
            return some[name].to_list() if name in some.columns else [None] * some.height

        each = [some[name].to_list() for name in self.columns if name.startswith(f"{i}:probability:")]
        said, why = some.select(self._predicted(i).alias("said"))["said"].to_list(), column(f"{i}:reason")
        return [
            Answer(
                place or None, score, [p[k] for p in each] if each and each[0][k] is not None else None, said[k], why[k]
            )
            for k, (place, score) in enumerate(zip(column(f"{i}:place"), column(f"{i}:score"), strict=True))
        ]  # fmt: skip
