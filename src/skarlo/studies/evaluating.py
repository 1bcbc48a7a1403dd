"""Results by fingerprint: computed once for the same files, settings and version, then read back.

What is asked is looked up in the records first, as a value (`Asked`); then it is computed without them, so that no
evaluation ever lies inside a transaction.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import astuple, dataclass, replace
from functools import partial
from typing import Any, Literal, TypeVar, cast

import numpy as np
from sqlmodel import Session
from typing_extensions import TypedDict

from skarlo import core
from skarlo.core import HoldoutResult, Progress, environment
from skarlo.intake import Files, Read, StudySpec, read_study
from skarlo.intake.write import as_json

from .catalog import candidates_of, cutoff_of, files_of, spec_of, study_of
from .marks import marked as marks_of
from .records import CandidateRecord, StudyRecord
from .refusals import Damaged
from .rows import Rows, as_parquet
from .workspace import Workspace

T = TypeVar("T")
Within = tuple[tuple[str, str], ...]  # fields with their values; a text without a name is a condition
ROWS = "rows 2"  # of the table that keeps them: with stated reasons


class Remembered:
    """The last few values by key; each made once, even when several threads ask for it together."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[str, tuple[threading.Lock, list[Any]]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str, make: Callable[[], T]) -> T:
        """The value of a key, made if it is not there."""
        with self._lock:
            own, value = self._kept.setdefault(key, (threading.Lock(), []))
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        with own:
            if not value:
                value.append(make())
            return cast(T, value[0])

    def holds(self, key: str) -> bool:
        """Whether the value of a key is there."""
        with self._lock:
            return key in self._kept and bool(self._kept[key][1])


class Facts(TypedDict):
    """What is told of a study without any evaluation: its rows by split and class, and what each candidate gives."""

    holdout: HoldoutResult
    balance: dict[str, dict[str, core.ClassBalance]]
    gives: list[Literal["scores", "classes", "probabilities"]]


@dataclass(frozen=True)
class Asked:
    """What is asked of a study, as the records said when it was: enough to compute it without them.

    plain : the study without its cutoffs; read_key : of its files as they are read
    within : fields with the value that rows have to have, and conditions; plain_key : of the rows that are left
    cutoffs : each candidate's, None where it has none, with where and how it was chosen
    key : of the results at these cutoffs
    keep : whether these are the cutoffs that the study keeps
    positions : of the candidates, in order
    inputs : the kept files by fingerprint, as people know them
    marks : the rows that bear each mark
    """

    plain: StudySpec
    read_key: str
    within: Within
    plain_key: str
    files: Files
    cutoffs: tuple[core.Cutoff | None, ...]
    key: str
    keep: bool
    positions: tuple[int, ...]
    inputs: tuple[tuple[str, str], ...]
    marks: tuple[tuple[str, frozenset[int]], ...] = ()


def _aside(spec: StudySpec) -> set[str]:
    """The columns of the hold-out that say nothing of what a row is like."""
    h = spec.holdout
    shown = [str(x) for said in h.show.values() for x in (said if isinstance(said, list) else [said])]
    named = (h.id, h.truth, h.split, h.weight, h.group, *shown)
    return {x for x in named if x}


def ask(
    workspace: Workspace, session: Session, study_id: int, cutoffs: Mapping[int, float] | None = None,
    seen_on: str = "", within: Within = (),
) -> Asked:  # fmt: skip
    """What is asked of a study, with the given cutoffs (by position) in place of the kept ones.

    seen_on : the split whose rows were looked at with cutoffs that nobody kept; the reported one if left out
    within : fields with the value that rows have to have, of all rows if left out

    Raises
    ------
    Missing
        Where there is no such study.
    """
    record = study_of(session, study_id)
    candidates = candidates_of(session, study_id)
    plain = spec_of(record, [_without_cutoff(c) for c in candidates])
    seen_on = seen_on or record.mapping.get("report_on") or "all"
    placed = tuple(_cutoff(session, c, cutoffs or {}, seen_on) for c in candidates)
    read_key = _key(record, candidates, plain)
    marks = tuple(marks_of(session, study_id).items())
    of_marks = [[m, sorted(rows)] for m, rows in marks] if any(not name and "mark" in x for name, x in within) else []
    chosen = json.dumps([within, of_marks] if of_marks else within)
    plain_key = hashlib.sha256(f"{read_key} {chosen}".encode()).hexdigest() if within else read_key
    values = json.dumps([None if c is None else [c.value, c.measured.chosen_on, dict(c.chosen_by)] for c in placed])
    return Asked(
        plain, read_key, within, plain_key, files_of(workspace, record, candidates), placed,
        hashlib.sha256(f"{plain_key} {values}".encode()).hexdigest(),
        not within and all(c.cutoff is None or (k is not None and k.value == c.cutoff)
            for c, k in zip(candidates, placed, strict=True)),
        tuple(c.position for c in candidates),
        ((record.holdout_sha256, record.holdout_name), *((c.sha256, c.file_name) for c in candidates)), marks,
    )  # fmt: skip


def _cutoff(session: Session, c: CandidateRecord, cutoffs: Mapping[int, float], seen_on: str) -> core.Cutoff | None:
    if c.cutoff is None:
        return None
    value = cutoffs.get(c.position, c.cutoff)
    if value == c.cutoff:
        return core.Cutoff(value, c.cutoff_chosen_on, chosen_by=c.cutoff_chosen_by)
    return cutoff_of(session, c, value, seen_on)


class Evaluator:
    """Evaluates kept studies."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self._reads = Remembered(4)
        self._prepared = Remembered(4)
        self._sliced = Remembered(4)  # apart, so that looking at slices lets go of no whole study
        self._facts = Remembered(64)
        self._evaluations = Remembered(4)
        self._results = Remembered(64)
        self._parts = Remembered(512)
        self._worst = Remembered(64)

    def asked(
        self, session: Session, study_id: int, cutoffs: Mapping[int, float] | None = None, seen_on: str = "",
        within: Within = (),
    ) -> Asked:  # fmt: skip
        """What is asked; see `ask`."""
        return ask(self.workspace, session, study_id, cutoffs, seen_on, within)

    def read(self, asked: Asked, progress: Progress | None = None) -> Read:
        """A study's files as they were read, and the account of them. Raises Damaged."""

        def make() -> Read:
            found = self._kept_rows(asked, read_study(asked.plain, asked.files, progress))
            kept = dict(asked.inputs)
            for sha256 in (found.study.sha256, *(c.sha256 for c in found.study.candidates)):
                if sha256 not in kept:
                    self.verify(asked)
                    raise Damaged("the study's files are not what they were when they were kept")
            return found

        return self._reads.get(asked.read_key, make)

    def _kept_rows(self, asked: Asked, found: Read) -> Read:
        """The same once its rows are kept; they need not stay in memory."""
        holdout = asked.inputs[0][0]
        if found.joined is not None and self.workspace.rows_file(holdout, asked.read_key) is None:
            self.workspace.keep_rows(holdout, asked.read_key, as_parquet(found.joined()))
        return replace(found, joined=None)

    def rows(self, asked: Asked, progress: Progress | None = None) -> Rows:
        """The rows of a study with all answers, at the cutoffs that are asked for. Raises as `read`."""
        study = self.read(asked, progress).study
        where = partial(self.workspace.rows_file, asked.inputs[0][0], asked.read_key)
        path = where()
        if path is None:  # let go of meanwhile: they can always be made again
            self._kept_rows(asked, read_study(asked.plain, asked.files, progress))
            path = where()
        if path is None:
            raise Damaged("the study's rows cannot be kept")
        letters = [core.letter(p) for p in asked.positions]
        return Rows(path, study, asked.cutoffs, letters, _aside(asked.plain), dict(asked.marks))

    def verify(self, asked: Asked) -> None:
        """Look at every byte that the study is made of. Raises Damaged, naming the file that changed."""
        for sha256, name in dict.fromkeys(asked.inputs):
            self.workspace.check(sha256, name)

    def facts(self, asked: Asked, progress: Progress | None = None) -> Facts:
        """What is told of a study without evaluating it; kept, so that it is at hand after a restart too."""

        def make() -> Facts:
            key = hashlib.sha256(f"facts 2 {asked.read_key}".encode()).hexdigest()
            kept = self.workspace.kept_result(key)
            if kept is not None:
                return cast(Facts, json.loads(kept))
            study = self.read(asked, progress).study
            found: Facts = {
                "holdout": core.holdout_of(study),
                "balance": core.balance_of(study),
                "gives": [c.gives for c in study.candidates],
            }
            self.workspace.keep_result(key, as_json(found))
            return found

        return self._facts.get(asked.read_key, make)

    def prepared(self, asked: Asked, progress: Progress | None = None) -> core.Prepared:
        """A study ready to be evaluated at any cutoffs, on the rows that are asked for. Raises Missing where there are
        none."""

        def make() -> core.Prepared:
            study, rows = self.read(asked, progress).study, self.rows(asked)
            fields = core.FieldsOf(rows.values, rows.cut, rows.searched, rows.searchable, lambda: study.conditions)
            if not asked.within:
                return core.prepare(study, fields)
            inside = rows.within(asked.within)
            some, by = core.only(study, inside), tuple(rows.picked_by(asked.within))
            return core.prepare(replace(some, picked_by=by), fields.only(inside))

        return (self._sliced if asked.within else self._prepared).get(asked.plain_key, make)

    def measured(self, asked: Asked, progress: Progress | None = None) -> core.Results:
        """The results. Those at the kept cutoffs are written to the workspace.

        They are computed once for cutoffs of the same values; where and how each was chosen is said of them after.
        """

        def make() -> core.Results:
            found = self.workspace.kept_result(asked.key)
            if found is not None:
                return cast(core.Results, json.loads(found))
            return self._evaluation(asked, progress).results(progress=progress)

        results = self._results.get(asked.key, make)
        if asked.keep and not self.workspace.has_result(asked.key):
            self.workspace.keep_result(asked.key, as_json(results))
        return _as_chosen(asked, results)

    def parts(self, asked: Asked, parts: Iterable[core.Part], progress: Progress | None = None) -> core.Results:
        """Some parts of the results, the head among them, in one document that holds nothing else.

        A part that no cutoff changes is computed once for all cutoffs. Those of the kept cutoffs are written to the
        workspace. Raises KeyError for a split or a list of fields that the study does not have.
        """
        wanted = list(dict.fromkeys([core.Part("head"), *with_marks(asked, parts)]))
        missing = [part for part in wanted if not self._has_part(part_key(asked, part))]
        if missing:
            self._evaluation(asked, progress).results(missing, progress)  # together, so that it can say how far it is
        return _as_chosen(asked, core.put_together({part: self._part(asked, part) for part in wanted}))

    def _part(self, asked: Asked, part: core.Part) -> Any:
        key = part_key(asked, part)

        def make() -> Any:
            found = self.workspace.kept_result(key)
            if found is not None:
                return json.loads(found)
            value = self._evaluation(asked).part(part)
            if asked.keep or not (part.moves or asked.within):
                self.workspace.keep_result(key, as_json(value))
            return value

        return self._parts.get(key, make)

    def _evaluation(self, asked: Asked, progress: Progress | None = None) -> core.Evaluation:
        """The study at these cutoffs; on which rows some were set by hand is said of the results after."""
        plain = [None if c is None else c.measured for c in asked.cutoffs]
        return self._evaluations.get(asked.key, lambda: core.Evaluation(self.prepared(asked, progress), cutoffs=plain))

    def another(self, asked: Asked, text: str, candidate: str, split: str) -> core.Another:
        """What reproduces a number that was got elsewhere. Raises KeyError and ValueError as the core does."""
        return self._evaluation(asked).another(text, candidate, split)

    def inside(self, asked: Asked, split: str, places: Sequence[int]) -> dict[str, core.SliceResult]:
        """By candidate some rows, by their places in the hold-out from 0, against the others of a split. Raises
        KeyError."""
        found = self._evaluation(asked)
        own = found.study.ids.places
        n = len(found.study.actual)
        return found.inside(split, np.isin(np.arange(n) if own is None else own, np.asarray(places, dtype=np.int64)))

    def worst(self, asked: Asked, what: core.WorstAsked, progress: Progress | None = None) -> core.WorstResult:
        """Worst slices found; kept in memory for as long as others are not asked for. Raises KeyError."""
        return self._worst.get(self.worst_key(asked, what), lambda: self._evaluation(asked).searched(what, progress))

    def worst_key(self, asked: Asked, what: core.WorstAsked) -> str:
        """What a search is kept under."""
        return hashlib.sha256(json.dumps(["worst", asked.key, *astuple(what)]).encode()).hexdigest()

    def has_worst(self, asked: Asked, what: core.WorstAsked) -> bool:
        """Whether a search is at hand."""
        return self._worst.holds(self.worst_key(asked, what))

    def has_parts(self, asked: Asked, parts: Iterable[core.Part]) -> bool:
        """Whether these parts of the results are at hand."""
        return all(self._parts.holds(part_key(asked, part)) for part in with_marks(asked, parts))

    def _has_part(self, key: str) -> bool:
        return self._parts.holds(key) or self.workspace.has_result(key)

    def is_read(self, asked: Asked) -> bool:
        """Whether the files are at hand, read."""
        return self._reads.holds(asked.read_key)

    def is_measured(self, asked: Asked) -> bool:
        """Whether the results are at hand."""
        return self._results.holds(asked.key)

    def has_facts(self, asked: Asked) -> bool:
        """Whether the facts are at hand."""
        return self._facts.holds(asked.read_key)


def with_marks(asked: Asked, parts: Iterable[core.Part]) -> list[core.Part]:
    """Parts of what is named hold the marks as they are now."""
    borne = tuple((mark, tuple(sorted(row - 1 for row in rows))) for mark, rows in asked.marks)
    return [replace(p, borne=borne) if p.kind == "slices" and p.fields == (core.NAMED,) else p for p in parts]


def part_key(asked: Asked, part: core.Part) -> str:
    """What a part is kept under: parts that no cutoff changes are one for all cutoffs."""
    of = asked.key if part.moves else asked.plain_key
    return hashlib.sha256(json.dumps(["part", of, *astuple(part)]).encode()).hexdigest()


def _as_chosen(asked: Asked, results: core.Results) -> core.Results:
    """With where and how each cutoff was chosen."""
    names = [c.name for c in asked.plain.candidates]
    return core.with_choices(results, {n: c for n, c in zip(names, asked.cutoffs, strict=True) if c is not None})


def _without_cutoff(c: CandidateRecord) -> CandidateRecord:
    changes: dict[str, Any] = {
        "cutoff": None if c.cutoff is None else 0.5,
        "cutoff_chosen_on": None,
        "cutoff_chosen_by": {},
    }
    return c.model_copy(update=changes)


def _key(record: StudyRecord, candidates: list[CandidateRecord], spec: StudySpec) -> str:
    asked = spec.model_dump(mode="json", exclude={"shown"})  # which changes no number
    what = [core.VERSION, ROWS, environment(), record.holdout_sha256, [c.sha256 for c in candidates], asked]
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()
