"""What README and methods.md work out by hand is what is computed."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

import skarlo
from skarlo.core import calibration, probability, ranking, tally

ROOT = Path(__file__).parents[1]


def test_the_readme_example_runs(capsys):
    code = re.search(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.DOTALL)
    exec(code[1], {})
    said = capsys.readouterr().out
    assert "ours" in said
    assert "Of the 3 rows it called “yes”, 2 were: 2 / 3 = 0.667." in said


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
    assert calibration.CLIP == probability.CLIP == 1e-15
