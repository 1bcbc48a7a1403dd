"""The content of a report: a function of results, exhibits, text and inputs, with no records behind it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, cast

from skarlo import core
from skarlo.core import CUTOFF_FINDINGS, PART_KINDS, Finding, Results, Tally, as_set, letter
from skarlo.studies import words

from .blocks import Block, drawing, note
from .exhibits import EXHIBITS, Behind, Reading, no_rows, sentence
from .scope import Scope, candidates

FORMAT = "skarlo.revision/3"
EARLIER = "skarlo.revision/2"  # figures in place of blocks
Tallies = Callable[[], Mapping[str, Tally | None]]


@dataclass(frozen=True, kw_only=True)
class Exhibited:
    """One exhibit: what is shown of which results. The same results are one object for all exhibits that show them.

    tallies : of the candidates' scores on the scope's split, by name
    further : more parts of the same results; behind : the rows behind them
    gone : why none of it can be shown any longer; the results are then those at the kept cutoffs
    """

    view: str
    caption: str
    scope: Scope
    results: Results
    tallies: Tallies
    further: Callable[[Sequence[core.Part]], Results]
    behind: Callable[[], Behind] = no_rows
    gone: str = ""


@dataclass(frozen=True)
class Grouped:
    """Cutoffs for groups in a decision: what they are to do in words, by group the cutoff (None: flags nothing), and
    what they change."""

    words: str
    cutoffs: Mapping[str, float | None]
    blocks: Sequence[Block]


@dataclass(frozen=True, kw_only=True)
class Decided:
    """What is asked for: a candidate at a cutoff, and the results there; for groups at cutoffs of their own.

    positions : of all candidates in order, where they do not simply count up
    differs : where exhibits show it at another cutoff, in words
    """

    candidate: str
    position: int
    positions: tuple[int, ...]
    cutoff: float | None
    note: str
    sha256: str
    differs: Sequence[str]
    results: Results
    groups: Grouped | None = None


def content(
    *, study: Mapping[str, Any], heading: str, summary: str, decision: Decided | None,
    inputs: Sequence[Mapping[str, Any]], exhibits: Sequence[Exhibited], kept: Results, said: Mapping[str, words.Word],
) -> dict[str, Any]:  # fmt: skip
    """All that a reader sees.

    Parameters
    ----------
    study : its id and title
    heading, summary : the author's; the summary in Markdown
    inputs : the files with their fingerprints
    kept : the results at the cutoffs that the study keeps
    said : explanations of warnings, by finding
    """
    found: list[Results] = []

    def at(results: Results) -> int:
        for i, one in enumerate(found):
            if one is results:
                return i
        found.append(results)
        return len(found) - 1

    frozen = [
        {"number": number, "view": e.view, "scope": e.scope.as_dict(), "caption": e.caption,
         "sentence": _sentence(e), "results": at(e.results), "blocks": _blocks(e)}
        for number, e in enumerate(exhibits, 1)
    ]  # fmt: skip
    asked = None if decision is None else _asked(decision, at(decision.results))
    return {
        "format": FORMAT,
        "skarlo": core.VERSION,
        "study": dict(study),
        "heading": heading or study["title"],
        "summary": summary,
        "decision": asked,
        "inputs": [dict(i) for i in inputs],
        "exhibits": frozen,
        "holdout": kept["holdout"],
        "settings": kept["settings"],
        "findings": words.answered(_findings(kept, exhibits, decision), said),
        "results": found,
    }


def _sentence(e: Exhibited) -> str:
    if e.gone:
        return "What was pinned here is there no longer."
    exhibit = EXHIBITS[e.view]
    parts = exhibit.says(e.results, e.scope)
    return sentence(e.view, _over(e.results, e.further(parts)) if parts else e.results, e.scope)


def _over(results: Results, parts: Results) -> Results:
    """Results with some parts put over them."""
    more = {c["name"]: c["splits"] for c in parts["candidates"]}
    every = [
        {**c, "splits": {at: {**of, **more.get(c["name"], {}).get(at, {})} for at, of in c["splits"].items()}}
        for c in results["candidates"]
    ]
    whole = {name: value for name, value in parts.items() if name in PART_KINDS}
    return cast(Results, {**results, **whole, "candidates": every})


def _blocks(e: Exhibited) -> list[Block]:
    if e.gone:
        return [note(f"this can no longer be shown: {e.gone}")]
    exhibit = EXHIBITS[e.view]
    reading = Reading(
        results=e.results, scope=e.scope, chosen=candidates(e.results, e.scope), tallies=e.tallies,
        further=lambda: e.further(exhibit.shows(e.results, e.scope)), behind=e.behind,
    )  # fmt: skip
    return exhibit.blocks(reading)


def _asked(d: Decided, results: int) -> dict[str, Any]:
    return {
        "candidate": d.candidate, "letter": letter(d.position), "position": d.position,
        **({"positions": list(d.positions)} if d.positions else {}),
        "cutoff": d.cutoff, "note": d.note, "sha256": d.sha256, "differs": list(d.differs), "results": results,
        **({} if d.groups is None else {
            "groups": {"words": d.groups.words, "cutoffs": dict(d.groups.cutoffs), "blocks": list(d.groups.blocks)}
        }),
    }  # fmt: skip


def _findings(kept: Results, exhibits: Sequence[Exhibited], decision: Decided | None) -> list[Finding]:
    """What was noticed in the results that are shown; of cutoffs only those that stand in an exhibit or the decision,
    each with its number. What was noticed in a slice says so."""
    shown = [(e.results, e.scope.where) for e in exhibits] + ([(decision.results, "")] if decision else [])
    out = [
        _noticed_where(f, where) for results, where in shown or [(kept, "")] for f in results["findings"]
        if f["code"] not in CUTOFF_FINDINGS
    ]  # fmt: skip
    for e in exhibits:
        out += _of_cutoffs(e.results, [c.name for c in candidates(e.results, e.scope)])
    if decision is not None:
        out += _of_cutoffs(decision.results, [decision.candidate])
    return [f for i, f in enumerate(out) if f not in out[:i]]


def _noticed_where(f: Finding, where: str) -> Finding:
    return f if not where else {**f, "message": f"where {where}: {f['message']}", "where": {**f["where"], "in": where}}


def _of_cutoffs(results: Results, names: Sequence[str]) -> list[Finding]:
    cutoffs = {c["name"]: c["cutoff"] for c in results["candidates"]}
    out: list[Finding] = []
    for f in results["findings"]:
        name = f["where"].get("candidate")
        if f["code"] in CUTOFF_FINDINGS and name in names:
            cutoff = cutoffs[str(name)]
            value = None if cutoff is None else cutoff["value"]
            said = f["message"] if value is None else f["message"].replace(
                f"the cutoff of {name} was", f"the cutoff of {name}, ≥ {as_set(value)}, was"
            )  # fmt: skip
            out.append({**f, "message": said, "where": {**f["where"], "cutoff": value}})
    return out


def as_today(frozen: Mapping[str, Any]) -> dict[str, Any]:
    """Content as it is read today: where an earlier version froze figures alone, the blocks around them are made of the
    results that were frozen with them."""
    if frozen["format"] != EARLIER:
        return dict(frozen)
    return {**frozen, "exhibits": [{**e, "blocks": _from_figures(e, frozen)} for e in frozen["exhibits"]]}


def _from_figures(e: Mapping[str, Any], frozen: Mapping[str, Any]) -> list[Block]:
    results = frozen["results"][e["results"]]
    scope = replace(Scope.kept(e["scope"]), own={"mode": "each"})  # matrices stood one by one
    none: Mapping[str, Tally | None] = defaultdict(lambda: None)
    made = _blocks(Exhibited(view=e["view"], caption="", scope=scope, results=results, tallies=lambda: none,
                             further=lambda parts: results))  # fmt: skip
    figures = [drawing(name, svg) for name, svg in e["figures"].items()]
    return [*figures, *(b for b in made if b["kind"] != "figure")]
