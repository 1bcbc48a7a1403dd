"""Small studies as files, for the tests that read files."""

from __future__ import annotations

import csv
import random
from pathlib import Path

import numpy as np
import pytest

from skarlo import core, intake

STUDY = """\
format = "skarlo.study/1"
title = "Small"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
positive = "yes"
split = "split"
report_on = "test"
tune_on = "tuning"
[[candidates]]
name = "Scores"
path = "scores.csv"
score = "p"
cutoff = 0.5
[[candidates]]
name = "Labels"
path = "labels.csv"
predicted = "said"
[settings]
draws = 200
"""


def rows_of(n: int = 200, seed: int = 7) -> list[dict]:
    """Made-up rows: id, actual, split, p, said."""
    rng = random.Random(seed)
    out = []
    for i in range(n):
        yes = rng.random() < 0.3
        p = min(0.999, max(0.001, rng.gauss(0.6 if yes else 0.35, 0.2)))
        out.append({
            "id": f"r{i:04d}", "actual": "yes" if yes else "no", "split": "test" if i % 3 else "tuning",
            "p": f"{p:.3f}", "said": "yes" if rng.random() < (0.7 if yes else 0.2) else "no",
        })  # fmt: skip
    return out


def write_csv(path: Path, rows: list[dict], columns: list[str]) -> Path:
    """Write some columns of rows."""
    with path.open("w", newline="", encoding="utf-8") as f:
        writer = csv.DictWriter(f, columns, extrasaction="ignore")
        writer.writeheader()
        writer.writerows(rows)
    return path


def write_study(folder: Path, rows: list[dict] | None = None, toml: str = STUDY) -> Path:
    """A folder with study.toml, the hold-out, and two candidates whose rows stand in another order."""
    folder.mkdir(parents=True, exist_ok=True)
    rows = rows_of() if rows is None else rows
    write_csv(folder / "holdout.csv", rows, [k for k in rows[0] if k not in ("p", "said")])
    write_csv(folder / "scores.csv", rows[::-1], ["id", "p"])
    write_csv(folder / "labels.csv", sorted(rows, key=lambda r: r["said"]), ["id", "said"])
    (folder / "study.toml").write_text(toml, encoding="utf-8")
    return folder / "study.toml"


def load(study: Path) -> core.Study:
    """A study file and the files it names."""
    return intake.load(intake.read_spec(study), lambda path: intake.Source(study.parent / path, path))


def problems(study: Path) -> list[str]:
    """What is wrong with a study that cannot be loaded, a line each."""
    with pytest.raises(intake.InputError) as caught:
        load(study)
    lines = caught.value.lines()
    assert all("\n" not in line for line in lines)
    return lines


TREES = ("ash", "elm", "oak")
TREE_STUDY = """
format = "skarlo.study/1"
title = "Which tree"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
classes = ["ash", "elm", "oak"]
show = { text = "note" }
[[candidates]]
name = "Net"
path = "net.csv"
probabilities = { ash = "ash", elm = "elm", oak = "oak" }
[[candidates]]
name = "Guide"
path = "net.csv"
predicted = "guess"
"""


def trees_of(n: int, seed: int = 8) -> list[tuple[int, list[float]]]:
    """Rows of three classes: the actual one, and the probability of each in hundredths."""
    rng = np.random.default_rng(seed)
    actual = rng.choice(3, n, p=[0.5, 0.3, 0.2])
    p = rng.dirichlet(np.ones(3), n) + np.eye(3)[actual] * rng.random((n, 1))
    p = np.round(p / p.sum(axis=1, keepdims=True), 2)
    p[:, 2] = np.round(1 - p[:, 0] - p[:, 1], 2)
    return list(zip(actual.tolist(), p.tolist(), strict=True))


def guess(i: int, actual: int) -> int:
    """What the candidate of classes alone says of the i-th of these rows."""
    return actual if i % 3 else (actual + 1) % 3


def write_trees(folder: Path, rows: list[tuple[int, list[float]]]) -> Path:
    """A study of three classes: one candidate gives probabilities, one classes alone."""
    folder.mkdir(parents=True)
    ids = [f"t{i:03}" for i in range(len(rows))]
    holdout = [{"id": i, "actual": TREES[y], "note": f"tree {i}"} for i, (y, _) in zip(ids, rows, strict=True)]
    net = [
        {"id": name, "guess": TREES[guess(i, y)]} | dict(zip(TREES, p, strict=True))
        for i, (name, (y, p)) in enumerate(zip(ids, rows, strict=True))
    ]
    write_csv(folder / "holdout.csv", holdout, ["id", "actual", "note"])
    write_csv(folder / "net.csv", net, ["id", "guess", *TREES])
    (folder / "study.toml").write_text(TREE_STUDY, encoding="utf-8")
    return folder / "study.toml"
