"""Two candidates are held against each other, and the rows that one alone is right about are opened."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from urllib.parse import quote

import pytest
from playwright.sync_api import expect

from browser.conftest import api, brought
from files import rows_of, write_csv, write_study
from skarlo.core import as_set, count, shown
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
        ana.get_by_role("region", name="Differences").get_by_role("button", name="CSV").click()
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


def test_an_earlier_version_is_taken_along_and_compared_at_as_many_flags(person, server, tmp_path):
    rows = rows_of(400)
    study = brought(server, write_study(tmp_path / "two", rows))
    better = [{**r, "p": round(0.4 * float(r["p"]) + 0.6 * (0.8 if r["actual"] == "yes" else 0.1), 3)} for r in rows]
    new = write_csv(tmp_path / "better.csv", better, ["id", "p"])
    ana = person("ana")
    ana.goto(f"{study}/intake")
    ana.locator("[data-candidate='Scores']").get_by_role("button", name="New version").click()
    ana.get_by_label("File").set_input_files(new)
    ana.get_by_role("button", name="Evaluate this version").click()
    expect(ana.locator("[data-version='2']")).to_contain_text("evaluated here")
    ana.goto(f"{study}/head-to-head?split=test")
    ana.get_by_role("button", name="Take version 1 of A along").click()
    expect(ana.get_by_label("The other")).to_have_value("C")
    test = [(float(a["p"]), float(b["p"]), a["actual"] == "yes")
            for a, b in zip(better, rows, strict=True) if a["split"] == "test"]  # fmt: skip

    def told(cutoff):
        right = [((p >= 0.5) == y, (q >= cutoff) == y) for p, q, y in test]
        mended, broken = sum(a and not b for a, b in right), sum(b and not a for a, b in right)
        return f"A is the newer version: {mended} row{'' if mended == 1 else 's'} mended, {broken} broken"

    expect(ana.locator("[data-part='mended']")).to_contain_text(told(0.5))
    flags = sum(p >= 0.5 for p, *_ in test)
    lowest = min(q for _, q, _ in test if sum(x >= q for _, x, _ in test) <= flags)
    ana.get_by_role("button", name="compare at as many flags").click()
    expect(ana.locator("[data-part='level']")).to_contain_text("moved on the rows that are read")
    expect(ana.locator("[data-chip='C']")).to_contain_text(as_set(lowest))
    expect(ana.locator("[data-part='mended']")).to_contain_text(told(lowest))
    ana.get_by_role("button", name="back to").click()
    expect(ana.locator("[data-part='mended']")).to_contain_text(told(0.5))


def test_on_rows_that_one_of_them_picked_nothing_of_it_is_tested(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "picked", told_of(900)))
    ana.goto(f"{study}/head-to-head?split=test&cut=A:0.5&in={quote('=score(A) between 0.2 and 0.7')}")
    differences = ana.get_by_role("region", name="Differences")
    line = ana.locator("[data-difference-of='accuracy']")
    expect(line).to_contain_text("not tested")
    expect(line).to_have_attribute("data-apart", "false")
    expect(differences).to_contain_text("None is tested: these rows were picked by answers of Scores")
    expect(ana.locator("[data-part='sentence']")).to_contain_text("Scores is not tested on rows that its own answers")
    ana.goto(ana.url.replace("head-to-head", "slices"))
    search = ana.get_by_role("region", name="Worst slices found")
    expect(search).to_contain_text("none of its slices can be told as worse")
    expect(search.get_by_role("button", name="search")).to_have_count(0)
    search.get_by_role("button", name="Labels in front").click()  # the other is searched as ever
    expect(search.get_by_role("button", name="search")).to_be_visible()
