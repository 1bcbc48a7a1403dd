"""The badly served ward is found, read alone, and pinned, as people do it."""

from __future__ import annotations

import csv
import io
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import expect

import brute
from browser.conftest import brought
from files import STUDY, write_study
from skarlo.core import count, shown
from web.test_slices import told_of

SVG = "{http://www.w3.org/2000/svg}"
pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    return told_of()


def test_the_badly_served_ward_is_found_read_alone_and_pinned(person, server, tmp_path, rows):
    ana = person("ana")
    ana.goto(f"{brought(server, write_study(tmp_path / 'wards', rows))}/slices?split=test&cut=A:0.5")
    expect(ana.get_by_label("Sliced by")).to_have_value("ward")
    harbour = ana.locator("[data-group='Harbour']")
    expect(ana.locator("[data-group]").first).to_have_attribute("data-group", "Harbour")
    of = [r for r in rows if r["split"] == "test" and r["ward"] == "Harbour"]
    recall = brute.rates([r["actual"] == "yes" for r in of], [float(r["p"]) >= 0.5 for r in of])["recall"]
    cell = harbour.locator("[data-slice-of='A']")
    expect(cell).to_have_attribute("data-apart", "true")
    expect(cell).to_contain_text(shown(recall))
    expect(ana.locator("[data-part='sentence']")).to_contain_text("ward is Harbour")
    with ana.expect_download() as saved:
        ana.get_by_role("button", name="CSV").click()
    table = list(csv.DictReader(io.StringIO(Path(saved.value.path()).read_text())))
    mine = next(r for r in table if r["candidate"] == "Scores" and r["ward"] == "Harbour")
    assert float(mine["recall"]) == pytest.approx(recall)
    assert mine["separated"] == "yes"
    # a number is cut at edges, two fields stand across each other
    ana.get_by_label("Sliced and").select_option("girth")
    ana.get_by_label("Cut, and").select_option("edges")
    ana.get_by_label("Edges, and").fill("60, 100")
    ana.get_by_label("Edges, and").press("Enter")
    expect(ana.locator("[data-part='slice-grid']")).to_contain_text("[60, 100)")
    inside = [r for r in of if r["girth"] and 60 <= float(r["girth"]) < 100]
    expect(ana.locator("[data-group='Harbour · [60, 100)']")).to_contain_text(count(len(inside)))
    ana.get_by_label("Sliced and").select_option("")
    # every view then reads these rows alone, in another sign-in too
    ana.get_by_role("button", name="read alone: the rows of Harbour").click()
    expect(ana.locator("[data-part='slice-rows']")).to_have_text(f"{len(of)} rows")
    ana.get_by_role("link", name="Roster").first.click()
    expect(ana.locator("[data-row='Scores'] [data-metric='recall']")).to_have_text(shown(recall))
    address = ana.url
    vic = person("vic")
    vic.goto(address)
    expect(vic.locator("[data-row='Scores'] [data-metric='recall']")).to_have_text(shown(recall))
    ana.get_by_role("button", name="All rows, not only where").click()
    ana.get_by_role("link", name="Slices").first.click()
    ana.get_by_role("button", name="Pin this view").click()
    ana.get_by_role("button", name="Pin it").click()
    ana.get_by_role("link", name="Open the dossier").click()
    expect(ana.frame_locator("iframe").locator("body")).to_contain_text("ward is Harbour")


def test_the_worst_slices_are_searched_for_and_their_rows_opened(person, server, tmp_path, rows):
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "wards", rows))
    ana.goto(f"{study}/slices?split=test&cut=A:0.5")
    region = ana.get_by_role("region", name="Worst slices found")
    region.get_by_role("button", name="search").click()
    ward = region.locator("[data-find='ward = \"Harbour\"']")
    expect(ward).to_have_attribute("data-status", "confirmed")
    expect(region.locator("[data-part='waterline']")).to_contain_text("looked at")
    of = [r for r in rows if r["split"] == "test" and r["ward"] == "Harbour"]
    expect(ward).to_contain_text(count(len(of)))
    with ana.expect_download() as saved:
        region.get_by_role("button", name="CSV").click()
    table = list(csv.DictReader(io.StringIO(Path(saved.value.path()).read_text())))
    assert [r["status"] for r in table if r["slice"] == 'ward = "Harbour"'] == ["confirmed"]
    ana.reload()  # the search stands in the address
    ward.get_by_role("link", name="rows").click()
    expect(ana.locator("[data-part='total']")).to_have_text(f"{len(of)} rows")


def test_groups_are_read_by_each_criterion_and_pinned(person, server, tmp_path, rows):
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "wards", rows))
    ana.goto(f"{study}/slices?split=test&cut=A:0.5&by=ward")
    ana.get_by_role("radio", name="treated alike").click()
    recalls = {}
    for ward in ("North", "South", "Harbour"):
        of = [r for r in rows if r["split"] == "test" and r["ward"] == ward]
        recalls[ward] = brute.rates([r["actual"] == "yes" for r in of], [float(r["p"]) >= 0.5 for r in of])["recall"]
        line = ana.locator(f"[data-criterion='recall'] [data-group-value='{ward}']")
        expect(line).to_contain_text(shown(recalls[ward]))
    gap = ana.locator("[data-gap='recall']")
    expect(gap).to_have_text(shown(max(recalls.values()) - min(recalls.values())))
    expect(ana.locator("[data-part='not-all']")).to_contain_text("Not all of these can hold at once")
    expect(ana.locator("[data-part='sentence']")).to_contain_text("found alike")
    ana.get_by_role("button", name="Pin this view").click()
    ana.get_by_role("button", name="Pin it").click()
    ana.get_by_role("link", name="Open the dossier").click()
    report = ana.frame_locator("iframe").locator("body")
    expect(report).to_contain_text("found alike")
    expect(report).to_contain_text("Not all of these can hold at once")


def test_a_named_condition_and_a_mark_are_chosen_by_name(person, server, tmp_path):
    ana = person("ana")
    asks = "\n[conditions]\nwide = 'girth >= 80'\ncaught = 'right and actual = \"yes\"'\n"
    study = brought(server, write_study(tmp_path / "wards", told_of(), STUDY + asks))
    ana.goto(f"{study}/casebook?split=test&cut=A:0.5")
    expect(ana.locator("[data-case]")).to_be_visible()
    ana.locator("h1").click()
    ana.keyboard.press("m")
    ana.keyboard.press("1")
    ana.locator("[data-part='slice']").click()
    menu = ana.get_by_role("menu")
    expect(menu.get_by_role("menuitem", name="caught")).to_have_count(0)  # it reads answers
    expect(menu.get_by_role("menuitem", name="marked “bad label”")).to_be_visible()
    menu.get_by_role("menuitem", name="wide", exact=True).click()
    wide = [r for r in told_of() if r["split"] == "test" and r["girth"] and float(r["girth"]) >= 80]
    expect(ana.locator("[data-part='slice-rows']")).to_have_text(f"{len(wide)} rows")
    expect(ana.locator("[data-part='total']")).to_have_text(f"{len(wide)} rows")


def test_a_condition_is_named_with_the_rows_of_today_and_read_as_a_slice(person, server, tmp_path):
    rows = told_of(300)
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "wards", rows))
    ana.goto(f"{study}/casebook?split=test&cut=A:0.5&q=not%20right&front=A")
    ana.get_by_role("button", name="name it").click()
    named = ana.get_by_role("dialog")
    named.get_by_role("textbox", name="Name").fill("missed in May")
    named.get_by_role("checkbox").check()
    named.get_by_role("button", name="Name it", exact=True).click()
    expect(named).to_have_count(0)
    ana.goto(f"{study}/slices?split=test&cut=A:0.2&by=:named&metric=accuracy")
    wrong = [r for r in rows if r["split"] == "test" and (float(r["p"]) >= 0.5) != (r["actual"] == "yes")]
    group = ana.locator("[data-group='missed in May']")
    expect(group).to_contain_text(count(len(wrong)))
    right = sum((float(r["p"]) >= 0.2) == (r["actual"] == "yes") for r in wrong)
    if len(wrong) >= 30:
        expect(group.locator("td").nth(2)).to_contain_text(shown(right / len(wrong)))
    # every view reads these rows alone, at the other cutoff too
    ana.get_by_role("button", name="read alone: the rows of missed in May").click()
    expect(ana.locator("[data-part='slice-rows']")).to_have_text(f"{len(wrong)} rows")
    expect(ana.locator("[data-slice='']")).to_contain_text('named "missed in May"')
    ana.get_by_role("link", name="Roster").first.click()
    expect(ana.locator("[data-row='Scores'] [data-metric='accuracy']")).to_have_text(shown(right / len(wrong)))
    ana.get_by_role("button", name="All rows, not only where").click()
    ana.goto(f"{study}/casebook?split=test")
    ana.get_by_role("button", name="named conditions").click()
    expect(named.locator("[data-named='missed in May']")).to_contain_text("not right(A), rows of")
    named.locator("[data-named='missed in May']").get_by_role("button", name="find").click()
    expect(ana.locator("[data-case]")).to_contain_text(f"row 1 of {count(len(wrong))}")
    ana.get_by_role("button", name="name it").click()
    named.get_by_role("button", name="Take the name missed in May away").click()
    expect(named.locator("[data-named]")).to_have_count(0)


def test_a_table_is_saved_as_a_picture_that_says_what_it_tells(person, server, tmp_path, rows):
    ana = person("ana")
    ana.goto(f"{brought(server, write_study(tmp_path / 'wards', rows))}/slices?split=test&cut=A:0.5&by=ward")
    expect(ana.locator("[data-slice-of]")).not_to_have_count(0)
    wards = [x.get_attribute("data-group") for x in ana.locator("[data-group]").all()]
    shown_at = {ward: ana.locator(f"[data-group='{ward}'] [data-metric='recall']").first.inner_text() for ward in wards}
    with ana.expect_download() as saved:
        ana.get_by_role("button", name="SVG").click()
    drawn = ET.parse(saved.value.path()).getroot()
    said = [(t.text or "").strip() for t in drawn.iter(f"{SVG}text")]
    assert said[0] == "Recall by ward, test"
    assert set(wards) <= set(said)
    assert set(shown_at.values()) <= set(said)
    assert not {"rows", "read alone"} <= set(said), "what is pressed is no part of the picture"
    wide = float(drawn.get("width"))
    whiskers = list(drawn.iter(f"{SVG}circle"))
    assert len(whiskers) == len(wards) * ana.locator("[data-column]").count()
    assert all(0 <= float(x.get("x")) < wide for x in drawn.iter(f"{SVG}svg") if x is not drawn)
    with ana.expect_download() as saved:
        ana.get_by_role("button", name="PNG").click()
    with Image.open(saved.value.path()) as picture:
        assert picture.size[0] == pytest.approx(2 * wide, abs=2)
        assert len(picture.convert("RGB").getcolors(1 << 24)) > 20
