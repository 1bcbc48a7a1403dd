"""Running the server."""

from __future__ import annotations

import gc
import socket
import threading

import waitress

from skarlo import evaluate
from skarlo.studies.refusals import Held
from skarlo.studies.workspace import Workspace

from .app import LOOPBACK, create_app, log_to_stderr


def run_server(
    workspace: Workspace, host: str, port: int, answers_to: list[str], https: bool, max_upload_mb: int
) -> None:
    """Serve a workspace until stopped. Raises Held when another server has it, or the port."""
    workspace.hold()
    if not is_free(host, port):
        workspace.release()
        raise Held(f"port {port} is taken by another program: stop it, or serve on another with --port")
    log_to_stderr()
    app = create_app(workspace, hosts=[*LOOPBACK, *answers_to], https=https, most_upload=max_upload_mb << 20)
    threading.Thread(target=warm_up, daemon=True).start()
    waitress.serve(app, host=host, port=port, threads=6, ident=None, max_request_body_size=max_upload_mb << 20)


def warm_up() -> None:
    """Evaluate a few rows, so that what is imported late is there before somebody waits for it. What is there by then
    stays, so that it need not be looked through for what may go: that would stop everybody for a tenth of a second."""
    scores = [(7 * i % 40) / 40 for i in range(40)]
    evaluate(["ab"[i % 2] for i in range(40)], {"one": scores, "other": scores[::-1]}, positive="a")
    gc.collect()
    gc.freeze()


def is_free(host: str, port: int) -> bool:
    """Whether nobody listens there."""
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as trial:
        trial.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            trial.bind((host, port))
        except OSError:
            return False
    return True
