"""What is a message about? 1,500 invented messages to a parks department, six topics, three labellers.

Labels were agreed by the staff. The large labeller is the best and dear; the small one is cheap, takes most broken
things for litter and leaves some rows without an answer; the keyword rules that run now cost nothing.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl

TOPICS = ("fallen limb", "sick tree", "litter", "broken thing", "overgrown path", "other")
SHARES = (0.18, 0.16, 0.24, 0.14, 0.18, 0.1)
ROWS = 1500
PLACES = ("the pond", "the east gate", "Lantern Walk", "the playground", "Miller's Steps", "the rose beds", "bench 14")
SAID = {
    "fallen limb": ("a big branch came down by {}", "limb across the path near {}", "branch hanging loose over {}"),
    "sick tree": ("the leaves by {} are all brown", "mushrooms on the trunk at {}", "bark peeling off the tree at {}"),
    "litter": ("bins overflowing at {}", "bottles and wrappers all over {}", "someone dumped bags at {}"),
    "broken thing": ("the lamp at {} is smashed", "a slat is gone from the seat at {}", "the gate at {} won't close"),
    "overgrown path": ("nettles across the way to {}", "can't get a pram past the hedge at {}", "brambles at {}"),
    "other": ("when does {} open?", "lovely concert at {} yesterday", "who do I ask about {}?"),
}  # fmt: skip
ENDS = ("", "", " please look", " since last week", " again!!", ", thanks", " and it is getting worse")

STUDY = """\
format = "skarlo.study/1"
title  = "Topics of residents' messages"

[holdout]
path    = "holdout.jsonl"
id      = "message_id"
truth   = "topic"
classes = ["fallen limb", "sick tree", "litter", "broken thing", "overgrown path", "other"]
slices  = [["channel"]]
show    = { text = "message" }

[[candidates]]
name           = "Large labeller"
path           = "large.jsonl"
predicted      = "answer"
reason         = "why"
no_answer      = "wrong"
price          = "price"
latency_ms     = 900.0
version        = "wording 3"
made_with      = { wording = "Name the topic of this message, and say why in one sentence.", temperature = 0.0 }

[[candidates]]
name           = "Small labeller"
path           = "small.jsonl"
predicted      = "answer"
reason         = "why"
no_answer      = "wrong"
price          = "price"
latency_ms     = 140.0
version        = "wording 3"

[[candidates]]
name           = "Keyword rules"
path           = "rules.csv"
predicted      = "topic"
runs_now       = true
price_per_1000 = 0.0

[[gates]]
text     = "finds fallen limbs"
metric   = "recall"
class    = "fallen limb"
at_least = 0.8
"""


def residents_messages(seed: int = 20260601) -> dict[str, pl.DataFrame]:
    """The tables of the study, keyed by file name."""
    rng = np.random.default_rng(seed)
    actual = rng.choice(len(TOPICS), ROWS, p=SHARES)
    ids = [f"M{i:05d}" for i in rng.permutation(90000)[:ROWS] + 10000]
    texts = [
        f"{rng.choice(SAID[TOPICS[t]]).format(rng.choice(PLACES))}{rng.choice(ENDS)}" for t in actual
    ]  # fmt: skip
    holdout = pl.DataFrame({
        "message_id": ids, "channel": rng.choice(("app", "phone", "letter"), ROWS, p=(0.6, 0.3, 0.1)).tolist(),
        "message": texts, "topic": [TOPICS[t] for t in actual],
    })  # fmt: skip
    large = _labelled(rng, actual, 0.93)
    small = _labelled(rng, actual, 0.8)
    broken = (actual == 3) & (rng.random(ROWS) < 0.55)
    small[broken] = 2
    rules = _labelled(rng, actual, 0.66)
    rules[rng.random(ROWS) < 0.12] = 5
    words = ["" if x else None for x in rng.random(ROWS) < 0.5]
    tables = {"holdout.jsonl": holdout}
    for name, said, unanswered, dear in (("large.jsonl", large, 0.01, 9e-5), ("small.jsonl", small, 0.035, 6e-6)):
        silent = rng.random(ROWS) < unanswered
        answer = [("unsure" if word is None else word) if s else TOPICS[t]
                  for t, s, word in zip(said, silent, words, strict=True)]  # fmt: skip
        why = [f"It speaks of {TOPICS[t]}." if not s else "Not clear." for t, s in zip(said, silent, strict=True)]
        price = [round(dear * len(text), 7) for text in texts]  # so much for each letter that is read
        order = rng.permutation(ROWS)
        tables[name] = pl.DataFrame({"message_id": ids, "answer": answer, "why": why, "price": price})[order]
    order = rng.permutation(ROWS)
    tables["rules.csv"] = pl.DataFrame({"message_id": ids, "topic": [TOPICS[t] for t in rules]})[order]
    return tables


def _labelled(rng: np.random.Generator, actual: np.ndarray, right: float) -> np.ndarray:
    """Labels that are right so often, and otherwise any."""
    return np.where(rng.random(len(actual)) < right, actual, rng.integers(0, len(TOPICS), len(actual)))


def write_residents_messages(folder: Path) -> Path:
    """Write the study as plain files; returns the path of study.toml."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, table in residents_messages().items():
        (table.write_ndjson if name.endswith(".jsonl") else table.write_csv)(folder / name)
    path = folder / "study.toml"
    path.write_text(STUDY, encoding="utf-8")
    return path
