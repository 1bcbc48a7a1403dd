"""From two files to a signed report, as people do it; every number on the way is counted again here."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import PASSWORD
from files import rows_of, write_csv
from skarlo.core import as_set, shown

pytestmark = [pytest.mark.browser, pytest.mark.own_server]  # it reads the list of studies


@pytest.fixture
def files(tmp_path):
    rows = rows_of(400)
    return rows, [
        write_csv(tmp_path / "trees.csv", rows, ["id", "actual", "split"]),
        write_csv(tmp_path / "boosting.csv", rows[::-1], ["id", "p"]),
        write_csv(tmp_path / "rules.csv", sorted(rows, key=lambda r: r["p"]), ["id", "said"]),
    ]


def make_study(page, paths):
    page.get_by_role("link", name="New study from files").click()
    page.get_by_label("The question").fill("Which one finds the yes rows?")
    page.get_by_label("Hold-out file").set_input_files(paths[0])
    expect(page.get_by_text("trees.csv: 400 rows, 3 columns")).to_be_visible()
    expect(page.get_by_label("Row id")).to_have_value("id")
    expect(page.get_by_label("Actual class")).to_have_value("actual")
    page.get_by_label("Positive class").select_option("yes")
    expect(page.get_by_label("Reported on")).to_have_value("test")
    page.get_by_label("Candidate file").set_input_files(paths[1:])
    first, second = page.locator("[data-candidate-row='1']"), page.locator("[data-candidate-row='2']")
    first.get_by_label("Name of the candidate").fill("Boosting")
    second.get_by_label("Name of the candidate").fill("House rules")
    expect(first.get_by_label("Score column")).to_have_value("p")
    expect(second.get_by_label("Predicted class column")).to_have_value("said")
    second.get_by_label("runs now").check()
    page.get_by_role("button", name="Make the study").click()


def actual_and_predicted(rows, split, key, cutoff=0.5):
    chosen = [r for r in rows if r["split"] == split]
    predicted = [float(r["p"]) >= cutoff if key == "p" else r["said"] == "yes" for r in chosen]
    return [r["actual"] == "yes" for r in chosen], predicted


def number(page, candidate, metric):
    return page.locator(f"button[data-candidate='{candidate}'][data-metric='{metric}']")


def pin(page, caption):
    page.keyboard.press("p")
    page.get_by_label("Caption").fill(caption)
    page.get_by_role("button", name="Pin it").click()
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_from_files_to_a_signed_report(person, server, files, tmp_path):
    rows, paths = files
    ana = person("ana")
    ana.goto(server.address)
    make_study(ana, paths)
    expect(ana.get_by_role("heading", name="Intake")).to_be_visible()
    test_rows = [r for r in rows if r["split"] == "test"]
    expect(ana.get_by_role("row", name=re.compile("^test"))).to_contain_text(str(len(test_rows)))

    # Roster: each number against a count by hand.
    ana.keyboard.press("j")
    expect(ana.get_by_role("heading", name="Roster")).to_be_visible()
    for name, key in (("Boosting", "p"), ("House rules", "said")):
        for metric, value in brute.rates(*actual_and_predicted(rows, "test", key)).items():
            if metric in ("accuracy", "precision", "recall", "f1"):
                expect(number(ana, name, metric)).to_have_text(shown(value))
    actual, score = [r["actual"] == "yes" for r in test_rows], [float(r["p"]) for r in test_rows]
    expect(number(ana, "Boosting", "roc_auc")).to_have_text(shown(brute.area(actual, score)))
    ap = brute.average_precision(actual, score)
    expect(number(ana, "Boosting", "average_precision")).to_have_text(shown(ap))
    expect(number(ana, "Boosting", "brier")).to_have_text(shown(brute.brier(actual, score)))
    expect(number(ana, "House rules", "roc_auc")).to_have_text("—")

    # Any number unfolds.
    tp, fp, fn, tn = brute.outcomes(*actual_and_predicted(rows, "test", "p"))
    number(ana, "Boosting", "precision").click()
    unfolded = ana.locator("[data-part='unfolded']")
    expect(unfolded).to_contain_text(f"Of the {tp + fp} rows it predicted “yes”, {tp} were: {tp} / {tp + fp}")
    expect(unfolded).to_contain_text("Wilson")
    ana.keyboard.press("Escape")
    pin(ana, "Boosting leads")

    # Matrix.
    ana.keyboard.press("j")
    for cell, count in (("1-1", tp), ("0-1", fp), ("1-0", fn), ("0-0", tn)):
        expect(ana.locator(f"[data-cell='{cell}'] [data-count='A']")).to_have_text(str(count))
    ana.get_by_role("radio", name="one by one").click()
    matrix = ana.locator("[data-matrix='A']")
    for outcome, count in (("tp", tp), ("fp", fp), ("fn", fn), ("tn", tn)):
        expect(matrix.locator(f"[data-outcome='{outcome}'] button.number")).to_have_text(str(count))
    pin(ana, "Where each one errs")

    # Curves: the cutoff under the pointer is one of the scores.
    ana.keyboard.press("j")
    expect(ana.locator("[data-end='A']").first).to_contain_text(shown(brute.area(actual, score)))
    box = ana.get_by_role("group", name=re.compile("^ROC")).bounding_box()
    ana.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + box["height"] * 0.35)
    under = ana.locator("[data-part='under-pointer']").first
    expect(under).to_contain_text("cutoff ≥")
    cutoff = re.search(r"≥ ([\d.]+) · false-positive rate ([\d.]+) · recall ([\d.]+)", under.inner_text())
    told = brute.rates(actual, [s >= float(cutoff[1]) for s in score])
    assert (shown(told["fpr"]), shown(told["recall"])) == (cutoff[2], cutoff[3])
    pin(ana, "Ranking")

    # Cutoff: the numbers follow the hand without a request, and are kept on release.
    ana.keyboard.press("j")
    ana.get_by_role("button", name="Choose on tuning").click()
    expect(ana.locator("[data-part='split']")).to_contain_text("Tuning")
    kept = drag_and_check(ana, rows)
    expect(ana.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(kept)}")
    expect(ana.locator("[data-part='chosen']")).to_have_text("chosen by hand on the tuning rows")
    pin(ana, "Chosen on tuning")

    # Calibration: the Brier score is that of the rows.
    ana.keyboard.press("j")
    expect(ana.get_by_role("heading", name="Calibration", exact=True)).to_be_visible()
    expect(ana.get_by_role("region", name="Promised and happened")).to_be_visible()

    # Slices, the casebook and head-to-head stand between: this hold-out has no field, two candidates, and rows.
    for title in ("Slices", "Casebook", "Head-to-head"):
        ana.keyboard.press("j")
        expect(ana.get_by_role("heading", name=title, level=1)).to_be_visible()

    # Dossier: argue, order, decide.
    ana.keyboard.press("j")
    exhibits = ana.locator("[data-exhibit]")
    expect(exhibits).to_have_count(4)
    ana.get_by_role("button", name="Move exhibit 4 up").click()
    expect(exhibits.nth(2)).to_have_attribute("data-exhibit", "cutoff")
    ana.get_by_role("button", name="Remove exhibit 4").click()
    expect(exhibits).to_have_count(3)
    ana.get_by_role("button", name="Insert a draft from the numbers").click()
    expect(ana.get_by_label("The argument")).to_have_value(re.compile("What was compared"))
    expect(ana.get_by_text("Needed first: a decision.")).to_be_visible()
    ana.locator("#decision").select_option("Boosting")
    expect(ana.locator("[data-part='decision-cutoff']")).to_have_text(f"at ≥ {as_set(kept)}")
    expect(ana.locator("[data-part='decision-chosen']")).to_have_text("chosen by hand on the tuning rows")
    ana.get_by_label("For which rows").fill("For all rows, until *autumn*.")
    # The title is on its way for a while: nothing is frozen before it is kept.
    ana.route("**/dossier", lambda route: (ana.wait_for_timeout(700), route.continue_()))
    ana.get_by_label("Title of the report").fill("Use boosting")
    ana.get_by_role("button", name="Submit for sign-off").click()
    expect(ana.get_by_role("button", name="Freeze and submit")).to_be_disabled()
    ana.get_by_role("button", name="Freeze and submit").click()
    ana.unroute("**/dossier")
    expect(ana.locator("[data-part='stamp']")).to_have_text(re.compile("waiting", re.I))
    expect(ana.get_by_text("someone else signs it")).to_be_visible()
    fingerprint = ana.locator("[data-part='fingerprint']").inner_text()
    revision_address = ana.url

    # The approver sends it back; the author goes on to revision 2.
    ava = person("ava")
    ava.goto(revision_address)
    report = ava.frame_locator("iframe")
    expect(report.get_by_role("heading", name="Use boosting")).to_be_visible()
    after = brute.rates(*actual_and_predicted(rows, "test", "p", kept))
    decision = report.locator(".decision")
    expect(decision).to_contain_text(f"≥ {as_set(kept)}, chosen by hand on the tuning rows")
    expect(decision.get_by_role("row", name="test rows")).to_contain_text(f"{shown(after['recall'])} (")
    ava.get_by_role("button", name="Send it back with a reason").click()
    ava.get_by_label("Why it goes back").fill("Say for how long.")
    ava.get_by_role("button", name="Send it back", exact=True).click()
    expect(ava.locator("[data-part='stamp']")).to_have_text(re.compile("returned", re.I))

    ana.goto(revision_address.replace("/revisions/1", "/dossier"))
    expect(ana.get_by_text("Say for how long.")).to_be_visible()
    ana.get_by_label("For which rows").fill("For all rows, until the end of October.")
    ana.get_by_role("button", name="Submit for sign-off").click()
    ana.get_by_role("button", name="Freeze and submit").click()
    expect(ana.get_by_role("heading", name="Revision 2")).to_be_visible()
    assert ana.locator("[data-part='fingerprint']").inner_text() != fingerprint

    # Revision 2 is signed, with the password only.
    ava.goto(ana.url)
    ava.get_by_label("Your password").fill("not the password")
    ava.get_by_role("button", name="Sign this revision").click()
    expect(ava.get_by_role("alert")).to_have_text("Wrong password. Nothing was signed; try again.")
    ava.get_by_label("Your password").fill(PASSWORD)
    ava.get_by_role("button", name="Sign this revision").click()
    expect(ava.locator("[data-part='stamp']")).to_have_text(re.compile("^signed$", re.I))

    # The report, saved, opens from disk with no network and no script.
    with ava.expect_download() as download:
        ava.get_by_role("link", name="save as one HTML file").click()
    saved = tmp_path / "report.html"
    download.value.save_as(saved)
    alone(ava.context.browser, saved, "until the end of October", shown(after["recall"]))


def drag_and_check(page, rows):
    """Drag the handle in steps; at each, the live counts are those of a count by hand. Returns the cutoff kept."""
    requests = []
    # what is fetched ahead for other views says of no page that it waits
    page.on("request", lambda r: r.headers.get("x-page") == "" or requests.append(r.url))
    strip = page.locator("[data-strip='1']")
    live = page.locator("[data-live='A']")
    expect(live.locator("[data-live-count='tp']")).to_be_visible()
    seen = -1
    while seen != len(requests):  # longer than the page waits between two looks at long work
        seen = len(requests)
        page.wait_for_timeout(2500)
    box = strip.bounding_box()
    slider = page.get_by_role("slider")
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 30)
    page.mouse.down()
    requests.clear()
    for share in (0.3, 0.42, 0.55, 0.71, 0.38):
        page.mouse.move(box["x"] + box["width"] * share, box["y"] + 30, steps=3)
        cutoff = float(slider.get_attribute("aria-valuenow"))
        tp, fp, fn, tn = brute.outcomes(*actual_and_predicted(rows, "tuning", "p", cutoff))
        for name, count in (("tp", tp), ("fp", fp), ("fn", fn), ("tn", tn)):
            expect(live.locator(f"[data-live-count='{name}']")).to_have_text(str(count))
        for name, value in brute.rates(*actual_and_predicted(rows, "tuning", "p", cutoff)).items():
            if name in ("recall", "precision", "f1"):
                expect(live.locator(f"[data-metric='{name}']")).to_have_text(shown(value))
    assert requests == []
    page.mouse.up()
    expect(live).to_have_attribute("data-moving", "false")
    # At rest the server's numbers stand there, and they are the same.
    for name, value in brute.rates(*actual_and_predicted(rows, "tuning", "p", cutoff)).items():
        if name in ("recall", "precision", "f1"):
            expect(live.locator(f"button[data-metric='{name}']")).to_have_text(shown(value))
    return cutoff


def alone(browser, path, *texts):
    context = browser.new_context(offline=True, java_script_enabled=False)
    page = context.new_page()
    asked = []
    page.on("request", lambda r: asked.append(r.url))
    page.goto(path.as_uri())
    for text in texts:
        assert text in page.content()
    expect(page.locator(".stamp.signed")).to_be_visible()
    expect(page.locator("figure svg").first).to_be_visible()
    assert [url for url in asked if not url.startswith(("file:", "data:"))] == []
    context.close()


def test_a_fault_in_a_file_is_shown_with_its_rows_and_can_be_mended(person, server, files, tmp_path):
    rows, paths = files
    broken = [dict(r) for r in rows]
    broken[10]["p"] = "high"
    broken[20]["id"] = broken[21]["id"]
    write_csv(paths[1], broken, ["id", "p"])
    ana = person("ana")
    ana.goto(server.address)
    make_study(ana, paths)
    alert = ana.get_by_role("alert")
    expect(alert).to_contain_text("the files cannot be used: 3 problems")
    expect(alert).to_contain_text(f"boosting.csv, row 23, id {rows[21]['id']}, column id: the id stands twice")
    expect(alert).to_contain_text(f"id {rows[20]['id']}, column id: has no answer for this hold-out row")
    ana.get_by_role("button", name="Remove Boosting").click()
    write_csv(paths[1], rows, ["id", "p"])
    ana.get_by_label("Candidate file").set_input_files(paths[1])
    expect(ana.locator("[data-part='join']").last).to_contain_text(f"{len(rows)} rows matched")
    ana.get_by_role("button", name="Make the study").click()
    expect(ana.get_by_role("heading", name="Intake")).to_be_visible()
    ana.get_by_role("link", name="Skarlo, all studies").click()
    expect(ana.get_by_role("listitem")).to_have_count(1)
