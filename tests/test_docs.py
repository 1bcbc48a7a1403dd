"""What README and methods.md work out by hand is what is computed."""

from __future__ import annotations

import re
import runpy
from pathlib import Path

import numpy as np
import pytest

import skarlo
from skarlo import core
from skarlo.core.compare.more_rows import Standing, clearing
from skarlo.core.counting import tally
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import losses, own, ranking
from skarlo.core.metrics.definitions import METRICS
from skarlo.core.metrics.trust import APPROXIMATE
from skarlo.core.stats import association
from skarlo.core.study import OwnMetric, Settings

ROOT = Path(__file__).parents[1]


def test_the_readme_example_runs(capsys):
    code = re.search(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.DOTALL)
    exec(code[1], {})
    said = capsys.readouterr().out
    assert "ours" in said
    assert "Of the 3 rows it predicted “yes”, 2 were: 2 / 3 = 0.667." in said


def test_every_picture_and_link_of_the_readme_is_there():
    for target in re.findall(r"\]\(([^)#]+)\)", (ROOT / "README.md").read_text()):
        assert (ROOT / target).exists(), target


def test_methods_by_hand():
    t = tally.make(np.array([0.9, 0.8, 0.3, 0.1]), np.array([True, False, True, False]))
    assert ranking.roc_area(t) == 0.75
    assert ranking.average_precision_value(t) == pytest.approx(0.833, abs=5e-4)
    assert ranking.ks_value(t) == 0.5
    two = skarlo.evaluate(["y", "n"], {"m": [0.8, 0.4]}, positive="y")["candidates"][0]["splits"]["all"]["metrics"]
    assert two["brier"]["value"] == pytest.approx(0.10)
    assert two["brier_skill"]["value"] == pytest.approx(0.6)
    assert two["ece"]["value"] == pytest.approx(0.3)
    part = skarlo.evaluate(list("aabc"), {"m": list("abba")})["candidates"][0]["splits"]["all"]
    assert part["metrics"]["balanced_accuracy"]["value"] == 0.5
    assert part["averages"]["macro"]["precision"]["value"] == pytest.approx(1 / 3)
    assert losses.CLIP == 1e-15


def test_methods_by_hand_of_what_is_asked_besides():
    actual, score = ["y", "n", "y", "n"], [0.9, 0.6, 0.3, 0.1]
    results = skarlo.evaluate(actual, {"m": score}, positive="y")
    part = results["candidates"][0]["splits"]["all"]
    gain = part["gain"]
    assert (gain["flagged_share"][1], gain["recall"][1], gain["lift"][1]) == (0.25, 0.5, 2.0)
    at = part["net_benefit"]["threshold"].index(0.2)
    assert part["net_benefit"]["net_benefit"][at] == pytest.approx(0.4375)
    assert part["net_benefit"]["all"][at] == pytest.approx(0.375)
    y = np.array([1, 0, 1, 0])
    rows = Answers.of_scores(y, np.array(score), 0.5)
    for measure, parameters, value in (
        ("partial_area", {"fpr_at_most": 0.5}, 0.5), ("precision_at_top", {"rows": 2}, 0.5),
        ("expected_cost", {"cost": [[0, 1], [5, 0]]}, 1.5),
    ):  # fmt: skip
        asked = OwnMetric("own", None, "higher", {}, measure, parameters)
        assert own.metric(asked, rows, Settings(draws=100), "")["value"] == value, measure
    assert clearing(0.01, 0.02, Standing(1000), "accuracy") == {"rows": 3000}
    told = association.told(np.array([[2, 0], [0, 2]]))
    assert (told.bits, told.share) == pytest.approx((2 / 3, 1.0))


def test_the_tables_of_metrics_are_current():
    text = (ROOT / "docs" / "methods.md").read_text(encoding="utf-8")
    written = runpy.run_path(str(ROOT / "docs" / "tables.py"))
    assert text == written["with_tables"](text), "make tables"
    ways = set(re.findall(r"`(\w+)`", text.partition("<!-- metrics -->")[2].partition("<!-- /metrics -->")[0]))
    assert set(METRICS) | {"hall", "kosinski", "mover_paired"} <= ways


def test_what_is_marked_approximate_is_what_the_coverage_table_says():
    text = (ROOT / "docs" / "methods.md").read_text()
    table = text.partition("<!-- coverage -->")[2].partition("<!-- /coverage -->")[0]
    rows = [[cell.strip() for cell in line.strip("|").split("|")] for line in table.splitlines() if line[:2] == "| "]
    assert len(rows) > 100
    assert {(row[0], row[1]) for row in rows if row[-1] == "approximate"} == APPROXIMATE


def test_every_fault_that_was_found_names_a_test_that_exists():
    root = Path(__file__).parents[1]
    named = re.findall(
        r"`((?:ui/)?tests/[\w./]+)(?:::(\w+))?`", (root / "docs" / "held.md").read_text(encoding="utf-8")
    )
    assert len(named) > 40
    for path, test in named:
        text = (ROOT / path).read_text(encoding="utf-8")
        assert not test or f"def {test}(" in text, (path, test)


def test_every_fault_put_in_by_hand_has_its_place():
    import mutants

    for fault in mutants.FAULTS:
        text = (mutants.ROOT / "src" / "skarlo" / fault.file).read_text(encoding="utf-8")
        assert text.count(fault.old) == 1, fault.what
        assert (mutants.ROOT / fault.tests.split("::")[0].split()[0]).exists(), fault.what


@pytest.mark.parametrize("name", [n for n in core.__all__ if callable(getattr(core, n)) and n[0].islower()])
def test_every_function_of_the_core_s_face_shows_itself_at_work(name):
    told = getattr(core, name).__doc__
    assert "Examples\n    --------" in told, "with an example that is run as a test, or written out"
    assert told[0] != "\n"
