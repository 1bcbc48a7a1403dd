"""Two candidates are held against each other, and the rows that one alone is right about are opened."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from playwright.sync_api import expect

from browser.conftest import api, brought
from files import rows_of, write_study
from skarlo.core import count, shown
from web.test_slices import told_of

pytestmark = pytest.mark.browser


def test_who_is_right_where_two_differ(person, server, tmp_path):
    rows = rows_of(900)
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "two", rows))
    ana.goto(f"{study}/head-to-head?split=test&cut=A:0.5")
    test = [r for r in rows if r["split"] == "test"]
    right = [(r["actual"], (float(r["p"]) >= 0.5) == (r["actual"] == "yes"), r["said"] == r["actual"]) for r in test]
    for label in ("yes", "no"):
        mine = [(a, b) for y, a, b in right if y == label]
        box = ana.locator(f"[data-balance='{label}']")
        expect(box.locator("[data-only='A']")).to_have_text(count(sum(a and not b for a, b in mine)))
        expect(box.locator("[data-only='B']")).to_have_text(count(sum(b and not a for a, b in mine)))
        expect(box).to_contain_text(f"both right {count(sum(a and b for a, b in mine))}")
    sentence = ana.locator("[data-part='sentence']")
    only = sum(a and not b for _, a, b in right)
    expect(sentence).to_contain_text(f"alone is right about {count(only)}")
    pairs = ana.request.get(f"{api(study)}/parts?kinds=pairs&cutoffs=1:0.5", headers={"Prefer": "wait=60"}).json()[
        "pairs"
    ]
    d = pairs[0]["metrics"]["recall"]
    sign = 1 if pairs[0]["a"] == "Scores" else -1
    line = ana.locator("[data-difference-of='recall']")
    expect(line).to_contain_text(shown(sign * d["difference"]))
    expect(line).to_have_attribute("data-apart", str(d["p_adjusted"] <= 0.05).lower())
    with ana.expect_download() as saved:
        ana.get_by_role("region", name="Differences").get_by_role("button", name="save CSV").click()
    table = {r["metric"]: r for r in csv.DictReader(io.StringIO(Path(saved.value.path()).read_text()))}
    assert float(table["recall"]["difference"]) == pytest.approx(sign * d["difference"])
    # swapped by key, everything is turned round
    ana.keyboard.press("x")
    ana.wait_for_url("**pair=B-A**")
    expect(line).to_contain_text(shown(-sign * d["difference"]))
    ana.locator("[data-balance='yes'] [data-only='A']").click()
    expect(ana.locator("h1")).to_have_text("Casebook")
    mine = [(a, b) for y, a, b in right if y == "yes"]
    expect(ana.locator("[data-part='total']")).to_contain_text(f"{count(sum(a and not b for a, b in mine))} row")
    ana.go_back()
    ana.get_by_role("button", name="Pin this view").click()
    ana.get_by_role("button", name="Pin it").click()
    ana.get_by_role("link", name="Open the dossier").click()
    expect(ana.frame_locator("iframe").locator("body")).to_contain_text("both right")


def test_where_in_a_field_the_difference_lies(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "wards", told_of()))
    ana.goto(f"{study}/head-to-head?split=test&cut=A:0.5")
    ana.get_by_label("Across which field").select_option("ward")
    ana.get_by_label("The difference of which metric").select_option(label="Recall")
    parts = "kinds=across&split=test&fields=ward&pair=1,2&cutoffs=1:0.5"
    told = ana.request.get(f"{api(study)}/parts?{parts}", headers={"Prefer": "wait=60"}).json()
    found = told["candidates"][0]["splits"]["test"]["across"]["metrics"]["recall"]["slices"]
    for one in found:
        line = ana.locator(f"[data-across='{one['group']}']")
        expect(line).to_contain_text(shown(one["difference"]["difference"]))
        expect(line).to_contain_text(shown(one["part"]))
    ana.keyboard.press("x")
    harbour = next(one for one in found if one["group"] == "Harbour")
    turned = ana.locator("[data-across='Harbour']")
    expect(turned).to_contain_text(shown(-harbour["difference"]["difference"]))
