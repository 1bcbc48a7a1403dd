"""The rows of a study, kept as one Parquet file: filtered, sorted, and read a page at a time."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np
import polars as pl

from skarlo import core
from skarlo.intake.joined import ACTUAL, FIELD, ROW, SPLIT
from skarlo.intake.read import as_text

from .refusals import Missing, Refusal

CHUNK = 1 << 20
MOST = 1000  # rows of one page


TRUE, UNKNOWN = "condition:true", "condition:unknown"


def _kind(dtype: pl.DataType) -> Literal["text", "number", "date"]:
    """What a field is in a condition."""
    if dtype.is_numeric():
        return "number"
    return "date" if dtype in (pl.Date, pl.Datetime) else "text"


def _coded(values: pl.Series) -> core.Texts:
    """Text by row as codes into the sorted texts; what is absent or empty has none."""
    text = as_text(values).set(values.is_null(), None)
    text = text.set(text == "", None)
    codes = text.rank("dense").cast(pl.Int64).fill_null(0) - 1
    return core.Texts(text.drop_nulls().unique().sort().to_list(), codes.to_numpy())


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
    sort : "row", a field as "field:NAME", or "score" of that candidate; down : the largest first
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
    """What a candidate answered for a row: where in its file, its score or each class's probability, and the code of
    the class that is predicted (-1: no answer; None: no cutoff)."""

    place: int | None
    score: float | None
    probabilities: list[float] | None
    predicted: int | None


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
    """

    def __init__(
        self, path: Path, study: core.Study, cutoffs: Sequence[core.Cutoff | None], letters: Sequence[str] = ()
    ) -> None:
        self.path, self.study, self.letters = path, study, letters
        self.cutoffs = [None if c is None else c.value for c in cutoffs]
        self.columns = list(pl.read_parquet_schema(path))

    @property
    def fields(self) -> list[str]:
        """The fields, in the hold-out's order."""
        return [name.removeprefix(FIELD) for name in self.columns if name.startswith(FIELD)]

    def page(self, wanted: Wanted) -> Page:
        """Some of the rows that are as wanted. Raises Missing for a split or field that there is not."""
        found, unknown = pl.scan_parquet(self.path), 0
        if wanted.condition is not None:
            truth = self._truth(wanted.condition, wanted.candidate)
            told = [pl.Series(name, values) for name, values in ((TRUE, truth.true), (UNKNOWN, truth.unknown))]
            found = found.with_columns(*told)
            unknown = int(found.filter([*self._all_of(wanted), pl.col(UNKNOWN)]).select(pl.len()).collect().item())
            found = found.filter(pl.col(TRUE))
        found = found.filter(self._all_of(wanted))
        total = int(found.select(pl.len()).collect().item())
        by = self._order(wanted)
        if by is not None:
            found = found.sort(by, descending=wanted.down, nulls_last=True, maintain_order=True)
        elif wanted.down:
            found = found.reverse()
        some = found.slice(wanted.start, min(wanted.count, MOST)).collect()
        return Page(total, self._told(some), unknown)

    def names(self) -> core.ConditionNames:
        """What a condition may speak of here."""
        schema = pl.read_parquet_schema(self.path)
        kinds = {name: _kind(schema[f"{FIELD}{name}"]) for name in self.fields}
        every = [c.name for c in self.study.candidates]
        scoring = [i for i in range(len(every)) if f"{i}:score" in self.columns]
        called = [*every, *self.letters]
        return core.ConditionNames(kinds, self.study.classes, called, frozenset(
            called[i + k] for i in scoring for k in (0, len(every)) if i + k < len(called)
        ))  # fmt: skip

    def _truth(self, condition: core.Condition, candidate: int | None) -> core.Truth:
        """Of all rows whether a condition is true."""
        rows, every = len(self.study.actual), [c.name for c in self.study.candidates]

        def whose(name: str | None) -> int:
            if name is None and candidate is None:
                raise Refusal("say whose answer is meant", "candidate")
            if name is None:
                return candidate or 0
            return every.index(name) if name in every else list(self.letters).index(name)

        def column(name: str) -> core.ConditionValues:
            found = pl.scan_parquet(self.path).select(f"{FIELD}{name}").collect().to_series()
            kind = _kind(found.dtype)
            if kind == "date":
                found = found.cast(pl.Datetime("us")).dt.epoch("us") / 1e6
            if kind == "text":
                return _coded(found)
            return core.Numbers(found.cast(pl.Float64).fill_null(float("nan")).to_numpy())

        def predicted(name: str | None) -> core.Texts:
            said = pl.scan_parquet(self.path).select(self._predicted(whose(name))).collect().to_series()
            return core.Texts(self.study.classes, said.fill_null(-1).cast(pl.Int64).to_numpy())

        def score(name: str | None) -> core.Numbers:
            i = whose(name)
            if f"{i}:score" not in self.columns:
                raise Refusal(f"{every[i]} gives no score", "condition")
            found = pl.scan_parquet(self.path).select(f"{i}:score").collect().to_series()
            return core.Numbers(found.cast(pl.Float64).fill_null(float("nan")).to_numpy())

        def marked(name: str) -> core.BoolArray:
            raise Missing(f"no row is marked “{name}”", "condition")

        actual = core.Texts(self.study.classes, self.study.actual.astype(np.int64))
        return condition.evaluate(core.ConditionTable(rows, column, lambda: actual, predicted, score, marked))

    def within(self, where: Sequence[tuple[str, str]]) -> core.BoolArray:
        """Which rows have these values, bool, shape (n,), along the study's rows. Raises Missing where none has."""
        said = pl.scan_parquet(self.path).select(pl.all_horizontal([self._text_of(k) == v for k, v in where]))
        found = said.collect().to_series().to_numpy()
        if not found.any():
            what = " and ".join(f"{name} “{value}”" for name, value in where)
            raise Missing(f"no row has {what}", "within")
        return np.asarray(found, dtype=bool)

    def texts(self, name: str) -> pl.Series:
        """A field of all rows as text, in the study's order."""
        return pl.scan_parquet(self.path).select(self._text_of(name)).collect().to_series()

    def _all_of(self, wanted: Wanted) -> list[pl.Expr]:
        out = [pl.lit(True)]
        if wanted.split:
            if wanted.split not in self.study.splits:
                raise Missing(f"there is no split {wanted.split}", "split")
            out.append(pl.col(SPLIT) == wanted.split)
        for name, value in wanted.where.items():
            out.append(self._text_of(name) == value)
        if wanted.actual is not None:
            out.append(pl.col(ACTUAL) == wanted.actual)
        if wanted.candidate is not None and wanted.predicted is not None:
            out.append(self._predicted(wanted.candidate) == wanted.predicted)
        return out

    def _text_of(self, name: str) -> pl.Expr:
        """A field as it is written in slices: absent ones are empty."""
        if name not in self.fields:
            raise Missing(f"there is no field {name}", "within")
        return pl.col(f"{FIELD}{name}").map_batches(as_text, return_dtype=pl.String)

    def _order(self, wanted: Wanted) -> str | None:
        if wanted.sort == ROW:
            return None
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
        said = some.select(self._predicted(i).alias("said"))["said"].to_list()
        return [
            Answer(
                place or None, score, [p[k] for p in each] if each and each[0][k] is not None else None, said[k]
            )
            for k, (place, score) in enumerate(zip(column(f"{i}:place"), column(f"{i}:score"), strict=True))
        ]  # fmt: skip
