"""The OpenAPI document, completed by what the framework cannot know: bodies that are files, errors, and who may ask."""

from __future__ import annotations

import re
from typing import Any

from .security import PUBLIC

Document = dict[str, Any]
FILE = {"schema": {"type": "string", "format": "binary"}}
# Operations whose body is a file, and those that answer with one.
TAKES = {
    "upload": "a table: CSV, TSV, JSON Lines, Parquet or Arrow",
    "importStudy": "a study that was saved, a zip",
    "keepPictures": "a zip of pictures",
    "readMadeWith": "how a candidate was made, TOML or JSON",
}
GIVES = {
    "readContent": ("application/json", "the frozen bytes, whose SHA-256 is the revision's fingerprint"),
    "report": ("text/html", "the report, one page that needs nothing else"),
    "preview": ("text/html", "the draft as its reader will see it"),
    "exportStudy": ("application/zip", "the study as plain files with study.toml"),
    "readPicture": ("image/*", "the picture: PNG, JPEG, GIF or WebP"),
    "saveJoin": ("text/csv", "the ids, one a line"),
}
CHANGES = ("post", "put", "patch", "delete")


def operation_id(*, name: str, path: str, method: str) -> str:
    """The name of the route's function, as generated clients like it: read_study -> readStudy."""
    words = re.split(r"[._]", name.removeprefix("api."))
    return words[0] + "".join(w.title() for w in words[1:])


def complete(document: Document) -> Document:
    """The whole document."""
    document["components"]["securitySchemes"] = {
        "session": {"type": "apiKey", "in": "cookie", "name": "skarlo", "description": "from POST /api/v1/session"},
        "token": {"type": "apiKey", "in": "header", "name": "X-CSRFToken",
                  "description": "`csrf` of the session; every change carries it"},
    }  # fmt: skip
    document["security"] = [{"session": []}]
    document["servers"] = [{"url": "/"}]
    open_to_all = {operation_id(name=name, path="", method="") for name in PUBLIC}
    for operations in document["paths"].values():
        for method, operation in operations.items():
            _operation(method, operation, open_to_all)
    return document


def _operation(method: str, operation: Document, open_to_all: set[str]) -> None:
    name = operation["operationId"]
    if name in open_to_all:
        operation["security"] = [{"token": [], "session": []}] if method in CHANGES else []
    elif method in CHANGES:
        operation["security"] = [{"session": [], "token": []}]
    for status, response in operation["responses"].items():
        content = response.get("content", {})
        if status.isdigit() and int(status) >= 400 and "application/json" in content:
            response["content"] = {"application/problem+json": content["application/json"]}
    if name in TAKES:
        operation["requestBody"] = {
            "required": True, "description": TAKES[name], "content": {"application/octet-stream": FILE},
        }  # fmt: skip
    if name in GIVES:
        kind, what = GIVES[name]
        operation["responses"] = {"200": {"description": what, "content": {kind: FILE}}} | operation["responses"]
