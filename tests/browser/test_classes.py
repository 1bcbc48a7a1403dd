"""Each class against the rest, with averages: read, saved, and counted again from the matrix on the screen."""

from __future__ import annotations

import csv
import io
import re

import pytest
from playwright.sync_api import expect

from browser.conftest import brought
from skarlo.core import shown
from skarlo.sample import write_leaf_condition

pytestmark = pytest.mark.browser
CLASSES = ("healthy", "rust", "mildew", "scorch", "chewed")


def test_each_class_and_the_averages(person, server, tmp_path):
    ana = person("ana")
    study = brought(server, write_leaf_condition(tmp_path / "leaf"))
    ana.goto(f"{study}/matrix")
    ana.get_by_role("button", name="each class, with averages").click()
    matrix = [
        [int(ana.locator(f"[data-cell='{i}-{j}'] [data-count='B']").inner_text().replace(",", "")) for j in range(5)]
        for i in range(5)
    ]
    table = ana.locator("[data-part='classes']")
    ana.get_by_role("region", name="Each class").get_by_role("button", name="Colour model in front").click()
    expect(table).to_have_attribute("data-candidate", "B")
    expect(ana).to_have_url(re.compile("classes=yes.*front=B|front=B.*classes=yes"))
    recalls = [row[i] / sum(row) for i, row in enumerate(matrix)]
    precisions = [row[i] / sum(matrix[k][i] for k in range(5)) for i, row in enumerate(matrix)]
    for label, recall, precision in zip(CLASSES, recalls, precisions, strict=True):
        row = table.locator(f"tr[data-row='{label}']")
        expect(row).to_contain_text(shown(recall))
        expect(row).to_contain_text(shown(precision))
    expect(table.locator("tr[data-row='macro']")).to_contain_text(shown(sum(recalls) / 5))
    with ana.expect_download() as saving:
        ana.get_by_role("region", name="Each class").get_by_role("button", name="CSV").click()
    saved = [
        r for r in csv.DictReader(io.StringIO(saving.value.path().read_text())) if r["candidate"] == "Colour model"
    ]
    assert [r["class"] for r in saved] == [*CLASSES, "macro", "weighted", "micro"]
    assert [float(r["recall"]) for r in saved[:5]] == pytest.approx(recalls)
    assert [int(r["actual_rows"]) for r in saved[:5]] == [sum(row) for row in matrix]
    pooled = sum(matrix[i][i] for i in range(5)) / sum(map(sum, matrix))
    assert float(saved[7]["precision"]) == pytest.approx(pooled)
