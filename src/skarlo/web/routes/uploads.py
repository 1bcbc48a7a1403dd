"""Files taken in: kept by their fingerprint, their columns looked at."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from typing import Any, cast

from flask import Response, current_app, request
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
)

from skarlo.core import (
    Progress,
)
from skarlo.intake import Source
from skarlo.intake.columns_seen import describe
from skarlo.intake.guess import guess
from skarlo.intake.read import pieces_about, read_pieces
from skarlo.studies import catalog
from skarlo.studies.evaluating import Remembered
from skarlo.studies.records import Upload
from skarlo.studies.refusals import Refusal
from skarlo.studies.stacking import keep_stacked, stacked_bytes

from ..models import (
    Id,
    Strict,
    UploadOut,
    UploadQuery,
)
from ..security import needs, signed_in, workspace
from ..shared import (
    LONG,
    Taken,
    answer,
    api,
    awaited,
)

TAG = [Tag(name="studies")]
CHUNK = 1 << 20
Columns = list[dict[str, Any]]


class UploadPath(BaseModel):
    upload_id: Id


class StackIn(Strict):
    """One upload for each split of a hold-out."""

    parts: dict[str, Id] = Field(min_length=2, max_length=20)


def chunks() -> Iterator[bytes]:
    """The request's body, piece by piece."""
    while chunk := request.stream.read(CHUNK):
        yield chunk


@api.post("/uploads", tags=TAG, responses={201: UploadOut, **LONG})
@needs("write")
def upload(query: UploadQuery) -> Response:
    """Take a file in (the request's body), read it, and say what its columns look like."""
    name = query.name.replace("\\", "/").rsplit("/", 1)[-1]
    kept, user, remembered = workspace(), signed_in(), _remembered()
    incoming = kept.take_in(chunks())

    def take(tell: Progress) -> Taken:
        try:
            if incoming.size == 0:
                raise Refusal(f"{name} is empty", "name")
            source = Source(incoming.path, name)
            columns = remembered.get(f"{incoming.sha256} {name}", lambda: _described(source, tell))
            record = Upload(sha256=incoming.keep(), name=name, size=incoming.size, user_id=user.id or 0)
            with kept.writing() as records:
                records.add(record)
            return Taken(_upload_out(record, columns))
        finally:
            incoming.drop()

    return answer(awaited(secrets.token_hex(8), f"reading {name}", take).upload, 201)


@api.get("/uploads/<int:upload_id>", tags=TAG, responses={200: UploadOut, **LONG})
@needs("write")
def read_upload(path: UploadPath) -> Response:
    """An upload of one's own, and what its columns look like."""
    with workspace().reading() as records:
        record = catalog.upload_of(records, path.upload_id, signed_in())
    return answer(_upload_out(record, _columns_of(record)))


def _columns_of(record: Upload) -> Columns:
    """What the columns of an upload look like. Raises Pending."""
    remembered, key = _remembered(), f"{record.sha256} {record.name}"
    source = Source(workspace().blob(record.sha256), record.name)

    def look(tell: Progress) -> Columns:
        return remembered.get(key, lambda: _described(source, tell))

    return awaited(f"columns {key}", f"reading {record.name}", look, f"/api/v1/uploads/{record.id}")


def _remembered() -> Remembered:
    """What the columns of the last uploads looked like."""
    return cast(Remembered, current_app.extensions["skarlo-uploads"])


def _described(source: Source, tell: Progress) -> Columns:
    return describe(read_pieces(source), tell, pieces_about(source))


def _upload_out(record: Upload, columns: Columns) -> UploadOut:
    rows = columns[0]["rows"] if columns else 0
    return UploadOut.model_validate({
        "id": record.id, "name": record.name, "sha256": record.sha256, "size": record.size, "rows": rows,
        "columns": columns, "guess": guess(columns, rows),
    })  # fmt: skip


@api.post("/uploads/stack", tags=TAG, responses={201: UploadOut, **LONG})
@needs("write")
def stack_uploads(body: StackIn) -> Response:
    """Make one hold-out of several uploads, one for each split."""
    kept, user, remembered = workspace(), signed_in(), _remembered()
    with kept.reading() as records:
        parts = {split: catalog.upload_of(records, upload, user) for split, upload in body.parts.items()}

    def stack(tell: Progress) -> Taken:
        data, name = stacked_bytes({k: Source(kept.blob(u.sha256), u.name) for k, u in parts.items()})
        with kept.receive([data]) as incoming:
            source = Source(incoming.path, name)
            columns = remembered.get(f"{incoming.sha256} {name}", lambda: _described(source, tell))
            record = Upload(sha256=incoming.keep(), name=name, size=incoming.size, user_id=user.id or 0)
            with kept.writing() as records:
                keep_stacked(records, user, record, parts)
        return Taken(_upload_out(record, columns))

    return answer(awaited(secrets.token_hex(8), "putting the splits together", stack).upload, 201)
