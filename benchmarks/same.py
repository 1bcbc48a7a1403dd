"""What moved since a commit: every number and word of the results, for the samples and for random studies.

`make same BASE=…` evaluates the same files with both versions, through the command that people run, and lists what is
not the same to the last bit, by kind. The studies are those of this version; an older one that does not know what a
study file asks says so.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import json
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import polars as pl

ROOT = Path(__file__).parents[1]
SEEDS = 200
KEEP_EVERY = 8  # of a sample's rows, in what is tried besides the sample itself
WORKERS = 2
KEPT = ROOT / "build" / "same"  # what older versions gave, by commit and studies

ASKED = """
[[metrics]]
name = "cost per row"
formula = "(40*FN + 3*FP) / rows"
better = "lower"

[[gates]]
metric = "recall"
at_least = 0.6
every = ["district"]

[[gates]]
metric = "roc_auc"
at_least = 0.7

[[gates]]
metric = "recall"
against = "Checklist"
margin = 0.02
level = "should"
"""
SLICED = 'slices = [["district"], ["species", "soil"]]\n'
FEW_DRAWS = "\n[settings]\ndraws = 100\n"


def main() -> None:
    """Compare, or evaluate one side of the comparison."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("base", nargs="?", help="the commit to compare with")
    options.add_argument("--seeds", type=int, default=SEEDS, help="how many random studies")
    options.add_argument("--evaluate", type=Path, help="evaluate the studies of a folder, and nothing else")
    options.add_argument("--share", type=int, default=0, help="which share of them")
    given = options.parse_args()
    if given.evaluate is not None:
        evaluate(sorted(given.evaluate.iterdir())[given.share :: WORKERS])
        return
    if not given.base:
        options.error("say which commit: make same BASE=…")
    commit = said("git", "rev-parse", f"{given.base}^{{commit}}")
    with tempfile.TemporaryDirectory(prefix="skarlo-same-") as folder:
        here = Path(folder)
        unpack(commit, here / "base")
        write_studies(here / "now", given.seeds)
        linked(here / "now", here / "then")
        kept = KEPT / f"{commit[:12]}-{fingerprint(here / 'then')}"
        todo = [(ROOT / "src", here / "now")] + ([] if kept.exists() else [(here / "base" / "src", here / "then")])
        if not all(ThreadPoolExecutor(WORKERS).map(at_work, [(*one, i) for i in range(WORKERS) for one in todo])):
            sys.exit("the studies could not be evaluated")
        if not kept.exists():
            keep(here / "then", kept)
        moved = differences(kept, here / "now")
    tell(moved, given.base)
    sys.exit(1 if moved else 0)


def said(*command: str) -> str:
    """What a command says."""
    return subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout.strip()


def fingerprint(studies: Path) -> str:
    """Of everything that the studies hold."""
    digest = hashlib.sha256()
    for path in sorted(p for p in studies.rglob("*") if p.is_file() and p.parent.name != "pictures"):
        digest.update(f"{path.relative_to(studies)}\0".encode() + path.read_bytes())
    return digest.hexdigest()[:16]


def keep(studies: Path, to: Path) -> None:
    """Keep what came of the studies for the next comparison."""
    KEPT.mkdir(parents=True, exist_ok=True)
    half = Path(tempfile.mkdtemp(dir=KEPT, prefix=".making-"))
    for study in studies.iterdir():
        (half / study.name).mkdir()
        for name in ("said", "out"):
            if (study / name).exists():
                shutil.copy(study / name, half / study.name / name)
    half.rename(to)


def unpack(commit: str, to: Path) -> None:
    """The source of a commit, beside the checkout."""
    packed = subprocess.run(["git", "archive", commit, "src"], cwd=ROOT, check=True, capture_output=True).stdout
    with tarfile.open(fileobj=io.BytesIO(packed)) as tar:
        tar.extractall(to, filter="data")


def at_work(task: tuple[Path, Path, int]) -> bool:
    """One version, and a share of its studies; whether all went well."""
    source, studies, share = task
    command = [sys.executable, __file__, "--evaluate", str(studies), "--share", str(share)]
    alone = {"PYTHONPATH": str(source), "PATH": "", "OMP_NUM_THREADS": "1"}
    return subprocess.run(command, check=False, env=alone).returncode == 0


# The studies.


def write_studies(folder: Path, seeds: int) -> None:
    """The three samples, thinned ones with everything that can be asked, and random studies."""
    sys.path.insert(0, str(ROOT / "tests"))
    import anystudy
    from skarlo.sample import STUDIES

    for name, write in STUDIES.items():
        write(folder / name)
    limb, leaf = folder / "limb-failure", folder / "leaf-condition"
    plain = varied(limb, folder / "sliced", {"also      = ": SLICED + "also      = "}, ASKED)
    designed = 'weight = "height_m"\ngroup = "girth_cm"\n'
    varied(limb, folder / "designed", {"also      = ": SLICED + designed + "also      = "}, ASKED)
    for how in ("wrong", "left_out"):
        gaps = {"also      = ": SLICED + "also      = ", "[[candidates]]": f'[[candidates]]\nno_answer = "{how}"'}
        varied(limb, folder / how, gaps, ASKED, drop=25)
    ruled = {
        "cutoff = 0.18": 'cutoff = { rule = "least_cost", false_positive = 3, false_negative = 40 }',
        "cutoff = 0.26": 'cutoff = { rule = "flag_at_most", share = 0.2 }',
        "cutoff = 0.15": 'cutoff = { rule = "recall_at_least", value = 0.8 }',
    }
    assert all(text in plain for text in ruled)
    varied(limb, folder / "ruled", ruled, ASKED)
    varied(leaf, folder / "leaf-weighted", {"split     = ": 'weight = "e1_weight"\nsplit     = '}, "")
    for seed in range(seeds):
        (folder / f"random-{seed:03d}").mkdir()
        anystudy.write(folder / f"random-{seed:03d}", seed)


def varied(sample: Path, to: Path, changes: dict[str, str], more: str, drop: int = 0) -> str:
    """A sample with fewer rows and other wishes; of the answers every so many are left out. Returns its study file."""
    to.mkdir()
    text = (sample / "study.toml").read_text(encoding="utf-8")
    for old, new in changes.items():
        if old not in text:
            raise ValueError(f"the sample's study file has no {old!r}")
        text = text.replace(old, new)
    key = re.search(r'^id\s*=\s*"(\w+)"', text, re.MULTILINE)
    assert key is not None
    rows = pl.read_csv(sample / "holdout.csv", infer_schema=False).gather_every(KEEP_EVERY)
    if "e1" in rows.columns:
        rows = rows.with_columns((pl.col("e1").cast(pl.Float64).abs() + 0.5).round(3).alias("e1_weight"))
    rows.write_csv(to / "holdout.csv")
    for path in sorted(sample.iterdir()):
        if path.suffix in (".csv", ".parquet") and path.name != "holdout.csv":
            read = pl.read_parquet if path.suffix == ".parquet" else pl.read_csv
            answers = read(path).join(rows.select(key[1]), on=key[1], maintain_order="left")
            if drop:
                answers = answers.with_row_index("row").filter(pl.col("row") % drop != 0).drop("row")
            (answers.write_parquet if path.suffix == ".parquet" else answers.write_csv)(to / path.name)
    (to / "study.toml").write_text(text + FEW_DRAWS + more, encoding="utf-8")
    return text


def linked(now: Path, then: Path) -> None:
    """The same studies once more, for the older version."""
    for study in now.iterdir():
        (then / study.name).mkdir(parents=True)
        for path in study.iterdir():
            (then / study.name / path.name).symlink_to(path)


def evaluate(studies: Sequence[Path]) -> None:
    """Evaluate studies as the command does; what it cannot evaluate keeps what it says, or of what it died."""
    from skarlo.cli.main import app

    for study in studies:
        told = io.StringIO()
        with contextlib.redirect_stderr(told):
            try:
                status = app(
                    ["evaluate", str(study / "study.toml"), "--out", str(study / "out")], standalone_mode=False
                )
            except Exception as e:  # a version that has a fault is compared all the same
                status = f"died of {e!r}"
        (study / "said").write_text(json.dumps({"status": status or 0, "said": told.getvalue().splitlines()}))


# What moved.


@dataclass
class Moved:
    """Places of one kind that are not the same: how many there are of it, how far they moved, and one of them."""

    places: int = 0
    studies: set[str] = field(default_factory=set)
    most: float = 0.0
    example: str = ""
    agree: bool = True  # whether all agree within 1e-9 of their size, as they may on another machine


# What holds the same things under many names: of a split, a metric, a class.
BY_NAME = (".splits", ".metrics", ".per_class", ".averages", ".macro", ".weighted", ".micro", ".best", ".best.*",
           ".against_baseline", ".against_baseline.*", ".against_baseline.*.*", ".methods", ".rest")  # fmt: skip
Leaf = tuple[str, str, Any]  # its kind, where it is, what stands there


def leaves(value: Any, kind: str = "", at: str = "") -> Iterator[Leaf]:
    """Every value of a result; a kind is a place without the names and numbers of what it is about."""
    if isinstance(value, dict):
        for key, inner in value.items():
            plain = re.fullmatch(r"[a-z_0-9]+", key) and not re.fullmatch(r"c\d|\d+", key)
            named = key if plain and not kind.endswith(BY_NAME) else "*"
            yield from leaves(inner, f"{kind}.{named}", f"{at}.{key}")
    elif isinstance(value, list) and value and isinstance(value[0], dict):
        for i, inner in enumerate(value):
            yield from leaves(inner, f"{kind}[]", f"{at}[{i}]")
    else:
        yield kind, at, value


def results_of(study: Path) -> dict[str, Any]:
    """What came of a study."""
    found: dict[str, Any] = json.loads((study / "said").read_text())
    out = study / "out"
    if out.exists():
        found |= json.loads(out.read_text(encoding="utf-8"))
    return found


def differences(then: Path, now: Path) -> dict[str, Moved]:
    """What is not the same, by kind."""
    out: dict[str, Moved] = {}
    for study in sorted(now.iterdir()):
        sides = [results_of(folder / study.name) for folder in (then, now)]
        before, after = ({at: (kind, value) for kind, at, value in leaves(one)} for one in sides)
        for at in {**before, **after}:
            kind, old = before.get(at, ("", "nothing"))
            kind, new = after.get(at, (kind, "nothing"))
            if old == new and type(old) is type(new):
                continue
            moved = out.setdefault(kind, Moved())
            moved.places += 1
            moved.studies.add(study.name)
            numbers = isinstance(old, int | float) and isinstance(new, int | float)
            far = abs(new - old) if numbers else 0.0
            moved.agree &= numbers and far <= 1e-9 * max(1.0, abs(old))
            if not moved.example or far > moved.most:
                moved.most = max(moved.most, far)
                moved.example = f"{study.name}{at}: {shortly(old)} -> {shortly(new)}"
    return out


def shortly(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 160 else text[:157] + "…"


def tell(moved: dict[str, Moved], base: str) -> None:
    """Print what moved, kind by kind."""
    for kind, m in sorted(moved.items(), key=lambda item: -item[1].places):
        far = f", by {m.most:.3g} at most" if m.most else ""
        if not m.agree:
            print(f"{kind.lstrip('.')}: {m.places:,} in {len(m.studies)} studies{far}\n    {m.example}")
    bits = {kind: m for kind, m in moved.items() if m.agree}
    if bits:
        most, example = max((m.most, m.example) for m in bits.values())
        places = sum(m.places for m in bits.values())
        print(f"in the last bits alone, by {most:.3g} at most: {places:,} values of {len(bits)} kinds\n    {example}")
    print(f"{len(moved)} kinds of value moved since {base}" if moved else f"nothing moved since {base}")


if __name__ == "__main__":
    main()
