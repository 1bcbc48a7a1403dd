"""Will a street tree drop a limb this season? 9,000 invented trees and four candidates.

The candidates differ in known ways: gradient boosting and the neural net cannot be separated on ranking; the neural
net is overconfident; boosting fits its train rows too well; the logistic regression serves one district badly; the
paper checklist answers classes only.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl

DISTRICTS = ("Harbour", "Mill Quarter", "Northgate", "Old Town", "Riverside", "Terraces")
SPECIES = ("plane", "lime", "horse chestnut", "maple", "oak", "poplar")
SOILS = ("clay", "loam", "sand", "fill")
FRAIL = {"poplar": 0.9, "horse chestnut": 0.5, "lime": 0.1, "maple": 0.0, "plane": -0.3, "oak": -0.4}
SPLITS = {"train": 3000, "tuning": 2000, "test": 4000}

STUDY = """\
format = "skarlo.study/1"
title  = "Street-tree limb failure, spring re-evaluation"

[holdout]
path      = "holdout.csv"
id        = "tree_id"
truth     = "failed"
positive  = "yes"
names     = { no = "intact", yes = "failed" }
words     = { tp = "caught", fn = "missed", fp = "needless", tn = "rightly left" }
split     = "split"
report_on = "test"
tune_on   = "tuning"
also      = ["train"]

[[candidates]]
name   = "Gradient boosting"
path   = "boosting.csv"
score  = "p_failed"
cutoff = 0.18

[[candidates]]
name   = "Neural net"
path   = "net.csv"
score  = "p_failed"
cutoff = 0.26

[[candidates]]
name   = "Logistic"
path   = "logistic.csv"
score  = "p_failed"
cutoff = 0.15

[[candidates]]
name   = "Checklist"
path   = "checklist.csv"
predicted = "decision"
runs_now = true
"""


def _expit(x: np.ndarray) -> np.ndarray:
    return np.asarray(1.0 / (1.0 + np.exp(-x)))


def limb_failure(seed: int = 20260401) -> dict[str, pl.DataFrame]:
    """The tables of the study: the hold-out and one for each candidate, keyed by file name."""
    rng = np.random.default_rng(seed)
    n = sum(SPLITS.values())
    district = rng.choice(len(DISTRICTS), n, p=(0.08, 0.17, 0.2, 0.15, 0.22, 0.18))
    species = rng.choice(len(SPECIES), n, p=(0.24, 0.2, 0.12, 0.2, 0.14, 0.1))
    soil = rng.choice(len(SOILS), n, p=(0.35, 0.35, 0.15, 0.15))
    girth = np.round(np.clip(rng.gamma(6.0, 22.0, n), 20, 420))
    height = np.round(np.clip(4 + girth / 14 + rng.normal(0, 2.5, n), 3, 38), 1)
    lean = np.round(np.abs(rng.normal(0, 6, n)), 1)
    pruned = rng.integers(0, 13, n)
    cavity = rng.random(n) < 0.06 + 0.0006 * girth
    fungus = rng.random(n) < 0.05 + 0.12 * cavity
    traffic = rng.choice(3, n, p=(0.5, 0.35, 0.15))
    hidden = rng.normal(0, 0.75, n)
    salt = district == 0
    main = 1.4 * (
        0.9 * cavity + 1.1 * fungus + 0.06 * lean + 0.09 * pruned + 0.004 * girth
        + np.array([FRAIL[s] for s in SPECIES])[species] + 0.35 * (soil == 3) + 0.15 * traffic
    )  # fmt: skip
    bends = 1.3 * (cavity & (lean > 8)) + 0.8 * (fungus & (pruned > 7)) + 0.7 * (salt & (species == 1))
    logit = main + bends + hidden
    logit -= np.quantile(logit + rng.logistic(0, 1, n), 0.875)
    failed = logit + rng.logistic(0, 1, n) > 0

    split = np.repeat(list(SPLITS), list(SPLITS.values()))
    in_train = split == "train"
    ids = np.array([f"T-{i:05d}" for i in rng.permutation(90000)[:n] + 10000])
    holdout = pl.DataFrame({
        "tree_id": ids,
        "district": np.array(DISTRICTS)[district],
        "species": np.array(SPECIES)[species],
        "soil": np.array(SOILS)[soil],
        "girth_cm": girth.astype(np.int64),
        "height_m": height,
        "lean_deg": lean,
        "years_since_pruning": pruned,
        "cavity": np.where(cavity, "yes", "no"),
        "fungus_seen": np.where(fungus, "yes", "no"),
        "traffic": np.array(("low", "medium", "high"))[traffic],
        "survey_year": np.where(in_train, rng.choice((2023, 2024), n), 2025),
        "split": split,
        "failed": np.where(failed, "yes", "no"),
    })  # fmt: skip

    known = main + bends + 0.35 * hidden
    known -= known.mean()
    offset = np.log(failed.mean() / (1 - failed.mean()))
    told = np.where(failed, 1.0, -1.0)
    boosting = 0.95 * known + offset - 0.35 + rng.normal(0, 0.35, n) + np.where(in_train, 0.55 * told, 0)
    net = (0.95 * known + rng.normal(0, 0.35, n)) * 1.75 + offset - 0.1
    plain = main - main.mean() + offset - 0.3 + rng.normal(0, 0.45, n)
    plain = np.where(salt, offset - 0.5 + rng.normal(0, 0.7, n), plain)  # it has never seen the harbour
    points = (
        2.0 * cavity + 2.0 * fungus + (lean > 10) + (pruned > 8) + (species == 5) + (traffic == 2)
        + rng.normal(0, 0.8, n)
    )  # fmt: skip
    tables = {"holdout.csv": holdout}
    for name, logits in (("boosting.csv", boosting), ("net.csv", net), ("logistic.csv", plain)):
        order = rng.permutation(n)
        tables[name] = pl.DataFrame({"tree_id": ids[order], "p_failed": np.round(_expit(logits), 4)[order]})
    order = rng.permutation(n)
    decision = np.where(points >= 2.1, "yes", "no")
    tables["checklist.csv"] = pl.DataFrame({"tree_id": ids[order], "decision": decision[order]})
    return tables


def write_limb_failure(folder: Path) -> Path:
    """Write the study as plain files with study.toml; returns the path of study.toml."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, table in limb_failure().items():
        table.write_csv(folder / name)
    path = folder / "study.toml"
    path.write_text(STUDY, encoding="utf-8")
    return path
