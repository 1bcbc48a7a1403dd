"""Revisions: submitting, reading, signing, returning; and the report's own address."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
    Field,
)
from sqlmodel import Session

from skarlo.report import render, revisions
from skarlo.studies.records import RevisionRecord

from ..models import (
    Id,
    Problem,
    RevisionOut,
    Strict,
    StudyPath,
    VerdictOut,
)
from ..security import limiter, needs, signed_in, workspace
from ..shared import answer, api, evaluator

TAG = [Tag(name="revisions")]


class RevisionPath(BaseModel):
    revision_id: Id


class SignIn(Strict):
    password: str


class ReturnIn(Strict):
    reason: str = Field(max_length=5000)


class ReportQuery(BaseModel):
    download: bool = False


def revision_out(records: Session, revision: RevisionRecord) -> RevisionOut:
    """A revision as the interface gives it."""
    state = revisions.page_state(records, revision)
    verdict = VerdictOut(**state["verdict"]) if state["verdict"] else None
    return RevisionOut(
        id=revision.id or 0, number=revision.number, sha256=revision.sha256, author=state["author"],
        author_ids=sorted({revision.author_id, *revision.author_ids}), submitted=state["submitted"],
        stamp=state["stamp"], verdict=verdict,
    )  # fmt: skip


@api.post("/studies/<int:study_id>/revisions", tags=TAG, responses={201: RevisionOut, 409: Problem})
@needs("write")
def submit(path: StudyPath) -> Response:
    """Freeze the dossier as the next revision and ask for a signature."""
    revision = revisions.submit(evaluator(), signed_in(), path.study_id)
    with workspace().reading() as records:
        return answer(revision_out(records, revision), 201)


@api.get("/revisions/<int:revision_id>", tags=TAG, responses={200: RevisionOut})
def read_revision(path: RevisionPath) -> Response:
    """A revision's state."""
    with workspace().reading() as records:
        return answer(revision_out(records, revisions.revision_of(records, path.revision_id)))


@api.get("/revisions/<int:revision_id>/content", tags=TAG)
def read_content(path: RevisionPath) -> Response:
    """A revision's frozen content: the bytes whose SHA-256 is its fingerprint."""
    with workspace().reading() as records:
        revision = revisions.revision_of(records, path.revision_id)
    name = f"revision {revision.number} of study {revision.study_id}"
    response = Response(workspace().read(revision.sha256, name), mimetype="application/json")
    response.set_etag(revision.sha256)
    return response


@api.post("/revisions/<int:revision_id>/signature", tags=TAG, responses={201: RevisionOut, 409: Problem})
@limiter.limit("10 per minute")
@needs("sign")
def sign(path: RevisionPath, body: SignIn) -> Response:
    """Sign a revision with one's password."""
    revision = revisions.decide(workspace(), signed_in(), path.revision_id, "signed", body.password)
    with workspace().reading() as records:
        return answer(revision_out(records, revision), 201)


@api.post("/revisions/<int:revision_id>/return", tags=TAG, responses={201: RevisionOut, 409: Problem})
@needs("sign")
def send_back(path: RevisionPath, body: ReturnIn) -> Response:
    """Return a revision with a reason."""
    revision = revisions.decide(workspace(), signed_in(), path.revision_id, "returned", reason=body.reason)
    with workspace().reading() as records:
        return answer(revision_out(records, revision), 201)


@api.get("/reports/<int:revision_id>", tags=TAG)
def report(path: RevisionPath, query: ReportQuery) -> Response:
    """The report of a revision: one self-contained HTML page, to read here or to save."""
    with workspace().reading() as records:
        revision = revisions.revision_of(records, path.revision_id)
        page = render.to_page(revisions.content_of(workspace(), revision), revisions.page_state(records, revision))
    response = as_page(page)
    if query.download:
        response.headers["Content-Disposition"] = (
            f'attachment; filename="report-{revision.study_id}-revision-{revision.number}.html"'
        )
    return response


def as_page(html: str) -> Response:
    """A report page under its own content policy; only Skarlo's own pages may frame it."""
    response = Response(html, mimetype="text/html")
    response.headers["Content-Security-Policy"] = f"{render.content_policy()}; frame-ancestors 'self'"
    return response
