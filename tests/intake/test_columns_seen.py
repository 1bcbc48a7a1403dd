"""What columns look like, piece by piece: alike however the file is cut, and as it is by definition."""

from __future__ import annotations

import gzip

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo import intake
from skarlo.intake.columns_seen import FEW, Distinct, describe
from skarlo.intake.read import Source, pieces_about, read_pieces, read_table

CELLS = st.one_of(st.none(), st.sampled_from(["a", "b", "1", "2.5", "-3", "", " yes", "inf"]), st.text(max_size=3))


@given(st.lists(CELLS, min_size=1, max_size=60), st.lists(st.integers(1, 60), max_size=4))
def test_a_table_in_pieces_is_described_as_the_whole(cells, cuts):
    table = pl.DataFrame({"x": cells}, schema={"x": pl.String})
    places = sorted({c for c in cuts if c < len(cells)})
    ends = [*places, len(cells)]
    pieces = [table[a:b] for a, b in zip([0, *places], ends, strict=True)]
    (whole,), (cut,) = describe([table]), describe(pieces)
    assert cut == whole
    known = [c for c in cells if c]
    assert (whole["rows"], whole["empty"], whole["distinct"]) == (len(cells), len(cells) - len(known), len(set(known)))
    assert whole["first"] == [c or "" for c in cells[:5]]
    if len(set(known)) <= FEW:
        assert dict(zip(whole["values"], whole["counts"], strict=True)) == {v: known.count(v) for v in set(known)}
    else:
        assert whole["values"] == []


def numbers_of(values):
    out = []
    for v in values:
        try:
            out.append(float(v))
        except ValueError:
            continue
    return [x for x in out if np.isfinite(x)]


@given(st.lists(st.sampled_from(["1", "2.5", "-3", "n/a", "inf", "7"]), min_size=1, max_size=60))
def test_least_and_most_are_those_of_the_finite_numbers(cells):
    (found,) = describe([pl.DataFrame({"x": cells})])
    finite = numbers_of(cells)
    assert (found["least"], found["most"]) == ((min(finite), max(finite)) if finite else (None, None))
    strays = {c for c in cells if not numbers_of([c])}
    assert found["numeric"] == (len(strays) <= 0.05 * len(set(cells)))


@pytest.mark.parametrize(("distinct", "times"), [(900, 1), (40_000, 1), (40_000, 3), (3000, 40)])
def test_distinct_values_with_bounded_memory(distinct, times):
    most = 4096
    counter, rng = Distinct(most), np.random.default_rng(distinct + times)
    values = rng.integers(0, 2**63, distinct, dtype=np.uint64)
    for _ in range(times):
        for piece in np.array_split(rng.permutation(values), 7):
            counter.add(piece)
            assert len(counter._kept) <= most
    found = counter.count()
    if distinct <= most or times == 1:
        assert found == distinct, "few, or each seen once: exactly"
    else:
        assert found == pytest.approx(distinct, rel=5 / np.sqrt(most / 2))


def test_pieces_are_the_table(tmp_path, monkeypatch):
    monkeypatch.setattr("skarlo.intake.read.PIECE", 100)
    table = pl.DataFrame({"id": [f"r{i}" for i in range(1000)], "x": [i / 8 for i in range(1000)]})
    text = table.write_csv()
    (tmp_path / "t.csv").write_text(text)
    (tmp_path / "t.csv.gz").write_bytes(gzip.compress(text.encode()))
    (tmp_path / "u.csv").write_text(text, encoding="utf-16")
    table.write_parquet(tmp_path / "t.parquet")
    table.write_ipc(tmp_path / "t.arrow")
    table.write_ndjson(tmp_path / "t.jsonl")
    for path in sorted(tmp_path.iterdir()):
        source = Source(path, path.name)
        pieces = list(read_pieces(source))
        assert pl.concat(pieces).equals(read_table(source)), path.name
        ids = pl.concat(list(read_pieces(source, ["id"])))
        assert (ids.columns, ids["id"].to_list()) == (["id"], table["id"].to_list()), path.name
        with pytest.raises(intake.InputError, match="there is no such column"):
            list(read_pieces(source, ["y"]))


def test_about_how_many_pieces_there_are(tmp_path, monkeypatch):
    monkeypatch.setattr("skarlo.intake.read.PIECE", 1000)
    lines = [f"row-{i:06d},{i / 8:.5f}" for i in range(25_500)]
    (tmp_path / "t.csv").write_text("\n".join(["id,x", *lines]) + "\n")
    source = Source(tmp_path / "t.csv", "t.csv")
    assert 24 <= pieces_about(source) <= 28
    said = []
    describe(read_pieces(source), lambda done, of, what: said.append((done, of, what)), pieces_about(source))
    assert said[0][2] == "0 rows read"
    assert all(done < of for done, of, _ in said)
    (tmp_path / "t.csv.gz").write_bytes(gzip.compress(b"id,x\na,1\n"))
    assert pieces_about(Source(tmp_path / "t.csv.gz", "t.csv.gz")) == 1


def test_a_file_of_a_header_alone_has_columns_and_no_rows(tmp_path):
    (tmp_path / "t.csv").write_text("id,p\n")
    (only,) = read_pieces(Source(tmp_path / "t.csv", "t.csv"))
    assert (only.columns, only.height) == (["id", "p"], 0)
    assert [(c["name"], c["rows"], c["numeric"]) for c in describe([only])] == [("id", 0, False), ("p", 0, False)]
