"""Of many classes, answers with too little probability are withheld: counted on the rows, shared by the address."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from files import trees_of, write_trees
from skarlo.core import count, shown
from skarlo.core.stats.intervals import wilson

pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    """(actual, probabilities), in hundredths."""
    return trees_of(300)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_trees(tmp_path / "trees", rows))


def left(rows, cutoff, k=None):
    """(actual, predicted) of the rows that are answered."""
    said = ((y, p.index(max(p)), max(p)) for y, p in rows)
    return [(y, j) for y, j, most in said if most >= cutoff or k not in (None, j)]


def test_what_is_left_is_counted_and_lives_in_the_address(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff")
    expect(ana.get_by_text("Guide gives no probabilities")).to_be_visible()
    one = ana.locator("[data-live='A']")
    expect(one.locator("[data-metric='share_answered']")).to_have_text("1.000")
    field = ana.get_by_label("Cutoff of Net, typed")
    field.fill("0.6")
    field.press("Enter")
    ana.wait_for_url("**least=A%3A0.6**")
    vic = person("vic")
    vic.goto(ana.url)
    given = left(rows, 0.6)
    right = sum(y == j for y, j in given)
    for page in (ana, vic):
        one = page.locator("[data-live='A']")
        expect(one.locator("[data-live-count='tp']")).to_have_text(count(right))
        expect(one.locator("[data-live-count='fp']")).to_have_text(count(len(given) - right))
        expect(one.locator("[data-live-count='withheld']")).to_have_text(count(300 - len(given)))
        expect(one.locator("[data-metric='share_answered']")).to_have_text(shown(len(given) / 300))
        low, high = wilson(right, len(given), 0.95)
        expect(one.locator("[data-interval='selective_accuracy']")).to_have_text(f"{shown(low)} to {shown(high)}")
    ana.get_by_role("slider").focus()
    ana.keyboard.press("ArrowRight")
    ana.keyboard.press("ArrowRight")
    expect(one.locator("[data-metric='share_answered']")).to_have_text(shown(len(given) / 300))
    one = ana.locator("[data-live='A']")
    at = float(ana.get_by_role("slider").get_attribute("aria-valuenow"))
    assert at > 0.6
    expect(one.locator("[data-live-count='tp']")).to_have_text(count(sum(y == j for y, j in left(rows, at))))


def test_one_class_alone_is_withheld(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?class=elm&by=class&least=A:0.7")
    given = left(rows, 0.7, 1)
    elm = [y == 1 for y, j in given if j == 1]
    one = ana.locator("[data-live='A']")
    expect(one.locator("[data-metric='share_answered']")).to_have_text(shown(len(given) / 300))
    expect(one.locator("[data-metric='precision']")).to_have_text(shown(sum(elm) / len(elm)))
    expect(one.locator("[data-metric='recall']")).to_have_text(shown(sum(elm) / sum(y == 1 for y, _ in rows)))
    expect(ana.locator("[data-part='left']")).to_have_count(0)
    ana.get_by_role("radio", name="the largest probability").click()
    expect(ana.locator("[data-part='left'] [data-ring='A']")).to_be_visible()


def test_what_is_withheld_is_pinned_and_stands_in_the_report(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?least=A:0.6")
    expect(ana.locator("[data-live='A']")).to_be_visible()
    ana.keyboard.press("p")
    ana.get_by_role("button", name="Pin it").click()
    expect(ana.get_by_role("dialog")).to_have_count(0)
    ana.goto(f"{study}/dossier")
    given = left(rows, 0.6)
    report = ana.frame_locator("iframe")
    line = report.locator("tr", has_text="≥ 0.6")
    expect(line).to_contain_text(shown(len(given) / 300))
    expect(line).to_contain_text(shown(sum(y == j for y, j in given) / len(given)))
    expect(report.locator("tr", has_text="gives no probability")).to_have_count(1)
