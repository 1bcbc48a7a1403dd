"""The sentences."""
