"""Studies that are odd in one way each, with their counts by looking at each row."""

from __future__ import annotations

import random
from dataclasses import dataclass
from pathlib import Path

from files import rows_of, write_csv

KINDS = ("thirty", "unanswered", "left_out", "weighted", "classes_only", "alone", "twelve")
MANY = 30
HEAD = """\
format = "skarlo.study/1"
title = "Odd"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
positive = "yes"
split = "split"
report_on = "test"
tune_on = "tuning"
"""
LONG = "A model whose makers never learned to give it a short name, trained again, take "


@dataclass(frozen=True)
class Answers:
    """One candidate: its column in the rows, and its cutoff where it gives scores."""

    name: str
    column: str
    cutoff: float | None
    no_answer: str

    def flags(self, row: dict, cutoff: float | None = None) -> bool | None:
        """Whether it flags a row; None where it has no answer."""
        said = row[self.column]
        if said == "":
            return None
        if self.cutoff is None:
            return said == "yes"
        return float(said) >= (self.cutoff if cutoff is None else cutoff)


@dataclass(frozen=True)
class Odd:
    """A study as files, and the rows it was written from."""

    path: Path
    rows: list[dict]
    candidates: list[Answers]

    def counts(self, c: Answers, split: str = "test", cutoff: float | None = None) -> dict[str, float]:
        """Outcomes by looking at each row. What has no answer is missed or lost, and stands in a count of its own."""
        out = dict.fromkeys(("tp", "fp", "fn", "tn", "unanswered_positive", "unanswered_negative"), 0.0)
        for row in self.rows:
            flags = c.flags(row, cutoff)
            if row["split"] != split or (flags is None and c.no_answer == "left_out"):
                continue
            yes = row["actual"] == "yes"
            if flags is None:
                out[f"unanswered_{'positive' if yes else 'negative'}"] += row["w"]
                if yes:
                    out["fn"] += row["w"]
            else:
                out[
                    {(True, True): "tp", (True, False): "fp", (False, True): "fn", (False, False): "tn"}[flags, yes]
                ] += row["w"]
        return out


def odd(folder: Path, kind: str) -> Odd:
    """Write one of them."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = random.Random(KINDS.index(kind))
    rows = rows_of(12 if kind == "twelve" else 240, seed=11)
    if kind == "twelve":
        for i, row in enumerate(rows):
            row |= {"actual": "yes" if i in (1, 2, 5, 7) else "no", "split": "tuning" if i in (0, 5, 6) else "test"}
    gaps = {"unanswered": "wrong", "left_out": "left_out"}.get(kind, "error")
    scored = {"thirty": MANY, "classes_only": 0, "alone": 1}.get(kind, 2)
    labelled = {"thirty": 0, "classes_only": 2, "alone": 0}.get(kind, 1)
    candidates = [
        Answers(f"{LONG}{i:02d}" if kind == "thirty" else f"Scores {i}", f"p{i}", round(0.3 + i / 100, 2), gaps)
        for i in range(scored)
    ] + [Answers(f"Labels {i}", f"said{i}", None, gaps) for i in range(labelled)]
    for i, row in enumerate(rows):
        row["w"] = rng.choice([0.5, 1.0, 1.75, 2.25]) if kind == "weighted" else 1
        for k, c in enumerate(candidates):
            told = "yes" if rng.random() < (0.7 if row["actual"] == "yes" else 0.2) else "no"
            p = min(1.0, max(0.0, float(row["p"]) + rng.gauss(0, 0.1)))
            row[c.column] = told if c.cutoff is None else f"{p:.2f}"  # some stand exactly at a cutoff
            if gaps != "error" and (i + k) % 7 == 0:
                row[c.column] = ""
    weight = 'weight = "w"\n' if kind == "weighted" else ""
    toml = f"{HEAD}{weight}[settings]\ndraws = 200\n"
    for c in candidates:
        reads = f'predicted = "{c.column}"' if c.cutoff is None else f'score = "{c.column}"\ncutoff = {c.cutoff}'
        toml += f'[[candidates]]\nname = "{c.name}"\npath = "answers.csv"\n{reads}\nno_answer = "{c.no_answer}"\n'
    write_csv(folder / "holdout.csv", rows, ["id", "actual", "split", *(["w"] if weight else [])])
    write_csv(folder / "answers.csv", rows[::-1], ["id", *(c.column for c in candidates)])
    (folder / "study.toml").write_text(toml, encoding="utf-8")
    return Odd(folder / "study.toml", rows, candidates)
