"""Pictures of rows: what is taken in, under which names it is found, what is refused."""

from __future__ import annotations

import io
import zipfile

import pytest

from skarlo.intake import InputError
from skarlo.studies import pictures
from skarlo.studies.pictures import Pictures

PNG = b"\x89PNG\r\n\x1a\n" + bytes(40)
KINDS = {"a.png": (PNG, "image/png"), "b.jpg": (b"\xff\xd8\xff\xe0" + bytes(9), "image/jpeg"),
         "c.gif": (b"GIF89a" + bytes(9), "image/gif"), "d.webp": (b"RIFF\0\0\0\0WEBPVP8 ", "image/webp")}  # fmt: skip


def zipped(path, files):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as box:
        for name, data in files.items():
            box.writestr(name, data)
    return path


def taken(tmp_path, files, most=1 << 20):
    kept = tmp_path / "kept.zip"
    kept.write_bytes(b"".join(pictures.from_zip(zipped(tmp_path / "in.zip", files), most)))
    return Pictures(kept)


def test_each_is_found_by_its_name_with_the_kind_of_its_bytes(tmp_path):
    found = taken(tmp_path, {f"leaves/{name}": data for name, (data, _) in KINDS.items()} | {"readme.txt": b"hello"})
    assert len(found) == 4
    for name, (data, kind) in KINDS.items():
        for asked in (f"leaves/{name}", f"./leaves/{name}", f"leaves\\{name}", name, f"elsewhere/{name}"):
            assert found.read(asked) == (data, kind)
    assert found.read("readme.txt") is None
    assert found.read("e.png") is None


def test_a_last_part_that_two_have_names_neither(tmp_path):
    found = taken(tmp_path, {"one/a.png": PNG, "two/a.png": PNG + b"2"})
    assert found.read("two/a.png")[0].endswith(b"2")
    assert not found.has("a.png")
    assert len(found) == 2


def test_the_same_pictures_are_the_same_bytes(tmp_path):
    files = {name: data for name, (data, _) in KINDS.items()}
    one = b"".join(pictures.packed(sorted(files.items())))
    taken(tmp_path, dict(reversed(files.items())))
    assert (tmp_path / "kept.zip").read_bytes() == one
    assert b"".join(pictures.packed([])) == b""


@pytest.mark.parametrize(("files", "said"), [
    ({"a.png": b"<svg onload='alert(1)'/>"}, "a.png: is no picture"),
    ({"a.png": PNG + bytes(pictures.LARGEST)}, "larger than 8 MB"),
    ({f"{i}.png": PNG + bytes(500_000) for i in range(3)}, "leaves no room"),
])  # fmt: skip
def test_what_is_no_picture_or_too_large_is_refused(tmp_path, files, said):
    with pytest.raises(InputError) as e:
        taken(tmp_path, files)
    assert said in str(e.value)


def test_what_is_no_zip_is_refused(tmp_path):
    broken = tmp_path / "broken.zip"
    for data in (b"", b"PK\x03\x04 and no more", zipped(tmp_path / "x.zip", {"a.png": PNG}).read_bytes()[:-30]):
        broken.write_bytes(data)
        with pytest.raises(InputError, match="not a zip"):
            b"".join(pictures.from_zip(broken, 1 << 20))


def test_no_name_leads_out(tmp_path):
    out = io.BytesIO()
    pictures.pack([("../../up/a.png", PNG), ("/root/b.png", PNG)], out)
    assert zipfile.ZipFile(out).namelist() == ["up/a.png", "root/b.png"]


def test_those_of_a_folder_are_named_by_where_they_lie(tmp_path):
    (tmp_path / "in" / "deep").mkdir(parents=True)
    (tmp_path / "in" / "deep" / "x.PNG").write_bytes(PNG)
    (tmp_path / "in" / "table.csv").write_text("a,b\n")
    assert list(pictures.of_folder(tmp_path / "in")) == [("deep/x.PNG", PNG)]
