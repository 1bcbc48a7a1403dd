"""The sample world: a city's parks department, made up by seeded generators."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from .citizen_reports import write_citizen_reports
from .leaf_condition import write_leaf_condition
from .limb_failure import write_limb_failure

STUDIES: dict[str, Callable[[Path], Path]] = {
    "limb-failure": write_limb_failure,
    "leaf-condition": write_leaf_condition,
    "citizen-reports": write_citizen_reports,
}

__all__ = ["STUDIES", "write_citizen_reports", "write_leaf_condition", "write_limb_failure"]
