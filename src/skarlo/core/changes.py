"""What changed between two results of one question: how candidates were made, counts, metrics, gates, findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import chain
from typing import Any, NotRequired

from typing_extensions import TypedDict

from .evaluation import evaluate
from .number import Difference, Finding, Metric
from .results import CandidateResult, GateResult, Results, SplitResult
from .study import Study

FORMAT = "skarlo.changes/1"
DESCRIBED = ("gives", "sha256", "version", "runs_now", "price_per_1000", "latency_ms", "score_is")


class Changed(TypedDict):
    """One thing that is not as it was."""

    what: str
    before: Any
    after: Any


class MetricChange(TypedDict):
    """A metric before and after. `paired` is after minus before on the same rows, where those are at hand."""

    metric: str
    before: Metric
    after: Metric
    moved_by: float | None
    paired: NotRequired[Difference]


class SplitChange(TypedDict):
    rows: list[int]
    matrix: list[list[float]] | None
    metrics: list[MetricChange]


class CandidateChange(TypedDict):
    name: str
    made: list[Changed]
    splits: dict[str, SplitChange]


class GateChange(TypedDict):
    """A gate by what it asks of whom; None where it was not there."""

    text: str
    candidate: str
    by: dict[str, str] | None
    level: str
    before: str | None
    after: str | None
    before_read: float | None
    after_read: float | None


class Changes(TypedDict):
    format: str
    before: str
    after: str
    study: list[Changed]
    added: list[str]
    removed: list[str]
    candidates: list[CandidateChange]
    gates: list[GateChange]
    findings_gone: list[Finding]
    findings_new: list[Finding]


def compare(before: Results, after: Results, paired: Mapping[str, Mapping[str, Difference]] | None = None) -> Changes:
    """Compare two results files of one question.

    Parameters
    ----------
    before, after : results as `evaluate` returned them, or read back
    paired : from `paired_changes`, where the rows of both are at hand

    Returns
    -------
    All that differs; metrics that are alike to the last bit are not listed.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> was, now = (evaluate(["y", "n", "y"], {"net": p}, positive="y") for p in ([0.9, 0.2, 0.6], [0.9, 0.2, 0.4]))
    >>> changed = compare(was, now)["candidates"][0]["splits"]["all"]["metrics"]
    >>> [m["moved_by"] for m in changed if m["metric"] == "recall"]
    [-0.5]
    """
    was, now = _by_name(before), _by_name(after)
    both = [name for name in now if name in was]
    found = [_candidate(was[name], now[name], after, (paired or {}).get(name, {})) for name in both]
    return {
        "format": FORMAT,
        "before": before["title"],
        "after": after["title"],
        "study": _study(before, after),
        "added": [name for name in now if name not in was],
        "removed": [name for name in was if name not in now],
        "candidates": [c for c in found if c["made"] or c["splits"]],
        "gates": _gates(before["gates"], after["gates"]),
        "findings_gone": [f for f in before["findings"] if f not in after["findings"]],
        "findings_new": [f for f in after["findings"] if f not in before["findings"]],
    }


def _by_name(results: Results) -> dict[str, CandidateResult]:
    return {c["name"]: c for c in results["candidates"]}


def _changed(what: str, old: Any, new: Any) -> list[Changed]:
    """Every leaf that differs, named by its path."""
    if isinstance(old, Mapping) and isinstance(new, Mapping):
        keys = dict.fromkeys([*old, *new])
        return list(chain.from_iterable(_changed(f"{what}.{k}" if what else k, old.get(k), new.get(k)) for k in keys))
    return [] if old == new else [{"what": what, "before": old, "after": new}]


def _study(old: Results, new: Results) -> list[Changed]:
    out = [*_changed("title", old["title"], new["title"]), *_changed("skarlo", old["skarlo"], new["skarlo"])]
    return [*out, *_changed("holdout", old["holdout"], new["holdout"]),
            *_changed("settings", old["settings"], new["settings"])]  # fmt: skip


def _candidate(
    old: CandidateResult, new: CandidateResult, results: Results, paired: Mapping[str, Difference]
) -> CandidateChange:
    made = list(chain.from_iterable(_changed(key, old.get(key), new.get(key)) for key in DESCRIBED))
    made += _changed("made_with", old["made_with"], new["made_with"]) + _changed("cutoff", old["cutoff"], new["cutoff"])
    report_on = results["holdout"]["report_on"]
    splits = {
        name: _split(old["splits"][name], part, paired if name == report_on else {})
        for name, part in new["splits"].items() if name in old["splits"]
    }  # fmt: skip
    return {"name": new["name"], "made": made, "splits": {k: s for k, s in splits.items() if s["metrics"]}}


def _split(old: SplitResult, new: SplitResult, paired: Mapping[str, Difference]) -> SplitChange:
    metrics: list[MetricChange] = []
    for name, m in new["metrics"].items():
        was = old["metrics"].get(name)
        if was is None or was == m:
            continue
        a, b = was["value"], m["value"]
        entry: MetricChange = {"metric": name, "before": was, "after": m, "moved_by": None if None in (a, b) else b - a}  # type: ignore[operator]
        if name in paired:
            entry["paired"] = paired[name]
        metrics.append(entry)
    return {"rows": [old["rows"], new["rows"]], "matrix": _less(old["matrix"], new["matrix"]), "metrics": metrics}


def _less(old: list[list[float]] | None, new: list[list[float]] | None) -> list[list[float]] | None:
    """Counts after less those before, where the tables have one shape."""
    if old is None or new is None or [len(r) for r in old] != [len(r) for r in new]:
        return None
    return [[b - a for a, b in zip(x, y, strict=True)] for x, y in zip(old, new, strict=True)]


def _gates(old: list[GateResult], new: list[GateResult]) -> list[GateChange]:
    def key(g: GateResult) -> tuple[str, str, str]:
        return g["text"], g["candidate"], repr(g["by"])

    before, after = ({key(g): g for g in gates} for gates in (old, new))
    out: list[GateChange] = []
    for k in dict.fromkeys([*after, *before]):
        a, b = before.get(k), after.get(k)
        one = b or a
        assert one is not None
        if a is not None and b is not None and (a["status"], a["read"]) == (b["status"], b["read"]):
            continue
        out.append({
            "text": one["text"], "candidate": one["candidate"], "by": one["by"], "level": one["level"],
            "before": a and a["status"], "after": b and b["status"],
            "before_read": a and a["read"], "after_read": b and b["read"],
        })  # fmt: skip
    return out


def paired_changes(before: Study, after: Study) -> dict[str, dict[str, Difference]]:
    """After minus before of each candidate that is in both, on the same rows, by metric.

    Raises
    ------
    ValueError
        When the two are not over the same rows of one hold-out.

    Examples
    --------
    >>> import numpy as np
    >>> from .study import Candidate, Cutoff
    >>> def asked(*score):
    ...     one = Candidate("net", score=np.array(score), cutoff=Cutoff(0.5))
    ...     return Study("q", ("n", "y"), np.array([1, 0, 1]), 1, {"all": np.ones(3, dtype=bool)}, "all", None, (one,))
    >>> paired_changes(asked(0.9, 0.2, 0.6), asked(0.9, 0.2, 0.4))["net"]["recall"]["difference"]
    -0.5
    """
    same = before.sha256 == after.sha256 and before.classes == after.classes and before.report_on == after.report_on
    if not same or len(before.actual) != len(after.actual):
        raise ValueError("the two studies are not over the same rows of one hold-out")
    out: dict[str, dict[str, Difference]] = {}
    was = {c.name: c for c in before.candidates}
    for c in after.candidates:
        if c.name in was:
            two = (replace(c, name="after", runs_now=False), replace(was[c.name], name="before", runs_now=False))
            found = evaluate(replace(after, candidates=two, gates=(), slices=(), expected_base_rate=()), "none")
            out[c.name] = found["pairs"][0]["metrics"]
    return out
