"""Drafting sentences, drawing figures, rendering, freezing and signing the report."""
