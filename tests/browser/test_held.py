"""What was found wrong when the page was used, each as a person would find it again."""

from __future__ import annotations

import re
import threading

import pytest
from playwright.sync_api import expect
from sqlmodel import select

from browser.conftest import PASSWORD, PATIENCE, api, brought, held_back, sign_in
from files import STUDY, rows_of, write_csv, write_study
from oddstudies import odd
from skarlo.report import package, revisions
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import User

pytestmark = pytest.mark.browser


@pytest.fixture
def study(server, tmp_path):
    return brought(server, write_study(tmp_path / "files"))


@pytest.mark.own_server
def test_what_one_did_is_not_undone_by_the_next_at_the_same_page(person, server, study):
    page = person("ana")
    page.goto(f"{study}/matrix")
    page.get_by_role("button", name="Pin this view").click()
    page.get_by_role("button", name="Pin it").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.goto(f"{study}/dossier")
    page.get_by_role("button", name="Remove exhibit 1").click()
    expect(page.get_by_role("button", name=re.compile("undo"))).to_be_visible()
    page.get_by_role("button", name="ana").click()
    page.get_by_role("menuitem", name="Sign out").click()
    sign_in(page, "ben")
    page.get_by_role("link", name="Small").click()
    expect(page.get_by_role("heading", name="Roster")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("undo"))).to_have_count(0)
    page.keyboard.press("u")
    page.get_by_role("link", name="Open the dossier").click()
    expect(page.locator("[data-exhibit]")).to_have_count(0)


@pytest.mark.own_server
def test_an_answer_still_under_way_leaves_the_next_person_signed_in(person, server, study, monkeypatch):
    asked, go, build = threading.Event(), threading.Event(), package.build

    def slowly(*of):
        asked.set()
        assert go.wait(PATIENCE / 1000)
        return build(*of)

    monkeypatch.setattr(package, "build", slowly)
    page = person("ana")
    page.goto(server.address)
    another = page.context.new_page()  # a second window of hers
    another.goto(f"{server.address}/healthz")
    another.evaluate("address => { window.answered = fetch(address) }", f"{api(study)}/dossier/preview")
    assert asked.wait(PATIENCE / 1000)
    page.get_by_role("button", name="ana").click()
    page.get_by_role("menuitem", name="Sign out").click()
    sign_in(page, "ben")
    expect(page.get_by_role("button", name="ben")).to_be_visible()
    go.set()
    assert another.evaluate("async () => (await window.answered).status") == 200
    page.reload()
    expect(page.get_by_role("button", name="ben")).to_be_visible()
    expect(page.get_by_role("link", name="Small")).to_be_visible()


@pytest.mark.own_server
def test_the_other_windows_of_a_browser_are_of_the_same_person(person, server, study):
    page = person("ana")
    other = page.context.new_page()
    page.goto(server.address)
    other.goto(f"{study}/matrix")
    expect(other.get_by_role("heading", name="Matrix")).to_be_visible()
    page.get_by_role("button", name="ana").click()
    page.get_by_role("menuitem", name="Sign out").click()
    expect(other.get_by_role("button", name="Sign in")).to_be_visible()
    sign_in(page, "ben")
    expect(other.get_by_role("button", name="ben")).to_be_visible()
    expect(other.get_by_role("heading", name="Matrix")).to_be_visible()
    other.get_by_role("button", name="Pin this view").click()
    other.get_by_role("button", name="Pin it").click()
    expect(other.get_by_role("dialog")).to_have_count(0)


def test_whoever_is_signed_out_elsewhere_is_asked_to_sign_in_and_comes_back(person, study):
    page = person("ana")
    page.goto(f"{study}/matrix")
    expect(page.get_by_role("button", name="Pin this view")).to_be_visible()
    gone = held_back(page, "**/api/**")  # what is asked for in the next view goes out once the cookie is gone
    page.get_by_role("link", name="Slices").first.click()
    expect(page).to_have_url(re.compile("/slices"))
    page.context.clear_cookies()
    gone.set()
    sign_in(page, "ana")
    expect(page.get_by_role("button", name="Pin this view")).to_be_visible()
    assert page.url.startswith(f"{study}/slices")


def test_the_handle_answers_the_keys_of_a_slider(person, study):
    page = person("ana")
    page.goto(f"{study}/cutoff?split=tuning")
    slider = page.get_by_role("slider")
    slider.focus()
    for key, wanted in (("ArrowRight", "0.501"), ("ArrowUp", "0.502"), ("ArrowLeft", "0.501"), ("PageUp", "0.511"),
                        ("PageDown", "0.501"), ("End", "1"), ("Home", "0")):  # fmt: skip
        page.keyboard.press(key)
        expect(slider).to_have_attribute("aria-valuenow", wanted)
    expect(page.locator("[data-chip='A']")).to_contain_text("≥ 0")


def test_two_people_at_one_text_see_each_other(person, study):
    ana, ada = person("ana"), person("ana")
    for page in (ana, ada):
        page.goto(f"{study}/dossier")
        expect(page.get_by_label("The argument")).to_be_visible()
    ana.get_by_label("The argument").fill("Three paragraphs.")
    expect(ana.locator("[data-saving='true']")).to_have_count(0)  # kept while typing, without leaving the field
    ada.get_by_label("The argument").fill("Mine.")
    conflict = ada.get_by_role("alert")
    expect(conflict).to_contain_text("Someone else changed this meanwhile")
    expect(conflict).to_contain_text("Three paragraphs.")
    expect(ada.get_by_label("The argument")).to_have_value("Mine.")
    ada.get_by_role("button", name="Take theirs").click()
    expect(ada.get_by_label("The argument")).to_have_value("Three paragraphs.")


@pytest.mark.own_server
def test_deleting_a_study_with_a_report_says_what_it_bears(person, server, study):
    page = person("ana")
    number = int(study.rsplit("/", 1)[1])
    page.goto(f"{study}/matrix")
    page.get_by_role("button", name="Pin this view").click()
    page.get_by_role("button", name="Pin it").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.goto(f"{study}/dossier")
    page.locator("#decision").select_option("Scores")
    expect(page.locator("[data-part='decision-cutoff']")).to_be_visible()
    with server.workspace.reading() as records:
        people = {u.name: u for u in records.exec(select(User))}
    revision = revisions.submit(Evaluator(server.workspace), people["ana"], number)
    revisions.decide(server.workspace, people["ava"], revision.id, "signed", PASSWORD)
    page.goto(server.address)
    page.get_by_role("button", name="Delete Small").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Its revision 1 is signed")
    expect(dialog.get_by_role("button", name="Delete the study")).to_have_count(0)


def test_no_edge_and_no_footnote_where_nothing_was_tested(person, server, tmp_path):
    page = person("ana")
    page.goto(f"{brought(server, odd(tmp_path / 'alone', 'alone').path)}/roster")
    expect(page.locator("[data-part='roster'] button[data-metric]").first).to_be_visible()
    expect(page.locator("[data-standing='edge']")).to_have_count(0)
    expect(page.locator("main")).not_to_contain_text("edge: best")
    page.keyboard.press("1")
    expect(page.locator("[data-part='sentence']")).to_have_text("No candidate is switched on.")
    expect(page.get_by_role("alert")).to_have_count(0)


def three(tmp_path):
    rows = rows_of(300)
    for i, r in enumerate(rows):
        r["actual"] = ["yes", "no", "maybe"][i % 7 % 3]
        r["said"] = r["actual"] if i % 4 else ["yes", "no", "maybe"][i % 3]
        for label in ("yes", "no", "maybe"):
            r[f"p_{label}"] = 0.8 if ["yes", "no", "maybe"][(i + (i % 5 == 0)) % 7 % 3] == label else 0.1
    toml = STUDY.split("[[candidates]]")[0].replace('positive = "yes"\n', "")
    for name in ("P", "Q"):
        columns = ", ".join(f'{label} = "p_{label}"' for label in ("yes", "no", "maybe"))
        toml += f'[[candidates]]\nname = "{name}"\npath = "{name}.csv"\nprobabilities = {{ {columns} }}\n'
    folder = tmp_path / "three"
    path = write_study(folder, rows, toml)
    for i, name in enumerate(("P", "Q")):
        for j, r in enumerate(rows):
            if i and j % 3 == 0:
                r["p_yes"], r["p_no"], r["p_maybe"] = 0.4, 0.3, 0.3
        write_csv(folder / f"{name}.csv", rows, ["id", "p_yes", "p_no", "p_maybe"])
    return path


def test_of_three_classes_an_edge_needs_a_test_and_a_number_its_own_formula(person, server, tmp_path):
    page = person("ana")
    address = brought(server, three(tmp_path))
    page.goto(f"{address}/roster")
    cells = page.locator("[data-part='roster'] tbody td[data-standing]")
    expect(cells.first).to_be_visible()
    results = page.request.get(f"{api(address)}/results", headers={"Prefer": "wait=60"}).json()
    tested = {m for pair in results["pairs"] for m, d in pair["metrics"].items() if d.get("p") is not None}
    edged = set()
    for cell in cells.all():
        metric = cell.locator("button[data-metric]").get_attribute("data-metric")
        if cell.get_attribute("data-standing") == "edge":
            edged.add(metric)
    assert edged <= tested, edged
    untested = {m for m, lead in results["best"]["test"].items() if lead["not_tested"]}
    assert untested.isdisjoint(edged)
    cells.locator("button[data-metric='accuracy']").first.click()
    unfolded = page.locator("[data-part='unfolded']")
    expect(unfolded).to_contain_text("rows")
    expect(unfolded).not_to_contain_text("TP")


def test_gates_stand_on_screen(person, server, tmp_path):
    toml = STUDY + '[[gates]]\nmetric = "recall"\nat_least = 0.99\n[[gates]]\nmetric = "accuracy"\nat_least = 0.1\n'
    page = person("ana")
    address = brought(server, write_study(tmp_path / "gated", toml=toml))
    page.goto(f"{address}/roster")
    gates = page.locator("[data-part='gates']")
    expect(gates.locator("[data-status='fail']")).to_have_count(2)
    expect(gates.locator("[data-status='pass']")).to_have_count(2)
    expect(page.locator("[data-step='roster']")).to_contain_text("2 gates not passed")


def test_of_thirty_candidates_each_has_its_letter_colour_and_dash(person, server, tmp_path):
    page = person("ana")
    page.goto(f"{brought(server, odd(tmp_path / 'thirty', 'thirty').path)}/curves")
    expect(page.locator("[data-end]").first).to_be_visible()
    expect(page.locator("main[aria-busy='false']")).to_be_visible()
    letters = page.locator("[data-chip]").evaluate_all("all => all.map(e => e.dataset.chip)")
    assert letters[24:] == ["Y", "Z", "AA", "AB", "AC", "AD"]
    looks = page.locator("svg path[stroke^='var(--color-c']").evaluate_all(
        "all => all.map(e => [e.closest('svg').getAttribute('aria-label'), e.getAttribute('stroke'),"
        " e.getAttribute('stroke-dasharray')].join())"
    )
    assert len(looks) >= 30
    assert len(set(looks)) == len(looks)
