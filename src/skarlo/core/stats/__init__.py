"""Textbook statistics over plain numbers; it knows no classifier."""
