"""Curves of many classes, areas by other methods, and a cutoff dragged along its line."""

from __future__ import annotations

import re
from itertools import pairwise

import numpy as np
import pytest
from playwright.sync_api import expect

import brute
from browser.conftest import brought
from files import TREES, rows_of, trees_of, write_study, write_trees
from skarlo.core import as_set, shown

pytestmark = pytest.mark.browser


def test_classes_of_one_candidate_with_their_means(person, server, tmp_path):
    rows = trees_of(300)
    study = brought(server, write_trees(tmp_path / "trees", rows))
    ana = person("ana")
    ana.goto(f"{study}/curves")
    ana.get_by_role("radio", name="classes of one candidate").click()
    table = ana.locator("[data-part='class-areas']")
    areas = [brute.area([y == k for y, _ in rows], [p[k] for _, p in rows]) for k in range(3)]
    precisions = [brute.average_precision([y == k for y, _ in rows], [p[k] for _, p in rows]) for k in range(3)]
    for label, area, precision in zip(TREES, areas, precisions, strict=True):
        expect(table.locator(f"tr[data-row='{label}']")).to_contain_text(shown(area))
        expect(table.locator(f"tr[data-row='{label}']")).to_contain_text(shown(precision))
    mean, pooled = (table.locator(f"tr[data-row='{row}']") for row in ("plain mean", "pooled"))
    expect(mean).to_contain_text(shown(float(np.mean(areas))))
    expect(mean).to_contain_text(shown(float(np.mean(precisions))))
    pairs = [(y == k, p[k]) for y, p in rows for k in range(3)]
    expect(pooled).to_contain_text(shown(brute.average_precision(*zip(*pairs, strict=True))))
    expect(ana.locator("[data-end='m']")).to_have_count(2)
    ana.keyboard.press("ArrowDown")
    expect(ana).to_have_url(re.compile("class=elm"))
    table.get_by_role("button", name="3 oak").click()
    expect(ana).to_have_url(re.compile("class=oak"))
    expect(ana.get_by_text("Guide answers classes only")).to_be_visible()


@pytest.fixture
def rows():
    return rows_of(600)


@pytest.fixture
def study(server, tmp_path, rows):
    return brought(server, write_study(tmp_path / "files", rows))


def test_other_areas_are_told_on_request(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/curves")
    told = ana.locator("[data-part='areas']")
    expect(told.locator("[data-area]")).to_have_count(0)
    ana.get_by_label("Part of the area up to").fill("0.1")
    ana.get_by_label("Part of the area up to").press("Enter")
    ana.get_by_role("button", name="with precision-recall by straight lines").click()
    test = [(r["actual"] == "yes", float(r["p"])) for r in rows if r["split"] == "test"]
    p, n = sum(y for y, _ in test), sum(not y for y, _ in test)
    points = [(0.0, 0.0, None)]
    for cutoff in sorted({s for _, s in test}, reverse=True):
        tp, fp = (sum(y == want and s >= cutoff for y, s in test) for want in (True, False))
        points.append((fp / n, tp / p, tp / (tp + fp)))
    area = 0.0
    for (x0, y0, _), (x1, y1, _) in pairwise(points):
        to = min(x1, 0.1)
        if to > x0:
            area += (to - x0) * (2 * y0 + (y1 - y0) * (to - x0) / (x1 - x0)) / 2
    expect(told.locator("[data-area='partial']")).to_contain_text(shown(area / 0.1))
    recall, precision = [0.0, *(x[1] for x in points[1:])], [points[1][2], *(x[2] for x in points[1:])]
    lines = sum((recall[i + 1] - recall[i]) * (precision[i + 1] + precision[i]) / 2 for i in range(len(recall) - 1))
    expect(told.locator("[data-area='lines']")).to_have_text(shown(lines))
    vic = person("vic")
    vic.goto(ana.url)
    expect(vic.locator("[data-area='lines']")).to_have_text(shown(lines))


def test_a_ring_is_dragged_along_its_line(person, study, rows):
    ana = person("ana")
    ana.goto(f"{study}/curves?split=tuning")
    ring = ana.get_by_role("group", name=re.compile("^ROC")).locator("[data-ring='A']")
    expect(ring).to_be_visible()
    box, plot = ring.bounding_box(), ana.get_by_role("group", name=re.compile("^ROC")).bounding_box()
    ana.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    ana.mouse.down()
    ana.mouse.move(plot["x"] + plot["width"] * 0.35, plot["y"] + plot["height"] * 0.2, steps=4)
    ana.mouse.up()
    ana.wait_for_url(re.compile("cut=A%3A(?!0.5(&|$))"))
    cutoff = float(re.search(r"cut=A%3A([\d.]+)", ana.url)[1])
    assert cutoff != 0.5
    expect(ana.locator("[data-chip='A']")).to_contain_text(f"≥ {as_set(cutoff)}")
    expect(ring.locator("title")).to_contain_text(f"≥ {as_set(cutoff)}")
    tuning = [r for r in rows if r["split"] == "tuning"]
    fpr = np.mean([float(r["p"]) >= cutoff for r in tuning if r["actual"] == "no"])
    ana.goto(ana.url.replace("/curves", "/cutoff"))
    expect(ana.locator("[data-part='chosen']")).to_have_text("chosen by hand on the tuning rows")
    assert 0 < fpr < 1
