"""From a study file's description to arrays: columns found, answers joined on id, every fault named with its row."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
import polars as pl

from skarlo import core
from skarlo.core import BoolArray, Field, FloatArray, IntArray, Progress, Steps, several

from . import oddities
from .account import Account, Answered, Read
from .answers import read_candidate
from .asks import bands_of, check_shown, gates_of, own_metrics, quoted_of
from .columns import Files, Loading, at, codes_of, in_order, measured, one_of, read_ids
from .fields import summaries
from .holdout import Holdout, read_holdout
from .joined import joined
from .labels import alike_in, merged, near_labels
from .problems import InputError, Problem
from .read import as_text
from .spec import CandidateSpec, HoldoutSpec, RuleSpec, StudySpec
from .where import Around, Asked, asked_of

__all__ = ["Files", "load", "read_study"]


def load(spec: StudySpec, files: Files) -> core.Study:
    """Read and join all files of a study: the arrays and the fields, see `read_study`."""
    return read_study(spec, files, fields_too=True).study


def read_study(
    spec: StudySpec, files: Files, progress: Progress | None = None, fields_too: bool = False
) -> Read:  # fmt: skip
    """Read and join all files of a study, and look at what is in them.

    Parameters
    ----------
    spec : the study file
    files : from a path as the study file writes it to the file itself
    progress : told (done, of, what) before each step; what it raises stops the reading
    fields_too : whether the fields stay at hand, also where nothing is asked of them

    Raises
    ------
    InputError
        With every problem found; nothing is guessed, filled in or renormalised.
    """
    doing = Loading(spec.file, steps=Steps(progress), text=_text_columns(spec, files))
    doing.steps.next("reading the hold-out")
    holdout = read_holdout(spec.holdout, files, doing)
    spec = spec.model_copy(update={"holdout": holdout.spec})
    leave = _no_fields(spec)
    doing.steps.of += len(spec.candidates) + len(set(holdout.table.columns) - leave)
    try:
        return _joined(spec, holdout, files, leave, doing, fields_too)
    except InputError as e:
        raise InputError(holdout.located(e.problems)) from e


def _text_columns(spec: StudySpec, files: Files) -> dict[Path, set[str]]:
    """The columns of each file that are read as text: ids, classes, and what names a split, a group or a slice."""
    h = spec.holdout
    fields = [name for names in (*h.slices, *(g.every for g in spec.gates)) for name in names]
    shown = [str(x) for said in h.show.values() for x in (said if isinstance(said, list) else [said])]
    made = h.make_split.field if h.make_split else None
    rows = {x for x in (h.id, h.truth, h.split, h.group, made, *fields, *shown) if x}
    out: dict[Path, set[str]] = {files(path).path: set(rows) for path in (*h.files.values(), h.path) if path}
    home = list(out)
    for c in spec.candidates:
        for path in [files(c.path).path] if c.path else home:
            out.setdefault(path, set()).update(x for x in (c.id or h.id, c.predicted, c.reason, c.price) if x)
    return out


@dataclass(frozen=True)
class _Rows:
    """The hold-out's columns as arrays; `kept` are the rows that are in any split."""

    ids: pl.Series | None
    classes: list[str]
    actual: IntArray
    positive: int | None
    splits: dict[str, BoolArray]
    split_rows: dict[str, int]
    kept: BoolArray
    weight: FloatArray | None
    group: IntArray | None
    slices: list[tuple[Field, ...]]


def _rows(spec: StudySpec, holdout: Holdout, doing: Loading) -> _Rows:
    h, table, file = spec.holdout, holdout.table, holdout.source.name
    ids = read_ids(table, h.id, file, doing) if h.id is not None else None
    truth = doing.column(table, h.truth, file, "actual class")
    if truth is None:
        raise InputError(doing.problems)
    labels = _merged(h, as_text(truth), file, doing)
    classes = _classes(h, labels, ids, file, doing)
    splits, split_rows, kept = _splits(h, table, file, doing)
    weight = _weight(h, table, file, ids, splits, doing)
    group = _group(h, table, file, doing)
    slices = _slices(spec, table, file, doing)
    for what, said in h.show.items():
        for name in said if isinstance(said, list) else [said]:
            doing.column(table, str(name), file, f"{what} to show")
    if not classes:
        raise InputError(doing.problems)
    positive = _positive(h, classes)
    return _Rows(ids, classes, codes_of(labels, classes), positive, splits, split_rows, kept, weight, group, slices)


def _answers(spec: StudySpec, holdout: Holdout, r: _Rows, files: Files, doing: Loading) -> list[Answered]:
    _names_differ(spec, doing)
    out = []
    for i, c in enumerate(spec.candidates):
        _expect(spec.candidates[i : i + 2], files, doing)
        if c.cutoff_chosen_on is not None and c.cutoff_chosen_on not in r.split_rows:
            message = f"candidate {c.name}: cutoff_chosen_on names no split"
            doing.misasked(message, c.cutoff_chosen_on, one_of(list(r.split_rows)))
        doing.steps.next(f"joining the answers of {c.name}")
        found = read_candidate(c, spec, holdout.table, r.ids, holdout.source, r.classes, files, doing)
        if found is not None:
            out.append(found)
            if found.candidate.cutoff is not None and not found.candidate.ranking_only:
                doing.findings += oddities.of_scores(c.name, found.candidate.score)
    if spec.holdout.id is None and any(c.path for c in spec.candidates):
        doing.findings.append({
            "level": "warning", "code": "matched_by_position",
            "message": "the answers are matched to the rows by position, not on an id; only the numbers of rows agree",
            "where": {"file": holdout.source.name},
        })  # fmt: skip
    if spec.holdout.tune_on is None:
        _rules_without_tuning(spec, doing)
    return out


def _expect(candidates: Sequence[CandidateSpec], files: Files, doing: Loading) -> None:
    """Begin to read the files of the next candidates."""
    for c in candidates:
        if c.path:
            doing.expect(files(c.path))


def _joined(
    spec: StudySpec, holdout: Holdout, files: Files, leave: frozenset[str], doing: Loading, fields_too: bool
) -> Read:  # fmt: skip
    h, table, s = spec.holdout, holdout.table, spec.settings
    _expect(spec.candidates[:1], files, doing)
    r = _rows(spec, holdout, doing)
    kept, some = r.kept, table if r.kept.all() else table.filter(r.kept)
    answered = _answers(spec, holdout, r, files, doing)
    own, numbers = own_metrics(spec, table, holdout.source.name, r.classes, doing)
    gates = gates_of(spec, r.classes, own, doing)
    quoted = quoted_of(spec, r.classes, doing)
    bands = bands_of(spec, r.classes, doing)
    check_shown(spec, r.classes, doing)
    around = Around(r.classes, r.ids, kept, r.splits.get(h.report_on or "all", kept), leave)
    asked = asked_of(spec, holdout, around, files, doing, fields_too)
    if spec.cutoff_study is not None and len(r.classes) > 2:
        doing.misasked("cutoff_study is for two classes", f"{len(r.classes)} classes")
    if doing.problems:
        raise InputError(doing.problems)
    shown = summaries(some, r.actual[kept], len(r.classes), r.positive, leave, doing.steps.next)
    rows = oddities.Rows(table, r.ids, r.actual, r.classes, r.splits, h.report_on or "all", h.tune_on, leave, h.group)
    doing.findings += oddities.of_rows(rows, shown)
    rates = h.expected_base_rate
    study = core.Study(
        title=spec.title,
        classes=tuple(r.classes),
        actual=r.actual[kept],
        positive=r.positive,
        splits={name: rows[kept] for name, rows in r.splits.items()},
        report_on=h.report_on or "all",
        tune_on=h.tune_on,
        candidates=tuple(_keep(replace(a.candidate, sha256=doing.sha256(a.source)), kept) for a in answered),
        settings=core.Settings(s.confidence, s.seed, s.draws, s.bins, s.min_slice, s.min_denominator),
        weight=None if r.weight is None else r.weight[kept],
        group=None if r.group is None else r.group[kept],
        slices=tuple(tuple(_as_cut(f, asked, kept) for f in each) for each in r.slices),
        numbers={name: x[kept] for name, x in numbers.items()},
        metrics=own,
        gates=gates,
        expected_base_rate=() if rates is None else (rates,) if isinstance(rates, float) else tuple(rates),
        names=h.names,
        words={str(k): v for k, v in h.words.items()},
        sha256=holdout.sha256(doing),
        split_rows=r.split_rows,
        findings=tuple(doing.findings),
        quoted=quoted,
        cutoff_study=None if spec.cutoff_study is None else core.CutoffStudy(**spec.cutoff_study.model_dump()),
        bands=bands,
        ids=_ids(r.ids, kept),
        **asked.given,
    )
    account: Account = {"fields": shown, "joins": [] if r.ids is None else [a.joined(r.ids) for a in answered]}
    return Read(study, account, partial(joined, table, r.actual, r.splits, answered, kept))


def _as_cut(f: Field, asked: Asked, kept: BoolArray) -> Field:
    """A field to slice by along the rows in any split: cut as the study says, else by its values as they are."""
    return asked.fields.cut(f.name) if asked.fields and f.name in asked.cuts else replace(f, codes=f.codes[kept])


def _ids(ids: pl.Series | None, kept: BoolArray) -> core.RowIds:
    """The ids of the rows; where there are none their places from 1."""
    places = None if kept.all() else np.flatnonzero(kept)
    return core.RowIds((lambda i: str(i + 1)) if ids is None else (lambda i: str(ids[i])), places)


def _merged(h: HoldoutSpec, labels: pl.Series, file: str, doing: Loading) -> pl.Series:
    """The labels with those merged that the study says are one class; each merging is recorded."""
    for label, into in h.merge.items():
        if into in h.merge and h.merge[into] != into:
            doing.misasked("holdout.merge: this class is itself merged into another", into)
        rows = int((labels == label).sum())
        doing.findings.append({
            "level": "note", "code": "labels_merged", "message": f"“{label}” counts as {into}: {several(rows, 'row')}",
            "where": {"file": file, "column": h.truth, "label": label, "class": into, "rows": rows},
        })  # fmt: skip
    return merged(labels, h.merge)


def _no_fields(spec: StudySpec) -> frozenset[str]:
    """Columns that are not fields: what a row is, not what is known of it, and candidates' answers."""
    h = spec.holdout
    own = [
        x for c in spec.candidates if c.path is None
        for x in (c.score, c.predicted, c.reason, c.price, *(c.probabilities or {}).values())
    ]  # fmt: skip
    return frozenset(x for x in (h.id, h.truth, h.split, h.weight, *own) if x)


def _positive(h: HoldoutSpec, classes: list[str]) -> int | None:
    return classes.index(h.positive) if len(classes) == 2 and h.positive is not None else None


def _classes(h: HoldoutSpec, labels: pl.Series, ids: pl.Series | None, file: str, doing: Loading) -> list[str]:
    """The classes in order, or none with the problems named."""
    for i in (labels == "").arg_true().to_list():
        doing.problems.append(Problem("a row without an actual class", file, i + 2, at(ids, i), h.truth, ""))
    found = sorted(x for x in labels.unique().to_list() if x != "")

    def wrong(message: str, said: str | None = None, expected: str | None = None) -> list[str]:
        doing.problems.append(Problem(message, file, column=h.truth, found=said, expected=expected))
        return []

    def misasked(message: str, said: str | None = None, expected: str | None = None) -> list[str]:
        doing.misasked(f"holdout.{message}", said, expected)
        return []

    if measured(found):
        return wrong("holds measured numbers; Skarlo judges classifiers, whose actual classes are few", found[0],
                     "a column of classes")  # fmt: skip
    classes = h.classes or in_order(found)
    if len(set(classes)) != len(classes):
        return misasked("classes names a class twice", ", ".join(classes))
    if "" in classes:
        return misasked("classes names an empty class", ", ".join(classes))
    if h.classes:
        for i in (~labels.is_in(classes) & (labels != "")).arg_true().to_list():
            doing.problems.append(
                Problem("is not a class of the study", file, i + 2, at(ids, i), h.truth, labels[i], one_of(classes))
            )
    alike = near_labels(classes)
    for pair in alike:
        doing.findings.append({
            "level": "warning", "code": "labels_nearly_alike",
            "message": f"the classes {' and '.join(f'“{x}”' for x in pair)} {alike_in(pair)}: one class?",
            "where": {"file": file, "column": h.truth, "classes": list(pair)},
        })  # fmt: skip
    if len(classes) < 2:
        return wrong("all rows have one actual class", ", ".join(found), "two classes or more")
    for label in h.names:
        if label not in classes:
            misasked("names names no class of the study", label, one_of(classes))
    if len(classes) > 2:
        if h.positive is not None:
            hint = "; ".join(f"{' and '.join(f'“{x}”' for x in pair)} {alike_in(pair)}" for pair in alike)
            misasked("positive is for two classes", f"{len(classes)} classes: {', '.join(classes[:8])}",
                     f"two classes ({hint})" if hint else None)  # fmt: skip
        if h.expected_base_rate is not None:
            misasked("expected_base_rate is for two classes", f"{len(classes)} classes")
        return classes
    if h.positive is None:
        return misasked("positive is missing: which class do the scores speak of?", None, one_of(classes))
    if h.positive not in classes:
        return misasked("positive is not a class of the study", h.positive, one_of(classes))
    return classes[::-1] if not h.classes and classes[0] == h.positive else classes


def _splits(
    h: HoldoutSpec, table: pl.DataFrame, file: str, doing: Loading
) -> tuple[dict[str, BoolArray], dict[str, int], BoolArray]:
    """The splits that are shown, the rows of each split there is, and the rows that are in any."""
    everything = np.ones(table.height, dtype=bool)
    if h.split is None:
        if h.report_on or h.tune_on or h.also:
            doing.misasked("holdout.report_on, tune_on and also need holdout.split")
        return {"all": everything}, {"all": table.height}, everything
    column = doing.column(table, h.split, file, "split")
    if column is None:
        return {}, {}, everything
    text = as_text(column)
    counts = {str(name): int((text == name).sum()) for name in text.unique(maintain_order=True).to_list() if name}
    if h.report_on is None:
        doing.misasked("holdout.report_on is missing: which split is reported on?", None, one_of(list(counts)))
        return {}, {}, everything
    wanted = [h.report_on, *([h.tune_on] if h.tune_on else []), *h.also]
    for name in wanted:
        if name not in counts:
            message = f"holdout: no row is in this split ({file}, column {h.split})"
            doing.misasked(message, name, one_of(list(counts)))
    if len(set(wanted)) != len(wanted):
        doing.misasked("holdout.report_on, tune_on and also name one split twice", ", ".join(wanted))
    kept = (text != "").to_numpy()
    if not kept.all():
        n = int((~kept).sum())
        said = several(n, "row without a split is", "rows without a split are")
        doing.findings.append({
            "level": "warning", "code": "rows_without_split", "message": f"{said} left out",
            "where": {"file": file, "column": h.split, "rows": n},
        })  # fmt: skip
    return {name: (text == name).to_numpy() for name in wanted}, counts, kept


def _weight(
    h: HoldoutSpec, table: pl.DataFrame, file: str, ids: pl.Series | None, splits: dict[str, BoolArray], doing: Loading
) -> FloatArray | None:
    if h.weight is None:
        return None
    weight = doing.numbers(table, h.weight, file, "weight", ids)
    if weight is None:
        return None
    for i in np.flatnonzero(weight < 0).tolist():
        doing.problems.append(Problem("the weight is below 0", file, i + 2, at(ids, i), h.weight,
                                      repr(float(weight[i])), "0 or more"))  # fmt: skip
    for name, rows in splits.items():
        if rows.any() and not weight[rows].any():
            doing.problems.append(Problem(f"all weights of the split {name} are 0", file, column=h.weight))
    return weight


def _group(h: HoldoutSpec, table: pl.DataFrame, file: str, doing: Loading) -> IntArray | None:
    if h.group is None:
        return None
    column = doing.column(table, h.group, file, "group")
    if column is None:
        return None
    text = as_text(column)
    for i in (text == "").arg_true().to_list():
        doing.problems.append(Problem("a row without a group", file, i + 2, column=h.group, found=""))
    return np.unique(text.to_numpy().astype(str), return_inverse=True)[1].astype(np.int64)


def _field(table: pl.DataFrame, name: str, file: str, doing: Loading) -> Field | None:
    column = doing.column(table, name, file, "slices")
    if column is None:
        return None
    text = as_text(column)
    values = in_order([str(v) for v in text.unique().to_list()])
    return Field(name, tuple(values), codes_of(text, values))


def _slices(spec: StudySpec, table: pl.DataFrame, file: str, doing: Loading) -> list[tuple[Field, ...]]:
    """The field lists to slice by, and those that gates read and the study does not list."""
    lists = [tuple(fields) for fields in spec.holdout.slices]
    for fields in lists:
        if not fields or len(set(fields)) != len(fields):
            doing.misasked("holdout.slices: a list of fields is empty or names one twice", ", ".join(fields))
    lists += [tuple(g.every) for g in spec.gates if g.every and tuple(g.every) not in lists]
    known = {name: _field(table, name, file, doing) for name in dict.fromkeys(n for fields in lists for n in fields)}
    out = []
    for fields in dict.fromkeys(lists):
        found = [known[name] for name in fields]
        if found and all(f is not None for f in found):
            out.append(tuple(f for f in found if f is not None))
    return out


def _rules_without_tuning(spec: StudySpec, doing: Loading) -> None:
    """A rule without a tuning split looks at the rows that are reported; said by the results as well."""
    for c in spec.candidates:
        if isinstance(c.cutoff, RuleSpec):
            doing.findings.append({
                "level": "warning", "code": "no_tuning_split",
                "message": f"there is no tuning split, so {c.cutoff.rule} of {c.name} looks at the reported rows",
                "where": {"candidate": c.name},
            })  # fmt: skip


def _keep(c: core.Candidate, kept: BoolArray) -> core.Candidate:
    if kept.all():
        return c
    return replace(
        c,
        score=None if c.score is None else c.score[kept],
        probabilities=None if c.probabilities is None else c.probabilities[kept],
        predicted=None if c.predicted is None else c.predicted[kept],
    )


def _names_differ(spec: StudySpec, doing: Loading) -> None:
    seen: set[str] = set()
    for c in spec.candidates:
        if c.name in seen:
            doing.misasked("two candidates have one name", c.name, "names that differ")
        seen.add(c.name)
    if sum(c.runs_now for c in spec.candidates) > 1:
        doing.misasked("more than one candidate runs now", None, "at most one")
