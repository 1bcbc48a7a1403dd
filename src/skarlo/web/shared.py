"""What the routes share.

A route that only reads looks the records up, lets go of them, and then computes. A route that changes something does so
in a transaction of its own, and answers after it: what a person decided is kept whatever becomes of the answer.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar, cast

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from skarlo import core
from skarlo.core import Progress
from skarlo.intake import Read
from skarlo.intake.write import as_json
from skarlo.studies.evaluating import Asked, Evaluator, Facts, Within, with_marks
from skarlo.studies.jobs import Job, Jobs, Stopped
from skarlo.studies.pictures import Pictures
from skarlo.studies.records import StudyRecord
from skarlo.studies.refusals import Missing
from skarlo.studies.rows import Rows

from .document import operation_id
from .models import JobOut, Problem, UploadOut
from .security import signed_in, workspace

T = TypeVar("T")
api = APIBlueprint(
    "api", __name__, url_prefix="/api/v1",
    abp_responses={401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem},
    operation_id_callback=operation_id,
)  # fmt: skip
LONG: dict[str | int, type[BaseModel] | dict[Any, Any] | None] = {202: JobOut}  # of what may take long
PATIENCE = 0.4  # seconds until an answer that is not there yet becomes a job to follow
LONGEST = 600.0  # seconds that anybody may wish to wait, and that a change waits for what it reads


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
        return study_address(self.study_id)


@dataclass(frozen=True)
class Taken:
    """What work gives that takes a file in."""

    upload: UploadOut

    @property
    def then(self) -> str:
        """Where it is."""
        return f"/api/v1/uploads/{self.upload.id}"


def study_address(study_id: int) -> str:
    """Where a study is."""
    return f"/api/v1/studies/{study_id}"


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
            return min(float(value), LONGEST)
    return float(current_app.config.get("PATIENCE", PATIENCE))


def awaited(key: str, what: str, work: Callable[[Progress], T], then: str | None = None, place: str | None = None) -> T:
    """What work gives, if it comes soon.

    Parameters
    ----------
    key : work of one key is done once, however many ask
    then : where the answer will be; None when the job itself says so
    place : what on the page it is for, where the page says which page it is and its how manieth request this is
        (X-Page: NAME TURN): older work for it is stopped

    Raises
    ------
    Pending
        When it takes longer: the answer is then 202 with the job to follow.
    """
    page, _, turn = request.headers.get("X-Page", "")[:80].partition(" ")
    where = (page, place) if page and place else None
    job = jobs().start(key, what, work, signed_in().id or 0, where, int(turn) if turn.isdecimal() else 0)
    # a change is not made by asking its own address for the answer: it waits for what it reads
    if not job.over.wait(LONGEST if then == here() and request.method != "GET" else _patience()):
        raise Pending(job, then)
    if job.error is not None:
        raise job.error
    if job.state == "stopped":
        raise Stopped
    return cast(T, job.result)


def asked_of(
    study_id: int, cutoffs: Mapping[int, float] | None = None, seen_on: str = "", within: Within = ()
) -> Asked:
    """What is asked of a study, as the records say now. Raises Missing."""
    with workspace().reading() as records:
        return evaluator().asked(records, study_id, cutoffs, seen_on, within)


def results_of(asked: Asked, then: str | None = None) -> core.Results:
    """The results that are asked for.

    Parameters
    ----------
    then : where the answer will be if it is not there yet; where it was asked for if left out

    Raises
    ------
    Pending
        When they take long.
    """
    measured = evaluator().measured
    if evaluator().is_measured(asked):
        return measured(asked)
    return awaited(asked.key, "evaluating", lambda tell: measured(asked, tell), then or here(), place_of())


def place_of(*about: str) -> str:
    """What on a page the answer is for."""
    return " ".join([request.path, *sorted(about)])


def parts_of(asked: Asked, parts: Sequence[core.Part], then: str | None = None) -> core.Results:
    """Some parts of the results, the head among them; see `results_of`.

    Raises
    ------
    Missing
        For a split or a list of fields that the study does not have.
    """
    found, parts = evaluator().parts, with_marks(asked, parts)
    if evaluator().has_parts(asked, parts):
        return found(asked, parts)
    key = f"parts {asked.key} {sorted(map(str, parts))}"
    try:
        place = place_of(*{f"{p.kind} {p.split} {p.step:g} {[name for name, _ in p.least]}" for p in parts})
        return awaited(key, "evaluating", lambda tell: found(asked, parts, tell), then or here(), place)
    except KeyError as e:
        raise Missing(str(e.args[0])) from e


def here() -> str:
    """The address that is asked for."""
    return request.full_path.rstrip("?")


def pictures_of(study: StudyRecord) -> Pictures:
    """The pictures of a study that has some; the names in the last few are remembered."""
    assert study.pictures_sha256 is not None
    return _opened(workspace().blob(study.pictures_sha256))


@lru_cache(maxsize=16)
def _opened(path: Path) -> Pictures:
    return Pictures(path)


def rows_of(asked: Asked) -> Rows:
    """The rows of a study. Raises Pending when its files take long to read."""
    read_of(asked)
    return evaluator().rows(asked)


def facts_of(asked: Asked, then: str | None = None) -> Facts:
    """What is told of a study without evaluating it. Raises Pending when its files take long to read."""
    facts = evaluator().facts
    if evaluator().has_facts(asked):
        return facts(asked)
    return awaited(f"facts {asked.plain_key}", "reading the files", lambda tell: facts(asked, tell), then or here())


def read_of(asked: Asked) -> Read:
    """The files of a study, read. Raises Pending when they take long."""
    read = evaluator().read
    if evaluator().is_read(asked):
        return read(asked)
    return awaited(f"read {asked.plain_key}", "reading the files", lambda tell: read(asked, tell), here())


def prepared_of(asked: Asked) -> core.Prepared:
    """A study ready to be evaluated. Raises Pending when its files take long to read."""
    read_of(asked)
    return evaluator().prepared(asked)
