"""Intake of a CSV file against Polars reading it, and the peak memory of both: ratios measured in one run."""

from __future__ import annotations

import argparse
import platform
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

import numpy as np
import polars as pl

from skarlo.core import environment
from tally import medians

STUDY = """\
format = "skarlo.study/1"
title = "Large"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
positive = "yes"
[[candidates]]
name = "c"
path = "answers.csv"
score = "p"
"""
OURS = """\
import sys
from pathlib import Path
from skarlo import intake
folder = Path(sys.argv[1])
intake.load(intake.read_spec(folder / "study.toml"), lambda path: intake.Source(folder / path, path))
"""
TYPED = """\
import sys
import polars as pl
[pl.read_csv(f"{sys.argv[1]}/{name}") for name in ("holdout.csv", "answers.csv")]
"""
POLARS = """\
import sys
import polars as pl
[pl.read_csv(f"{sys.argv[1]}/{name}", infer_schema=False) for name in ("holdout.csv", "answers.csv")]
"""
IDLE = {"ours": "from skarlo import intake", "polars": "import polars"}
PEAK = "\nprint([line.split()[1] for line in open('/proc/self/status') if line.startswith('VmHWM')][0])\n"


def write(folder: Path, n: int) -> None:
    """A hold-out with six fields, and one candidate's answers in another order."""
    rng = np.random.default_rng(0)
    ids = np.char.add("row-", np.arange(n).astype(str))
    actual = np.where(rng.random(n) < 0.2, "yes", "no")
    fields = {f"f{i}": rng.integers(0, 8, n) for i in range(3)} | {f"x{i}": rng.normal(size=n) for i in range(3)}
    pl.DataFrame({"id": ids, "actual": actual} | fields).write_csv(folder / "holdout.csv")
    order = rng.permutation(n)
    pl.DataFrame({"id": ids[order], "p": rng.random(n)}).write_csv(folder / "answers.csv")
    (folder / "study.toml").write_text(STUDY)


def run(code: str, folder: str) -> str:
    """A process of its own, so that each reads from nothing."""
    return subprocess.run([sys.executable, "-c", code, folder], check=True, capture_output=True, text=True).stdout


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("rows", nargs="?", type=lambda x: int(float(x)), default=1_000_000)
    n = options.parse_args().rows
    print(f"{platform.processor() or platform.machine()}; {environment()}")
    with tempfile.TemporaryDirectory() as name:
        write(Path(name), n)
        size = sum(f.stat().st_size for f in Path(name).iterdir())
        works = {"ours": OURS, "polars": POLARS, "typed": TYPED} | {f"idle {k}": code for k, code in IDLE.items()}
        took = medians({k: partial(run, c, name) for k, c in works.items()}, 5)
        ours = took["ours"] - took["idle ours"]
        for which, how in (("typed", "as it does by itself, types told"), ("polars", "all as text")):
            print(f"{n:>11,} rows  reading, joining, examining and summarising / Polars reading the files {how}: "
                  f"{ours / (took[which] - took['idle polars']):.1f}  ({ours:.2f} s, {size / 1e6:.0f} MB)")  # fmt: skip
        peak = {k: int(run(works[k] + PEAK, name)) * 1024 / size for k in works}
        print(f"{n:>11,} rows  peak memory above an idle process, in sizes of the files: ours "
              f"{peak['ours'] - peak['idle ours']:.1f}, Polars {peak['polars'] - peak['idle polars']:.1f}")  # fmt: skip


if __name__ == "__main__":
    main()
