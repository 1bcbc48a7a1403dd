"""From a study's arrays to its results: the one place where the parts of the arithmetic are put together."""

from __future__ import annotations

import math
import platform
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import scipy

from skarlo._version import __version__

from . import (
    calibration,
    comparing,
    counts,
    curves,
    decision,
    findings,
    gates,
    in_use,
    measure,
    quoted,
    recalibration,
    rules,
)
from .answers import Answers
from .comparing import Entrant
from .measure import Reading
from .results import (
    FORMAT,
    CandidateResult,
    CutoffResult,
    OwnMetricResult,
    QuotedResult,
    Results,
    SettingsResult,
    SliceResult,
    SplitResult,
)
from .slices import sliced
from .steps import Progress, Steps
from .study import Candidate, Cutoff, OwnMetric, Settings, Study
from .tally import Tally
from .values import BoolArray, FloatArray, IntArray

VERSION = __version__
Curves = Literal["compact", "full", "none"]
Memo = dict[tuple[str, str, str], dict[str, Any]]


def evaluate(
    study: Study, how: Curves = "compact", memo: Memo | None = None, progress: Progress | None = None
) -> Results:
    """Evaluate a study.

    Parameters
    ----------
    study : rows, candidates and settings
    memo : kept between evaluations of one study at other cutoffs, so that what no cutoff changes is computed once
    progress : told (done, of, what) before each step; what it raises stops the work
    how : "full" writes every point of the curves, "compact" drops points within 1e-4 of the drawn line, "none" none

    Returns
    -------
    The results, byte for byte the same for the same input, version, locked packages and processor features.
    """
    memo = {} if memo is None else memo
    steps = Steps(progress, len(study.candidates) * (len(study.splits) + 1) + 2)
    done = [_candidate(study, c, how, memo, steps) for c in study.candidates]
    steps.next("measuring the baselines")
    baselines = [_baseline(study, name, make, memo) for name, make in _baselines(study)]
    steps.next("comparing the candidates, pair by pair")
    entrants = [d.entrant for d in done]
    pairs = comparing.pairs(entrants, study.report_on, study.settings.confidence)
    against = comparing.against_baselines(entrants, [b.entrant for b in baselines], study.settings.confidence)
    entries = [d.entry for d in done]
    positive = None if study.positive is None else study.classes[study.positive]
    return {
        "format": FORMAT,
        "skarlo": VERSION,
        "title": study.title,
        "holdout": {
            "sha256": study.sha256,
            "rows": len(study.actual),
            "classes": list(study.classes),
            "positive": positive,
            "names": dict(study.names),
            "words": dict(study.words),
            "splits": dict(study.split_rows) or {name: int(rows.sum()) for name, rows in study.splits.items()},
            "report_on": study.report_on,
            "tune_on": study.tune_on,
        },
        "settings": _settings(study.settings),
        **({"own_metrics": [_own_metric(m) for m in study.metrics]} if study.metrics else {}),  # type: ignore[typeddict-item]
        "candidates": entries + [b.entry for b in baselines],
        "pairs": pairs,
        "best": {study.report_on: comparing.best(entrants, pairs, study.settings.confidence)},
        "against_baseline": {study.report_on: against},
        **({"quoted": _quoted(study, done)} if study.quoted else {}),  # type: ignore[typeddict-item]
        "findings": [*study.findings, *findings.of_study(study, entries, entrants, against)],
        "gates": gates.judge(study, [d.judged(study) for d in done] if study.gates else []),
    }


def _quoted(study: Study, done: list[_Done]) -> list[QuotedResult]:
    reading = Reading(study.classes, study.positive, study.settings)
    measured = {d.entry["name"]: d.entry["splits"][study.report_on]["metrics"] for d in done}
    return [quoted.told(q, reading, measured) for q in study.quoted]


def _own_metric(m: OwnMetric) -> OwnMetricResult:
    told: OwnMetricResult = {"name": m.name, "better": m.better}
    if m.formula is not None:
        return {**told, "formula": m.formula.text, "costs": dict(m.costs)}
    return {**told, "measure": m.measure or "", "parameters": dict(m.parameters)}


def _settings(s: Settings) -> SettingsResult:
    return {
        "confidence": s.confidence,
        "seed": s.seed,
        "draws": s.draws,
        "bins": s.bins,
        "min_slice": s.min_slice,
        "min_denominator": s.min_denominator,
        "environment": environment(),
    }


def environment() -> dict[str, str]:
    """What the last bits of a result depend on besides its inputs."""
    info: Any = np.show_config(mode="dicts")
    simd = info.get("SIMD Extensions", {}) if info else {}
    found = [*simd.get("baseline", []), *simd.get("found", [])]
    return {
        "python": platform.python_version(),
        "numpy": np.__version__,
        "scipy": scipy.__version__,
        "cpu": f"{platform.machine()} {' '.join(found)}".strip(),
    }


@dataclass(frozen=True)
class _Done:
    """A candidate measured: its entry, and what pairs and gates read of its reported split."""

    entry: CandidateResult
    entrant: Entrant
    judged_rows: Answers
    fields: dict[str, npt.NDArray[np.object_]]

    def judged(self, study: Study) -> gates.Judged:
        """With the rows of each slice."""
        part = self.entry["splits"][study.report_on]
        by: dict[tuple[str, ...], list[tuple[SliceResult, Answers]]] = {}
        for s in part.get("slices", []):
            inside = np.ones(len(self.judged_rows.actual), dtype=bool)
            for name, value in s["by"].items():
                inside &= self.fields[name] == value
            by.setdefault(tuple(s["by"]), []).append((s, self.judged_rows.take(inside)))
        return gates.Judged(self.entrant, self.judged_rows, part["no_answer"], part.get("per_class", {}), by)  # type: ignore[arg-type]


def _candidate(study: Study, c: Candidate, how: Curves, memo: Memo, steps: Steps) -> _Done:
    whole, cutoff, why = _answers(study, c)
    reading = Reading(study.classes, study.positive, study.settings, study.metrics, why, c.ranking_only)
    entry = _describe(c, cutoff)
    for split, rows in study.splits.items():
        steps.next(f"measuring {c.name} on {split}")
        entry["splits"][split] = _split(
            study, whole.take(rows), rows, c.no_answer, reading, memo.setdefault((c.name, split, how), {}), how
        )
    rows = study.splits[study.report_on]
    reported = whole.take(rows)
    steps.next(f"recalibrating {c.name}")
    if c.predicted is None:
        kept = memo.setdefault((c.name, "recalibration", ""), {})
        if not kept:
            tuned = None if study.tune_on is None else whole.take(study.splits[study.tune_on])
            splits = (study.tune_on, study.report_on)
            kept |= {"found": recalibration.of_candidate(tuned, reported, reading, splits)}
        entry["recalibration"] = kept["found"]
    return _done(study, entry, reported, rows, c.no_answer == "left_out", reading)


def _done(
    study: Study, entry: CandidateResult, reported: Answers, rows: BoolArray, left_out: bool, reading: Reading
) -> _Done:
    kept = reported.answered if left_out else np.ones(len(reported.actual), dtype=bool)
    metrics = entry["splits"][study.report_on]["metrics"]
    fields = {
        f.name: np.array(f.values, dtype=object)[f.codes[rows][kept]] for fields in study.slices for f in fields
    }  # fmt: skip
    judged = reported.with_answer if left_out else reported
    return _Done(entry, Entrant(entry["name"], reported, left_out, metrics, reading), judged, fields)


def _answers(study: Study, c: Candidate) -> tuple[Answers, CutoffResult | None, str]:
    """A candidate over all rows, its cutoff, and why it has none if so."""
    base = Answers(
        len(study.classes), study.positive, study.actual, c.predicted, None, None, False, c.no_answer == "wrong",
        study.weight, study.group, study.numbers,
    )  # fmt: skip
    if c.predicted is not None:
        return base, None, ""
    if c.probabilities is not None and study.positive is None:
        predicted = np.where(np.isnan(c.probabilities[:, 0]), -1, _largest(c.probabilities))
        return replace(base, predicted=predicted, probabilities=c.probabilities, is_probability=True), None, ""
    score = c.score
    if c.probabilities is not None:
        score = c.probabilities[:, study.positive]
    if score is None or study.positive is None:
        raise ValueError(f"candidate {c.name} gives nothing that can be read")
    given = score[~np.isnan(score)]
    probable = not c.ranking_only and bool(((given >= 0) & (given <= 1)).all())
    base = replace(base, score=score, is_probability=probable)
    value, cutoff, why = _cutoff(study, c.cutoff or Cutoff(), base, c.no_answer == "left_out")
    if value is None:
        return base, cutoff, why
    predicted = np.where(score >= value, study.positive, 1 - study.positive)
    return replace(base, predicted=np.where(np.isnan(score), -1, predicted)), cutoff, ""


def _largest(probabilities: FloatArray) -> IntArray:
    """The class with the largest probability, first of equals."""
    return np.asarray(np.argmax(np.nan_to_num(probabilities, nan=-1.0), axis=1), dtype=np.int64)


def _cutoff(study: Study, c: Cutoff, a: Answers, left_out: bool) -> tuple[float | None, CutoffResult, str]:
    """The cutoff to use (infinity flags nothing), what is told of it, and why there is none if so."""
    if c.rule is None:
        return c.value, {"value": c.value, "rule": "fixed", "chosen_on": c.chosen_on}, ""
    split = study.tune_on or study.report_on
    looked = a.take(study.splits[split])
    looked = looked.with_answer if left_out else looked
    t = looked.tally
    assert t is not None
    weight = np.ones(len(looked.actual)) if looked.weight is None else looked.weight
    sums = [float(np.add.reduce(weight[looked.is_positive])), float(np.add.reduce(weight[~looked.is_positive]))]
    if study.weight is None:
        sums = [int(x) for x in sums]
    chosen = rules.choose(c.rule, c.parameters, t, sums[0], sums[1])
    told: CutoffResult = {"value": chosen.value, "rule": c.rule, "chosen_on": split}
    if chosen.value is None:
        told["why"] = chosen.why
        return None, told, f"no cutoff satisfies {c.rule}: {chosen.why}"
    if math.isinf(chosen.value):
        return math.inf, {"value": None, "flags": "nothing", "rule": c.rule, "chosen_on": split}, ""
    return chosen.value, told, ""


def _describe(c: Candidate, cutoff: CutoffResult | None) -> CandidateResult:
    out: CandidateResult = {
        "name": c.name,
        "gives": c.gives,
        "sha256": c.sha256,
        "version": c.version,
        "made_with": dict(c.made_with),
        "in_use": c.in_use,
        "cutoff": cutoff,
        "splits": {},
    }
    if c.price_per_1000 is not None:
        out["price_per_1000"] = c.price_per_1000
    if c.latency_ms is not None:
        out["latency_ms"] = c.latency_ms
    if c.ranking_only:
        out["score_is"] = "ranking"
    return out


def _split(
    study: Study, a: Answers, rows: BoolArray, no_answer: str, reading: Reading, memo: dict[str, Any], how: Curves
) -> SplitResult:
    missing = int((~a.answered).sum())
    kept = np.ones(len(a.actual), dtype=bool)
    if no_answer == "left_out":
        kept = a.answered
        a = a.with_answer
    if not memo:
        memo |= {"scores": measure.score_metrics(a, reading), "areas": measure.class_areas(a, reading)}
        memo |= {"drawn": _draw(a, reading, how), "calibration": _calibration(study, a)}
        memo |= {"net_benefit": _net_benefit(a, reading, how)}
    t = a.table
    out: SplitResult = {
        "rows": len(a.actual),
        "actual": {label: int((a.actual == k).sum()) for k, label in enumerate(study.classes)},
        "no_answer": missing,
        "matrix": None if t is None else t.cells.tolist(),
        "metrics": measure.metrics(a, reading, memo["scores"]),
        "per_class": measure.per_class(a, reading, memo["areas"]),
    }
    if t is not None:
        classes = [dict(p) for p in out["per_class"].values()]
        out["averages"] = counts.averages(t, study.settings.sampling, classes)  # type: ignore[arg-type]
    for label, drawn in memo["drawn"].items():
        (out if label is None else out["per_class"][label]).update(drawn)
    if memo["net_benefit"] is not None:
        out["net_benefit"] = memo["net_benefit"]
    if memo["calibration"] is not None:
        out["calibration"] = memo["calibration"]
    if study.base_rate_in_use and study.positive is not None:
        restated = [in_use.restate(a, reading, pi) for pi in study.base_rate_in_use]
        out["in_use"] = restated[0] if len(restated) == 1 else restated
    if study.slices:
        where = rows.copy()
        where[rows] = kept
        out["slices"] = sliced(a, study.slices, where, reading)
    return out


def _calibration(study: Study, a: Answers) -> dict[str, Any] | None:
    if a.tally is None or not a.is_probability or not len(a.with_answer.actual) or a.tally.rows <= 0:
        return None
    return calibration.block(a, a.tally, study.settings.bins, study.settings.sampling)


def _draw(a: Answers, reading: Reading, how: Curves) -> dict[str | None, dict[str, Any]]:
    """The curves: of the split with two classes (under None), of each class with more."""
    if how == "none":
        return {}
    labels: list[str | None] = [None] if reading.positive is not None else list(reading.classes)
    out = {}
    for k, label in enumerate(labels):
        t = a.one_against_rest(k) if label is not None else a.tally
        if t is not None and t.positives > 0 and t.negatives > 0:
            out[label] = _curves(t, how)
    return out


def _curves(t: Tally, how: Curves) -> dict[str, Any]:
    drawn = {"roc": curves.roc_curve(t), "pr": curves.pr_curve(t), "gain": curves.gain_curve(t)}
    return {
        name: curves.listed(curve, slice(None) if how == "full" else curves.thinned(curve))
        for name, curve in drawn.items()
    }


def _net_benefit(a: Answers, reading: Reading, how: Curves) -> Any:
    t = a.tally
    if how == "none" or t is None or not a.is_probability or t.rows <= 0:
        return None
    return decision.net_benefit_curve(a, reading.settings.confidence)


def _baselines(study: Study) -> list[tuple[str, bool]]:
    """What needs no model: always the commonest class; with two classes also the base rate as a score."""
    commonest = study.classes[_commonest(study, study.splits[study.report_on])]
    always = [(f"always {commonest}", True)]
    return [*always, ("base rate", False)]


def _baseline(study: Study, name: str, always: bool, memo: Memo) -> _Done:
    """A baseline, whose class and base rate are those of each split it stands in."""
    entry = _describe(Candidate(name), None)
    entry["gives"] = "baseline"
    reading = Reading(study.classes, study.positive, study.settings, study.metrics)
    bare = replace(study, slices=(), base_rate_in_use=())
    reported: Answers | None = None
    for split, rows in study.splits.items():
        whole, _, _ = _answers(study, _stand_in(study, name, always, rows))
        part = _split(
            bare, whole.take(rows), rows, "error", reading, memo.setdefault((name, split, "none"), {}), "none"
        )
        part.pop("calibration", None)
        entry["splits"][split] = part
        if split == study.report_on:
            reported = whole.take(rows)
    assert reported is not None
    return _done(bare, entry, reported, study.splits[study.report_on], False, reading)


def _stand_in(study: Study, name: str, always: bool, rows: BoolArray) -> Candidate:
    n = len(study.actual)
    if always:
        return Candidate(name, predicted=np.full(n, _commonest(study, rows), dtype=np.int64))
    weight = None if study.weight is None else study.weight[rows]
    found = np.bincount(study.actual[rows], weights=weight, minlength=len(study.classes))
    share = found / found.sum() if found.sum() > 0 else np.full(len(study.classes), 1.0 / len(study.classes))
    if study.positive is None:
        return Candidate(name, probabilities=np.tile(share, (n, 1)))
    return Candidate(name, score=np.full(n, float(share[study.positive])), cutoff=Cutoff(0.5))


def _commonest(study: Study, rows: BoolArray) -> int:
    weight = None if study.weight is None else study.weight[rows]
    return int(np.bincount(study.actual[rows], weights=weight, minlength=len(study.classes)).argmax())
