"""Slices: rows that share the values of some fields, measured, and compared with the other rows of the split."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from scipy.stats import hypergeom, norm

from . import counts, influence, own, paired, ranking
from .answers import Answers, mean_variance
from .intervals import Interval, hybrid_difference
from .measure import Reading, metrics
from .paired import Compared
from .probability import moments
from .results import SliceResult
from .study import Field, OwnMetric
from .table import Table
from .values import BoolArray, Difference, Metric, absent

OTHERS = ("f1", "mcc", "kappa", "balanced_accuracy", "youden_j", "average_precision", "brier", "log_loss")


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
    order = np.argsort(code, kind="stable")
    edges = np.flatnonzero(np.concatenate(([True], np.diff(code[order]) != 0))) if len(code) else np.zeros(0, int)
    out: list[SliceResult] = []
    families: list[dict[str, Compared | str] | None] = []
    for i, start in enumerate(edges):
        members = np.sort(order[start : edges[i + 1] if i + 1 < len(edges) else len(code)])
        inside = np.zeros(len(code), dtype=bool)
        inside[members] = True
        entry, compared = _slice(a, inside, reading)
        rest = int(code[members[0]])
        by = {}
        for f in reversed(fields):
            rest, at = divmod(rest, len(f.values))
            by[f.name] = f.values[at]
        out.append({"by": dict(reversed(list(by.items()))), **entry})  # type: ignore[typeddict-item]
        families.append(compared)
    _adjust(out, families, reading.settings.confidence)
    return out


def _slice(
    a: Answers, inside: BoolArray, reading: Reading
) -> tuple[dict[str, object], dict[str, Compared | str] | None]:
    s = a.take(inside)
    t = s.table
    weighted = int((s.weight > 0).sum()) if s.weight is not None else len(s.actual)
    found = metrics(s, reading)
    entry: dict[str, object] = {
        "rows": len(s.actual),
        "actual": {c: int((s.actual == k).sum()) for k, c in enumerate(reading.classes)},
        "no_answer": int((~s.answered).sum()),
        "matrix": None if t is None else t.cells.tolist(),
        "metrics": found,
        "rest": {},
    }
    if weighted < reading.settings.min_slice:
        why = f"the slice has fewer than {reading.settings.min_slice} rows"
        entry["metrics"] = {name: absent(why) for name in found}
        return entry, None
    return entry, against_rest(s, a.take(~inside), found, reading)


def against_rest(s: Answers, rest: Answers, found: dict[str, Metric], reading: Reading) -> dict[str, Compared | str]:
    """Each metric of a slice, whose own metrics are `found`, minus that of the other rows; a string is why none."""
    positive = 0 if reading.positive is None else reading.positive
    out: dict[str, Compared | str] = {}
    for name, value in found.items():
        if name in counts.RATES:
            out[name] = _rates(name, s.table, rest.table, positive, value)
        elif name == "roc_auc" or name in OTHERS:
            out[name] = _others(name, s, rest, positive, value)
        elif mine := reading.own_named(name):
            out[name] = _own(mine, s, rest, value, reading)
    return out


def _rates(name: str, s: Table | None, rest: Table | None, positive: int, value: Metric) -> Compared | str:
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
    return Compared(gap, hypergeometric_midp(int(a.k), int(a.n), int(b.k), int(b.n)), "hypergeometric_midp", interval)


def hypergeometric_midp(k1: int, n1: int, k2: int, n2: int) -> float:
    """Twice the smaller of the two mid tails of k1 given the margins, at most 1.

    Examples
    --------
    3 of 3 against 0 of 3: the tail is half of 1/20, so p = 0.05.

    >>> round(hypergeometric_midp(3, 3, 0, 3), 12)
    0.05
    """
    law = hypergeom(n1 + n2, k1 + k2, n1)
    at = float(law.pmf(k1))
    return min(1.0, 2.0 * min(float(law.cdf(k1)) - at / 2, float(law.sf(k1)) + at / 2))


def _others(name: str, s: Answers, rest: Answers, positive: int, value: Metric) -> Compared | str:
    if value["value"] is None:
        return value["why"]
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


def _own(mine: OwnMetric, s: Answers, rest: Answers, value: Metric, reading: Reading) -> Compared | str:
    if value["value"] is None:
        return value["why"]
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
    t = a.table
    if t is None or t.total <= 0:
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
            entry["rest"][name] = d
