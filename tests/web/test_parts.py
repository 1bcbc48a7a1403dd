"""Parts of the results over HTTP: only what is asked for is computed and sent, and it is what the whole says."""

from __future__ import annotations

import pytest

from skarlo.core import PART_KINDS, Evaluation


def parts(client, study, kinds, split="test", **more):
    query = "&".join(f"{k}={v}" for k, v in {"kinds": kinds, "split": split, **more}.items() if v)
    return client("GET", f"/studies/{study}/parts?{query}")


@pytest.fixture
def made(monkeypatch):
    """Which parts are computed, not read back."""
    seen = []
    part = Evaluation.part
    monkeypatch.setattr(Evaluation, "part", lambda self, p: seen.append(p.kind) or part(self, p))
    return seen


def test_a_part_is_what_the_whole_says(signed_in, study_id):
    ana = signed_in("ana")
    whole = ana("GET", f"/studies/{study_id}/results").json
    found = parts(ana, study_id, "lines,best").json
    assert found["best"] == whole["best"]
    assert set(found["candidates"][0]["splits"]) == {"test"}
    for one, all_of_it in zip(found["candidates"], whole["candidates"], strict=True):
        told = one["splits"]["test"]
        assert told == {key: all_of_it["splits"]["test"][key] for key in told}
        assert not {"roc", "per_class", "calibration"} & set(told)
    assert "gates" not in found
    assert "pairs" not in found


def test_a_cutoff_leaves_what_no_cutoff_changes(signed_in, study_id, made):
    ana = signed_in("ana")
    first = parts(ana, study_id, "curves,lines").json
    made.clear()
    moved = parts(ana, study_id, "curves,lines", cutoffs="1:0.3").json
    assert "curves" not in made
    assert "lines" in made
    a, b = (x["candidates"][0]["splits"]["test"] for x in (first, moved))
    assert a["roc"] == b["roc"]
    assert a["matrix"] != b["matrix"]


def test_parts_survive_a_restart(workspace, signed_in, study_id, made, app):
    before = parts(signed_in("ana"), study_id, "lines,gates").json
    made.clear()
    app.extensions["skarlo-evaluator"].__init__(workspace)
    assert parts(signed_in("ana"), study_id, "lines,gates").json == before
    assert made == []


@pytest.mark.parametrize(
    ("query", "status", "said"),
    [
        ("kinds=lines", 422, "say which split"),
        ("kinds=lines&split=night", 404, "there is no split night"),
        ("kinds=drawings&split=test", 422, f"has to be one of {', '.join(PART_KINDS)}"),
        ("kinds=", 422, ""),
        ("kinds=lines&split=test&cutoffs=A", 422, "cutoffs"),
    ],
)
def test_what_is_no_part_is_refused(signed_in, study_id, query, status, said):
    answer = signed_in("ana")("GET", f"/studies/{study_id}/parts?{query}")
    assert answer.status_code == status
    assert said in answer.text
