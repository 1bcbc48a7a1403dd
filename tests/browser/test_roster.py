"""The roster read as differences, with the metrics that one chooses."""

from __future__ import annotations

import csv
import io
import re

import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import brought
from files import rows_of, write_study
from skarlo.core import shown

pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    return rows_of(400)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_study(tmp_path / "files", rows))


def counted(rows, cutoff=0.5):
    test = [r for r in rows if r["split"] == "test"]
    actual = [r["actual"] == "yes" for r in test]
    return (brute.rates(actual, [float(r["p"]) >= cutoff for r in test]),
            brute.rates(actual, [r["said"] == "yes" for r in test]))  # fmt: skip


def test_differences_from_another_are_those_of_the_rows(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/roster?metrics=recall,precision,f1")
    ana.get_by_role("radio", name="differences").click()
    ana.get_by_label("from").select_option("B")
    ana.get_by_label("intervals in digits").check()
    scores, labels = counted(rows)
    row = ana.locator("tr[data-row='Scores']")
    expect(ana.locator("tr[data-row='Labels']")).to_contain_text("reference")
    for name in ("recall", "precision", "f1"):
        gap = scores[name] - labels[name]
        expect(row).to_contain_text(f"{'+' if gap > 0 else ''}{shown(gap)}")
    with ana.expect_download() as saving:
        ana.get_by_role("button", name="CSV").click()
    (first, second) = csv.DictReader(io.StringIO(saving.value.path().read_text()))
    assert float(first["recall"]) == pytest.approx(scores["recall"] - labels["recall"])
    assert float(first["recall_low"]) < float(first["recall"]) < float(first["recall_high"])
    expect(row).to_contain_text(f"{shown(float(first['recall_low']))} to {shown(float(first['recall_high']))}")
    assert second["recall"] == ""
    ana.get_by_label("from").select_option("A")
    gap = labels["recall"] - scores["recall"]
    expect(ana.locator("tr[data-row='Labels']")).to_contain_text(f"{'+' if gap > 0 else ''}{shown(gap)}")
    vic = person("vic")
    vic.goto(ana.url)
    expect(vic.locator("tr[data-row='Scores']")).to_contain_text("reference")


def test_metrics_are_chosen_and_put_in_order(person, study):
    ana = person("ana")
    ana.goto(f"{study}/roster")
    ana.get_by_role("button", name="metrics", exact=True).click()
    chosen = ana.get_by_role("list", name="Shown, in order")
    first = chosen.get_by_role("checkbox").first
    first.click()  # it goes to the other list
    ana.get_by_role("list", name="Not shown").get_by_label("Specificity").click()
    ana.get_by_role("button", name="Specificity further left").click()
    expect(ana).to_have_url(re.compile("metrics="))
    names = chosen.locator("label").all_inner_texts()
    ana.keyboard.press("Escape")
    heads = ana.locator("[data-part='roster'] thead th button")
    expect(heads).to_have_count(len(names))
    assert heads.nth(len(names) - 2).get_attribute("title") == "Specificity"
    ana.reload()
    expect(heads).to_have_count(len(names))
    ana.get_by_role("button", name="metrics", exact=True).click()
    ana.get_by_role("button", name="the usual ones").click()
    expect(ana).not_to_have_url(re.compile("metrics="))


def test_a_number_got_elsewhere_is_found_again(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/roster")
    ana.locator("button[data-candidate='Scores'][data-metric='recall']").click()
    found = ana.locator("[data-part='another']")
    ana.get_by_label("Got another number?").fill(f"{counted(rows)[1]['precision']:.6f}")
    ana.keyboard.press("Enter")
    expect(found).to_contain_text("Precision of Labels")
    ana.get_by_label("Got another number?").fill("99.9999 %")
    ana.get_by_role("button", name="find it").click()
    expect(found).to_contain_text("numbers that were tried is 99.9999 %")
    ana.get_by_label("Got another number?").fill("high")
    ana.keyboard.press("Enter")
    expect(found).to_contain_text("high is no number")


def test_splits_stand_side_by_side_with_their_gap(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/roster")
    ana.get_by_role("radio", name="splits side by side").click()
    table, value = ana.locator("[data-part='splits']"), {}
    for split in ("tuning", "test"):
        mine = [(r["actual"] == "yes", float(r["p"])) for r in rows if r["split"] == split]
        value[split] = brute.area(*zip(*mine, strict=True))
        cell = table.locator(f"tr[data-row='A {split}'] [data-metric='roc_auc']")
        expect(cell).to_have_text(shown(value[split]))
    gap = value["tuning"] - value["test"]
    told = table.locator("tr[data-row='A tuning'] td").filter(has=ana.locator("[data-metric='roc_auc']"))
    expect(told.locator("[data-gap]")).to_contain_text(f"{'+' if gap > 0 else ''}{shown(gap)}")
    with ana.expect_download() as saving:
        table.locator("xpath=../..").get_by_role("button", name="CSV").last.click()
    lines = saving.value.path().read_text().splitlines()
    assert len(lines) == 1 + 2 * 2


def test_the_choice_of_metrics_is_kept_for_the_study(person, study):
    ana, vic = person("ana"), person("vic")
    ana.goto(f"{study}/roster")
    ana.get_by_role("button", name="metrics", exact=True).click()
    ana.get_by_label("Metrics").get_by_role("checkbox", name="Brier score").click()
    ana.get_by_role("button", name="keep for the study").click()
    expect(ana.get_by_role("button", name="keep for the study")).to_have_count(0)
    vic.goto(f"{study}/roster")
    expect(vic.locator("[data-row='Scores'] [data-metric='recall']")).to_be_visible()
    expect(vic.locator("[data-row='Scores'] [data-metric='brier']")).to_have_count(0)
    vic.get_by_role("button", name="metrics", exact=True).click()
    vic.get_by_role("button", name="the usual ones").click()
    expect(vic.locator("[data-row='Scores'] [data-metric='brier']")).to_be_visible()
    expect(vic.get_by_role("button", name="keep for the study")).to_have_count(0)
