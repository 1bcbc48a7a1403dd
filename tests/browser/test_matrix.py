"""The matrix as people read it: together, one less another, classes taken together, and the rows behind a cell; each
number is counted again from the rows."""

from __future__ import annotations

import csv
import io
import re

import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import api, brought
from files import TREES, guess, rows_of, trees_of, write_study, write_trees
from skarlo.core import count, shown
from skarlo.core.stats.tests import mcnemar_midp

pytestmark = pytest.mark.browser


@pytest.fixture
def rows():
    return trees_of(300)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_trees(tmp_path / "trees", rows))


def said(rows):
    """(actual, what the first predicts, what the second does)."""
    return [(y, p.index(max(p)), guess(i, y)) for i, (y, p) in enumerate(rows)]


def cell(page, i, j):
    return page.locator(f"[data-part='rungs'] [data-cell='{i}-{j}']")


def test_all_candidates_stand_in_one_matrix_with_its_margins(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/matrix")
    for i in range(3):
        for j in range(3):
            for letter, k in (("A", 1), ("B", 2)):
                n = sum(r[0] == i and r[k] == j for r in said(rows))
                expect(cell(ana, i, j).locator(f"[data-count='{letter}']")).to_have_text(count(n))
    elm = [r for r in said(rows) if r[0] == 1]
    recall = sum(r[1] == 1 for r in elm) / len(elm)
    expect(ana.locator("[data-margin='recall-A']").nth(1)).to_contain_text(shown(recall))
    share = sum(r[1] == 1 for r in said(rows)) / 300
    expect(ana.locator("[data-under='share predicted-A-1'] .sr-only")).to_have_text(shown(share))
    accuracy = sum(r[0] == r[1] for r in said(rows)) / 300
    expect(ana.locator("[data-average='micro-precision-A']")).to_contain_text(shown(accuracy))


def test_the_rows_of_a_cell_follow_the_focus_and_live_in_the_address(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/matrix")
    cell(ana, 0, 0).get_by_role("button").click()
    ana.keyboard.press("ArrowRight")
    ana.keyboard.press("ArrowDown")
    ana.wait_for_url("**cell=1-1**")
    ana.keyboard.press("ArrowLeft")
    ana.wait_for_url("**cell=1-0**")
    strip = ana.locator("[data-part='rows-strip']")
    expect(strip).to_contain_text("Actual elm, predicted ash")
    mine = [i for i, r in enumerate(said(rows)) if r[:2] == (1, 0)]
    expect(strip.locator("[data-total]")).to_have_attribute("data-total", str(len(mine)))
    expect(strip.get_by_role("listitem").first).to_contain_text(f"tree t{mine[0]:03}")
    expect(strip.get_by_role("listitem").first).to_contain_text(shown(max(rows[mine[0]][1])))
    vic = person("vic")
    vic.goto(ana.url)
    expect(vic.locator("[data-part='rows-strip'] [data-total]")).to_have_attribute("data-total", str(len(mine)))
    strip.get_by_role("button", name="Guide in front").click()
    other = sum(r[0] == 1 and r[2] == 0 for r in said(rows))
    expect(strip.locator("[data-total]")).to_have_attribute("data-total", str(other))
    strip.get_by_role("button", name="close").click()
    expect(strip).to_have_count(0)


def test_one_less_another_is_tinted_only_where_the_data_separates_them(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/matrix?mode=less")
    told = {}
    for i in range(3):
        for j in range(3):
            a = [r[1] == j for r in said(rows) if r[0] == i]
            b = [r[2] == j for r in said(rows) if r[0] == i]
            n = sum(a) - sum(b)
            expect(cell(ana, i, j).locator("[data-less]")).to_have_text(
                f"{'+' if n > 0 else '−' if n < 0 else ''}{abs(n)}"
            )
            pairs = list(zip(a, b, strict=True))
            told[i, j] = mcnemar_midp(pairs.count((True, False)), pairs.count((False, True)))
    worst, best = max(told, key=told.get), min(told, key=told.get)
    assert told[best] < 0.001
    expect(cell(ana, *best)).to_have_attribute("data-apart", "true")
    expect(cell(ana, *worst)).to_have_attribute("data-apart", "false")
    first = cell(ana, 0, 0).locator("[data-less]").inner_text()
    ana.get_by_label("One", exact=True).select_option("B")
    ana.wait_for_url("**pair=B-A**")
    turned = first.replace("+", "−") if "+" in first else first.replace("−", "+")
    expect(cell(ana, 0, 0).locator("[data-less]")).to_have_text(turned)
    pairs = ana.request.get(f"{api(study)}/parts?kinds=pairs", headers={"Prefer": "wait=60"}).json()["pairs"]
    (pair,) = [p for p in pairs if {p["a"], p["b"]} == {"Net", "Guide"}]
    for kind, name in (("macro", "recall"), ("macro", "precision"), ("weighted", "f1")):
        d = pair["averages"][kind][name]
        sign = 1 if pair["a"] == "Guide" else -1
        shows = ana.locator(f"[data-less-average='{kind}-{name}']")
        expect(shows).to_contain_text(shown(sign * d["difference"]))
        expect(shows).to_contain_text(shown(min(sign * d["low"], sign * d["high"])))
        expect(shows.locator("[data-apart]")).to_have_attribute("data-apart", str(d["p_adjusted"] <= 0.05).lower())


def test_classes_are_taken_together_by_added_probabilities(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/matrix?class=elm")
    ana.get_by_label("Take together").select_option("rest")
    ana.wait_for_url(re.compile("merge=0%2C1%2C0"))
    both = [(int(y == 1), int(p[1] > p[0] + p[2])) for y, p in rows]
    for i in (0, 1):
        for j in (0, 1):
            expect(cell(ana, i, j).locator("[data-count='A']")).to_have_text(count(both.count((i, j))))
    with ana.expect_download() as saving:
        ana.get_by_role("button", name="CSV").click()
    saved = list(csv.DictReader(io.StringIO(saving.value.path().read_text())))
    assert [r["actual"] for r in saved if r["candidate"] == "Net"] == ["ash + oak", "elm"]
    assert float(saved[1]["predicted elm"]) == both.count((1, 1))
    ana.get_by_label("Take together").select_option("none")
    expect(cell(ana, 2, 2)).to_be_visible()


def test_shares_and_orders(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/matrix?mode=each&show=A")
    taken = [r[:2] for r in said(rows)]
    n = taken.count((0, 2))
    share = ana.locator("[data-matrix='A'] [data-cell='0-2'] [data-share='A']")
    expect(share).to_have_text(shown(n / sum(y == 0 for y, _ in taken)))
    ana.get_by_label("Bars").select_option("predicted")
    expect(share).to_have_text(shown(n / sum(j == 2 for _, j in taken)))
    ana.get_by_label("Bars").select_option("all")
    expect(share).to_have_text(shown(n / 300))
    ana.get_by_label("Order").select_option("rows")
    by_rows = sorted(range(3), key=lambda k: -sum(y == k for y, _ in taken))
    heads = ana.locator("[data-matrix='A'] tbody th[scope='row']")
    for at, k in enumerate(by_rows):
        expect(heads.nth(at)).to_contain_text(TREES[k])
    ana.keyboard.press("x")
    expect(ana).to_have_url(re.compile("across=actual"))


def test_shares_of_two_classes_one_by_one(person, server, tmp_path):
    rows = rows_of(600)
    ana = person("ana")
    ana.goto(f"{brought(server, write_study(tmp_path / 'two', rows))}/matrix?split=test&cut=A:0.4&mode=each")
    test = [(float(r["p"]) >= 0.4, r["actual"] == "yes") for r in rows if r["split"] == "test"]
    tp, fp, fn, _ = brute.outcomes([y for _, y in test], [f for f, _ in test])
    cell = ana.locator("[data-matrix='A'] [data-outcome='tp']")
    for of, whole in (("actual", tp + fn), ("predicted", tp + fp), ("all", len(test))):
        ana.get_by_label("Shares", exact=True).select_option(of)
        expect(cell).to_contain_text(f"{shown(tp / whole)} ")


def test_a_pinned_matrix_opens_again_as_it_was(person, study):
    ana = person("ana")
    ana.goto(f"{study}/matrix?mode=less&pair=B-A&across=actual&order=rows")
    expect(cell(ana, 0, 0)).to_be_visible()
    ana.keyboard.press("p")
    ana.get_by_label("Caption").fill("B less A")
    ana.get_by_role("button", name="Pin it").click()
    expect(ana.get_by_role("dialog")).to_have_count(0)
    ana.goto(f"{study}/roster")
    ana.get_by_role("link", name=re.compile("B less A")).click()
    for part in ("mode=less", "pair=B-A", "across=actual", "order=rows"):
        expect(ana).to_have_url(re.compile(part))
    expect(ana.get_by_role("radio", name="one less another")).to_be_checked()


def test_a_number_of_any_view_opens_its_rows(person, study, rows):
    ana, told = person("ana"), said(rows)
    ana.goto(f"{study}/matrix")
    total, condition = ana.locator("[data-part='total']"), ana.get_by_label("Condition", exact=True)
    ana.locator("button[data-candidate='Guide'][data-metric='recall']").first.click()
    ana.get_by_role("link", name=f"The rows that were “{TREES[0]}”").click()
    expect(ana.locator("h1")).to_have_text("Casebook")
    expect(condition).to_have_value(f'actual = "{TREES[0]}"')
    expect(total).to_have_text(f"{sum(y == 0 for y, *_ in told)} rows")
    ana.goto(f"{study}/matrix?classes=yes&front=B")
    ana.locator("button[data-candidate='Guide'][data-metric='precision']").first.click()
    ana.get_by_role("link", name=f"The rows that Guide predicted “{TREES[0]}”").click()
    expect(condition).to_have_value(f'predicted(B) = "{TREES[0]}"')
    expect(total).to_have_text(f"{sum(b == 0 for *_, b in told)} rows")
    ana.goto(f"{study}/roster")
    ana.locator("button[data-candidate='Net'][data-metric='accuracy']").click()
    ana.get_by_role("link", name="The rows it is read from").click()
    expect(ana.locator("h1")).to_have_text("Casebook")
    expect(total).to_have_text(f"{len(rows)} rows")
    ana.goto(f"{study}/matrix?mode=each&cell=0-1&front=B")
    ana.get_by_role("link", name="all in the Casebook").click()
    expect(condition).to_have_value(f'actual = "{TREES[0]}" and predicted(B) = "{TREES[1]}"')
    expect(total).to_have_text(f"{sum((y, b) == (0, 1) for y, _, b in told)} rows")
