"""Slices: rows that share the values of some fields, measured, and compared with the other rows of the split."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy.stats import hypergeom, norm

from . import counts, influence, own, paired, ranking, table
from .answers import Answers, mean_variance
from .approximate import SLICE, mark_difference
from .intervals import Interval, hybrid_difference
from .measure import Reading, metrics
from .paired import Compared
from .probability import moments
from .results import SliceResult
from .study import Field, OwnMetric
from .table import Table
from .values import BoolArray, Difference, FloatArray, IntArray, Metric, absent

COUNTED = ("f1", "mcc", "kappa", "balanced_accuracy", "youden_j")
OTHERS = (*COUNTED, "average_precision", "brier", "log_loss")


def sliced(a: Answers, fields: tuple[Field, ...], rows: BoolArray, reading: Reading) -> list[SliceResult]:
    """All slices of one list of fields.

    Parameters
    ----------
    a : the candidate on the split's rows that it is judged on
    fields : what to slice by; `rows` picks from their codes those rows of the hold-out
    """
    code = np.zeros(int(rows.sum()), dtype=np.int64)
    for f in fields:
        code = code * len(f.values) + f.codes[rows]
    found, place = np.unique(code, return_inverse=True)
    place = place.astype(np.uint16 if len(found) <= 2**16 else np.int64)  # few codes are put in order by their digits
    ends = np.cumsum(np.bincount(place, minlength=len(found)))
    order = np.argsort(place, kind="stable")
    cells = _cells(a, place.astype(np.int64), len(found))
    out: list[SliceResult] = []
    families: list[dict[str, Compared | str] | None] = []
    tests = None if cells is None else _tests(cells, reading)
    for i in range(len(found)):
        members = order[(ends[i - 1] if i else 0) : ends[i]]
        known = None if cells is None or tests is None else (cells[i], {name: float(p[i]) for name, p in tests.items()})
        entry, compared = _slice(a, members, known, reading)
        by, left = {}, int(found[i])
        for f in reversed(fields):
            left, at = divmod(left, len(f.values))
            by[f.name] = f.values[at]
        out.append({"by": dict(reversed(list(by.items()))), **entry})  # type: ignore[typeddict-item]
        families.append(compared)
    _adjust(out, families, reading.settings.confidence)
    return out


def _cells(a: Answers, place: IntArray, size: int) -> IntArray | None:
    """The matrices of all slices in one pass; None where weights or groups make more than counts of them."""
    if a.predicted is None or a.designed:
        return None
    return table.make_each(a.actual, a.predicted, a.classes, place, size, a.none_counts and not a.all_answered)


def _tests(cells: IntArray, reading: Reading) -> dict[str, FloatArray]:
    """The test of each rate of each slice against the other rows, shape (slices,), all at once."""
    positive = 0 if reading.positive is None else reading.positive
    which = counts.masks(Table(cells[0], cells[0]), positive)
    whole = cells.sum(axis=0)
    out = {}
    for name in counts.RATES:
        of, among = which[name]
        k1, n1 = cells[:, of].sum(axis=1), cells[:, among].sum(axis=1)
        k2, n2 = whole[of].sum() - k1, whole[among].sum() - n1
        out[name] = hypergeometric_midp(k1, n1, k2, n2)
    return out


class Rest:
    """The rows outside of a slice: their matrix at once, the rows themselves only when a number asks for them."""

    def __init__(self, whole: Answers, inside: IntArray | BoolArray, counted: Table | None = None) -> None:
        self.whole, self.inside, self.counted = whole, inside, counted

    @cached_property
    def rows(self) -> Answers:
        """The other rows."""
        outside = np.ones(len(self.whole.actual), dtype=bool)
        outside[self.inside] = False
        return self.whole.take(outside, self.counted)

    @cached_property
    def table(self) -> Table | None:
        """Their matrix."""
        return self.rows.table if self.counted is None else self.counted


def _slice(
    a: Answers, members: IntArray, known: tuple[IntArray, dict[str, float]] | None, reading: Reading
) -> tuple[dict[str, object], dict[str, Compared | str] | None]:
    cells, tests = known or (None, None)
    counted = None if cells is None else table.of_cells(cells, a.classes)
    s = a.take(members, counted)
    t = s.table
    weighted = int((s.weight > 0).sum()) if s.weight is not None else len(s.actual)
    found = metrics(s, reading)
    actual = np.bincount(s.actual, minlength=a.classes)
    entry: dict[str, object] = {
        "rows": len(s.actual),
        "actual": {c: int(actual[k]) for k, c in enumerate(reading.classes)},
        "no_answer": int((~s.answered).sum()),
        "matrix": None if t is None else t.cells.tolist(),
        "metrics": found,
        "rest": {},
    }
    if weighted < reading.settings.min_slice:
        why = f"the slice has fewer than {reading.settings.min_slice} rows"
        entry["metrics"] = {name: absent(why) for name in found}
        return entry, None
    others = None
    if cells is not None and a.table is not None:
        others = table.of_cells(_padded(a.table.cells, cells.shape[1]) - cells, a.classes)
    return entry, against_rest(s, Rest(a, members, others), found, reading, tests)


def _padded(cells: IntArray, width: int) -> IntArray:
    return cells if cells.shape[1] == width else np.pad(cells, ((0, 0), (0, width - cells.shape[1])))


def against_rest(
    s: Answers, rest: Rest, found: dict[str, Metric], reading: Reading, tests: Mapping[str, float] | None = None
) -> dict[str, Compared | str]:
    """Each metric of a slice, whose own metrics are `found`, minus that of the other rows; a string is why none.

    `tests` are the p-values of rates, where they are known already.
    """
    positive = 0 if reading.positive is None else reading.positive
    out: dict[str, Compared | str] = {}
    for name, value in found.items():
        if name in counts.RATES:
            out[name] = _rates(name, s.table, rest.table, positive, value, (tests or {}).get(name))
        elif name == "roc_auc" or name in OTHERS:
            out[name] = _others(name, s, rest, positive, value)
        elif mine := reading.own_named(name):
            out[name] = _own(mine, s, rest, value, reading)
    return out


def _rates(
    name: str, s: Table | None, rest: Table | None, positive: int, value: Metric, known: float | None
) -> Compared | str:
    if s is None or rest is None or value["value"] is None:
        return value.get("why", "there is no number here")
    a, b = (t.share(*counts.masks(t, positive)[name]) for t in (s, rest))
    if b.n <= 0:
        return "the other rows have no such number"
    gap = a.value - b.value

    def interval(confidence: float) -> Interval:
        return hybrid_difference(a.value, a.interval(confidence), b.value, b.interval(confidence))

    if s.suffix:
        spread = a.value * (1 - a.value) / a.effective + b.value * (1 - b.value) / b.effective
        p = 2.0 * float(norm.sf(abs(gap) / math.sqrt(spread))) if spread > 0 else (1.0 if gap == 0 else None)
        return Compared(gap, p, "independent" + s.suffix, interval, "the rows show a difference and no variance")
    p = float(hypergeometric_midp(a.k, a.n, b.k, b.n)) if known is None else known
    return Compared(gap, p, "hypergeometric_midp", interval)


def hypergeometric_midp(k1: Any, n1: Any, k2: Any, n2: Any) -> Any:
    """Twice the smaller of the two mid tails of k1 given the margins, at most 1; of numbers or of arrays of them.

    Examples
    --------
    3 of 3 against 0 of 3: the tail is half of 1/20, so p = 0.05.

    >>> round(float(hypergeometric_midp(3, 3, 0, 3)), 12)
    0.05
    """
    law = np.add(n1, n2), np.add(k1, k2), n1
    half = hypergeom.pmf(k1, *law) / 2
    return np.minimum(1.0, 2.0 * np.minimum(hypergeom.cdf(k1, *law) - half, hypergeom.sf(k1, *law) + half))


def _others(name: str, s: Answers, outside: Rest, positive: int, value: Metric) -> Compared | str:
    if value["value"] is None:
        return value["why"]
    if name in COUNTED and not s.designed:
        return _by_cells(name, s.table, outside.table, positive, value["value"])
    rest = outside.rows
    if name == "roc_auc":
        return _areas(s, rest, value["value"])
    psi = influence.of_rows(name, s, positive)
    if name in ("average_precision", "brier", "log_loss") and not rest.answered.any():
        return "the other rows have no such number"
    other = _value(name, rest, positive)
    psi_rest = influence.of_rows(name, rest, positive) if other is not None else None
    if psi is None or psi_rest is None or other is None:
        return "the other rows have no such number"
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return paired.normal(value["value"] - other, variance, "influence" + s.suffix)


def _by_cells(name: str, t: Table | None, u: Table | None, positive: int, value: float) -> Compared | str:
    """A count metric's difference from the cells alone."""
    assert t is not None
    other = None if u is None else _of_table(name, u, positive)
    if u is None or other is None:
        return "the other rows have no such number"
    variance = 0.0
    for one in (t, u):
        psi = influence.of_cells(name, one.cells.astype(np.float64), positive)
        if psi is None:
            return "the other rows have no such number"
        variance += float(np.add.reduce((one.cells * psi**2).reshape(-1))) / one.total**2
    return paired.normal(value - other, variance, "influence")


def _own(mine: OwnMetric, s: Answers, outside: Rest, value: Metric, reading: Reading) -> Compared | str:
    if value["value"] is None:
        return value["why"]
    rest = outside.rows
    other = own.metric(mine, rest, replace(reading.settings, draws=2), reading.no_cutoff)
    if other["value"] is None:
        return "the other rows have no such number"
    gap = value["value"] - other["value"]
    psi, psi_rest = own.influence(mine, s), own.influence(mine, rest)
    if psi is None or psi_rest is None:
        return Compared(gap, None, "none", None, f"there is no test of {mine.name}")
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return paired.normal(gap, variance, "influence" + s.suffix)


def _value(name: str, a: Answers, positive: int) -> float | None:
    """A metric's value alone."""
    if name in ("brier", "log_loss"):
        m = moments(a, name)
        return m.mean if m else None
    if name == "average_precision":
        counted = a.tally
        if counted is None or counted.positives <= 0 or counted.negatives <= 0:
            return None
        return ranking.average_precision_value(counted)
    return None if a.table is None else _of_table(name, a.table, positive)


def _of_table(name: str, t: Table, positive: int) -> float | None:
    if t.total <= 0:
        return None
    if name in ("mcc", "kappa"):
        value = float((counts.mcc if name == "mcc" else counts.kappa)(t.cells.astype(np.float64)))
        return value if math.isfinite(value) else None
    which = counts.masks(t, positive)
    if name == "f1":
        share = t.share(*which["f1"])
        return 2 * share.k / (share.k + share.n) if share.n > 0 else None
    recalls = [t.share(*counts.masks(t, k)["recall"]) for k in range(t.classes)]
    found = [r.value for r in recalls if r.n > 0]
    if not found or (t.classes == 2 and len(found) < 2):
        return None
    return sum(found) / len(found) if name == "balanced_accuracy" else sum(found) - 1


def _areas(s: Answers, rest: Answers, area: float) -> Compared | str:
    t, u = s.tally, rest.tally
    assert t is not None
    assert u is not None
    if min(u.positives, u.negatives) <= 0:
        return "the other rows have no such number"
    if min(t.positives, t.negatives, u.positives, u.negatives) < 2:
        return "the test needs two rows of each class on both sides"
    other = ranking.roc_area(u)
    variance = ranking.area_variance(s, t, area) + ranking.area_variance(rest, u, other)
    return paired.normal(area - other, variance, "delong" + s.suffix)


def _adjust(out: list[SliceResult], families: list[dict[str, Compared | str] | None], confidence: float) -> None:
    """Holm over the listed slices of one field list and one metric; small slices are not among them."""
    names = next((list(f) for f in families if f is not None), [])
    listed = [(entry, f) for entry, f in zip(out, families, strict=True) if f is not None]
    for name in names:
        differences: list[Difference] = paired.family([f[name] for _, f in listed], confidence)
        for (entry, _), d in zip(listed, differences, strict=True):
            entry["rest"][name] = mark_difference(name, d, SLICE)
