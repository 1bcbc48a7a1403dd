"""Reading tables of open formats. Text stays text: "007" is never guessed into a number."""

from __future__ import annotations

import csv
import gzip
import hashlib
import io
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, cast

import numpy as np
import polars as pl

from skarlo.core.values import FloatArray

from .problems import refuse


@dataclass(frozen=True)
class Source:
    """A file: where it lies, and the name people know it by."""

    path: Path
    name: str

    def sha256(self) -> str:
        """Fingerprint of the bytes as they came, in hexadecimal."""
        with self.path.open("rb") as f:
            return hashlib.file_digest(f, "sha256").hexdigest()


def _open(source: Source, compressed: bool) -> IO[bytes]:
    return cast(IO[bytes], gzip.open(source.path, "rb") if compressed else source.path.open("rb"))


def _delimited(separator: str) -> Callable[[Source, bool], pl.DataFrame]:
    def read(source: Source, compressed: bool) -> pl.DataFrame:
        with _open(source, compressed) as raw:
            line = io.TextIOWrapper(raw, encoding="utf-8-sig", newline="")
            header = next(csv.reader(line, delimiter=separator), [])
        if not header:
            raise refuse("is empty", file=source.name, expected="a header and rows")
        doubled = [name for name, count in Counter(header).items() if count > 1]
        if doubled:
            raise refuse("the header names a column twice", file=source.name, row=1, found=doubled[0])
        with _open(source, compressed) as raw:
            return pl.read_csv(raw.read(), separator=separator, infer_schema=False, encoding="utf8")

    return read


def _jsonl(source: Source, compressed: bool) -> pl.DataFrame:
    with _open(source, compressed) as raw:
        return pl.read_ndjson(raw.read(), infer_schema_length=None)


def _parquet(source: Source, compressed: bool) -> pl.DataFrame:
    return pl.read_parquet(source.path, use_pyarrow=False)


def _arrow(source: Source, compressed: bool) -> pl.DataFrame:
    return pl.read_ipc(source.path)


READERS: dict[str, Callable[[Source, bool], pl.DataFrame]] = {
    ".csv": _delimited(","),
    ".tsv": _delimited("\t"),
    ".jsonl": _jsonl,
    ".parquet": _parquet,
    ".arrow": _arrow,
}


def read_table(source: Source) -> pl.DataFrame:
    """Read a whole table, in row order. Raises InputError for a file that is missing, broken or of no known format."""
    name = source.name.lower()
    compressed = name.endswith(".gz")
    suffix = Path(name.removesuffix(".gz")).suffix
    reader = READERS.get(suffix)
    if reader is None or (compressed and suffix in (".parquet", ".arrow")):
        raise refuse("is of no known format", file=source.name, expected="one of " + " ".join(READERS))
    try:
        return reader(source, compressed)
    except FileNotFoundError as e:
        raise refuse("does not exist", file=source.name) from e
    except UnicodeDecodeError as e:
        raise refuse("is not UTF-8 text", file=source.name) from e
    except (OSError, EOFError, pl.exceptions.PolarsError, csv.Error) as e:
        raise refuse(f"cannot be read: {str(e).splitlines()[0]}", file=source.name) from e


def as_text(column: pl.Series) -> pl.Series:
    """Labels and ids as text: integers in decimal, whole floats without .0, booleans true and false, gaps empty."""
    kind = column.dtype
    if kind == pl.Boolean:
        column = column.cast(pl.Int8).replace_strict({1: "true", 0: "false"}, default=None, return_dtype=pl.String)
    elif kind.is_float():
        values = [None if v is None else str(int(v)) if float(v).is_integer() else repr(v) for v in column.to_list()]
        column = pl.Series(column.name, values, dtype=pl.String)
    elif kind != pl.String:
        column = column.cast(pl.String)
    return column.fill_null("")


def as_number(column: pl.Series) -> tuple[FloatArray, list[int]]:
    """Scores as float64, and the indexes of the cells that are no finite number (NaN there)."""
    if column.dtype == pl.String:
        column = column.str.strip_chars()
    values = column.cast(pl.Float64, strict=False).fill_null(float("nan")).to_numpy(writable=True)
    return values, np.flatnonzero(~np.isfinite(values)).tolist()
