"""The pictures of a study's rows: one plain zip, from which each is read by the name that its row gives."""

from __future__ import annotations

import lzma
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from pathlib import Path, PurePosixPath
from typing import IO

from skarlo.core import lazy
from skarlo.intake.problems import refuse

# What a picture begins with: its kind is read from its bytes, never from its name.
KINDS = {
    b"\x89PNG\r\n\x1a\n": "image/png",
    b"\xff\xd8\xff": "image/jpeg",
    b"GIF87a": "image/gif",
    b"GIF89a": "image/gif",
}
SUFFIXES = (".png", ".jpg", ".jpeg", ".gif", ".webp")
# What reading a damaged zip raises, each at its own place.
NOT_A_ZIP = (zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, struct.error, EOFError, NotImplementedError,
             RuntimeError, UnicodeDecodeError, OverflowError, IndexError, KeyError, lzma.LZMAError)  # fmt: skip
LARGEST = 8 << 20  # bytes of one picture
CHUNK = 1 << 20
THEN = (1980, 1, 1, 0, 0, 0)  # no time in the file: the same pictures give the same bytes


def kind_of(data: bytes) -> str | None:
    """The media type of a picture by its first bytes; None for what is none.

    Examples
    --------
    >>> kind_of(b"GIF89a...."), kind_of(b"<svg onload=alert(1)>")
    ('image/gif', None)
    """
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "image/webp"
    return next((kind for start, kind in KINDS.items() if data.startswith(start)), None)


def plain(name: str) -> str:
    """A picture's name as it is looked up: forward slashes, nothing before the folder.

    Examples
    --------
    >>> plain("./leaves\\\\7.png"), plain("../../etc/passwd")
    ('leaves/7.png', 'etc/passwd')
    """
    return "/".join(p for p in PurePosixPath(name.replace("\\", "/")).parts if p not in ("/", ".", ".."))


def is_named_so(name: str) -> bool:
    """Whether a file is named as pictures are."""
    return name.lower().endswith(SUFFIXES)


def pack(found: Iterable[tuple[str, bytes]], out: IO[bytes]) -> int:
    """Write pictures as a plain zip, in the order of their names; returns how many. What is no picture is refused.

    Raises
    ------
    InputError
        With the name of what is no picture, or is too large.
    """
    count = 0
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as box:
        for name, data in found:
            if len(data) > LARGEST:
                raise refuse(f"is larger than {LARGEST >> 20} MB", file=name)
            if kind_of(data) is None:
                raise refuse("is no picture", file=name, expected="PNG, JPEG, GIF or WebP")
            box.writestr(zipfile.ZipInfo(plain(name), THEN), data)
            count += 1
    return count


def packed(found: Iterable[tuple[str, bytes]]) -> Iterator[bytes]:
    """The same, as the bytes of the zip, piece by piece; nothing at all where there is no picture."""
    with tempfile.TemporaryFile() as made:
        if pack(found, made) == 0:
            return
        made.seek(0)
        while chunk := made.read(CHUNK):
            yield chunk


def of_zip(box: zipfile.ZipFile, most: int, home: str = "") -> Iterator[tuple[str, bytes]]:
    """The pictures in a zip, by their names below `home`, in order; other files are left where they are.

    Raises InputError where they unpack to more than `most` bytes."""
    start = f"{home}/" if home not in ("", ".") else ""
    inside = [i for i in box.infolist() if not i.is_dir() and i.filename.startswith(start) and is_named_so(i.filename)]
    room = most
    for info in sorted(inside, key=lambda i: i.filename):
        name = info.filename.removeprefix(start)
        if PurePosixPath(name).name.startswith("._"):  # what some systems put beside a file
            continue
        room -= info.file_size
        if info.file_size > LARGEST:
            raise refuse(f"is larger than {LARGEST >> 20} MB", file=name)
        if room < 0:
            raise refuse(f"leaves no room: pictures unpack to at most {most >> 20:,} MB", file=name)
        with box.open(info) as f:
            yield name, f.read(LARGEST + 1)


def from_zip(path: Path, most: int) -> Iterator[bytes]:
    """The pictures in a zip that someone brings, as the plain zip that is kept, piece by piece.

    Raises
    ------
    InputError
        As `pack` and `of_zip`, and for what is no zip.
    """
    try:
        with zipfile.ZipFile(path) as box:
            yield from packed(of_zip(box, most))
    except NOT_A_ZIP as e:
        raise refuse(f"is not a zip that can be read: {e}", file="the pictures") from e


def of_folder(folder: Path) -> Iterator[tuple[str, bytes]]:
    """The pictures in a folder and those below it, in order."""
    for path in sorted(p for p in folder.rglob("*") if is_named_so(p.name) and p.is_file()):
        yield path.relative_to(folder).as_posix(), path.read_bytes()


class Pictures:
    """The kept pictures of a study.

    Parameters
    ----------
    path : the zip
    """

    def __init__(self, path: Path) -> None:
        self.path = path

    @lazy
    def _names(self) -> dict[str, str]:
        """The name in the zip by the name that is asked for: whole, or its last part where only one has it."""
        with zipfile.ZipFile(self.path) as box:
            whole = {name: name for name in box.namelist()}
        last: dict[str, str] = {}
        for name in whole:
            short = PurePosixPath(name).name
            last[short] = "" if short in last else name
        return {short: name for short, name in last.items() if name} | whole

    def __len__(self) -> int:
        return len(set(self._names.values()))

    def has(self, name: str) -> bool:
        """Whether there is a picture of this name."""
        return self._found(name) is not None

    def _found(self, name: str) -> str | None:
        asked = plain(name)
        return self._names.get(asked) or self._names.get(PurePosixPath(asked).name)

    def read(self, name: str) -> tuple[bytes, str] | None:
        """A picture's bytes and their media type; None where there is none of this name."""
        found = self._found(name)
        if found is None:
            return None
        with zipfile.ZipFile(self.path) as box:
            data = box.read(found)
        return data, kind_of(data) or "application/octet-stream"
