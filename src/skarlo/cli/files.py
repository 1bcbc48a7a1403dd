"""What commands share: reading a results file, and stopping with what is wrong."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any, NoReturn

import typer


def stop(lines: list[str]) -> NoReturn:
    """End with status 2, each line on stderr."""
    for line in lines:
        print(line, file=sys.stderr)  # noqa: T201
    raise typer.Exit(2)


def read_results(path: Path) -> Any:
    """A results file, or the end with what is wrong with it."""
    from skarlo import core

    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as e:
        stop([f"{path} cannot be read: {e}"])
    if not isinstance(data, dict) or data.get("format") != core.results.FORMAT:
        stop([f"{path} is not a results file of this version; expected format {core.results.FORMAT}"])
    return data
