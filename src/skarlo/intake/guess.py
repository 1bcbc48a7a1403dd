"""What each column of a table probably is, and why. Only ever a proposal: a person confirms it."""

from __future__ import annotations

import re
from typing import Any

from typing_extensions import TypedDict

from .columns_seen import FEW
from .labels import YES_OR_NO

_NAMES = {
    "split": ("split", "fold", "part", "partition", "subset"),
    "truth": ("actual", "truth", "label", "target", "class", "outcome", "y", "y_true"),
    "score": ("score", "prob", "probability", "p", "p_yes", "proba"),
    "weight": ("weight", "sample_weight", "survey_weight", "w"),
    "reason": ("reason", "why", "rationale", "explanation", "because"),
    "price": ("price", "cost", "price_per_1000", "usd", "eur"),
    "predicted": ("predicted", "prediction", "decision", "said", "answer", "label", "topic"),
}
PICTURE = re.compile(r"(\.(png|jpe?g|gif|webp|svg)|^data:image/.*)$", re.IGNORECASE)


class Guess(TypedDict):
    """The column that a role probably falls to (none: nothing speaks for one), why, and which others it could be."""

    column: str | None
    why: str
    also: list[str]


def guess(columns: list[dict[str, Any]], rows: int) -> dict[str, Guess]:
    """Likely columns by role: id, truth, split, weight, group, score, label, reason, price, text, picture, embedding.

    Where two columns speak for one role alike, `also` names the others, and a person has to say which it is.
    """
    keys = [c for c in columns if c["distinct"] == rows and not c["empty"] and not _fraction(c)]
    out = {"id": _chosen(keys, _ends_in_id, "every row has one of its own", "and its name ends in id")}
    few = [c for c in columns if 2 <= c["distinct"] <= FEW and not c["empty"]]
    tests = [c for c in few if "test" in [v.lower() for v in c["values"]]]
    out["split"] = _chosen([c for c in few if _named(c, "split")], None, "its name says so") or _chosen(
        tests, None, "one of its values is test"
    )
    left = [c for c in few if c["name"] not in (_column(out["split"]), _column(out["id"]))]
    named = [c for c in left if _named(c, "truth")]
    pairs = [c for c in left if c["distinct"] - sum(len(pair) - 1 for pair in c["alike"]) == 2]
    out["truth"] = (
        _chosen(named, None, "its name says so")
        or _chosen(pairs[::-1], _yes_or_no, "it has two values", "which are yes and no")
        or _chosen([c for c in left if not c["numeric"]], None, "it has few values")
    )
    numbers = [c for c in columns if c["numeric"] and c not in keys and c["name"] != _column(out["truth"])]
    spoken_for = [c for c in numbers if _named(c, "weight") or _named(c, "price")]
    scores = [c for c in numbers if c not in spoken_for]
    shares = [c for c in scores if c["least"] is not None and c["least"] >= 0 and c["most"] <= 1 and c["distinct"] > 2]
    said = [c for c in scores if _named(c, "score") or c["name"].lower().startswith(("p_", "score", "prob"))]
    out["score"] = (
        _chosen(said, None, "its name says so, and it holds numbers")
        or _chosen(shares, None, "its numbers lie between 0 and 1")
        or _chosen(scores, None, "it holds numbers")
    )
    told = {_column(out["split"]), _column(out["id"])} | {c["name"] for c in columns if _named(c, "reason")}
    given = [c for c in columns if 2 <= c["distinct"] <= FEW and c["name"] not in told]  # an answer may be missing
    out["predicted"] = (
        None
        if out["score"]
        else _chosen([c for c in given if _named(c, "predicted")], None, "its name says so")
        or _chosen(given, None, f"it has {given[0]['distinct']} values" if given else "")
    )
    for role in ("weight", "price"):
        out[role] = _chosen([c for c in numbers if _named(c, role)], None, "its name says so, and it holds numbers")
    shared = [c for c in columns if FEW < c["distinct"] <= 0.8 * rows and _ends_in_id(c)]
    out["group"] = _chosen(shared, None, "its name ends in id, and rows share its values")
    long = [c for c in columns if _mean_length(c) >= 25 and not _pictures(c)]
    reasons = [c for c in columns if _named(c, "reason")]
    out["reason"] = _chosen(reasons, None, "its name says so")
    out["text"] = _chosen([c for c in long if c not in reasons], None, "its values are sentences")
    out["picture"] = _chosen([c for c in columns if _pictures(c)], None, "its values name pictures")
    numbered = [c for c in numbers if re.fullmatch(r".*\D_?\d+", c["name"])]
    stems = {re.sub(r"\d+$", "", c["name"]) for c in numbered}
    if len(numbered) >= 2 and len(stems) == 1:
        why = f"numbers that count up: {numbered[0]['name']} to {numbered[-1]['name']}"
        out["embedding"] = {"column": numbered[0]["name"], "why": why, "also": []}
    none: Guess = {"column": None, "why": "", "also": []}
    roles = ("id", "truth", "split", "weight", "group", "score", "predicted", "reason", "price", "text", "picture",
             "embedding")  # fmt: skip
    return {role: out.get(role) or none for role in roles}


def _chosen(found: list[dict[str, Any]], preferred: Any, why: str, more: str = "") -> Guess | None:
    """The first of those that speak for a role; one that is preferred stands before the others."""
    if not found:
        return None
    first = [c for c in found if preferred is not None and preferred(c)]
    best, reason = (first, f"{why}, {more}") if first else (found, why)
    return {"column": best[0]["name"], "why": reason, "also": [c["name"] for c in best[1:]]}


def _column(g: Guess | None) -> str | None:
    return None if g is None else g["column"]


def _named(c: dict[str, Any], role: str) -> bool:
    return c["name"].lower() in _NAMES[role]


def _ends_in_id(c: dict[str, Any]) -> bool:
    return bool(c["name"].lower().endswith(("id", "_key", "uuid")))


def _yes_or_no(c: dict[str, Any]) -> bool:
    return all("".join(v.split()).casefold() in YES_OR_NO for v in c["values"])


def _fraction(c: dict[str, Any]) -> bool:
    return c["numeric"] and any("." in value or "," in value for value in c["first"])


def _mean_length(c: dict[str, Any]) -> float:
    return sum(map(len, c["first"])) / max(1, len(c["first"])) if " " in "".join(c["first"]) else 0.0


def _pictures(c: dict[str, Any]) -> bool:
    return bool(c["first"]) and all(PICTURE.search(v) for v in c["first"] if v) and any(c["first"])
