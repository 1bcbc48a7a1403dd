"""`python -m skarlo.cli`."""

from __future__ import annotations

from .main import run

run()
