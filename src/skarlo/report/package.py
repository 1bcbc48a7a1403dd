"""A revision's content: everything a reader sees, gathered into one value that is frozen under one fingerprint."""

from __future__ import annotations

from typing import Any

from sqlmodel import Session, col, select

from skarlo import core
from skarlo.core import tally
from skarlo.studies import words
from skarlo.studies.catalog import candidates_of, study_of
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import DossierRecord, ExhibitRecord
from skarlo.studies.refusals import Missing

from . import drafting, figures
from .scope import Scope, candidates, letter

FORMAT = "skarlo.revision/1"


def exhibits_of(session: Session, study_id: int) -> list[ExhibitRecord]:
    """The pinned exhibits, in order."""
    query = select(ExhibitRecord).where(ExhibitRecord.study_id == study_id).order_by(col(ExhibitRecord.position))
    return list(session.exec(query))


def dossier_of(session: Session, study_id: int) -> DossierRecord:
    """The draft report of a study."""
    found = session.get(DossierRecord, study_id)
    if found is None:
        raise Missing(f"there is no study {study_id}")
    return found


def build(evaluator: Evaluator, session: Session, study_id: int) -> dict[str, Any]:
    """The content of the dossier as it stands: a function of the inputs, the exhibits and the text."""
    study, dossier = study_of(session, study_id), dossier_of(session, study_id)
    records = candidates_of(session, study_id)
    results: list[core.Results] = []
    exhibits = []
    for number, record in enumerate(exhibits_of(session, study_id), 1):
        scope = Scope.of(record.scope).among(records)
        found = evaluator.results(session, study_id, scope.cutoffs)
        if found not in results:
            results.append(found)
        exhibits.append({
            "number": number, "view": record.view, "scope": scope.as_dict(), "caption": record.caption,
            "sentence": drafting.sentence(record.view, found, scope), "results": results.index(found),
            "figures": _figures(evaluator, session, study_id, record.view, found, scope),
        })  # fmt: skip
    kept = evaluator.results(session, study_id)
    decision = _decision(evaluator, session, study_id, dossier)
    if decision and decision["results"] not in results:
        results.append(decision["results"])
    if decision:
        decision["results"] = results.index(decision["results"])
    return {
        "format": FORMAT,
        "skarlo": core.VERSION,
        "study": {"id": study_id, "title": study.title},
        "heading": dossier.heading or study.title,
        "summary": dossier.summary,
        "decision": decision,
        "inputs": [
            {"role": "hold-out", "file": study.holdout_name, "sha256": study.holdout_sha256,
             "columns": study.mapping},
            *(
                {"role": f"candidate {letter(c.position)}", "name": c.name, "file": c.file_name, "sha256": c.sha256,
                 "columns": c.columns}
                for c in records
            ),
        ],
        "exhibits": exhibits,
        "holdout": kept["holdout"],
        "settings": kept["settings"],
        "findings": words.answered(session, study_id, _findings([kept, *results])),
        "results": results,
    }  # fmt: skip


def _findings(results: list[core.Results]) -> list[Any]:
    out: list[Any] = []
    for result in results:
        out += [f for f in result["findings"] if f not in out]
    return out


def _decision(evaluator: Evaluator, session: Session, study_id: int, d: DossierRecord) -> dict[str, Any] | None:
    if d.decision_candidate is None:
        return None
    chosen = next((c for c in candidates_of(session, study_id) if c.name == d.decision_candidate), None)
    if chosen is None:
        return None
    cutoffs = {} if d.decision_cutoff is None else {chosen.position: d.decision_cutoff}
    scope = Scope("", ()).among(candidates_of(session, study_id))
    return {
        "candidate": chosen.name, "letter": letter(chosen.position), "position": chosen.position,
        **({"positions": list(scope.positions)} if scope.positions else {}),
        "cutoff": d.decision_cutoff, "note": d.decision_note, "sha256": chosen.sha256,
        "results": evaluator.results(session, study_id, cutoffs),
    }  # fmt: skip


def _figures(
    evaluator: Evaluator, session: Session, study_id: int, view: str, results: core.Results, scope: Scope
) -> dict[str, str]:
    chosen = candidates(results, scope)
    if view == "curves" and any("roc" in c.part for c in chosen):
        prevalence = chosen[0].part["metrics"]["prevalence"]["value"] or 0.0
        return {"curves": figures.curves(chosen, prevalence, drafting.sentence(view, results, scope))}
    if view == "cutoff":
        study = evaluator.study(session, study_id, scope.cutoffs)
        rows = study.splits[scope.split]
        positive = study.actual[rows] == study.positive
        counted = []
        for c in chosen:
            score = next(one for one in study.candidates if one.name == c.name).score
            if score is not None:
                counted.append((c, tally.make(score[rows], positive)))
        return {"strips": figures.strips(counted)} if counted else {}
    return {}
