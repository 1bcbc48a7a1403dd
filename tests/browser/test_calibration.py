"""Calibration as people read it: every number on the screen is counted again from the rows."""

from __future__ import annotations

import csv
import io
import re

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from files import rows_of, write_study
from skarlo.core import shown
from skarlo.sample import write_leaf_condition

pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    return rows_of(600)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_study(tmp_path / "files", rows))


def told_of(page, study, split="test"):
    """The candidates' calibration, as the server answers it once the view stands."""
    page.locator("section[aria-label='Recalibrated']").wait_for()
    address = f"/api/v1/studies/{study.split('/')[-1]}/parts?kinds=calibration&kinds=recalibration&split={split}"
    return page.evaluate("where => fetch(where).then(r => r.json())", address)["candidates"]


def counted(rows, low, high):
    """The test rows whose probability lies in a bin of equal width: how many, their mean, the share that were so."""
    inside = [r for r in rows if r["split"] == "test" and low <= float(r["p"]) < high]
    mean = sum(float(r["p"]) for r in inside) / len(inside)
    return len(inside), mean, sum(r["actual"] == "yes" for r in inside) / len(inside)


def test_bins_are_those_of_the_rows_on_screen_and_in_the_file(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/calibration")
    ana.get_by_role("radio", name="equal width").click()
    ana.get_by_role("button", name="the bins as a table").click()
    table = ana.locator("[data-part='bins']")
    expect(table.locator("tbody tr")).not_to_have_count(0)
    for row in table.locator("tbody tr").all():
        _, low, high, n, mean, seen = row.locator("th, td").all_inner_texts()[:6]
        told = counted(rows, float(low), float(high))
        assert [n, mean, seen] == [str(told[0]), shown(told[1]), shown(told[2])]
    with ana.expect_download() as saving:
        ana.get_by_role("button", name="save CSV").click()
    saved = list(csv.DictReader(io.StringIO(saving.value.path().read_text())))
    assert len(saved) == table.locator("tbody tr").count()
    for line in saved:
        told = counted(rows, float(line["from"]), float(line["to"]))
        assert [int(line["rows"]), float(line["mean_probability"])] == pytest.approx(told[:2])
        assert float(line["observed"]) == pytest.approx(told[2])
        assert float(line["if_true_low"]) <= float(line["mean_probability"]) + 0.2


def test_what_was_chosen_is_in_the_address_and_stays_there(person, study):
    ana, vic = person("ana"), person("vic")
    ana.goto(f"{study}/calibration")
    ana.get_by_role("radio", name="the whole curve").click()
    ana.keyboard.press("b")
    expect(ana.get_by_role("radio", name="equal width")).to_be_checked()
    expect(ana).to_have_url(re.compile(r"band=whole.*bins=equal_width|bins=equal_width.*band=whole"))
    ana.keyboard.press("1")  # a candidate off and on again
    expect(ana.locator("main")).to_contain_text("give no probability")
    ana.keyboard.press("1")
    expect(ana.get_by_text("Tinted: where the true curve lies")).to_be_visible()
    vic.goto(ana.url)
    expect(vic.get_by_role("radio", name="equal width")).to_be_checked()
    expect(vic.get_by_text("Tinted: where the true curve lies")).to_be_visible()
    vic.keyboard.press("k")
    expect(vic.get_by_role("heading", name="Cutoff", exact=True)).to_be_visible()
    vic.get_by_role("link", name="Roster").click()
    expect(vic).not_to_have_url(re.compile("band="))


def test_a_ring_tells_its_rows_by_the_keyboard(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/calibration?bins=equal_width")
    ring = ana.locator("[data-mark]").first
    ring.focus()
    n, mean, seen = counted(rows, 0.0, 0.1)
    said = f"{n} rows given {shown(mean)} on average: {shown(seen)} were “yes”"
    expect(ana.locator("[data-part='under-pointer']")).to_contain_text(said)


def test_a_recalibration_learned_on_tuning_is_read_on_test(person, study):
    ana = person("ana")
    ana.goto(f"{study}/calibration")
    methods = told_of(ana, study)[0]["recalibration"]["methods"]
    for method, name in (("logistic", "shift and stretch"), ("isotonic", "monotone"), ("temperature", "stretch")):
        ana.get_by_role("radio", name=name, exact=True).click()
        after = ana.locator("section[aria-label='Recalibrated'] tr[data-row$='after']").first
        expect(after).to_contain_text(shown(methods[method]["metrics"]["brier"]["value"]))
        change = methods[method]["change"]["brier"]
        given = ana.locator("section[aria-label='Recalibrated'] tr[data-row]").first
        expect(given).to_contain_text(shown(change["difference"]))
        expect(given).to_contain_text(f"{shown(change['low_adjusted'])} to {shown(change['high_adjusted'])}")


def test_it_is_pinned_and_read_in_the_report(person, study):
    ana = person("ana")
    ana.goto(f"{study}/calibration")
    sentence = ana.locator("[data-part='sentence']")
    expect(sentence).to_contain_text("gives no probability")
    said = sentence.inner_text().strip()
    ana.keyboard.press("p")
    ana.get_by_label("Caption").fill("Can it be believed?")
    ana.get_by_role("button", name="Pin it").click()
    ana.get_by_role("dialog").wait_for(state="detached")
    number = study.split("/")[-1]
    page = ana.evaluate("id => fetch(`/api/v1/studies/${id}/dossier/preview`).then(r => r.text())", number)
    assert "Can it be believed?" in page
    assert said in page.replace("&#39;", "'")
    assert "lost by false probabilities" in page


def test_a_class_of_several_is_read_against_the_rest(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_leaf_condition(tmp_path / "leaf"))
    ana.goto(f"{study}/calibration?class=rust")
    expect(ana.locator("[data-part='sentence']")).to_contain_text("Probability of “rust”")
    net = next(c for c in told_of(ana, study) if c["name"] == "Large net")
    told = net["splits"]["test"]["per_class"]["rust"]["calibration"]
    walk = ana.locator("section[aria-label='What each Brier score is made of']")
    expect(walk).to_contain_text(shown(told["brier"]["value"]))
    assert told["parts"]["uncertainty"] - told["parts"]["discrimination"] + told["parts"]["miscalibration"] == (
        pytest.approx(told["brier"]["value"])
    )
    expect(ana.get_by_role("radio", name="stretch", exact=True)).to_be_checked()
    expect(ana.get_by_role("radio", name="monotone")).to_have_count(0)


def test_a_recalibrated_candidate_is_taken_along(person, study):
    ana = person("ana")
    ana.goto(f"{study}/calibration")
    told = told_of(ana, study)[0]["recalibration"]["methods"]["logistic"]["metrics"]["brier"]["value"]
    ana.get_by_role("button", name="take along Scores, recalibrated").click()
    expect(ana.locator("[data-chip='C']")).to_contain_text("Scores, shifted and stretched")
    expect(ana).to_have_url(re.compile("show=A%2CB%2CC"))
    ana.get_by_role("link", name="Roster").first.click()
    row = ana.locator("[data-row='Scores, shifted and stretched']")
    expect(row.locator("[data-metric='brier']")).to_have_text(shown(told))
