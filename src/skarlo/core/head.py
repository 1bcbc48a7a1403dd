"""What the results say before anything is evaluated: rows, settings, candidates, and what they depend on."""

from __future__ import annotations

import platform
from collections.abc import Mapping
from typing import Any

import numpy as np
import scipy
from typing_extensions import TypedDict

from skarlo._version import __version__

from .prepared import told_of
from .results import (
    FORMAT,
    CandidateResult,
    CutoffResult,
    HoldoutResult,
    OwnMetricResult,
    Results,
    SettingsResult,
)
from .study import Candidate, Cutoff, OwnMetric, Settings, Study
from .words import findings

VERSION = __version__


class ClassBalance(TypedDict):
    """Rows of a class, and their share of the split's rows; None where there are none."""

    rows: int
    share: float | None


def head_of(study: Study, candidates: list[CandidateResult]) -> dict[str, Any]:
    """What was evaluated."""
    own = {"own_metrics": [_own_metric(m) for m in study.metrics]} if study.metrics else {}
    return {
        "format": FORMAT, "skarlo": VERSION, "title": study.title, "holdout": holdout_of(study),
        "settings": _settings(study.settings), **own, "candidates": candidates,
    }  # fmt: skip


def holdout_of(study: Study) -> HoldoutResult:
    """What the results say of the rows: it takes no evaluation.

    Examples
    --------
    >>> study = Study("q", ("no", "yes"), np.array([0, 1, 0]), 1, {"all": np.ones(3, dtype=bool)}, "all", None, ())
    >>> holdout_of(study)["splits"]
    {'all': 3}
    """
    out: HoldoutResult = {
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
    if study.picked_by:
        out["picked_by"] = list(study.picked_by)
    return out


def with_choices(results: Results, choices: Mapping[str, Cutoff]) -> Results:
    """The same results with where and how each candidate's cutoff was chosen, which changes no number.

    choices : by candidate; the values must be those of the results

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["y", "n", "y"], {"net": [0.9, 0.2, 0.6]}, positive="y")
    >>> by_hand = Cutoff(0.5, "all", chosen_by={"rule": "by hand"})
    >>> with_choices(results, {"net": by_hand})["candidates"][0]["cutoff"]
    {'value': 0.5, 'rule': 'by hand', 'chosen_on': 'all'}
    """
    entries: list[CandidateResult] = []
    for c in results["candidates"]:
        chosen, cutoff = choices.get(c["name"]), c["cutoff"]
        same = chosen is not None and cutoff is not None and cutoff["value"] == chosen.value
        entries.append({**c, "cutoff": told_of(chosen)} if same and chosen is not None else c)
    if "findings" not in results:  # of some parts only
        return {**results, "candidates": entries}
    kept = [f for f in results["findings"] if f["code"] not in findings.OF_CUTOFFS]
    told = findings.of_cutoffs(entries, results["holdout"]["report_on"])
    return {**results, "candidates": entries, "findings": [*kept, *told]}


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
    """What the last bits of a result depend on besides its inputs.

    Examples
    --------
    >>> sorted(environment())
    ['cpu', 'numpy', 'python', 'scipy']
    """
    info: Any = np.show_config(mode="dicts")
    simd = info.get("SIMD Extensions", {}) if info else {}
    found = [*simd.get("baseline", []), *simd.get("found", [])]
    return {
        "python": platform.python_version(),
        "numpy": np.__version__,
        "scipy": scipy.__version__,
        "cpu": f"{platform.machine()} {' '.join(found)}".strip(),
    }


def described(c: Candidate, cutoff: CutoffResult | None) -> CandidateResult:
    """A candidate as it stands in the results, with no split yet."""
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


def balance_of(study: Study) -> dict[str, dict[str, ClassBalance]]:
    """By split and class how many rows there are, and their share, by their weights where they have some.

    Examples
    --------
    >>> study = Study("q", ("no", "yes"), np.array([0, 1, 0]), 1, {"all": np.ones(3, dtype=bool)}, "all", None, ())
    >>> balance_of(study)["all"]["yes"]
    {'rows': 1, 'share': 0.3333333333333333}
    """
    out: dict[str, dict[str, ClassBalance]] = {}
    for split, rows in study.splits.items():
        actual, many = study.actual[rows], len(study.classes)
        counted = np.bincount(actual, minlength=many)
        weight = counted if study.weight is None else np.bincount(actual, study.weight[rows], minlength=many)
        whole = float(weight.sum())
        out[split] = {
            label: {"rows": int(n), "share": float(w) / whole if whole > 0 else None}
            for label, n, w in zip(study.classes, counted, weight, strict=True)
        }
    return out
