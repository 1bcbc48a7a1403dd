"""The two studies of many classes: what is said of each candidate can be found in its numbers."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image

from skarlo import core, intake
from skarlo.sample import STUDIES
from skarlo.sample.leaf_condition import leaf_condition
from skarlo.sample.residents_messages import residents_messages


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("world")


def evaluated(folder, name):
    path = STUDIES[name](folder / name)
    return core.evaluate(intake.load(intake.read_spec(path), lambda p: intake.Source(path.parent / p, p)), "none")


@pytest.fixture(scope="module")
def leaves(folder):
    return evaluated(folder, "leaf-condition")


@pytest.fixture(scope="module")
def reports(folder):
    return evaluated(folder, "residents-messages")


def candidate(results, name):
    found = next(c for c in results["candidates"] if c["name"] == name)
    return found["splits"][results["holdout"]["report_on"]]


@pytest.mark.parametrize("make", [leaf_condition, residents_messages])
def test_the_same_world_each_time(make):
    first, again = make(), make()
    assert all(first[name].equals(again[name]) for name in first)


def test_leaves_of_a_tree_share_their_luck(leaves):
    part = candidate(leaves, "Large net")
    accuracy = part["metrics"]["accuracy"]
    assert accuracy["interval"] == "wilson_clustered"
    p, n = accuracy["value"], part["rows"]
    alone = 2 * 1.96 * np.sqrt(p * (1 - p) / n)
    assert accuracy["high"] - accuracy["low"] > 1.1 * alone, "rows that belong together count for less"


def test_the_large_net_is_the_best_and_too_sure(leaves):
    net, colour = candidate(leaves, "Large net")["metrics"], candidate(leaves, "Colour model")["metrics"]
    assert net["accuracy"]["low"] > colour["accuracy"]["high"]
    assert net["ece"]["p_calibrated"] < 0.01
    found = next(c for c in leaves["candidates"] if c["name"] == "Large net")["recalibration"]["methods"]["temperature"]
    assert found["learned"]["temperature"] > 1.3
    assert found["change"]["log_loss"]["high"] < 0


def test_to_the_colour_model_rust_is_scorch(leaves):
    matrix = np.array(candidate(leaves, "Colour model")["matrix"])
    rust, scorch = (leaves["holdout"]["classes"].index(c) for c in ("rust", "scorch"))
    assert matrix[rust, scorch] > 1.3 * matrix[rust, rust]
    gates = {g["candidate"]: g["status"] for g in leaves["gates"]}
    assert gates["Colour model"] == "fail"
    assert gates["Large net"] == "pass"


def test_old_phones_are_served_worse(leaves):
    by = {s["by"]["phone"]: s for s in candidate(leaves, "Large net")["slices"] if "phone" in s["by"]}
    assert by["old"]["rest"]["accuracy"]["high"] < 0


def test_pictures_are_there_and_small(leaves, folder):
    pictures = sorted((folder / "leaf-condition" / "pictures").iterdir())
    assert len(pictures) == leaves["holdout"]["rows"]
    with Image.open(pictures[0]) as image:
        assert image.size == (32, 32)


def test_labellers_leave_rows_without_an_answer(reports):
    silent = {name: candidate(reports, name)["no_answer"] for name in ("Large labeller", "Small labeller")}
    assert 0 < silent["Large labeller"] < silent["Small labeller"]
    assert len(candidate(reports, "Small labeller")["matrix"][0]) == 7, "a column for no answer"
    assert {"answer_is_no_class", "no_answer"} <= {f["code"] for f in reports["findings"]}


def test_dear_is_better_and_cheap_takes_broken_things_for_litter(reports):
    large, small = candidate(reports, "Large labeller"), candidate(reports, "Small labeller")
    assert large["metrics"]["accuracy"]["low"] > small["metrics"]["accuracy"]["high"]
    prices = {c["name"]: c.get("price_per_1000") for c in reports["candidates"]}
    assert prices["Large labeller"] > 10 * prices["Small labeller"] > prices["Keyword rules"] == 0
    broken, litter = (reports["holdout"]["classes"].index(c) for c in ("broken thing", "litter"))
    assert small["matrix"][broken][litter] > small["matrix"][broken][broken]
    assert {g["candidate"]: g["status"] for g in reports["gates"]}["Large labeller"] == "pass"
