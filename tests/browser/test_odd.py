"""Odd studies on screen: hostile and endless names, a handful of rows, a class nobody finds, nothing at all."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import expect

from browser.conftest import api, brought
from files import STUDY, rows_of, write_csv, write_study

pytestmark = pytest.mark.browser
HOSTILE = '<img src=x onerror="document.title=`owned`">'
LONG = "A model whose name its makers never learned to shorten, trained on " + "very " * 8 + "many rows"
VIEWS = ("intake", "roster", "matrix", "curves", "cutoff", "dossier")


def overflow(page):
    """How many pixels the page is wider than its window."""
    return page.evaluate("document.documentElement.scrollWidth - window.innerWidth")


@pytest.fixture
def strange(server, tmp_path):
    """Names of a candidate, a class, a field, a value and the study that are HTML, or long, or both."""
    rows = rows_of()
    for i, r in enumerate(rows):
        r["actual"] = HOSTILE if r["actual"] == "yes" else "no"
        r["said"] = HOSTILE if r["said"] == "yes" else "no"
        r[HOSTILE] = ["\u202eright to left", "=1+1", "‘quoted’", LONG][i % 4]
    named = {"name = \"Scores\"": f"name = {json.dumps(HOSTILE)}", "name = \"Labels\"": f"name = {json.dumps(LONG)}",
             'positive = "yes"': f"positive = {json.dumps(HOSTILE)}", 'title = "Small"': f"title = {json.dumps(LONG)}",
             'split = "split"': f"split = \"split\"\nslices = [[{json.dumps(HOSTILE)}]]"}  # fmt: skip
    toml = STUDY
    for old, new in named.items():
        toml = toml.replace(old, new)
    study = write_study(tmp_path / "strange", rows, toml)
    write_csv(study.parent / "holdout.csv", rows, ["id", "actual", "split", HOSTILE])
    return brought(server, study)


def test_hostile_and_endless_names_are_text_and_stay_inside(person, strange):
    ana = person("ana", reduced_motion="reduce")
    for view in VIEWS:
        ana.goto(f"{strange}/{view}")
        expect(ana.locator(f"main[data-view='{view}']")).to_be_visible()
        expect(ana.locator("main")).to_contain_text("img src=x")
        expect(ana.locator("main img")).to_have_count(0)
        expect(ana).not_to_have_title("owned")
        assert overflow(ana) <= 0, view
    ana.goto(f"{strange}/matrix")
    expect(ana.locator("[data-part='rungs']").first).to_contain_text(HOSTILE)
    ana.keyboard.press("p")
    ana.get_by_label("Caption").fill(HOSTILE)
    ana.keyboard.press("Enter")
    ana.goto(f"{strange}/dossier")
    expect(ana.get_by_role("textbox", name="Caption").first).to_have_value(HOSTILE)
    preview = ana.frame_locator("iframe").first
    expect(preview.locator("body")).to_contain_text("img src=x onerror")
    expect(preview.locator("img[src='x']")).to_have_count(0)


def test_a_handful_of_rows_says_what_cannot_be_said(person, server, tmp_path):
    """Twelve rows, one of them positive on test: numbers that do not exist are dashes with the reason."""
    rows = rows_of(12)
    for i, r in enumerate(rows):
        r |= {"actual": "yes" if i in (1, 3) else "no", "split": "tuning" if i % 3 == 0 else "test", "p": "0.2",
              "said": "no"}  # fmt: skip
    url = brought(server, write_study(tmp_path / "tiny", rows))
    ana = person("ana")
    ana.goto(f"{url}/roster")
    row = ana.locator("[data-row='Scores']")
    dash = row.locator("[data-metric='precision']")
    expect(dash).to_contain_text("—")
    expect(dash.locator("[title]").first.or_(dash.and_(ana.locator("[title]")))).to_have_attribute(
        "title", "no row is predicted “yes”"
    )
    results = ana.request.get(f"{api(url)}/results", headers={"Prefer": "wait=60"}).json()
    assert results["candidates"][0]["splits"]["test"]["metrics"]["precision"]["value"] is None
    findings = ana.get_by_role("region", name="Findings")
    expect(findings).to_contain_text("Scores predicts “no” for all test rows")
    expect(findings).to_contain_text("only 1 test row of “yes”")
    for view in ("matrix", "curves", "cutoff"):
        ana.goto(f"{url}/{view}")
        expect(ana.locator(f"main[data-view='{view}']")).to_be_visible()
        expect(ana.locator("main")).not_to_contain_text("NaN")
        expect(ana.locator("main")).not_to_contain_text("Infinity")


@pytest.mark.own_server
def test_before_there_is_any_study(person, server):
    ana, vic = person("ana"), person("vic")
    for page in (ana, vic):
        page.goto(server.address)
    expect(ana.get_by_role("link", name="New study from files")).to_be_visible()
    expect(vic.get_by_role("link", name="New study from files")).to_have_count(0)
    for page in (ana, vic):
        expect(page.locator("main")).to_contain_text("no study")
    ana.goto(f"{ana.url}studies/99/roster")
    expect(ana.get_by_role("alert")).to_contain_text("Study 99 does not exist or was deleted.")
    ana.get_by_role("link", name="All studies", exact=True).click()
    expect(ana.get_by_role("heading", name="Studies")).to_be_visible()
