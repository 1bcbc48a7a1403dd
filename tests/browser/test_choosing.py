"""Cutoffs chosen by a rule, and how wide that choice is, as people do it."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import api, brought
from files import rows_of, write_study
from skarlo.core import as_set, count, shown
from skarlo.core.stats.intervals import wilson
from web.test_choosing import least_cost

pytestmark = pytest.mark.browser
WAIT = {"Prefer": "wait=60"}


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
    for label, price in (("Cost of each: false positives", "1"), ("Cost of each: false negatives", "4")):
        ana.get_by_label(label).fill(price)
        ana.get_by_label(label).press("Enter")
    apply_rule(ana, "least_cost")
    wanted = least_cost(rows, (1, 4))
    expect(ana.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(wanted)}")
    expect(ana.locator("[data-part='chosen']")).to_contain_text("chosen by the rule least cost")
    expect(ana.locator("[data-bracket]")).to_have_count(1)
    owed = ana.locator("[data-owed='A']")
    expect(owed).to_contain_text("not separable from the best here")
    expect(owed).to_contain_text("chosen over and over on nine tenths of them")
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
    expect(vic.get_by_label("Cutoff of Scores, typed")).to_have_value(as_set(wanted))
    drift = vic.locator("[data-drift='recall']")
    expect(drift).to_contain_text(f"since tuning {'+' if gap > 0 else ''}{shown(gap)}")
    ana.keyboard.press("u")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    expect(ana.locator("[data-part='chosen']")).to_have_text("set in advance")


def test_what_the_next_catches_cost_is_counted_on_the_rows(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning&cut=A:0.5")
    said = ana.locator("[data-beside='A']")
    expect(said).to_contain_text("+")
    found = re.search(r"\+([\d,]+)\s*(?:for (\d+), )?≥ ([\d.]+)", said.inner_text())
    below = [r for r in rows if r["split"] == "tuning" and float(found[3]) <= float(r["p"]) < 0.5]
    caught = sum(r["actual"] == "yes" for r in below)
    assert (int(found[2] or 10), int(found[1])) == (caught, len(below) - caught)
    ana.keyboard.press(".")
    expect(said).not_to_contain_text(found[0])


def test_a_typed_cutoff_is_kept_and_one_that_is_no_number_is_not(person, study):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning")
    field = ana.get_by_label("Cutoff of Scores, typed")
    expect(field).to_have_value("0.5")
    field.fill("half")
    field.press("Enter")
    expect(field).to_have_attribute("aria-invalid", "true")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    field.fill("0.4375")
    field.press("Enter")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.4375")
    expect(ana.get_by_role("slider")).to_have_attribute("aria-valuenow", "0.4375")
    expect(ana.locator("[data-part='chosen']")).to_have_text("chosen by hand on the tuning rows")


def test_a_band_for_review_is_counted_on_the_rows_and_lives_in_the_address(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=test")
    expect(ana.locator("[data-live='A']")).to_be_visible()
    ana.keyboard.press("b")
    for label, end in (("Band from", "0.3"), ("Band up to", "0.6")):
        ana.get_by_label(label).fill(end)
        ana.get_by_label(label).press("Enter")
    ana.wait_for_url("**band=0.3%3A0.6**")
    test = [(float(r["p"]), r["actual"] == "yes") for r in rows if r["split"] == "test"]
    sides = {
        "below": [y for p, y in test if p < 0.3], "between": [y for p, y in test if 0.3 <= p < 0.6],
        "above": [y for p, y in test if p >= 0.6],
    }  # fmt: skip
    vic = person("vic")
    vic.goto(ana.url)
    for page in (ana, vic):
        for side, actual in sides.items():
            row = page.locator(f"[data-side='{side}']")
            low, high = wilson(len(actual), len(test), 0.95)
            for text in (count(len(actual)), count(sum(actual)), f"{shown(low)} to {shown(high)}"):
                expect(row).to_contain_text(text)
        recall = page.locator("[data-decided='recall_with_review']")
        found = sum(sides["between"]) + sum(sides["above"])
        expect(recall).to_contain_text(shown(found / sum(y for _, y in test)))
    ana.get_by_role("slider", name="Upper end of the band").focus()
    ana.keyboard.press("ArrowRight")
    ana.wait_for_url("**band=0.3%3A0.601**")
    over = sum(p >= 0.601 for p, _ in test)
    expect(ana.locator("[data-side='above']")).to_contain_text(count(over))
    expect(ana.locator("[data-strip='1'] [data-band]")).to_be_visible()
    ana.get_by_label("Band from").fill("0.9")
    expect(ana.get_by_label("Band from")).to_have_attribute("aria-invalid", "true")
    ana.get_by_role("button", name="none", exact=True).click()
    expect(ana.locator("[data-side]")).to_have_count(0)


def test_numbers_are_restated_for_an_expected_base_rate(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=test&cut=A:0.4")
    ana.get_by_role("textbox", name="Expected base rate").fill("0.02")
    ana.get_by_role("textbox", name="Expected base rate").press("Enter")
    test = [(float(r["p"]) >= 0.4, r["actual"] == "yes") for r in rows if r["split"] == "test"]
    tp, fp, fn, tn = brute.outcomes([y for _, y in test], [f for f, _ in test])
    recall, fpr = tp / (tp + fn), fp / (fp + tn)
    row = ana.locator("[data-restated='A']")
    flagged = 0.02 * recall + 0.98 * fpr
    expect(row.locator("[data-metric='precision']")).to_have_text(shown(0.02 * recall / flagged))
    expect(row.locator("[data-metric='flagged_share']")).to_have_text(shown(flagged))
    cost = 1000 * (0.98 * fpr + 10 * 0.02 * (1 - recall))
    expect(row.locator("[data-metric='cost']")).to_have_text(count(round(cost)))


def test_each_outcome_may_cost_and_a_cost_unfolds(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=test&cut=A:0.4")
    ana.get_by_role("button", name="and right answers").click()
    for label, cost in (("false negatives", 8), ("true positives", 0.5), ("true negatives", 0.25)):
        field = ana.get_by_role("textbox", name=f"Cost of each: {label}")
        field.fill(str(cost))
        field.press("Enter")
    ana.wait_for_url("**costs=1%3A8%3A0.5%3A0.25**")
    test = [(float(r["p"]) >= 0.4, r["actual"] == "yes") for r in rows if r["split"] == "test"]
    tp, fp, fn, tn = brute.outcomes([y for _, y in test], [f for f, _ in test])
    cost = (fp + 8 * fn + 0.5 * tp + 0.25 * tn) / len(test)
    strip = ana.locator("[data-live='A']")
    expect(strip.locator("[data-metric='cost']")).to_have_text(count(round(1000 * cost)))
    strip.locator("button[data-metric='cost']").click()
    expect(ana.locator("[data-part='unfolded']")).to_contain_text(f"A row costs {shown(cost)} on average")


def test_a_trace_is_the_metric_at_each_cutoff(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/cutoff?split=tuning&cut=A:0.5")
    ana.get_by_label("Traced").select_option("recall")
    ring = ana.locator("[data-part='trace'] [data-ring='A']")
    for key in ("", ".", ">"):
        if key:
            ana.keyboard.press(key)
        at = float(ana.get_by_role("slider").get_attribute("aria-valuenow"))
        tuning = [(float(r["p"]) >= at, r["actual"] == "yes") for r in rows if r["split"] == "tuning"]
        wanted = brute.rates([y for _, y in tuning], [f for f, _ in tuning])["recall"]
        expect(ring).to_have_attribute("data-at", as_set(at))
        expect(ring.locator("title")).to_have_text(f"Scores at ≥ {as_set(at)}: {shown(wanted)}")
    with ana.expect_download() as saved:
        ana.get_by_role("region", name="Trace").get_by_role("button", name="CSV").click()
    head, *lines = csv.reader(io.StringIO(Path(saved.value.path()).read_text()))
    assert head == ["candidate", "split", "cutoff", "recall"]
    for name, split, place, value in lines[:: max(1, len(lines) // 15)]:
        tuning = [(float(r["p"]) >= float(place), r["actual"] == "yes") for r in rows if r["split"] == "tuning"]
        wanted = brute.rates([y for _, y in tuning], [f for f, _ in tuning])["recall"]
        assert (name, split, float(value)) == ("Scores", "tuning", pytest.approx(wanted))
    # what is not counted on the page is the server's sweep
    ana.get_by_label("Traced").select_option("mcc")

    def told(query):
        found = ana.request.get(f"{api(study)}/parts?split=tuning&{query}", headers=WAIT).json()
        return found["candidates"][0]["splits"]["tuning"]

    drawn = sum(v is not None for v in told("kinds=sweep&step=0.01")["sweep"]["mcc"]["value"])
    line = ana.locator("[data-part='trace'][data-metric='mcc'] > path").first
    expect(line).to_have_attribute("d", re.compile(rf"^M[^L]+(L[^L]+){{{drawn - 1}}}$"))
    ana.get_by_label("Traced").select_option("net_benefit")
    benefit = told("kinds=net_benefit")["net_benefit"]
    plot = ana.locator("[data-part='trace'][data-metric='net_benefit']")
    for line, series in ((plot.locator("> path").first, "net_benefit"),
                         (plot.locator("[data-part='acting-on-all'] path"), "all")):  # fmt: skip
        there = sum(v >= -0.05 for v in benefit[series])
        expect(line).to_have_attribute("d", re.compile(rf"^M[^L]+(L[^L]+){{{there - 1}}}$"))
    ana.get_by_label("Traced").select_option("mcc")
    here = told(f"kinds=lines&cutoffs=1:{at}")["metrics"]["mcc"]["value"]
    expect(ring.locator("title")).to_contain_text(shown(here))
    with ana.expect_download() as download:
        ana.get_by_label("Trace").get_by_role("button", name="SVG").click()
    assert "<svg" in Path(download.value.path()).read_text(encoding="utf-8")


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
    table = ana.locator("[data-part='sweep']")
    expect(table.locator("tbody tr")).to_have_count(11)
    ana.get_by_role("radio", name="0.05").click()
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
