"""The workspace: a folder with the records (SQLite) and the files (blobs, named by their SHA-256)."""

from __future__ import annotations

import hashlib
import os
import secrets
import sqlite3
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import alembic.command
import alembic.config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, event
from sqlmodel import Session, create_engine

from skarlo.intake.write import sync_folder, write_file


class Workspace:
    """An open workspace.

    A file is written beside its place, synced and renamed before the record that names it is committed; so whatever
    moment a crash comes at, every record's file is there.
    """

    def __init__(self, folder: Path, engine: Engine) -> None:
        self.folder = folder
        self.engine = engine
        self.blobs = folder / "blobs"

    @staticmethod
    def open(folder: Path) -> Workspace:
        """Open a workspace, made if there is none; an older one is migrated after a copy is kept."""
        folder = folder.resolve()
        for part in ("blobs", "results"):
            (folder / part).mkdir(parents=True, exist_ok=True)
        database = folder / "skarlo.db"
        engine = create_engine(f"sqlite:///{database}", connect_args={"check_same_thread": False, "timeout": 30})
        event.listen(engine, "connect", _on_connect)
        _migrate(engine, database)
        workspace = Workspace(folder, engine)
        for leftover in folder.rglob(".writing-*"):
            leftover.unlink(missing_ok=True)
        return workspace

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: all of it is kept, or on any error none of it."""
        with Session(self.engine, expire_on_commit=False) as session:
            yield session
            session.commit()

    def blob(self, sha256: str) -> Path:
        """Where a blob lies."""
        if len(sha256) != 64 or not set(sha256) <= set("0123456789abcdef"):
            raise ValueError("not a SHA-256 in hexadecimal")
        return self.blobs / sha256[:2] / sha256

    def keep(self, data: bytes) -> str:
        """Keep bytes as a blob; returns their SHA-256."""
        sha256 = hashlib.sha256(data).hexdigest()
        path = self.blob(sha256)
        if not path.exists():
            path.parent.mkdir(exist_ok=True)
            write_file(path, data)
        return sha256

    def keep_stream(self, chunks: Iterable[bytes]) -> tuple[str, int]:
        """Keep a stream as a blob with bounded memory; returns SHA-256 and size. Stopped midway it leaves nothing."""
        digest, size = hashlib.sha256(), 0
        handle, name = tempfile.mkstemp(dir=self.blobs, prefix=".writing-")
        temporary = Path(name)
        try:
            with os.fdopen(handle, "wb") as f:
                for chunk in chunks:
                    digest.update(chunk)
                    size += len(chunk)
                    f.write(chunk)
                f.flush()
                os.fsync(f.fileno())
            path = self.blob(digest.hexdigest())
            path.parent.mkdir(exist_ok=True)
            temporary.replace(path)
            sync_folder(path.parent)
        finally:
            temporary.unlink(missing_ok=True)
        return digest.hexdigest(), size

    def read(self, sha256: str) -> bytes:
        """A blob's bytes, checked against their name. Raises ValueError when the file was damaged."""
        data = self.blob(sha256).read_bytes()
        if hashlib.sha256(data).hexdigest() != sha256:
            raise ValueError(f"the kept file {sha256[:12]}… is damaged: its bytes no longer match its fingerprint")
        return data

    def keep_result(self, key: str, data: bytes) -> None:
        """Keep a result under the fingerprint of what it was computed from.

        Results can always be computed again, so they are indexed by files of their own and not by records: writing
        one never waits for, or is part of, a transaction.
        """
        write_file(self.folder / "results" / key, self.keep(data).encode())

    def kept_result(self, key: str) -> bytes | None:
        """A kept result, or None when there is none or its file is damaged."""
        try:
            return self.read((self.folder / "results" / key).read_text())
        except (OSError, ValueError):
            return None

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


def _on_connect(connection: Any, _: Any) -> None:
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA synchronous=FULL")


def _migrate(engine: Engine, database: Path) -> None:
    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    head = ScriptDirectory.from_config(config).get_current_head()
    with engine.connect() as connection:
        current = MigrationContext.configure(connection).get_current_revision()
    if current == head:
        return
    if current is not None:
        _copy(database, database.with_name(f"skarlo-before-{head}.db"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        alembic.command.upgrade(config, "head")


def _copy(database: Path, to: Path) -> None:
    """A copy that holds what the write-ahead log holds too."""
    with sqlite3.connect(database) as source, sqlite3.connect(to) as target:
        source.backup(target)
