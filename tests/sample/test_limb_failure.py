"""The sample world is what it is said to be: each candidate's known fault can be found in its numbers."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo import core, intake
from skarlo.core.counting import tally
from skarlo.core.metrics import ranking
from skarlo.sample import write_limb_failure
from skarlo.sample.limb_failure import SPLITS, limb_failure

SLICED = '\nslices = [["district"]]\n[[candidates]]'


@pytest.fixture(scope="module")
def results(tmp_path_factory):
    path = write_limb_failure(tmp_path_factory.mktemp("world") / "limb")
    path.write_text(path.read_text().replace("\n[[candidates]]", SLICED, 1))
    return core.evaluate(intake.load(intake.read_spec(path), lambda p: intake.Source(path.parent / p, p)), "none")


def candidate(results, name, split="test"):
    return next(c for c in results["candidates"] if c["name"] == name)["splits"][split]


def test_the_same_world_each_time():
    first, again = limb_failure(), limb_failure()
    assert all(first[name].equals(again[name]) for name in first)
    assert limb_failure(seed=1)["holdout.csv"]["failed"].to_list() != first["holdout.csv"]["failed"].to_list()


def test_rows_splits_and_rarity(results):
    assert results["holdout"]["splits"] == SPLITS
    assert candidate(results, "Checklist")["metrics"]["prevalence"]["value"] == pytest.approx(1 / 8, abs=0.01)


def test_two_cannot_be_separated_on_ranking(results):
    lead = results["best"]["test"]["roc_auc"]
    assert {lead["leader"], *lead["not_separated"]} == {"Gradient boosting", "Neural net"}


def test_one_is_badly_calibrated(results):
    net, boosting = (candidate(results, n)["metrics"] for n in ("Neural net", "Gradient boosting"))
    assert net["calibration_slope"]["high"] < 0.8
    assert boosting["calibration_slope"]["value"] > net["calibration_slope"]["high"]
    assert net["ece"]["p_calibrated"] == 0
    assert net["ece"]["low"] > 2 * net["ece"]["expected_if_calibrated"]


def test_one_fits_its_train_rows_too_well(results):
    def area(name, split):
        return candidate(results, name, split)["metrics"]["roc_auc"]["value"]

    gap = {n: area(n, "train") - area(n, "test") for n in ("Gradient boosting", "Neural net", "Logistic")}
    assert gap["Gradient boosting"] > 0.1
    assert max(gap["Neural net"], gap["Logistic"]) < 0.05


def test_one_serves_a_district_badly(results):
    areas = {s["by"]["district"]: s["metrics"]["roc_auc"]["value"] for s in candidate(results, "Logistic")["slices"]}
    harbour = areas.pop("Harbour")
    assert harbour < min(areas.values())
    rest = next(s for s in candidate(results, "Logistic")["slices"] if s["by"]["district"] == "Harbour")["rest"]
    assert rest["roc_auc"]["p_adjusted"] < 0.05
    assert rest["roc_auc"]["high"] < 0


def test_the_checklist_answers_classes_only(results):
    assert candidate(results, "Checklist")["metrics"]["roc_auc"]["value"] is None
    assert next(c for c in results["candidates"] if c["runs_now"])["name"] == "Checklist"


def test_no_field_alone_gives_the_class_away():
    table = limb_failure()["holdout.csv"]
    failed = (table["failed"] == "yes").to_numpy()
    for name in ("girth_cm", "height_m", "lean_deg", "years_since_pruning"):
        score = table[name].to_numpy().astype(float)
        t = tally.make(score, failed)
        assert 0.35 < ranking.roc_area(t) < 0.8, name
    assert np.unique(table["tree_id"].to_numpy()).size == table.height
