"""What the routes share."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar, cast

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel
from sqlmodel import Session

from skarlo import core
from skarlo.core.steps import Progress
from skarlo.intake import Read
from skarlo.intake.write import as_json
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.jobs import Job, Jobs, Stopped

from .models import JobOut, Problem, UploadOut
from .security import signed_in

T = TypeVar("T")
api = APIBlueprint(
    "api", __name__, url_prefix="/api/v1",
    abp_responses={401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem},
)  # fmt: skip
LONG: dict[str | int, type[BaseModel] | dict[Any, Any] | None] = {202: JobOut}  # of what may take long
PATIENCE = 0.4  # seconds until an answer that is not there yet becomes a job to follow


def evaluator() -> Evaluator:
    """The server's evaluator."""
    return cast(Evaluator, current_app.extensions["skarlo-evaluator"])


def answer(model: BaseModel, status: int = 200) -> Response:
    """A model as JSON."""
    return Response(model.model_dump_json(), status, mimetype="application/json")


def immutable(value: object) -> Response:
    """A JSON value that is a function of what its address names, with its fingerprint as ETag."""
    data = as_json(value)
    response = Response(data, mimetype="application/json")
    response.set_etag(hashlib.sha256(data).hexdigest()[:32])
    response.headers["Cache-Control"] = "private, no-cache"
    return cast(Response, response.make_conditional(request))


@dataclass(frozen=True)
class Made:
    """What work gives that makes or changes a study."""

    study_id: int

    @property
    def then(self) -> str:
        """Where the study is."""
        return f"/api/v1/studies/{self.study_id}"


@dataclass(frozen=True)
class Taken:
    """What work gives that takes a file in."""

    upload: UploadOut

    @property
    def then(self) -> str:
        """Where it is."""
        return f"/api/v1/uploads/{self.upload.id}"


class Pending(Exception):  # noqa: N818
    """The answer is being worked on: a job to follow, and where the answer will be."""

    def __init__(self, job: Job, then: str | None) -> None:
        super().__init__(job.what)
        self.job, self.then = job, then


def jobs() -> Jobs:
    """The server's jobs."""
    return cast(Jobs, current_app.extensions["skarlo-jobs"])


def _patience() -> float:
    """How long to wait for an answer, in seconds: what the request prefers (RFC 7240), else a little."""
    for wish in request.headers.get("Prefer", "").split(","):
        name, _, value = wish.strip().partition("=")
        if name.lower() == "wait" and value.isdigit():
            return min(float(value), 600.0)
    return float(current_app.config.get("PATIENCE", PATIENCE))


def awaited(key: str, what: str, work: Callable[[Progress], T], then: str | None = None) -> T:
    """What work gives, if it comes soon.

    Parameters
    ----------
    key : work of one key is done once, however many ask
    then : where the answer will be; None when the job itself says so

    Raises
    ------
    Pending
        When it takes longer: the answer is then 202 with the job to follow.
    """
    job = jobs().start(key, what, work, signed_in().id or 0)
    if not job.over.wait(_patience()):
        raise Pending(job, then)
    if job.error is not None:
        raise job.error
    if job.state == "stopped":
        raise Stopped
    return cast(T, job.result)


def results_of(
    records: Session, study_id: int, cutoffs: dict[int, float] | None = None, then: str | None = None
) -> core.Results:
    """The results of a study.

    Parameters
    ----------
    then : where the answer will be if it is not there yet; an answer that only reads will be where it was asked for,
        and any other is waited for: what it changed must not be taken back

    Raises
    ------
    Pending
        When they take long.
    """
    asked, measured = evaluator().asked(records, study_id, cutoffs), evaluator().measured
    then = then or _here()
    if then is None or evaluator().is_measured(asked):
        return measured(asked)
    return awaited(asked.key, "evaluating", lambda tell: measured(asked, tell), then)


def _here() -> str | None:
    return request.full_path.rstrip("?") if request.method == "GET" else None


def read_of(records: Session, study_id: int) -> Read:
    """The files of a study, read. Raises Pending when they take long and the answer only reads."""
    asked, read = evaluator().asked(records, study_id), evaluator().read
    then = _here()
    if then is None or evaluator().is_read(asked):
        return read(asked)
    return awaited(f"read {asked.plain_key}", "reading the files", lambda tell: read(asked, tell), then)
