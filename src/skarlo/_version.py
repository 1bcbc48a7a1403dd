"""The version, alone, so that anything may read it."""

__version__ = "0.1.0"
