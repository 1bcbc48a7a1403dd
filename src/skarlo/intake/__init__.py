"""Open formats in, joined on id, with every fault named."""

from __future__ import annotations

from .account import Account, Read
from .load import Files, load, read_study
from .problems import InputError, Problem
from .read import Source, read_table
from .spec import StudySpec, parse_spec, read_spec

__all__ = [
    "Account",
    "Files",
    "InputError",
    "Problem",
    "Read",
    "Source",
    "StudySpec",
    "load",
    "parse_spec",
    "read_spec",
    "read_study",
    "read_table",
]  # fmt: skip
