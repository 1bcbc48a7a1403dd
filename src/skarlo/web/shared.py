"""What the routes share."""

from __future__ import annotations

import hashlib
from typing import cast

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from skarlo.intake.write import as_json
from skarlo.studies.evaluating import Evaluator

from .models import Problem

api = APIBlueprint(
    "api", __name__, url_prefix="/api/v1", abp_responses={401: Problem, 403: Problem, 404: Problem, 422: Problem}
)


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
