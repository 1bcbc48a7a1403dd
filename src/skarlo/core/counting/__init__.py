"""Rows become counts, once."""
