"""What a person does to learn where and why a candidate errs, on the sample studies."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from skarlo.sample import write_leaf_condition, write_limb_failure, write_residents_messages

pytestmark = pytest.mark.browser


def test_the_badly_served_district_is_found_its_misses_marked_and_the_marks_pinned(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_limb_failure(tmp_path / "limbs"))
    ana.goto(f"{study}/slices?split=test&by=district")
    expect(ana.locator("[data-part='sentence']")).to_contain_text("district is Harbour")
    worst = ana.locator("[data-group='Harbour']")
    worst.get_by_role("link", name="rows").click()
    condition = ana.get_by_label("Condition", exact=True)
    condition.fill('district = "Harbour" and actual = "failed" and not right(C)')
    condition.press("Enter")
    case = ana.locator("[data-case]")
    expect(case).to_contain_text("row 1 of")
    ana.locator("h1").click()
    for k in range(3):
        if k:
            ana.keyboard.press("ArrowDown")
        expect(case).to_contain_text(f"row {k + 1} of")
        ana.keyboard.press("m")
        ana.keyboard.press("1")
        expect(case.locator("[data-mark='bad label']")).to_be_visible()
    ana.get_by_role("link", name="Slices").first.click()
    ana.get_by_label("Sliced by").select_option(label="conditions, marks")
    expect(ana.locator("[data-group='marked “bad label”'] td").first).to_have_text("3")
    ana.get_by_role("button", name="Pin this view").click()
    ana.get_by_role("button", name="Pin it").click()
    ana.get_by_role("link", name="Open the dossier").click()
    expect(ana.frame_locator("iframe").locator("body")).to_contain_text("marked “bad label”")


def test_a_cell_of_the_matrix_is_opened_and_seen_as_pictures(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_leaf_condition(tmp_path / "leaf"))
    ana.goto(f"{study}/matrix?split=test&cell=2-0")
    ana.get_by_role("link", name="all in the Casebook").click()
    expect(ana.locator("[data-case] h2")).to_be_visible()
    ana.get_by_role("radio", name="pictures").click()
    sheet = ana.get_by_role("listbox", name="Pictures")
    expect(sheet.locator("[data-row-at='0'] img")).to_be_visible()
    assert "predicted(A)" in ana.get_by_label("Condition", exact=True).input_value()
    expect(sheet.locator("img").first).to_have_js_property("complete", True)
    assert sheet.locator("img").first.evaluate("x => x.naturalWidth") > 0


def test_the_reasons_that_a_labeller_states_are_read(person, server, tmp_path):
    path = write_residents_messages(tmp_path / "messages")
    answers = (path.parent / "large.jsonl").read_text(encoding="utf-8").splitlines()
    reasons = {one["why"] for one in map(json.loads, answers) if one.get("why")}
    ana = person("ana")
    ana.goto(f"{brought(server, path)}/casebook")
    stated = ana.locator("[data-case] [data-reason='A']")
    expect(stated).to_contain_text("“")
    assert (stated.locator("span.italic").text_content() or "").strip("“”") in reasons
