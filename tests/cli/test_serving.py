"""A port that is taken is told in a line, before anything else is done."""

from __future__ import annotations

import socket

import pytest
from typer.testing import CliRunner

from skarlo.cli.main import app
from skarlo.web.serving import is_free


@pytest.mark.parametrize("command", ["serve", "demo"])
def test_a_port_that_is_taken_is_named(tmp_path, command):
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        assert not is_free("127.0.0.1", port)
        told = CliRunner().invoke(app, [command, "--workspace", str(tmp_path / "w"), "--port", str(port)])
    assert told.exit_code == 2
    assert f"port {port} is taken by another program" in told.output
    assert "Skarlo is at" not in told.output
    assert is_free("127.0.0.1", port)
