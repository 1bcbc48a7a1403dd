"""Skarlo: evaluate candidate classifiers on held-out data and publish the comparison for sign-off."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ._version import __version__

if TYPE_CHECKING:
    from .intake.library import Evaluation, evaluate

__all__ = ["Evaluation", "__version__", "evaluate"]


def __getattr__(name: str) -> Any:
    """`skarlo.evaluate` and `skarlo.Evaluation`, loaded when first asked for."""
    if name in ("Evaluation", "evaluate"):
        from .intake import library

        return getattr(library, name)
    raise AttributeError(f"module 'skarlo' has no attribute {name!r}")
