"""Worst slices found: searched on the tuning rows, read on the reported ones."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from .compare import search
from .compare.search import Found
from .compare.search_fields import SearchField
from .compare.search_measures import Loss, Rate, between
from .counting import outcomes
from .metrics.definitions import METRICS
from .metrics.losses import class_losses
from .number import BoolArray, FloatArray, clean
from .progress import Progress
from .results import Confirmed, Effect, Find, WorstResult
from .stats.draws import generator
from .stats.tests import holm
from .study import Study
from .subject import Subject

LOSSES = ("log_loss", "brier", "error")
CLIP = 1e-15
MOST_FAMILIES = 50_000
FieldOf = Callable[[str, BoolArray], SearchField]


class Evaluated(Protocol):
    """A study at given cutoffs, with its candidates."""

    @property
    def study(self) -> Study: ...

    def subject_named(self, name: str) -> Subject:
        """A candidate. Raises KeyError where there is none of that name."""
        ...


@dataclass(frozen=True)
class Asked:
    """What is searched.

    metric : a rate or f1; loss : else a loss by row, "log_loss", "brier" or "error" (1 for a wrong row)
    fields : which, in the study's order; depth : how many of them at a time; of : of three classes and more, the class
    that the rate is of
    """

    candidate: str
    metric: str = ""
    loss: str = ""
    fields: tuple[str, ...] = ()
    depth: int = 2
    of: str = ""


def rates(positive: int | None) -> list[str]:
    """The rates that slices can be searched by, in order; of three classes and more those of one class, and accuracy.

    Examples
    --------
    >>> rates(1)[:3]
    ['accuracy', 'precision', 'recall']
    """
    out = [name for name, d in METRICS.items() if d.over is not None and d.better in ("higher", "lower")]
    return [name for name in out if positive is not None or name in ("accuracy", "precision", "recall", "f1", "fpr")]


def worst(evaluation: Evaluated, asked: Asked, field_of: FieldOf, progress: Progress | None = None) -> WorstResult:
    """Search for the slices that a candidate serves worst.

    Parameters
    ----------
    field_of : makes a field ready, of its name and the rows that are searched
    progress : as of `evaluate`

    Raises
    ------
    KeyError
        Where there is no such candidate, metric, loss or class.
    ValueError
        Where there are too many sets of fields.

    Examples
    --------
    >>> import skarlo.core as core
    >>> actual, ward = np.tile([0, 1], 60), np.repeat([0, 1], 60)
    >>> one = core.Candidate("net", predicted=np.where(ward == 1, 0, actual))
    >>> every = np.ones(120, dtype=bool)
    >>> s = core.Study("q", ("no", "yes"), actual, 1, {"all": every}, "all", None, (one,))
    >>> ward = core.Texts(["North", "South"], ward)
    >>> told = worst(core.Evaluation(s), Asked("net", "recall", fields=("ward",), depth=1),
    ...              lambda name, rows: core.search_field(name, ward, "text", rows))
    >>> [f["condition"] for f in told["found"]]
    ['ward = "South"']
    """
    study, settings = evaluation.study, evaluation.study.settings
    subject = evaluation.subject_named(asked.candidate)
    if subject.reading.untested:
        raise ValueError(f"{subject.reading.untested}: none of its slices can be told as worse")
    searched, read, halved = _sides(study)
    families = sum(math.comb(len(asked.fields), d) for d in range(1, asked.depth + 1))
    if families > MOST_FAMILIES:
        most = f"{families:,} sets of fields are too many to search (at most {MOST_FAMILIES:,})"
        raise ValueError(f"{most}: choose fields, or fewer at a time")
    measure = _measure(subject, study, asked, searched | read)
    fields = [field_of(name, searched) for name in asked.fields]

    def tell(done: int, of: int) -> None:
        if progress is not None and (done == of or done % 8 == 0):
            progress(done, of, f"looked at {done:,} of {of:,} sets of fields")

    found = search.search(
        fields, measure, searched, depth=asked.depth, min_slice=settings.min_slice,
        min_denominator=settings.min_denominator, confidence=settings.confidence, tell=tell,
    )  # fmt: skip
    every = [k.found for k in found.kept] + list(found.below)
    confirmed = _confirmed(
        [(f, search.rows_of(fields, f) & read) for f in every], measure, read, study, len(found.kept)
    )

    def told(f: Found, i: int) -> Find:
        effect: Effect = {"difference": f.difference, "low": f.low, "high": f.high, "p": f.p, "p_bh": f.p_bh}
        by = {fields[k].name: fields[k].conditions[at].part for k, at in zip(f.fields, f.places, strict=True)}
        return {"condition": f.text, "conditions": list(f.conditions), "by": by, "rows": f.rows,
                "denominator": f.denominator, "effect": effect, "confirmed": confirmed[i]}  # fmt: skip

    out = [
        {
            **told(k.found, i),
            "folded": {"count": len(k.folded), "list": [f.text for f in k.folded]},
            "sharper": [f.text for f in k.sharper],
        }
        for i, k in enumerate(found.kept)
    ]
    tuned = study.tune_on or study.report_on
    return {
        "candidate": asked.candidate, "measure": asked.metric or asked.loss, "looked_at": found.looked_at,
        "searched_on": f"half of {study.report_on}" if halved else tuned,
        "read_on": f"the other half of {study.report_on}" if halved else study.report_on, "halved": halved,
        "approximate": isinstance(measure, Rate) and not measure.plain,
        "found": out,  # type: ignore[typeddict-item]
        "below": [told(f, len(found.kept) + i) for i, f in enumerate(found.below)],
    }  # fmt: skip


def _sides(study: Study) -> tuple[BoolArray, BoolArray, bool]:
    """The rows that are searched, those that are read, and whether these are halves of one split."""
    report = study.splits[study.report_on]
    if study.tune_on is not None and study.tune_on != study.report_on:
        return study.splits[study.tune_on], report, False
    half = np.zeros(len(report), dtype=bool)
    for k, label in enumerate(study.classes):
        rows = np.flatnonzero(report & (study.actual == k))
        rng = generator(study.settings.seed, f"halves {label}", (len(rows),), np.array([len(rows)]))
        half[rows[rng.permutation(len(rows))][: len(rows) // 2]] = True
    return half, report & ~half, True


def _measure(subject: Subject, study: Study, asked: Asked, rows: BoolArray) -> Rate | Loss:
    n = len(study.actual)
    splits = [s for s in dict.fromkeys((study.tune_on, study.report_on)) if s is not None]
    if asked.loss:
        return Loss(_losses(subject, study, asked.loss, splits))
    positive = study.positive if study.positive is not None else _class(study, asked)
    if asked.metric not in rates(study.positive):
        raise KeyError(f"slices are not searched by {asked.metric}")
    d = METRICS[asked.metric]
    assert d.over is not None
    top, below = ("right", "rows") if asked.metric == "accuracy" else d.over
    hit, over, design = np.zeros(n, dtype=bool), np.zeros(n, dtype=bool), 1.0
    for split in splits:
        on = subject.on(split)
        a = on.judged
        if a.table is None or a.predicted is None:
            raise KeyError(f"{subject.name} predicts no class here")
        k = len(study.classes)
        which = outcomes.masks(k, k + 1, positive)
        at = np.flatnonzero(study.splits[split])[on.kept]
        column = np.where(a.predicted < 0, k, a.predicted)
        hit[at], over[at] = which[top][a.actual, column], which[below][a.actual, column]
        if study.group is not None and split == study.report_on:
            cells = outcomes.masks(k, a.table.cells.shape[1], positive)
            share = a.table.share(cells[top], cells[below])
            design = max(1.0, share.rows / share.effective) if share.effective > 0 else 1.0
    return Rate(over & rows, hit & over, d.better == "higher", asked.metric == "f1", study.weight, design)


def _class(study: Study, asked: Asked) -> int:
    if asked.of not in study.classes:
        if asked.metric == "accuracy":
            return 0
        raise KeyError(f"there is no class {asked.of}")
    return study.classes.index(asked.of)


def _losses(subject: Subject, study: Study, name: str, splits: list[str]) -> FloatArray:
    if name not in LOSSES:
        raise KeyError(f"there is no loss {name} by row: {', '.join(LOSSES)}")
    out = np.full(len(study.actual), np.nan)
    for split in splits:
        on = subject.on(split)
        a, at = on.judged, np.flatnonzero(study.splits[split])[on.kept]
        if name == "error":
            if a.predicted is None:
                raise KeyError(f"{subject.name} predicts no class here")
            out[at] = a.predicted != a.actual
        elif a.probable is not None:
            out[at[a.answered]] = class_losses(a, name)
        elif a.score is not None and a.is_probability:
            p = np.where(a.is_positive, a.score, 1.0 - a.score)
            out[at] = np.square(1.0 - p) if name == "brier" else -np.log(np.clip(p, CLIP, 1.0 - CLIP))
        else:
            raise KeyError(f"{subject.name} gives no probabilities")
    return out


def _confirmed(
    finds: list[tuple[Found, BoolArray]], measure: Rate | Loss, read: BoolArray, study: Study, kept: int
) -> list[Confirmed]:  # fmt: skip
    """What the finds come to on the rows that are read; Holm over the kept ones that are large enough."""
    settings = study.settings
    told = []
    for i, (_, rows) in enumerate(finds):
        p, difference, low, high, over = between(measure, rows, read & ~rows, settings.confidence)
        large = np.count_nonzero(rows) >= settings.min_slice and over >= settings.min_denominator
        told.append((p if large else None, difference, low, high, int(np.count_nonzero(rows)), over, i < kept))
    adjusted = holm([p if mine else None for p, *_, mine in told])
    out: list[Confirmed] = []
    for (tail, d, lo, hi, rows_in, over, mine), q in zip(told, adjusted, strict=True):
        alpha = 1.0 - settings.confidence
        status = "too_few" if tail is None else "not_confirmed" if not mine or q is None or q > alpha else "confirmed"
        ends = [None if np.isnan(x) else clean(x) for x in (d, lo, hi)]
        out.append({"status": status, "rows": rows_in, "denominator": over, "difference": ends[0], "low": ends[1],
                    "high": ends[2], "p": tail, "p_holm": q})  # fmt: skip
    return out
