"""Cutoffs chosen by a rule, and how wide that choice is, as people do it."""

from __future__ import annotations

import csv
import io
import re

import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import brought
from files import rows_of, write_study
from skarlo.core import as_set, shown
from web.test_choosing import least_cost

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]


@pytest.fixture
def rows():
    return rows_of(600)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_study(tmp_path / "files", rows))


def apply_rule(page, name, **numbers):
    page.get_by_label("Rule", exact=True).select_option(name)
    for label, number in numbers.items():
        page.get_by_label(label.replace("_", " ")).fill(number)
    page.get_by_role("button", name="Apply on tuning").click()


def test_a_rule_is_applied_on_tuning_read_on_test_and_taken_back(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    apply_rule(ana, "least_cost", one_false_positives="1", one_false_negatives="4")
    wanted = least_cost(rows, (1, 4))
    expect(ana.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(wanted)}")
    expect(ana.locator("[data-part='chosen']")).to_contain_text("chosen by the rule least cost")
    expect(ana.locator("[data-bracket]")).to_have_count(1)
    beside = ana.locator("[data-beside='A']")
    expect(beside).to_contain_text("not separable from the best here")
    vic = person("vic")
    vic.goto(ana.url.replace("split=tuning", "split=test"))
    expect(vic.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(wanted)}")
    expect(vic.get_by_role("button", name="Apply on tuning")).to_have_count(0)
    recall = {}
    for split in ("test", "tuning"):
        mine = [r for r in rows if r["split"] == split]
        actual = [r["actual"] == "yes" for r in mine]
        recall[split] = brute.rates(actual, [float(r["p"]) >= wanted for r in mine])["recall"]
    gap = recall["test"] - recall["tuning"]
    expect(vic.locator("[data-beside='A']")).to_contain_text(f"Recall {'+' if gap > 0 else ''}{shown(gap)}")
    ana.keyboard.press("u")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    expect(ana.locator("[data-part='chosen']")).to_have_text("set in advance")


def test_what_the_next_catches_cost_is_counted_on_the_rows(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning&cut=A:0.5")
    said = ana.locator("[data-beside='A']")
    expect(said).to_contain_text("needless")
    found = re.search(r"next (\d+): (\d+) needless, ≥ ([\d.]+)", said.inner_text())
    below = [r for r in rows if r["split"] == "tuning" and float(found[3]) <= float(r["p"]) < 0.5]
    caught = sum(r["actual"] == "yes" for r in below)
    assert (int(found[1]), int(found[2])) == (caught, len(below) - caught)
    assert caught >= 10
    ana.keyboard.press(".")
    expect(said).not_to_contain_text(found[0])


def test_a_rule_that_nothing_meets_says_so(person, study):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning")
    apply_rule(ana, "flag_at_most", share_of_rows="0")
    expect(ana.get_by_role("status").filter(has_text="flags nothing")).to_be_visible()
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    ana.get_by_label("share of rows").fill("")
    expect(ana.get_by_role("button", name="Apply on tuning")).to_be_disabled()


def test_a_sweep_is_read_and_saved_and_counted_again(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff")
    ana.get_by_role("button", name="every metric at cutoffs one step apart").click()
    ana.get_by_role("radio", name="0.05").click()
    table = ana.locator("[data-part='sweep']")
    expect(table.locator("tbody tr")).to_have_count(21)
    test = [r for r in rows if r["split"] == "test"]
    actual = [r["actual"] == "yes" for r in test]

    def at(cutoff):
        return brute.rates(actual, [float(r["p"]) >= cutoff for r in test])

    row = table.locator("tr[data-at='0.35']")
    told = at(0.35)
    for name in ("flagged_share", "recall", "precision", "specificity", "f1"):
        expect(row).to_contain_text(shown(told[name]))
    with ana.expect_download() as saving:
        ana.get_by_role("button", name="save CSV").click()
    saved = list(csv.DictReader(io.StringIO(saving.value.path().read_text())))
    assert len(saved) == 21
    for line in saved:
        told = at(float(line["cutoff"]))
        for name in ("recall", "precision", "f1"):
            assert line[name] == "" if told[name] is None else float(line[name]) == pytest.approx(told[name])
        assert float(line["recall_low"]) <= told["recall"] <= float(line["recall_high"])
    expect(ana).to_have_url(re.compile("sweep=yes"))
