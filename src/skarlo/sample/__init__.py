"""The sample world: a city's parks department, made up by seeded generators."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from .leaf_condition import write_leaf_condition
from .limb_failure import write_limb_failure
from .residents_messages import write_residents_messages

STUDIES: dict[str, Callable[[Path], Path]] = {
    "limb-failure": write_limb_failure,
    "leaf-condition": write_leaf_condition,
    "residents-messages": write_residents_messages,
}

__all__ = ["STUDIES", "write_leaf_condition", "write_limb_failure", "write_residents_messages"]
