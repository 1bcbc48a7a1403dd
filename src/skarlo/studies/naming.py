"""Conditions that a study calls by a name: those of its study file, and those named since."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

import numpy as np
from sqlmodel import Session

from skarlo.core import Progress
from skarlo.intake import read_study
from skarlo.studies.rows import Rows

from .accounts import note
from .catalog import candidates_of, files_of, spec_of, study_of
from .records import User
from .refusals import Missing, Refusal
from .workspace import Workspace

MOST_KEPT, MOST_NAMED, LONGEST = 200_000, 100, 60


def kept_as_of(rows: Rows, where: str, candidate: int | None, today: date) -> dict[str, Any]:
    """A condition whose rows stay those of which it is true now, as the study file writes it.

    Raises
    ------
    Refusal
        Where the condition is wrong, is true of no row or of too many.
    """
    inside = np.flatnonzero(rows.where(where, candidate).true)
    if candidate is not None:
        where = rows.said_of(where, candidate)
    if not len(inside):
        raise Refusal("no row is so: there is nothing to keep", "where")
    if len(inside) > MOST_KEPT:
        raise Refusal(f"{len(inside):,} rows are more than can be kept by their ids ({MOST_KEPT:,})", "where")
    ids = rows.study.ids
    return {"where": where, "kept": today.isoformat(), "ids": [ids(i) for i in inside.tolist()]}


def plan(
    workspace: Workspace, session: Session, study_id: int, name: str, said: str | Mapping[str, Any] | None
) -> Callable[[Progress | None], dict[str, Any]]:
    """Look at what the study's conditions would be with one more, another of that name, or one less (None); what is
    returned reads and checks the study with them, without the records.

    Raises
    ------
    Missing, Refusal
        Where there is no such condition to take away, a gate is read on it, or the name is none.
    """
    study = study_of(session, study_id)
    before: dict[str, Any] = study.asks.get("conditions", {})
    called = " ".join(name.split())
    if said is None and called not in before:
        raise Missing(f"no condition is named “{called}”", "name")
    if said is None and any(g.get("where") == called for g in study.asks.get("gates", [])):
        raise Refusal(f"a gate is read on “{called}”", "name")
    if not called or len(called) > LONGEST:
        raise Refusal(f"a name has 1 to {LONGEST} characters", "name")
    if isinstance(said, Mapping) and study.mapping.get("id") is None:
        raise Refusal("the hold-out has no ids to keep rows by: mark the rows instead", "kept")
    after = {key: value for key, value in before.items() if key != called} | ({} if said is None else {called: said})
    if len(after) > MOST_NAMED:
        raise Refusal(f"a study has at most {MOST_NAMED} named conditions", "name")
    changed = study.model_copy(update={"asks": asks_with(study.asks, after)})
    records = candidates_of(session, study_id)

    def check(progress: Progress | None) -> dict[str, Any]:
        read_study(spec_of(changed, records), files_of(workspace, changed, records), progress)
        return after

    return check


def asks_with(asks: Mapping[str, Any], conditions: Mapping[str, Any]) -> dict[str, Any]:
    """What a study asks, with these conditions."""
    rest = {key: value for key, value in asks.items() if key != "conditions"}
    return {**rest, "conditions": dict(conditions)} if conditions else rest


def keep(session: Session, user: User, study_id: int, name: str, conditions: Mapping[str, Any]) -> None:
    """Keep conditions that were checked; those that others named meanwhile stay."""
    study = study_of(session, study_id)
    now: dict[str, Any] = dict(study.asks.get("conditions", {}))
    called = " ".join(name.split())
    if called in conditions:
        now[called] = conditions[called]
    else:
        now.pop(called, None)
    study.asks = asks_with(study.asks, now)
    session.add(study)
    done = "condition named" if called in conditions else "condition taken away"
    note(session, user, done, study_id, {"name": called})
