"""Results by fingerprint: computed once for the same files, settings and version, then read back."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar, cast

from sqlmodel import Session

from skarlo import core
from skarlo.core.evaluate import environment
from skarlo.intake.load import load
from skarlo.intake.look import Look, look
from skarlo.intake.write import as_json

from .catalog import candidates_of, files_of, spec_of, study_of
from .records import CandidateRecord, StudyRecord
from .workspace import Workspace

T = TypeVar("T")


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


class Evaluator:
    """Evaluates kept studies."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self._studies = Remembered(4)
        self._results = Remembered(64)
        self._memos = Remembered(4)
        self._looks = Remembered(8)

    def study(self, session: Session, study_id: int, cutoffs: dict[int, float] | None = None) -> core.Study:
        """The arrays of a study, with the given cutoffs (by position) in place of the kept ones."""
        record = study_of(session, study_id)
        candidates = candidates_of(session, study_id)
        files = files_of(self.workspace, record, candidates)
        plain = spec_of(record, [_without_cutoff(c) for c in candidates])
        base = self._studies.get(_key(record, candidates, plain.model_dump()), lambda: load(plain, files))
        wanted = spec_of(record, candidates, cutoffs)
        return _with_cutoffs(base, [(c.cutoff, c.cutoff_chosen_on) for c in wanted.candidates])

    def look(self, session: Session, study_id: int) -> Look:
        """The fields of a study's hold-out, and how its candidates' answers joined."""
        record = study_of(session, study_id)
        candidates = candidates_of(session, study_id)
        plain = spec_of(record, [_without_cutoff(c) for c in candidates])
        study = self.study(session, study_id)
        files = files_of(self.workspace, record, candidates)
        return self._looks.get(_key(record, candidates, plain.model_dump()), lambda: look(plain, files, study))

    def results(self, session: Session, study_id: int, cutoffs: dict[int, float] | None = None) -> core.Results:
        """The results of a study. Those at the kept cutoffs are written to the workspace."""
        record = study_of(session, study_id)
        candidates = candidates_of(session, study_id)
        key = _key(record, candidates, spec_of(record, candidates, cutoffs).model_dump())
        keep = all((cutoffs or {}).get(c.position, c.cutoff) == c.cutoff for c in candidates)

        def make() -> core.Results:
            found = self.workspace.kept_result(key)
            if found is not None:
                return cast(core.Results, json.loads(found))
            plain = spec_of(record, [_without_cutoff(c) for c in candidates])
            memo: core.Memo = self._memos.get(_key(record, candidates, plain.model_dump()), dict)
            results = core.evaluate(self.study(session, study_id, cutoffs), memo=memo)
            if keep:
                self.workspace.keep_result(key, as_json(results))
            return results

        return self._results.get(key, make)


def _without_cutoff(c: CandidateRecord) -> CandidateRecord:
    return c.model_copy(update={"cutoff": None if c.cutoff is None else 0.5, "cutoff_chosen_on": None})


def _with_cutoffs(study: core.Study, cutoffs: list[tuple[Any, str | None]]) -> core.Study:
    candidates = tuple(
        c if c.score is None else replace(c, cutoff=core.Cutoff(float(value), chosen_on))
        for c, (value, chosen_on) in zip(study.candidates, cutoffs, strict=True)
    )
    return replace(study, candidates=candidates)


def _key(record: StudyRecord, candidates: list[CandidateRecord], spec: dict[str, Any]) -> str:
    what = [core.VERSION, environment(), record.holdout_sha256, [c.sha256 for c in candidates], spec]
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()
