"""Running the server."""

from __future__ import annotations

import waitress

from skarlo.studies.workspace import Workspace

from .app import LOOPBACK, create_app, log_to_stderr


def run_server(
    workspace: Workspace, host: str, port: int, answers_to: list[str], https: bool, max_upload_mb: int
) -> None:
    """Serve a workspace until stopped. Raises Held when another server has it."""
    workspace.hold()
    log_to_stderr()
    app = create_app(workspace, hosts=[*LOOPBACK, *answers_to], https=https, most_upload=max_upload_mb << 20)
    waitress.serve(app, host=host, port=port, threads=6, ident=None, max_request_body_size=max_upload_mb << 20)
