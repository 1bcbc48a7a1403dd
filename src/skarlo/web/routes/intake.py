"""A look at what came in: fields, joins before a study is made and after."""

from __future__ import annotations

import tempfile
from typing import Literal

import polars as pl
from flask import Response, current_app, request, send_file
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
    RootModel,
)

from skarlo.core import (
    Finding,
    Part,
    Progress,
    Steps,
)
from skarlo.intake import Source
from skarlo.intake.account import Account
from skarlo.intake.joining import Match, match
from skarlo.intake.read import as_text, read_pieces
from skarlo.studies import catalog, moving, words
from skarlo.studies import marks as marking
from skarlo.studies.words import Answered

from ..models import (
    Id,
    Strict,
    StudyOut,
    StudyPath,
    UploadQuery,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, Made, answer, api, asked_of, awaited, immutable, parts_of, read_of
from .studies import made
from .uploads import chunks

TAG = [Tag(name="intake")]


class AccountOut(RootModel[Account]):
    """The fields of a hold-out, and how each candidate's answers joined."""


class FindingsOut(BaseModel):
    """What was noticed, with the words on warnings."""

    findings: list[Answered]


class WordPath(StudyPath):
    key: str


class WordIn(Strict):
    """Why a warning is right as it stands; empty takes it back."""

    text: str = Field(max_length=2000)


class JoinQuery(BaseModel):
    """Two uploads and the columns that are to join them."""

    holdout: Id
    holdout_id: str
    answers: Id
    answers_id: str


class JoinPath(BaseModel):
    which: Literal["matched", "missing", "extra", "doubled"]


class JoinOut(BaseModel):
    """How many ids matched, are missing from the answers, are not rows of the hold-out, or stand twice."""

    matched: int
    missing: int
    extra: int
    doubled: int


@api.get("/studies/<int:study_id>/fields", tags=TAG, responses={200: AccountOut, **LONG})
def read_fields(path: StudyPath) -> Response:
    """The fields of the hold-out, over all its rows, how strongly each alone tells the classes apart, and how the
    answers joined."""
    return immutable(read_of(asked_of(path.study_id)).account)


@api.get("/studies/<int:study_id>/findings", tags=TAG, responses={200: FindingsOut, **LONG})
def read_findings(path: StudyPath) -> Response:
    """What was noticed in the rows and the results at the kept cutoffs, with the explanations of warnings."""
    return answer(_findings(path.study_id))


@api.put("/studies/<int:study_id>/findings/<key>", tags=TAG, responses={200: FindingsOut, **LONG})
@needs("write")
def answer_warning(path: WordPath, body: WordIn) -> Response:
    """Explain why a warning is acceptable; the explanation goes into the report."""
    findings = _noticed(path.study_id)
    with workspace().writing() as records:
        catalog.study_of(records, path.study_id)
        words.say(records, signed_in(), path.study_id, findings, path.key, body.text)
    return answer(_findings(path.study_id))


def _noticed(study_id: int) -> list[Finding]:
    then = f"/api/v1/studies/{study_id}/findings"
    return parts_of(asked_of(study_id), [Part("findings")], then)["findings"]


def _findings(study_id: int) -> FindingsOut:
    found = _noticed(study_id)
    with workspace().reading() as records:
        return FindingsOut(findings=words.answered(found, words.words_of(records, study_id)))


@api.get("/joins", tags=TAG, responses={200: JoinOut, **LONG})
@needs("write")
def read_join(query: JoinQuery) -> Response:
    """How two uploads join on their ids."""
    sides = _sides(query)
    key = f"join {' '.join(f'{source.path.name} {column}' for source, column in sides)}"
    found = awaited(key, "joining on the ids", lambda tell: _matched(sides, tell), request.full_path)
    return answer(JoinOut(**found.counts()))


@api.get("/joins/<which>.csv", tags=TAG)
@needs("write")
def save_join(path: JoinPath, query: JoinQuery) -> Response:
    """The ids of one set of a join, as CSV."""
    ids = getattr(_matched(_sides(query)), path.which).rename(query.holdout_id)
    return Response(ids.to_frame().write_csv(), mimetype="text/csv",
                    headers={"Content-Disposition": f"attachment; filename={path.which}.csv"})  # fmt: skip


@api.get("/studies/<int:study_id>/export.zip", tags=TAG)
def export_study(path: StudyPath) -> Response:
    """The study as plain files with study.toml, as zip."""
    out = tempfile.TemporaryFile()  # noqa: SIM115 closed with the response, which it is sent by, piece by piece
    with workspace().reading() as records:
        study, candidates = catalog.study_of(records, path.study_id), catalog.candidates_of(records, path.study_id)
        marks, notes = marking.marked(records, path.study_id), marking.noted(records, path.study_id)
    name = moving.export(workspace(), study, candidates, out, marks, notes)
    out.seek(0)
    return send_file(out, mimetype="application/zip", as_attachment=True, download_name=f"{name}.zip")


@api.post("/imports", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def import_study(query: UploadQuery) -> Response:
    """Make a study of a zip (the request's body) that holds study.toml and the files it names."""
    kept, user = workspace(), signed_in()
    packed = kept.take_in(chunks())
    most = current_app.config["MAX_CONTENT_LENGTH"]

    def bring(tell: Progress) -> Made:
        bringing = moving.Bringing(user, kept)
        try:
            new = moving.plan(bringing, moving.unpack(bringing, packed.path, query.name, most), tell)
            with kept.writing() as records:
                return Made(moving.keep(records, bringing, new).id or 0)
        finally:
            bringing.drop()
            packed.drop()

    return made("importing the study", bring)


def _sides(query: JoinQuery) -> list[tuple[Source, str]]:
    with workspace().reading() as records:
        sides = [
            (catalog.upload_of(records, upload, signed_in()), column)
            for upload, column in ((query.holdout, query.holdout_id), (query.answers, query.answers_id))
        ]
    return [(Source(workspace().blob(u.sha256), u.name), column) for u, column in sides]


def _matched(sides: list[tuple[Source, str]], tell: Progress | None = None) -> Match:
    steps, ids = Steps(tell, 3), []
    for source, column in sides:
        steps.next(f"reading the ids of {source.name}")
        ids.append(pl.concat([as_text(piece[column]) for piece in read_pieces(source, [column])]))
    steps.next("joining")
    return match(*ids)
