"""A revision's content: everything a reader sees, gathered into one value that is frozen under one fingerprint.

First the records are looked at (`gather`), then the content is made of them without the records (`build`); so nothing
is evaluated inside a transaction, and what is frozen is what the records said at one moment.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from sqlmodel import Session, col, select

from skarlo import core
from skarlo.core import as_set, letter, listed, told_of
from skarlo.studies import words
from skarlo.studies.catalog import candidates_of, study_of
from skarlo.studies.evaluating import Asked, Evaluator
from skarlo.studies.records import CandidateRecord, DossierRecord, ExhibitRecord, StudyRecord
from skarlo.studies.refusals import Missing, Refusal

from . import drafting
from .blocks import note
from .content import Decided, Exhibited, Grouped, content
from .exhibits import Behind
from .exhibits.slices import GROUP_RULES, changed_blocks, cutoffs_blocks
from .scope import Scope


def exhibits_of(session: Session, study_id: int) -> list[ExhibitRecord]:
    """The pinned exhibits, in order."""
    query = select(ExhibitRecord).where(ExhibitRecord.study_id == study_id)
    return list(session.exec(query.order_by(col(ExhibitRecord.position), col(ExhibitRecord.id))))


def dossier_of(session: Session, study_id: int) -> DossierRecord:
    """The draft report of a study."""
    study_of(session, study_id)
    found = session.get(DossierRecord, study_id)
    if found is None:
        raise Missing(f"Study {study_id} does not exist or was deleted.")
    return found


@dataclass(frozen=True)
class Decision:
    """Which candidate is asked for, at which cutoff, and the results there."""

    candidate: CandidateRecord
    cutoff: float | None
    note: str
    asked: Asked
    groups: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Pinned:
    """One exhibit, and the results it shows."""

    record: ExhibitRecord
    scope: Scope
    asked: Asked


@dataclass(frozen=True)
class Draft:
    """A dossier as the records said at one moment: enough to make its content without them."""

    study: StudyRecord
    dossier: DossierRecord
    candidates: tuple[CandidateRecord, ...]
    exhibits: tuple[Pinned, ...]
    decision: Decision | None
    kept: Asked
    words: Mapping[str, words.Word]

    @property
    def fingerprint(self) -> str:
        """Of all that the content is made of: two drafts of one fingerprint give one content."""
        asked = [self.kept, *(e.asked for e in self.exhibits), *([self.decision.asked] if self.decision else [])]
        d = self.dossier
        what = [
            self.study.title, d.heading, d.summary, d.decision_note,
            [[e.record.id, e.record.view, e.record.caption, e.scope.as_dict()] for e in self.exhibits],
            None if self.decision is None else [
                self.decision.candidate.name, self.decision.cutoff, self.decision.groups
            ],
            [[a.key, [c and [c.value, c.chosen_on, dict(c.chosen_by)] for c in a.cutoffs]] for a in asked],
            [[c.name, c.position, c.sha256, c.columns] for c in self.candidates],
            {key: [w["word"], w["by"]] for key, w in self.words.items()},
            [[m, sorted(rows)] for e in self.exhibits if _reads_marks(e.scope) for m, rows in e.asked.marks],
        ]  # fmt: skip
        return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()


def _reads_marks(scope: Scope) -> bool:
    """Whether what is shown may depend on the marks of rows."""
    return any("mark" in said or said == core.NAMED for said in scope.own.values())


def gather(evaluator: Evaluator, session: Session, study_id: int) -> Draft:
    """Look a dossier up. Raises Missing."""
    study, dossier = study_of(session, study_id), dossier_of(session, study_id)
    records = candidates_of(session, study_id)
    pinned = []
    for record in exhibits_of(session, study_id):
        scope = Scope.kept(record.scope).among(records)
        pinned.append(
            Pinned(
                record,
                scope,
                evaluator.asked(session, study_id, scope.cutoffs, scope.split, tuple(scope.within.items())),
            )
        )
    decision = None
    chosen = next((c for c in records if c.name == dossier.decision_candidate), None)
    if chosen is not None:
        cutoff = dossier.decision_cutoff
        asked = evaluator.asked(session, study_id, {} if cutoff is None else {chosen.position: cutoff})
        decision = Decision(chosen, cutoff, dossier.decision_note, asked, dossier.decision_groups)
    return Draft(study, dossier, tuple(records), tuple(pinned), decision, evaluator.asked(session, study_id),
                 words.words_of(session, study_id))  # fmt: skip


class _Measured:
    """Results by what is asked for, each computed and held once."""

    def __init__(self, evaluator: Evaluator) -> None:
        self.evaluator = evaluator
        self._found: dict[Any, core.Results] = {}

    def at(self, asked: Asked) -> core.Results:
        """The results that are asked for."""
        key = (asked.key, tuple(c and (c.value, c.chosen_on, str(dict(c.chosen_by))) for c in asked.cutoffs))
        if key not in self._found:
            self._found[key] = self.evaluator.measured(asked)
        return self._found[key]


def build(evaluator: Evaluator, draft: Draft) -> dict[str, Any]:
    """The content of a dossier: its results are computed, then see `content`."""
    measured = _Measured(evaluator)
    return content(
        study={"id": draft.study.id, "title": draft.study.title},
        heading=draft.dossier.heading,
        summary=draft.dossier.summary,
        decision=None if draft.decision is None else _decided(evaluator, draft, draft.decision, measured),
        inputs=_inputs(draft),
        exhibits=[_exhibited(evaluator, draft, e, measured) for e in draft.exhibits],
        kept=measured.at(draft.kept),
        said=draft.words,
    )  # fmt: skip


def _exhibited(evaluator: Evaluator, draft: Draft, e: Pinned, measured: _Measured) -> Exhibited:
    shown = Exhibited(
        view=e.record.view, caption=e.record.caption, scope=e.scope, results=measured.at(draft.kept),
        tallies=partial(_tallies, evaluator, e), further=partial(_further, evaluator, e),
        behind=partial(_behind, evaluator, e),
    )  # fmt: skip
    try:
        return replace(shown, results=measured.at(e.asked))
    except (Missing, Refusal) as why:  # the mark, the named condition or the field that picks its rows is gone
        return replace(shown, gone=str(why))


def _inputs(draft: Draft) -> list[dict[str, Any]]:
    study = draft.study
    return [
        {"role": "hold-out", "file": study.holdout_name, "sha256": study.holdout_sha256, "columns": study.mapping},
        *(
            {"role": f"candidate {letter(c.position)}", "name": c.name, "file": c.file_name, "sha256": c.sha256,
             "columns": c.columns}
            for c in draft.candidates
        ),
    ]  # fmt: skip


def _decided(evaluator: Evaluator, draft: Draft, d: Decision, measured: _Measured) -> Decided:
    results = measured.at(d.asked)
    return Decided(
        candidate=d.candidate.name, position=d.candidate.position,
        positions=Scope("", ()).among(draft.candidates).positions, cutoff=d.cutoff, note=d.note,
        sha256=d.candidate.sha256, differs=differing(draft), results=results,
        groups=None if d.groups is None else _grouped(evaluator, d, d.groups, results),
    )  # fmt: skip


def _grouped(evaluator: Evaluator, d: Decision, groups: Mapping[str, Any], results: core.Results) -> Grouped:
    """The cutoffs for groups that a decision asks for, and what they change on the reported rows."""
    split, words = results["holdout"]["report_on"], groups_in_words(groups)
    part = core.Part("alike", split, fields=tuple(groups["by"]), rule=groups["rule"], rate=groups["gap_at_most"],
                     prices=tuple(groups["prices"]))  # fmt: skip
    try:
        found = evaluator.parts(d.asked, [part])
    except (Missing, Refusal) as e:
        return Grouped(words, {}, [note(f"they can no longer be chosen: {e}")])
    (of,) = (c["splits"].get(split) for c in found["candidates"] if c["name"] == d.candidate.name)
    told = of["alike"].get("cutoffs") if of is not None and "alike" in of else None
    if told is None or "after" not in told:
        return Grouped(words, {}, [note("they cannot be chosen on these rows")])
    cutoffs = {group: one["value"] for group, one in told["by_group"].items()}
    return Grouped(words, cutoffs, [*cutoffs_blocks(told, asked_for=True), *changed_blocks(told)])


def groups_in_words(groups: Mapping[str, Any]) -> str:
    """What cutoffs for groups are to do."""
    by = " and ".join(name.rpartition(":")[0] or name for name in groups["by"])
    rule, (needless, missed) = groups["rule"], groups["prices"]
    how = f"to within {as_set(groups['gap_at_most'])}" if rule != "least_cost" else (
        f"a needless flag costing {as_set(needless)} and a miss {as_set(missed)}"
    )  # fmt: skip
    return f"a cutoff of its own for each group by {by}, {GROUP_RULES[rule]}, {how}"


def _tallies(evaluator: Evaluator, e: Pinned) -> dict[str, core.Tally | None]:
    ready = evaluator.prepared(e.asked)
    found = {c.name: ready.on_split(i, e.scope.split).judged for i, c in enumerate(ready.study.candidates)}
    return {name: a.tally if a.probable is None else a.probable.likely.tally for name, a in found.items()}


def _further(evaluator: Evaluator, e: Pinned, parts: Sequence[core.Part]) -> core.Results:
    """Parts that an exhibit shows besides; without the slices by a field that there is not, or that is not cut so."""
    try:
        return evaluator.parts(e.asked, parts)
    except (Missing, Refusal):
        return evaluator.parts(e.asked, [p for p in parts if p.kind not in ("slices", "alike")])


def _behind(evaluator: Evaluator, e: Pinned) -> Behind:
    rows = evaluator.rows(e.asked)
    within = rows.within(e.asked.within) if e.asked.within else None
    return Behind(rows=rows, within=within, inside=partial(evaluator.inside, e.asked, e.scope.split))


def decision_chosen(draft: Draft) -> str:
    """Where and how the decision's cutoff was chosen, in words."""
    if draft.decision is None:
        return ""
    cutoff = draft.decision.asked.cutoffs[draft.candidates.index(draft.decision.candidate)]
    return "" if cutoff is None else drafting.chosen_where(told_of(cutoff))


def differing(draft: Draft) -> list[str]:
    """Where exhibits show the candidate that is asked for at another cutoff than the decision's, in words."""
    d = draft.decision
    if d is None or d.cutoff is None:
        return []
    at = draft.candidates.index(d.candidate)
    elsewhere: dict[float, list[str]] = {}
    for number, e in enumerate(draft.exhibits, 1):
        cutoff = e.asked.cutoffs[at]
        if d.candidate.position in e.scope.show and cutoff is not None and cutoff.value not in (None, d.cutoff):
            elsewhere.setdefault(cutoff.value, []).append(str(number))
    return [
        f"{'exhibits' if len(numbers) > 1 else 'exhibit'} {listed(numbers)} {'show' if len(numbers) > 1 else 'shows'} "
        f"{d.candidate.name} at ≥ {as_set(value)}, and the decision is for ≥ {as_set(d.cutoff)}"
        for value, numbers in elsewhere.items()
    ]
