"""Uploads, studies, their results and cutoffs."""

from __future__ import annotations

import re
import secrets
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal

from flask import Response
from flask_openapi3 import Tag
from pydantic import BaseModel, Field
from sqlmodel import Session

from skarlo import core
from skarlo.core import (
    HEADLINE,
    HEADLINE_MANY,
    METRICS,
    RULES,
    Cutoff,
    Progress,
    letter,
    told_of,
)
from skarlo.intake.spec import HoldoutSpec, MetricSpec, QuotedSpec, RuleSpec
from skarlo.report import drafting
from skarlo.report.exhibits import EXHIBITS
from skarlo.report.revisions import revisions_of, stamp
from skarlo.studies import accounts, catalog, versions
from skarlo.studies.evaluating import Facts
from skarlo.studies.records import CandidateRecord, StudyRecord, User, VersionRecord
from skarlo.studies.refusals import Refusal

from ..models import (
    CandidateIn,
    CandidateOut,
    Finite,
    Id,
    MetricInfo,
    NamedOut,
    OneOf,
    PicturesKept,
    RuleInfo,
    Strict,
    StudyLine,
    StudyList,
    StudyOut,
    StudyPath,
    VersionOut,
    of_spec,
)
from ..security import needs, signed_in, workspace
from ..shared import (
    LONG,
    Made,
    answer,
    api,
    asked_of,
    awaited,
    facts_of,
    pictures_of,
    prepared_of,
    study_address,
)

TAG = [Tag(name="studies")]
CHUNK = 1 << 20
Columns = list[dict[str, Any]]


Step = Annotated[str, OneOf(lambda: ("intake", *EXHIBITS, "casebook", "dossier"))]


class QuotedIn(of_spec(QuotedSpec, "metrics", "matrix")):  # type: ignore[misc]
    """A published result without its rows."""

    name: str = Field(min_length=1, max_length=80)
    source: str = Field(min_length=1, max_length=300)


class ShownIn(Strict):
    """What stands on screen where nobody chooses otherwise; no metric at all for the usual ones."""

    metrics: list[str] = Field(default=[], max_length=60)
    across: Literal["predicted", "actual"] = "predicted"


class ShowIn(Strict):
    """The columns shown when a row is read: its text, its picture, the numbers of its embedding."""

    text: str | None = None
    picture: str | None = None
    embedding: list[str] | None = None


COLUMNS = (
    "id", "truth", "positive", "split", "report_on", "tune_on", "also", "make_split", "weight", "group", "slices",
    "names", "words", "merge",
)  # fmt: skip


class HoldoutIn(of_spec(HoldoutSpec, *COLUMNS)):  # type: ignore[misc]
    """What each column of the hold-out is, in the words of the study file."""

    upload: Id
    show: ShowIn | None = None


class StudyIn(Strict):
    title: str = Field(min_length=1, max_length=200)
    holdout: HoldoutIn
    candidates: list[CandidateIn] = Field(min_length=1)
    quoted: list[QuotedIn] = []


class CutoffPath(StudyPath):
    position: Id


class CutoffIn(Strict):
    value: Finite
    chosen_on: str = Field(description="the split whose rows were looked at when it was chosen")


class RuleIn(RuleSpec):
    """A rule with its parameters, as the study file names them."""


class ChosenOut(BaseModel):
    """What a rule chose for a candidate. `value` is null where no cutoff satisfies it, with why, and where it flags
    nothing; its cutoff then stays as it was."""

    position: int
    value: float | None
    flags: str | None = None
    why: str = ""


class ChoiceOut(BaseModel):
    """The study with the cutoffs that were chosen, and on which split's rows."""

    study: StudyOut
    chosen_on: str
    chosen: list[ChosenOut]


class StepPath(StudyPath):
    step: Step


@api.get("/studies", tags=TAG, responses={200: StudyList})
def list_studies() -> Response:
    """All studies, newest first."""
    with workspace().reading() as records:
        return answer(StudyList(studies=lines(records)))


def lines(records: Session) -> list[StudyLine]:
    """All studies as they are listed."""
    return [StudyLine(**line, **_stamps(records, line["id"])) for line in catalog.listing(records)]


def _stamps(records: Session, study_id: int) -> dict[str, Any]:
    stamps = {r.number: stamp(records, r) for r in revisions_of(records, study_id)}
    signed = [number for number, one in stamps.items() if one == "signed"]
    return {"stamp": stamps[max(stamps)] if stamps else None, "signed": max(signed, default=None)}


@api.post("/studies", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def make_study(body: StudyIn) -> Response:
    """Make a study from uploads. Any fault in the files is named and nothing is kept."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        holdout = catalog.upload_of(records, body.holdout.upload, user)
        entries = [(catalog.upload_of(records, c.upload, user), c.model_dump()) for c in body.candidates]
    mapping = body.holdout.model_dump(exclude={"upload"}, exclude_none=True)
    asks = {"quoted": [q.model_dump(exclude_none=True) for q in body.quoted]} if body.quoted else {}

    def make(tell: Progress) -> Made:
        new = catalog.plan(user, body.title, holdout, mapping, entries, asks, kept.blob, tell)
        with kept.writing() as records:
            return Made(catalog.keep_study(records, user, new).id or 0)

    return made("making the study", make)


def made(what: str, work: Callable[[Progress], Made], status: int = 201) -> Response:
    """Do work that makes or changes a study: it reads and checks first, and then keeps what it made in a transaction.
    The answer is the study. Raises Pending."""
    found = awaited(secrets.token_hex(8), what, work)
    return answer(study_out(found.study_id), status)


ONE_BY_ONE = re.compile(r"\b(predicted|right|mark)\b|\bscore\b(?!\s*\()")


def _conditions(asked: Mapping[str, Any]) -> dict[str, NamedOut]:
    """The study's named conditions."""
    return {
        name: NamedOut(where=said, kept=None, alone=None if ONE_BY_ONE.search(said) else said) if isinstance(said, str)
        else NamedOut(where=said["where"], kept=said["kept"], alone=f"named {core.as_literal(name)}")
        for name, said in asked.items()
    }  # fmt: skip


def study_out(study_id: int) -> StudyOut:
    """A study for the person signed in. Raises Pending when its files take long to read."""
    user = signed_in()
    facts = facts_of(asked_of(study_id), study_address(study_id))
    with workspace().reading() as records:
        study = catalog.study_of(records, study_id)
        candidates = catalog.candidates_of(records, study_id)
        author = records.get(User, study.author_id)
        earlier = revisions_of(records, study_id)
        gives = dict(zip((c.position for c in candidates), facts["gives"], strict=False))
        return StudyOut(
            id=study_id, title=study.title, author=author.name if author else "", created=study.created,
            conditions=_conditions(study.asks.get("conditions", {})),
            holdout=facts["holdout"], mapping=study.mapping, holdout_file=study.holdout_name, balance=facts["balance"],
            candidates=[
                CandidateOut(
                    position=c.position, letter=letter(c.position), name=c.name, gives=gives.get(c.position, "classes"),
                    file=c.file_name, sha256=c.sha256, columns=c.columns, cutoff=c.cutoff,
                    cutoff_chosen_on=c.cutoff_chosen_on, cutoff_chosen=_chosen(c), runs_now=c.runs_now,
                    version_number=c.version_number,
                    versions=[_version(records, v) for v in versions.versions_of(records, c)],
                )
                for c in candidates
            ],
            steps_read=catalog.steps_read(records, study_id, user),
            revision=len(earlier), stamp=stamp(records, earlier[-1]) if earlier else None,
            may=accounts.allowed(user), metrics=metric_infos(study, facts), rules=_rule_infos(),
            z=_quantile(study), **_shown(study, facts), pictures=_pictures(study),
        )  # fmt: skip


def _pictures(study: StudyRecord) -> PicturesKept | None:
    if study.pictures_sha256 is None:
        return None
    return PicturesKept(count=len(pictures_of(study)), sha256=study.pictures_sha256)


def _chosen(c: CandidateRecord) -> str:
    """Where and how the cutoff that is kept was chosen, in words."""
    if c.cutoff is None:
        return ""
    return drafting.chosen_where(told_of(Cutoff(c.cutoff, c.cutoff_chosen_on, chosen_by=c.cutoff_chosen_by)))


def metric_infos(study: StudyRecord, facts: Facts) -> list[MetricInfo]:
    """What there is to know of each metric of a study, its own ones last."""
    two = facts["holdout"]["positive"] is not None
    names = dict.fromkeys(METRICS.two if two else (*METRICS.many, *METRICS.two))  # of many, also each class's own
    out = [_metric(d.name, d.title, d.short, d.better, d.needs) for d in (METRICS[name] for name in names)]
    for asked in study.asks.get("metrics", []):
        spec = MetricSpec.model_validate(asked)
        needs = "counts" if spec.measure in (None, "expected_cost") else "scores"
        out.append(_metric(spec.name, spec.name, "", spec.direction, needs))
    return out


def _shown(study: StudyRecord, facts: Facts) -> dict[str, Any]:
    """What stands on screen where nobody chose otherwise."""
    kept, usual = study.asks.get("shown", {}), HEADLINE if facts["holdout"]["positive"] is not None else HEADLINE_MANY
    return {"headline": list(kept.get("metrics") or usual), "usual": list(usual),
            "across": kept.get("across", "predicted")}  # fmt: skip


def _quantile(study: StudyRecord) -> float | None:
    """Of the confidence, where the rows have neither weights nor groups."""
    confidence = study.asks.get("settings", {}).get("confidence", core.Settings().confidence)
    return None if study.mapping.get("weight") or study.mapping.get("group") else core.z_value(confidence)


def _rule_infos() -> list[RuleInfo]:
    return [RuleInfo(name=n, title=r.title, takes=list(r.takes), one_of=r.one_of) for n, r in RULES.items()]


def _metric(name: str, title: str, short: str, better: str, needs: str) -> MetricInfo:
    about = {"name": name, "title": title, "short": short or title, "better": better, "needs": needs}
    return MetricInfo.model_validate(about)


def _version(records: Session, v: VersionRecord) -> VersionOut:
    by = records.get(User, v.user_id)
    return VersionOut(number=v.number, file=v.file_name, sha256=v.sha256, columns=v.columns, note=v.note,
                      by=by.name if by else "", created=v.created)  # fmt: skip


@api.get("/studies/<int:study_id>", tags=TAG, responses={200: StudyOut, **LONG})
def read_study(path: StudyPath) -> Response:
    """A study: its rows, columns and candidates."""
    return answer(study_out(path.study_id))


@api.put("/studies/<int:study_id>/candidates/<int:position>/cutoff", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def keep_cutoff(path: CutoffPath, body: CutoffIn) -> Response:
    """Keep a candidate's cutoff, set by hand while the rows of a split were looked at. It is kept at once, before
    anything is evaluated at it."""
    splits = list(facts_of(asked_of(path.study_id))["balance"])
    with workspace().writing() as records:
        catalog.keep_cutoff(records, signed_in(), path.study_id, path.position, body.value, body.chosen_on, splits)
    return answer(study_out(path.study_id))


@api.put("/studies/<int:study_id>/cutoffs", tags=TAG, responses={200: ChoiceOut, **LONG})
@needs("write")
def choose_cutoffs(path: StudyPath, body: RuleIn) -> Response:
    """Choose the cutoff of every candidate that has one by a rule, on the tuning rows (on the reported ones where there
    are no others), and keep them."""
    asked = asked_of(path.study_id)
    ready = prepared_of(asked)
    if ready.study.positive is None:
        raise Refusal("rules for cutoffs are for two classes", "rule")
    on, parameters = ready.study.tune_on or ready.study.report_on, body.parameters()
    chosen = []
    for i, position in enumerate(asked.positions):
        placed = ready.placed(i, Cutoff(rule=body.rule, parameters=parameters))
        if placed.told is not None:
            told = placed.told
            chosen.append(ChosenOut(position=position, value=told["value"], flags=told.get("flags"),
                                    why=told.get("why", "")))  # fmt: skip
    by = {"rule": body.rule, **parameters}
    with workspace().writing() as records:
        for one in chosen:
            if one.value is not None:
                catalog.keep_chosen(records, signed_in(), path.study_id, one.position, one.value, on, by)
    return answer(ChoiceOut(study=study_out(path.study_id), chosen_on=on, chosen=chosen))


@api.put("/studies/<int:study_id>/shown", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def keep_shown(path: StudyPath, body: ShownIn) -> Response:
    """Keep for the study which metrics stand side by side, in which order, and which axis of a matrix lies across. It
    changes no number."""
    facts = facts_of(asked_of(path.study_id))
    with workspace().writing() as records:
        study = catalog.study_of(records, path.study_id)
        known = {m.name for m in metric_infos(study, facts)}
        missing = [name for name in body.metrics if name not in known]
        if missing:
            raise Refusal(f"there is no metric {missing[0]}", "metrics")
        usual = list(HEADLINE if facts["holdout"]["positive"] is not None else HEADLINE_MANY)
        catalog.keep_shown(records, signed_in(), path.study_id, {
            "metrics": [] if body.metrics == usual else body.metrics,
            "across": "" if body.across == "predicted" else body.across,
        })  # fmt: skip
    return answer(study_out(path.study_id))


@api.put("/studies/<int:study_id>/steps/<step>", tags=TAG, responses={200: StudyOut, **LONG})
def read_step(path: StepPath) -> Response:
    """Remember that one has opened a step."""
    with workspace().writing() as records:
        catalog.study_of(records, path.study_id)
        catalog.read_step(records, signed_in(), path.study_id, path.step)
    return answer(study_out(path.study_id))
