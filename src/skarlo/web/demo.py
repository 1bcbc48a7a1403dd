"""The sample workspace: two people and the studies of the sample world."""

from __future__ import annotations

import tempfile
from pathlib import Path

from sqlmodel import select

from skarlo.intake import read_spec
from skarlo.sample import STUDIES
from skarlo.studies import accounts, moving, pictures
from skarlo.studies.records import StudyRecord, User
from skarlo.studies.workspace import Workspace

PEOPLE = {"analyst": ("analyst", "plane-lime-oak-17"), "approver": ("approver", "maple-poplar-42")}


def prepare(workspace: Workspace) -> None:
    """Add what is missing of the sample people and studies; what is there stays as it is."""
    for name, (role, password) in PEOPLE.items():
        with workspace.reading() as records:
            known = accounts.named(records, name) is not None
        if not known:
            with workspace.writing() as records:
                accounts.add_user(records, name, role, password)
    with workspace.reading() as records:
        analyst = records.exec(select(User).where(User.name == "analyst")).one()
        titles = set(records.exec(select(StudyRecord.title)).all())
    with tempfile.TemporaryDirectory() as folder:
        for name, write in reversed(STUDIES.items()):  # the newest stands first in the list
            study_file = write(Path(folder) / name)
            if read_spec(study_file).title not in titles:  # a start that was killed halfway goes on where it was
                bring_in(workspace, study_file, analyst)


def bring_in(workspace: Workspace, study_file: Path, user: User) -> int:
    """Make a kept study of a study file and its files; returns its number."""
    spec = read_spec(study_file)
    bringing = moving.Bringing(user, workspace)
    try:
        for name in dict.fromkeys([*spec.holdout.paths, *(c.path for c in spec.candidates if c.path), *spec.lists]):
            bringing.take(name, name, [(study_file.parent / name).read_bytes()])
        bringing.take_pictures(spec, pictures.of_folder(study_file.parent))
        new = moving.plan(bringing, spec)
        with workspace.writing() as records:
            return moving.keep(records, bringing, new).id or 0
    finally:
        bringing.drop()
