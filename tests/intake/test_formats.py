"""Files are told by their content; whatever comes in is a table or a clear refusal."""

from __future__ import annotations

import gzip
import io
import random
import tempfile

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from asking import guessed
from skarlo.intake import InputError, Source, read_table
from skarlo.intake import read as reading
from skarlo.intake.columns_seen import describe
from skarlo.intake.read import as_number, format_of, read_pieces

TABLE = pl.DataFrame({"id": ["007", "é, ü", 'a "quoted" b'], "p": ["0.25", "1e-3", "1"]})


def text(separator=","):
    return TABLE.write_csv(separator=separator)


def bytes_of(kind):
    if kind in ("parquet", "arrow"):
        out = io.BytesIO()
        (TABLE.write_parquet if kind == "parquet" else TABLE.write_ipc)(out)
        return out.getvalue()
    if kind == "jsonl":
        return TABLE.write_ndjson().encode()
    return {
        "comma": text().encode(), "tab": text("\t").encode(), "semicolon": text(";").encode(),
        "bar": text("|").encode(), "bom": b"\xef\xbb\xbf" + text().encode(), "utf16": text(";").encode("utf-16"),
        "crlf": text().replace("\n", "\r\n").encode(), "gz": gzip.compress(text().encode()),
        "jsonl.gz": gzip.compress(TABLE.write_ndjson().encode()),
    }[kind]  # fmt: skip


KINDS = ["comma", "tab", "semicolon", "bar", "bom", "utf16", "crlf", "gz", "jsonl", "jsonl.gz", "parquet", "arrow"]


def read(folder, data, name="table.csv"):
    path = folder / "as-it-came"
    path.write_bytes(data)
    return read_table(Source(path, name))


@pytest.mark.parametrize("name", ["table.csv", "table", "table.parquet"])
@pytest.mark.parametrize("kind", KINDS)
def test_content_tells_the_format_whatever_the_name(tmp_path, kind, name):
    assert read(tmp_path, bytes_of(kind), name).equals(TABLE)


def test_one_column_needs_a_name_that_says_text(tmp_path):
    assert read(tmp_path, b"said\nyes\nno\n").to_dict(as_series=False) == {"said": ["yes", "no"]}
    with pytest.raises(InputError, match="no known format"):
        read(tmp_path, b"said\nyes\nno\n", "table.parquet")


def test_a_ragged_file_keeps_the_separator_its_header_shows(tmp_path):
    (tmp_path / "as-it-came").write_bytes(b"id;p\n1;0,5\n2;0,5;9\n")
    assert format_of(Source(tmp_path / "as-it-came", "x.csv")).separator == ";"
    with pytest.raises(InputError, match="row 3 has 3 values, the header names 2 columns"):
        read(tmp_path, b"id;p\n1;0,5\n2;0,5;9\n")


@pytest.mark.parametrize(
    ("cells", "numbers"),
    [
        (["0,25", "1", "0,5"], [0.25, 1, 0.5]),
        (["-0,25", "1,5e-3"], [-0.25, 0.0015]),
        (["0,25", "0.5"], None),  # both signs: a mistake, not a habit
        (["1,250", "2,500"], None),  # thousands or decimals? not for us to say
        (["1,2,3"], None),
        ([" 0.5 ", "7"], [0.5, 7]),
    ],
)
def test_decimal_commas_are_read_where_they_can_mean_nothing_else(cells, numbers):
    values, bad = as_number(pl.Series(cells))
    if numbers is None:
        assert bad
    else:
        assert (values.tolist(), bad) == (numbers, [])


def test_broken_files_are_refused_in_one_line(tmp_path):
    rng = random.Random(4)
    for kind in KINDS:
        whole = bytes_of(kind)
        for cut in sorted({0, 1, 2, 7, len(whole) // 2, len(whole) - 1}):
            outcome(tmp_path, whole[:cut])
        for _ in range(12):
            broken = bytearray(whole)
            for _ in range(rng.randrange(1, 6)):
                broken[rng.randrange(len(broken))] = rng.randrange(256)
            outcome(tmp_path, bytes(broken))


def outcome(folder, data):
    """A table, or a refusal whose every line names the file; alike whole, with numbers, and piece by piece."""
    (folder / "table.csv").write_bytes(data)
    source = Source(folder / "table.csv", "table.csv")
    seen = []
    for look in (
        lambda: described(read_table(source)),
        lambda: described(read_table(source, ())),
        lambda: [(c["name"], c["rows"]) for c in describe(read_pieces(source))],
    ):
        try:
            seen.append(look())
        except InputError as e:
            assert e.lines()
            assert all(line.startswith("table.csv") and "\n" not in line for line in e.lines())
            seen.append(None)
    assert seen[0] == seen[1] == seen[2]


def described(table):
    return [(name, table.height) for name in table.columns]


HEADS = st.sampled_from([b"PAR1", b"ARROW1\0\0", b"\x1f\x8b", b"{", b"\xff\xfe", b"id,p\n"])


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=300) | st.text(max_size=200).map(str.encode) | st.tuples(HEADS, st.binary()).map(b"".join))
def test_any_bytes(tmp_path, data):
    outcome(tmp_path, data)


@pytest.mark.parametrize(
    "data",
    [
        ("id," + "x" * 2_000_000 + "\n1,2\n").encode(),
        ("id,p\n1," + "y" * 2_000_000 + "\n").encode(),
        (",".join(f"c{i}" for i in range(3000)) + "\n" + ",".join("1" for _ in range(3000)) + "\n").encode(),
        b"id,p\n1,0.5\n2,yes\n3,\n",
        b'id,p\n=HYPERLINK("x"),0.5\n@cmd,1\n',
        "id,p\n\u202eabc\u200b,0.5\n".encode(),
        b"../../etc/passwd,<script>\n1,2\n",
        b'id,p\n"never closed,0.5\n',
        b'{"id": 1, "p": {"deep": [1, 2]}}\n{"id": "two"}\n',
        b'{"id": 1}\nnot json\n',
        b"\n\n\n",
        b"id,id\n1,2\n",
        b"{" * 5000,
        b"id,p\n" + b"\xff\xfe\xfa,1\n",
    ],
)
def test_strange_files(tmp_path, data):
    outcome(tmp_path, data)


@pytest.mark.parametrize("mark", [".", ","])
def test_the_guess_in_a_file_of_few_rows(tmp_path, mark):
    """Each score is there once, and so is each id: a fraction is no key, and a key is not a class."""
    scores = "".join(f"r{i};0{mark}{i}7\n" for i in range(9))
    table = read(tmp_path, f"id;p\n{scores}".encode())
    found = guessed(describe([table]), table.height)
    assert (found["id"], found["score"], found["predicted"]) == ("id", "p", None)
    labels = read(tmp_path, b"id;said\n" + b"".join(b"r%d;%s\n" % (i, b"no" if i % 2 else b"yes") for i in range(9)))
    found = guessed(describe([labels]), labels.height)
    assert (found["id"], found["score"], found["predicted"]) == ("id", None, "said")


def test_what_unpacks_without_end_is_refused_and_leaves_nothing(tmp_path, monkeypatch):
    path = tmp_path / "x.csv.gz"
    path.write_bytes(gzip.compress(b"id,p\n" + b"r,0.5\n" * 400_000))
    monkeypatch.setattr(reading, "MOST_UNPACKED", 1 << 20)
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "here"))
    (tmp_path / "here").mkdir()
    with pytest.raises(InputError, match="unpacks to more than"):
        read_table(Source(path, "x.csv.gz"))
    assert list((tmp_path / "here").iterdir()) == []


def test_a_character_that_stands_across_two_pieces(tmp_path, monkeypatch):
    monkeypatch.setattr(reading, "CHUNK", 7)
    text = "id,name\n" + "".join(f"{i},žluťoučký kůň {i}\n" for i in range(50))
    for encoding in ("utf-8", "utf-16"):
        path = tmp_path / f"{encoding}.csv.gz"
        path.write_bytes(gzip.compress(text.encode(encoding)))
        table = read_table(Source(path, path.name))
        assert table["name"].to_list() == [f"žluťoučký kůň {i}" for i in range(50)]
