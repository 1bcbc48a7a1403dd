"""Two things at once: what a person decided is kept at once, and nobody waits for another's evaluation."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlmodel import select

from asking import upload, wanted
from conftest import PASSWORD, Client, user_named
from files import rows_of, write_csv, write_study
from oddstudies import KINDS, odd
from skarlo import core
from skarlo.report import package, revisions
from skarlo.studies import accounts, evaluating
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import ChoiceRecord, RevisionRecord
from skarlo.studies.refusals import Held, Refusal
from skarlo.studies.workspace import Workspace
from skarlo.web import security
from skarlo.web.demo import bring_in


class Gate:
    """Evaluation that waits until it is let through."""

    def __init__(self, evaluate):
        self.evaluate, self.reached, self.opened, self.times = evaluate, threading.Event(), threading.Event(), 0

    def __call__(self, *args, **how):
        self.times += 1
        self.reached.set()
        assert self.opened.wait(60)
        return self.evaluate(*args, **how)


@pytest.fixture
def gate(monkeypatch):
    made = Gate(core.Evaluation.results)
    monkeypatch.setattr(core.Evaluation, "results", lambda *args, **how: made(*args, **how))
    yield made
    made.opened.set()


def several(signed_in, name, n):
    """As many pages of one person, however fast they sign in."""
    security.limiter.reset()
    out = []
    for i in range(n):
        out.append(signed_in(name))
        if i % 4 == 3:
            security.limiter.reset()
    return out


def cutoff(client, study, value, on="tuning"):
    return client("PUT", f"/studies/{study}/candidates/1/cutoff", {"value": value, "chosen_on": on})


def test_a_cutoff_is_kept_while_another_is_evaluated(app, signed_in, study_id, gate):
    """Nothing is evaluated inside a transaction: cutoffs, words and sign-ins go through meanwhile."""
    ana = signed_in("ana")
    app.config.update(PATIENCE=0.01)
    assert ana("GET", f"/studies/{study_id}/results?cutoffs=1:0.4").status_code == 202
    assert gate.reached.wait(30)
    for value in (0.333, 0.377):
        assert cutoff(ana, study_id, value).status_code in (200, 202, 204)
    assert ana("PATCH", f"/studies/{study_id}/dossier", {"summary": "meanwhile"}).status_code == 200
    assert Client(app).sign_in("vic").status_code == 200
    kept = ana("GET", f"/studies/{study_id}").json["candidates"][0]
    assert kept["cutoff"] == 0.377
    assert not gate.opened.is_set()


def test_a_change_waits_for_the_files_it_reads_and_is_kept(app, signed_in, study_id, monkeypatch):
    ana, read, go = signed_in("ana"), evaluating.read_study, threading.Event()
    app.config.update(PATIENCE=0.01)
    monkeypatch.setattr(evaluating, "read_study", lambda *args: go.wait(60) and read(*args))
    with ThreadPoolExecutor(1) as pool:
        asked = pool.submit(cutoff, ana, study_id, 0.377)
        with pytest.raises(TimeoutError):
            asked.result(0.5)
        go.set()
    assert asked.result().status_code == 200
    assert ana("GET", f"/studies/{study_id}").json["candidates"][0]["cutoff"] == 0.377


def test_what_is_looked_at_and_then_kept_is_evaluated_once(signed_in, study_id, gate):
    gate.opened.set()
    ana = signed_in("ana")
    assert ana("GET", f"/studies/{study_id}/results?cutoffs=1:0.4").status_code == 200
    before = gate.times
    cutoff(ana, study_id, 0.4)
    found = ana("GET", f"/studies/{study_id}/results").json
    assert found["candidates"][0]["cutoff"] == {"value": 0.4, "rule": "by hand", "chosen_on": "tuning"}
    assert gate.times == before


def test_many_cutoffs_at_once_each_give_their_own_results(app, workspace, signed_in, study_id, monkeypatch):
    """A fresh server, and ten people who open it at ten cutoffs in the same moment."""
    values = [round(0.05 + 0.09 * i, 2) for i in range(10)]
    clients = several(signed_in, "vic", len(values))

    def ask(at):
        client, value = at
        return client("GET", f"/studies/{study_id}/results?cutoffs=1:{value}")

    with ThreadPoolExecutor(10) as pool:
        answers = list(pool.map(ask, zip(clients, values, strict=True)))
    study = rows_of()
    test = [r for r in study if r["split"] == "test"]
    for value, answer in zip(values, answers, strict=True):
        assert answer.status_code == 200, answer.text
        wanted_tp = sum(r["actual"] == "yes" and float(r["p"]) >= value for r in test)
        assert answer.json["candidates"][0]["splits"]["test"]["outcomes"]["tp"] == wanted_tp
        assert answer.json["candidates"][0]["cutoff"]["value"] == value


def test_cutoffs_kept_at_once_leave_one_of_them_and_a_line_for_each(app, workspace, signed_in, study_id):
    values = [round(0.15 + 0.1 * i, 2) for i in range(8)]
    clients = several(signed_in, "ana", len(values))
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda at: cutoff(at[0], study_id, at[1]), zip(clients, values, strict=True)))
    assert {a.status_code for a in answers} == {200}
    kept = clients[0]("GET", f"/studies/{study_id}").json["candidates"][0]["cutoff"]
    with workspace.reading() as records:
        chosen = [c.value for c in records.exec(select(ChoiceRecord)) if c.chosen_by == {"rule": "by hand"}]
    assert sorted(chosen) == values
    assert kept in values


def test_one_of_two_who_sign_at_once_is_told(signed_in, submitted, workspace):
    with workspace.writing() as records:
        accounts.add_user(records, "amy", "approver", PASSWORD)
    _, revision = submitted
    two = [signed_in("ava"), signed_in("amy")]
    with ThreadPoolExecutor(2) as pool:
        answers = list(pool.map(lambda c: c("POST", f"/revisions/{revision}/signature", {"password": PASSWORD}), two))
    assert sorted(a.status_code for a in answers) == [201, 409]
    (lost,) = [a for a in answers if a.status_code == 409]
    assert "is signed already" in lost.json["detail"]


def test_versions_and_candidates_added_at_once(signed_in, tmp_path):
    ana = signed_in("ana")
    rows = rows_of(90)
    h = upload(ana, write_csv(tmp_path / "h.csv", rows, ["id", "actual", "split"])).json["id"]
    s = upload(ana, write_csv(tmp_path / "s.csv", rows, ["id", "p"])).json["id"]
    study = ana("POST", "/studies", wanted(h, s)).json["id"]
    clients = several(signed_in, "ana", 6)

    def add(at):
        i, client = at
        if i % 2:
            return client("POST", f"/studies/{study}/candidates/1/versions", {"upload": s, "note": str(i)})
        return client("POST", f"/studies/{study}/candidates", {"upload": s, "name": f"N{i}", "score": "p"})

    with ThreadPoolExecutor(6) as pool:
        answers = list(pool.map(add, enumerate(clients)))
    assert {a.status_code for a in answers} == {201}, [a.text for a in answers]
    told = ana("GET", f"/studies/{study}").json
    assert [c["position"] for c in told["candidates"]] == [1, 2, 3, 4]
    assert sorted(v["number"] for v in told["candidates"][0]["versions"]) == [1, 2, 3, 4]
    same = [(clients[i], {"upload": s, "name": "Twice", "score": "p"}) for i in range(2)]
    with ThreadPoolExecutor(2) as pool:
        twice = list(pool.map(lambda at: at[0]("POST", f"/studies/{study}/candidates", at[1]), same))
    assert sorted(a.status_code for a in twice) in ([201, 409], [201, 422]), [a.text for a in twice]


def test_conditions_named_read_alone_and_taken_away_at_once(signed_in, study_id):
    """Each name stands with its own rows, and whoever reads one reads those of before or of after, or is told."""
    pages = several(signed_in, "ana", 4)
    wait, at = {"Prefer": "wait=60"}, f"/studies/{study_id}"
    asked = {f"over {k}": f"score(A) >= 0.{k}" for k in range(1, 5)}
    with ThreadPoolExecutor(4) as pool:
        named = list(pool.map(
            lambda one: one[0]("PUT", f"{at}/conditions/{one[1][0]}", {"where": one[1][1], "keep": True}, headers=wait),
            zip(pages, asked.items(), strict=True),
        ))  # fmt: skip
    assert [r.status_code for r in named] == [200] * 4, [r.json for r in named]
    kept = pages[0]("GET", at, headers=wait).json["conditions"]
    assert {name: c["where"] for name, c in kept.items()} == asked

    def rows(page, name):
        return page("GET", f"{at}/results?within=%3Dnamed%20%22{name}%22", headers=wait)

    def split(told):
        return told.json["holdout"]["rows"]

    before = {name: split(rows(pages[0], name)) for name in asked}
    assert len(set(before.values())) == 4
    with ThreadPoolExecutor(4) as pool:
        read = [pool.submit(rows, page, "over 1") for page in pages[:2]]
        other = pool.submit(pages[2], "PUT", f"{at}/conditions/over%201",
                            {"where": "score(A) >= 0.4", "keep": True}, headers=wait)  # fmt: skip
        gone = pool.submit(pages[3], "DELETE", f"{at}/conditions/over%202", headers=wait)
    assert (other.result().status_code, gone.result().status_code) == (200, 200)
    assert {split(r.result()) for r in read} <= {before["over 1"], before["over 4"]}
    assert split(rows(pages[0], "over 1")) == before["over 4"]
    assert rows(pages[1], "over 2").status_code == 422
    assert sorted(pages[1]("GET", at, headers=wait).json["conditions"]) == ["over 1", "over 3", "over 4"]


def test_steps_opened_by_two_pages_at_once(signed_in, study_id):
    clients = several(signed_in, "vic", 6)
    with ThreadPoolExecutor(6) as pool:
        answers = list(pool.map(lambda c: c("PUT", f"/studies/{study_id}/steps/roster"), clients))
    assert {a.status_code for a in answers} == {200}


def test_submitting_and_deleting_at_once_leaves_one_of_the_two(workspace, signed_in, study_id, monkeypatch):
    ana = signed_in("ana")
    pin = {"view": "matrix", "scope": {"split": "test", "show": [1]}}
    ana("POST", f"/studies/{study_id}/exhibits", pin)
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    build = package.build

    def deleted_meanwhile(*args):
        found = build(*args)
        assert ana("DELETE", f"/studies/{study_id}").status_code == 200
        return found

    monkeypatch.setattr(package, "build", deleted_meanwhile)
    with pytest.raises(Refusal):
        revisions.submit(Evaluator(workspace), user_named(workspace, "ana"), study_id)
    with workspace.reading() as records:
        assert records.get(RevisionRecord, 1) is None


def test_a_dossier_changed_while_it_is_frozen_is_not_frozen(workspace, signed_in, study_id, monkeypatch):
    ana = signed_in("ana")
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": {"split": "test", "show": [1]}})
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    build = package.build

    def changed_meanwhile(*args):
        found = build(*args)
        assert cutoff(ana, study_id, 0.6).status_code == 200
        assert ana("PATCH", f"/studies/{study_id}/dossier", {"summary": "more"}).status_code == 200
        return found

    monkeypatch.setattr(package, "build", changed_meanwhile)
    answer = ana("POST", f"/studies/{study_id}/revisions")
    assert answer.status_code == 409
    assert "changed while it was being frozen" in answer.json["detail"]
    monkeypatch.undo()
    assert ana("POST", f"/studies/{study_id}/revisions").status_code == 201


def test_results_are_those_of_this_environment(workspace, study_id, monkeypatch):
    """Numbers kept by another NumPy or processor are not taken for this one's."""
    evaluator = Evaluator(workspace)
    with workspace.reading() as records:
        here = evaluator.asked(records, study_id)
        monkeypatch.setattr(evaluating, "environment", lambda: {"numpy": "another"})
        there = evaluator.asked(records, study_id)
        monkeypatch.undo()
        monkeypatch.setattr(evaluating.core, "VERSION", "another")
        later = evaluator.asked(records, study_id)
    assert len({here.key, there.key, later.key}) == 3


def test_a_second_server_does_not_take_a_workspace(workspace):
    """And opening it for a moment, as when a person is added, clears nothing that a server is writing."""
    workspace.hold()
    half = workspace.blobs / ".writing-half"
    half.write_bytes(b"half of a file")
    other = Workspace.open(workspace.folder)
    with pytest.raises(Held, match="is served already by process"):
        other.hold()
    assert half.exists()
    workspace.release()
    other.hold()
    assert not half.exists()
    other.release()


def test_a_newer_request_of_a_page_stops_the_older_one(app, workspace, signed_in, tmp_path, gate):
    number = bring_in(workspace, write_study(tmp_path / "own"), user_named(workspace, "ana"))
    ana = signed_in("ana")
    app.config.update(PATIENCE=0.01)

    def ask(at, page, parts="results?"):
        return ana("GET", f"/studies/{number}/{parts}&cutoffs=1:{at}", headers={"X-Page": page})

    first, other, second = ask(0.4, "one 1"), ask(0.45, "two 7"), ask(0.5001, "one 3")
    late = ask(0.47, "one 2")
    assert (late.status_code, late.json["title"]) == (409, "Conflict"), "asked before the newest, it came after it"
    beside = ask(0.5, "one 4", "parts?kinds=lines&split=test")
    assert beside.status_code == 202, "another place of the same page"
    assert [a.status_code for a in (first, other, second)] == [202, 202, 202]
    states = [ana("GET", f"/jobs/{a.json['id']}").json["state"] for a in (first, other, second)]
    gate.opened.set()
    assert states[1:] == ["running", "running"]
    for _ in range(200):
        state = ana("GET", f"/jobs/{first.json['id']}").json["state"]
        if state != "running":
            break
        threading.Event().wait(0.05)
    assert state == "stopped"


def three_classes(folder):
    """Of three classes, with rows without an answer."""
    rows = rows_of(150)
    for i, row in enumerate(rows):
        row["actual"] = "abc"[(i * i + i // 4) % 3]
        left = 1.0 - float(row["p"])
        row.update({"pa": row["p"], "pb": f"{left * 0.25:.4f}", "pc": f"{left * 0.75:.4f}"})
        if i % 11 == 0:
            row.update(dict.fromkeys(("pa", "pb", "pc"), ""))
        row["said"] = "" if i % 13 == 0 else "abc"[i % 3]
    folder.mkdir()
    write_csv(folder / "holdout.csv", rows, ["id", "actual", "split"])
    write_csv(folder / "answers.csv", rows, ["id", "pa", "pb", "pc", "said"])
    study = folder / "study.toml"
    study.write_text(
        'format = "skarlo.study/1"\ntitle = "Three"\n[settings]\ndraws = 200\n'
        '[holdout]\npath = "holdout.csv"\nid = "id"\ntruth = "actual"\nsplit = "split"\nreport_on = "test"\n'
        '[[candidates]]\nname = "Shares"\npath = "answers.csv"\nno_answer = "wrong"\n'
        'probabilities = { a = "pa", b = "pb", c = "pc" }\n'
        f'[[candidates]]\nname = "{"n" * 80}"\npath = "answers.csv"\npredicted = "said"\nno_answer = "left_out"\n'
    )
    return study


@pytest.mark.parametrize("kind", [*KINDS, "three classes"])
def test_odd_studies_are_read_by_many_at_once_as_each_alone(signed_in, workspace, tmp_path, kind):
    """Two like studies: one page after page, the other six at a time. Each answer is of the cutoff it asked for."""
    ana = signed_in("ana")
    write = three_classes if kind == "three classes" else lambda folder: odd(folder, kind).path
    like = [bring_in(workspace, write(tmp_path / str(i)), user_named(workspace, "ana")) for i in (1, 2)]
    of = ana("GET", f"/studies/{like[0]}").json
    moved = [{}] if of["candidates"][0]["cutoff"] is None else [{"cutoffs": f"1:{x}"} for x in (0.3, 0.45)]
    asked = [
        {"kinds": kinds, "split": of["holdout"]["report_on"], **at}
        for kinds in ("lines,classes", "pairs,best,against_baseline", "calibration,curves", "gates,findings")
        for at in moved
    ]

    def read(person, study, one):
        found = person("GET", f"/studies/{study}/parts", query_string=one, headers={"Prefer": "wait=60"})
        assert found.status_code == 200, found.json
        if "cutoffs" in one and "lines" in one["kinds"]:
            assert found.json["candidates"][0]["cutoff"]["value"] == float(one["cutoffs"][2:])
        return found.json

    alone = [read(ana, like[0], one) for one in asked]
    pages = several(signed_in, "ana", 6)
    with ThreadPoolExecutor(6) as pool:
        together = list(pool.map(lambda i: read(pages[i % 6], like[1], asked[i % len(asked)]), range(2 * len(asked))))
    assert together == alone + alone
