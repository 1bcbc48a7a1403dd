"""From a study's arrays to its results: the one place where the parts of the arithmetic are put together."""

from __future__ import annotations

import platform
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import scipy

from skarlo._version import __version__

from .compare import expected, pairs, quoted
from .compare.pairs import Entrant
from .compare.slices import Slice, sliced
from .counting import curves, outcomes
from .counting.answers import Answers
from .counting.tally import Tally
from .decide import gates, net_benefit, recalibration
from .metrics import calibration, counts, panel
from .metrics.panel import Reading
from .once import Once
from .prepared import OnSplit, Prepared, prepare, told_of
from .progress import Progress, Steps
from .results import (
    FORMAT,
    CandidateResult,
    CutoffResult,
    HoldoutResult,
    OwnMetricResult,
    QuotedResult,
    Recalibration,
    Results,
    SettingsResult,
    SplitResult,
)
from .study import Candidate, Cutoff, OwnMetric, Settings, Study
from .words import findings

VERSION = __version__
Curves = Literal["compact", "full", "none"]


def evaluate(
    study: Study | Prepared, how: Curves = "compact", cutoffs: Sequence[Cutoff | None] | None = None,
    progress: Progress | None = None,
) -> Results:  # fmt: skip
    """Evaluate a study.

    Parameters
    ----------
    study : rows, candidates and settings; prepared, where it is evaluated more than once: what no cutoff changes is
        then computed once, and several threads may evaluate it together
    how : "full" writes every point of the curves, "compact" drops points within 1e-4 of the drawn line, "none" none
    cutoffs : for each candidate its cutoff, in place of its own
    progress : told (done, of, what) before each step; what it raises stops the work

    Returns
    -------
    The results, byte for byte the same for the same input, version, locked packages and processor features.
    """
    ready = study if isinstance(study, Prepared) else prepare(study)
    study, once = ready.study, ready.once
    wanted = [c.cutoff for c in study.candidates] if cutoffs is None else list(cutoffs)
    steps = Steps(progress, len(study.candidates) * (len(study.splits) + 1) + 2)
    done = [_candidate(ready, i, cutoff, how, steps) for i, cutoff in enumerate(wanted)]
    steps.next("measuring the baselines")
    baselines = [_baseline(ready, name) for name in ready.baselines]
    steps.next("comparing the candidates, pair by pair")
    entrants = [d.entrant for d in done]
    compared = pairs.pairs(entrants, study.report_on, study.settings.confidence, once=once)
    against = pairs.against_baselines(entrants, [b.entrant for b in baselines], study.settings.confidence, once)
    entries = [d.entry for d in done]
    return {
        "format": FORMAT,
        "skarlo": VERSION,
        "title": study.title,
        "holdout": holdout_of(study),
        "settings": _settings(study.settings),
        **({"own_metrics": [_own_metric(m) for m in study.metrics]} if study.metrics else {}),  # type: ignore[typeddict-item]
        "candidates": entries + [b.entry for b in baselines],
        "pairs": compared,
        "best": {study.report_on: pairs.best(entrants, compared, study.settings.confidence)},
        "against_baseline": {study.report_on: against},
        **({"quoted": _quoted(study, done)} if study.quoted else {}),  # type: ignore[typeddict-item]
        "findings": [
            *study.findings,
            *findings.of_study(study, entries, entrants, against),
            *findings.of_cutoffs(entries, study.report_on),
        ],
        "gates": gates.judge(study, [d.judged(study) for d in done] if study.gates else []),
    }


def holdout_of(study: Study) -> HoldoutResult:
    """What the results say of the rows: it takes no evaluation."""
    return {
        "sha256": study.sha256,
        "rows": len(study.actual),
        "classes": list(study.classes),
        "positive": None if study.positive is None else study.classes[study.positive],
        "names": dict(study.names),
        "words": dict(study.words),
        "splits": dict(study.split_rows) or {name: int(rows.sum()) for name, rows in study.splits.items()},
        "report_on": study.report_on,
        "tune_on": study.tune_on,
    }


def with_choices(results: Results, choices: Mapping[str, Cutoff]) -> Results:
    """The same results with where and how each candidate's cutoff was chosen, which changes no number.

    choices : by candidate; the values must be those of the results
    """
    entries: list[CandidateResult] = []
    for c in results["candidates"]:
        chosen, cutoff = choices.get(c["name"]), c["cutoff"]
        same = chosen is not None and cutoff is not None and cutoff["value"] == chosen.value
        entries.append({**c, "cutoff": told_of(chosen)} if same and chosen is not None else c)
    kept = [f for f in results["findings"] if f["code"] not in findings.OF_CUTOFFS]
    told = findings.of_cutoffs(entries, results["holdout"]["report_on"])
    return {**results, "candidates": entries, "findings": [*kept, *told]}


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
    slices: Sequence[Slice]

    def judged(self, study: Study) -> gates.Judged:
        """As gates read it."""
        part = self.entry["splits"][study.report_on]
        by: dict[tuple[str, ...], list[Slice]] = {}
        for s in self.slices:
            by.setdefault(tuple(s.told["by"]), []).append(s)
        return gates.Judged(self.entrant, self.judged_rows, part["no_answer"], part.get("per_class", {}), by)  # type: ignore[arg-type]


def _candidate(ready: Prepared, i: int, cutoff: Cutoff | None, how: Curves, steps: Steps) -> _Done:
    study, c = ready.study, ready.study.candidates[i]
    placed = ready.placed(i, cutoff)
    reading = Reading(study.classes, study.positive, study.settings, study.metrics, placed.why, c.ranking_only)
    entry = _describe(c, placed.told)
    sliced: Sequence[Slice] = ()
    for split in study.splits:
        steps.next(f"measuring {c.name} on {split}")
        entry["splits"][split], found = _split(ready, ("candidate", i), split, ready.at(i, split, placed), reading, how)
        sliced = found if split == study.report_on else sliced
    steps.next(f"recalibrating {c.name}")
    if c.predicted is None:
        entry["recalibration"] = ready.once.get(("recalibration", i), lambda: _recalibration(ready, i, reading))
    reported = ready.at(i, study.report_on, placed)
    metrics = entry["splits"][study.report_on]["metrics"]
    entrant = Entrant(c.name, reported.whole, c.no_answer == "left_out", metrics, reading, ("candidate", i))
    return _Done(entry, entrant, reported.judged, sliced)


def _recalibration(ready: Prepared, i: int, reading: Reading) -> Recalibration:
    tune_on, report_on = ready.study.tune_on, ready.study.report_on
    tuned = None if tune_on is None else ready.on_split(i, tune_on).whole
    return recalibration.of_candidate(tuned, ready.on_split(i, report_on).whole, reading, (tune_on, report_on))


def _describe(c: Candidate, cutoff: CutoffResult | None) -> CandidateResult:
    out: CandidateResult = {
        "name": c.name,
        "gives": c.gives,
        "sha256": c.sha256,
        "version": c.version,
        "made_with": dict(c.made_with),
        "runs_now": c.runs_now,
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
    ready: Prepared, who: tuple[str, object], split: str, on: OnSplit, reading: Reading, how: Curves
) -> tuple[SplitResult, Sequence[Slice]]:
    """One candidate on one split, and its slices. What no cutoff changes is made once."""
    study, a, key = ready.study, on.judged, (*who, split)
    t = a.table
    scores = ready.once.get(("scores", key), lambda: panel.of_scores(a, reading))
    areas = ready.once.get(("areas", key), lambda: panel.class_areas(a, reading))
    out: SplitResult = {
        "rows": len(a.actual),
        "actual": {label: int((a.actual == k).sum()) for k, label in enumerate(study.classes)},
        "no_answer": int((~on.whole.answered).sum()),
        "matrix": None if t is None else t.cells.tolist(),
        **({} if t is None or study.positive is None else {"outcomes": outcomes.of_table(t.cells, study.positive)}),  # type: ignore[typeddict-item]
        "metrics": panel.metrics(a, reading, scores),
        "per_class": panel.per_class(a, reading, areas),
    }
    classes = [dict(p) for p in out["per_class"].values()]
    if t is None:
        out["averages"] = counts.no_averages(reading.no_cutoff)
    else:
        out["averages"] = counts.averages(t, study.settings.sampling, classes)  # type: ignore[arg-type]
    drawn = ready.once.get(("drawn", key, how), lambda: _draw(a, reading, how))
    for label, curves_of in drawn.items():
        (out if label is None else out["per_class"][label]).update(curves_of)  # type: ignore[typeddict-item]
    benefit = ready.once.get(("net benefit", key, how), lambda: _net_benefit(a, reading, how))
    if benefit is not None:
        out["net_benefit"] = benefit
    if who[0] == "baseline":
        return out, ()
    bins = ready.once.get(("calibration", key), lambda: _calibration(study, a))
    if bins is not None:
        out["calibration"] = bins
    if study.expected_base_rate and study.positive is not None:
        told = [expected.restate(a, reading, pi) for pi in study.expected_base_rate]
        out["at_expected_base_rate"] = told[0] if len(told) == 1 else told
    if not study.slices:
        return out, ()
    where = study.splits[split].copy()
    where[where] = on.kept
    found = sliced(a, study.slices, where, reading, once=ready.once.get(("slices", key), Once))
    out["slices"] = [s.told for s in found]
    return out, found


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
    return net_benefit.net_benefit_curve(a, reading.settings.confidence)


def _baseline(ready: Prepared, name: str) -> _Done:
    """A baseline on every split; no cutoff changes it."""
    return ready.once.get(("baseline", name), lambda: _measured_baseline(ready, name))


def _measured_baseline(ready: Prepared, name: str) -> _Done:
    study, who = ready.study, ("baseline", name)
    entry = _describe(Candidate(name), None)
    entry["gives"] = "baseline"
    reading = Reading(study.classes, study.positive, study.settings, study.metrics)
    for split in study.splits:
        entry["splits"][split], _ = _split(ready, who, split, ready.baseline(name, split), reading, "none")
    reported = ready.baseline(name, study.report_on)
    metrics = entry["splits"][study.report_on]["metrics"]
    return _Done(entry, Entrant(name, reported.whole, False, metrics, reading, who), reported.judged, ())
