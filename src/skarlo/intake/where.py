"""What a study asks of parts of its rows: conditions, marks, cuts, searches, groups, labels in doubt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import polars as pl

from skarlo import core
from skarlo.core import METRICS, BoolArray

from .columns import Files, Loading, one_of
from .holdout import Holdout
from .problems import InputError
from .read import as_text
from .spec import KeptSpec, StudySpec
from .values import Looked

MOST_GROUPS = 400  # values of a field up to which it is sliced by
_MARK = "mark"


@dataclass(frozen=True)
class Asked:
    """What a study asks of parts of its rows, along the rows that are in any split."""

    fields: core.FieldsOf | None = None
    marks: Mapping[str, BoolArray] = field(default_factory=dict)
    cuts: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    conditions: tuple[core.NamedCondition, ...] = ()
    search: tuple[core.SearchStudy, ...] = ()
    groups: tuple[core.GroupStudy, ...] = ()
    doubt: core.DoubtStudy | None = None

    @property
    def given(self) -> dict[str, Any]:
        """As a study takes them."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__}


@dataclass(frozen=True)
class Around:
    """What is known of the study by then: its classes, its ids, the rows in any split and those reported on, and the
    columns that are no fields."""

    classes: list[str]
    ids: pl.Series | None
    kept: BoolArray
    reported: BoolArray
    leave: frozenset[str]


def asked_of(
    spec: StudySpec, holdout: Holdout, around: Around, files: Files, doing: Loading, fields_too: bool = False
) -> Asked:  # fmt: skip
    """All of it, each mistake named.

    fields_too : whether the fields stay at hand where nothing is asked of them
    """
    asks = (spec.conditions, spec.cuts, spec.search, spec.groups, spec.doubt, spec.holdout.marks)
    if not any(asks) and not fields_too:
        return Asked()
    looked = Looked(holdout.table, around.kept)
    known = [x for x in holdout.table.columns if x not in around.leave]
    reported = around.reported[around.kept]

    def cut(asked: str) -> core.CutField:
        """Of a field as the study says, or as is asked for: "girth", "girth:4", "seen:month"."""
        name, _, by = (asked, "", "") if asked in known else asked.rpartition(":")
        if name not in known:
            raise KeyError(f"there is no field {name or asked}; there are {', '.join(known)}")
        how = spec.cuts.get(name)
        said = None if how is None else core.Cut(how.quantiles, tuple(how.edges), how.by)
        chosen = core.parse_cut(by) if by else said
        return core.cut(name, looked.values(name), looked.kind(name), reported, chosen)

    for name in spec.cuts:
        _known_field(f"cuts.{name}", name, known, doing)
    edges: dict[str, tuple[float, ...]] = {}
    for name in [x for x in spec.cuts if x in known]:
        try:
            edges[name] = cut(name).edges
        except ValueError as e:
            doing.misasked(f"cuts.{name}: {e}")
    marks = _marks(spec, around, files, doing)
    conditions = _conditions(spec, looked, known, marks, around, files, doing)
    for i, s in enumerate(spec.search, 1):
        _search_faults(f"search.{i}", spec, s, known, around, doing)
    for i, g in enumerate(spec.groups, 1):
        for name in g.by:
            _known_field(f"groups.{i}.by", name, known, doing)
        if g.cutoffs is not None and len(around.classes) > 2:
            doing.misasked(f"groups.{i}.cutoffs are for two classes", f"{len(around.classes)} classes")
        _known_class(f"groups.{i}", g.of_class, around, doing)
    fields = core.FieldsOf(
        looked.values, lambda name: cut(name).field,
        lambda name, inside: core.search_field(name, looked.values(name), looked.kind(name), inside),
        lambda: [x for x in known if _searchable(spec, looked, x)],
    )  # fmt: skip
    return Asked(
        fields, marks, edges, conditions, _searches(spec), _groups(spec), _doubt(spec, around, files, doing)
    )  # fmt: skip


def _known_field(where: str, name: str, known: list[str], doing: Loading) -> None:
    if name not in known:
        doing.misasked(f"{where}: there is no such field", name, one_of(known))


def _known_class(where: str, label: str | None, around: Around, doing: Loading) -> None:
    if label is not None and label not in around.classes:
        doing.misasked(f"{where}: there is no such class", label, one_of(around.classes))


def _search_faults(
    where: str, spec: StudySpec, s: Any, known: list[str], around: Around, doing: Loading
) -> None:  # fmt: skip
    names = [c.name for c in spec.candidates]
    if s.on is not None and s.on not in names:
        doing.misasked(f"{where}: there is no such candidate", s.on, one_of(names))
    rates = core.rates(1 if len(around.classes) == 2 else None)
    if s.metric is not None and s.metric not in rates:
        doing.misasked(f"{where}: slices are not searched by this metric", s.metric, one_of(rates))
    if len(around.classes) > 2 and s.metric not in (None, "accuracy") and s.of_class is None:
        doing.misasked(f"{where}: class is missing: which class is the {METRICS[s.metric].title.lower()} of?", None,
                       one_of(around.classes))  # fmt: skip
    _known_class(where, s.of_class, around, doing)
    for name in s.fields:
        _known_field(f"{where}.fields", name, known, doing)


def _searchable(spec: StudySpec, looked: Looked, name: str) -> bool:
    """Whether a field says what a row is like: not who belongs together, what is shown, or text of many values."""
    shown = [str(x) for said in spec.holdout.show.values() for x in (said if isinstance(said, list) else [said])]
    if name in (spec.holdout.group, *shown):
        return False
    return looked.kind(name) != "text" or looked.table[name].n_unique() <= MOST_GROUPS


def _searches(spec: StudySpec) -> tuple[core.SearchStudy, ...]:
    return tuple(
        core.SearchStudy(s.on, s.metric or "", s.loss or "", tuple(s.fields), s.depth, s.of_class or "")
        for s in spec.search
    )  # fmt: skip


def _groups(spec: StudySpec) -> tuple[core.GroupStudy, ...]:
    out = []
    for g in spec.groups:
        c = g.cutoffs
        rule = "" if c is None else c.equal or c.rule or ""
        prices = (1.0, 1.0) if c is None else (c.false_positive, c.false_negative)
        gap = 0.02 if c is None else c.gap_at_most
        out.append(
            core.GroupStudy(tuple(g.by), tuple(g.criteria), g.against or "", g.of_class or "", rule, gap, prices)
        )
    return tuple(out)


def _ids_of(said: str | list[str], files: Files, doing: Loading, around: Around, what: str) -> pl.Series | None:
    """Ids as they were given, or those of a file: of the column that bears the hold-out's name for them, else the
    first."""
    if around.ids is None:
        doing.misasked(f"{what} needs ids: the hold-out has none")
        return None
    if not isinstance(said, str):
        return pl.Series(said, dtype=pl.String)
    table = doing.table(files(said))
    return None if table is None else as_text(table[_id_column(table, around.ids.name)])


def _id_column(table: pl.DataFrame, name: str) -> str:
    return name if name in table.columns else table.columns[0]


def _rows_of(ids: pl.Series, around: Around) -> tuple[BoolArray, int]:
    """The rows in any split that bear some ids, and how many of these no row bears."""
    assert around.ids is not None
    wanted = ids.filter(ids != "").unique()
    there = around.ids.is_in(wanted.implode()).to_numpy()
    gone = len(wanted) - int(wanted.is_in(around.ids.implode()).sum())
    return there[around.kept], gone


def _marks(spec: StudySpec, around: Around, files: Files, doing: Loading) -> dict[str, BoolArray]:
    said = spec.holdout.marks
    if said is None:
        return {}
    if around.ids is None:
        doing.misasked("holdout.marks needs ids: the hold-out has none")
        return {}
    out = {}
    for name, ids in (_marked(said, around.ids.name, files, doing) if isinstance(said, str) else said).items():
        out[name], gone = _rows_of(pl.Series(ids, dtype=pl.String), around)
        if gone:
            doing.findings.append({
                "level": "warning", "code": "marked_rows_gone",
                "message": f"{core.several(gone, 'row')} marked “{name}” {'is' if gone == 1 else 'are'} not there",
                "where": {"mark": name, "rows": gone},
            })  # fmt: skip
    return out


def _marked(path: str, id_name: str, files: Files, doing: Loading) -> dict[str, list[str]]:
    """The ids that bear each mark, of a file with a column of ids and one named mark."""
    table = doing.table(files(path))
    column = None if table is None else doing.column(table, _MARK, path, "marks")
    if table is None or column is None:
        return {}
    ids, said = as_text(table[_id_column(table, id_name)]), as_text(column)
    return {name: ids.filter(said == name).to_list() for name in said.unique(maintain_order=True).to_list() if name}


def with_lists(spec: StudySpec, files: Files) -> StudySpec:
    """The same with the ids themselves in place of the files that list them. Raises InputError."""
    doing, name = Loading(spec.file), spec.holdout.id or ""

    def ids(path: Any) -> Any:
        if not isinstance(path, str):
            return path
        table = doing.table(files(path))
        return [] if table is None else as_text(table[_id_column(table, name)]).to_list()

    marks = spec.holdout.marks
    marks = _marked(marks, name, files, doing) if isinstance(marks, str) else marks
    conditions = {
        called: c.model_copy(update={"ids": ids(c.ids)}) if isinstance(c, KeptSpec) else c
        for called, c in spec.conditions.items()
    }
    doubt = None if spec.doubt is None else spec.doubt.model_copy(update={"marked": ids(spec.doubt.marked)})
    if doing.problems:
        raise InputError(doing.problems)
    holdout = spec.holdout.model_copy(update={"marks": marks})
    return spec.model_copy(update={"holdout": holdout, "conditions": conditions, "doubt": doubt})


def _conditions(
    spec: StudySpec, looked: Looked, known: list[str], marks: Mapping[str, BoolArray], around: Around, files: Files,
    doing: Loading,
) -> tuple[core.NamedCondition, ...]:  # fmt: skip
    if not spec.conditions:
        return ()
    kinds = {name: looked.kind(name) for name in known}
    every = [c.name for c in spec.candidates]
    letters = [core.letter(i + 1) for i in range(len(every))]
    scoring = frozenset(
        x for i, c in enumerate(spec.candidates)
        if c.predicted is None and len(around.classes) == 2 for x in (every[i], letters[i])
    )  # fmt: skip
    shown = {name: label for label, name in spec.holdout.names.items()}
    borne = None if spec.holdout.marks is None else frozenset(marks)
    names = core.ConditionNames(kinds, around.classes, [*every, *letters], scoring, borne, shown)
    out = []
    for name, said in spec.conditions.items():
        text = said.where if isinstance(said, KeptSpec) else said
        try:
            condition = core.parse_condition(text, names)
        except core.ConditionError as e:
            doing.misasked(f"conditions.{name}: {e}")
            continue
        if lost := [x for x in condition.marks if x not in marks]:
            known_marks = one_of(list(marks)) if marks else None
            doing.misasked(f"conditions.{name}: no row bears this mark", lost[0], known_marks)
            continue
        if not isinstance(said, KeptSpec):
            out.append(core.NamedCondition(name, condition))
            continue
        ids = _ids_of(said.ids, files, doing, around, f"conditions.{name}.ids")
        if ids is None:
            continue
        rows, gone = _rows_of(ids, around)
        if gone:
            doing.findings.append({
                "level": "warning", "code": "kept_rows_gone",
                "message": f"of the rows kept as “{name}” on {said.kept} {core.count(gone)} "
                f"{'is' if gone == 1 else 'are'} not there any more",
                "where": {"condition": name, "rows": gone},
            })  # fmt: skip
        out.append(core.NamedCondition(name, condition, rows, gone, said.kept.isoformat()))
    return tuple(out)


def _doubt(spec: StudySpec, around: Around, files: Files, doing: Loading) -> core.DoubtStudy | None:
    d = spec.doubt
    if d is None:
        return None
    marked: tuple[int, ...] | None = None
    if d.marked is not None:
        ids = _ids_of(d.marked, files, doing, around, "doubt.marked")
        rows = None if ids is None else _rows_of(ids, around)[0]
        marked = () if rows is None else tuple(np.flatnonzero(around.kept)[rows].tolist())
    return core.DoubtStudy(d.at_most, d.how, marked)
