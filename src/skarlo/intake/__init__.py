"""Open formats in, joined on id, with every fault named."""

from __future__ import annotations

from .load import Files, load
from .problems import InputError, Problem
from .read import Source, read_table
from .spec import StudySpec, parse_spec, read_spec

__all__ = ["Files", "InputError", "Problem", "Source", "StudySpec", "load", "parse_spec", "read_spec", "read_table"]
