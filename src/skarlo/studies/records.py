"""What is kept, as tables. Files are kept as blobs and named here by their SHA-256."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, Literal

from sqlalchemy import JSON, Column, UniqueConstraint
from sqlmodel import Field, SQLModel

Right = Literal["write", "sign"]
# Each role with what it allows besides reading.
ROLES: dict[str, tuple[Right, ...]] = {
    "viewer": (), "analyst": ("write",), "approver": ("sign",), "admin": ("write", "sign"),
}  # fmt: skip


def now() -> datetime:
    """The time, in UTC."""
    return datetime.now(UTC)


class User(SQLModel, table=True):
    """A person who may sign in."""

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True, index=True)
    role: str
    password_hash: str
    created: datetime = Field(default_factory=now)


class SignIn(SQLModel, table=True):
    """A browser that is signed in, until `expires`. Only a hash of its token is kept."""

    __tablename__ = "sign_in"
    token_hash: str = Field(primary_key=True)
    user_id: int = Field(foreign_key="user.id", ondelete="CASCADE")
    expires: datetime


class Upload(SQLModel, table=True):
    """A file that came in, whole: its name and its blob."""

    id: int | None = Field(default=None, primary_key=True)
    sha256: str = Field(index=True)
    name: str
    size: int
    user_id: int = Field(foreign_key="user.id")
    created: datetime = Field(default_factory=now)


class StudyRecord(SQLModel, table=True):
    """A study: its title, what each column of the hold-out is, which file it is, what else it asks (settings, own
    metrics, gates, in the words of the study file), and the pictures of its rows, one zip."""

    __tablename__ = "study"
    id: int | None = Field(default=None, primary_key=True)
    title: str
    holdout_sha256: str
    holdout_name: str
    mapping: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    asks: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))
    pictures_sha256: str | None = None
    author_id: int = Field(foreign_key="user.id")
    created: datetime = Field(default_factory=now)
    deleted: datetime | None = None


class CandidateRecord(SQLModel, table=True):
    """A candidate of a study. `columns` says which column is what in its file."""

    __tablename__ = "candidate"
    __table_args__ = (UniqueConstraint("study_id", "position"), UniqueConstraint("study_id", "name"))
    id: int | None = Field(default=None, primary_key=True)
    study_id: int = Field(foreign_key="study.id", ondelete="CASCADE", index=True)
    position: int
    name: str
    sha256: str
    file_name: str
    columns: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    cutoff: float | None = None
    cutoff_chosen_on: str | None = None
    cutoff_chosen_by: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    runs_now: bool = False
    version_number: int = 1
    deleted: datetime | None = None


class ChoiceRecord(SQLModel, table=True):
    """A cutoff that was set for a candidate: where its rows were looked at, and how. Only ever added to; of a number
    that was set twice the first time says how it came about."""

    __tablename__ = "choice"
    id: int | None = Field(default=None, primary_key=True)
    candidate_id: int = Field(foreign_key="candidate.id", ondelete="CASCADE", index=True)
    value: float
    chosen_on: str | None = None
    chosen_by: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    user_id: int = Field(foreign_key="user.id")
    at: datetime = Field(default_factory=now)


class VersionRecord(SQLModel, table=True):
    """One file of a candidate, with what changed; the candidate bears a copy of the one evaluated."""

    __tablename__ = "candidate_version"
    __table_args__ = (UniqueConstraint("candidate_id", "number"),)
    id: int | None = Field(default=None, primary_key=True)
    candidate_id: int = Field(foreign_key="candidate.id", ondelete="CASCADE", index=True)
    number: int
    sha256: str
    file_name: str
    columns: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    note: str = ""
    user_id: int = Field(foreign_key="user.id")
    created: datetime = Field(default_factory=now)
    deleted: datetime | None = None


class DossierRecord(SQLModel, table=True):
    """The draft report of a study: its argument and the decision it asks for. Cutoffs for groups are kept as what they
    are to do: the fields, the rule, how near, the prices."""

    __tablename__ = "dossier"
    study_id: int = Field(primary_key=True, foreign_key="study.id", ondelete="CASCADE")
    heading: str = ""
    summary: str = ""
    decision_candidate: str | None = None
    decision_cutoff: float | None = None
    decision_groups: dict[str, Any] | None = Field(default=None, sa_column=Column(JSON(none_as_null=True)))
    decision_note: str = ""
    number: int = 0  # of the changes to it and its exhibits so far
    changed: datetime = Field(default_factory=now)


class ExhibitRecord(SQLModel, table=True):
    """A view pinned as evidence: which view, in what scope, with what caption."""

    __tablename__ = "exhibit"
    id: int | None = Field(default=None, primary_key=True)
    study_id: int = Field(foreign_key="study.id", ondelete="CASCADE", index=True)
    position: int
    view: str
    scope: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    caption: str = ""
    created: datetime = Field(default_factory=now)


class RevisionRecord(SQLModel, table=True):
    """A frozen dossier. Its content is a blob whose SHA-256 is the revision's fingerprint. `author_id` submitted it;
    `author_ids` are all who wrote of it since the revision before."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("study_id", "number"),)
    id: int | None = Field(default=None, primary_key=True)
    study_id: int = Field(foreign_key="study.id", index=True)
    number: int
    sha256: str
    author_id: int = Field(foreign_key="user.id")
    author_ids: list[int] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    created: datetime = Field(default_factory=now)


class SignatureRecord(SQLModel, table=True):
    """What a named person said of a revision: signed, or returned with a reason."""

    __tablename__ = "signature"
    __table_args__ = (UniqueConstraint("revision_id"),)
    id: int | None = Field(default=None, primary_key=True)
    revision_id: int = Field(foreign_key="revision.id", index=True)
    revision_sha256: str
    user_id: int = Field(foreign_key="user.id")
    verdict: str
    reason: str = ""
    created: datetime = Field(default_factory=now)


class WordRecord(SQLModel, table=True):
    """Why a warning is right as it stands, in a person's words."""

    __tablename__ = "word"
    study_id: int = Field(primary_key=True, foreign_key="study.id", ondelete="CASCADE")
    finding: str = Field(primary_key=True)
    text: str
    user_id: int = Field(foreign_key="user.id")
    at: datetime = Field(default_factory=now)


class MarkRecord(SQLModel, table=True):
    """A mark that a person put on a row of the hold-out, by its place from 1."""

    __tablename__ = "mark"
    study_id: int = Field(primary_key=True, foreign_key="study.id", ondelete="CASCADE")
    row: int = Field(primary_key=True)
    mark: str = Field(primary_key=True)
    user_id: int = Field(foreign_key="user.id")
    at: datetime = Field(default_factory=now)


class NoteRecord(SQLModel, table=True):
    """What a person wrote of a row."""

    __tablename__ = "row_note"
    study_id: int = Field(primary_key=True, foreign_key="study.id", ondelete="CASCADE")
    row: int = Field(primary_key=True)
    text: str
    user_id: int = Field(foreign_key="user.id")
    at: datetime = Field(default_factory=now)


class ReadingRecord(SQLModel, table=True):
    """That a step of a study has been opened by a person."""

    __tablename__ = "reading"
    study_id: int = Field(primary_key=True, foreign_key="study.id", ondelete="CASCADE")
    user_id: int = Field(primary_key=True, foreign_key="user.id")
    step: str = Field(primary_key=True)
    at: datetime = Field(default_factory=now)


class EventRecord(SQLModel, table=True):
    """The audit trail: who did what, when. Only ever added to."""

    __tablename__ = "event"
    id: int | None = Field(default=None, primary_key=True)
    at: datetime = Field(default_factory=now)
    user_id: int | None = Field(default=None, foreign_key="user.id")
    study_id: int | None = None
    action: str
    detail: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
