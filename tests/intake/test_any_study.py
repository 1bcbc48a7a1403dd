"""Whatever a study asks, its results are whole: strict JSON that fits the schema, each absence with its reason."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path

import jsonschema
import pytest

import anystudy
from skarlo import core, intake
from skarlo.intake.junit import gates_as_junit
from skarlo.intake.schemas import SCHEMAS
from skarlo.intake.write import as_json

SCHEMA = jsonschema.Draft202012Validator(SCHEMAS["results"]())
pytestmark = pytest.mark.filterwarnings("error")


@pytest.mark.parametrize("seed", range(48))
def test_any_study(tmp_path, seed):
    path = anystudy.write(tmp_path, seed)
    try:
        study = intake.load(intake.read_spec(path), lambda name: intake.Source(tmp_path / name, name))
    except intake.InputError as e:
        assert all(line.strip() for line in e.lines())
        return
    results = core.evaluate(study)
    written = json.loads(as_json(results))
    SCHEMA.validate(written)
    assert ET.fromstring(gates_as_junit(results)).get("tests") == str(len(results["gates"]))
    for candidate in written["candidates"]:
        for split, part in candidate["splits"].items():
            for name, m in part["metrics"].items():
                whole(name, m)
            for path, m in numbers_of(part):
                told = core.unfold_path(written, f"{candidate['name']}/{split}/{path}")
                assert told["metric"] == m
                assert told["sentence"].endswith("."), path
                assert "{" not in told["sentence"]
                assert bool(told["interval"]) == (m["value"] is not None), path
    for pair in written["pairs"]:
        for name, d in pair["metrics"].items():
            told = core.unfold_path(written, f"{pair['a']} - {pair['b']}/{name}")
            assert told["metric"]["value"] == d["difference"]
            assert told["interval"] or d["difference"] is None
    for i, gate in enumerate(written["gates"], 1):
        assert gate["candidate"] in core.unfold_path(written, f"gates/{i}")["sentence"]
    assert as_json(core.evaluate(study)) == as_json(results)


def numbers_of(part):
    """Every number of a split, with its path."""
    yield from part["metrics"].items()
    for label, entry in part["per_class"].items():
        yield from ((f"{label}/{name}", m) for name, m in entry.items() if isinstance(m, dict) and "value" in m)
    for kind, metrics in part.get("averages", {}).items():
        yield from ((f"{kind}/{name}", m) for name, m in metrics.items())
    for s in part.get("slices", []):
        by = ", ".join(f"{field}={value}" for field, value in s["by"].items())
        yield from ((f"{by}/{name}", m) for name, m in s["metrics"].items())
    restated = part.get("at_expected_base_rate", [])
    for one in restated if isinstance(restated, list) else [restated]:
        yield from ((f"expected base rate {one['base_rate']:g}/{name}", m) for name, m in one["metrics"].items())


def whole(name, m):
    """A metric is a value with an interval, a value and why it has none, or an absence and why."""
    if m["value"] is None:
        assert m["why"], name
    elif m["low"] is None:
        assert m["why_interval"], name
    elif not m["interval"].startswith(("dirichlet", "multinomial")):
        assert m["low"] - 1e-12 <= m["value"] <= m["high"] + 1e-12, name


def test_the_schemas_are_those_in_docs():
    folder = Path(__file__).parents[2] / "docs" / "schemas"
    for name, make in SCHEMAS.items():
        kept = json.loads((folder / f"{name}.schema.json").read_text())
        assert kept == make(), f"docs/schemas is not current: skarlo schema {name}"
        jsonschema.Draft202012Validator.check_schema(kept)
