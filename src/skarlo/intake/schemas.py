"""The JSON Schemas (2020-12) of the study file and the results file, made from the types that read and write them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import TypeAdapter

from skarlo.core import Results

from .spec import StudySpec

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def _results() -> dict[str, Any]:
    return {"$schema": DIALECT, "title": "skarlo.results/1"} | TypeAdapter(Results).json_schema()


def _study() -> dict[str, Any]:
    return {"$schema": DIALECT} | StudySpec.model_json_schema(by_alias=True) | {"title": "skarlo.study/1"}


SCHEMAS: dict[str, Callable[[], dict[str, Any]]] = {"results": _results, "study": _study}
