"""What every part of reading a study shares: the problems so far, the tables, columns found by name, ids."""

from __future__ import annotations

import difflib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from skarlo.core import Finding, FloatArray, IntArray, Steps

from .joining import repeats
from .problems import InputError, Problem
from .read import Source, as_number, as_text, read_table

Files = Callable[[str], Source]
MOST_CLASSES = 200


@dataclass
class Loading:
    """Problems gathered on the way, so that one run names them all; who waits is told of each step."""

    study_file: str = ""
    problems: list[Problem] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    text: dict[Path, set[str]] = field(default_factory=dict)
    tables: dict[Path, pl.DataFrame | None] = field(default_factory=dict)
    fingerprints: dict[Path, Future[str]] = field(default_factory=dict)
    begun: dict[Path, Future[pl.DataFrame]] = field(default_factory=dict)
    aside: ThreadPoolExecutor = field(default_factory=lambda: ThreadPoolExecutor(2))
    steps: Steps = field(default_factory=Steps)

    def misasked(self, message: str, found: str | None = None, expected: str | None = None) -> None:
        """Add a problem of what the study file asks, not of a table."""
        self.problems.append(Problem(message, self.study_file or None, found=found, expected=expected))

    def sha256(self, source: Source) -> str:
        """The fingerprint of a file whose table was read."""
        return self.fingerprints[source.path].result()

    def expect(self, source: Source) -> None:
        """Begin to read a table that is asked for next, beside what is done with the one at hand."""
        if source.path not in self.begun:  # by where it lies: two files may bear one name
            self.begun[source.path] = self.aside.submit(read_table, source, self.text.get(source.path))
            self.fingerprints[source.path] = self.aside.submit(source.sha256)

    def table(self, source: Source) -> pl.DataFrame | None:
        if source.path not in self.tables:
            self.expect(source)
            try:
                self.tables[source.path] = self.begun[source.path].result()
            except InputError as e:
                self.problems += e.problems
                self.tables[source.path] = None
        return self.tables[source.path]

    def column(self, table: pl.DataFrame, name: str, file: str, what: str) -> pl.Series | None:
        if name in table.columns:
            return table[name]
        near = difflib.get_close_matches(name, table.columns, n=1, cutoff=0.6)
        has = ", ".join(table.columns[:12]) + (", …" if len(table.columns) > 12 else "")
        said = f"there is no such column for the {what}"
        if near:
            said += f"; did you mean “{near[0]}”? The file has {has}"
        self.problems.append(Problem(said, file, column=name, expected=None if near else f"one of {has}"))
        return None

    def numbers(self, table: pl.DataFrame, name: str, file: str, what: str, ids: pl.Series | None) -> FloatArray | None:
        """A column of finite numbers; every cell that is none is named."""
        column = self.column(table, name, file, what)
        if column is None:
            return None
        values, bad = as_number(column)
        text = as_text(column[bad]) if bad else None
        for k, i in enumerate(bad):
            found = text[k] if text is not None else ""
            self.problems.append(Problem(f"the {what} is not a number", file, i + 2, at(ids, i), name, found,
                                         "a finite number"))  # fmt: skip
        return None if bad else values


def read_ids(
    table: pl.DataFrame, name: str | None, file: str, doing: Loading, sound: pl.Series | None = None
) -> pl.Series | None:
    """The ids of a file's rows as text; rows without one, and those whose id stands twice, are named.

    sound : ids known to stand once each; where the file has the same in the same order, they are what is returned
    """
    if name is None:
        return None
    column = doing.column(table, name, file, "row id")
    if column is None:
        return None
    ids = as_text(column)
    if sound is not None and ids.equals(sound):
        return sound
    for i in (ids == "").arg_true().to_list():
        doing.problems.append(Problem("a row without an id", file, i + 2, column=name, found=""))
    doubled = (ids.is_duplicated() & (ids != "")).arg_true().to_list() if repeats(ids) else []
    first: dict[str, int] = {}
    for i in doubled:
        at = first.setdefault(ids[i], i)
        if at != i:
            doing.problems.append(
                Problem(
                    "the id stands twice", file, i + 2, ids[i], name, expected=f"each id once; first at row {at + 2}"
                )
            )
    return ids


def measured(found: list[str]) -> bool:
    """Many distinct numbers, or any with a fraction among more than a handful, are measurements and no classes."""
    if len(found) <= 20:
        return False
    try:
        numbers = [float(x) for x in found]
    except ValueError:
        return False
    return len(found) > MOST_CLASSES or any(not x.is_integer() for x in numbers)


def in_order(labels: list[str]) -> list[str]:
    """As numbers if all are, else by code point."""
    try:
        return sorted(labels, key=lambda x: (float(x), x))
    except ValueError:
        return sorted(labels)


def codes_of(labels: pl.Series, classes: list[str]) -> IntArray:
    """Each label's place among the classes, -1 where it is none of them; int64."""
    codes = labels.cast(pl.Enum(classes), strict=False).to_physical()
    return codes.cast(pl.Int64).fill_null(-1).to_numpy(writable=True)


def at(ids: pl.Series | None, i: int) -> str | None:
    return None if ids is None else str(ids[i])


def one_of(items: list[str]) -> str:
    return "one of " + ", ".join(items[:12]) + (", …" if len(items) > 12 else "")
