"""A study leaves as plain files and comes in again to the same results; a bad zip leaves nothing."""

from __future__ import annotations

import io
import zipfile

import pytest
from sqlmodel import select

from conftest import user_named
from files import STUDY, rows_of, write_csv, write_study
from skarlo import core, intake
from skarlo.intake import InputError
from skarlo.intake.write import as_json
from skarlo.studies import catalog, marks, moving
from skarlo.studies.evaluating import Evaluator
from skarlo.studies.records import StudyRecord, Upload
from skarlo.web.demo import bring_in

ASKS = """
seed = 4
min_slice = 5
[[metrics]]
name = "cost"
formula = "(5*FN + FP) / rows"
better = "lower"
[[metrics]]
name = "top"
measure = "precision_at_top"
share = 0.1
[[gates]]
metric = "recall"
at_least = 0.5
every = ["soil"]
[[gates]]
metric = "cost"
against = "Labels"
margin = 0.1
on = "Scores"
[cutoff_study]
step = 0.25
catches = 2
[[bands]]
on = "Scores"
low = 0.2
high = 0.6
[[bands]]
least_cost = { false_positive = 3, false_negative = 40, review = 1 }
"""


@pytest.fixture
def study_file(tmp_path):
    """A study with all that can be kept: slices, settings, own metrics, gates, a rule, no answers, odd names."""
    toml = STUDY.replace(
        "cutoff = 0.5", 'cutoff = { rule = "best_f1" }\nmade_with = { depth = 3, note = "a \\"quote\\"" }'
    )
    toml = toml.replace('predicted = "said"', 'predicted = "said"\nno_answer = "wrong"\nruns_now = true')
    toml = toml.replace('tune_on = "tuning"', 'tune_on = "tuning"\nslices = [["soil"]]\nnames = { yes = "Ja <b>" }')
    path = write_study(tmp_path / "mine", toml=toml + ASKS)
    rows = [row | {"soil": "clay" if i % 2 else "sand"} for i, row in enumerate(rows_of())]
    write_csv(path.parent / "holdout.csv", rows, ["id", "actual", "split", "soil"])
    write_csv(path.parent / "labels.csv", rows[5:], ["id", "said"])
    return path


def exported(workspace, study):
    out = io.BytesIO()
    with workspace.reading() as records:
        of_rows = marks.marked(records, study), marks.noted(records, study)
        moving.export(workspace, catalog.study_of(records, study), catalog.candidates_of(records, study), out, *of_rows)
    return out.getvalue()


def results(workspace, study):
    evaluator = Evaluator(workspace)
    with workspace.reading() as records:
        asked = evaluator.asked(records, study)
    return evaluator.measured(asked)


def imported(workspace, data, tmp_path, most=1 << 30):
    packed = tmp_path / "in.zip"
    packed.write_bytes(data)
    bringing = moving.Bringing(user_named(workspace, "ana"), workspace)
    try:
        new = moving.plan(bringing, moving.unpack(bringing, packed, "in.zip", most))
        with workspace.writing() as records:
            return moving.keep(records, bringing, new).id
    finally:
        bringing.drop()


def test_out_and_in_again_to_the_same_bytes(workspace, study_file, tmp_path):
    study = bring_in(workspace, study_file, user_named(workspace, "ana"))
    kept = as_json(results(workspace, study))
    data = exported(workspace, study)
    assert exported(workspace, study) == data, "the same study gives the same file"
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        box.extractall(tmp_path / "out")
    (path,) = (tmp_path / "out").rglob("study.toml")
    spec = intake.read_spec(path)
    loaded = intake.load(spec, lambda name: intake.Source(path.parent / name, name))
    assert as_json(core.evaluate(loaded)) == kept, "what skarlo evaluate reads"
    again = imported(workspace, data, tmp_path)
    assert again != study
    assert as_json(results(workspace, again)) == kept
    assert exported(workspace, again) == data


def test_marks_and_notes_go_along_and_come_in_again(workspace, study_file, tmp_path):
    ana = user_named(workspace, "ana")
    study = bring_in(workspace, study_file, ana)
    with workspace.writing() as records:
        marks.put_all(records, ana, study, [3, 1, 20], "odd")
        marks.put_all(records, ana, study, [7], "bad label")
        marks.say(records, ana, study, 4, 'read twice: "clay",\nnot sand')
    data = exported(workspace, study)
    again = imported(workspace, data, tmp_path)
    with workspace.reading() as records:
        assert marks.marked(records, again) == {"bad label": frozenset({7}), "odd": frozenset({1, 3, 20})}
        assert marks.noted(records, again) == {4: 'read twice: "clay",\nnot sand'}
        assert not {"marks", "notes"} & set(catalog.study_of(records, again).mapping)
    assert exported(workspace, again) == data


def test_the_rule_of_a_cutoff_becomes_the_cutoff_it_chose(workspace, study_file):
    direct = intake.load(intake.read_spec(study_file), lambda name: intake.Source(study_file.parent / name, name))
    chosen = core.evaluate(direct)["candidates"][0]["cutoff"]
    study = bring_in(workspace, study_file, user_named(workspace, "ana"))
    kept = results(workspace, study)["candidates"][0]["cutoff"]
    assert kept == {"value": chosen["value"], "rule": "best_f1", "chosen_on": "tuning"}


def test_two_files_of_one_name_stay_two(workspace, tmp_path):
    path = write_study(tmp_path / "mine")
    user = user_named(workspace, "ana")
    bringing = moving.Bringing(user, workspace)
    for name in ("holdout.csv", "scores.csv", "labels.csv"):
        bringing.take(name, "../same name.csv", [(path.parent / name).read_bytes()])
    new = moving.plan(bringing, intake.read_spec(path))
    with workspace.writing() as records:
        study = moving.keep(records, bringing, new).id
    with zipfile.ZipFile(io.BytesIO(exported(workspace, study))) as box:
        names = box.namelist()
    assert names == ["small/study.toml", "small/same-name.csv", "small/1-same-name.csv", "small/2-same-name.csv"]


def packed(**files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as box:
        for name, text in files.items():
            box.writestr(name.replace("__", "/").replace("_", "."), text)
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"not a zip", "is not a zip that can be read"),
        (packed(readme_txt="hello"), "holds no study.toml"),
        (packed(study_toml=STUDY), "holdout.csv: is named by the study file and is not in the zip"),
        (packed(study_toml="title = ["), "is not TOML"),
        (packed(study_toml="\x00" * 2_000_000), "is too large for a study file"),
        (packed(study_toml=STUDY.replace('"holdout.csv"', '"../holdout.csv"'), holdout_csv="id\n"), "not in the zip"),
        (packed(study_toml=STUDY, holdout_csv="x" * 3_000_000), "unpacks to more than 1 MB"),
        (packed(study_toml=STUDY, holdout_csv="id,actual,split\n1,yes,test\n", scores_csv="", labels_csv=""),
         "all rows have one actual class"),
    ],
)  # fmt: skip
def test_a_bad_zip_says_why_and_leaves_no_record(workspace, tmp_path, data, said):
    with pytest.raises(InputError, match=said):
        imported(workspace, data, tmp_path, 1 << 20)
    with workspace.writing() as records:
        assert records.exec(select(StudyRecord)).all() == []
        assert records.exec(select(Upload)).all() == []
