"""The tables of methods.md that say each metric: its entry, and the ways that a small made-up study is answered with.

`make tables` writes them; a test holds them to what is written.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from skarlo import core
from skarlo.core.metrics.definitions import METRICS
from skarlo.core.metrics.registry import Definition
from skarlo.core.study import Field
from skarlo.core.words.methods import INTERVALS, SUFFIXES, TESTS

METHODS = Path(__file__).parent / "methods.md"
OPEN, CLOSE = "<!-- metrics -->", "<!-- /metrics -->"


def answered(k: int) -> dict[str, Any]:
    """The results of two candidates on 600 rows of k classes, with one field of slices."""
    rng = np.random.default_rng(7)
    y = rng.integers(0, k, 600)
    told = []
    for sharp in (1.5, 1.0):
        p = np.exp(rng.normal(size=(600, k)) + sharp * np.eye(k)[y])
        told.append(p / p.sum(axis=1, keepdims=True))
    candidates = [
        core.Candidate(name, **({"probabilities": p} if k > 2 else {"score": p[:, 1], "cutoff": core.Cutoff(0.5)}))
        for name, p in zip("ab", told, strict=True)
    ]
    field = Field("field", ("u", "v"), rng.integers(0, 2, 600))
    whole = {"all": np.ones(600, dtype=bool)}
    names = ("no", "yes") if k == 2 else tuple("xyz")
    study = core.Study("tables", names, y, 1 if k == 2 else None, whole, "all", None, tuple(candidates),
                       core.Settings(draws=200), slices=((field,),))  # fmt: skip
    return dict(core.evaluate(study))


def bound(x: float) -> str:
    return "-∞" if x == -np.inf else "∞" if x == np.inf else f"{x:g}"


def line(d: Definition, results: dict[str, Any], many: bool) -> str:
    """One metric: name, definition, range, when it does not exist, interval, paired test, slice against the rest."""
    split = results["candidates"][0]["splits"]["all"]
    m, pair = split["metrics"][d.name], results["pairs"][0]["metrics"].get(d.name, {})
    rest = split["slices"][0].get("rest", {}).get(d.name, {})
    why = d.why.format(positive="positive", negative="negative")
    direction = {"higher": "higher", "lower": "lower", "neither": ""}[d.better]
    compared = [
        f"`{x['test']}`" + (f", `{x['interval']}`" if x.get("interval", x["test"]) != x["test"] else "")
        if x.get("p") is not None else "" for x in (pair, rest)
    ]  # fmt: skip
    cells = [f"`{d.name}`", (many and d.formula_many) or d.formula, f"{bound(d.lower)} to {bound(d.upper)}", direction,
             why, f"`{m['interval']}`" if "interval" in m else "", *compared]  # fmt: skip
    return "| " + " | ".join(c.replace("|", "\\|") for c in cells) + " |"


def legend(names: dict[str, str]) -> list[str]:
    return [f"- `{name}`: {text}." for name, text in names.items()]


def tables() -> str:
    """Both tables, and what the names in them mean."""
    parts = []
    for k, title, names in ((2, "Two classes", METRICS.two), (3, "Three classes and more", METRICS.many)):
        results = answered(k)
        parts += [
            f"### {title}",
            "",
            "| metric | definition | lies in | better | none when | interval | two candidates | slice and rest |",
            "| --- | --- | --- | --- | --- | --- | --- | --- |",
            *(line(METRICS[name], results, k > 2) for name in names),
            "",
        ]
    suffixes = "; ".join(f"`{s}`{text}" for s, text in SUFFIXES.items())
    return "\n".join([
        *parts, "Intervals:", "", *legend(INTERVALS), "",
        "Tests, with the interval of the difference where it is made otherwise:", "", *legend(TESTS), "",
        f"A name may end in {suffixes}.",
    ])  # fmt: skip


def with_tables(text: str) -> str:
    """The text with its tables as they are now."""
    head, _, rest = text.partition(OPEN)
    return f"{head}{OPEN}\n{tables()}\n{CLOSE}{rest.partition(CLOSE)[2]}"


if __name__ == "__main__":
    METHODS.write_text(with_tables(METHODS.read_text(encoding="utf-8")), encoding="utf-8")
