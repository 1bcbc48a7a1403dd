"""Misses are opened, read one by one, marked, and read alone as a slice, as people do it."""

from __future__ import annotations

from urllib.parse import urlencode

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from files import write_study
from skarlo.sample import write_leaf_condition
from web.test_slices import told_of

pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    return told_of()


def test_misses_are_read_marked_and_become_a_slice(person, server, tmp_path, rows):
    ana = person("ana")
    study = brought(server, write_study(tmp_path / "wards", rows))
    missed = [r for r in rows if r["split"] == "test" and r["ward"] == "Harbour" and r["actual"] == "yes"
              and float(r["p"]) < 0.5]  # fmt: skip
    ana.goto(f"{study}/slices?split=test&cut=A:0.5")
    ana.locator("[data-group='Harbour']").get_by_role("link", name="rows").click()
    condition = ana.get_by_label("Condition", exact=True)
    expect(condition).to_have_value('ward = "Harbour"')
    # clicked together: what may come next is offered
    condition.click()
    suggested = ana.locator("[data-part='suggested']")
    for one in ("and", "actual", "=", '"yes"', "and", "predicted(A)", "!=", "actual"):
        suggested.get_by_role("button", name=one, exact=True).click()
    condition.press("Enter")
    total = ana.locator("[data-part='total']")
    expect(total).to_have_text(f"{len(missed)} rows")
    expect(ana.locator("[data-part='clauses']")).to_contain_text('actual = "yes"')
    # the most wrong first; three are read by key, and marked
    by_score = sorted(missed, key=lambda r: float(r["p"]))
    case = ana.locator("[data-case]")
    expect(case.get_by_role("heading", level=2)).to_contain_text(by_score[0]["id"])
    ana.locator("h1").click()
    for k in range(3):
        if k:
            ana.keyboard.press("ArrowDown")
        expect(case).to_contain_text(f"row {k + 1} of {len(missed)}")
        ana.keyboard.press("m")
        ana.keyboard.press("1")
        expect(case.locator("[data-mark='bad label']")).to_be_visible()
    ana.keyboard.press("f")
    expect(case).to_contain_text("answers otherwise")
    expect(case.locator("[data-field]").first).to_contain_text("% of it")
    ana.keyboard.press("n")
    ana.keyboard.type("Seen by nobody.")
    ana.locator("h1").click()
    expect(case).to_contain_text("ana, ")
    # the address is the same for another person; the mark is a slice in every view
    vic = person("vic")
    vic.goto(ana.url)
    expect(vic.locator("[data-case]")).to_contain_text(f"row 3 of {len(missed)}")
    condition.fill('mark "bad label"')
    condition.press("Enter")
    expect(total).to_have_text("3 rows")
    ana.get_by_role("button", name="read these rows alone").click()
    expect(ana.locator("[data-part='slice-rows']")).to_have_text("3 rows")
    # a wrong condition says where, and loses nothing
    condition.fill("ward >")
    condition.press("Enter")
    expect(ana.get_by_role("alert")).to_contain_text("ward >")
    condition.fill("")
    condition.press("Enter")
    expect(total).to_have_text("3 rows")


def test_all_rows_scroll_a_page_at_a_time(person, server, tmp_path):
    from files import rows_of

    rows = rows_of(2000)
    ana = person("ana")
    ana.goto(f"{brought(server, write_study(tmp_path / 'many', rows))}/casebook?split=test")
    test = [r for r in rows if r["split"] == "test"]
    expect(ana.locator("[data-part='total']")).to_have_text(f"{len(test):,} rows".replace(",", ","))
    expect(ana.locator("[data-row-at='0']")).to_contain_text(test[0]["id"])
    frame = ana.get_by_role("listbox", name="Rows")
    frame.evaluate("e => e.scrollTo(0, e.scrollHeight)")
    last = ana.locator(f"[data-row-at='{len(test) - 1}']")
    expect(last).to_contain_text(test[-1]["id"])
    assert ana.locator("[data-row-at]").count() < 60
    last.click()
    expect(ana.locator("[data-case]")).to_contain_text(test[-1]["id"])


def test_rows_are_seen_as_pictures_and_gone_through_by_key(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_leaf_condition(tmp_path / "leaf"))
    taken = 'actual = "rust" and predicted(A) = "scorch"'
    ana.goto(f"{study}/casebook?{urlencode({'split': 'test', 'q': taken})}")
    expect(ana.locator("[data-case] h2")).to_be_visible()
    total = ana.locator("[data-part='total']").text_content() or ""
    ana.locator("h1").click()
    ana.keyboard.press("v")
    sheet = ana.get_by_role("listbox", name="Pictures")
    expect(sheet.get_by_role("option").first).to_contain_text("scorch")
    expect(sheet.locator("[data-row-at='0'] img")).to_be_visible()
    first = ana.locator("[data-case] h2").text_content() or ""
    ana.keyboard.press("ArrowDown")
    expect(sheet.locator("[data-row-at='6']")).to_have_attribute("aria-selected", "true")
    expect(ana.locator("[data-case] h2")).not_to_have_text(first)
    expect(ana.locator("[data-case]")).to_contain_text(f"row 7 of {total.split()[0]}")
    ana.keyboard.press("v")
    expect(ana.get_by_role("listbox", name="Rows")).to_be_visible()
    # the closest row that is answered otherwise, by fields and by the embedding
    ana.keyboard.press("f")
    near = ana.get_by_role("region", name="Fields")
    expect(near).to_contain_text("answers otherwise:")
    by_fields = near.locator("b").text_content() or ""
    near.get_by_role("button", name="close by the embedding instead").click()
    expect(near.locator("b")).not_to_have_text(by_fields)
