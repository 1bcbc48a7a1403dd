"""Gates: conditions set in advance, each passed, failed or unclear."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..compare.more_rows import Standing, clearing, reaching
from ..compare.pairs import Entrant, Pair, standing, standing_of
from ..compare.slices import Slice
from ..counting import outcomes
from ..counting.answers import Answers
from ..counting.table import Table
from ..metrics import counts
from ..metrics.definitions import METRICS
from ..metrics.panel import Reading
from ..number import Metric, MoreRows
from ..results import GateResult
from ..study import Gate, Study
from ..writing import as_set

SLACK = 1e-12
COUNTED = {"tp": "TP", "fp": "FP", "fn": "FN", "tn": "TN", "flagged": "flagged"}
COUNTS = (*COUNTED, "no_answer")


@dataclass(frozen=True)
class Behind:
    """The rows that a gate's number rests on, as counts: the rows themselves only where a number of scores is read.

    actual : rows of each class, in order; table : their matrix
    """

    rows: int
    actual: Sequence[int]
    no_answer: int
    table: Table | None
    answers: Callable[[], Answers]

    @staticmethod
    def of_slice(s: Slice) -> Behind:
        """Of a slice."""
        told = s.told
        return Behind(told["rows"], list(told["actual"].values()), told["no_answer"], s.part.table, lambda: s.part.rows)


@dataclass(frozen=True)
class Judged:
    """A candidate as gates read it: the rows it is judged on, its reported split's parts, its slices by field list."""

    entrant: Entrant
    rows: Answers
    no_answer: int
    per_class: Mapping[str, Mapping[str, Metric]]
    slices: Mapping[tuple[str, ...], Sequence[Slice]]

    @property
    def behind(self) -> Behind:
        """All its rows."""
        a = self.rows
        actual = np.bincount(a.actual, minlength=a.classes).tolist()
        return Behind(len(a.actual), actual, self.no_answer, a.table, lambda: a)


def judge(study: Study, judged: Sequence[Judged]) -> list[GateResult]:
    """All gates for all candidates they are on; a gate over slices gives one entry for each slice."""
    by_name = {j.entrant.name: j for j in judged}
    out: list[GateResult] = []
    for asked in study.gates:
        gate = replace(asked, text=text_of(study, asked))  # drafted once for all slices
        reference = _reference(study, gate)
        for j in judged:
            if gate.on not in (None, j.entrant.name) or j.entrant.name == reference:
                continue
            if gate.against is not None:
                out.append(_against(study, gate, j, by_name[reference] if reference else None))
            elif gate.where:
                out += [
                    _entry(study, gate, j, s.told["metrics"], Behind.of_slice(s), s.told["by"])
                    for s in j.slices.get((gate.where,), ())
                ]
            elif gate.every:
                out += [
                    _entry(study, gate, j, s.told["metrics"], Behind.of_slice(s), s.told["by"])
                    for s in j.slices.get(gate.every, ())
                ]
            else:
                out.append(_entry(study, gate, j, j.entrant.metrics, j.behind, None))
    return out


def _reference(study: Study, gate: Gate) -> str | None:
    if gate.against == "runs now":
        return next((c.name for c in study.candidates if c.runs_now), None)
    return gate.against


def _lower_is_better(study: Study, metric: str) -> bool:
    own = next((m for m in study.metrics if m.name == metric), None)
    return (own.better if own else METRICS[metric].better if metric in METRICS else "higher") == "lower"


def text_of(study: Study, gate: Gate) -> str:
    """The gate in words, drafted where the study gives none."""
    if gate.text:
        return gate.text
    title = METRICS[gate.metric].title if gate.metric in METRICS else gate.metric
    title = title if title[1:2].isupper() else title.lower()
    of = f" of {gate.of_class}" if gate.of_class else ""
    if gate.against is not None:
        other = "the candidate that runs now" if gate.against == "runs now" else gate.against
        return f"{title}{of} no worse than that of {other} by more than {as_set(gate.margin)}"
    bound = f"at most {as_set(gate.at_most or 0.0)}"
    if gate.at_least is not None:
        bound = f"at least {as_set(gate.at_least)}"
    every = f" in every {' and '.join(gate.every)}" if gate.every else f" where {gate.where}" if gate.where else ""
    return f"{title}{of} {bound}{every}"


def _entry(
    study: Study, gate: Gate, j: Judged, metrics: Mapping[str, Metric], a: Behind, by: dict[str, str] | None
) -> GateResult:
    needed = gate.at_least if gate.at_least is not None else gate.at_most
    assert needed is not None
    out: GateResult = {
        "text": text_of(study, gate), "candidate": j.entrant.name, "by": by, "level": gate.level,
        "metric": gate.metric, "status": "unclear", "value": None, "low": None, "high": None, "read": None,
        "needed": needed, "rows": a.rows, "denominator": None,
        "bound": "most" if gate.at_least is None else "least", "against": None,
    }  # fmt: skip
    if gate.metric in COUNTS:
        return _count(study, gate, a, out)
    metric = _metric(study, gate, j, metrics, a, by is None)
    if metric is None or metric["value"] is None:
        out["why"] = metric["why"] if metric is not None else "there is no such number"
        return out
    out["value"], out["low"], out["high"] = metric["value"], metric.get("low"), metric.get("high")
    out["denominator"] = _denominator(study, gate, a)
    side = {"safe": "low" if gate.at_least is not None else "high"}.get(gate.read_at, gate.read_at)
    out["read"] = out["value"] if side == "value" else out[side]  # type: ignore[literal-required]
    if out["read"] is None:
        out["why"] = metric.get("why_interval", "it has no interval")
        return out
    at = _standing(a, j.entrant.reading)
    if metric.get("thin"):
        out["why"] = f"it rests on fewer than {study.settings.min_denominator} rows"
        more = reaching(study.settings.min_denominator, out["denominator"] or 0, at, gate.metric)
        return _with_more(out, more)
    return _with_more(_decide(gate, out), _to_clear(out, gate.at_least is None, at, gate.metric))


def _standing(a: Behind, reading: Reading) -> Standing:
    if reading.positive is None:
        return Standing(a.rows)
    return standing_of(a.rows, a.actual[reading.positive], reading)


def _to_clear(out: GateResult, lower: bool, at: Standing, metric: str) -> MoreRows | None:
    """Rows to add until a gate that only its interval fails is passed."""
    value, read, needed = out["value"], out["read"], out["needed"]
    if out["status"] != "fail" or value is None or read is None:
        return None
    gap, half = (needed - value, read - value) if lower else (value - needed, value - read)
    return clearing(gap, half, at, metric)


def _with_more(out: GateResult, more: MoreRows | None) -> GateResult:
    if more is not None:
        out["more_rows"] = more
    return out


def _decide(gate: Gate, out: GateResult) -> GateResult:
    """Passed when the end that is read is inside; failed when the whole interval is outside; else by the end read."""
    read = out["read"]
    assert read is not None
    inside = read >= out["needed"] - SLACK if gate.at_least is not None else read <= out["needed"] + SLACK
    out["status"] = "pass" if inside else "fail"
    return out


def _count(study: Study, gate: Gate, a: Behind, out: GateResult) -> GateResult:
    positive = _class_of(study, gate)
    t = a.table
    if gate.metric == "no_answer":
        value = float(a.no_answer)
    elif t is None or positive is None:
        out["why"] = "there is no such count"
        return out
    else:
        value = float(outcomes.counted(t.cells, positive)[COUNTED[gate.metric]])
    out["value"] = out["read"] = value
    return _decide(gate, out)


def _class_of(study: Study, gate: Gate) -> int | None:
    return study.classes.index(gate.of_class) if gate.of_class is not None else study.positive


def _metric(
    study: Study, gate: Gate, j: Judged, metrics: Mapping[str, Metric], a: Behind, whole: bool
) -> Metric | None:
    """The metric a gate reads: of a class where it names one."""
    k = _class_of(study, gate)
    if gate.of_class is None or k == study.positive:
        return metrics.get(gate.metric)
    if gate.metric in counts.WHY:
        t = a.table
        names = j.entrant.reading.named(k or 0)
        return None if t is None else counts.rate(gate.metric, t, k or 0, study.settings.sampling, names)
    return j.per_class[gate.of_class].get(gate.metric) if whole else None


def _denominator(study: Study, gate: Gate, a: Behind) -> float | None:
    """The rate's own; for F1 TP + FP + FN, for areas the smaller class, for the rest the rows."""
    k, t = _class_of(study, gate), a.table
    if gate.metric in counts.WHY and t is not None:
        _, below = counts.masks(t, 0 if k is None else k)[gate.metric]
        n = t.cells[below].sum().item()
        return int(n) if float(n).is_integer() else n
    if gate.metric in METRICS and METRICS[gate.metric].needs == "scores" and k is not None:
        actual = a.answers().with_answer.actual
        inside = int((actual == k).sum())
        return min(inside, len(actual) - inside)
    return a.rows


def _against(study: Study, gate: Gate, j: Judged, reference: Judged | None) -> GateResult:
    lower = _lower_is_better(study, gate.metric)
    out: GateResult = {
        "text": text_of(study, gate), "candidate": j.entrant.name, "by": None, "level": gate.level,
        "metric": gate.metric, "status": "unclear", "value": None, "low": None, "high": None, "read": None,
        "needed": gate.margin if lower else -gate.margin, "rows": len(j.rows.actual),
        "denominator": _denominator(study, gate, j.behind),
        "bound": "most" if lower else "least", "against": None if reference is None else reference.entrant.name,
    }  # fmt: skip
    if reference is None:
        out["why"] = "no candidate runs now"
        return out
    d = Pair(j.entrant, reference.entrant).difference(gate.metric)
    if isinstance(d, str):
        out["why"] = d
        return out
    out["value"] = d.difference
    if d.interval is None:
        out["why"] = d.why
        return out
    out["low"], out["high"] = d.interval(study.settings.confidence)
    out["read"] = out["high"] if lower else out["low"]
    for m in (j.entrant.metrics[gate.metric], reference.entrant.metrics[gate.metric]):
        if m.get("thin"):
            out["why"] = f"it rests on fewer than {study.settings.min_denominator} rows"
            return out
    read = out["high"] if lower else out["low"]
    assert read is not None
    inside = read <= out["needed"] + SLACK if lower else read >= out["needed"] - SLACK
    out["status"] = "pass" if inside else "fail"
    return _with_more(out, _to_clear(out, lower, standing(j.rows, j.entrant.reading), gate.metric))
