"""Requests that several tests of the HTTP interface make."""

from __future__ import annotations

from skarlo.intake.guess import guess


def guessed(columns, rows):
    """The column guessed for each role, without the reasons."""
    return {role: found["column"] for role, found in guess(columns, rows).items()}


def upload(client, path):
    """Send a file as a person would."""
    return client.http.post(
        f"/api/v1/uploads?name={path.name}", data=path.read_bytes(), headers={"X-CSRFToken": client.token}
    )


def wanted(holdout, scores, **changes):
    """What makes a study of two uploads."""
    return {
        "title": "Mine",
        "holdout": {"upload": holdout, "id": "id", "truth": "actual", "positive": "yes", "split": "split",
                    "report_on": "test", "tune_on": "tuning"},
        "candidates": [{"upload": scores, "name": "S", "score": "p", "cutoff": 0.4}],
    } | changes  # fmt: skip
