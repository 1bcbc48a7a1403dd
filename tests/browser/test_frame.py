"""The frame: addresses that restore, keys, roles, access for all."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from browser.conftest import brought, held_back
from command import skarlo
from files import rows_of, write_study
from skarlo.core import shown
from skarlo.sample import write_limb_failure

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[2] / "ui" / "node_modules" / "axe-core" / "axe.min.js"
VIEWS = ("intake", "roster", "matrix", "curves", "cutoff", "calibration", "dossier")


@pytest.fixture
def study(server, tmp_path):
    return brought(server, write_study(tmp_path / "files"))


def test_an_address_restores_what_its_sender_saw(person, study):
    ana, vic = person("ana"), person("vic")
    ana.goto(f"{study}/matrix?split=tuning&show=A&cut=A:0.37")
    expect(ana.locator("[data-part='split']")).to_contain_text("Tuning")
    expect(ana.locator("main[aria-busy='false'] [data-matrix='A'] button.number")).to_have_count(4)
    seen = ana.locator("[data-matrix='A'] button.number").all_inner_texts()
    ana.reload()
    expect(ana.locator("[data-matrix='A'] button.number")).to_have_text(seen)
    vic.goto(ana.url)
    expect(vic.locator("[data-chip='A']")).to_contain_text("≥ 0.37")
    expect(vic.locator("[data-matrix='B']")).to_have_count(0)
    expect(vic.locator("[data-matrix='A'] button.number")).to_have_text(seen)


def test_a_plain_address_is_written_out(person, study):
    ana = person("ana")
    ana.goto(study)
    expect(ana).to_have_url(re.compile(r"/roster\?split=test&show=A%2CB&cut=A%3A0\.5"))
    ana.goto(f"{study}/curves?split=moon&show=Z&cut=A:x,Q:1")
    expect(ana.locator("[data-part='split']")).to_contain_text("Test")
    expect(ana.get_by_role("heading", name="Curves")).to_be_visible()


def test_whoever_is_in_the_bar_stays_there_while_the_study_comes(person, study):
    page = person("ana")
    go = held_back(page, re.compile(r"/parts\?"))
    page.goto(f"{study}/roster")
    expect(page.get_by_text("Evaluating")).to_be_visible()
    account = page.get_by_role("button", name="ana")
    account.focus()
    go.set()
    expect(page.get_by_role("heading", name="Roster")).to_be_visible()
    expect(account).to_be_focused()


def test_keys_switch_walk_nudge_and_undo(person, study):
    ana = person("ana")
    ana.goto(f"{study}/roster")
    expect(ana.locator("tr[data-row='Labels']")).to_be_visible()
    ana.keyboard.press("2")
    expect(ana.locator("tr[data-row='Labels']")).to_have_count(0)
    ana.keyboard.press("2")
    expect(ana.locator("tr[data-row='Labels']")).to_be_visible()
    for _ in range(3):
        ana.keyboard.press("j")
    expect(ana.get_by_role("heading", name="Cutoff", exact=True)).to_be_visible()
    expect(ana.get_by_role("slider")).to_have_attribute("aria-valuenow", "0.5")
    ana.keyboard.press(".")
    ana.keyboard.press(".")
    ana.keyboard.press("<")
    expect(ana.get_by_role("slider")).to_have_attribute("aria-valuenow", "0.492")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.492")
    ana.keyboard.press("u")
    expect(ana.locator("[data-chip='A']")).to_contain_text("≥ 0.5")
    ana.keyboard.press("?")
    expect(ana.get_by_role("dialog")).to_contain_text("No key does something that cannot be undone")
    ana.keyboard.press("Escape")
    ana.keyboard.press("/")
    ana.get_by_label("Part of a name").fill("matr")
    ana.keyboard.press("Enter")
    expect(ana.get_by_role("heading", name="Matrix", exact=True)).to_be_visible()


def test_removing_an_exhibit_can_be_undone(person, study):
    ana = person("ana")
    ana.goto(f"{study}/matrix")
    ana.get_by_role("button", name="Pin this view").click()
    ana.get_by_label("Caption").fill("Where it errs")
    ana.keyboard.press("Enter")
    expect(ana.get_by_role("dialog")).to_have_count(0)
    ana.goto(f"{study}/dossier")
    ana.get_by_role("button", name="Remove exhibit 1").click()
    expect(ana.locator("[data-exhibit]")).to_have_count(0)
    ana.get_by_role("button", name=re.compile("undo removing")).click()
    expect(ana.get_by_label("Caption of exhibit 1")).to_have_value("Where it errs")


def test_a_cutoff_moved_on_the_reported_rows_is_called_that(person, study):
    ana = person("ana")
    ana.goto(f"{study}/cutoff")
    expect(ana.get_by_role("note")).to_contain_text("chosen on the rows it is reported on")
    expect(ana.get_by_role("slider")).to_be_visible()
    ana.keyboard.press(".")
    expect(ana.locator("[data-step='cutoff']")).to_contain_text("A chosen on test")
    ana.goto(f"{study}/roster")
    expect(ana.get_by_label("Findings")).to_contain_text("was chosen on the test rows it is reported on")


def test_a_viewer_reads_and_is_offered_no_change(person, study):
    vic = person("vic")
    vic.goto(f"{study}/matrix")
    expect(vic.locator("[data-part='rungs']")).to_be_visible()
    expect(vic.get_by_role("button", name="Pin this view")).to_have_count(0)
    vic.keyboard.press("p")
    expect(vic.get_by_role("dialog")).to_have_count(0)
    vic.goto(f"{study}/dossier")
    expect(vic.get_by_role("button", name="Submit for sign-off")).to_have_count(0)
    vic.goto(f"{study}/cutoff")
    expect(vic.get_by_role("slider")).to_be_visible()
    vic.keyboard.press(".")
    expect(vic.locator("[data-chip='A']")).to_contain_text("≥ 0.501")  # in this address only
    vic.goto(f"{study}/cutoff")
    expect(vic.locator("[data-chip='A']")).to_contain_text("≥ 0.5")


def test_signed_out_one_is_sent_to_sign_in_and_back(chromium, study):
    page = chromium.new_page()
    page.goto(f"{study}/matrix?split=tuning")
    expect(page).to_have_url(re.compile(r"/sign-in\?to="))
    page.get_by_label("Name").fill("ana")
    page.get_by_label("Password").fill("a long password")
    page.get_by_role("button", name="Sign in").click()
    expect(page).to_have_url(re.compile(r"/matrix\?split=tuning"))
    page.close()


def test_sorting_and_saving_the_roster(person, study):
    ana = person("ana")
    ana.goto(f"{study}/roster")
    recall = ana.get_by_role("button", name="Recall", exact=True)
    recall.click()

    def column():
        cells = ana.locator("tbody tr").filter(has=ana.locator("svg")).locator("button[data-metric='recall']")
        return [float(x) for x in cells.all_inner_texts()]

    down = column()
    assert down == sorted(down, reverse=True)
    recall.click()
    assert column() == down[::-1]
    with ana.expect_download() as download:
        ana.get_by_role("button", name="CSV").click()
    lines = Path(download.value.path()).read_text().splitlines()
    assert lines[0].startswith("candidate,split,cutoff,roc_auc,roc_auc_low")
    assert len(lines) == 5
    recalls = {line.split(",")[0]: line.split(",")[15] for line in lines[1:]}
    saved = [float(recalls[name]) for name in [line.split(",")[0] for line in lines[1:3]]]
    assert saved == sorted(saved), "in the order that is shown"
    assert sorted(shown(float(recalls[name])) for name in ("Scores", "Labels")) == sorted(f"{x:.3f}" for x in down)


def test_going_nearer_to_a_curve_and_back(person, study):
    ana = person("ana")
    ana.goto(f"{study}/curves")
    plot = ana.get_by_role("group", name=re.compile("^ROC"))
    box = plot.bounding_box()
    line = plot.locator("path[stroke='var(--color-c1)']").first
    whole = line.get_attribute("d")
    ana.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + box["height"] * 0.1)
    ana.mouse.down()
    ana.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5, steps=4)
    ana.mouse.up()
    assert line.get_attribute("d") != whole
    ana.get_by_role("button", name="the whole").click()
    assert line.get_attribute("d") == whole
    plot.focus()
    ana.keyboard.press("+")
    near = line.get_attribute("d")
    ana.keyboard.press("ArrowRight")
    assert len({whole, near, line.get_attribute("d")}) == 3
    ana.keyboard.press("0")
    assert line.get_attribute("d") == whole
    expect(ana.get_by_role("button", name="the whole")).to_have_count(0)


def test_each_number_of_the_roster_stands_in_the_results_file(person, server, tmp_path):
    """The sample study, by the command line and on the screen."""
    path = write_limb_failure(tmp_path / "limb")
    study = brought(server, path)
    done = skarlo("evaluate", path)
    kept = {c["name"]: c["splits"] for c in json.loads(done.stdout)["candidates"]}
    page = person("ana")
    for split in ("test", "train"):
        page.goto(f"{study}/roster?split={split}")
        cells = page.locator("main[aria-busy='false'] [data-part='roster'] button[data-metric]")
        expect(cells).to_have_count(6 * 7)
        for cell in cells.all():
            metric = kept[cell.get_attribute("data-candidate")][split]["metrics"][cell.get_attribute("data-metric")]
            assert cell.inner_text() == shown(metric["value"])


def test_figures_are_saved_as_they_stand(person, study):
    ana = person("ana")
    ana.goto(f"{study}/curves")
    for kind, start in (("SVG", b"<svg"), ("PNG", b"\x89PNG")):
        with ana.expect_download() as download:
            ana.get_by_role("button", name=kind).first.click()
        assert Path(download.value.path()).read_bytes().startswith(start)


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_no_barrier_is_found_by_axe(person, study, scheme):
    ana = person("ana", color_scheme=scheme)
    for view in VIEWS:
        ana.goto(f"{study}/{view}")
        expect(ana.locator("main h1")).to_be_visible()
        ana.wait_for_load_state("networkidle")
        ana.evaluate(AXE.read_text())
        found = ana.evaluate("axe.run(document, {runOnly: ['wcag2a', 'wcag2aa']}).then(r => r.violations)")
        told = [(v["id"], [n["html"][:160] for n in v["nodes"][:3]]) for v in found]
        assert told == [], f"{view} ({scheme}): {json.dumps(told, indent=1)}"


def test_a_slice_is_read_in_every_view_and_pinned(person, server, tmp_path):
    rows = [{**r, "ward": ("North", "South")[i % 3 % 2]} for i, r in enumerate(rows_of(300))]
    study = brought(server, write_study(tmp_path / "files", rows))
    page = person("ana")
    page.goto(f"{study}/intake")
    for split in ("tuning", "test"):
        of = [r["actual"] == "yes" for r in rows if r["split"] == split]
        expect(page.get_by_role("row", name=re.compile(f"^{split}"))).to_contain_text(shown(sum(of) / len(of)))
    page.goto(f"{study}/matrix")
    page.locator("main[aria-busy='false']").wait_for()
    page.evaluate("document.querySelector('[aria-label=\"What is being read\"]').dataset.before = 'there'")
    page.locator("[data-part='slice']").press("Enter")  # by key alone
    page.get_by_role("menuitem", name="ward").press("ArrowRight")
    page.get_by_role("menuitem", name="North").press("Enter")
    expect(page.locator("[data-slice='ward']")).to_contain_text("North")
    expect(page.locator("[data-before='there']")).to_be_visible()  # the frame stays while the slice is on its way
    here = [r for r in rows if r["ward"] == "North" and r["split"] == "test"]
    found = sum(r["actual"] == "yes" and float(r["p"]) >= 0.5 for r in here)
    expect(page.locator("[data-cell='1-1'] [data-count='A']")).to_have_text(str(found))
    expect(page.locator("[data-part='slice-rows']")).to_have_text(f"{len(here)} rows")
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").click()
    lines = Path(download.value.path()).read_text().splitlines()
    assert lines[0].startswith("candidate,split,slice,cutoff,actual")
    assert {line.split(",")[2] for line in lines[1:]} == {"ward=North"}
    page.keyboard.press("j")
    expect(page.locator("[data-part='sentence'][aria-busy='false']")).to_contain_text("here ward is North")
    page.keyboard.press("p")
    page.get_by_label("Caption").fill("In the north")
    page.get_by_role("button", name="Pin it").click()
    page.get_by_role("button", name="All rows, whatever ward is").click()
    expect(page.locator("[data-slice]")).to_have_count(0)
    page.get_by_role("link", name=re.compile("In the north")).click()
    expect(page.locator("[data-slice='ward']")).to_contain_text("North")
    page.goto(f"{study}/matrix?in=ward%3DMoon")
    expect(page.get_by_role("alert")).to_contain_text("no row has ward “Moon”")
    page.get_by_role("link", name="Read all rows").click()
    expect(page.locator("[data-part='rungs']")).to_be_visible()
