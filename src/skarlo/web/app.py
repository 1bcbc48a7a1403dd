"""The server: the HTTP interface under /api/v1, the reports, and the built front end."""

from __future__ import annotations

import json
import logging
import sys
import time
from pathlib import Path
from typing import Any

from flask import Response, g, jsonify, request, send_from_directory
from flask_login import current_user
from flask_openapi3 import Info, OpenAPI
from sqlalchemy.exc import SQLAlchemyError

from skarlo import __version__
from skarlo.studies import deleting, sweeping
from skarlo.studies.evaluating import Evaluator, Remembered
from skarlo.studies.jobs import Jobs
from skarlo.studies.workspace import Workspace

from . import problems, security
from .document import complete, operation_id
from .models import Health
from .routes import (
    dossier,
    intake,
    jobs,
    mapped,
    naming,
    results,
    revisions,
    rows,
    session,
    studies,
    uploads,
    versions,
)
from .shared import api

STATIC = Path(__file__).parent / "static"
LOOPBACK = ["127.0.0.1", "localhost", "[::1]"]
LOG = logging.getLogger("skarlo.web")
MOST_UPLOAD = 2 * 1024**3


def create_app(
    workspace: Workspace, *, hosts: list[str] | None = None, https: bool = False, most_upload: int = MOST_UPLOAD
) -> OpenAPI:
    """The app over a workspace; the rest as of `interface`."""
    app = interface(hosts=hosts, https=https, most_upload=most_upload)
    answer_of(app, workspace)
    return app


def interface(*, hosts: list[str] | None = None, https: bool = False, most_upload: int = MOST_UPLOAD) -> OpenAPI:
    """All that can be asked, of no workspace yet.

    Parameters
    ----------
    hosts : host names it answers to; loopback only if left out, any if empty
    https : whether browsers reach it over https, so that cookies are sent there only
    most_upload : largest upload in bytes
    """
    app = OpenAPI(
        "skarlo", info=Info(title="Skarlo", version=__version__), doc_ui=False, static_folder=None,
        validation_error_status=422, validation_error_callback=problems.invalid, operation_id_callback=operation_id,
    )  # fmt: skip
    app.config["MAX_CONTENT_LENGTH"] = most_upload
    security.install(app, LOOPBACK if hosts is None else hosts, https)
    problems.install(app)
    jobs.install(app)
    for routes in (
        session,
        uploads,
        studies,
        results,
        intake,
        jobs,
        versions,
        rows,
        mapped,
        naming,
        dossier,
        revisions,
    ):
        assert routes  # imported for the routes they add to the blueprint
    app.register_api(api)
    _pages(app)
    _logging(app)
    return app


def answer_of(app: OpenAPI, workspace: Workspace) -> None:
    """Let an app answer of a workspace; of another that it answered of before it keeps nothing."""
    app.secret_key = workspace.secret()
    app.extensions["skarlo"] = workspace
    app.extensions["skarlo-evaluator"] = Evaluator(workspace)
    app.extensions["skarlo-jobs"] = Jobs()
    app.extensions["skarlo-uploads"] = Remembered(64)
    _clear(workspace)


def _clear(workspace: Workspace) -> None:
    """Remove what was deleted long ago; what cannot go is said, and keeps no server from starting."""
    try:
        with workspace.writing() as records:
            _, stayed = deleting.purge(records)
        if stayed:
            LOG.warning("cannot be cleared", extra={"fields": {"records": stayed}})
        with workspace.writing() as records:
            sweeping.sweep(workspace, records)
    except (SQLAlchemyError, OSError) as e:
        LOG.error("clearing failed", exc_info=e)


def _pages(app: OpenAPI) -> None:
    @app.get("/healthz", responses={200: Health}, endpoint="health")
    def health() -> Response:
        return jsonify(status="ok", skarlo=__version__)

    @app.route("/api/v1/openapi.json", endpoint="document")
    def document() -> Response:
        return jsonify(complete(app.api_doc))

    @app.route("/assets/<path:name>", endpoint="asset")
    def asset(name: str) -> Response:
        response = send_from_directory(STATIC / "assets", name)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response

    @app.route("/", defaults={"path": ""}, endpoint="page")
    @app.route("/<path:path>", endpoint="page")
    def page(path: str) -> Response:
        if path.startswith("api/"):
            return problems.problem(404, "there is nothing at this address")
        index = STATIC / "index.html"
        if not index.exists():
            return Response("The front end is not built yet: run `make build`.", 503, mimetype="text/plain")
        return Response(index.read_text(encoding="utf-8").replace("__NONCE__", security.nonce()), mimetype="text/html")


class JsonLines(logging.Formatter):
    """One JSON object a line."""

    def format(self, record: logging.LogRecord) -> str:
        line: dict[str, Any] = {
            "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(record.created)),
            "level": record.levelname.lower(), "event": record.getMessage(),
        } | getattr(record, "fields", {})  # fmt: skip
        if record.exc_info:
            line["traceback"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


def log_to_stderr() -> None:
    """Send structured logs to standard error."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonLines())
    logging.getLogger("skarlo").handlers = [handler]
    logging.getLogger("skarlo").setLevel(logging.INFO)
    logging.getLogger("skarlo").propagate = False


def _logging(app: OpenAPI) -> None:
    @app.before_request
    def begin() -> None:
        g.began = time.perf_counter()

    @app.after_request
    def done(response: Response) -> Response:
        if not request.path.startswith("/assets/"):
            fields = {
                "method": request.method, "path": request.path, "status": response.status_code,
                "ms": round(1000 * (time.perf_counter() - g.get("began", time.perf_counter())), 1),
                "user": current_user.user.name if current_user and current_user.is_authenticated else None,
            }  # fmt: skip
            LOG.info("request", extra={"fields": fields})
        return response


def openapi_document() -> dict[str, Any]:
    """The OpenAPI document, without a server."""
    return complete(interface().api_doc)
