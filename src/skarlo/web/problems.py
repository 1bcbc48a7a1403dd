"""Errors as problem details (RFC 9457): what is wrong, where, and what to do."""

from __future__ import annotations

import errno
import json
import logging
from http import HTTPStatus
from typing import Any

from flask import Flask, Response, make_response, request
from flask_wtf.csrf import CSRFError
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException

from skarlo.core import several
from skarlo.intake import InputError
from skarlo.studies.jobs import Stopped
from skarlo.studies.refusals import Conflict, Damaged, Forbidden, Held, Missing, Outdated, Refusal, Unconditional

LOG = logging.getLogger("skarlo.web")
MOST = 200
_STATUS: dict[type[Refusal], int] = {
    Missing: 404, Conflict: 409, Damaged: 409, Held: 409, Forbidden: 403, Refusal: 422, Outdated: 412,
    Unconditional: 428,
}  # fmt: skip
FAILED = (
    "Skarlo failed and saved nothing. Try again; if it recurs, send your administrator the time and the server log."
)
FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


def problem(status: int, detail: str, field: str | None = None, **more: Any) -> Response:
    """A problem details response."""
    body = {"type": "about:blank", "title": HTTPStatus(status).phrase, "status": status, "detail": detail}
    if field:
        body["field"] = field
    response = make_response(json.dumps(body | more, ensure_ascii=False, allow_nan=False), status)
    response.mimetype = "application/problem+json"
    return response


def of(e: Exception) -> Response:
    """The problem that an error of our own is; of any other it says nothing."""
    match e:
        case InputError():
            n = len(e.problems)
            return problem(
                422, f"the files cannot be used: {several(n, 'problem')}",
                problems=[p.as_dict() | {"line": str(p)} for p in e.shown(MOST)], count=n,
            )  # fmt: skip
        case Refusal():
            return problem(_STATUS[type(e)], e.why, e.field)
        case Stopped():
            return problem(409, "the work was stopped, and nothing of it is kept")
        case OSError() if e.errno in FULL:
            return problem(507, "The disk of the server is full. Nothing was saved; make room, then try again.")
        case OperationalError() if "full" in str(e.orig):
            return problem(507, "The disk of the server is full. Nothing was saved; make room, then try again.")
        case OperationalError() if "locked" in str(e.orig):
            return problem(503, "The records are busy. Nothing was saved; try again in a moment.")
    return problem(500, FAILED)


def invalid(e: ValidationError) -> Response:
    """A request that does not fit its model."""
    errors = e.errors(include_url=False, include_context=False, include_input=False)
    fields = [".".join(str(p) for p in error["loc"]) for error in errors]
    detail = "; ".join(f"{f}: {error['msg']}" if f else error["msg"] for f, error in zip(fields, errors, strict=True))
    return problem(422, detail, fields[0] if fields else None)


def unreadable() -> Response | None:
    """What is wrong with a body of JSON before anyone looks at what it says: nested without end, or text that is none.

    Such text (half of a pair of surrogates) can be written in JSON and be kept nowhere.
    """
    if not request.is_json:
        return None
    data = request.get_data()
    if not data:
        return None
    try:
        found = json.loads(data)
        if b"\\u" in data.lower():
            json.dumps(found, ensure_ascii=False).encode()
    except RecursionError:
        return problem(422, "the body is nested too deeply")
    except UnicodeEncodeError:
        return problem(422, "the body holds half of a character (a lone surrogate), which is not text")
    except ValueError as e:
        return problem(400, f"the body is not JSON: {e}")
    return None


def install(app: Flask) -> None:
    """Answer every error of the interface as a problem."""
    app.before_request(unreadable)

    @app.errorhandler(InputError)
    @app.errorhandler(Refusal)
    @app.errorhandler(Stopped)
    def refused(e: Exception) -> Response:
        return of(e)

    @app.errorhandler(CSRFError)
    def csrf(e: CSRFError) -> Response:
        return problem(400, "the request carries no valid token of this page; reload the page and try again")

    @app.errorhandler(HTTPException)
    def http(e: HTTPException) -> Response:
        answer = problem(e.code or 500, e.description or "")
        if e.code == 429:
            answer.headers["Retry-After"] = "60"
        return answer

    @app.errorhandler(Exception)
    def unexpected(e: Exception) -> Response:
        LOG.error("unexpected error", exc_info=e)
        return of(e)
