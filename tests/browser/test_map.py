"""A place of the map is drawn round by pointer and by key, compared with the rest, marked and read alone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from files import write_study
from web.test_slices import told_of

pytestmark = pytest.mark.browser


@pytest.fixture
def study(server, tmp_path):
    return brought(server, write_study(tmp_path / "wards", told_of()))


def inside(page):
    return page.locator("[data-part='inside']")


def test_a_rectangle_is_compared_marked_and_read_alone(person, study):
    ana = person("ana")
    ana.goto(f"{study}/casebook?split=test&cut=A:0.5")
    ana.get_by_role("radio", name="the map").click()
    ana.get_by_label("Rows are placed by").select_option("field:girth")
    ana.get_by_label("Rows are and").select_option("field:ward")
    expect(ana.locator("[data-part='places']")).to_contain_text(" of ")
    canvas = ana.locator("canvas")
    expect(canvas).to_have_attribute("aria-label", re.compile("rows by girth and ward"))
    ana.get_by_role("radio", name="rectangle").click()
    box = canvas.bounding_box()
    assert box is not None
    # the lowest band is Harbour, where fewer are found
    ana.mouse.move(box["x"] + 4, box["y"] + box["height"] * 0.68)
    ana.mouse.down()
    ana.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.8)
    ana.mouse.move(box["x"] + box["width"] - 4, box["y"] + box["height"] - 4)
    ana.mouse.up()
    expect(inside(ana)).to_contain_text("rows inside")
    expect(ana.locator("[data-part='sentence']")).to_contain_text("is no test")
    expect(ana.locator("[data-part='telling']")).to_contain_text("ward = Harbour")
    expect(ana.locator("[data-inside='recall']")).to_contain_text(" to ")
    rows = (inside(ana).text_content() or "").removesuffix(" inside")
    # the same for another person, by the address
    ana.wait_for_url(re.compile("line="))
    vic = person("vic")
    vic.goto(ana.url)
    expect(inside(vic)).to_have_text(f"{rows} inside")
    expect(vic.get_by_label("Mark these rows as")).to_have_count(0)
    # marked, and read alone in every view
    ana.get_by_label("Mark these rows as").fill("harbour band")
    ana.get_by_role("button", name="mark them").click()
    ana.get_by_role("button", name="read these rows alone").click()
    expect(ana.locator("[data-part='sentence']")).to_contain_text(f"{rows} by girth and ward")
    ana.goto(re.sub("/casebook", "/roster", ana.url))
    expect(ana.get_by_role("region", name="Findings")).to_contain_text('where mark "harbour band"')


def test_without_a_pointer_a_ring_is_moved_by_key(person, study):
    ana = person("ana")
    ana.goto(f"{study}/casebook?split=test&cut=A:0.5&read=map&x=field:girth&y=score:A")
    expect(ana.locator("[data-part='places']")).to_be_visible()
    ana.locator("h1").click()
    for key in ("ArrowRight", "ArrowLeft", "+", "+", "Enter"):
        ana.keyboard.press(key)
    expect(inside(ana)).to_contain_text("inside")
    first = inside(ana).text_content() or ""
    ana.keyboard.press("Escape")
    expect(ana.locator("[data-part='places']")).to_be_visible()
    for key in ("ArrowDown", *["ArrowDown"] * 6, "Enter"):
        ana.keyboard.press(key)
    expect(inside(ana)).not_to_have_text(first)
