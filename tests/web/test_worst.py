"""The worst slices of a study: the planted ward is found on tuning and confirmed on test."""

from __future__ import annotations

import pytest

import brute
from conftest import user_named
from files import STUDY, write_study
from skarlo.web.demo import bring_in
from web.test_casebook import ask
from web.test_slices import told_of


@pytest.fixture
def rows():
    return told_of()


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana"))


def test_the_badly_served_ward_is_found_and_confirmed(signed_in, number, rows):
    ana = signed_in("ana")
    told = ask(ana, f"/studies/{number}/worst", candidate=1, metric="recall", cutoffs="1:0.5").json
    assert (told["searched_on"], told["read_on"], told["halved"]) == ("tuning", "test", False)
    first = told["found"][0]
    assert first["by"]["ward"] == "Harbour"
    ward = next(f for f in told["found"] + [] if f["condition"] == 'ward = "Harbour"')
    for split, of in (("tuning", ward["effect"]), ("test", ward["confirmed"])):
        recall = [
            brute.rates(*zip(*[(r["actual"] == "yes", float(r["p"]) >= 0.5) for r in rows
                               if r["split"] == split and (r["ward"] == "Harbour") is inside], strict=True))["recall"]
            for inside in (True, False)
        ]  # fmt: skip
        assert of["difference"] == pytest.approx(recall[0] - recall[1])
    assert ward["confirmed"]["status"] == "confirmed"
    page = ask(ana, f"/studies/{number}/rows", split="test", condition=ward["condition"]).json
    assert page["total"] == ward["confirmed"]["rows"]
    again = ask(ana, f"/studies/{number}/worst", candidate=1, metric="recall", cutoffs="1:0.5").json
    assert again == told


def test_losses_fields_and_one_field_at_a_time(signed_in, number):
    ana = signed_in("ana")
    told = ask(ana, f"/studies/{number}/worst", candidate=1, loss="log_loss", fields="ward,seen", depth=1).json
    assert told["measure"] == "log_loss"
    assert all(f["condition"].startswith(("ward", "seen")) for f in told["found"] + told["below"])
    classes = ask(ana, f"/studies/{number}/worst", candidate=2, loss="error").json
    assert classes["looked_at"] > 0


def test_without_a_tuning_split_one_half_is_searched_and_the_other_read(signed_in, workspace, tmp_path):
    rows = [{k: v for k, v in r.items() if k != "split"} for r in told_of()]
    toml = "\n".join(x for x in STUDY.splitlines() if not x.startswith(("split", "report_on", "tune_on")))
    number = bring_in(workspace, write_study(tmp_path / "whole", rows, toml), user_named(workspace, "ana"))
    told = ask(signed_in("ana"), f"/studies/{number}/worst", candidate=1, metric="recall", cutoffs="1:0.5").json
    assert told["halved"]
    assert told["searched_on"] == "half of all"
    ward = next(f for f in told["found"] if f["condition"] == 'ward = "Harbour"')
    assert ward["rows"] + ward["confirmed"]["rows"] == sum(r["ward"] == "Harbour" for r in rows)


@pytest.mark.parametrize(
    ("asked", "status"),
    [
        ({"candidate": 9, "metric": "recall"}, 404), ({"candidate": 1, "metric": "luck"}, 404),
        ({"candidate": 1}, 422), ({"candidate": 1, "metric": "recall", "loss": "error"}, 422),
        ({"candidate": 2, "loss": "log_loss"}, 404), ({"candidate": 1, "metric": "recall", "depth": 4}, 422),
        ({"candidate": 1, "metric": "recall", "fields": "colour"}, 404),
    ],
)  # fmt: skip
def test_what_cannot_be_searched_is_told(signed_in, number, asked, status):
    assert ask(signed_in("ana"), f"/studies/{number}/worst", **asked).status_code == status


def test_too_many_sets_of_fields_are_refused(signed_in, workspace, tmp_path):
    rows = [{**r, **{f"f{k}": str((i * (k + 3)) % 5) for k in range(70)}} for i, r in enumerate(told_of(120))]
    number = bring_in(workspace, write_study(tmp_path / "wide", rows), user_named(workspace, "ana"))
    ana = signed_in("ana")
    told = ask(ana, f"/studies/{number}/worst", candidate=1, metric="recall", depth=3)
    assert told.status_code == 422
    assert "sets of fields are too many" in told.json["detail"]
    assert ask(ana, f"/studies/{number}/worst", candidate=1, metric="recall", depth=1).status_code == 200
