"""Versions of candidates, deletion and taking it back."""

from __future__ import annotations

import json

from flask import Response, request
from flask_openapi3 import Tag
from sqlmodel import Session

from skarlo.core.steps import Progress
from skarlo.intake import InputError, Problem
from skarlo.intake.spec import read_toml
from skarlo.studies import catalog, deleting, versions
from skarlo.studies.records import User
from skarlo.studies.refusals import Refusal

from ..models import (
    CandidateIn,
    CandidatePath,
    DeletedList,
    DeletedPath,
    MadeWithOut,
    RestoredOut,
    StudyList,
    StudyOut,
    StudyPath,
    UploadQuery,
    VersionIn,
    VersionPath,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, answer, api
from .studies import lines, made, study_out

TAG = [Tag(name="versions")]
MOST = 1 << 20


@api.post("/studies/<int:study_id>/candidates", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def add_candidate(path: StudyPath, body: CandidateIn) -> Response:
    """Take one more candidate into a study; it joins and checks first."""
    kept = workspace()

    def add(records: Session, user: User, tell: Progress) -> int:
        upload = catalog.upload_of(records, body.upload, user)
        catalog.add_candidate(kept, records, user, path.study_id, upload, body.model_dump(), tell)
        return path.study_id

    return made("taking the candidate in", add)


@api.post("/studies/<int:study_id>/candidates/<int:position>/versions", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def add_version(path: CandidatePath, body: VersionIn) -> Response:
    """Take an upload as a candidate's next version; it joins and checks first, and is then the one in use."""
    kept = workspace()

    def add(records: Session, user: User, tell: Progress) -> int:
        upload = catalog.upload_of(records, body.upload, user)
        entry = body.model_dump(exclude={"upload", "note"}, exclude_none=True)
        versions.add(kept, records, user, path.study_id, path.position, upload, entry, body.note, tell)
        return path.study_id

    return made("taking the version in", add)


@api.put("/studies/<int:study_id>/candidates/<int:position>/versions/<int:number>", tags=TAG,
         responses={200: StudyOut})  # fmt: skip
@needs("write")
def use_version(path: VersionPath) -> Response:
    """Put a version in use."""
    with workspace().session() as records:
        versions.use(workspace(), records, signed_in(), path.study_id, path.position, path.number)
        return answer(study_out(records, path.study_id))


@api.delete("/studies/<int:study_id>/candidates/<int:position>/versions/<int:number>", tags=TAG,
            responses={200: StudyOut})  # fmt: skip
@needs("write")
def delete_version(path: VersionPath) -> Response:
    """Delete a version that is not in use; it can be taken back for 30 days."""
    with workspace().session() as records:
        deleting.delete_one_version(records, signed_in(), path.study_id, path.position, path.number)
        records.flush()
        return answer(study_out(records, path.study_id))


@api.delete("/studies/<int:study_id>/candidates/<int:position>", tags=TAG, responses={200: StudyOut})
@needs("write")
def delete_candidate(path: CandidatePath) -> Response:
    """Delete a candidate; it can be taken back for 30 days."""
    with workspace().session() as records:
        deleting.delete_candidate(records, signed_in(), path.study_id, path.position)
        records.flush()
        return answer(study_out(records, path.study_id))


@api.delete("/studies/<int:study_id>", tags=TAG, responses={200: StudyList})
@needs("write")
def delete_study(path: StudyPath) -> Response:
    """Delete a study; it can be taken back for 30 days."""
    with workspace().session() as records:
        deleting.delete_study(records, signed_in(), path.study_id)
        records.flush()
        return answer(StudyList(studies=lines(records)))


@api.get("/deleted", tags=TAG, responses={200: DeletedList})
@needs("write")
def read_deleted() -> Response:
    """What was deleted and can be taken back, last deleted first."""
    with workspace().session() as records:
        return answer(DeletedList.model_validate({"deleted": deleting.deleted(records)}))


@api.post("/deleted/<kind>/<int:record_id>/restore", tags=TAG, responses={200: RestoredOut})
@needs("write")
def restore(path: DeletedPath) -> Response:
    """Take a deletion back."""
    with workspace().session() as records:
        return answer(RestoredOut(study_id=deleting.restore(records, signed_in(), path.kind, path.record_id)))


@api.post("/made-with", tags=TAG, responses={200: MadeWithOut})
@needs("write")
def read_made_with(query: UploadQuery) -> Response:
    """Read how a candidate was made (settings, code and data revision, date, …) from TOML or JSON (the body)."""
    data = request.stream.read(MOST + 1)
    if len(data) > MOST:
        raise Refusal(f"{query.name} is larger than 1 MB", "name")
    if not data.lstrip().startswith(b"{"):
        return answer(MadeWithOut(made_with=json.loads(json.dumps(read_toml(data, query.name), default=str))))
    try:
        found = json.loads(data.decode("utf-8-sig"), parse_constant=_no_number)
    except (ValueError, RecursionError) as e:
        raise InputError([Problem(f"is neither TOML nor JSON: {e}", query.name)]) from e
    return answer(MadeWithOut(made_with=found))


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number of JSON")
