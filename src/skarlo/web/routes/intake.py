"""A look at what came in: fields, joins before a study is made and after."""

from __future__ import annotations

import tempfile

import polars as pl
from flask import Response, current_app, request, send_file
from flask_openapi3 import Tag
from sqlmodel import Session

from skarlo.core.steps import Progress, Steps
from skarlo.intake import Source
from skarlo.intake.joining import Account, account
from skarlo.intake.read import as_text, read_pieces
from skarlo.studies import catalog, moving, words
from skarlo.studies.records import User

from ..models import (
    FindingsOut,
    JoinOut,
    JoinPath,
    JoinQuery,
    LookOut,
    StudyOut,
    StudyPath,
    UploadQuery,
    WordIn,
    WordPath,
)
from ..security import needs, signed_in, workspace
from ..shared import LONG, answer, api, awaited, evaluator, immutable, read_of, results_of
from .studies import chunks, forget, made

TAG = [Tag(name="intake")]


@api.get("/studies/<int:study_id>/look", tags=TAG, responses={200: LookOut, **LONG})
def read_look(path: StudyPath) -> Response:
    """The fields of the hold-out, how strongly each alone tells the classes apart, and how the answers joined."""
    with workspace().session() as records:
        return immutable(read_of(records, path.study_id).look)


@api.get("/studies/<int:study_id>/findings", tags=TAG, responses={200: FindingsOut, **LONG})
def read_findings(path: StudyPath) -> Response:
    """What was noticed in the rows and the results at the kept cutoffs, with the words on warnings."""
    with workspace().session() as records:
        return answer(_findings(records, path.study_id))


@api.put("/studies/<int:study_id>/findings/<key>", tags=TAG, responses={200: FindingsOut})
@needs("write")
def answer_warning(path: WordPath, body: WordIn) -> Response:
    """Say why a warning is right as it stands; the word goes into the report."""
    with workspace().session() as records:
        findings = evaluator().results(records, path.study_id)["findings"]
        words.say(records, signed_in(), path.study_id, findings, path.key, body.text)
        records.flush()
        return answer(_findings(records, path.study_id))


def _findings(records: Session, study_id: int) -> FindingsOut:
    found = results_of(records, study_id)["findings"]
    return FindingsOut(findings=words.answered(records, study_id, found))


@api.get("/joins", tags=TAG, responses={200: JoinOut, **LONG})
@needs("write")
def read_join(query: JoinQuery) -> Response:
    """How two uploads join on their ids."""
    sides = _sides(query)
    key = f"join {' '.join(f'{source.path.name} {column}' for source, column in sides)}"
    found = awaited(key, "joining on the ids", lambda tell: _account(sides, tell), request.full_path)
    return answer(JoinOut(**found.counts()))


@api.get("/joins/<which>.csv", tags=TAG)
@needs("write")
def save_join(path: JoinPath, query: JoinQuery) -> Response:
    """The ids of one set of a join, as CSV."""
    ids = getattr(_account(_sides(query)), path.which).rename(query.holdout_id)
    return Response(ids.to_frame().write_csv(), mimetype="text/csv",
                    headers={"Content-Disposition": f"attachment; filename={path.which}.csv"})  # fmt: skip


@api.get("/studies/<int:study_id>/export.zip", tags=TAG)
def export_study(path: StudyPath) -> Response:
    """The study as plain files with study.toml, as zip."""
    out = tempfile.TemporaryFile()  # noqa: SIM115 closed with the response, which it is sent by, piece by piece
    with workspace().session() as records:
        name = moving.export(workspace(), records, path.study_id, out)
    out.seek(0)
    return send_file(out, mimetype="application/zip", as_attachment=True, download_name=f"{name}.zip")


@api.post("/imports", tags=TAG, responses={201: StudyOut, **LONG})
@needs("write")
def import_study(query: UploadQuery) -> Response:
    """Make a study of a zip (the request's body) that holds study.toml and the files it names."""
    kept = workspace()
    sha256, _ = kept.keep_stream(chunks())
    most = current_app.config["MAX_CONTENT_LENGTH"]

    def bring(records: Session, user: User, tell: Progress) -> int:
        try:
            return moving.import_zip(kept, records, user, kept.blob(sha256), query.name, most, tell).id or 0
        finally:
            forget(kept, sha256)  # what was in it is kept file by file

    return made("bringing the study in", bring)


def _sides(query: JoinQuery) -> list[tuple[Source, str]]:
    with workspace().session() as records:
        sides = [
            (catalog.upload_of(records, upload, signed_in()), column)
            for upload, column in ((query.holdout, query.holdout_id), (query.answers, query.answers_id))
        ]
    return [(Source(workspace().blob(u.sha256), u.name), column) for u, column in sides]


def _account(sides: list[tuple[Source, str]], tell: Progress | None = None) -> Account:
    steps, ids = Steps(tell, 3), []
    for source, column in sides:
        steps.next(f"reading the ids of {source.name}")
        ids.append(pl.concat([as_text(piece[column]) for piece in read_pieces(source, [column])]))
    steps.next("joining")
    return account(*ids)
