"""Pictures of rows over HTTP: brought in, read, saved with the study, in the hands of nobody else."""

from __future__ import annotations

import io
import zipfile

import pytest

from conftest import user_named
from files import STUDY, rows_of, write_study
from skarlo.studies import pictures, sweeping
from skarlo.studies.records import StudyRecord, now
from skarlo.web.demo import bring_in

PNG = b"\x89PNG\r\n\x1a\n" + bytes(40)
SHOWS = STUDY.replace('split = "split"', 'split = "split"\nshow = { picture = "photo" }')


@pytest.fixture
def study(workspace, tmp_path):
    """A study whose first two rows name a picture that lies beside it, and the others one that does not."""
    rows = [{**r, "photo": f"photos/{i}.png"} for i, r in enumerate(rows_of(60))]
    path = write_study(tmp_path / "files", rows, toml=SHOWS)
    (path.parent / "photos").mkdir()
    for i in range(2):
        (path.parent / "photos" / f"{i}.png").write_bytes(PNG + bytes([i]))
    return bring_in(workspace, path, user_named(workspace, "ana"))


def packed(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as box:
        for name, data in files.items():
            box.writestr(name, data)
    return out.getvalue()


def put(who, study, data):
    return who.http.put(f"/api/v1/studies/{study}/pictures", data=data, headers={"X-CSRFToken": who.token})


def test_a_picture_is_read_by_the_name_its_row_gives(signed_in, study):
    vic = signed_in("vic")
    kept = vic("GET", f"/studies/{study}").json["pictures"]
    assert kept["count"] == 2
    row = vic("GET", f"/studies/{study}/rows?count=1").json["rows"][0]
    found = vic("GET", f"/studies/{study}/picture?name={row['fields']['photo']}&of={kept['sha256']}")
    assert found.data == PNG + b"\0"
    assert found.mimetype == "image/png"
    assert found.headers["X-Content-Type-Options"] == "nosniff"
    assert "immutable" in found.headers["Cache-Control"]
    assert "no-cache" in vic("GET", f"/studies/{study}/picture?name=photos/0.png").headers["Cache-Control"]
    lost = vic("GET", f"/studies/{study}/picture?name=photos/7.png")
    assert lost.status_code == 404
    assert "no picture is named photos/7.png" in lost.json["detail"]


def test_others_are_brought_in_their_place(signed_in, study):
    ana, vic = signed_in("ana"), signed_in("vic")
    assert put(vic, study, packed({"7.png": PNG})).status_code == 403
    told = put(ana, study, packed({"7.png": PNG + b"seven", "notes.txt": b"x"}))
    assert told.status_code == 200, told.json
    assert told.json["pictures"]["count"] == 1
    assert ana("GET", f"/studies/{study}/picture?name=photos/7.png").data == PNG + b"seven"
    assert ana("GET", f"/studies/{study}/picture?name=photos/0.png").status_code == 404
    for data, said in ((b"no zip", "not a zip"), (packed({"a.png": b"<svg/>"}), "is no picture"),
                       (packed({"a.txt": b"x"}), "holds no picture")):  # fmt: skip
        refused = put(ana, study, data)
        assert refused.status_code == 422
        assert said in str(refused.json)
    assert ana("GET", f"/studies/{study}/picture?name=photos/7.png").data == PNG + b"seven", "nothing is lost"


def test_they_are_saved_with_the_study_and_come_in_again(signed_in, study):
    ana = signed_in("ana")
    out = ana("GET", f"/studies/{study}/export.zip").data
    names = zipfile.ZipFile(io.BytesIO(out)).namelist()
    assert sum(name.endswith(("photos/0.png", "photos/1.png")) for name in names) == 2
    again = ana.http.post("/api/v1/imports?name=x.zip", data=out, headers={"X-CSRFToken": ana.token})
    assert again.status_code == 201, again.json
    assert again.json["pictures"] == ana("GET", f"/studies/{study}").json["pictures"]
    assert ana("GET", f"/studies/{again.json['id']}/picture?name=photos/1.png").data == PNG + b"\1"


def test_where_no_column_names_pictures_none_are_kept(signed_in, study_id):
    ana = signed_in("ana")
    assert ana("GET", f"/studies/{study_id}").json["pictures"] is None
    refused = put(ana, study_id, packed({"a.png": PNG}))
    assert refused.status_code == 422
    assert "no column of this study names" in refused.json["detail"]


def test_they_stay_as_long_as_the_study(workspace, study):
    with workspace.reading() as records:
        sha256 = records.get(StudyRecord, study).pictures_sha256
    with workspace.writing() as records:
        sweeping.sweep(workspace, records, now() + 2 * sweeping.KEPT_FOR)
    assert len(pictures.Pictures(workspace.blob(sha256))) == 2
