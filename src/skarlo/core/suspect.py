"""Labels that may be wrong: who judges, which rows are doubted, and what would follow for metrics and ranks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from .compare import label_lead, wrong_labels
from .compare.doubt import Doubt, Judge, doubted, others
from .compare.label_lead import InDoubt, Seen
from .compare.wrong_labels import Doubted, How
from .counting.answers import Answers
from .decide.recalibration import NotLearnedError, learn
from .metrics import counts
from .number import IntArray
from .prepared import OnSplit
from .results import DoubtedRow, DoubtResult, LabelBound, LabelLead
from .study import DoubtStudy, Study
from .subject import Subject

WEIGHTED = "the rows have weights: what so many of them would change is not told"
HOWS: tuple[How, ...] = ("flipped", "dropped")


def doubt(study: Study, subjects: Sequence[Subject], leaders: dict[str, Any], asked: DoubtStudy) -> DoubtResult:
    """Labels of the reported rows that may be wrong.

    leaders : by metric who leads there
    """
    judges, not_judges, learned_on = _judges(study, subjects)
    rows = np.flatnonzero(study.splits[study.report_on])
    actual, classes = study.actual[rows], len(study.classes)
    found = doubted(actual, judges, classes)
    at, other = _in_doubt(study, found, judges, rows, asked)
    beyond = max(1, round(len(found.rows) - found.expected_if_right))
    k = min(len(at), beyond if asked.at_most is None else asked.at_most)
    told: dict[str, dict[str, LabelBound]] = {}
    left_out: dict[str, str] = {}
    for s in subjects:
        if study.weight is not None:
            left_out[s.name] = WEIGHTED
            continue
        on = s.on(study.report_on)
        told[s.name] = wrong_labels.bounds(on.judged, _among(on, at, other, k, asked.how), s.reading)
    return {
        "judges": [j.name for j in judges], "not_judges": not_judges, "recalibrated_on": learned_on,
        "listed": [_row(study, int(rows[i]), int(o), float(e))
                   for i, o, e in zip(found.rows, found.other, found.evidence, strict=True)],
        "expected_if_right": found.expected_if_right, "beyond": beyond, "power": found.power,
        "of": "listed" if asked.marked is None else "marked", "doubted": len(at), "at_most": k, "how": asked.how,
        "candidates": told, "left_out": left_out,
        "lead": _leads(study, subjects, leaders, InDoubt(actual[at], other), at, k, asked.how),
    }  # fmt: skip


def _row(study: Study, i: int, other: int, evidence: float) -> DoubtedRow:
    return {
        "id": study.ids(i), "row": study.ids.place(i), "label": study.classes[int(study.actual[i])],
        "other": study.classes[other], "evidence": {"mean": evidence, "times": math.exp(evidence)},
    }  # fmt: skip


def _judges(study: Study, subjects: Sequence[Subject]) -> tuple[list[Judge], dict[str, str], str]:
    """Who knows the classes better than chance, why the others do not speak, and where probabilities were corrected."""
    judges, why, learned_on = [], {}, ""
    for s in subjects:
        metrics = s.reported("lines")["metrics"]
        whole = s.on(study.report_on).whole
        scored = whole.scored is not None
        name, chance = ("roc_auc", 0.5) if scored else ("balanced_accuracy", 1 / len(study.classes))
        m = metrics[name]
        if whole.predicted is None:
            why[s.name] = "it predicts no class: it has no cutoff"
        elif m["value"] is None:
            why[s.name] = m["why"]
        elif m.get("thin"):
            why[s.name] = "it rests on too few rows"
        elif m.get("low") is None or m["low"] <= chance:
            why[s.name] = "the data does not show that it knows the classes better than chance"
        else:
            judge, on = _judge(study, s, whole)
            judges.append(judge)
            learned_on = on or learned_on
    return judges, why, learned_on


def _judge(study: Study, s: Subject, whole: Answers) -> tuple[Judge, str]:
    """With its recalibrated probability where it gives one of two classes, else with its predicted class alone."""
    assert whole.predicted is not None
    if whole.scored is not None and whole.is_probability and whole.positive is not None:
        for split in dict.fromkeys((study.tune_on, study.report_on)):
            if split is None:
                continue
            try:
                _, apply = learn("logistic", s.on(split).judged)
            except NotLearnedError:
                continue
            chance = np.full(len(whole.actual), np.nan)
            chance[whole.answered] = apply(whole.scored.score[whole.answered])
            return Judge(s.name, whole.predicted, chance, positive=whole.positive), split
    answered = whole.predicted >= 0
    k = len(study.classes)
    cells = np.zeros((k, k), dtype=np.int64)
    np.add.at(cells, (whole.actual[answered], whole.predicted[answered]), 1)
    return Judge(s.name, whole.predicted, counts=cells), ""


def _in_doubt(
    study: Study, found: Doubt, judges: Sequence[Judge], rows: IntArray, asked: DoubtStudy
) -> tuple[IntArray, IntArray]:
    """The rows that may be wrong, at their places in the reported split, and what they may be instead."""
    if asked.marked is None:
        order = np.argsort(found.rows)
        return found.rows[order], found.other[order]
    places = {study.ids.place(int(i)): at for at, i in enumerate(rows)}
    at = np.array(sorted(places[i] for i in set(asked.marked) if i in places), dtype=np.int64)
    other = others(study.actual[rows], at, judges, len(study.classes))
    return at[other >= 0], other[other >= 0]


def _among(on: OnSplit, at: IntArray, other: IntArray, k: int, how: How) -> Doubted:
    """The same rows at their places among those that a candidate is judged on."""
    place = np.cumsum(on.kept) - 1
    there = on.kept[at]
    return Doubted(place[at[there]], other[there], min(k, int(there.sum())), how)


def _leads(
    study: Study, subjects: Sequence[Subject], leaders: dict[str, Any], rows: InDoubt, at: IntArray, k: int, how: How
) -> dict[str, LabelLead]:  # fmt: skip
    """By metric who leads, and what it would take for another to; of candidates with all rows and a predicted class."""
    if study.weight is not None:
        return {}
    seen: list[Seen] = []
    for s in subjects:
        a = s.on(study.report_on).judged
        if a.table is not None and a.predicted is not None and len(a.actual) == len(s.on(study.report_on).whole.actual):
            seen.append(Seen(s.name, np.asarray(a.table.cells, dtype=np.int64), a.predicted[at]))
    out: dict[str, LabelLead] = {}
    for name in wrong_labels.COUNTED if study.positive is not None else ("accuracy",):
        lead = leaders.get(name)
        values = [float(counts.values(name, s.cells[None], study.positive or 0)[0]) for s in seen]
        have = [i for i, v in enumerate(values) if not np.isnan(v)]
        first = next((i for i in have if lead is not None and seen[i].name == lead["leader"]), None)
        if first is None or len(have) < 2 or lead is None:
            continue
        among, worth = [seen[i] for i in have], [values[i] for i in have]
        needed = [
            label_lead.to_change(name, seen[first], seen[i], rows, study.positive, "flipped", len(at))
            for i in have if i != first
        ]  # fmt: skip
        fewest = min((n for n in needed if n is not None), default=None)
        told: LabelLead = {
            "leader": lead["leader"], "flips_to_change": fewest,
            "ranks": label_lead.ranks(name, among, worth, rows, study.positive, how, k),
        }  # fmt: skip
        if fewest is None:
            told["why"] = "no way of turning the doubted labels puts another ahead"
        out[name] = told
    return out
