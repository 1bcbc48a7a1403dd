"""The command line, run within the process of a test: a start of its own takes longer than most commands."""

from __future__ import annotations

import contextlib
import io
import signal
import subprocess
import sys
from unittest import mock

from skarlo.cli.main import run


def skarlo(*args, cwd=None):
    """What a command prints and its exit status, as of a process of its own."""
    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
    command, code = ["skarlo", *map(str, args)], 0
    usual = signal.getsignal(signal.SIGINT)
    here = contextlib.chdir(cwd) if cwd else contextlib.nullcontext()
    try:
        with (
            mock.patch.object(sys, "argv", command),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
            here,
        ):
            run()
    except SystemExit as e:
        code = e.code or 0
    finally:
        signal.signal(signal.SIGINT, usual)
    return subprocess.CompletedProcess(command, code, *(x.buffer.getvalue().decode() for x in (out, err)))
