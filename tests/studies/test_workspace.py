"""The workspace: whole or not at all, whatever happens when."""

from __future__ import annotations

import http.client
import json
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import alembic.command
import alembic.config
import pytest
from sqlmodel import create_engine, select

from conftest import PASSWORD, user_named
from files import write_study
from skarlo.intake import InputError
from skarlo.intake.write import write_file
from skarlo.studies import accounts, catalog
from skarlo.studies import workspace as workspace_module
from skarlo.studies.records import (
    CandidateRecord,
    DossierRecord,
    ExhibitRecord,
    RevisionRecord,
    StudyRecord,
    Upload,
    User,
)
from skarlo.studies.refusals import Refusal
from skarlo.studies.workspace import Workspace
from skarlo.web.demo import bring_in, prepare


def blobs(workspace):
    return sorted(p.name for p in workspace.blobs.rglob("*") if p.is_file())


def test_blobs_are_named_by_their_content_and_kept_once(workspace):
    one = workspace.keep(b"rows")
    assert workspace.keep(b"rows") == one
    with workspace.receive(iter([b"ro", b"ws"])) as incoming:
        assert (incoming.keep(), incoming.size) == (one, 4)
    with workspace.receive([b"never accepted"]):
        pass
    assert blobs(workspace) == [one]
    assert workspace.read(one) == b"rows"
    for bad in ("../../etc/passwd", "x" * 64, ""):
        with pytest.raises(ValueError, match="SHA-256"):
            workspace.blob(bad)


def test_a_stream_that_breaks_off_leaves_nothing(workspace):
    def broken():
        yield b"half"
        raise ConnectionError

    with pytest.raises(ConnectionError), workspace.receive(broken()):
        pass
    assert list(workspace.blobs.iterdir()) == []


def test_a_full_disk_leaves_the_old_file(tmp_path, monkeypatch):
    path = tmp_path / "kept"
    write_file(path, b"old")

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        write_file(path, b"new")
    assert path.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir()] == ["kept"]


def test_files_written_at_once_leave_what_new_files_may_be_read_by(tmp_path, monkeypatch):
    def hesitant(mask, umask=os.umask):
        was = umask(mask)
        time.sleep(0.0001)
        return was

    before = os.umask(0o022)
    monkeypatch.setattr(os, "umask", hesitant)
    try:
        with ThreadPoolExecutor(8) as pool:
            list(pool.map(lambda i: write_file(tmp_path / f"{i}", b"x"), range(40)))
        assert {path.stat().st_mode & 0o777 for path in tmp_path.iterdir()} == {0o644}
    finally:
        after = os.umask(before)
    assert after == 0o022


def test_an_error_in_a_transaction_keeps_none_of_it(workspace, tmp_path):
    user = user_named(workspace, "ana")
    study = write_study(tmp_path / "bad")
    (tmp_path / "bad" / "labels.csv").write_text("id,said\nr0000,perhaps\n")
    with pytest.raises(InputError):
        bring_in(workspace, study, user)
    with workspace.writing() as records:
        assert records.exec(select(StudyRecord)).all() == []
        assert records.exec(select(CandidateRecord)).all() == []
        assert records.exec(select(Upload)).all() == []


def test_the_sample_world_is_made_once(workspace):
    prepare(workspace)
    prepare(workspace)
    with workspace.writing() as records:
        study, *others = catalog.listing(records)
        assert [len(o["candidates"]) for o in others] == [3, 3]
        assert study["candidates"] == ["Gradient boosting", "Neural net", "Logistic", "Checklist"]


def test_a_missing_title_is_refused(workspace, tmp_path):
    upload = Upload(sha256="0" * 64, name="x.csv", size=1, user_id=1)
    with pytest.raises(Refusal, match="title"):
        catalog.plan(user_named(workspace, "ana"), "  ", upload, {}, [], {}, workspace.blob)


def test_the_secret_is_for_the_owner_only_and_stays(workspace):
    key = workspace.secret()
    assert key == Workspace.open(workspace.folder).secret()
    assert (workspace.folder / "secret").stat().st_mode & 0o077 == 0


def test_an_older_workspace_is_copied_before_it_is_migrated(workspace):
    database = workspace.folder / "skarlo.db"
    with sqlite3.connect(database) as records:
        records.execute("UPDATE alembic_version SET version_num = '0000'")
    with pytest.raises(Exception, match="0000"):  # no such revision: nothing is touched but the copy
        Workspace.open(workspace.folder)
    (copy,) = workspace.folder.glob("skarlo-before-*.db")
    with sqlite3.connect(copy) as records:
        assert records.execute("SELECT count(*) FROM user").fetchone()[0] == 5


def migrated(folder, revision):
    """A database as it was at a revision of the tables."""
    engine = create_engine(f"sqlite:///{folder / 'skarlo.db'}")
    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(workspace_module.__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        alembic.command.upgrade(config, revision)
    return engine


def test_rows_of_an_older_workspace_keep_what_they_say(tmp_path):
    """A study, its cutoffs, versions, exhibits, gates and readings as the tables before held them."""
    folder = tmp_path / "old"
    folder.mkdir()
    migrated(folder, "0004").dispose()
    at = "2026-03-01 10:00:00"
    columns = json.dumps({"score": "p"})
    with sqlite3.connect(folder / "skarlo.db") as old:
        old.execute(
            "INSERT INTO user (id, name, role, password_hash, created) VALUES (1, 'ana', 'analyst', 'x', ?)", (at,)
        )
        old.execute(
            "INSERT INTO study (id, title, holdout_sha256, holdout_name, mapping, asks, author_id, created) "
            "VALUES (1, 'S', 'a', 'h.csv', ?, ?, 1, ?)",
            (json.dumps({"id": "id", "expected_base_rate": 0.1}),
             json.dumps({"gates": [{"metric": "f1", "against": "runs now", "margin": 0.1}]}), at),
        )  # fmt: skip
        for i, (name, said, cutoff) in enumerate(
            (("A", columns, 0.3), ("B", json.dumps({"predicted": "said"}), None)), 1
        ):
            old.execute(
                "INSERT INTO candidate (id, study_id, position, name, sha256, file_name, columns, cutoff, "
                "cutoff_chosen_on, runs_now, version_number) VALUES (?, 1, ?, ?, 'b', 'c.csv', ?, ?, ?, ?, 1)",
                (i, i, name, said, cutoff, None if cutoff is None else "tuning", i == 2),
            )
        for to, on in ((0.2, "test"), (0.3, "tuning")):
            detail = json.dumps({"candidate": "A", "from": 0.5, "to": to, "chosen_on": on})
            old.execute("INSERT INTO event (at, user_id, action, study_id, detail) VALUES (?, 1, 'cutoff kept', 1, ?)",
                        (at, detail))  # fmt: skip
        old.execute("INSERT INTO dossier (study_id, heading, summary, decision_note, changed) VALUES (1,'H','W','',?)",
                    (at,))  # fmt: skip
        old.execute("INSERT INTO exhibit (study_id, position, view, scope, caption, created) "
                    "VALUES (1, 0, 'roster', '{}', 'C', ?)", (at,))  # fmt: skip
        for step in ("roster", "matrix"):
            old.execute("INSERT INTO reading (study_id, user_id, step, at) VALUES (1, 1, ?, ?)", (step, at))
    opened = Workspace.open(folder)
    with opened.reading() as records:
        study = records.get(StudyRecord, 1)
        assert study.mapping == {"id": "id", "expected_base_rate": 0.1}
        assert study.asks["gates"][0]["against"] == "runs now"
        a, b = records.exec(select(CandidateRecord).order_by(CandidateRecord.position)).all()
        assert (a.cutoff, a.cutoff_chosen_on, a.runs_now) == (0.3, "tuning", False)
        assert (b.columns, b.runs_now) == ({"predicted": "said"}, True)
        assert catalog.choice_of(records, a, 0.2).chosen_on == "test"
        assert catalog.choice_of(records, a, 0.3).chosen_on == "tuning"
        assert catalog.choice_of(records, a, 0.4) is None
        assert records.exec(select(ExhibitRecord)).one().view == "roster"
        assert catalog.steps_read(records, 1, records.get(User, 1)) == ["matrix", "roster"]
        assert records.get(DossierRecord, 1).summary == "W"
    assert list(folder.glob("skarlo-before-*.db"))


# One process that has read all the code, and from it a child for each step at which one is killed: the steps and
# folders come as arguments, the status of each child and how many steps it made go out.
FORKED = """
import os, signal, sqlalchemy, sys
from pathlib import Path
from sqlmodel import select
from skarlo.intake import write
from skarlo.studies import workspace as w, accounts
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import User, Upload
from skarlo.report import revisions

where, *asked = sys.argv[1:]
for at, folder in zip(map(int, asked[::2]), map(Path, asked[1::2])):
    child = os.fork()
    if not child:
        break
    print(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), flush=True)
else:
    sys.exit()
steps = 0
def step(*_):
    global steps
    steps += 1
    if steps == at:
        os.kill(os.getpid(), signal.SIGKILL)
"""

KILLED = """
space = w.Workspace.open(folder)

def traced(function):
    def inner(*args, **kwargs):
        step()
        out = function(*args, **kwargs)
        step()
        return out
    return inner

os.fsync = traced(os.fsync)
Path.replace = traced(Path.replace)
sqlalchemy.event.listen(space.engine, "before_cursor_execute", step)
sqlalchemy.event.listen(space.engine, "commit", step)
with space.reading() as records:
    user = records.exec(select(User).where(User.name == "ana")).one()
if where == "submit":
    revisions.submit(Evaluator(space), user, 1)
else:
    with space.receive(b"id,p\\n" + bytes([48 + i % 10]) * 70000 for i in range(40)) as incoming, \
            space.writing() as records:
        records.add(Upload(sha256=incoming.keep(), name="new.csv", size=incoming.size, user_id=user.id))
step()
print(steps, flush=True)
"""


def run_killed(script, where, *asked):
    """What comes of killing at each of some steps in a folder of its own, step 0 being none: what is printed."""
    command = [sys.executable, "-c", FORKED + script, where, *(str(x) for one in asked for x in one)]
    done = subprocess.run(command, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stderr
    return [int(line) for line in done.stdout.split()]


def copied(workspace, tmp_path, name):
    target = tmp_path / name
    subprocess.run(["cp", "-r", str(workspace.folder), str(target)], check=True)
    return target


@pytest.mark.parametrize("where", ["upload", "submit"])
def test_a_kill_at_any_step_leaves_the_state_before_or_after(workspace, signed_in, study_id, tmp_path, where):
    """SIGKILL before and after every sync, rename, statement and commit."""
    ana = signed_in("ana")
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": {"split": "test", "show": [1]}})
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    workspace.engine.dispose()
    steps, status = run_killed(KILLED, where, (0, copied(workspace, tmp_path, "whole")))
    assert status == 0
    assert steps > 8
    seen = set()
    chosen = sorted({1, *range(3, steps, max(1, steps // 4)), steps - 2, steps - 1, steps})
    folders = [copied(workspace, tmp_path, f"{where}-{at}") for at in chosen]
    assert run_killed(KILLED, where, *zip(chosen, folders, strict=True)) == [-signal.SIGKILL] * len(chosen)
    for folder in folders:
        after = Workspace.open(folder)
        with after.writing() as records:
            kept = list(records.exec(select(RevisionRecord if where == "submit" else Upload)))
            new = [r for r in kept if where == "submit" or r.name == "new.csv"]
            for record in new:
                after.read(record.sha256)  # whole, and what its name says
            seen.add(len(new))
            assert len(new) <= 1
        after.hold()  # what a server does first
        assert not list(folder.rglob(".writing-*"))
        after.release()
        after.engine.dispose()
    assert seen == {0, 1}


OPENED = """
sqlalchemy.event.listen(sqlalchemy.Engine, "before_cursor_execute", step)
sqlalchemy.event.listen(sqlalchemy.Engine, "after_cursor_execute", step)
sqlalchemy.event.listen(sqlalchemy.Engine, "commit", step)
w.Workspace.open(folder)
print(steps, flush=True)
"""


@pytest.mark.parametrize("before", [None, "0004"])
def test_a_kill_at_first_start_or_in_a_migration_leaves_a_workspace_that_starts(tmp_path, before):
    def made(name):
        if before is not None:
            (tmp_path / name).mkdir()
            migrated(tmp_path / name, before).dispose()
        return tmp_path / name

    steps, status = run_killed(OPENED, "open", (0, made("whole")))
    assert status == 0
    assert steps > 20
    chosen = sorted({2, steps - 1, *range(5, steps, steps // 6)})
    folders = [made(str(at)) for at in chosen]
    assert run_killed(OPENED, "open", *zip(chosen, folders, strict=True)) == [-signal.SIGKILL] * len(chosen)
    for folder in folders:
        after = Workspace.open(folder)
        with after.writing() as records:
            accounts.add_user(records, "ana", "analyst", PASSWORD)
        after.engine.dispose()


def test_a_server_killed_during_an_upload_opens_again(workspace):
    """The real server, a real connection, half of a file sent, kill -9; then it serves again."""
    before = blobs(workspace)
    workspace.engine.dispose()
    for _ in range(2):
        with served(workspace.folder) as (process, port):
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
            cookie, token = sign_in(connection)
            connection.putrequest("POST", "/api/v1/uploads?name=new.csv")
            for name, text in (("Cookie", cookie), ("X-CSRFToken", token), ("Content-Length", "2000000"),
                               ("Content-Type", "application/octet-stream")):  # fmt: skip
                connection.putheader(name, text)
            connection.endheaders(b"id,p\n" * 150_000)
            time.sleep(0.2)
            process.send_signal(signal.SIGKILL)
            process.wait()
        after = Workspace.open(workspace.folder)
        after.hold()
        assert blobs(after) == before
        with after.writing() as records:
            assert records.exec(select(Upload)).all() == []
        after.release()
        after.engine.dispose()


@contextmanager
def served(folder):
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    command = [sys.executable, "-m", "skarlo.cli", "serve", "--workspace", str(folder), "--port", str(port)]
    process = subprocess.Popen(command, stderr=subprocess.DEVNULL)
    try:
        for _ in range(1200):  # a busy machine takes its time to start
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{port}/healthz").close()
                break
            except OSError:
                time.sleep(0.05)
        yield process, port
    finally:
        process.kill()
        process.wait()


def sign_in(connection):
    def ask(method, cookie="", token="", body=None):
        headers = {"Cookie": cookie, "X-CSRFToken": token, "Content-Type": "application/json"}
        connection.request(method, "/api/v1/session", body, headers)
        answer = connection.getresponse()
        told = json.loads(answer.read())
        return answer.getheader("Set-Cookie", cookie).split(";")[0], told["csrf"]

    cookie, token = ask("GET")
    return ask("POST", cookie, token, json.dumps({"name": "ana", "password": PASSWORD}))
