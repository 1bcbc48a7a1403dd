"""Cutoffs moved by hand: what is kept, what is shown and what the rows say are one and the same, however fast."""

from __future__ import annotations

import csv
import math
import random
import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from browser.conftest import api, brought, held_back
from files import rows_of, write_study
from oddstudies import KINDS, odd
from skarlo.core import as_set, count, shown
from skarlo.core.stats.intervals import wilson

pytestmark = pytest.mark.browser
SETTLED = "main[aria-busy='false']"
DRAGS = 50  # with each of two seeds
WAIT = {"Prefer": "wait=60"}  # however busy the machine is


def kept(page, study):
    """The first candidate's cutoff, as the server keeps it."""
    told = page.request.get(api(study), headers=WAIT).json()
    return told["candidates"][0]


def kept_in_the_end(page, study, wanted):
    """The same once it is as wanted: numbers may be there before the word that keeps the cutoff has arrived. What is
    kept last stays, so that of two in the wrong order this says the wrong one."""
    for _ in range(50):
        if kept(page, study)["cutoff"] == wanted:
            break
        page.wait_for_timeout(100)
    page.wait_for_load_state("networkidle")
    return kept(page, study)["cutoff"]


def drag(page, strip, to):
    """Take the handle somewhere, to a share of the strip's width, and let go of it."""
    box = strip.bounding_box()
    page.mouse.move(box["x"] + box["width"] * to, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * (to + 0.01), box["y"] + 30)
    page.mouse.up()


def shown_numbers(live):
    """All that stands beside a strip: (cutoff, counts, rates, intervals)."""
    return live.evaluate(
        """e => [Number(e.dataset.at),
          ...['liveCount', 'metric', 'interval'].map(key => Object.fromEntries(
            [...e.querySelectorAll('[data-live-count], [data-metric], [data-interval]')]
              .filter(x => key in x.dataset).map(x => [x.dataset[key], x.textContent])))]"""
    )


def rates_of(n):
    """What stands under a strip; one miss costs ten needless flags, of 1,000 rows."""
    rows = sum(n[k] for k in ("tp", "fp", "fn", "tn")) + n.get("unanswered_negative", 0)
    return {name: shown(value) for name, value in {
        "recall": n["tp"] / (n["tp"] + n["fn"]),
        "precision": n["tp"] / (n["tp"] + n["fp"]) if n["tp"] + n["fp"] else None,
        "flagged_share": (n["tp"] + n["fp"]) / rows,
        "f1": 2 * n["tp"] / (2 * n["tp"] + n["fp"] + n["fn"]),
    }.items()} | {"cost": count(math.floor(1000 * (n["fp"] + 10 * n["fn"]) / rows + 0.5))}  # fmt: skip


def intervals_of(n):
    """Wilson's, of rows without weights and groups."""
    rows = sum(n.values())
    mapped = [2 * x / (1 + x) for x in wilson(n["tp"], n["tp"] + n["fp"] + n["fn"], 0.95)]
    ends = {
        "recall": wilson(n["tp"], n["tp"] + n["fn"], 0.95),
        "precision": wilson(n["tp"], n["tp"] + n["fp"], 0.95) if n["tp"] + n["fp"] else None,
        "flagged_share": wilson(n["tp"] + n["fp"], rows, 0.95), "f1": mapped,
    }  # fmt: skip
    return {name: f"{shown(e[0])} to {shown(e[1])}" if e else None for name, e in ends.items()}


def test_a_hundred_drags_with_two_evaluations_overlapping(person, server, tmp_path):
    """Let go, take hold again while the first is evaluated, let go: at every look all numbers are of one cutoff, and
    in the end it is the one that is kept."""
    rows = rows_of(600)
    study = brought(server, write_study(tmp_path / "files", rows))
    page = person("ana")
    page.goto(f"{study}/cutoff?split=tuning")
    live, strip = page.locator("[data-live='A']"), page.locator("[data-strip='1']")
    expect(live.locator("button[data-metric='recall']")).to_be_visible()
    tuning = [r for r in rows if r["split"] == "tuning"]
    rng = random.Random(1)

    def counted(at):
        n = dict.fromkeys(("tp", "fp", "fn", "tn"), 0)
        for r in tuning:
            yes, flags = r["actual"] == "yes", float(r["p"]) >= at
            n["tp" if yes and flags else "fp" if flags else "fn" if yes else "tn"] += 1
        return n

    def look():
        at, counts, rates, intervals = shown_numbers(live)
        n = counted(at)
        assert counts == {name: count(v) for name, v in n.items()}, at
        assert rates == rates_of(n), at
        assert all(intervals[name] == said for name, said in intervals_of(n).items() if said), at
        return at, live.get_attribute("data-moving") == "true"

    overlapped = 0
    for _ in range(DRAGS // 2):
        drag(page, strip, rng.uniform(0.05, 0.9))
        overlapped += look()[1]
        drag(page, strip, rng.uniform(0.05, 0.9))
        at, _ = look()
        slider = float(page.get_by_role("slider").get_attribute("aria-valuenow"))
        assert slider == at
        expect(page.locator(SETTLED)).to_be_visible()
        assert look()[0] == at
        assert kept_in_the_end(page, study, at) == at
        expect(page.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(at)}")
    results = page.request.get(f"{api(study)}/results", headers=WAIT).json()
    (found,) = (c for c in results["candidates"] if c["name"] == "Scores")
    assert found["cutoff"] == {"value": at, "rule": "by hand", "chosen_on": "tuning"}
    n = found["splits"]["tuning"]["metrics"]
    said = {name: f"{shown(n[name]['low'])} to {shown(n[name]['high'])}" for name in ("recall", "f1")}
    assert {name: intervals_of(counted(at))[name] for name in said} == said
    assert overlapped > DRAGS // 4, "the evaluations did not overlap"


def test_the_sentence_and_the_matrix_wait_for_the_cutoff_that_is_shown(person, server, tmp_path):
    """While an evaluation is on its way, what only it can tell is shown as pending, and nothing older stands there."""
    study = brought(server, write_study(tmp_path / "files", rows_of(400)))
    page = person("ana")
    page.goto(f"{study}/matrix?split=test&show=A&cut=A:0.5")
    matrix = page.locator("[data-matrix='A']")
    expect(matrix.locator("[data-outcome='tp'] button.number")).to_be_visible()
    before = matrix.locator("[data-outcome='tp'] button.number").inner_text()
    expect(page.locator(SETTLED)).to_be_visible()
    go = held_back(page, re.compile(r"/(parts|sentence)\?"))
    sentence = page.locator("[data-part='sentence']")
    expect(sentence).to_contain_text("misses")
    old = sentence.inner_text()
    page.evaluate("history.replaceState(null, '', location.href.replace('0.5', '0.7'))")
    page.evaluate("dispatchEvent(new PopStateEvent('popstate'))")
    expect(page.locator("main[aria-busy='true']")).to_be_visible()
    expect(page.locator("[data-chip='A']")).to_contain_text("≥ 0.7")
    expect(matrix).to_contain_text("⋯")
    assert before not in matrix.inner_text().split()
    expect(sentence).to_have_attribute("aria-busy", "true")
    assert "misses" in old
    assert "misses" not in sentence.inner_text()  # what is hidden keeps the room and is no text
    go.set()
    expect(page.locator(SETTLED)).to_be_visible()
    expect(matrix.locator("[data-outcome='tp'] button.number")).not_to_have_text(before)
    expect(sentence).to_contain_text("misses")
    assert sentence.inner_text() != old


@pytest.mark.parametrize("kind", KINDS)
def test_odd_studies_show_what_their_rows_say(person, server, tmp_path, kind):
    study = odd(tmp_path / "odd", kind)
    address = brought(server, study.path)
    page = person("ana")
    page.goto(f"{address}/matrix?mode=each")
    expect(page.locator(SETTLED)).to_be_visible()
    letters = page.locator("[data-chip]").evaluate_all("all => all.map(e => e.dataset.chip)")
    assert len(letters) == len(study.candidates)
    for c, letter in list(zip(study.candidates, letters, strict=True))[:4]:
        n = study.counts(c)
        cells = page.locator(f"[data-matrix='{letter}']")
        lost = n["unanswered_positive"], n["unanswered_negative"]
        wanted = {"tp": n["tp"], "fp": n["fp"], "fn": n["fn"] - lost[0], "tn": n["tn"]}
        wanted |= {"none0": lost[1], "none1": lost[0]} if any(lost) else {}
        expect(cells.locator("[data-outcome]")).to_have_count(len(wanted))
        for name, rows in wanted.items():
            first = cells.locator(f"[data-outcome='{name}'] .font-semibold").first
            expect(first).to_have_text(count(rows))
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").click()
    with Path(download.value.path()).open(encoding="utf-8") as f:
        saved = list(csv.DictReader(f))
    for c in study.candidates:
        n = study.counts(c)
        mine = {r["actual"]: r for r in saved if r["candidate"] == c.name}
        assert float(mine["yes"]["predicted yes"]) == n["tp"]
        assert float(mine["no"]["predicted yes"]) == n["fp"]
        assert float(mine["yes"]["predicted no"]) == n["fn"] - n["unanswered_positive"]
        assert float(mine["no"]["predicted no"]) == n["tn"]
    page.goto(f"{address}/cutoff?split=tuning")
    expect(page.locator(SETTLED)).to_be_visible()
    if study.candidates[0].cutoff is None:
        expect(page.get_by_role("slider")).to_have_count(0)
        return
    page.goto(f"{address}/cutoff?split=test")
    catches = page.get_by_role("region", name="The next catches")
    expect(catches.locator("tbody b").first).to_be_visible()
    assert catches.evaluate("e => e.scrollWidth <= e.clientWidth"), "it stays within its card"
    page.goto(f"{address}/cutoff?split=tuning")
    live, strip = page.locator("[data-live='A']"), page.locator("[data-strip='1']")
    expect(live.locator("button[data-metric='recall']")).to_be_visible()
    for to in (0.62, 0.17):
        drag(page, strip, to)
        at, counts, rates, _ = shown_numbers(live)
        n = study.counts(study.candidates[0], "tuning", at)
        assert counts == {name: count(n[name]) for name in ("tp", "fp", "fn", "tn")}
        assert rates == rates_of(n)
    expect(page.locator(SETTLED)).to_be_visible()
    assert kept(page, address)["cutoff"] == at
