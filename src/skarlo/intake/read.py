"""Reading tables of open formats. Text stays text: "007" is never guessed into a number."""

from __future__ import annotations

import codecs
import csv
import gzip
import hashlib
import io
import tempfile
import zlib
from collections import Counter
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import IO, Literal, cast

import numpy as np
import polars as pl

from skarlo.core import FloatArray

from .problems import InputError, refuse


@dataclass(frozen=True)
class Source:
    """A file: where it lies, and the name people know it by."""

    path: Path
    name: str

    def sha256(self) -> str:
        """Fingerprint of the bytes as they came, in hexadecimal."""
        with self.path.open("rb") as f:
            return hashlib.file_digest(f, "sha256").hexdigest()


CHUNK = 1 << 20
MOST_UNPACKED = 16 << 30  # bytes; a packed file that says more is not a table anybody meant
HEAD = 1 << 16  # bytes looked at to tell what a file is
PIECE = 250_000  # rows read at once where a file is not wanted whole
ROWS_TRIED = 200  # rows looked at to tell which columns may hold numbers
GZIP = b"\x1f\x8b"
SEPARATORS = (",", "\t", ";", "|")
_UTF16 = (b"\xff\xfe", b"\xfe\xff")
NAMED_AS_TEXT = (".csv", ".tsv", ".txt")


@dataclass(frozen=True)
class Binary:
    """A table format that is told by its first bytes.

    name : for people; begins : the bytes; scan : a file of it, to be read whole or piece by piece
    """

    name: str
    begins: bytes
    scan: Callable[[Path], pl.LazyFrame]


BINARY = [
    Binary("Parquet", b"PAR1", lambda path: pl.scan_parquet(path, glob=False)),
    Binary("Arrow", b"ARROW1", lambda path: pl.read_ipc(path.read_bytes()).lazy()),
]


def _binary(head: bytes) -> Binary | None:
    return next((b for b in BINARY if head.startswith(b.begins)), None)


def formats() -> str:
    """What can be read, for people."""
    return f"CSV or TSV text, JSON Lines, {' or '.join(b.name for b in BINARY)}; text also as .gz"


@dataclass(frozen=True)
class Format:
    """What a file's content is: "delimited" text (with its separator), "jsonl", or "binary", of which kind."""

    kind: Literal["delimited", "jsonl", "binary"]
    compressed: bool = False
    separator: str = ","
    encoding: str = "utf-8-sig"
    binary: Binary | None = None


def _open(source: Source, compressed: bool) -> IO[bytes]:
    return cast(IO[bytes], gzip.open(source.path, "rb") if compressed else source.path.open("rb"))


def format_of(source: Source) -> Format:
    """Tell a file's format by its content; its name only settles what the content leaves open.

    Raises InputError for a file of no known format.
    """
    with _open(source, False) as raw:
        head = raw.read(HEAD)
    compressed = head.startswith(GZIP)
    if compressed:
        with _open(source, True) as raw:
            head = raw.read(HEAD)
    binary = _binary(head)
    if binary is not None:
        if compressed:
            raise refuse("is a compressed table of a format that compresses itself", file=source.name,
                         expected="the file without .gz")  # fmt: skip
        return Format("binary", binary=binary)
    encoding = "utf-16" if head.startswith(_UTF16) else "utf-8-sig"
    # the last character may be cut in two
    text = head.decode(encoding, errors="ignore" if len(head) == HEAD else "strict")
    if "\x00" in text:
        raise refuse("is of no known format", file=source.name, expected=formats())
    if text.lstrip().startswith("{"):
        return Format("jsonl", compressed, encoding=encoding)
    name = source.name.lower().removesuffix(".gz")
    separator = _separator(text, "\t" if name.endswith(".tsv") else ",")
    if separator not in text and not name.endswith(NAMED_AS_TEXT):
        raise refuse("is of no known format", file=source.name, expected=formats())  # one column of anything
    return Format("delimited", compressed, separator, encoding)


def _separator(text: str, usual: str) -> str:
    """The separator that splits the first lines into the most columns, as many in each; the usual one on a tie."""
    lines = text.splitlines()[:20]
    if len(text) >= HEAD // 2:
        lines = lines[:-1] or lines
    best, most = usual, 1
    for separator in (usual, *(x for x in SEPARATORS if x != usual)):
        try:
            widths = [len(row) for row in csv.reader(lines, delimiter=separator) if row]
        except csv.Error:
            continue
        if widths and min(widths) == max(widths) and widths[0] > most:
            best, most = separator, widths[0]
    if most == 1 and usual not in (lines[0] if lines else ""):
        # nothing splits evenly: a header that some separator splits shows which was meant, faults and all
        best = max(SEPARATORS, key=lambda x: (lines[0].count(x), x == usual)) if lines else usual
    return best


def _header(source: Source, f: Format) -> list[str]:
    """The names of the columns, each once."""
    with _open(source, f.compressed) as raw:
        line = io.TextIOWrapper(raw, encoding=f.encoding, newline="")
        header = next(csv.reader(line, delimiter=f.separator), [])
    if not header:
        raise refuse("is empty", file=source.name, expected="a header and rows")
    doubled = [name for name, count in Counter(header).items() if count > 1]
    if doubled:
        raise refuse("the header names a column twice", file=source.name, row=1, found=doubled[0])
    return header


def _called(found: list[str], header: list[str]) -> dict[str, str]:
    """From the names that Polars gives, which keeps doubled quotes doubled, to those that the header means."""
    if len(found) != len(header):
        return {}
    return {a: b for a, b in zip(found, header, strict=True) if a != b}


@contextmanager
def _scanned(source: Source, f: Format) -> Iterator[pl.LazyFrame]:
    """A file as it lies, to be read whole or piece by piece. Delimited text stays text."""
    if f.binary is not None:
        yield f.binary.scan(source.path)
    elif f.kind == "jsonl":
        with _as_utf8(source, f) as path:
            yield pl.scan_ndjson(path, infer_schema_length=None)
    else:
        header = _header(source, f)
        with _plain(source, f) as path:
            rows = pl.scan_csv(path, separator=f.separator, infer_schema=False, glob=False)
            called = _called(rows.collect_schema().names(), header)
            yield rows.rename(called) if called else rows


@contextmanager
def _plain(source: Source, f: Format) -> Iterator[Path]:
    """Delimited text where it lies as UTF-8: the file itself, or a copy."""
    if f.compressed or f.encoding != "utf-8-sig":
        with _as_utf8(source, f) as path:
            yield path
    else:
        yield source.path


def _with_numbers(source: Source, f: Format, text: Collection[str]) -> pl.DataFrame | None:
    """A table whose columns not named in `text` come as numbers where they hold nothing but finite ones; None where a
    cell turns out not to be a number after all."""
    header = _header(source, f)
    with _plain(source, f) as path:
        scan = partial(pl.read_csv, path, separator=f.separator, infer_schema=False, glob=False)
        head = scan(n_rows=ROWS_TRIED)
        called = _called(head.columns, header)
        fields = [c for c in head if called.get(c.name, c.name) not in text]
        numeric = [c.name for c in fields if c.null_count() < len(c) and _is_number(c)]
        try:
            table = scan(schema_overrides=dict.fromkeys(numeric, pl.Float64))
        except pl.exceptions.PolarsError:
            return None
    return table.rename(called) if all(table[name].is_finite().all() for name in numeric) else None


def _is_number(column: pl.Series) -> bool:
    return column.cast(pl.Float64, strict=False).null_count() == column.null_count()


@contextmanager
def _as_utf8(source: Source, f: Format) -> Iterator[Path]:
    """A copy on disk that is unpacked and UTF-8, made piece by piece: the file is never whole in memory for it.

    Raises UnicodeDecodeError, and InputError where it unpacks to more than can be meant.
    """
    decoder, size = codecs.getincrementaldecoder(f.encoding)(), 0
    with tempfile.NamedTemporaryFile(prefix="skarlo-reading-") as out:
        with _open(source, f.compressed) as raw:
            while chunk := raw.read(CHUNK):
                size += out.write(decoder.decode(chunk).encode())
                if size > MOST_UNPACKED:
                    raise refuse(f"unpacks to more than {MOST_UNPACKED >> 30:,} GB", file=source.name)
        out.write(decoder.decode(b"", final=True).encode())
        out.flush()
        yield Path(out.name)


@contextmanager
def _faults_named(source: Source) -> Iterator[None]:
    """What goes wrong while a file is read, as an InputError."""
    try:
        yield
    except FileNotFoundError as e:
        raise refuse("does not exist", file=source.name) from e
    except UnicodeDecodeError as e:
        raise refuse("is not UTF-8 text", file=source.name, expected=formats()) from e
    except (OSError, EOFError, zlib.error, pl.exceptions.PolarsError, pl.exceptions.PanicException, csv.Error) as e:
        wide = _too_wide(source)
        if wide is not None:
            raise wide from e
        first = (str(e).splitlines() or [type(e).__name__])[0]
        raise refuse(f"cannot be read: {first}", file=source.name) from e


def _too_wide(source: Source) -> InputError | None:
    """The first row of a delimited file that holds more values than the header names, as a fault."""
    try:
        f = format_of(source)
        if f.kind != "delimited":
            return None
        with _open(source, f.compressed) as raw:
            rows = csv.reader(io.TextIOWrapper(raw, encoding=f.encoding, newline=""), delimiter=f.separator)
            names = len(next(rows, []))
            for number, row in enumerate(rows, 2):
                if len(row) > names:
                    values, columns = (f"{n} {one}{'s' * (n != 1)}" for n, one in ((len(row), "value"),
                                                                                   (names, "column")))  # fmt: skip
                    return refuse(f"row {number} has {values}, the header names {columns}", file=source.name)
    except (OSError, EOFError, zlib.error, csv.Error, UnicodeDecodeError, InputError):
        return None
    return None


def read_table(source: Source, text: Collection[str] | None = None) -> pl.DataFrame:
    """Read a whole table, in row order.

    Parameters
    ----------
    text : the columns of a file without kinds (CSV) that must stay text; the others may come as numbers where every
        cell is one. All of them if left out.

    Raises
    ------
    InputError
        For a file that is missing, broken or of no known format.
    """
    with _faults_named(source):
        f = format_of(source)
        if text is not None and f.kind == "delimited":
            table = _with_numbers(source, f, text)
            if table is not None:
                return table
        with _scanned(source, f) as rows:
            return rows.collect()


def pieces_about(source: Source) -> int:
    """About how many pieces `read_pieces` gives, from the size and the first lines; 1 where these do not tell."""
    with _open(source, False) as raw:
        head = raw.read(HEAD)
    lines = head.count(b"\n")
    if lines < 2 or head.startswith(GZIP) or _binary(head) is not None:
        return 1
    return 1 + int(source.path.stat().st_size * lines / len(head)) // PIECE


def read_pieces(source: Source, columns: Collection[str] | None = None) -> Iterator[pl.DataFrame]:
    """Read a table piece by piece, in row order, so that it is never whole in memory; at least one piece comes.

    Parameters
    ----------
    columns : those wanted; all if left out

    Raises
    ------
    InputError
        As `read_table`, and where a column is missing.
    """
    with _faults_named(source):
        f = format_of(source)
        with _scanned(source, f) as every:
            missing = [c for c in columns or [] if c not in every.collect_schema().names()]
            if missing:
                raise refuse("there is no such column", file=source.name, column=missing[0])
            rows = every if columns is None else every.select(columns)
            empty = pl.DataFrame(schema=rows.collect_schema())
            came = False
            for piece in rows.collect_batches(chunk_size=PIECE, maintain_order=True):
                came = True
                yield piece
            if not came:
                yield empty


def as_text(column: pl.Series) -> pl.Series:
    """Labels and ids as text: integers in decimal, whole floats without .0, booleans true and false, gaps empty."""
    kind = column.dtype
    if kind == pl.Boolean:
        column = column.cast(pl.Int8).replace_strict({1: "true", 0: "false"}, default=None, return_dtype=pl.String)
    elif kind.is_float():
        whole = column.is_null() | ((column.floor() == column) & (column.abs() < 2.0**63))
        if whole.all():
            column = column.cast(pl.Int64).cast(pl.String)
        else:
            values = [None if v is None else str(int(v)) if v.is_integer() else repr(v) for v in column.to_list()]
            column = pl.Series(column.name, values, dtype=pl.String)
    elif kind.is_nested() or kind in (pl.Binary, pl.Object):
        values = [None if v is None else str(v) for v in column.to_list()]
        column = pl.Series(column.name, values, dtype=pl.String)
    elif kind != pl.String:
        column = column.cast(pl.String)
    return column.fill_null("")


def as_number(column: pl.Series) -> tuple[FloatArray, list[int]]:
    """Scores as float64, and the indexes of the cells that are not finite numbers (NaN there)."""
    if column.dtype.is_nested() or column.dtype in (pl.Binary, pl.Object):
        return np.full(len(column), np.nan), list(range(len(column)))
    numbers = column.cast(pl.Float64, strict=False)
    if column.dtype == pl.String and numbers.null_count() > column.null_count():
        numbers = _with_points(column.str.strip_chars()).cast(pl.Float64, strict=False)
    values = numbers.fill_null(float("nan")).to_numpy(writable=True)
    return values, np.flatnonzero(~np.isfinite(values)).tolist()


_COMMA = r"^[-+]?\d+,\d+([eE][-+]?\d+)?$"
_THOUSANDS = r"^[-+]?[1-9]\d{0,2},\d{3}$"


def _with_points(text: pl.Series) -> pl.Series:
    """Decimal commas as points, where every fraction of the column has one and none can be meant as thousands."""
    commas = text.str.contains(",", literal=True).fill_null(False)
    if not commas.any():
        return text
    some = text.filter(commas)
    if text.str.contains(".", literal=True).any() or not some.str.contains(_COMMA).all():
        return text
    return text if some.str.contains(_THOUSANDS).all() else text.str.replace(",", ".", literal=True)
