"""Results by fingerprint: computed once for the same files, settings and version, then read back."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar, cast

from sqlmodel import Session

from skarlo import core
from skarlo.core.evaluate import environment
from skarlo.core.steps import Progress
from skarlo.intake import Files, Read, StudySpec, read_study
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

    def holds(self, key: str) -> bool:
        """Whether the value of a key is there."""
        with self._lock:
            return key in self._kept and bool(self._kept[key][1])


@dataclass(frozen=True)
class Asked:
    """What is asked of a study, as the records said when it was: enough to compute it without them.

    plain : the study without its cutoffs, and the key of its files as they are read
    key : of the results at `cutoffs`; `keep` says whether these are the cutoffs that the study keeps
    """

    plain: StudySpec
    plain_key: str
    files: Files
    key: str
    cutoffs: tuple[tuple[Any, str | None], ...]
    keep: bool


class Evaluator:
    """Evaluates kept studies."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self._reads = Remembered(4)
        self._results = Remembered(64)
        self._prepared = Remembered(4)

    def asked(self, session: Session, study_id: int, cutoffs: dict[int, float] | None = None) -> Asked:
        """What is asked, with the given cutoffs (by position) in place of the kept ones. Raises Missing."""
        record = study_of(session, study_id)
        candidates = candidates_of(session, study_id)
        plain = spec_of(record, [_without_cutoff(c) for c in candidates])
        wanted = spec_of(record, candidates, cutoffs)
        return Asked(
            plain, _key(record, candidates, plain), files_of(self.workspace, record, candidates),
            _key(record, candidates, wanted), tuple((c.cutoff, c.cutoff_chosen_on) for c in wanted.candidates),
            all((cutoffs or {}).get(c.position, c.cutoff) == c.cutoff for c in candidates),
        )  # fmt: skip

    def read(self, asked: Asked, progress: Progress | None = None) -> Read:
        """A study's files as they were read, and the look at them."""
        return self._reads.get(asked.plain_key, lambda: read_study(asked.plain, asked.files, progress))

    def prepared(self, asked: Asked, progress: Progress | None = None) -> core.Prepared:
        """A study ready to be evaluated at any cutoffs."""
        return self._prepared.get(asked.plain_key, lambda: core.prepare(self.read(asked, progress).study))

    def measured(self, asked: Asked, progress: Progress | None = None) -> core.Results:
        """The results. Those at the kept cutoffs are written to the workspace."""

        def make() -> core.Results:
            found = self.workspace.kept_result(asked.key)
            if found is not None:
                return cast(core.Results, json.loads(found))
            ready = self.prepared(asked, progress)
            results = core.evaluate(ready, cutoffs=_cutoffs(ready.study, asked.cutoffs), progress=progress)
            if asked.keep:
                self.workspace.keep_result(asked.key, as_json(results))
            return results

        return self._results.get(asked.key, make)

    def is_read(self, asked: Asked) -> bool:
        """Whether the files are at hand, read."""
        return self._reads.holds(asked.plain_key)

    def is_measured(self, asked: Asked) -> bool:
        """Whether the results are at hand."""
        return self._results.holds(asked.key)

    def study(self, session: Session, study_id: int, cutoffs: dict[int, float] | None = None) -> core.Study:
        """The arrays of a study, with the given cutoffs (by position) in place of the kept ones."""
        asked = self.asked(session, study_id, cutoffs)
        return _with_cutoffs(self.read(asked).study, asked.cutoffs)

    def results(self, session: Session, study_id: int, cutoffs: dict[int, float] | None = None) -> core.Results:
        """The results of a study, with the given cutoffs (by position) in place of the kept ones."""
        return self.measured(self.asked(session, study_id, cutoffs))


def _without_cutoff(c: CandidateRecord) -> CandidateRecord:
    return c.model_copy(update={"cutoff": None if c.cutoff is None else 0.5, "cutoff_chosen_on": None})


def _cutoffs(study: core.Study, cutoffs: Sequence[tuple[Any, str | None]]) -> list[core.Cutoff | None]:
    return [
        None if c.score is None else core.Cutoff(float(value), chosen_on)
        for c, (value, chosen_on) in zip(study.candidates, cutoffs, strict=True)
    ]


def _with_cutoffs(study: core.Study, cutoffs: Sequence[tuple[Any, str | None]]) -> core.Study:
    put = [replace(c, cutoff=k) for c, k in zip(study.candidates, _cutoffs(study, cutoffs), strict=True)]
    return replace(study, candidates=tuple(put))


def _key(record: StudyRecord, candidates: list[CandidateRecord], spec: StudySpec) -> str:
    what = [core.VERSION, environment(), record.holdout_sha256, [c.sha256 for c in candidates], spec.model_dump()]
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()
