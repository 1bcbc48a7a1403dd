"""The dossier: exhibits, argument, decision, preview."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import Tag
from sqlmodel import Session

from skarlo.report import drafting, package, render, revisions
from skarlo.report.scope import Scope
from skarlo.studies import accounts, catalog
from skarlo.studies.records import ExhibitRecord
from skarlo.studies.refusals import Missing, Refusal

from ..models import (
    CaptionIn,
    DossierIn,
    DossierOut,
    ExhibitIn,
    ExhibitOut,
    ExhibitPath,
    OrderIn,
    ScopeBody,
    StudyPath,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, answer, api, evaluator, results_of
from .revisions import as_page, revision_out
from .studies import known_split

TAG = [Tag(name="dossier")]


def _dossier(records: Session, study_id: int) -> DossierOut:
    d = package.dossier_of(records, study_id)
    results = results_of(records, study_id)
    candidates = catalog.candidates_of(records, study_id)
    everyone = Scope(results["holdout"]["report_on"], tuple(c.position for c in candidates)).among(candidates)
    return DossierOut(
        heading=d.heading, summary=d.summary, decision_candidate=d.decision_candidate,
        decision_cutoff=d.decision_cutoff, decision_note=d.decision_note,
        drafted=drafting.summary(results, everyone),
        exhibits=[
            ExhibitOut(id=e.id or 0, view=e.view, scope=ScopeBody(**e.scope), caption=e.caption)  # type: ignore[arg-type]
            for e in package.exhibits_of(records, study_id)
        ],
        revisions=[revision_out(records, r) for r in revisions.revisions_of(records, study_id)],
        preview=f"/api/v1/studies/{study_id}/dossier/preview",
    )  # fmt: skip


@api.get("/studies/<int:study_id>/dossier", tags=TAG, responses={200: DossierOut, **LONG})
def read_dossier(path: StudyPath) -> Response:
    """The draft report, and the revisions made of it."""
    with workspace().session() as records:
        return answer(_dossier(records, path.study_id))


@api.patch("/studies/<int:study_id>/dossier", tags=TAG, responses={200: DossierOut})
@needs("write")
def change_dossier(path: StudyPath, body: DossierIn) -> Response:
    """Change the heading, the argument or the decision; what is left out stays."""
    with workspace().session() as records:
        d = package.dossier_of(records, path.study_id)
        given = body.model_dump(exclude_unset=True)
        if given.get("decision_candidate"):
            chosen = next(
                (c for c in catalog.candidates_of(records, path.study_id) if c.name == given["decision_candidate"]),
                None,
            )
            if chosen is None:
                raise Refusal(f"no candidate is named {given['decision_candidate']}", "decision_candidate")
            if chosen.cutoff is None:
                given["decision_cutoff"] = None
            elif given.get("decision_cutoff") is None:
                given["decision_cutoff"] = chosen.cutoff
        for name, value in given.items():
            setattr(d, name, value)
        catalog.touch(d)
        records.add(d)
        records.flush()
        return answer(_dossier(records, path.study_id))


@api.post("/studies/<int:study_id>/exhibits", tags=TAG, responses={201: DossierOut})
@needs("write")
def pin(path: StudyPath, body: ExhibitIn) -> Response:
    """Pin a view as evidence. What is not said of a cutoff is taken as it stands now."""
    with workspace().session() as records:
        candidates = catalog.candidates_of(records, path.study_id)
        results = results_of(records, path.study_id)
        known_split(results, body.scope.split)
        if results["holdout"]["positive"] is None:
            raise Refusal("the report shows studies of two classes so far, and this one has "
                          f"{len(results['holdout']['classes'])}")  # fmt: skip
        unknown = set(body.scope.show) - {c.position for c in candidates}
        if unknown:
            raise Refusal(f"the study has no candidate {min(unknown)}", "scope.show")
        kept = {c.position: c.cutoff for c in candidates if c.cutoff is not None}
        cutoffs = kept | {k: v for k, v in body.scope.cutoffs.items() if k in kept}
        scope = Scope(body.scope.split, tuple(sorted(set(body.scope.show))), cutoffs)
        earlier = package.exhibits_of(records, path.study_id)
        at = len(earlier) if body.position is None else max(0, min(body.position, len(earlier)))
        for i, exhibit in enumerate(earlier):
            exhibit.position = i + (i >= at)
            records.add(exhibit)
        records.add(ExhibitRecord(study_id=path.study_id, position=at, view=body.view, scope=scope.as_dict(),
                                  caption=body.caption.strip()))  # fmt: skip
        accounts.note(records, signed_in(), "pinned", path.study_id, {"view": body.view})
        records.flush()
        return answer(_dossier(records, path.study_id), 201)


def _exhibit(records: Session, path: ExhibitPath) -> ExhibitRecord:
    found = records.get(ExhibitRecord, path.exhibit_id)
    if found is None or found.study_id != path.study_id:
        raise Missing(f"the dossier has no exhibit {path.exhibit_id}")
    return found


@api.patch("/studies/<int:study_id>/exhibits/<int:exhibit_id>", tags=TAG, responses={200: DossierOut})
@needs("write")
def caption(path: ExhibitPath, body: CaptionIn) -> Response:
    """Change an exhibit's caption."""
    with workspace().session() as records:
        found = _exhibit(records, path)
        found.caption = body.caption.strip()
        records.add(found)
        records.flush()
        return answer(_dossier(records, path.study_id))


@api.delete("/studies/<int:study_id>/exhibits/<int:exhibit_id>", tags=TAG, responses={200: DossierOut})
@needs("write")
def unpin(path: ExhibitPath) -> Response:
    """Remove an exhibit."""
    with workspace().session() as records:
        found = _exhibit(records, path)
        accounts.note(records, signed_in(), "unpinned", path.study_id, {"view": found.view, "caption": found.caption})
        records.delete(found)
        records.flush()
        return answer(_dossier(records, path.study_id))


@api.put("/studies/<int:study_id>/exhibits", tags=TAG, responses={200: DossierOut})
@needs("write")
def reorder(path: StudyPath, body: OrderIn) -> Response:
    """Put the exhibits in order: the ids of all of them."""
    with workspace().session() as records:
        own = {e.id: e for e in package.exhibits_of(records, path.study_id)}
        if sorted(body.order) != sorted(i for i in own if i is not None):
            raise Refusal("the order must name each exhibit once", "order")
        for position, exhibit_id in enumerate(body.order):
            own[exhibit_id].position = position
            records.add(own[exhibit_id])
        records.flush()
        return answer(_dossier(records, path.study_id))


@api.get("/studies/<int:study_id>/dossier/preview", tags=TAG)
def preview(path: StudyPath) -> Response:
    """The draft as its reader will see it, as HTML."""
    with workspace().session() as records:
        content = package.build(evaluator(), records, path.study_id)
    return as_page(render.to_page(content, revisions.DRAFT))
