"""A view more is one entry: its sentence, its exhibit, what is frozen and the signed page follow from it."""

from __future__ import annotations

import pytest

from conftest import PASSWORD
from skarlo.report.blocks import drawing, note
from skarlo.report.exhibits import EXHIBITS, Exhibit
from skarlo.web.routes.dossier import ExhibitIn

THRESHOLDS = Exhibit(
    view="thresholds",
    reads=("lines",),
    two=lambda results, scope, chosen: f"{len(chosen)} stand here, read on {scope.split} rows.",
    many=lambda results, scope, chosen: "",
    blocks=lambda reading: [
        drawing("heights", f'<svg aria-label="{sum(t.rows for t in reading.tallies().values() if t)} scores"/>'),
        note("what stands here is counted"),
    ],
    refused="only of two classes",
)


@pytest.fixture
def one_more(monkeypatch):
    monkeypatch.setitem(EXHIBITS, THRESHOLDS.view, THRESHOLDS)


SCOPE = {"split": "test", "show": [1, 2]}
SAID = "2 stand here, read on test rows."


def test_a_new_view_goes_from_its_entry_to_the_signed_page(one_more, signed_in, study_id):
    ana = signed_in("ana")
    assert "thresholds" in ExhibitIn.model_json_schema()["properties"]["view"]["enum"]
    asked = f"/studies/{study_id}/sentence?view=thresholds&split=test&show=1,2"
    assert ana("GET", asked).json["sentence"] == SAID
    assert ana("PUT", f"/studies/{study_id}/steps/thresholds").status_code == 200
    pinned = ana("POST", f"/studies/{study_id}/exhibits", {"view": "thresholds", "scope": SCOPE})
    assert [e["view"] for e in pinned.json["exhibits"]] == ["thresholds"]
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    revision = ana("POST", f"/studies/{study_id}/revisions").json["id"]
    assert signed_in("ava")("POST", f"/revisions/{revision}/signature", {"password": PASSWORD}).status_code == 201
    page = ana("GET", f"/reports/{revision}").text
    rows = ana("GET", f"/studies/{study_id}/results").json["candidates"][0]["splits"]["test"]["rows"]
    assert f"<figcaption>{SAID}</figcaption>" in page
    assert f'aria-label="{rows} scores"' in page, "only one of the two gives scores"


def test_what_is_not_a_view_is_refused(signed_in, study_id):
    answer = signed_in("ana")("POST", f"/studies/{study_id}/exhibits", {"view": "thresholds", "scope": SCOPE})
    assert answer.status_code == 422
    assert "has to be one of roster, matrix, curves, cutoff" in answer.text
