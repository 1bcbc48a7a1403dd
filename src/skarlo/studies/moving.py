"""A study leaves as a folder of plain files with study.toml, and comes in again from one, packed as zip."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import IO, Any

import tomli_w
from sqlmodel import Session

from skarlo import core
from skarlo.core.steps import Progress
from skarlo.intake import InputError, Problem, Source, StudySpec, parse_spec
from skarlo.intake.holdout import SPLIT
from skarlo.intake.load import load
from skarlo.intake.problems import refuse
from skarlo.intake.spec import RuleSpec, read_toml

from .catalog import candidates_of, create, spec_of, study_of
from .records import StudyRecord, Upload, User
from .stacking import stack
from .workspace import Workspace

STUDY = "study.toml"
CHUNK = 1 << 20
THEN = (1980, 1, 1, 0, 0, 0)  # no time in the file: the same study gives the same bytes


def export(workspace: Workspace, session: Session, study_id: int, out: IO[bytes]) -> str:
    """Write a study to `out` as zip; returns a name for it. `skarlo evaluate` reads the study.toml inside."""
    study = study_of(session, study_id)
    candidates = candidates_of(session, study_id)
    spec = spec_of(study, candidates)
    shas = {0: study.holdout_sha256, **{c.position: c.sha256 for c in candidates}}
    names = _names({0: study.holdout_name, **{c.position: c.file_name for c in candidates}}, shas)
    spec.holdout.path = names[0]
    for i, c in enumerate(spec.candidates, 1):
        c.path = names[i]
    whole = spec.model_dump(mode="python", by_alias=True, exclude_defaults=True, exclude_none=True)
    data = {"format": spec.format, "title": spec.title, **whole}
    folder = _plain(study.title) or "study"
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(_entry(f"{folder}/{STUDY}"), tomli_w.dumps(data))
        for position, name in names.items():
            if list(names.values()).index(name) == list(names).index(position):
                with workspace.blob(shas[position]).open("rb") as f, packed.open(_entry(f"{folder}/{name}"), "w") as g:
                    while chunk := f.read(CHUNK):
                        g.write(chunk)
    return folder


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


def bring_in(
    workspace: Workspace, session: Session, user: User, spec: StudySpec, files: dict[str, Upload],
    progress: Progress | None = None,
) -> StudyRecord:  # fmt: skip
    """Make a kept study of a study file and the uploads it names; a cutoff's rule becomes the cutoff it chooses."""
    home = spec.holdout.path
    if home is None:
        home = "\0together"
        files = {**files, home: stack(workspace, session, user, {k: files[p] for k, p in spec.holdout.files.items()})}
        holdout = spec.holdout.model_copy(update={"files": {}, "path": home, "split": SPLIT})
        spec = spec.model_copy(update={"holdout": holdout})
    mapping = spec.holdout.model_dump(exclude={"path"}, exclude_defaults=True, exclude_none=True)
    found = spec.model_dump(mode="json", by_alias=True, include={"settings", "metrics", "gates", "quoted"},
                            exclude_defaults=True, exclude_none=True)  # fmt: skip
    entries = [c.model_dump(exclude_none=True) for c in spec.candidates]
    if any(isinstance(c.cutoff, RuleSpec) for c in spec.candidates):
        _chosen(workspace, spec, files, entries)
    pairs = [(files[c.path or home], entry) for c, entry in zip(spec.candidates, entries, strict=True)]
    return create(workspace, session, user, spec.title, files[home], mapping, pairs, found, progress)


def _chosen(workspace: Workspace, spec: StudySpec, files: dict[str, Upload], entries: list[dict[str, Any]]) -> None:
    study = load(spec, lambda path: Source(workspace.blob(files[path].sha256), files[path].name))
    for c, entry, told in zip(spec.candidates, entries, core.evaluate(study, "none")["candidates"], strict=False):
        if isinstance(c.cutoff, RuleSpec):
            cutoff = told["cutoff"]
            if cutoff is None or cutoff["value"] is None:
                raise InputError([Problem(f"candidate {c.name}: {c.cutoff.rule} chooses no cutoff that can be kept")])
            entry["cutoff"], entry["cutoff_chosen_on"] = cutoff["value"], cutoff["chosen_on"]


def import_zip(
    workspace: Workspace, session: Session, user: User, packed: Path, name: str, most: int,
    progress: Progress | None = None,
) -> StudyRecord:  # fmt: skip
    """Make a study of a zip with study.toml and the files it names.

    Parameters
    ----------
    most : the most bytes that the files may unpack to

    Raises
    ------
    InputError
        With what is wrong; nothing is kept then.
    """
    try:
        with zipfile.ZipFile(packed) as box:
            return bring_in(workspace, session, user, *_unpacked(workspace, session, user, box, name, most), progress)
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError) as e:
        raise refuse(f"is no zip that can be read: {e}", file=name) from e


def _unpacked(
    workspace: Workspace, session: Session, user: User, box: zipfile.ZipFile, name: str, most: int
) -> tuple[StudySpec, dict[str, Upload]]:
    inside = {PurePosixPath(i.filename): i for i in box.infolist() if not i.is_dir()}
    studies = sorted((p for p in inside if p.name == STUDY), key=lambda p: len(p.parts))
    if not studies:
        raise refuse(f"holds no {STUDY}", file=name, expected=f"{STUDY} and the files it names")
    home = studies[0].parent
    if inside[studies[0]].file_size > CHUNK:
        raise refuse("is too large for a study file", file=STUDY)
    spec = parse_spec(read_toml(box.read(inside[studies[0]]), STUDY), STUDY)
    files: dict[str, Upload] = {}
    room = most
    for path in dict.fromkeys([*spec.holdout.paths, *(c.path for c in spec.candidates if c.path)]):
        info = inside.get(home / path)
        if info is None:
            raise refuse("is named by the study file and is not in the zip", file=path)
        room -= info.file_size
        if room < 0:
            raise refuse(f"unpacks to more than {most >> 20:,} MB", file=name)
        with box.open(info) as f:
            sha256, size = workspace.keep_stream(_chunks(f, info.file_size))
        files[path] = Upload(sha256=sha256, name=PurePosixPath(path).name, size=size, user_id=user.id or 0)
        session.add(files[path])
    return spec, files


def _chunks(f: IO[bytes], size: int) -> Iterator[bytes]:
    """The bytes of an entry, no more than it said."""
    while chunk := f.read(CHUNK):
        size -= len(chunk)
        if size < 0:
            raise zipfile.BadZipFile("an entry is larger than it says")
        yield chunk
