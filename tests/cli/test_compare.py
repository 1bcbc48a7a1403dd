"""skarlo compare: the table, the JSON, the page, and what stops it."""

from __future__ import annotations

import json

import pytest

from command import skarlo
from files import STUDY, rows_of, write_study


@pytest.fixture(scope="module")
def two(tmp_path_factory):
    """A study evaluated at two cutoffs: (folder before, folder after)."""
    out = []
    for name, cutoff in (("old", 0.4), ("new", 0.7)):
        folder = tmp_path_factory.mktemp(name)
        study = write_study(folder, rows_of(), STUDY.replace("cutoff = 0.5", f"cutoff = {cutoff}"))
        assert skarlo("evaluate", study, "--out", folder / "r.json").returncode == 0
        out.append(folder)
    return out


def test_the_table_names_what_moved(two):
    old, new = two
    done = skarlo("compare", old / "r.json", new / "r.json")
    assert done.returncode == 0, done.stderr
    assert "cutoff.value" in done.stdout
    assert "recall" in done.stdout
    assert "roc_auc" not in done.stdout
    same = skarlo("compare", old / "r.json", old / "r.json")
    assert same.stdout == "Nothing changed: the two results are the same.\n"


def test_json_with_paired_intervals_from_the_rows(two):
    old, new = two
    done = skarlo("compare", old / "r.json", new / "r.json", "--json", "--before-study", old / "study.toml",
                  "--after-study", new / "study.toml")  # fmt: skip
    found = json.loads(done.stdout)
    assert found["format"] == "skarlo.changes/1"
    split = next(iter(found["candidates"][0]["splits"].values()))
    accuracy = next(m for m in split["metrics"] if m["metric"] == "accuracy")
    assert accuracy["paired"]["low"] <= accuracy["moved_by"] <= accuracy["paired"]["high"]


def test_the_page_stands_alone(two, tmp_path):
    old, new = two
    changed = json.loads((new / "r.json").read_text())
    changed["candidates"][0]["made_with"] = {"note": "<script>alert(1)</script>"}
    part = next(iter(changed["candidates"][0]["splits"].values()))
    part["roc"]["tpr"] = [x**0.5 for x in part["roc"]["tpr"]]
    (tmp_path / "r.json").write_text(json.dumps(changed))
    done = skarlo("compare", old / "r.json", tmp_path / "r.json", "--html", tmp_path / "page.html")
    assert (done.returncode, done.stdout) == (0, "")
    page = (tmp_path / "page.html").read_text()
    assert "&lt;script&gt;alert(1)" in page
    assert "<script" not in page
    assert "Curves of" in page
    assert "http://" not in page.replace("http://www.w3.org", "")


@pytest.mark.parametrize("wrong", ["missing", "not results", "one study"])
def test_what_stops_it(two, tmp_path, wrong):
    old, _ = two
    bad = tmp_path / "x.json"
    extra = []
    if wrong == "not results":
        bad.write_text("[1, 2]")
    if wrong == "one study":
        bad, extra = old / "r.json", ["--before-study", old / "study.toml"]
    done = skarlo("compare", old / "r.json", bad, *extra)
    assert done.returncode == 2
    assert done.stderr.strip()
    assert "Traceback" not in done.stderr
