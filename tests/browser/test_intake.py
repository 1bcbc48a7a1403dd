"""Ways in, as a person takes them: pasted columns, a join that fails and is mended, the fields."""

from __future__ import annotations

import random

from playwright.sync_api import expect


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
    page.get_by_role("button", name="Take what is pasted").click()
    expect(page.get_by_label(f"{label}: pasted columns")).to_have_count(0)


def test_pasted_columns_a_broken_join_the_fields_and_out_and_in_again(person, server, tmp_path):
    rows = rows_of()
    ana = person("ana")
    ana.get_by_role("link", name="New study from files").click()
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
    expect(join).to_contain_text("1 no row of the hold-out")
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

    # A warning wants a word.
    expect(ana.get_by_text("one warning wants a word")).to_be_visible()
    warning = ana.locator("[data-finding='no_answer']")
    warning.get_by_role("button", name="say why this is right").click()
    ana.get_by_label("Why this is right").fill("The first ten were never sent.")
    warning.get_by_role("button", name="Keep the word").click()
    expect(warning).to_contain_text("ana: The first ten were never sent.")
    expect(ana.get_by_text("wants a word")).to_have_count(0)

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

    # Saved as files, and brought in again.
    with ana.expect_download() as saving:
        ana.get_by_role("link", name="Save as files").click()
    ana.get_by_role("link", name="Skarlo, all studies").click()
    saved = tmp_path / "saved.zip"
    saving.value.save_as(saved)
    ana.get_by_label("Bring in a saved study").set_input_files(saved)
    expect(ana.get_by_role("heading", name="Intake")).to_be_visible()
    expect(ana.get_by_text("110 rows matched, 10 without an answer (t000, t001, t002, …)")).to_be_visible()
    ana.get_by_role("link", name="Skarlo, all studies").click()
    expect(ana.get_by_role("listitem")).to_have_count(2)
    saved.write_bytes(b"no zip")
    ana.get_by_label("Bring in a saved study").set_input_files(saved)
    expect(ana.get_by_role("alert")).to_contain_text("is no zip that can be read")
