"""Ways in, as a person takes them: pasted columns, a join that fails and is mended, the fields."""

from __future__ import annotations

import random
import re

import pytest
from playwright.sync_api import expect

from browser.conftest import api, brought
from files import rows_of as file_rows
from files import write_csv, write_study
from skarlo.sample import write_residents_messages

pytestmark = [pytest.mark.browser, pytest.mark.own_server]  # it reads the list of studies


def rows_of(n=120):
    rng = random.Random(9)
    out = []
    for i in range(n):
        yes = rng.random() < 0.4
        out.append(
            [
                f"t{i:03d}",
                "yes" if yes else "no",
                rng.choice(["clay", "loam"]),
                f"{rng.gauss(60 if yes else 40, 8):.5f}",
                f"{min(1, max(0, rng.gauss(0.6 if yes else 0.4, 0.2))):.3f}",
            ]
        )
    return out


def pasted(rows, columns, names):
    return "\n".join("\t".join(line) for line in [names, *([r[c] for c in columns] for r in rows)])


def paste(page, label, text):
    page.get_by_role("button", name="or paste columns from a spreadsheet").last.click()
    page.get_by_label(f"{label}: pasted columns").fill(text)
    page.get_by_role("button", name="Use pasted columns").click()
    expect(page.get_by_label(f"{label}: pasted columns")).to_have_count(0)


def test_pasted_columns_a_broken_join_the_fields_and_out_and_in_again(person, server, tmp_path):
    rows = rows_of()
    ana = person("ana")
    ana.goto(f"{server.address}/new")
    ana.get_by_label("The question").fill("Pasted")
    paste(ana, "Hold-out file", pasted(rows, [0, 1, 2, 3], ["id", "actual", "soil", "girth"]))
    expect(ana.get_by_text("pasted.tsv: 120 rows, 4 columns")).to_be_visible()
    ana.get_by_label("Positive class").select_option("yes")
    ana.get_by_role("checkbox", name="soil").check()

    # Answers that miss ten rows and name a stranger: the account says so, and the study is stopped.
    strange = [*rows[10:], ["stranger", "", "", "", "0.5"]]
    paste(ana, "Candidate file", pasted(strange, [0, 4], ["id", "p"]))
    row = ana.locator("[data-candidate-row='1']")
    join = row.locator("[data-part='join']")
    expect(join).to_contain_text("110 rows matched")
    expect(join).to_contain_text("1 not rows of the hold-out")
    with ana.expect_download() as saving:
        join.get_by_role("link", name="10 missing").click()
    assert saving.value.path().read_text().split() == ["id", *(r[0] for r in rows[:10])]
    ana.get_by_role("button", name="Make the study").click()
    expect(ana.get_by_role("alert")).to_contain_text("id stranger")

    # Mended: another file in its place, and rows without an answer counted wrong.
    row.get_by_role("button", name="Remove pasted").click()
    paste(ana, "Candidate file", pasted(rows[10:], [0, 4], ["id", "p"]))
    row.get_by_label("Rows without an answer").select_option("wrong")
    ana.get_by_role("button", name="Make the study").click()
    expect(ana.get_by_role("heading", name="Intake")).to_be_visible()
    expect(ana.get_by_text("110 rows matched, 10 without an answer (t000, t001, t002, …)")).to_be_visible()

    expect(ana.get_by_text("120 labelled rows; pasted leaves rows without an answer")).to_be_visible()

    # A warning needs an explanation.
    expect(ana.get_by_text("1 warning needs an explanation")).to_be_visible()
    expect(ana.locator("[data-step='intake']")).to_contain_text("1 warning open")
    warning = ana.locator("[data-finding='no_answer']")
    warning.get_by_role("button", name="Explain why this is acceptable").click()
    expect(ana.get_by_label("Why this is acceptable")).to_be_focused()
    ana.get_by_label("Why this is acceptable").fill("The first ten were never sent.")
    warning.get_by_role("button", name="Save explanation").click()
    expect(warning).to_contain_text("ana: The first ten were never sent.")
    expect(ana.get_by_text("needs an explanation")).to_have_count(0)

    # The fields: strongest first, sorted by another column, one opened large.
    names = ana.locator("[data-field]")
    expect(names).to_have_count(2)
    expect(names.first).to_have_attribute("data-field", "girth")
    ana.get_by_role("button", name="Field", exact=True).click()
    ana.get_by_role("button", name="Field ↑").click()
    expect(names.first).to_have_attribute("data-field", "soil")
    ana.get_by_role("button", name="soil", exact=True).click()
    counted = {s: sum(r[2] == s and r[1] == "yes" for r in rows) for s in ("clay", "loam")}
    for soil, n in counted.items():
        expect(ana.get_by_role("dialog").get_by_role("row", name=soil)).to_contain_text(str(n))
    ana.keyboard.press("Escape")
    expect(ana.get_by_role("dialog")).to_have_count(0)

    # Saved as files, and imported again.
    with ana.expect_download() as saving:
        ana.get_by_role("link", name="Save as files").click()
    ana.get_by_role("link", name="Skarlo, all studies").click()
    saved = tmp_path / "saved.zip"
    saving.value.save_as(saved)
    ana.get_by_label("Import a saved study").set_input_files(saved)
    expect(ana.get_by_role("heading", name="Intake")).to_be_visible()
    expect(ana.get_by_text("110 rows matched, 10 without an answer (t000, t001, t002, …)")).to_be_visible()
    ana.get_by_role("link", name="Skarlo, all studies").click()
    expect(ana.get_by_role("listitem")).to_have_count(2)
    saved.write_bytes(b"no zip")
    ana.get_by_label("Import a saved study").set_input_files(saved)
    expect(ana.get_by_role("alert")).to_contain_text("is not a zip that can be read")


def write(folder, name, columns, rows):
    path = folder / name
    path.write_text("\n".join(",".join(line) for line in [columns, *rows]) + "\n")
    return path


def test_two_readings_a_merge_a_made_split_a_version_and_what_is_deleted(person, server, tmp_path):
    rows = rows_of()
    for i, r in enumerate(rows):
        r[1] = "Yes " if r[1] == "yes" and i % 5 == 0 else r[1]
    holdout = [[r[0], f"p{r[0]}", r[1], r[2], f"s{i // 2}"] for i, r in enumerate(rows)]
    trees = write(tmp_path, "trees.csv", ["tree_id", "plate_id", "failed", "soil", "street_id"], holdout)
    first = write(tmp_path, "net.csv", ["tree_id", "p_failed"], [[r[0], r[4]] for r in rows])
    second = write(tmp_path, "net-2.csv", ["tree_id", "p_failed"], [[r[0], r[4]] for r in rows[::-1]])
    (tmp_path / "made.toml").write_text('code = "a1b2c3"\n')

    ana = person("ana")
    ana.goto(f"{server.address}/new")
    ana.get_by_label("The question").fill("Mended")
    ana.get_by_label("Hold-out file").set_input_files(trees)
    expect(ana.get_by_text("tree_id, plate_id: each could be it")).to_be_visible()
    expect(ana.get_by_text("Still missing: which column is the row id.")).to_be_visible()
    ana.get_by_label("Row id").select_option("tree_id")
    expect(ana.get_by_text("proposed: it has two values, which are yes and no")).to_be_visible()
    ana.get_by_label("Actual class").select_option("failed")
    yes, spelled = (sum(r[1] == label for r in rows) for label in ("yes", "Yes "))
    ana.get_by_role("checkbox", name=f"“Yes ” ({spelled} rows) is “yes”").check()
    expect(ana.locator("[data-class='yes']")).to_contain_text(f"{yes + spelled} rows")
    ana.get_by_label("Name to show for yes").fill("limb down")
    ana.get_by_label("Positive class").select_option("yes")
    ana.get_by_role("checkbox", name="Make a split").check()
    expect(ana.get_by_label("Group column").last).to_have_value("street_id")
    ana.get_by_label("Candidate file").set_input_files(first)
    expect(ana.get_by_text("120 rows matched")).to_be_visible()
    ana.get_by_text("How it was made, and what it costs").click()
    ana.get_by_label("How it was made, as TOML or JSON").set_input_files(tmp_path / "made.toml")
    ana.get_by_label("Price per 1,000 rows").fill("0.4")
    expect(ana.get_by_label("Made with")).to_have_value("code = a1b2c3")
    ana.get_by_role("button", name="Quote a published result").click()
    ana.get_by_label("Name in the roster").fill("Vendor leaflet")
    ana.get_by_label("Quoted from").fill("leaflet, page 3")
    ana.get_by_label("Values, a line each").fill("recall = 91")
    ana.get_by_role("button", name="Make the study").click()
    expect(ana.get_by_text("code: a1b2c3 · 0.4 per 1,000 rows")).to_be_visible()
    expect(ana.get_by_text(f"“Yes ” counts as yes: {spelled} rows")).to_be_visible()
    expect(ana.get_by_text("at random by whole groups of street_id")).to_be_visible()
    expect(ana.get_by_text("groups have rows in several splits")).to_have_count(0)

    # A new version, and back to the older one.
    candidate = ana.locator("[data-candidate='net']")
    candidate.get_by_role("button", name="New version").click()
    ana.get_by_label("File of answers").set_input_files(second)
    ana.get_by_label("What changed").fill("the same, in another order")
    ana.get_by_role("button", name="Evaluate this version").click()
    expect(candidate.locator("[data-version='2']")).to_contain_text("evaluated here")
    expect(candidate).to_contain_text("the same, in another order")
    candidate.locator("[data-version='1']").get_by_role("button", name="Evaluate this version").click()
    expect(candidate.locator("[data-version='1']")).to_contain_text("evaluated here")
    candidate.get_by_role("button", name="Delete version 2").click()
    ana.get_by_role("button", name="Delete it").click()
    expect(candidate.locator("[data-version]")).to_have_count(0)
    candidate.get_by_role("button", name="Delete net").click()
    ana.get_by_role("button", name="Delete it").click()
    expect(ana.get_by_role("alert")).to_contain_text("keeps at least one candidate")
    ana.keyboard.press("Escape")

    # The quoted result stands in the roster, against ours.
    ana.get_by_role("link", name="Roster").first.click()
    quoted = ana.locator("[data-row='Vendor leaflet']")
    expect(quoted).to_contain_text("quoted from leaflet, page 3")
    expect(quoted).to_contain_text("0.910")
    expect(quoted).to_contain_text("A’s")
    expect(ana.locator("[data-row='net']").get_by_role("cell", name="0.4", exact=True)).to_be_visible()

    # A study goes, and comes back.
    ana.get_by_role("link", name="Skarlo, all studies").click()
    ana.get_by_role("button", name="Delete Mended").click()
    ana.get_by_role("button", name="Delete the study").click()
    expect(ana.get_by_text("There is no study yet.")).to_be_visible()
    gone = ana.get_by_role("region", name="Deleted")
    gone.get_by_role("button", name="Restore Mended", exact=True).click()
    expect(ana.get_by_role("link", name="Mended")).to_be_visible()
    expect(gone.get_by_role("listitem")).to_contain_text("net, version 2 of Mended")


def test_a_hold_out_in_two_files(person, server, tmp_path):
    rows = rows_of()
    halves = {"trees-test.csv": rows[:80], "trees-tuning.csv": rows[80:]}
    paths = [write(tmp_path, name, ["id", "actual"], [r[:2] for r in part]) for name, part in halves.items()]
    ana = person("ana")
    ana.goto(f"{server.address}/new")
    ana.get_by_label("Hold-out file").set_input_files(paths[0])
    ana.get_by_role("button", name="The hold-out has a file for each split").click()
    ana.get_by_label("File of another split").set_input_files(paths[1])
    expect(ana.get_by_label("Split of trees-tuning.csv")).to_have_value("tuning")
    ana.get_by_role("button", name="Put them together").click()
    expect(ana.get_by_text("trees-test-and-trees-tuning.parquet: 120 rows, 3 columns")).to_be_visible()
    expect(ana.get_by_text("proposed: its name says so").last).to_be_visible()
    expect(ana.get_by_label("Reported on")).to_have_value("test")
    expect(ana.get_by_label("Cutoffs are chosen on")).to_have_value("tuning")


def test_a_study_of_six_classes_with_rows_without_an_answer(person, server, tmp_path):
    study = brought(server, write_residents_messages(tmp_path / "reports"))
    ana = person("ana")
    ana.goto(f"{study}/intake")
    expect(ana.get_by_text("Large labeller and Small labeller leave rows without an answer")).to_be_visible()
    expect(ana.locator("[data-part='class']")).to_be_visible()
    ana.get_by_role("link", name="Roster").first.click()
    expect(ana.locator("[data-part='sentence']")).to_contain_text("On balanced accuracy, Large labeller leads at")
    expect(ana.locator("[data-row='Large labeller']").get_by_role("cell", name="4.19", exact=True)).to_be_visible()
    ana.locator("[data-row='Large labeller'] [data-metric='mcc']").click()
    expect(ana.locator("[data-part='unfolded']")).to_contain_text("of Large labeller")
    ana.keyboard.press("Escape")
    ana.get_by_role("link", name="Matrix").first.click()
    results = ana.request.get(f"{api(study)}/results", headers={"Prefer": "wait=60"}).json()
    matrix = results["candidates"][0]["splits"]["all"]["matrix"]
    drawn = ana.locator("[data-part='rungs']")
    expect(drawn.locator("[data-cell='0-0'] [data-count='A']")).to_have_text(str(matrix[0][0]))
    expect(drawn.locator("[data-cell='2-6'] [data-count='A']")).to_have_text(str(matrix[2][6]))
    ana.keyboard.press("p")
    ana.get_by_label("Caption").fill("Who is taken for whom")
    ana.get_by_role("button", name="Pin it").click()
    expect(ana.get_by_role("dialog")).to_have_count(0)
    ana.get_by_role("button", name="swap the axes").click()
    expect(drawn.get_by_role("row").nth(1).locator("td").nth(2).locator("[data-count='A']")).to_have_text(
        str(matrix[2][0])
    )
    right = sum(matrix[k][k] for k in range(6))
    sentence = ana.locator("[data-part='sentence']")
    expect(sentence).to_contain_text(f"Large labeller predicts {right:,} of 1,500 rows right")
    ana.get_by_role("link", name="Curves").first.click()
    expect(sentence).to_contain_text("there is no probability to draw a curve from")
    ana.locator("[data-part='class']").click()
    ana.get_by_role("menuitem").nth(2).click()
    expect(ana).to_have_url(re.compile("class="))
    ana.get_by_role("link", name="Cutoff").first.click()
    expect(sentence).to_contain_text("the one with the largest probability is predicted")
    expect(ana.get_by_role("button", name="Pin this view")).to_be_visible()
    ana.get_by_role("link", name="Dossier").first.click()
    ana.get_by_role("button", name="Insert a draft from the numbers").click()
    expect(ana.get_by_label("The argument")).to_have_value(re.compile("on the 1,500 rows of 6 classes"))


def test_one_more_candidate_by_keyboard(person, server, tmp_path):
    study = brought(server, write_study(tmp_path / "files"))
    better = [{**r, "p": (0.9 if r["actual"] == "yes" else 0.1) + i / 1e4} for i, r in enumerate(file_rows())]
    path = write_csv(tmp_path / "third_model.csv", [*better[:-1], {**better[-1], "id": "stranger"}], ["id", "p"])
    ana = person("ana")
    ana.goto(f"{study}/intake")
    ana.get_by_role("button", name="Add a candidate").focus()
    ana.keyboard.press("Enter")
    asked = ana.get_by_role("dialog", name="One more candidate")
    asked.get_by_label("File of answers").set_input_files(path)
    expect(asked.get_by_label("Name of the candidate")).to_have_value("third model")
    expect(asked.get_by_label("Score column")).to_have_value("p")
    asked.get_by_role("button", name="Add it to the study").press("Enter")
    expect(asked.get_by_role("alert")).to_contain_text("id stranger")
    ana.keyboard.press("Escape")
    expect(asked).to_be_hidden()
    expect(ana.locator("[data-candidate]")).to_have_count(2)

    write_csv(path, better, ["id", "p"])
    ana.get_by_role("button", name="Add a candidate").press("Enter")
    asked.get_by_label("File of answers").set_input_files(path)
    expect(asked.get_by_label("Score column")).to_have_value("p")
    asked.get_by_role("button", name="Add it to the study").press("Enter")
    expect(ana.locator("[data-candidate='third model']")).to_contain_text("200 rows matched")
    ana.get_by_role("link", name="Roster").first.click()
    expect(ana.locator("[data-part='sentence']")).to_contain_text("third model")
