"""A candidate taken along recalibrated: its answers are the map applied to the other's, which stands with how it was
made and leaves with the study."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest

from files import rows_of
from skarlo.core.metrics.logistic import expit, logit


def added(ana, study_id, method, position=1):
    return ana("POST", f"/studies/{study_id}/candidates/{position}/recalibrated", {"method": method})


@pytest.mark.parametrize("method", ["logistic", "temperature", "isotonic"])
def test_its_answers_are_the_map_applied_to_all_rows(signed_in, study_id, method):
    ana = signed_in("ana")
    told = added(ana, study_id, method)
    assert told.status_code == 201, told.json
    before, new = told.json["candidates"][0], told.json["candidates"][-1]
    assert new["name"].startswith(before["name"] + ", ")
    made = new["columns"]["made_with"]
    assert (made["recalibrated_from"], made["method"], made["learned_on"]) == (before["name"], method, "tuning")
    given = np.array([float(r["p"]) for r in rows_of()])
    if method == "logistic":
        wanted = expit(made["intercept"] + made["slope"] * logit(given))
    elif method == "temperature":
        wanted = expit(logit(given) / made["temperature"])
    else:
        at = np.clip(np.searchsorted(made["begins"], given, side="right") - 1, 0, None)
        wanted = np.array(made["shares"])[at]
    rows = ana("GET", f"/studies/{study_id}/rows?count=1000").json["rows"]
    found = [next(a["score"] for a in r["answers"] if a["position"] == new["position"]) for r in rows]
    assert found == pytest.approx(wanted.tolist())
    assert new["cutoff_chosen"] == "chosen by hand on the tuning rows"
    assert 0 < new["cutoff"] < 1
    parts = ana("GET", f"/studies/{study_id}/parts?kinds=lines&kinds=recalibration&split=test").json["candidates"]
    judged = parts[0]["recalibration"]["methods"][method]["metrics"]
    mine = next(c for c in parts if c["name"] == new["name"])["splits"]["test"]["metrics"]
    assert mine["brier"]["value"] == pytest.approx(judged["brier"]["value"])
    if method != "isotonic":  # the order of the rows is as it was, so the same rows are flagged
        theirs = parts[0]["splits"]["test"]["metrics"]
        assert mine["recall"]["value"] == theirs["recall"]["value"]


def test_it_leaves_with_the_study_and_its_name_is_taken(signed_in, study_id):
    ana = signed_in("ana")
    assert added(ana, study_id, "logistic").status_code == 201
    assert added(ana, study_id, "logistic").status_code in (400, 409, 422)
    packed = ana("GET", f"/studies/{study_id}/export.zip")
    with zipfile.ZipFile(io.BytesIO(packed.data)) as box:
        study = next(box.read(n).decode() for n in box.namelist() if n.endswith("study.toml"))
    assert "recalibrated_from" in study
    assert "1-logistic.csv" in study


def test_what_cannot_be_recalibrated_says_why_and_nothing_is_kept(signed_in, study_id):
    ana = signed_in("ana")
    many = len(ana("GET", f"/studies/{study_id}").json["candidates"])
    classes = added(ana, study_id, "logistic", 2)
    assert "answers classes only" in str(classes.json)
    assert added(ana, study_id, "luck").status_code in (400, 422)
    assert added(ana, study_id, "logistic", 9).status_code == 404
    assert added(signed_in("vic"), study_id, "logistic").status_code == 403
    assert len(ana("GET", f"/studies/{study_id}").json["candidates"]) == many
