"""The dossier: exhibits, argument, decision, preview."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from flask import Response, request
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
    field_validator,
)
from sqlmodel import Session

from skarlo.report import package, render, revisions
from skarlo.report.exhibits import EXHIBITS
from skarlo.report.scope import Scope
from skarlo.report.summary import summary
from skarlo.studies import accounts, catalog
from skarlo.studies.records import DossierRecord, ExhibitRecord
from skarlo.studies.refusals import Missing, Outdated, Refusal, Unconditional

from ..models import (
    Finite,
    Id,
    Problem,
    RevisionOut,
    Strict,
    StudyPath,
    View,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, answer, api, asked_of, evaluator, facts_of, results_of, rows_of
from .results import GroupRule, Price, known_class, known_split
from .revisions import as_page, revision_out

TAG = [Tag(name="dossier")]
CONDITIONAL: dict[str | int, Any] = {412: Problem, 428: Problem}


LONGEST = 400


class ScopeBody(Strict):
    split: str
    show: list[Id] = Field(min_length=1)
    cutoffs: dict[Id, Finite] = {}
    of: str = Field(default="", description="of three classes or more, the one that is read against the rest")
    within: dict[str, str] = Field(default={}, description="fields with the value that rows have in them")
    own: dict[str, str] = Field(
        default={}, max_length=20, description="the view's own choices, as its address says them"
    )

    @field_validator("own")
    @classmethod
    def _short(cls, own: dict[str, str]) -> dict[str, str]:
        if any(len(key) > LONGEST or len(value) > LONGEST for key, value in own.items()):
            raise ValueError(f"a choice has at most {LONGEST} characters")
        return own


class ExhibitIn(Strict):
    view: View
    scope: ScopeBody
    caption: str = Field(default="", max_length=2000)
    position: Id | None = None


class ExhibitPath(StudyPath):
    exhibit_id: Id


class CaptionIn(Strict):
    caption: str = Field(max_length=2000)


class OrderIn(Strict):
    order: list[Id]


class ExhibitOut(BaseModel):
    id: int
    view: View
    scope: ScopeBody
    caption: str


class GroupsIn(Strict):
    """Cutoffs for the groups of a field or two: what they are to do."""

    by: list[Annotated[str, Field(min_length=1, max_length=LONGEST)]] = Field(min_length=1, max_length=2)
    rule: GroupRule
    gap_at_most: float = Field(default=0.02, gt=0, le=1, description="of a rate: how far apart it may lie")
    prices: list[Price] = Field(
        default=[1.0, 1.0], min_length=2, max_length=2, description="of a needless flag and of a miss"
    )


class DossierIn(Strict):
    """What is to change; what is left out stays."""

    heading: str = Field(default="", max_length=300)
    summary: str = Field(default="", max_length=100_000)
    decision_candidate: str | None = None
    decision_cutoff: Finite | None = None
    decision_groups: GroupsIn | None = Field(default=None, description="with cutoffs for groups, chosen on tuning")
    decision_note: str = Field(default="", max_length=20_000)


class DossierDraftOut(BaseModel):
    """A first draft of the argument, from the numbers at the kept cutoffs."""

    text: str


class DossierOut(BaseModel):
    """The draft report. `number` counts its changes and is its ETag; `differs` says where exhibits and the decision
    stand at different cutoffs."""

    number: int
    heading: str
    summary: str
    differs: list[str]
    decision_chosen: str = Field(description="where and how the decision's cutoff was chosen, in words")
    decision_candidate: str | None
    decision_cutoff: float | None
    decision_groups: GroupsIn | None
    decision_grouped: str = Field(description="what the cutoffs for groups are to do, in words; empty without")
    decision_note: str
    exhibits: list[ExhibitOut]
    revisions: list[RevisionOut]
    preview: str


def _dossier(study_id: int, status: int = 200) -> Response:
    """The draft report, with the number of its changes as ETag; no evaluation is needed for it."""
    with workspace().reading() as records:
        draft = package.gather(evaluator(), records, study_id)
        d = draft.dossier
        out = DossierOut(
            number=d.number, heading=d.heading, summary=d.summary, differs=package.differing(draft),
            decision_candidate=d.decision_candidate, decision_cutoff=d.decision_cutoff,
            decision_chosen=package.decision_chosen(draft), decision_note=d.decision_note,
            decision_groups=None if d.decision_groups is None else GroupsIn(**d.decision_groups),
            decision_grouped="" if d.decision_groups is None else package.groups_in_words(d.decision_groups),
            exhibits=[
                ExhibitOut(id=e.record.id or 0, view=e.record.view, scope=ScopeBody(**e.record.scope),
                           caption=e.record.caption)
                for e in draft.exhibits
            ],
            revisions=[revision_out(records, r) for r in revisions.revisions_of(records, study_id)],
            preview=f"/api/v1/studies/{study_id}/dossier/preview",
        )  # fmt: skip
    response = answer(out, status)
    response.set_etag(str(d.number))
    return response


@api.get("/studies/<int:study_id>/dossier", tags=TAG, responses={200: DossierOut})
def read_dossier(path: StudyPath) -> Response:
    """The draft report, and the revisions made of it."""
    return _dossier(path.study_id)


@api.get("/studies/<int:study_id>/dossier/draft", tags=TAG, responses={200: DossierDraftOut, **LONG})
def read_draft(path: StudyPath) -> Response:
    """A first draft of the argument, from the numbers at the kept cutoffs."""
    asked = asked_of(path.study_id)
    results = results_of(asked)
    everyone = Scope(results["holdout"]["report_on"], asked.positions, positions=asked.positions)
    return answer(DossierDraftOut(text=summary(results, everyone)))


def _unchanged(dossier: DossierRecord) -> None:
    """Raises Outdated where the dossier is not what the request says it was when its sender read it (If-Match)."""
    if "If-Match" not in request.headers:
        raise Unconditional("say which state of the dossier is changed: send its ETag as If-Match")
    if not request.if_match.contains(str(dossier.number)):
        raise Outdated("someone else changed the dossier meanwhile; read it again, then change it")


@api.patch("/studies/<int:study_id>/dossier", tags=TAG, responses={200: DossierOut, **CONDITIONAL})
@needs("write")
def change_dossier(path: StudyPath, body: DossierIn) -> Response:
    """Change the heading, the argument or the decision; what is left out stays. If-Match must carry the ETag of the
    dossier that is changed."""
    given = body.model_dump(mode="json", exclude_unset=True)
    if body.decision_groups is not None:
        _groups_known(path.study_id, body.decision_groups)
        given["decision_groups"] = body.decision_groups.model_dump(mode="json")  # with what was left out
    with workspace().writing() as records:
        d = package.dossier_of(records, path.study_id)
        _unchanged(d)
        if any(name in given for name in ("decision_candidate", "decision_cutoff", "decision_groups")):
            given |= _decision(records, d, given)
        changed = {name: value for name, value in given.items() if getattr(d, name) != value}
        for name, value in changed.items():
            setattr(d, name, value)
        if changed:
            catalog.touch(records, d)
            _note(records, path.study_id, changed)
    return _dossier(path.study_id)


def _decision(records: Session, d: DossierRecord, given: Mapping[str, Any]) -> dict[str, Any]:
    """The candidate and the cutoff of a decision that fit each other."""
    name = given.get("decision_candidate", d.decision_candidate)
    if name is None:
        return {"decision_candidate": None, "decision_cutoff": None, "decision_groups": None}
    chosen = next((c for c in catalog.candidates_of(records, d.study_id) if c.name == name), None)
    if chosen is None:
        raise Refusal(f"no candidate is named {name}", "decision_candidate")
    cutoff = given.get("decision_cutoff")
    if not given.keys() & {"decision_candidate", "decision_cutoff"}:
        cutoff = d.decision_cutoff
    groups = given.get("decision_groups", d.decision_groups if name == d.decision_candidate else None)
    if groups is not None and chosen.cutoff is None:
        raise Refusal(f"{name} has no cutoff, so groups cannot have their own", "decision_groups")
    return {
        "decision_cutoff": None if chosen.cutoff is None else chosen.cutoff if cutoff is None else cutoff,
        "decision_groups": groups,
    }


def _groups_known(study_id: int, groups: GroupsIn) -> None:
    """Raises Missing or Refusal where the study has no such groups."""
    asked = asked_of(study_id)
    if facts_of(asked)["holdout"]["positive"] is None:
        raise Refusal("cutoffs for groups are for two classes", "decision_groups")
    rows = rows_of(asked)
    for name in groups.by:
        rows.cut(name)


WHAT = {"heading": "heading changed", "summary": "argument changed"}


def _note(records: Session, study_id: int, changed: Mapping[str, Any]) -> None:
    """A line of the trail for each thing that was changed."""
    for action in dict.fromkeys(WHAT.get(name, "decision changed") for name in changed):
        of = {name: value for name, value in changed.items() if WHAT.get(name, "decision changed") == action}
        told: dict[str, object] = {k: v if k != "summary" else f"{len(str(v))} characters" for k, v in of.items()}
        accounts.note(records, signed_in(), action, study_id, told)


@api.post("/studies/<int:study_id>/exhibits", tags=TAG, responses={201: DossierOut, **LONG})
@needs("write")
def pin(path: StudyPath, body: ExhibitIn) -> Response:
    """Pin a view as evidence. What is not said of a cutoff is taken as it stands now."""
    asked = asked_of(path.study_id)
    facts = facts_of(asked)
    known_split(facts["balance"], body.scope.split)
    if body.scope.within:
        rows_of(asked).within(tuple(body.scope.within.items()))
    known_class(facts["holdout"], body.scope.of)
    if facts["holdout"]["positive"] is None and (refused := EXHIBITS[body.view].refused):
        raise Refusal(refused, "view")
    with workspace().writing() as records:
        dossier = package.dossier_of(records, path.study_id)
        candidates = catalog.candidates_of(records, path.study_id)
        unknown = set(body.scope.show) - {c.position for c in candidates}
        if unknown:
            raise Refusal(f"the study has no candidate {min(unknown)}", "scope.show")
        kept = {c.position: c.cutoff for c in candidates if c.cutoff is not None}
        cutoffs = kept | {k: v for k, v in body.scope.cutoffs.items() if k in kept}
        scope = Scope(
            body.scope.split, tuple(sorted(set(body.scope.show))), cutoffs, of=body.scope.of, within=body.scope.within,
            own=body.scope.own,
        )  # fmt: skip
        earlier = package.exhibits_of(records, path.study_id)
        at = len(earlier) if body.position is None else min(body.position, len(earlier))
        for i, exhibit in enumerate(earlier):
            exhibit.position = i + (i >= at)
            records.add(exhibit)
        records.add(ExhibitRecord(study_id=path.study_id, position=at, view=body.view, scope=scope.as_dict(),
                                  caption=body.caption.strip()))  # fmt: skip
        catalog.touch(records, dossier)
        accounts.note(records, signed_in(), "pinned", path.study_id, {"view": body.view})
    return _dossier(path.study_id, 201)


def _exhibit(records: Session, path: ExhibitPath) -> ExhibitRecord:
    found = records.get(ExhibitRecord, path.exhibit_id)
    if found is None or found.study_id != path.study_id:
        raise Missing(f"the dossier has no exhibit {path.exhibit_id}")
    return found


@api.patch("/studies/<int:study_id>/exhibits/<int:exhibit_id>", tags=TAG, responses={200: DossierOut, **CONDITIONAL})
@needs("write")
def caption(path: ExhibitPath, body: CaptionIn) -> Response:
    """Change an exhibit's caption. If-Match must carry the ETag of the dossier that is changed."""
    with workspace().writing() as records:
        dossier, found = package.dossier_of(records, path.study_id), _exhibit(records, path)
        _unchanged(dossier)
        if found.caption != body.caption.strip():
            found.caption = body.caption.strip()
            records.add(found)
            catalog.touch(records, dossier)
            accounts.note(records, signed_in(), "caption changed", path.study_id, {"view": found.view})
    return _dossier(path.study_id)


@api.delete("/studies/<int:study_id>/exhibits/<int:exhibit_id>", tags=TAG, responses={200: DossierOut})
@needs("write")
def unpin(path: ExhibitPath) -> Response:
    """Remove an exhibit."""
    with workspace().writing() as records:
        dossier, found = package.dossier_of(records, path.study_id), _exhibit(records, path)
        accounts.note(records, signed_in(), "unpinned", path.study_id, {"view": found.view, "caption": found.caption})
        records.delete(found)
        catalog.touch(records, dossier)
    return _dossier(path.study_id)


@api.put("/studies/<int:study_id>/exhibits", tags=TAG, responses={200: DossierOut})
@needs("write")
def reorder(path: StudyPath, body: OrderIn) -> Response:
    """Put the exhibits in order: the ids of all of them."""
    with workspace().writing() as records:
        dossier = package.dossier_of(records, path.study_id)
        own = {e.id: e for e in package.exhibits_of(records, path.study_id)}
        if sorted(body.order) != sorted(i for i in own if i is not None):
            raise Refusal("the order must name each exhibit once", "order")
        for position, exhibit_id in enumerate(body.order):
            own[exhibit_id].position = position
            records.add(own[exhibit_id])
        catalog.touch(records, dossier)
        accounts.note(records, signed_in(), "exhibits ordered", path.study_id, {"order": body.order})
    return _dossier(path.study_id)


@api.get("/studies/<int:study_id>/dossier/preview", tags=TAG)
def preview(path: StudyPath) -> Response:
    """The draft as its reader will see it, as HTML."""
    with workspace().reading() as records:
        draft = package.gather(evaluator(), records, path.study_id)
    return as_page(render.to_page(package.build(evaluator(), draft), revisions.DRAFT))
