"""Files in: joined on id, every fault named with its row, nothing guessed."""

from __future__ import annotations

import gzip

import polars as pl
import pytest

from files import STUDY, load, problems, rows_of, write_csv, write_study


def test_answers_are_joined_on_id_whatever_their_order(tmp_path):
    rows = rows_of()
    study = load(write_study(tmp_path, rows))
    assert study.candidates[0].score.tolist() == [float(r["p"]) for r in rows]
    assert [study.classes[k] for k in study.candidates[1].predicted] == [r["said"] for r in rows]
    assert [study.classes[k] for k in study.actual] == [r["actual"] for r in rows]
    assert int(study.splits["test"].sum()) == sum(r["split"] == "test" for r in rows)


def priced(tmp_path, prices, said='price = "eur"'):
    rows = rows_of()
    study = write_study(tmp_path, rows, STUDY.replace("cutoff = 0.5", f"cutoff = 0.5\n{said}"))
    lines = [f"{r['id']},{r['p']},{x}" for r, x in zip(rows, prices, strict=True)]
    (tmp_path / "scores.csv").write_text("id,p,eur\n" + "\n".join(lines) + "\n")
    return study


def test_the_price_of_a_thousand_rows_is_the_mean_of_what_was_paid(tmp_path):
    prices = ["0.25"] * 100 + ["0.75"] * 99 + [""]
    found = load(priced(tmp_path / "a", prices)).candidates[0].price_per_1000
    assert found == pytest.approx(1000 * (0.25 * 100 + 0.75 * 99) / 199)
    assert load(priced(tmp_path / "b", [""] * 200)).candidates[0].price_per_1000 is None, "nothing paid is not free"
    lines = problems(priced(tmp_path / "c", ["0.5"] * 198 + ["-1", "much"]))
    assert [line.split(": ", 1)[1] for line in lines] == [
        "the price is not an amount: found “-1”; expected a number of 0 or more, or nothing",
        "the price is not an amount: found “much”; expected a number of 0 or more, or nothing",
    ]
    assert problems(priced(tmp_path / "d", ["1"] * 200, 'price = "eur"\nprice_per_1000 = 2.0')) == [
        "study.toml: candidate Scores: give price or price_per_1000, not both"
    ]
    assert problems(priced(tmp_path / "e", ["1"] * 200, 'reason = "why"')) == [
        "scores.csv, column why: there is no such column for the stated reason; expected one of id, p, eur"
    ]


def test_classes_stand_negative_first_or_as_said(tmp_path):
    assert load(write_study(tmp_path)).classes == ("no", "yes")
    assert load(write_study(tmp_path, toml=STUDY.replace('positive = "yes"', 'positive = "no"'))).classes == (
        "yes",
        "no",
    )
    said = STUDY.replace('positive = "yes"', 'positive = "yes"\nclasses = ["yes", "no"]')
    assert load(write_study(tmp_path, toml=said)).classes == ("yes", "no")


def test_all_faults_of_a_join_in_one_run(tmp_path):
    rows = rows_of()
    study = write_study(tmp_path, rows)
    answers = [dict(r) for r in rows]
    answers[4]["id"] = "r0003"  # doubled, and r0004 is missing
    answers[7]["p"] = "n/a"
    answers.append({"id": "stranger", "p": "0.5"})
    write_csv(tmp_path / "scores.csv", answers, ["id", "p"])
    lines = problems(study)
    assert "scores.csv, row 6, id r0003, column id: the id stands twice; expected each id once; first at row 5" in lines
    assert any("id stranger" in line and "not in the hold-out" in line for line in lines)
    assert any("id r0004" in line and "no answer for this hold-out row (row 6 there)" in line for line in lines)


def test_an_id_that_stands_twice_in_every_file_is_named_in_each(tmp_path):
    rows = rows_of()
    rows[4]["id"], rows[6]["id"] = "r0003", ""
    study = write_study(tmp_path, rows)
    write_csv(tmp_path / "scores.csv", rows, ["id", "p"])
    write_csv(tmp_path / "labels.csv", rows, ["id", "said"])
    lines = problems(study)
    for file in ("holdout.csv", "scores.csv", "labels.csv"):
        assert any(line.startswith(f"{file}, row 6, id r0003") and "stands twice" in line for line in lines), file
        assert any(line.startswith(f"{file}, row 8") and "a row without an id" in line for line in lines), file


def test_a_score_that_is_no_number(tmp_path):
    rows = rows_of()
    rows[7]["p"], rows[9]["p"], rows[11]["p"] = "n/a", "inf", ""
    lines = problems(write_study(tmp_path, rows))
    assert lines == [
        "scores.csv, row 190, id r0011, column p: has no answer for this row: found nothing; expected a finite number",
        "scores.csv, row 192, id r0009, column p: the score is not a number: found “inf”; expected a finite number",
        "scores.csv, row 194, id r0007, column p: the score is not a number: found “n/a”; expected a finite number",
    ]


def test_a_class_that_does_not_exist(tmp_path):
    rows = rows_of()
    rows[3]["said"] = "maybe"
    (line,) = problems(write_study(tmp_path, rows))
    assert (
        "id r0003, column said: the answer is not a class of the study: found “maybe”; expected one of no, yes" in line
    )


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (('positive = "yes"\n', ""), "holdout.positive is missing"),
        (('positive = "yes"', 'positive = "oui"'), "found “oui”; expected one of no, yes"),
        (('truth = "actual"', 'truth = "actuall"'), "did you mean “actual”? The file has id, actual, split"),
        (('report_on = "test"\n', ""), "holdout.report_on is missing"),
        (('report_on = "test"', 'report_on = "tset"'), "this split (holdout.csv, column split): found “tset”"),
        (('score = "p"', 'scroe = "p"'), "unknown key candidates.1.scroe; expected the nearest known key is score"),
        (('name = "Labels"', 'name = "Scores"'), "two candidates have one name"),
        (('predicted = "said"', 'predicted = "said"\ncutoff = 0.5'), "a cutoff needs a score"),
        (('path = "labels.csv"', 'path = "gone.csv"'), "gone.csv: does not exist"),
        (('path = "labels.csv"', 'path = "labels.docx"'), "labels.docx: does not exist"),
        (('score = "p"', ""), "give exactly one of score, predicted and probabilities"),
        (('title = "Small"', 'title = 3'), "study.toml: title does not fit: found “3”; expected text"),
        (('format = "skarlo.study/1"', 'format = "skarlo.study/9"'), "format does not fit: found “skarlo.study/9”"),
        (("[holdout]", "[holdout"), "is not TOML"),
        (("[holdout]", '[holdout]\nweight = "w"'), "there is no such column for the weight"),
        (("[holdout]", '[holdout]\nslices = [["moon"]]'), "there is no such column for the slices"),
        (("[[candidates]]", "[[gates]]\nmetric = 'recall'\n[[candidates]]"), "exactly one of at_least"),
        (("[[candidates]]", "[[gates]]\nmetric = 'luck'\nat_least = 0.5\n[[candidates]]"), "found “luck”"),
        (("[[candidates]]", "[[gates]]\nmetric = 'f1'\nagainst = 'runs now'\n[[candidates]]"), "no candidate runs now"),
        (("[[candidates]]", "[[metrics]]\nname='c'\nformula='FN +'\nbetter='lower'\n[[candidates]]"), "at character 5"),
        (("cutoff = 0.5", 'cutoff = { rule = "recall_at_least" }'), "recall_at_least takes value"),
        (("cutoff = 0.5", 'cutoff = { rule = "best_luck" }'), "no rule best_luck; there are best_f1, best_youden"),
        (("draws = 200", "confidence = 1.5"), "found “1.5”; expected less than 1"),
        (("[holdout]", "[holdout]\nexpected_base_rate = 1.2"), "holdout.expected_base_rate"),
    ],
)  # fmt: skip
def test_mistakes_in_the_study_file(tmp_path, change, said):
    toml = STUDY.replace(*change, 1)
    assert toml != STUDY
    assert any(said in line for line in problems(write_study(tmp_path, toml=toml)))


def test_measured_numbers_are_no_classes(tmp_path):
    rows = rows_of()
    for i, row in enumerate(rows):
        row["actual"] = str(i * 1.37)
    lines = problems(write_study(tmp_path, rows))
    assert any("holds measured numbers; Skarlo judges classifiers" in line for line in lines)


def test_at_most_twenty_lines_then_a_count(tmp_path):
    rows = rows_of()
    for row in rows:
        row["p"] = "x"
    lines = problems(write_study(tmp_path, rows))
    assert len(lines) == 21
    assert lines[-1] == "… and 180 more problems"


def test_text_stays_text(tmp_path):
    rows = [{"id": f"{i:03d}", "actual": a, "p": "0.5"} for i, a in enumerate(["007", "7"] * 10)]
    toml = STUDY.split("[[candidates]]", maxsplit=1)[0]
    toml = toml.replace('split = "split"\nreport_on = "test"\ntune_on = "tuning"\n', "").replace('"yes"', '"007"')
    toml += '[[candidates]]\nname = "S"\npath = "scores.csv"\nscore = "p"\n'
    write_study(tmp_path, toml=toml)
    write_csv(tmp_path / "holdout.csv", rows, ["id", "actual"])
    write_csv(tmp_path / "scores.csv", rows, ["id", "p"])
    study = load(tmp_path / "study.toml")
    assert study.classes == ("7", "007")
    assert list(study.splits) == ["all"]


def test_rows_without_a_split_are_left_out_and_said(tmp_path):
    rows = rows_of()
    rows[0]["split"] = rows[1]["split"] = ""
    study = load(write_study(tmp_path, rows))
    assert len(study.actual) == 198
    assert study.findings[0]["code"] == "rows_without_split"
    assert study.candidates[0].score[0] == float(rows[2]["p"])


def test_every_format_gives_the_same_study(tmp_path):
    plain = load(write_study(tmp_path))
    table = pl.read_csv(tmp_path / "scores.csv")
    table.write_parquet(tmp_path / "s.parquet")
    table.write_ipc(tmp_path / "s.arrow")
    table.write_ndjson(tmp_path / "s.jsonl")
    table.write_csv(tmp_path / "s.tsv", separator="\t")
    (tmp_path / "s.csv.gz").write_bytes(gzip.compress((tmp_path / "scores.csv").read_bytes()))
    for name in ("s.parquet", "s.arrow", "s.jsonl", "s.tsv", "s.csv.gz"):
        (tmp_path / "study.toml").write_text(STUDY.replace("scores.csv", name))
        assert load(tmp_path / "study.toml").candidates[0].score.tolist() == plain.candidates[0].score.tolist()


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (b"", "is empty"),
        (b"id,actual,split\n", "has a header and no rows"),
        (b"id,id,actual\n1,2,yes\n", "names a column twice"),
        (b"id,actual,split\n1,yes,test,extra\n", "holdout.csv: row 2 has 4 values, the header names 3 columns"),
        (b"id,actual,split\n\xff\xfe,yes,test\n", "is not UTF-8 text"),
    ],
)
def test_broken_files(tmp_path, body, said):
    study = write_study(tmp_path)
    (tmp_path / "holdout.csv").write_bytes(body)
    assert any(said in line for line in problems(study))


def test_numbers_and_booleans_as_labels(tmp_path):
    study = write_study(tmp_path)
    rows = rows_of()
    pl.DataFrame({
        "id": [r["id"] for r in rows], "actual": [float(r["actual"] == "yes") for r in rows],
        "split": [r["split"] for r in rows],
    }).write_parquet(tmp_path / "h.parquet")  # fmt: skip
    pl.DataFrame({"id": [r["id"] for r in rows], "said": [int(r["said"] == "yes") for r in rows]}).write_parquet(
        tmp_path / "l.parquet"
    )
    toml = STUDY.replace("holdout.csv", "h.parquet").replace("labels.csv", "l.parquet").replace('"yes"', '"1"')
    study.write_text(toml)
    assert load(study).classes == ("0", "1")
