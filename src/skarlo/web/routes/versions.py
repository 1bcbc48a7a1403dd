"""Versions of candidates, deletion and restoring."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, Literal

from flask import Response, request
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
    ValidationError,
)

from skarlo.core import (
    RECALIBRATIONS,
    Progress,
)
from skarlo.intake import InputError, Problem
from skarlo.intake.spec import CandidateSpec, read_toml
from skarlo.studies import catalog, deleting, repairing, versions
from skarlo.studies.refusals import Missing, Refusal

from ..models import (
    ANSWERED,
    CandidateIn,
    Id,
    MadeWith,
    OneOf,
    Strict,
    StudyList,
    StudyOut,
    StudyPath,
    UploadQuery,
    of_spec,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, Made, answer, api, asked_of, evaluator, read_of
from .studies import lines, made, study_out

TAG = [Tag(name="versions")]
MOST = 1 << 20


class VersionIn(of_spec(CandidateSpec, *ANSWERED)):  # type: ignore[misc]
    """A new file of a candidate; which column is what is left out where it is as before, an empty one is none."""

    upload: Id
    reason: str | None = None
    price: str | None = None
    version: str | None = Field(default=None, max_length=200)
    made_with: MadeWith = {}
    note: str = Field(default="", max_length=2000)


class CandidatePath(StudyPath):
    position: Id


class RecalibrationIn(Strict):
    """How a candidate is recalibrated."""

    method: Annotated[str, OneOf(lambda: RECALIBRATIONS)]


class VersionPath(CandidatePath):
    number: Id


class DeletedLine(BaseModel):
    """What was deleted, and until when that can be restored."""

    kind: Literal["study", "candidate", "version"]
    id: int
    name: str
    study_id: int
    study: str
    deleted: datetime
    until: datetime


class DeletedList(BaseModel):
    deleted: list[DeletedLine]


class DeletedPath(BaseModel):
    kind: Literal["study", "candidate", "version"]
    record_id: Id


class RestoredOut(BaseModel):
    """The study that what was restored belongs to."""

    study_id: int


class MadeWithOut(BaseModel):
    """How a candidate was made, read from TOML or JSON."""

    made_with: MadeWith


@api.post("/studies/<int:study_id>/candidates", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def add_candidate(path: StudyPath, body: CandidateIn) -> Response:
    """Take one more candidate into a study; it joins and checks first."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        upload = catalog.upload_of(records, body.upload, user)
        check = catalog.plan_candidate(kept, records, path.study_id, upload, body.model_dump())

    def add(tell: Progress) -> Made:
        record = check(tell)
        with kept.writing() as records:
            catalog.add_candidate(records, user, record)
        return Made(path.study_id)

    return made("taking the candidate in", add)


@api.post("/studies/<int:study_id>/candidates/<int:position>/recalibrated", tags=TAG,
          responses={201: StudyOut, **LONG})  # fmt: skip
@needs("write")
def add_recalibrated(path: CandidatePath, body: RecalibrationIn) -> Response:
    """Take a candidate along recalibrated, as a candidate of its own: the map is learned on the tuning rows, applied to
    all, and kept with how it was made."""
    kept, user, evaluates = workspace(), signed_in(), evaluator()
    asked = asked_of(path.study_id)
    if path.position not in asked.positions:
        raise Missing(f"the study has no candidate {path.position}")
    read_of(asked)

    def add(tell: Progress) -> Made:
        with kept.reading() as records:
            study = catalog.study_of(records, path.study_id)
        upload, entry = repairing.recalibrated(evaluates, asked, study, user, path.position, body.method)
        with kept.reading() as records:
            check = catalog.plan_candidate(kept, records, path.study_id, upload, entry)
        record = check(tell)
        with kept.writing() as records:
            records.add(upload)
            catalog.add_candidate(records, user, record)
        return Made(path.study_id)

    return made("recalibrating the candidate", add)


@api.post("/studies/<int:study_id>/candidates/<int:position>/versions", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def add_version(path: CandidatePath, body: VersionIn) -> Response:
    """Take an upload as a candidate's next version; it joins and checks first, and is evaluated from then on."""
    kept, user = workspace(), signed_in()
    entry = body.model_dump(exclude={"upload", "note"}, exclude_none=True)
    with kept.reading() as records:
        upload = catalog.upload_of(records, body.upload, user)
        check = versions.plan(kept, records, user, path.study_id, path.position, upload, entry, body.note)

    def add(tell: Progress) -> Made:
        checked = check(tell)
        with kept.writing() as records:
            versions.add(records, user, path.study_id, path.position, checked)
        return Made(path.study_id)

    return made("taking the version in", add)


@api.put("/studies/<int:study_id>/candidates/<int:position>/versions/<int:number>", tags=TAG,
         responses={200: StudyOut, **LONG})  # fmt: skip
@needs("write")
def use_version(path: VersionPath) -> Response:
    """Evaluate a version from now on."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        check = versions.plan_use(kept, records, path.study_id, path.position, path.number)

    def use(tell: Progress) -> Made:
        checked = check(tell)
        with kept.writing() as records:
            versions.use(records, user, path.study_id, path.position, path.number, checked)
        return Made(path.study_id)

    return made("reading the version", use, 200)


@api.post("/studies/<int:study_id>/candidates/<int:position>/versions/<int:number>/candidate", tags=TAG,
          responses={201: StudyOut, **LONG})  # fmt: skip
@needs("write")
def take_version(path: VersionPath) -> Response:
    """Take an older version along as a candidate of its own, at the cutoff of the one it is a version of: so the two
    are compared on the same rows, in every view."""
    kept, user = workspace(), signed_in()
    with kept.reading() as records:
        upload, check = versions.plan_beside(kept, records, user, path.study_id, path.position, path.number)

    def add(tell: Progress) -> Made:
        record = check(tell)
        with kept.writing() as records:
            records.add(upload)
            catalog.add_candidate(records, user, record)
        return Made(path.study_id)

    return made("reading the version", add)


@api.delete("/studies/<int:study_id>/candidates/<int:position>/versions/<int:number>", tags=TAG,
            responses={200: StudyOut, **LONG})  # fmt: skip
@needs("write")
def delete_version(path: VersionPath) -> Response:
    """Delete a version that is not evaluated here; it can be restored for 30 days."""
    with workspace().writing() as records:
        deleting.delete_one_version(records, signed_in(), path.study_id, path.position, path.number)
    return answer(study_out(path.study_id))


@api.delete("/studies/<int:study_id>/candidates/<int:position>", tags=TAG, responses={200: StudyOut, **LONG})
@needs("write")
def delete_candidate(path: CandidatePath) -> Response:
    """Delete a candidate; it can be restored for 30 days."""
    with workspace().writing() as records:
        deleting.delete_candidate(records, signed_in(), path.study_id, path.position)
    return answer(study_out(path.study_id))


@api.delete("/studies/<int:study_id>", tags=TAG, responses={200: StudyList})
@needs("write")
def delete_study(path: StudyPath) -> Response:
    """Delete a study; it can be restored for 30 days."""
    with workspace().writing() as records:
        deleting.delete_study(records, signed_in(), path.study_id)
    with workspace().reading() as records:
        return answer(StudyList(studies=lines(records)))


@api.get("/deleted", tags=TAG, responses={200: DeletedList})
@needs("write")
def read_deleted() -> Response:
    """What was deleted and can be restored, last deleted first."""
    with workspace().reading() as records:
        return answer(DeletedList.model_validate({"deleted": deleting.deleted(records)}))


@api.post("/deleted/<kind>/<int:record_id>/restore", tags=TAG, responses={200: RestoredOut})
@needs("write")
def restore(path: DeletedPath) -> Response:
    """Restore what was deleted."""
    with workspace().writing() as records:
        study_id = deleting.restore(records, signed_in(), path.kind, path.record_id)
    return answer(RestoredOut(study_id=study_id))


@api.post("/made-with", tags=TAG, responses={200: MadeWithOut})
@needs("write")
def read_made_with(query: UploadQuery) -> Response:
    """Read how a candidate was made (settings, code and data revision, date, …) from TOML or JSON (the body)."""
    data = request.stream.read(MOST + 1)
    if len(data) > MOST:
        raise Refusal(f"{query.name} is larger than 1 MB", "name")
    try:
        if data.lstrip().startswith(b"{"):
            found = json.loads(data.decode("utf-8-sig"), parse_constant=_no_number)
        else:
            found = json.loads(json.dumps(read_toml(data, query.name), default=str))
        return answer(MadeWithOut(made_with=found))
    except ValidationError as e:
        raise InputError([Problem(e.errors()[0]["msg"].removeprefix("Value error, "), query.name)]) from e
    except (ValueError, RecursionError) as e:
        raise InputError([Problem(f"is neither TOML nor JSON: {e}", query.name)]) from e


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is not a number of JSON")
