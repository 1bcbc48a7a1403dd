"""Writing files so that a crash leaves the old one or the new one, never half of either."""

from __future__ import annotations

import json
import os
import tempfile
from pathlib import Path
from threading import Lock
from typing import Any


def as_json(value: Any) -> bytes:
    """Strict JSON as kept and published: keys as they stand, shortest floats, UTF-8, a newline at the end."""
    return (json.dumps(value, ensure_ascii=False, allow_nan=False) + "\n").encode()


def write_file(path: Path, data: bytes) -> None:
    """Write beside the place, sync, rename."""
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".writing-")
    try:
        os.fchmod(handle, 0o666 & ~_umask())  # as any file one writes, not as a temporary one
        with os.fdopen(handle, "wb") as f:
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        Path(temporary).replace(path)
        sync_folder(path.parent)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


_SETTING = Lock()


def _umask() -> int:
    """The permissions this process withholds. There is no way to read them but to set them, and two who did so at once
    would leave what one of them had set."""
    with _SETTING:
        kept = os.umask(0o077)
        os.umask(kept)
    return kept


def sync_folder(folder: Path) -> None:
    """Make a rename in a folder last through a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
