"""The rows of a study, kept as one Parquet file: filtered, sorted, and read a page at a time."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from skarlo import core
from skarlo.intake.joined import ACTUAL, FIELD, ROW, SPLIT
from skarlo.intake.read import as_text

from .refusals import Missing

CHUNK = 1 << 20
MOST = 1000  # rows of one page


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
    sort : "row", a field as "field:NAME", or "score" of that candidate; down : the largest first
    start, count : which of them
    """

    split: str = ""
    where: Mapping[str, str] = field(default_factory=dict)
    actual: int | None = None
    candidate: int | None = None
    predicted: int | None = None
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
    """Some rows, of all that are as wanted."""

    total: int
    rows: list[Row]


class Rows:
    """The rows of a study.

    Parameters
    ----------
    path : the Parquet file, of `skarlo.intake.joined`
    study : whose rows these are
    cutoffs : each candidate's, None where it has none
    """

    def __init__(self, path: Path, study: core.Study, cutoffs: Sequence[core.Cutoff | None]) -> None:
        self.path, self.study = path, study
        self.cutoffs = [None if c is None else c.value for c in cutoffs]
        self.columns = list(pl.read_parquet_schema(path))

    @property
    def fields(self) -> list[str]:
        """The fields, in the hold-out's order."""
        return [name.removeprefix(FIELD) for name in self.columns if name.startswith(FIELD)]

    def page(self, wanted: Wanted) -> Page:
        """Some of the rows that are as wanted. Raises Missing for a split or field that there is not."""
        found = pl.scan_parquet(self.path).filter(self._all_of(wanted))
        total = int(found.select(pl.len()).collect().item())
        by = self._order(wanted)
        if by is not None:
            found = found.sort(by, descending=wanted.down, nulls_last=True, maintain_order=True)
        elif wanted.down:
            found = found.reverse()
        some = found.slice(wanted.start, min(wanted.count, MOST)).collect()
        return Page(total, self._told(some))

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
