"""Rows by a condition, over HTTP: held to the rows of the file, one by one."""

from __future__ import annotations

import urllib.parse

import pytest

from conftest import user_named
from files import STUDY, rows_of, write_study
from skarlo.web.demo import bring_in


@pytest.fixture
def study(workspace, tmp_path):
    """Rows with a text, a number and a date, each absent here and there, and a field of an awkward name."""
    rows = [
        {**r, "ward": ("North", "South", "", "East")[i % 4], "age": "" if i % 7 == 0 else i / 4,
         "seen": f"2026-{1 + i % 12:02d}-03", "soil type": ("clay", "loam")[i % 2]}
        for i, r in enumerate(rows_of(200))
    ]  # fmt: skip
    path = write_study(tmp_path / "own", rows, toml=STUDY)
    return bring_in(workspace, path, user_named(workspace, "ana")), rows


def ask(client, number, text, **query):
    return client("GET", f"/studies/{number}/rows?{urllib.parse.urlencode({'condition': text, **query})}")


def flagged(r, cutoff=0.5):
    return "yes" if float(r["p"]) >= cutoff else "no"


@pytest.mark.parametrize(("text", "meant"), [
    ('ward = "North" and age > 10', lambda r: r["ward"] == "North" and r["age"] != "" and r["age"] > 10),
    ("ward is absent", lambda r: r["ward"] == ""),
    ('not ward in ("North", "East")', lambda r: r["ward"] == "South"),
    ('seen between "2026-03-01" and "2026-05-31"', lambda r: r["seen"][5:7] in ("03", "04", "05")),
    ('`soil type` = "loam" and actual = "yes"', lambda r: r["soil type"] == "loam" and r["actual"] == "yes"),
    ("predicted(A) != predicted(B)", lambda r: flagged(r) != r["said"]),
    ("not right(Labels)".replace("Labels", '"Labels"'), lambda r: r["said"] != r["actual"]),
    ("score(A) between 0.4 and 0.6", lambda r: 0.4 <= float(r["p"]) <= 0.6),
])  # fmt: skip
def test_the_rows_are_those_of_the_file(signed_in, study, text, meant):
    number, rows = study
    found = ask(signed_in("vic"), number, text, count=1000)
    assert found.status_code == 200, found.json
    assert {r["fields"]["id"] for r in found.json["rows"]} == {r["id"] for r in rows if meant(r)}
    assert found.json["total"] == sum(map(meant, rows)) > 0


def test_what_cannot_be_told_is_counted(signed_in, study):
    number, rows = study
    found = ask(signed_in("vic"), number, "age > 10", split="test").json
    test = [r for r in rows if r["split"] == "test"]
    assert found["unknown"] == sum(r["age"] == "" for r in test)
    assert found["total"] == sum(r["age"] != "" and r["age"] > 10 for r in test)
    assert ask(signed_in("vic"), number, "").json["unknown"] == 0


def test_of_the_candidate_in_scope_at_the_cutoff_that_is_asked_for(signed_in, study):
    number, rows = study
    vic = signed_in("vic")
    wrong = sum(flagged(r, 0.3) != r["actual"] for r in rows)
    assert ask(vic, number, "not right", candidate=1, cutoffs="1:0.3").json["total"] == wrong
    assert ask(vic, number, "not right", candidate=2).json["total"] == sum(r["said"] != r["actual"] for r in rows)
    lost = ask(vic, number, "not right")
    assert lost.status_code == 422
    assert "whose answer" in lost.json["detail"]


@pytest.mark.parametrize(("text", "said"), [
    ("age >> 3", "⟨here⟩"), ("height = 3", "there is no field height"), ("score(B) > 0.5", "B gives no score"),
    ('mark "odd"', "no rows are marked"), ('age = "x"', "age is a number"), ("score > 1 and", "a field"),
])  # fmt: skip
def test_a_fault_is_told_at_its_place(signed_in, study, text, said):
    number, _ = study
    refused = ask(signed_in("vic"), number, text, candidate=1)
    assert refused.status_code == 422
    assert said in refused.json["detail"]
