"""Long work over the HTTP interface: followed step by step, stopped, and known from what fails."""

from __future__ import annotations

import threading

import pytest

from asking import upload, wanted
from files import write_study
from skarlo.studies import catalog, evaluating
from skarlo.studies import jobs as jobs_module
from skarlo.studies.jobs import KEPT, MOST, Jobs, Stopped
from skarlo.web.routes import intake, uploads


class Gate:
    """Reading that waits, after its first step, until it is let through."""

    def __init__(self, read):
        self.read, self.reached, self.opened, self.times = read, threading.Event(), threading.Event(), 0

    def __call__(self, spec, files, progress=None):
        self.times += 1
        if progress is not None:
            progress(1, 4, "reading slowly")
        self.reached.set()
        assert self.opened.wait(30)
        return self.read(spec, files, progress)


@pytest.fixture
def gate(monkeypatch):
    made = Gate(evaluating.read_study)
    monkeypatch.setattr(evaluating, "read_study", made)
    monkeypatch.setattr(catalog, "read_study", made)
    yield made
    made.opened.set()


@pytest.fixture
def hurry(app):
    """From now on, requests wait for nothing."""
    return lambda: app.config.update(PATIENCE=0.01)


def ended(client, job_id):
    """How a job ended."""
    for _ in range(600):
        found = client("GET", f"/jobs/{job_id}").json
        if found["state"] != "running":
            return found
        threading.Event().wait(0.05)
    raise AssertionError("the job does not end")


def test_what_takes_long_is_a_job_that_tells_its_steps(signed_in, study_id, gate, hurry):
    ana = signed_in("ana")
    hurry()
    asked = ana("GET", f"/studies/{study_id}/results?cutoffs=1:0.4")
    assert asked.status_code == 202
    job = asked.json
    assert asked.headers["Location"] == f"/api/v1/jobs/{job['id']}"
    assert (job["what"], job["state"]) == ("evaluating", "running")
    assert gate.reached.wait(30)
    now = ana("GET", f"/jobs/{job['id']}").json
    assert (now["step"], now["done"], now["of"], now["state"]) == ("reading slowly", 1, 4, "running")
    again = ana("GET", f"/studies/{study_id}/results?cutoffs=1:0.4")
    assert (again.status_code, again.json["id"]) == (202, job["id"]), "asked twice, done once"
    gate.opened.set()
    assert ended(ana, job["id"])["state"] == "done"
    then = ana("GET", job["then"].removeprefix("/api/v1"))
    assert then.status_code == 200
    assert then.json["candidates"][0]["cutoff"]["value"] == 0.4
    assert gate.times == 1


def test_who_prefers_to_wait_may(signed_in, study_id, gate, hurry):
    ana = signed_in("ana")
    hurry()
    threading.Timer(0.3, gate.opened.set).start()
    answer = ana("GET", f"/studies/{study_id}/results", headers={"Prefer": "respond-async, wait=60"})
    assert answer.status_code == 200
    assert answer.json["format"] == "skarlo.results/1"


def test_a_study_that_is_being_made_can_be_stopped_and_nothing_is_kept(signed_in, workspace, tmp_path, gate, hurry):
    ana = signed_in("ana")
    folder = write_study(tmp_path / "x").parent
    sent = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    hurry()
    job = ana("POST", "/studies", wanted(*sent)).json
    assert job["what"] == "making the study"
    assert gate.reached.wait(30)
    assert ana("DELETE", f"/jobs/{job['id']}").status_code == 200
    gate.opened.set()
    assert ended(ana, job["id"])["state"] == "stopped"
    assert ana("GET", "/studies").json["studies"] == []
    again = ana("POST", "/studies", wanted(*sent))
    made = ended(ana, again.json["id"]) if again.status_code == 202 else None
    then = made["then"] if made else f"/api/v1/studies/{again.json['id']}"
    answer = ana("GET", then.removeprefix("/api/v1"), headers={"Prefer": "wait=60"})
    assert answer.json["title"] == "Mine"
    assert len(ana("GET", "/studies").json["studies"]) == 1


def test_a_job_goes_on_while_someone_else_waits_for_it(signed_in, study_id, gate, hurry):
    ana, vic = signed_in("ana"), signed_in("vic")
    hurry()
    job = ana("GET", f"/studies/{study_id}").json["id"]
    assert vic("GET", f"/jobs/{job}").status_code == 404, "not asked for by vic yet"
    assert vic("GET", f"/studies/{study_id}").json["id"] == job
    ana("DELETE", f"/jobs/{job}")
    gate.opened.set()
    assert ended(vic, job)["state"] == "done"


def test_faults_in_the_files_come_with_the_job(signed_in, tmp_path, hurry, gate):
    ana = signed_in("ana")
    folder = write_study(tmp_path / "x").parent
    (folder / "scores.csv").write_text("id,p\nr0000,n/a\n")
    sent = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    hurry()
    job = ana("POST", "/studies", wanted(*sent)).json
    gate.opened.set()
    found = ended(ana, job["id"])
    assert found["state"] == "failed"
    assert found["problem"]["status"] == 422
    lines = [p["line"] for p in found["problem"]["problems"]]
    assert any("row 2" in line and "the score is not a number: found “n/a”" in line for line in lines)
    assert any("has no answer for this hold-out row" in line for line in lines), "the join's faults in the same run"
    assert ana("GET", "/studies").json["studies"] == []


def test_a_fault_of_our_own_says_nothing_of_itself(signed_in, study_id, monkeypatch, hurry):
    def broken(*_, **__):
        raise RuntimeError("a secret path")

    monkeypatch.setattr(evaluating, "read_study", broken)
    ana = signed_in("ana")
    hurry()
    answer = ana("GET", f"/studies/{study_id}/fields", headers={"Prefer": "wait=60"})
    assert answer.status_code == 500
    assert "secret" not in answer.text


def test_only_so_many_ended_jobs_are_remembered():
    jobs = Jobs()
    made = [jobs.start(str(i), "work", lambda tell: tell(0, 1, "a step"), asker=1) for i in range(MOST + 20)]
    for job in made:
        assert job.over.wait(30)
    last = jobs.start("last", "work", lambda tell: None, asker=1)
    assert jobs.find(made[0].id, 1) is None
    assert jobs.find(last.id, 1) is last
    assert jobs.find(last.id, 2) is None


def test_work_stops_between_its_steps():
    jobs, begun, go, reached = Jobs(), threading.Event(), threading.Event(), []

    def work(tell):
        tell(0, 2, "first")
        reached.append("first")
        begun.set()
        assert go.wait(30)
        tell(1, 2, "second")
        reached.append("second")

    job = jobs.start("k", "work", work, asker=1)
    assert begun.wait(30)
    jobs.stop(job, 1)
    go.set()
    assert job.over.wait(30)
    assert (job.state, reached) == ("stopped", ["first"])
    assert jobs.start("k", "work", lambda tell: 5, asker=1) is not job, "asked again it is begun again"
    with pytest.raises(Stopped):
        job.tell(1, 2, "more")


def test_what_a_job_gave_is_there_for_who_comes_back_and_then_let_go(monkeypatch):
    clock, times = [0.0], []
    monkeypatch.setattr(jobs_module.time, "monotonic", lambda: clock[0])
    jobs = Jobs()
    first = jobs.start("k", "work", lambda tell: times.append(1) or "found", asker=1)
    assert first.over.wait(30)
    clock[0] = KEPT - 1
    assert jobs.start("k", "work", lambda tell: times.append(2), asker=2) is first
    assert (first.result, times) == ("found", [1])
    clock[0] = KEPT + 1
    again = jobs.start("k", "work", lambda tell: times.append(3), asker=1)
    assert again is not first
    assert again.over.wait(30)
    assert times == [1, 3]
    assert jobs.find(first.id, 1) is None


def test_a_join_that_takes_long_is_answered_when_asked_again(signed_in, tmp_path, hurry, monkeypatch):
    real, calls = intake.read_pieces, []

    def slowly(source, columns=None):
        calls.append(source.name)
        threading.Event().wait(0.2)
        return real(source, columns)

    monkeypatch.setattr(intake, "read_pieces", slowly)
    ana = signed_in("ana")
    folder = write_study(tmp_path / "x").parent
    sent = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    hurry()
    job = ana("GET", f"/joins?holdout={sent[0]}&holdout_id=id&answers={sent[1]}&answers_id=id").json
    assert ended(ana, job["id"])["state"] == "done"
    found = ana("GET", job["then"].removeprefix("/api/v1"))
    assert (found.status_code, found.json["matched"]) == (200, 200)
    assert calls == ["holdout.csv", "scores.csv"], "read once"


def test_an_upload_that_takes_long_is_found_where_the_job_says(signed_in, tmp_path, hurry, monkeypatch):
    reached, let = threading.Event(), threading.Event()
    real = uploads.read_pieces

    def slowly(source, columns=None):
        for piece in real(source, columns):
            reached.set()
            assert let.wait(30)
            yield piece

    monkeypatch.setattr(uploads, "read_pieces", slowly)
    ana, ben = signed_in("ana"), signed_in("ben")
    folder = write_study(tmp_path / "x").parent
    hurry()
    job = upload(ana, folder / "holdout.csv").json
    assert (job["what"], job["then"]) == ("reading holdout.csv", None)
    assert reached.wait(30)
    let.set()
    then = ended(ana, job["id"])["then"]
    found = ana("GET", then.removeprefix("/api/v1"), headers={"Prefer": "wait=60"}).json
    assert (found["name"], found["rows"], found["guess"]["id"]["column"]) == ("holdout.csv", 200, "id")
    assert ben("GET", then.removeprefix("/api/v1")).status_code == 404, "another's upload"


def test_a_broken_upload_fails_its_job_and_leaves_no_file(signed_in, workspace, tmp_path, hurry):
    ana = signed_in("ana")
    (tmp_path / "t.csv").write_text("id,p\na,0.5\nb,0.5,0.7,0.9\n")
    hurry()
    answer = upload(ana, tmp_path / "t.csv")
    problem = answer.json if answer.status_code == 422 else ended(ana, answer.json["id"])["problem"]
    assert "row 3 has 4 values" in problem["problems"][0]["line"]
    assert [p for p in workspace.blobs.rglob("*") if p.is_file()] == []
