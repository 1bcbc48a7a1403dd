"""The fields of a hold-out, where a test needs one of them."""

from __future__ import annotations

from skarlo import core


def of_fields(field):
    """One field along a study's rows, to be cut and nothing else."""
    return core.FieldsOf(None, lambda name: field, None, list)
