"""What reading fast must not change: text stays text, joins are exact, numbers in order by definition."""

from __future__ import annotations

import math

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from files import rows_of, write_study
from skarlo import intake
from skarlo.core.stats import association
from skarlo.intake import joining
from skarlo.intake.read import Source, as_text, read_pieces, read_table

IDS = st.lists(st.text(alphabet="ab0é ", max_size=4), unique=True, max_size=30)


def table(tmp_path, text, named=("id",)):
    path = tmp_path / "t.csv"
    path.write_text(text, encoding="utf-8")
    return read_table(Source(path, "t.csv"), named)


@given(IDS, IDS)
def test_places_by_definition(rows, answers):
    found = joining.places(pl.Series(rows, dtype=pl.String), pl.Series(answers, dtype=pl.String))
    assert found.tolist() == [answers.index(x) if x in answers else -1 for x in rows]


@given(IDS, IDS)
def test_ids_of_one_hash_are_told_apart(rows, answers):
    """With hashes of a few values only, or of one, the ids themselves decide."""
    real = pl.Series.hash
    for values in (3, 1):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(pl.Series, "hash", lambda s, seed=0, values=values: real(s, seed) % values)
            a, b = (pl.Series(x, dtype=pl.String) for x in (rows, answers))
            assert joining.places(a, b).tolist() == [answers.index(x) if x in answers else -1 for x in rows]
            assert not joining.repeats(a)
            assert joining.repeats(pl.concat([a, a])) == bool(rows)


def test_numbers_come_as_numbers_and_what_is_named_as_text(tmp_path):
    found = table(tmp_path, "id,code,x,y\n007,01,1.50,2\n008,02,,3\n", named=("id", "code"))
    assert found.schema == {"id": pl.String, "code": pl.String, "x": pl.Float64, "y": pl.Float64}
    assert found.rows() == [("007", "01", 1.5, 2.0), ("008", "02", None, 3.0)]
    assert table(tmp_path, "id,x\n007,1.50\n", named=None).rows() == [("007", "1.50")]


@pytest.mark.parametrize("cell", ["n/a", "inf", "NaN", "1,5", "0x10"])
def test_a_column_with_one_cell_that_is_no_finite_number_stays_text(tmp_path, cell):
    lines = [f"{i},{i}.25" for i in range(1000)]
    lines[900] = f'900,"{cell}"'
    found = table(tmp_path, "\n".join(["id,x", *lines]) + "\n")
    assert found["x"].dtype == pl.String
    assert found["x"][900] == cell
    assert found["x"][7] == "7.25"


def test_a_blank_cell_is_an_empty_one(tmp_path):
    lines = [f"{i},{i}.25" for i in range(1000)]
    lines[900], lines[901] = "900, ", "901, 7.5"
    assert table(tmp_path, "\n".join(["id,x", *lines]) + "\n")["x"][899:902].to_list() == [899.25, None, 7.5]


def test_a_header_means_its_names_quotes_and_all(tmp_path):
    names = ['id"', "a, b", 'say "x"', "plain", "two\nlines"]
    header = ",".join('"' + name.replace('"', '""') + '"' for name in names)
    (tmp_path / "t.csv").write_text(f"{header}\na,1,2,3,4\nb,5,6,7,8\n")
    source = Source(tmp_path / "t.csv", "t.csv")
    assert read_table(source).columns == names
    typed = read_table(source, ['id"', 'say "x"'])
    assert typed.schema == dict(zip(names, [pl.String, pl.Float64, pl.String, pl.Float64, pl.Float64], strict=True))
    assert [piece.columns for piece in read_pieces(source)] == [names]
    assert next(read_pieces(source, ['say "x"'])).to_series().to_list() == ["2", "6"]


def test_an_empty_column_is_no_number(tmp_path):
    assert table(tmp_path, "id,x\na,\nb,\n")["x"].dtype == pl.String


@given(st.lists(st.one_of(st.none(), st.floats(allow_nan=False), st.integers(-(2**53), 2**53).map(float))))
def test_numbers_as_labels(values):
    expected = ["" if v is None else str(int(v)) if math.isfinite(v) and v.is_integer() else repr(v) for v in values]
    assert as_text(pl.Series("x", values, dtype=pl.Float64)).to_list() == expected


NUMBERS = st.lists(st.tuples(st.sampled_from([None, -1.0, 0.0, 0.25, 2.0, 7.5]), st.integers(0, 2)), max_size=40)


@given(NUMBERS)
def test_numbers_in_order_by_definition(pairs):
    x = np.array([np.nan if v is None else v for v, _ in pairs], dtype=float)
    y = np.array([k for _, k in pairs], dtype=np.int64)
    found = association.ordered(x, y, 3)
    known = [(v, k) for v, k in pairs if v is not None]
    assert found.distinct() == len({v for v, _ in known})
    assert found.gaps.tolist() == [sum(v is None and k == c for v, k in pairs) for c in range(3)]
    edges = np.array([0.0, 2.0])
    bins = [lambda v: v < 0, lambda v: 0 <= v < 2, lambda v: v >= 2]
    assert found.between(edges).tolist() == [[sum(b(v) and k == c for v, k in known) for c in range(3)] for b in bins]
    for c in range(3):
        inside, others = [v for v, k in known if k == c], [v for v, k in known if k != c]
        if not inside or not others:
            assert found.area(c) is None
            continue
        wins = sum((a > b) + 0.5 * (a == b) for a in inside for b in others) / (len(inside) * len(others))
        assert found.area(c) == pytest.approx(max(wins, 1 - wins), abs=1e-12)


def test_reading_tells_its_steps_and_can_be_stopped(tmp_path):
    study = write_study(tmp_path)
    spec, said = intake.read_spec(study), []

    def files(path):
        return intake.Source(study.parent / path, path)

    whole = intake.read_study(spec, files, lambda *step: said.append(step))
    assert [what for _, _, what in said] == [
        "reading the hold-out", "joining the answers of Scores", "joining the answers of Labels",
    ]  # fmt: skip
    assert all(done < of for done, of, _ in said)
    assert [j["matched"] for j in whole.account["joins"]] == [200, 200]

    def stop(done, of, what):
        if done == 1:
            raise InterruptedError

    with pytest.raises(InterruptedError):
        intake.read_study(spec, files, stop)


def test_rows_without_an_answer_are_named_in_the_look(tmp_path):
    rows = rows_of()
    study = write_study(tmp_path, rows)
    kept = [r for i, r in enumerate(rows) if i not in (3, 8)]
    (tmp_path / "scores.csv").write_text("id,p\n" + "".join(f"{r['id']},{r['p']}\n" for r in kept))
    study.write_text(study.read_text().replace("cutoff = 0.5", 'cutoff = 0.5\nno_answer = "wrong"'))
    found = intake.read_study(intake.read_spec(study), lambda path: intake.Source(tmp_path / path, path))
    first = found.account["joins"][0]
    assert (first["matched"], first["missing"], first["first_missing"]) == (198, 2, ["r0003", "r0008"])
    assert np.flatnonzero(np.isnan(found.study.candidates[0].score)).tolist() == [3, 8]


def test_faults_of_the_join_and_of_the_cells_come_together(tmp_path):
    rows = rows_of()
    study = write_study(tmp_path, rows)
    (tmp_path / "scores.csv").write_text("id,p\nr0001,n/a\nstranger,0.5\n")
    (tmp_path / "labels.csv").write_text("id,said\nr0001,perhaps\n")
    with pytest.raises(intake.InputError) as caught:
        intake.load(intake.read_spec(study), lambda path: intake.Source(tmp_path / path, path))
    lines, every = caught.value.lines(), [str(p) for p in caught.value.problems]
    assert len(lines) == 21, "as many as may be shown, and how many more there are"
    assert lines[-1] == f"… and {len(every) - 20} more problems"
    for expected in (
        "scores.csv, row 2, id r0001, column p: the score is not a number: found “n/a”; expected a finite number",
        "labels.csv, row 2, id r0001, column said: the answer is not a class of the study: found “perhaps”; "
        "expected one of no, yes",
    ):
        assert expected in lines, "four hundred of one kind do not hide it"
    assert sum("has no answer for this hold-out row" in line for line in every) == 199 * 2
    assert sum("not in the hold-out" in line for line in every) == 1
    assert [line for line in every if line in lines] == lines[:-1], "in their order"
