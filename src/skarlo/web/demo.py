"""The sample workspace: two people and the studies of the sample world."""

from __future__ import annotations

import tempfile
from pathlib import Path

from sqlmodel import select

from skarlo.intake import read_spec
from skarlo.sample import STUDIES
from skarlo.studies import accounts, moving
from skarlo.studies.records import StudyRecord, Upload, User
from skarlo.studies.workspace import Workspace

PEOPLE = {"analyst": ("analyst", "plane-lime-oak-17"), "approver": ("approver", "maple-poplar-42")}


def prepare(workspace: Workspace) -> None:
    """Add what is missing of the sample people and study; what is there stays as it is."""
    with workspace.session() as records:
        for name, (role, password) in PEOPLE.items():
            if records.exec(select(User).where(User.name == name)).first() is None:
                accounts.add_user(records, name, role, password)
    with workspace.session() as records:
        analyst = records.exec(select(User).where(User.name == "analyst")).one()
        empty = records.exec(select(StudyRecord)).first() is None
    if empty:
        with tempfile.TemporaryDirectory() as folder:
            for name, write in reversed(STUDIES.items()):  # the newest stands first in the list
                bring_in(workspace, write(Path(folder) / name), analyst)


def bring_in(workspace: Workspace, study_file: Path, user: User) -> int:
    """Make a kept study of a study file and its files; returns its number."""
    spec = read_spec(study_file)
    with workspace.session() as records:
        files = {}
        for name in dict.fromkeys([*spec.holdout.paths, *(c.path for c in spec.candidates if c.path)]):
            data = (study_file.parent / name).read_bytes()
            files[name] = Upload(sha256=workspace.keep(data), name=name, size=len(data), user_id=user.id or 0)
            records.add(files[name])
        return moving.bring_in(workspace, records, user, spec, files).id or 0
