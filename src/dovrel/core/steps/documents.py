"""Corrections as open documents: what the database keeps and what a correction file holds.

``{"schema": 1, "steps": [{"id", "on", "values": {"kind", …}}, …]}``, one level. The dataclasses
themselves are the schema. An older document is brought up by the table of upgraders.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import cache, lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from dovrel.core.steps.correction import Correction
from dovrel.core.steps.kinds import KINDS
from dovrel.core.steps.track import WHOLE
from dovrel.errors import Refused

SCHEMA = 1
UPGRADERS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""From each older schema to the next."""

_KNOWN = tuple(str(kind.__dataclass_fields__["kind"].default) for kind in KINDS)


@cache
def _adapter() -> TypeAdapter[Correction]:
    return TypeAdapter(Correction)


def written(correction: Correction, *, whole: bool = False) -> dict[str, Any]:
    """A correction as a document; `whole` with the places of its tracks, which are otherwise named by their digests."""
    context = WHOLE if whole else None
    return {"schema": SCHEMA, **_adapter().dump_python(correction, mode="json", context=context)}


def read(document: object) -> Correction:
    """A document's correction.

    Raises
    ------
    Refused
        If it is no correction, of a newer schema, or holds what no correction can hold; the
        message says which step and what.
    """
    if not isinstance(document, dict) or "schema" not in document or "steps" not in document:
        raise Refused("this is not a correction file: it has no “schema” and “steps”")
    schema = document["schema"]
    if not isinstance(schema, int) or isinstance(schema, bool) or schema < 1:
        raise Refused(f"“schema” must be a whole number from 1 on, not {_short(schema)}")
    if schema > SCHEMA:
        raise Refused(f"it was written by a newer Dovrel (schema {schema}; this one reads up to {SCHEMA})")
    for older in range(schema, SCHEMA):
        document = UPGRADERS[older](document)
    for place, step in enumerate(document["steps"] if isinstance(document["steps"], list) else (), 1):
        kind = (
            step.get("values", {}).get("kind")
            if isinstance(step, dict) and isinstance(step.get("values"), dict)
            else ""
        )
        if kind not in ("", None, *_KNOWN):
            raise Refused(f"step {place} is of the kind {_short(kind)}, which this Dovrel does not know")
    try:
        text = json.dumps({key: value for key, value in document.items() if key != "schema"})
        return _parsed(text)
    except ValidationError as error:
        raise Refused(_said(error)) from None


@lru_cache(4096)
def _parsed(text: str) -> Correction:
    """Kept, since a day's shots share their levels, and are asked for again and again."""
    return _adapter().validate_json(text, strict=True)


def json_schema() -> dict[str, Any]:
    """The JSON Schema of a document."""
    schema = TypeAdapter(Correction).json_schema()
    schema["properties"] = {"schema": {"const": SCHEMA, "title": "Schema"}, **schema["properties"]}
    schema["required"] = ["schema", "steps"]
    for part in (schema, *schema["$defs"].values()):
        part["description"] = part["description"].split("\n\n")[0]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}


_WORDS = {"missing": "is missing", "unexpected_keyword_argument": "is not known here"}


def _said(error: ValidationError) -> str:
    first = error.errors()[0]
    said = _WORDS.get(first["type"], first["msg"].removeprefix("Value error, "))
    where = [part + 1 if isinstance(part, int) else part for part in first["loc"] if part not in _KNOWN]
    if where[:1] == ["steps"] and len(where) > 1:
        where = [f"step {where[1]}", *(part for part in where[2:] if part != "values" or part == where[-1])]
    place = ", ".join(map(str, where))
    return f"{place}{' ' if first['type'] in _WORDS else ': '}{said}" if place else said


def _short(value: object) -> str:
    return repr(value)[:40]
