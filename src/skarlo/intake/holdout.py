"""The hold-out as one table: of one file or of one for each split, with a split made where the study asks for one."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

import polars as pl

from .columns import Files, Loading, read_ids
from .labels import merged
from .problems import InputError, Problem, refuse
from .read import Source, as_text
from .spec import HoldoutSpec
from .splitting import TEST, TUNING, make_split

SPLIT = "split"


@dataclass(frozen=True)
class Holdout:
    """The rows, what their columns are, and where they come from: each file with its first row's place."""

    table: pl.DataFrame
    spec: HoldoutSpec
    source: Source
    files: dict[str, Source]
    parts: tuple[tuple[int, str], ...]

    def sha256(self, doing: Loading) -> str:
        """The fingerprint of the file, or of the names and fingerprints of several."""
        if "" in self.files:
            return doing.sha256(self.source)
        each = "\n".join(f"{name} {doing.sha256(source)}" for name, source in self.files.items())
        return hashlib.sha256(each.encode()).hexdigest()

    def located(self, problems: list[Problem]) -> list[Problem]:
        """Problems with rows of the whole said of the file and row that a person can open."""
        return [self._located(p) for p in problems]

    def _located(self, p: Problem) -> Problem:
        if p.file != self.source.name or len(self.parts) == 1:
            return p
        if p.row is None:
            return p
        first, name = max(part for part in self.parts if part[0] <= p.row - 2)
        return replace(p, file=name, row=p.row - first)


def read_holdout(h: HoldoutSpec, files: Files, doing: Loading) -> Holdout:
    """Read the hold-out.

    Raises
    ------
    InputError
        When a file cannot be read, or a split cannot be made.
    """
    sources = {name: files(path) for name, path in h.files.items()} or {"": files(h.path or "")}
    tables: dict[str, pl.DataFrame] = {}
    for name, source in sources.items():
        table = doing.table(source)
        if table is not None and table.height == 0:
            doing.problems.append(Problem("has a header and no rows", source.name))
        elif table is not None:
            tables[name] = table
    if doing.problems:
        raise InputError(doing.problems)
    spec, source = h, next(iter(sources.values()))
    table = tables[next(iter(tables))]
    parts: list[tuple[int, str]] = [(0, source.name)]
    if h.files:
        table = stacked(tables, {name: s.name for name, s in sources.items()})
        parts, first = [], 0
        for name, s in sources.items():
            parts.append((first, s.name))
            first += tables[name].height
        source = Source(source.path, " + ".join(s.name for s in sources.values()))
        spec = h.model_copy(update={"split": SPLIT})
    if h.make_split is not None:
        table = table.with_columns(_made(h, table, source, doing))
        spec = h.model_copy(update={"split": SPLIT, "report_on": TEST, "tune_on": TUNING})
    return Holdout(table, spec, source, sources, tuple(parts))


def stacked(tables: dict[str, pl.DataFrame], names: dict[str, str]) -> pl.DataFrame:
    """Tables of the same columns one after another, with a column that names each row's split.

    Raises
    ------
    InputError
        When a column stands in one file and not in another, or the name of the new column is taken.
    """
    first = next(iter(tables))
    problems = []
    for split, table in tables.items():
        if SPLIT in table.columns:
            problems.append(Problem("has a column named split, and each file is a split of its own", names[split]))
        for one, other in ((first, split), (split, first)):
            for missing in [c for c in tables[one].columns if c not in tables[other].columns]:
                problems.append(Problem(f"there is no such column, and {names[one]} has it", names[other],
                                        column=missing))  # fmt: skip
    if problems:
        raise InputError(problems)
    columns = tables[first].columns
    kinds = {c: {t[c].dtype for t in tables.values()} for c in columns}
    return pl.concat([
        t.select(pl.col(c) if len(kinds[c]) == 1 else as_text(t[c]).alias(c) for c in columns)
        .with_columns(pl.lit(split).alias(SPLIT)) for split, t in tables.items()
    ])  # fmt: skip


def _made(h: HoldoutSpec, table: pl.DataFrame, source: Source, doing: Loading) -> pl.Series:
    made = h.make_split
    assert made is not None
    if SPLIT in table.columns:
        raise refuse("has a column named split already", file=source.name, expected="no make_split, or split = “split”")
    truth = doing.column(table, h.truth, source.name, "actual class")
    field = None if made.field is None else doing.column(table, made.field, source.name, "split to make")
    ids = None if h.id is None else read_ids(table, h.id, source.name, doing)
    if doing.problems or truth is None:
        raise InputError(doing.problems)
    labels = merged(as_text(truth), h.merge)
    split = make_split(made, labels, None if field is None else as_text(field), ids)
    counts = dict(split.value_counts().iter_rows())
    how = {"class": "at random within each class", "group": f"at random by whole groups of {made.field}",
           "time": f"by time, the earliest {made.field} in tuning"}[made.by]  # fmt: skip
    said = "" if made.by == "time" else f", seed {made.seed}"
    doing.findings.append({
        "level": "note", "code": "split_made",
        "message": f"the split was made {how}: {counts[TUNING]:,} rows for tuning and {counts[TEST]:,} for test{said}",
        "where": {"file": source.name, "by": made.by, "field": made.field, "seed": made.seed},
    })  # fmt: skip
    return split
