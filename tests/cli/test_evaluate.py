"""The command line: exit statuses, streams, same bytes."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import xml.etree.ElementTree as ET

import pytest

from command import skarlo
from files import STUDY, rows_of, write_study


def test_same_bytes_twice(tmp_path):
    """Once in a process of its own, as people start it."""
    study = write_study(tmp_path)
    first = subprocess.run([sys.executable, "-m", "skarlo.cli", "evaluate", study], capture_output=True, text=True)
    assert first.returncode == 0, first.stderr
    assert skarlo("evaluate", study, "--out", tmp_path / "r.json").returncode == 0
    assert (tmp_path / "r.json").read_text() == first.stdout
    results = json.loads(first.stdout)
    assert results["format"] == "skarlo.results/1"
    assert first.stdout.endswith("}\n")
    assert str(tmp_path) not in first.stdout


def test_bad_input_is_two_and_nothing_is_written(tmp_path):
    rows = rows_of()
    rows[0]["p"] = "high"
    done = skarlo("evaluate", write_study(tmp_path, rows), "--out", tmp_path / "r.json")
    assert done.returncode == 2
    assert done.stdout == ""
    assert "id r0000, column p: the score is not a number: found “high”" in done.stderr
    assert not (tmp_path / "r.json").exists()
    assert not list(tmp_path.glob(".writing-*"))


@pytest.mark.parametrize(
    "args", [["evaluate", "nowhere.toml"], ["evaluate"], ["evaluate", "x.toml", "--curves", "wavy"], ["dance"]]
)
def test_wrong_usage_is_two(tmp_path, args):
    done = skarlo(*args, cwd=tmp_path)
    assert done.returncode == 2
    assert done.stderr
    assert "Traceback" not in done.stderr


def test_seed_and_curves(tmp_path):
    study = write_study(tmp_path)
    none = json.loads(skarlo("evaluate", study, "--curves", "none", "--seed", "9").stdout)
    assert none["settings"]["seed"] == 9
    assert "roc" not in none["candidates"][0]["splits"]["test"]
    toml = STUDY + "seed = 9\n"
    said = json.loads(skarlo("evaluate", write_study(tmp_path, toml=toml), "--curves", "none").stdout)
    assert said == none


def test_users_are_added_once(tmp_path):
    add = ["user", "add", "robin", "--role", "viewer", "--password", "long enough 1", "--workspace", tmp_path / "w"]
    assert skarlo(*add).returncode == 0
    again = skarlo(*add)
    assert again.returncode == 2
    assert "there is a user robin already" in again.stderr
    short = skarlo("user", "add", "kim", "--password", "short", "--workspace", tmp_path / "w")
    assert "at least 10 characters" in short.stderr


GATES = """
[[gates]]
metric = "recall"
at_least = 0.05
[[gates]]
metric = "recall"
at_least = 0.99
level = "{level}"
[[gates]]
metric = "roc_auc"
at_least = 0.5
on = "Labels"
level = "should"
"""


@pytest.mark.parametrize(("level", "status"), [("must", 1), ("should", 0)])
def test_gates_set_the_exit_status_and_the_junit_file(tmp_path, level, status):
    path = write_study(tmp_path, toml=STUDY + GATES.format(level=level))
    done = skarlo("evaluate", path, "--out", tmp_path / "r.json", "--junit", tmp_path / "g.xml")
    assert done.returncode == status, done.stderr
    gates = json.loads((tmp_path / "r.json").read_text())["gates"]
    assert [g["status"] for g in gates] == ["pass", "pass", "fail", "fail", "unclear"]
    assert gates[0]["text"] == "recall at least 0.05"
    suite = ET.parse(tmp_path / "g.xml").getroot()
    kinds = [case[0].tag if len(case) else "pass" for case in suite]
    missed = "failure" if level == "must" else "skipped"
    assert kinds == ["pass", "pass", missed, missed, "skipped"]
    assert suite.get("failures") == ("2" if level == "must" else "0")
    assert "classes only" in suite[4][0].get("message")


def test_unfold_unfolds_a_number_of_a_results_file(tmp_path):
    skarlo("evaluate", write_study(tmp_path), "--out", tmp_path / "r.json")
    done = skarlo("unfold", tmp_path / "r.json", "Scores/test/recall")
    assert done.returncode == 0
    assert "rows that were “yes”, it found" in done.stdout
    assert "Wilson" in done.stdout
    for path, said in (("Scores/moon/recall", "no split moon"), ("recall", "names no number")):
        wrong = skarlo("unfold", tmp_path / "r.json", path)
        assert wrong.returncode == 2
        assert said in wrong.stderr
    other = tmp_path / "other.json"
    other.write_text("{}")
    assert "is not a results file" in skarlo("unfold", other, "a/b/c").stderr


def test_a_folder_that_is_not_there_writes_nothing(tmp_path):
    done = skarlo("evaluate", write_study(tmp_path), "--out", tmp_path / "no" / "r.json", "--junit", tmp_path / "g.xml")
    assert done.returncode == 2
    assert "the folder does not exist" in done.stderr
    assert not (tmp_path / "g.xml").exists()


def test_the_sample_is_written_and_evaluates(tmp_path):
    assert skarlo("sample", tmp_path).returncode == 0
    done = skarlo("evaluate", tmp_path / "limb-failure" / "study.toml", "--curves", "none")
    assert done.returncode == 0
    assert [c["name"] for c in json.loads(done.stdout)["candidates"]][:2] == ["Gradient boosting", "Neural net"]


def test_cancelled_is_130(tmp_path):
    """Interrupted while it reads a study file that never ends."""
    path = tmp_path / "study.toml"
    os.mkfifo(path)
    command = [sys.executable, "-m", "skarlo.cli", "evaluate", str(path), "--out", str(tmp_path / "r.json")]
    process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    with path.open("w"):  # opens once the command reads
        process.send_signal(signal.SIGINT)
        _, said = process.communicate(timeout=300)
    assert process.returncode == 130
    assert "Traceback" not in said
    assert not (tmp_path / "r.json").exists()


def test_one_part_is_printed_also_one_that_does_not_stand_in_the_file(tmp_path):
    rows = [{**r, "ward": ("North", "South")[i % 2]} for i, r in enumerate(rows_of())]
    study = write_study(tmp_path, rows)
    slices = json.loads(skarlo("part", study, "slices", "--fields", "ward").stdout)
    assert [s["by"]["ward"] for s in slices["Scores"]["slices"]] == ["North", "South"]
    doubt = json.loads(skarlo("part", study, "doubt", "--at-most", "2").stdout)
    assert doubt["at_most"] <= 2
    two = json.loads(skarlo("part", study, "disagreement", "--pair", "A,B").stdout)
    assert two["Scores"]["disagreement"]["against"] == "Labels"
    whole = json.loads(skarlo("evaluate", study).stdout)
    assert json.loads(skarlo("part", study, "pairs").stdout) == whole["pairs"]
    for args, said in (
        (("drawing",), "there is no part drawing"), (("lines", "--split", "night"), "there is no split night"),
        (("slices", "--fields", "girth"), "there is no field girth"),
    ):  # fmt: skip
        done = skarlo("part", study, *args)
        assert (done.returncode, done.stdout) == (2, "")
        assert said in done.stderr


def loaded(imports: str) -> set[str]:
    """The modules that are there after an import, in a process of its own."""
    code = f"import sys; {imports}; print(*sys.modules)"
    return set(subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split())


def test_what_is_slow_to_import_waits_until_it_is_called():
    after_help = loaded("import skarlo.cli.main")
    assert not {"numpy", "polars", "scipy", "flask", "pydantic"} & after_help
    to_read = loaded("from skarlo import core, intake")
    assert {"scipy", "polars"} <= to_read
    assert not {"scipy.special", "scipy.optimize", "scipy.stats", "matplotlib", "flask"} & to_read
