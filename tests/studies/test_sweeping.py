"""What nothing speaks of any more goes, and nothing else."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from sqlmodel import select

from asking import upload
from conftest import user_named
from files import rows_of, write_csv
from skarlo.studies import deleting, sweeping
from skarlo.studies.records import Upload, now


@pytest.fixture
def sweep(workspace):
    def later(days):
        with workspace.writing() as records:
            return sweeping.sweep(workspace, records, now() + timedelta(days=days))

    return later


def files(workspace):
    return {p.name for p in workspace.blobs.rglob("*") if p.is_file()}


def test_an_upload_that_became_no_study_goes_after_thirty_days(workspace, signed_in, tmp_path, sweep):
    ana = signed_in("ana")
    sent = upload(ana, write_csv(tmp_path / "unused.csv", rows_of(), ["id", "p"])).json
    assert files(workspace) == {sent["sha256"]}
    assert sweep(29) == 0
    assert ana("GET", f"/uploads/{sent['id']}").status_code == 200
    assert sweep(31) == 1
    assert files(workspace) == set()
    assert ana("GET", f"/uploads/{sent['id']}").status_code == 404


def test_what_a_study_its_results_and_its_report_are_made_of_stays(workspace, signed_in, submitted, sweep):
    study, revision = submitted
    ana = signed_in("ana")
    before, content = files(workspace), ana("GET", f"/revisions/{revision}/content").data
    assert len(before) >= 5, "hold-out, two candidates, results, the report"
    assert sweep(400) == 0
    assert files(workspace) == before
    assert ana("GET", f"/studies/{study}/results").status_code == 200
    assert ana("GET", f"/revisions/{revision}/content").data == content


def test_a_study_gone_for_good_leaves_no_files_but_its_results(workspace, signed_in, study_id, sweep):
    ana = signed_in("ana")
    ana("GET", f"/studies/{study_id}/results")
    rows = files(workspace) - workspace.named_by_results()
    ana("DELETE", f"/studies/{study_id}")
    assert sweep(29) == 0, "it can still be taken back"
    with workspace.writing() as records:
        assert deleting.purge(records, now() + timedelta(days=31)) == (1, [])
    (joined,) = (workspace.folder / "rows").iterdir()
    assert joined.read_text() in rows, "what is known of each row goes with the hold-out"
    assert sweep(62) == len(rows)
    assert files(workspace) == workspace.named_by_results()
    assert list((workspace.folder / "rows").iterdir()) == []


def test_of_one_hold_out_the_last_few_joined_tables_are_kept(workspace, sweep):
    for i in range(6):
        workspace.keep_rows("a" * 64, f"key{i}", [f"table {i}".encode()])
    kept = [workspace.rows_file("a" * 64, f"key{i}") for i in range(6)]
    assert [path is not None for path in kept] == [False] * 3 + [True] * 3
    assert kept[-1].read_bytes() == b"table 5"
    assert sweep(2) == 6, "and none once the hold-out is gone"


def test_joined_tables_kept_at_once_do_not_disturb_one_another(workspace):
    def keep(i):
        workspace.keep_rows("a" * 64, f"key{i}", [f"table {i}".encode()])

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(keep, range(80)))
    keep(80)
    kept = [path for i in range(81) if (path := workspace.rows_file("a" * 64, f"key{i}"))]
    assert len(kept) == 3
    assert kept[-1].read_bytes() == b"table 80"


def test_a_file_of_today_waits_for_its_record(workspace, sweep):
    kept = workspace.keep(b"on its way")
    assert sweep(0) == 0
    assert files(workspace) == {kept}
    with workspace.writing() as records:
        records.add(Upload(sha256=kept, name="x", size=10, user_id=user_named(workspace, "ana").id))
    assert sweep(2) == 0
    with workspace.writing() as records:
        records.delete(records.exec(select(Upload)).one())
    assert sweep(2) == 1
