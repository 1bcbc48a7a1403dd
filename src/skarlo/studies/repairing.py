"""A candidate made of another: its answers recalibrated on the tuning rows, with the map that was learned."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import polars as pl

from skarlo import core

from .evaluating import Asked, Evaluator
from .records import StudyRecord, Upload, User
from .refusals import Refusal
from .rows import Rows

TITLES = {"logistic": "shifted and stretched", "isotonic": "made monotone", "temperature": "stretched"}
LONGEST = 80
SCORE = "score"


def recalibrated(
    evaluator: Evaluator, asked: Asked, study: StudyRecord, user: User, position: int, method: str
) -> tuple[Upload, dict[str, Any]]:
    """The file of the recalibrated answers, kept, and its entry of the study file.

    The map is learned on the tuning rows and applied to all; it stands in `made_with`, so that it is exported with the
    candidate and can be applied elsewhere.

    Raises
    ------
    Refusal
        Where there is no tuning split, or these rows cannot teach it.
    """
    ready = evaluator.prepared(asked)
    tune_on = ready.study.tune_on
    if tune_on is None:
        raise Refusal("there is no tuning split to learn a recalibration on", "method")
    i = asked.positions.index(position)
    spec, cutoff = asked.plain.candidates[i], asked.cutoffs[i]
    try:
        found = core.repair(
            method, ready.on_split(i, tune_on).whole, ready.whole(i), None if cutoff is None else cutoff.value
        )
    except core.NotLearnedError as e:
        raise Refusal(f"it cannot be learned: {e}", "method") from e
    data, columns = _written(study, evaluator.rows(asked), ready.study, found)
    upload = Upload(sha256=evaluator.workspace.keep(data), name=f"{position}-{method}.csv", size=len(data),
                    user_id=user.id or 0)  # fmt: skip
    made: dict[str, Any] = {"recalibrated_from": spec.name, "sha256": ready.study.candidates[i].sha256 or "",
                            "method": method, "learned_on": tune_on, **found.learned}  # fmt: skip
    if found.begins:
        made |= {"begins": found.begins, "shares": found.shares}
    entry: dict[str, Any] = {"name": _named(spec.name, method), **columns, "made_with": made,
                             "no_answer": spec.no_answer}  # fmt: skip
    if found.cutoff is not None:
        entry |= {"cutoff": found.cutoff, "cutoff_chosen_on": tune_on, "cutoff_chosen_by": {"rule": "by hand"}}
    return upload, entry


def _named(name: str, method: str) -> str:
    more = f", {TITLES[method]}"
    return name[: LONGEST - len(more)] + more


def _written(study: StudyRecord, rows: Rows, loaded: core.Study, found: core.Repaired) -> tuple[bytes, dict[str, Any]]:
    """The answers as CSV, beside the rows' ids where they have any, and which column is what."""
    columns: dict[str, pl.Series] = {}
    told: dict[str, Any] = {}
    name = study.mapping.get("id")
    if name:
        columns[name] = rows.texts(name)
        told["id"] = name
    if found.score is not None:
        columns[SCORE] = _numbers(found.score)
        told["score"] = SCORE
    elif found.probabilities is not None:
        labels = {label: f"p{k}" for k, label in enumerate(loaded.classes)}
        columns |= {labels[label]: _numbers(found.probabilities[:, k]) for k, label in enumerate(loaded.classes)}
        told["probabilities"] = labels
    out = io.BytesIO()
    pl.DataFrame(columns).write_csv(out)
    return out.getvalue(), told


def _numbers(x: core.FloatArray) -> pl.Series:
    return pl.Series(x).fill_nan(None) if np.isnan(x).any() else pl.Series(x)
