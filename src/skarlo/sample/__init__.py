"""The sample world: a city's parks department that looks after street trees. All of it is made up."""

from __future__ import annotations

from .limb_failure import write_limb_failure

__all__ = ["write_limb_failure"]
