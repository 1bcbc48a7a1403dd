"""Head-to-head: two candidates on the same rows, metric by metric, and who is right where they differ."""

from __future__ import annotations

from typing import Any

from skarlo.core import METRICS, DisagreementResult, Part, Results, count, named, p_shown, shown
from skarlo.report.blocks import Block, Row, counts, note, table, texts
from skarlo.report.drafting import picked_by, read_on, title_of
from skarlo.report.scope import Scope, Shown, candidates
from skarlo.studies.versions import EARLIER

from .cells import cutoff_of, difference_cell
from .entry import Exhibit, Reading

FIRST = ("roc_auc", "brier", "recall", "precision", "f1", "accuracy", "balanced_accuracy", "log_loss")


def pair_of(results: Results, scope: Scope) -> tuple[Shown, Shown] | None:
    """The two that are compared: those that were chosen, else the first two in scope."""
    chosen = candidates(results, scope)
    found = [next((c for c in chosen if c.letter == x), None) for x in scope.own.get("pair", "").split("-")]
    if len(found) == 2 and found[0] and found[1] and found[0] is not found[1]:
        return found[0], found[1]
    return (chosen[0], chosen[1]) if len(chosen) > 1 else None


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    two = pair_of(results, scope)
    if two is None:
        return ()
    names = tuple(c.result["name"] for c in two)
    return Part("lines", scope.split), Part("disagreement", scope.split, pair=names), Part("pairs")


def _differences(results: Results, scope: Scope, a: Shown, b: Shown) -> tuple[dict[str, Any], bool]:
    """The pair's differences, and whether they have to be turned round; none on rows that are not tested."""
    names = {a.result["name"], b.result["name"]}
    for pair in results.get("pairs", []):
        if pair["split"] == scope.split and {pair["a"], pair["b"]} == names:
            return dict(pair["metrics"]), pair["a"] != a.result["name"]
    return {}, False


def _sentence(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    two = pair_of(results, scope)
    if two is None:
        return "There is one candidate alone: nothing to compare it with."
    a, b = two
    metrics, turned = _differences(results, scope, a, b)
    alpha = 1 - results["settings"]["confidence"]
    apart: list[tuple[str, bool]] = []
    alike: list[tuple[str, bool]] = []
    for name in FIRST:
        d = metrics.get(name)
        p = None if d is None else d.get("p_adjusted")
        if d is None or p is None:
            continue
        gap = -d["difference"] if turned else d["difference"]
        better = METRICS[name].better == "higher"
        (apart if p <= alpha else alike).append((name, (gap > 0) is better))
    said = []
    for who, yes in ((a, True), (b, False)):
        found = [title_of(name) for name, is_a in apart if is_a is yes]
        if found:
            said.append(f"{who.name} is ahead on {', '.join(found)}")
    if alike:
        told = ", ".join(title_of(n) for n, _ in alike)
        said.append(f"{'they' if said else f'{a.name} and {b.name}'} cannot be separated on {told}")
    own = [c.name for c in two if c.name in picked_by(results)]
    if own:
        whose = "its own answers" if len(own) == 1 else "their own answers"
        said = [f"{named(own)} {'is' if len(own) == 1 else 'are'} not tested on rows that {whose} picked out"]
    if not said:
        said.append(f"{a.name} and {b.name} are compared by test on {results['holdout']['report_on']} alone")
    differ = _told(a)
    if differ is not None:
        one, other = differ["only_a"], differ["only_b"]
        said.append(
            f"of {count(differ['rows'])} rows {a.name} alone is right about {count(one)}, {b.name} alone about "
            f"{count(other)}"
        )
    text = "; ".join(said) + "."
    return text[0].upper() + text[1:]


def _told(a: Shown) -> DisagreementResult | None:
    return a.part.get("disagreement")


KINDS = ("both_right", "only_a", "only_b", "both_wrong_alike", "both_wrong_otherwise", "no_answer")


def _blocks(reading: Reading) -> list[Block]:
    scope = reading.scope
    if pair_of(reading.results, scope) is None:
        return [note("there is one candidate alone")]
    results = reading.further()
    two = pair_of(results, scope)
    assert two is not None
    a, b = two
    metrics, turned = _differences(results, scope, a, b)
    confidence = results["settings"]["confidence"]
    rows: list[Row] = []
    for name, d in metrics.items():
        if d["difference"] is None:
            continue
        cell = difference_cell(d, turned, confidence)
        p = d.get("p_adjusted")
        more = d.get("more_rows")
        rows.append({"cells": [
            *texts(METRICS[name].title if name in METRICS else name), cell,
            *texts("" if p is None else p_shown(p), "" if more is None else f"about {more['rows']:,} more rows"),
        ]})  # fmt: skip
    out: list[Block] = []
    if rows:
        out.append(table(texts(f"{a.name} less {b.name}", "difference", "adjusted", "would separate them"), rows))
    differ = _told(a)
    if differ is not None:
        names = results["holdout"].get("names", {})
        head = [*texts("Actual class"), *counts("both right", f"only {a.letter}", f"only {b.letter}", "wrong alike",
                                                "wrong otherwise", "no answer")]  # fmt: skip
        told: list[Row] = [
            {"cells": [*texts(names.get(k, k)), *counts(*(count(of[kind]) for kind in KINDS))]}  # type: ignore[literal-required]
            for k, of in differ["by_class"].items()
        ]
        out.append(table(head, told))
    alike = [] if differ is None else [
        f"{name}: {shown(m['value'])}" for name, m in (("kappa of the two answers", differ["kappa"]),
                                                       ("rank correlation of the scores", differ.get("spearman")))
        if m is not None and m["value"] is not None
    ]  # fmt: skip
    mended = "" if differ is None else _mended(a, b, differ)
    cutoffs = [f"{c.name} {cutoff_of(c)}" for c in two if cutoff_of(c)]
    tested = any(d.get("p_adjusted") is not None for d in metrics.values())
    edge = "black edge: separated, after correction for all pairs" if rows and tested else ""
    return [*out, note(*read_on(results, scope), edge, mended, *cutoffs, *alike)]


def _mended(a: Shown, b: Shown, differ: DisagreementResult) -> str:
    """Of a version and an earlier one of the same, which rows the newer gets right that the older did not, and back."""
    earlier = [c.result.get("made_with", {}).get(EARLIER) for c in (a, b)]
    if b.result["name"] != earlier[0] and a.result["name"] != earlier[1]:
        return ""
    one, other = differ["only_a"], differ["only_b"]
    newer, mended, broken = (a, one, other) if a.result["name"] == earlier[1] else (b, other, one)
    net = f"{'+' if mended > broken else ''}{count(mended - broken)}"
    return f"{newer.name} is the newer version: {count(mended)} mended, {count(broken)} broken, net {net}"


HEAD_TO_HEAD = Exhibit(
    view="head-to-head", reads=("lines",), shows=_shows, says=_shows, two=_sentence, many=_sentence, blocks=_blocks
)  # fmt: skip
