"""A study leaves as a folder of plain files with study.toml, and comes in again from one, packed as zip."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import IO, Any

import polars as pl
import tomli_w
from sqlmodel import Session

from skarlo import core
from skarlo.core import Progress
from skarlo.intake import InputError, Problem, Source, StudySpec, parse_spec
from skarlo.intake.holdout import SPLIT
from skarlo.intake.load import load
from skarlo.intake.problems import refuse
from skarlo.intake.read import as_text, read_table
from skarlo.intake.spec import ASKS, KeptSpec, RuleSpec, read_toml
from skarlo.intake.where import with_lists

from . import catalog, pictures
from . import marks as marking
from .catalog import NewStudy, keep_study, spec_of
from .records import CandidateRecord, StudyRecord, Upload, User
from .stacking import keep_stacked, stacked_bytes
from .workspace import Incoming, Workspace

STUDY = "study.toml"
CHUNK = 1 << 20
THEN = (1980, 1, 1, 0, 0, 0)  # no time in the file: the same study gives the same bytes


def export(
    workspace: Workspace, study: StudyRecord, candidates: Sequence[CandidateRecord], out: IO[bytes],
    marks: Mapping[str, Collection[int]] | None = None, notes: Mapping[int, str] | None = None,
) -> str:  # fmt: skip
    """Write a study to `out` as zip; returns a name for it. `skarlo evaluate` reads the study.toml inside.

    marks : the rows that bear each mark, by their places in the hold-out from 1; without ids they do not go along
    notes : what is written of rows, likewise

    Raises
    ------
    Damaged
        When a file is not what it was when it was kept.
    """
    spec = spec_of(study, candidates)
    shas = {0: study.holdout_sha256, **{c.position: c.sha256 for c in candidates}}
    names = _names({0: study.holdout_name, **{c.position: c.file_name for c in candidates}}, shas)
    spec.holdout.path = names[0]
    for c, record in zip(spec.candidates, candidates, strict=True):
        c.path = names[record.position]
    if (marks or notes) and spec.holdout.id is not None:
        ids = _ids(Source(workspace.blob(study.holdout_sha256), study.holdout_name), spec.holdout.id)
        if marks:
            spec.holdout.marks = {mark: [str(ids[row - 1]) for row in sorted(rows)] for mark, rows in marks.items()}
        spec.holdout.notes = {str(ids[row - 1]): text for row, text in sorted((notes or {}).items())}
    whole = spec.model_dump(mode="python", by_alias=True, exclude_defaults=True, exclude_none=True)
    data = {"format": spec.format, "title": spec.title, **whole}
    folder = _plain(study.title) or "study"
    for position, name in names.items():
        workspace.check(shas[position], name)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(_entry(f"{folder}/{STUDY}"), tomli_w.dumps(data))
        for position, name in names.items():
            if list(names.values()).index(name) == list(names).index(position):
                with workspace.blob(shas[position]).open("rb") as f, packed.open(_entry(f"{folder}/{name}"), "w") as g:
                    while chunk := f.read(CHUNK):
                        g.write(chunk)
        if study.pictures_sha256 is not None:
            workspace.check(study.pictures_sha256, "the study's pictures")
            taken = {STUDY, *names.values()}
            with zipfile.ZipFile(workspace.blob(study.pictures_sha256)) as kept:
                for name in kept.namelist():
                    if name not in taken:
                        packed.writestr(_entry(f"{folder}/{name}"), kept.read(name))
    return folder


def _ids(holdout: Source, column: str) -> pl.Series:
    """The ids of a hold-out's rows."""
    return as_text(read_table(holdout, {column})[column])


def _entry(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, THEN)
    info.compress_type = zipfile.ZIP_DEFLATED
    return info


def _plain(text: str) -> str:
    """A name for a file from any text."""
    return re.sub(r"[^\w.-]+", "-", text.lower()).strip("-.")[:60]


def _names(given: dict[int, str], shas: dict[int, str]) -> dict[int, str]:
    """A file name for each position: one file has one name, two files have two."""
    out: dict[int, str] = {}
    for position, name in given.items():
        plain = _plain(name) or "file"
        taken = {n: shas[p] for p, n in out.items()}
        while plain in (STUDY, *(n for n, sha in taken.items() if sha != shas[position])):
            plain = f"{position}-{plain}"
        out[position] = plain
    return out


@dataclass
class Bringing:
    """A study file and the files it names, on their way in: read and checked, and not kept yet.

    files : each file by the path that the study file writes, as an upload whose bytes wait in `waiting`
    pictures : fingerprint of the zip of its rows' pictures, which waits there too
    """

    user: User
    workspace: Workspace
    files: dict[str, Upload] = field(default_factory=dict)
    waiting: dict[str, Incoming] = field(default_factory=dict)
    stacked: tuple[Upload, dict[str, Upload]] | None = None
    pictures: str | None = None
    marks: dict[str, list[int]] = field(default_factory=dict)
    notes: dict[int, str] = field(default_factory=dict)

    def take(self, path: str, name: str, chunks: Iterable[bytes]) -> None:
        """Take the bytes of one file in."""
        incoming = self._taken(chunks)
        self.files[path] = Upload(sha256=incoming.sha256, name=name, size=incoming.size, user_id=self.user.id or 0)

    def take_pictures(self, spec: StudySpec, found: Iterable[tuple[str, bytes]]) -> None:
        """Take the pictures of the rows in, where the study shows any. Raises InputError for what is no picture."""
        if not spec.holdout.show.get("picture"):
            return
        incoming = self._taken(pictures.packed(found))
        if incoming.size:
            self.pictures = incoming.sha256

    def _taken(self, chunks: Iterable[bytes]) -> Incoming:
        incoming = self.workspace.take_in(chunks)
        self.waiting.setdefault(incoming.sha256, incoming)
        if self.waiting[incoming.sha256] is not incoming:
            incoming.drop()
        return incoming

    def place(self, sha256: str) -> Path:
        """Where the bytes of a file are by now."""
        return self.waiting[sha256].path

    def source(self, path: str) -> Source:
        """A file as it is read."""
        return Source(self.place(self.files[path].sha256), self.files[path].name)

    def drop(self) -> None:
        """Let go of what was not kept."""
        for incoming in self.waiting.values():
            incoming.drop()


def plan(bringing: Bringing, spec: StudySpec, progress: Progress | None = None) -> NewStudy:
    """Make a study ready of a study file and its files; a cutoff's rule becomes the cutoff that it chooses.

    Raises
    ------
    InputError
        With what is wrong.
    """
    lists, spec = spec.lists, with_lists(spec, bringing.source)
    for path in lists:
        bringing.files.pop(path, None)  # what they list stands in the study from now on
    spec = _with_marks(bringing, spec)
    home = spec.holdout.path
    if home is None:
        home = "\0together"
        parts = {split: bringing.files[path] for split, path in spec.holdout.files.items()}
        data, name = stacked_bytes({k: bringing.source(p) for k, p in spec.holdout.files.items()})
        bringing.take(home, name, [data])
        bringing.stacked = bringing.files[home], parts
        holdout = spec.holdout.model_copy(update={"files": {}, "path": home, "split": SPLIT})
        spec = spec.model_copy(update={"holdout": holdout})
    mapping = spec.holdout.model_dump(exclude={"path"}, exclude_defaults=True, exclude_none=True)
    asks = spec.model_dump(mode="json", by_alias=True, include=set(ASKS),
                           exclude_defaults=True, exclude_none=True)  # fmt: skip
    entries = [c.model_dump(exclude_none=True) for c in spec.candidates]
    if any(isinstance(c.cutoff, RuleSpec) for c in spec.candidates):
        _chosen(bringing, spec, entries)
    pairs = [(bringing.files[c.path or home], entry) for c, entry in zip(spec.candidates, entries, strict=True)]
    return catalog.plan(
        bringing.user, spec.title, bringing.files[home], mapping, pairs, asks, bringing.place, progress
    )  # fmt: skip


def _with_marks(bringing: Bringing, spec: StudySpec) -> StudySpec:
    """Marks and notes become those of the rows here; marks stay in the study file only where a condition speaks of
    them."""
    h = spec.holdout
    marks = h.marks if isinstance(h.marks, dict) else {}
    if not (marks or h.notes) or h.id is None or h.path is None:
        return spec
    place = {str(x): i for i, x in enumerate(_ids(bringing.source(h.path), h.id), 1)}
    bringing.marks = {mark: [place[x] for x in ids if x in place] for mark, ids in marks.items()}
    bringing.notes = {place[x]: text for x, text in h.notes.items() if x in place}
    texts = [c.where if isinstance(c, KeptSpec) else c for c in spec.conditions.values()]
    still = h.marks if not marks or any("mark" in text for text in texts) else None
    return spec.model_copy(update={"holdout": h.model_copy(update={"marks": still, "notes": {}})})


def _chosen(bringing: Bringing, spec: StudySpec, entries: list[dict[str, Any]]) -> None:
    ready = core.prepare(load(spec, bringing.source))
    for i, (c, entry) in enumerate(zip(spec.candidates, entries, strict=True)):
        if isinstance(c.cutoff, RuleSpec):
            told = ready.placed(i, ready.study.candidates[i].cutoff).told
            if told is None or told["value"] is None:
                raise InputError([Problem(f"candidate {c.name}: {c.cutoff.rule} chooses no cutoff that can be kept")])
            entry["cutoff"], entry["cutoff_chosen_on"] = told["value"], told["chosen_on"]
            entry["cutoff_chosen_by"] = {"rule": c.cutoff.rule, **c.cutoff.parameters()}


def keep(session: Session, bringing: Bringing, new: NewStudy) -> StudyRecord:
    """Keep what was brought in: its files, then the records that name them."""
    for incoming in bringing.waiting.values():
        incoming.keep()
    for upload in bringing.files.values():
        session.add(upload)
    session.flush()
    if bringing.stacked is not None:
        keep_stacked(session, bringing.user, *bringing.stacked)
    new.study.pictures_sha256 = bringing.pictures
    study = keep_study(session, bringing.user, new)
    for mark, rows in bringing.marks.items():
        if rows:
            marking.put_all(session, bringing.user, study.id or 0, rows, mark)
    for row, text in bringing.notes.items():
        marking.say(session, bringing.user, study.id or 0, row, text)
    return study


def unpack(bringing: Bringing, packed: Path, name: str, most: int) -> StudySpec:
    """Take in a zip with study.toml and the files it names.

    Parameters
    ----------
    most : the most bytes that the files may unpack to

    Raises
    ------
    InputError
        With what is wrong.
    """
    try:
        with zipfile.ZipFile(packed) as box:
            return _unpacked(bringing, box, name, most)
    except pictures.NOT_A_ZIP as e:
        raise refuse(f"is not a zip that can be read: {e}", file=name) from e


def _unpacked(bringing: Bringing, box: zipfile.ZipFile, name: str, most: int) -> StudySpec:
    inside = {PurePosixPath(i.filename): i for i in box.infolist() if not i.is_dir()}
    studies = sorted((p for p in inside if p.name == STUDY), key=lambda p: len(p.parts))
    if not studies:
        raise refuse(f"holds no {STUDY}", file=name, expected=f"{STUDY} and the files it names")
    home = studies[0].parent
    if inside[studies[0]].file_size > CHUNK:
        raise refuse("is too large for a study file", file=STUDY)
    with box.open(inside[studies[0]]) as f:
        data = b"".join(_chunks(f, inside[studies[0]].file_size))
    spec = parse_spec(read_toml(data, STUDY), STUDY)
    room = most
    for path in dict.fromkeys([*spec.holdout.paths, *(c.path for c in spec.candidates if c.path), *spec.lists]):
        info = inside.get(home / path)
        if info is None:
            raise refuse("is named by the study file and is not in the zip", file=path)
        room -= info.file_size
        if room < 0:
            raise refuse(f"unpacks to more than {most >> 20:,} MB", file=name)
        with box.open(info) as f:
            bringing.take(path, PurePosixPath(path).name, _chunks(f, info.file_size))
    bringing.take_pictures(spec, pictures.of_zip(box, room, str(home)))
    return spec


def _chunks(f: IO[bytes], size: int) -> Iterator[bytes]:
    """The bytes of an entry, no more than it said."""
    while chunk := f.read(CHUNK):
        size -= len(chunk)
        if size < 0:
            raise zipfile.BadZipFile("an entry is larger than it says")
        yield chunk
