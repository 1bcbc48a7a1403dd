"""What is odd about the rows, seen before anything is measured: each finding with the rows that show it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl
import scipy

from skarlo.core import BoolArray, Finding, FloatArray, IntArray, association, counted_rows, finding, several, shown

from .columns import codes_of
from .fields import FieldSummary, is_date
from .read import as_number, as_text

SHOWN = 5  # ids given with a finding
GIVES_AWAY, SORTS_OUT = 0.97, 0.995
FEW_ROWS = 20
ENOUGH_IDS = 20_000  # rows whose ids are read for what they carry
MOSTLY = 0.9
CHANCE = 0.001


@dataclass(frozen=True)
class Rows:
    """A hold-out as it was read.

    ids : each row's id, or None where rows are matched by position
    actual : each row's class; splits : name -> which rows; leave : columns that are not fields
    """

    table: pl.DataFrame
    ids: pl.Series | None
    actual: IntArray
    classes: Sequence[str]
    splits: Mapping[str, BoolArray]
    report_on: str
    tune_on: str | None
    leave: frozenset[str]
    group: str | None

    def named(self, rows: IntArray) -> dict[str, Any]:
        """How many rows, and the first of them by id or by row as a spreadsheet counts."""
        first = rows[:SHOWN].tolist()
        if self.ids is None:
            return {"rows": len(rows), "first_rows": [i + 2 for i in first]}
        return {"rows": len(rows), "first_ids": [str(self.ids[i]) for i in first]}


def of_rows(r: Rows, fields: Sequence[FieldSummary]) -> list[Finding]:
    """All findings about the hold-out's rows and fields, in a fixed order."""
    return [*_fields(r, fields), *_repeats(r), *_balance(r), *_ids(r), *_groups(r, fields), *_dates(r)]


def _fields(r: Rows, fields: Sequence[FieldSummary]) -> list[Finding]:
    out = []
    enough = len(r.actual) >= FEW_ROWS
    for f in fields:
        where = {"column": f["name"]}
        area = f["area"] or 0.0
        if enough and (f["share"] >= GIVES_AWAY or area >= SORTS_OUT):
            by = f"an area of {area:.4g}" if area >= SORTS_OUT else f"{f['share']:.1%} of what could be told"
            message = f"{f['name']} alone tells the classes apart ({by}): was it known when the answer was asked for?"
            out.append(finding("warning", "field_gives_class_away", message, **where))
        if f["kind"] == "constant" and enough:
            what = "has no value in any row" if f["distinct"] == 0 else "has one value in every row that has any"
            out.append(finding("note", "field_is_constant", f"{f['name']} {what}", **where))
        elif enough and f["absent"] > f["rows"] / 2:
            message = f"{f['name']} is empty in {f['absent']:,} of {f['rows']:,} rows"
            out.append(finding("note", "field_mostly_absent", message, **where, rows=f["absent"]))
    return out


def _repeats(r: Rows) -> list[Finding]:
    """Rows that are alike in all fields and the class, within the reported split and across splits."""
    names = [c for c in r.table.columns if c not in r.leave]
    if len(names) < 2:
        return []
    key = r.table.select(names).hash_rows(seed=7).to_numpy() ^ r.actual.astype(np.uint64)
    out = []
    reported = np.flatnonzero(r.splits[r.report_on])
    ordered = np.sort(key[reported])
    alike = int(np.count_nonzero(ordered[1:] == ordered[:-1]))
    if len(reported) - alike < MOSTLY * len(reported):
        return []  # these fields do not tell rows apart, so likeness says nothing
    again = np.zeros(0, dtype=np.int64)
    if alike:
        again = np.setdiff1d(np.arange(len(reported)), np.unique(key[reported], return_index=True)[1])
    if len(again):
        message = (
            f"{counted_rows(len(again), r.report_on)} {'repeats' if len(again) == 1 else 'repeat'} another in every "
            "field and the class; rows counted twice make intervals too narrow"
        )
        out.append(finding("warning", "repeated_rows", message, split=r.report_on, **r.named(reported[again])))
    for other, rows in r.splits.items():
        if other == r.report_on:
            continue
        shared = reported[np.isin(key[reported], key[rows])]
        if len(shared):
            said = several(len(shared), f"{r.report_on} row stands", f"{r.report_on} rows stand")
            message = f"{said} in {other} too, the same in every field and the class"
            where = {"split": r.report_on, "also_in": other} | r.named(shared)
            out.append(finding("warning", "rows_in_two_splits", message, **where))
    return out


def _balance(r: Rows) -> list[Finding]:
    """Splits whose class balance differs from the reported one's by more than chance explains."""
    out = []
    reported = np.bincount(r.actual[r.splits[r.report_on]], minlength=len(r.classes))
    for name, rows in r.splits.items():
        other = np.bincount(r.actual[rows], minlength=len(r.classes))
        both = np.stack((reported, other))[:, reported + other > 0]
        if name == r.report_on or both.shape[1] < 2 or not both.sum(axis=1).all():
            continue
        expected = both.sum(axis=1, keepdims=True) * both.sum(axis=0) / both.sum()
        p = float(scipy.special.chdtrc(both.shape[1] - 1, ((both - expected) ** 2 / expected).sum()))
        if p < CHANCE:
            k = int(np.argmax(np.abs(reported / reported.sum() - other / other.sum())))
            share = [counts[k] / counts.sum() for counts in (other, reported)]
            message = (
                f"“{r.classes[k]}” is {shown(share[0])} of the {name} rows, and {shown(share[1])} of the {r.report_on} "
                "rows: more than chance explains"
            )
            where = {"split": name, "class": r.classes[k]}
            out.append(finding("warning", "splits_differ_in_balance", message, **where))
    return out


def _ids(r: Rows) -> list[Finding]:
    """Ids whose number or first letters carry the class."""
    if r.ids is None or len(r.actual) < FEW_ROWS:
        return []
    where = {"column": r.ids.name}
    some = np.random.Generator(np.random.PCG64(1)).choice(len(r.ids), min(len(r.ids), ENOUGH_IDS), replace=False)
    ids, actual = r.ids.gather(some), r.actual[some]
    number = ids.str.extract(r"(\d+)\D*$", 1).cast(pl.Float64, strict=False)
    known = association.ordered(number.fill_null(float("nan")).to_numpy(), actual, len(r.classes))
    areas = [known.area(k) for k in range(len(r.classes))]
    if max((a for a in areas if a is not None), default=0.0) > 0.95:
        message = "the numbers in the ids put the classes in order: was the id given after the class was known?"
        return [finding("warning", "ids_carry_class", message, **where)]
    prefix = ids.str.extract(r"^(\D+)", 1).fill_null("")
    kinds = sorted(prefix.unique().to_list())
    if 2 <= len(kinds) <= 50:
        table = association.contingency(codes_of(prefix, kinds), len(kinds), actual, len(r.classes))
        if association.told(table).share > 0.5:
            message = "the letters the ids begin with tell the class"
            return [finding("warning", "ids_carry_class", message, **where)]
    return []


def _groups(r: Rows, fields: Sequence[FieldSummary]) -> list[Finding]:
    """A column of repeated keys under which rows are more alike than chance: rows that belong together."""
    if r.group is not None or len(r.actual) < 100:
        return []
    out = []
    for f in fields:
        n, k = f["rows"], f["distinct"]
        named = f["name"].lower().endswith(("_id", " id", "id", "_no", "_key", "number"))
        if not named or not max(20, n // 200) <= k <= n // 2:
            continue
        text = as_text(r.table[f["name"]])
        code = np.unique(text.to_numpy().astype(str), return_inverse=True)[1]
        if _alike(code, r.actual):
            message = (
                f"rows that share {f['name']} are more alike in class than chance explains: if they belong together, "
                "say so with group, or intervals are too narrow"
            )
            out.append(finding("note", "looks_like_group", message, column=f["name"], groups=k))
    return out


def _alike(code: IntArray, actual: IntArray) -> bool:
    """Whether pairs of rows in one group agree in class more often than under shuffled classes."""
    size = np.bincount(code)

    def agreeing(y: IntArray) -> float:
        return float(sum((np.bincount(code, weights=y == k, minlength=len(size)) ** 2).sum() for k in np.unique(y)))

    rng = np.random.Generator(np.random.PCG64(1))
    shuffled = [agreeing(rng.permutation(actual)) for _ in range(39)]
    spread = float(np.std(shuffled)) or 1.0
    return agreeing(actual) > float(np.mean(shuffled)) + 5 * spread


def _dates(r: Rows) -> list[Finding]:
    """Dates of the reported rows that lie before the rows that choices were made on."""
    if r.tune_on is None or r.tune_on == r.report_on:
        return []
    out = []
    for name in r.table.columns:
        if name in r.leave:
            continue
        when = _when(r.table[name], name)
        if when is None:
            continue
        reported, tuned = (np.flatnonzero(r.splits[s]) for s in (r.report_on, r.tune_on))
        last = np.nanmax(when[tuned]) if np.isfinite(when[tuned]).any() else None
        if last is None or not np.isfinite(when[reported]).any():
            continue
        early = reported[when[reported] < last]
        whole = np.nanmedian(when[reported]) < np.nanmedian(when[tuned])
        if len(early) and whole:
            message = (
                f"by {name} most {r.report_on} rows are earlier than those of {r.tune_on}; in use the order is the "
                "other way round"
            )
            out.append(finding("note", "reported_rows_are_earlier", message, column=name, **r.named(early)))
    return out


def _when(column: pl.Series, name: str) -> FloatArray | None:
    """Times as numbers, from dates or from years."""
    if column.dtype in (pl.Date, pl.Datetime):
        return column.cast(pl.Datetime).dt.timestamp().cast(pl.Float64).fill_null(float("nan")).to_numpy()
    text = column if column.dtype.is_numeric() else as_text(column)
    if text.dtype == pl.String and is_date(text):
        day = text.str.slice(0, 10).str.to_date(strict=False)
        return day.cast(pl.Int32).cast(pl.Float64).fill_null(float("nan")).to_numpy()
    if "year" in name.lower() or "date" in name.lower():
        values, _ = as_number(text)
        known = values[np.isfinite(values)]
        if len(known) and known.min() >= 1900 and known.max() <= 2200:
            return values
    return None


def of_scores(name: str, score: FloatArray | None) -> list[Finding]:
    """Scores that look like percent instead of probabilities."""
    if score is None or not 1.5 < np.fmax.reduce(score, initial=-np.inf) <= 100:
        return []
    known = score[~np.isnan(score)]
    if len(known) < FEW_ROWS or known.min() < 0 or np.median(known) <= 1:
        return []
    message = (
        f"the scores of {name} run from {known.min():.4g} to {known.max():.4g}: is it percent where a probability from "
        "0 to 1 is meant? Divided by 100 they could be read as probabilities"
    )
    return [finding("warning", "percent_for_probability", message, candidate=name)]
