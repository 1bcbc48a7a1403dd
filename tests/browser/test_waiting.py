"""Long work as a person sees it: what is being done, how far it is, stopped, asked for again."""

from __future__ import annotations

import threading

import pytest
from playwright.sync_api import expect

from files import write_study
from skarlo.studies import catalog, evaluating

pytestmark = [pytest.mark.browser, pytest.mark.own_server]  # it reads the list of studies


@pytest.fixture
def slow(monkeypatch):
    """Reading that waits at its second step until it is let through."""
    real, let = evaluating.read_study, threading.Event()

    def read(spec, files, progress=None):
        def tell(done, of, what):
            if progress is not None:
                progress(done, of, what)
                if done == 1:
                    assert let.wait(60)
                    progress(done, of, what)

        return real(spec, files, tell)

    monkeypatch.setattr(evaluating, "read_study", read)
    monkeypatch.setattr(catalog, "read_study", read)
    yield let
    let.set()


def test_a_long_study_shows_its_steps_is_stopped_and_made_after_all(server, person, tmp_path, slow):
    folder = write_study(tmp_path / "files").parent
    page = person("ana")
    page.goto(f"{server.address}/new")
    page.get_by_label("The question").fill("Does a slow study get made?")
    page.get_by_label("Hold-out file").set_input_files(folder / "holdout.csv")
    page.get_by_label("Positive class").select_option("yes")
    page.get_by_label("Candidate file").set_input_files(folder / "scores.csv")
    page.get_by_role("button", name="Make the study").click()

    working = page.get_by_role("region", name="Work in progress")
    expect(working.get_by_role("status")).to_have_text("Making the study · joining the answers of scores")
    expect(working.get_by_role("progressbar")).to_have_attribute("aria-valuenow", "1")
    with page.expect_response(lambda r: r.request.method == "DELETE" and "/jobs/" in r.url):
        working.get_by_role("button", name="Stop").click()
    slow.set()
    expect(page.get_by_role("alert")).to_contain_text("You stopped this. Nothing of it is kept.")
    expect(working).to_be_hidden()

    slow.clear()
    page.get_by_role("button", name="Make the study").click()
    expect(working).to_be_visible()
    slow.set()
    expect(page.get_by_role("heading", name="Intake")).to_be_visible()
    expect(working).to_be_hidden()
    page.goto(server.address)
    expect(page.get_by_role("link", name="Does a slow study get made?")).to_have_count(1)
