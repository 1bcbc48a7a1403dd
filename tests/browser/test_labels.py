"""Labels in doubt are read, one is marked, and what would follow is looked at; a rate is made equal by groups."""

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
    rows = told_of()
    for r in rows[:30:3]:
        r["actual"] = "no" if r["actual"] == "yes" else "yes"
    return brought(server, write_study(tmp_path / "wards", rows))


def test_a_doubted_label_is_marked_and_what_would_follow_is_read(person, study):
    ana = person("ana")
    ana.goto(f"{study}/casebook?split=test&cut=A:0.5")
    ana.get_by_role("radio", name="suspect labels").click()
    expect(ana.locator("[data-part='sentence']")).to_contain_text("with every label right about")
    first = ana.locator("[data-doubted]").first
    name = first.get_attribute("data-doubted")
    bound = ana.locator("[data-bound='A']")
    expect(bound).to_contain_text(" to ")
    before = bound.text_content()
    ana.get_by_label("How many labels are wrong at most").fill("7")
    ana.keyboard.press("Enter")
    expect(bound).not_to_have_text(before or "")
    expect(ana.locator("[data-part='bounds-caption']")).to_contain_text("at most 7 labels are wrong")
    ana.get_by_role("radio", name="rows dropped").click()
    expect(ana).to_have_url(re.compile("how=dropped.*wrong=7|wrong=7.*how=dropped"))
    expect(ana.locator("[data-part='lead']")).to_contain_text("leads on")
    first.get_by_role("button", name=f"Mark {name}").click()
    ana.get_by_label("Which rows may be wrong").select_option(label="marked “label in doubt” (1)")
    expect(ana.locator("[data-part='bounds']")).to_be_visible()
    first.get_by_role("link", name=name).click()
    expect(ana.locator("[data-part='total']")).to_have_text("1 row")
    expect(ana.locator("[data-case]")).to_contain_text("label in doubt")


def test_a_rate_is_made_equal_by_groups_and_its_cost_is_read(person, study):
    ana = person("ana")
    ana.goto(f"{study}/slices?split=test&cut=A:0.5&by=ward&read=alike")
    ana.get_by_label("What the cutoffs are to do").select_option(label="found alike")
    sentence = ana.locator("[data-part='own-cutoffs-sentence']")
    expect(sentence).to_contain_text("chosen on tuning")
    expect(sentence).to_contain_text("the gap of recall would go from")
    expect(ana.locator("[data-own-cutoff='Harbour']")).to_contain_text("→")
    expect(ana.locator("[data-change='precision']")).to_contain_text(" to ")
    told = sentence.text_content()
    ana.get_by_label("Cost of a miss").fill("9")
    ana.keyboard.press("Enter")
    expect(sentence).not_to_have_text(told or "")
    expect(ana).to_have_url(re.compile("rule=recall.*prices=1%2C9|prices=1%2C9.*rule=recall"))
    # the decision asks for them, and says so; the study keeps the one cutoff
    ana.get_by_role("button", name="Ask for these in the decision").click()
    expect(ana.locator("[data-part='ask-for-groups']")).to_contain_text("for each group by ward, found alike")
    ana.goto(f"{study}/dossier")
    expect(ana.locator("[data-part='decision-groups']")).to_contain_text("for each group by ward, found alike")
    expect(ana.frame_locator("iframe").locator(".decision")).to_contain_text("with a cutoff of its own for each group")
    ana.get_by_role("button", name="One cutoff for all").click()
    expect(ana.locator("[data-part='decision-groups']")).to_have_count(0)
    vic = person("vic")
    vic.goto(f"{study}/slices?split=test&by=ward&read=alike")
    expect(vic.get_by_label("What the cutoffs are to do")).to_have_value("")
