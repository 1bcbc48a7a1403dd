"""What ails a leaf? 2,400 invented photographs of 600 trees, five conditions, and three candidates.

The large net is the best and too sure of itself; the colour model takes rust for scorch; the field guide answers
classes only and runs now. Leaves of one tree share much of their luck, so rows count for less than they number; the
candidates do worse on pictures from old phones.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl
from PIL import Image, ImageDraw

CLASSES = ("healthy", "rust", "mildew", "scorch", "chewed")
DISTRICTS = ("Harbour", "Mill Quarter", "Northgate", "Old Town", "Riverside", "Terraces")
TREES, LEAVES, TUNED = 600, 4, 200
SHARES = (0.44, 0.2, 0.15, 0.13, 0.08)
LEAF = {"healthy": "#4d8a3a", "rust": "#6f8a3a", "mildew": "#6f9470", "scorch": "#8a8a3a", "chewed": "#4d8a3a"}
SPOT = {"healthy": "#4d8a3a", "rust": "#a6501c", "mildew": "#e6e9e0", "scorch": "#5e4420", "chewed": "#f4f1ea"}

STUDY = """\
format = "skarlo.study/1"
title  = "Leaf condition from photographs"

[holdout]
path      = "holdout.csv"
id        = "leaf_id"
truth     = "condition"
classes   = ["healthy", "rust", "mildew", "scorch", "chewed"]
split     = "split"
report_on = "test"
tune_on   = "tuning"
group     = "tree_id"
slices    = [["phone"], ["district"]]
show      = { picture = "picture", embedding = ["e1", "e2", "e3", "e4"] }

[[candidates]]
name          = "Large net"
path          = "large_net.parquet"
probabilities = { healthy = "healthy", rust = "rust", mildew = "mildew", scorch = "scorch", chewed = "chewed" }
version       = "2026-03"
made_with     = { layers = 18, epochs = 40, pictures = 51000 }
latency_ms    = 38.0

[[candidates]]
name          = "Colour model"
path          = "colour_model.parquet"
probabilities = { healthy = "healthy", rust = "rust", mildew = "mildew", scorch = "scorch", chewed = "chewed" }
latency_ms    = 1.5

[[candidates]]
name   = "Field guide"
path   = "field_guide.csv"
predicted = "said"
runs_now = true

[[metrics]]
name    = "among the two likeliest"
measure = "top_k_accuracy"
k       = 2

[[gates]]
metric   = "recall"
class    = "rust"
at_least = 0.6
"""


def leaf_condition(seed: int = 20260501) -> dict[str, pl.DataFrame]:
    """The tables of the study, keyed by file name."""
    rng = np.random.default_rng(seed)
    n, k = TREES * LEAVES, len(CLASSES)
    tree = np.repeat(np.arange(TREES), LEAVES)
    usual = rng.choice(k, TREES, p=SHARES)
    actual = np.where(rng.random(n) < 0.6, usual[tree], rng.choice(k, n, p=SHARES))
    phone = rng.choice(3, TREES, p=(0.5, 0.3, 0.2))[tree]
    luck = rng.normal(size=(TREES, k))[tree]
    seen = np.eye(k)[actual] * np.where(phone == 2, 1.0, 2.1)[:, None] + 0.75 * luck + 0.75 * rng.normal(size=(n, k))
    net = 2.6 * (seen + 0.4 * rng.normal(size=(n, k)))  # half as sure again as it has reason to be
    colour = 0.7 * seen + 0.8 * rng.normal(size=(n, k))
    colour[:, 1] = colour[:, 3] + 0.25 * (colour[:, 1] - colour[:, 3]) - 0.2  # to it rust is scorch
    said = (seen + 1.3 * rng.normal(size=(n, k)) + np.log(SHARES)).argmax(axis=1)
    axes = rng.normal(size=(k, 4))
    embedding = np.round(seen @ axes + 0.3 * rng.normal(size=(n, 4)), 3)
    ids = np.array([f"L-{i:05d}" for i in rng.permutation(40000)[:n] + 10000])
    holdout = pl.DataFrame({
        "leaf_id": ids,
        "tree_id": [f"T-{t:04d}" for t in tree],
        "district": np.array(DISTRICTS)[rng.integers(0, len(DISTRICTS), TREES)[tree]],
        "phone": np.array(("new", "ordinary", "old"))[phone],
        "month": rng.integers(5, 10, TREES)[tree],
        **{f"e{i + 1}": embedding[:, i] for i in range(4)},
        "picture": [f"pictures/{i}.png" for i in ids],
        "split": np.where(tree < TUNED, "tuning", "test"),
        "condition": np.array(CLASSES)[actual],
    })  # fmt: skip
    tables = {"holdout.csv": holdout}
    for name, logits in (("large_net.parquet", net), ("colour_model.parquet", colour)):
        e = np.exp(logits - logits.max(axis=1, keepdims=True))
        p = e / e.sum(axis=1, keepdims=True)
        order = rng.permutation(n)
        tables[name] = pl.DataFrame({"leaf_id": ids[order]} | {c: p[order, i] for i, c in enumerate(CLASSES)})
    order = rng.permutation(n)
    tables["field_guide.csv"] = pl.DataFrame({"leaf_id": ids[order], "said": np.array(CLASSES)[said[order]]})
    return tables


def picture(condition: str, rng: np.random.Generator, size: int = 32) -> Image.Image:
    """A small drawing of a leaf in some condition."""
    image = Image.new("RGB", (size, size), "#f4f1ea")
    pen = ImageDraw.Draw(image)
    pen.ellipse((size * 0.22, size * 0.06, size * 0.78, size * 0.86), fill=LEAF[condition])
    pen.line((size / 2, size * 0.1, size / 2, size * 0.97), fill="#3a5c2c", width=1)
    for _ in range(0 if condition == "healthy" else int(rng.integers(4, 9))):
        x, y = size * rng.uniform(0.3, 0.7), size * rng.uniform(0.15, 0.8)
        r = size * rng.uniform(0.02, 0.08 if condition != "chewed" else 0.12)
        pen.ellipse((x - r, y - r, x + r, y + r), fill=SPOT[condition])
    return image


def write_leaf_condition(folder: Path) -> Path:
    """Write the study as plain files, pictures among them; returns the path of study.toml."""
    (folder / "pictures").mkdir(parents=True, exist_ok=True)
    tables = leaf_condition()
    for name, table in tables.items():
        (table.write_parquet if name.endswith(".parquet") else table.write_csv)(folder / name)
    rng = np.random.default_rng(7)
    for name, condition in tables["holdout.csv"].select("picture", "condition").rows():
        picture(condition, rng).save(folder / name, optimize=True)
    path = folder / "study.toml"
    path.write_text(STUDY, encoding="utf-8")
    return path
