"""Long work: followed, and stopped."""

from __future__ import annotations

import logging

from flask import Flask, Response
from flask_openapi3 import Tag
from pydantic import (
    BaseModel,
)

from skarlo.studies.jobs import Job
from skarlo.studies.refusals import Missing

from .. import problems
from ..models import (
    JobOut,
    Problem,
)
from ..security import signed_in
from ..shared import Made, Pending, Taken, answer, api, jobs

TAG = [Tag(name="jobs")]
LOG = logging.getLogger("skarlo.web")


class JobPath(BaseModel):
    job_id: str


@api.get("/jobs/<job_id>", tags=TAG, responses={200: JobOut})
def read_job(path: JobPath) -> Response:
    """How far a job of one's own is."""
    return answer(_job_out(_found(path.job_id)))


@api.delete("/jobs/<job_id>", tags=TAG, responses={200: JobOut})
def stop_job(path: JobPath) -> Response:
    """Stop a job, unless others wait for it too; nothing of it is kept."""
    job = _found(path.job_id)
    jobs().stop(job, signed_in().id or 0)
    return answer(_job_out(job))


def install(app: Flask) -> None:
    """Answer what is still being worked on with the job to follow."""

    @app.errorhandler(Pending)
    def pending(e: Pending) -> Response:
        response = answer(_job_out(e.job, e.then), 202)
        response.headers["Location"] = f"/api/v1/jobs/{e.job.id}"
        return response


def _found(job_id: str) -> Job:
    found = jobs().find(job_id, signed_in().id or 0)
    if found is None:
        raise Missing("there is no such job of yours; ask again for what it was to give")
    return found


def _job_out(job: Job, then: str | None = None) -> JobOut:
    problem = None
    if job.error is not None:
        response = problems.of(job.error)
        if response.status_code == 500:
            LOG.error("unexpected error in a job", exc_info=job.error)
        problem = Problem.model_validate(response.get_json())
    if isinstance(job.result, Made | Taken):
        then = job.result.then
    return JobOut(id=job.id, what=job.what, step=job.step, done=job.done, of=job.of, state=job.state, then=then,
                  problem=problem)  # fmt: skip
