"""The workspace: a folder with the records (SQLite) and the files (blobs, named by their SHA-256)."""

from __future__ import annotations

import fcntl
import hashlib
import os
import secrets
import sqlite3
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import alembic.command
import alembic.config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, event
from sqlmodel import Session, create_engine

from skarlo.intake.write import sync_folder, write_file

from .refusals import Damaged, Held

CHUNK = 1 << 20
MOST_ROWS = 3  # joined tables kept for one hold-out
LEFTOVERS = ".writing-*"


class Workspace:
    """An open workspace.

    A file is written beside its place, synced and renamed before the record that names it is committed; so whatever
    moment a crash comes at, every record's file is there. Records are read in one kind of session and written in
    another, which holds the only right to write from its beginning: what it checks is still so when it writes.
    """

    def __init__(self, folder: Path, engine: Engine) -> None:
        self.folder = folder
        self.engine = engine
        self.blobs = folder / "blobs"
        self._writer = engine.execution_options(writes=True)
        self._held: IO[str] | None = None

    @staticmethod
    def open(folder: Path) -> Workspace:
        """Open a workspace, made if there is none; an older one is migrated after a copy is kept."""
        folder = folder.resolve()
        for part in ("blobs", "results", "rows"):
            (folder / part).mkdir(parents=True, exist_ok=True)
        database = folder / "skarlo.db"
        engine = create_engine(f"sqlite:///{database}", connect_args={"check_same_thread": False, "timeout": 30})
        event.listen(engine, "connect", _on_connect)
        event.listen(engine, "begin", _on_begin)
        workspace = Workspace(folder, engine)
        _migrate(workspace._writer, database)
        return workspace

    def hold(self) -> None:
        """Take the workspace for a server; what an earlier one was writing when it was stopped is cleared away.

        Raises Held when another server has it. What only reads or adds a record needs not hold it.
        """
        if self._held is not None:
            return
        lock = (self.folder / "serving").open("a+")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as e:
            lock.seek(0)
            who = lock.read().strip()
            lock.close()
            raise Held(f"{self.folder} is served already{f' by process {who}' if who else ''}: stop that server first, "
                       "or serve another workspace") from e  # fmt: skip
        lock.truncate(0)
        lock.write(f"{os.getpid()}\n")
        lock.flush()
        self._held = lock
        for leftover in self.folder.rglob(LEFTOVERS):
            leftover.unlink(missing_ok=True)

    def release(self) -> None:
        """Let go of the workspace."""
        if self._held is not None:
            self._held.close()
            self._held = None

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """The records as they were at one moment, to be read only."""
        with Session(self.engine, expire_on_commit=False, autoflush=False) as session:
            yield session
            if session.new or session.dirty or session.deleted:
                raise RuntimeError("records were changed where they may only be read")

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A transaction: all of it is kept, or on any error none of it. Nobody else writes meanwhile, so nothing is
        computed in it."""
        with Session(self._writer, expire_on_commit=False) as session:
            yield session
            session.commit()

    def blob(self, sha256: str) -> Path:
        """Where a blob lies."""
        if len(sha256) != 64 or not set(sha256) <= set("0123456789abcdef"):
            raise ValueError("not a SHA-256 in hexadecimal")
        return self.blobs / sha256[:2] / sha256

    def keep(self, data: bytes) -> str:
        """Keep bytes as a blob; returns their SHA-256."""
        with self.receive([data]) as incoming:
            return incoming.keep()

    @contextmanager
    def receive(self, chunks: Iterable[bytes]) -> Iterator[Incoming]:
        """Take a stream in with bounded memory. It is a file of its own, beside the blobs, until it is accepted; at the
        end of the block one that was not is gone."""
        incoming = self.take_in(chunks)
        try:
            yield incoming
        finally:
            incoming.drop()

    def take_in(self, chunks: Iterable[bytes]) -> Incoming:
        """The same for work that ends elsewhere: whoever has it calls `keep`, and `drop` in any case."""
        digest, size = hashlib.sha256(), 0
        handle, name = tempfile.mkstemp(dir=self.blobs, prefix=LEFTOVERS.rstrip("*"))
        path = Path(name)
        try:
            with os.fdopen(handle, "wb") as f:
                for chunk in chunks:
                    digest.update(chunk)
                    size += len(chunk)
                    f.write(chunk)
                f.flush()
                os.fsync(f.fileno())
        except BaseException:
            path.unlink(missing_ok=True)
            raise
        return Incoming(self, path, digest.hexdigest(), size)

    def read(self, sha256: str, name: str = "a kept file") -> bytes:
        """A blob's bytes, checked against their name. Raises Damaged, which says the file by the `name` given."""
        try:
            data = self.blob(sha256).read_bytes()
        except FileNotFoundError as e:
            raise Damaged(f"{name} is missing from the workspace (fingerprint {sha256[:12]}…)") from e
        if hashlib.sha256(data).hexdigest() != sha256:
            raise Damaged(f"{name} is damaged: its bytes no longer match its fingerprint {sha256[:12]}…")
        return data

    def check(self, sha256: str, name: str) -> None:
        """The same without holding the bytes: raises Damaged when the file is not what it was."""
        digest = hashlib.sha256()
        try:
            with self.blob(sha256).open("rb") as f:
                while chunk := f.read(CHUNK):
                    digest.update(chunk)
        except FileNotFoundError as e:
            raise Damaged(f"{name} is missing from the workspace (fingerprint {sha256[:12]}…)") from e
        if digest.hexdigest() != sha256:
            raise Damaged(f"{name} is damaged: its bytes no longer match its fingerprint {sha256[:12]}…")

    def keep_result(self, key: str, data: bytes) -> None:
        """Keep a result under the fingerprint of what it was computed from.

        Results can always be computed again, so they are indexed by files of their own and not by records: writing
        one never waits for, or is part of, a transaction.
        """
        write_file(self.folder / "results" / key, self.keep(data).encode())

    def has_result(self, key: str) -> bool:
        """Whether there is a result of this fingerprint."""
        return (self.folder / "results" / key).exists()

    def kept_result(self, key: str) -> bytes | None:
        """A kept result, or None when there is none or its file is damaged."""
        try:
            return self.read((self.folder / "results" / key).read_text())
        except (OSError, ValueError, Damaged):
            return None

    def keep_rows(self, holdout: str, key: str, chunks: Iterable[bytes]) -> None:
        """Keep the joined rows of a study beside its hold-out, of which `holdout` is the fingerprint: they go when it
        goes. Of one hold-out the last few are kept; they can always be made again."""
        folder = self._rows
        with self.receive(chunks) as incoming:
            write_file(folder / f"{holdout}-{key}", incoming.keep().encode())
        kept_at = {}
        for path in folder.glob(f"{holdout}-*"):
            with suppress(FileNotFoundError):  # who kept others at the same time may have let go of it
                kept_at[path] = path.stat().st_mtime
        for path in sorted(kept_at, key=kept_at.__getitem__)[:-MOST_ROWS]:
            path.unlink(missing_ok=True)

    def rows_file(self, holdout: str, key: str) -> Path | None:
        """Where the joined rows lie, or None where they are not kept."""
        try:
            found = self.blob((self._rows / f"{holdout}-{key}").read_text())
        except (OSError, ValueError):
            return None
        return found if found.exists() else None

    def named_by_rows(self, holdouts: set[str]) -> set[str]:
        """The blobs that joined rows lie in, once those of hold-outs that are no longer there are let go of."""
        for path in self._rows.iterdir():
            if path.name.partition("-")[0] not in holdouts:
                path.unlink(missing_ok=True)
        return {path.read_text() for path in self._rows.iterdir()}

    @property
    def _rows(self) -> Path:
        return self.folder / "rows"

    def named_by_results(self) -> set[str]:
        """The blobs that kept results lie in."""
        return {path.read_text() for path in (self.folder / "results").iterdir() if path.is_file()}

    def secret(self) -> str:
        """The key that signs cookies: made once, readable by the owner only."""
        path = self.folder / "secret"
        if not path.exists():
            write_file(path, secrets.token_hex(32).encode())
            path.chmod(0o600)
        return path.read_text()


@dataclass(frozen=True)
class Incoming:
    """A file that came in and is not accepted yet."""

    workspace: Workspace
    path: Path
    sha256: str
    size: int

    def keep(self) -> str:
        """Accept it: from now on it is a blob; returns its SHA-256."""
        place = self.workspace.blob(self.sha256)
        place.parent.mkdir(exist_ok=True)
        if place.exists():
            os.utime(place)  # as fresh as one that came just now: nobody clears it before a record names it
        elif self.path.exists():
            self.path.replace(place)
            sync_folder(place.parent)
        return self.sha256

    def drop(self) -> None:
        """Let go of it; what was accepted stays."""
        self.path.unlink(missing_ok=True)


def _on_connect(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions begin where we say, tables made in them included
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA synchronous=FULL")


def _on_begin(connection: Connection) -> None:
    writes = connection.get_execution_options().get("writes", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def _migrate(writer: Engine, database: Path) -> None:
    """Bring the tables to the newest revision in one transaction: a kill leaves them as they were."""
    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    head = ScriptDirectory.from_config(config).get_current_head()
    with writer.connect() as connection:
        if MigrationContext.configure(connection).get_current_revision() == head:
            return
    with writer.begin() as connection:
        current = MigrationContext.configure(connection).get_current_revision()
        if current == head:  # someone else did it while we waited
            return
        if current is not None:
            _copy(database, database.with_name(f"skarlo-before-{head}.db"))
        config.attributes["connection"] = connection
        alembic.command.upgrade(config, "head")


def _copy(database: Path, to: Path) -> None:
    """A copy that holds what the write-ahead log holds too, whole or not there."""
    half = to.with_name(f".writing-{to.name}")
    with sqlite3.connect(database) as source, sqlite3.connect(half) as target:
        source.backup(target)
    half.replace(to)
