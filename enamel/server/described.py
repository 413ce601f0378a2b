"""The API's description, prepared for the page of the API reference."""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

from enamel.server.api import STATUS, api

DEEP = 2
"""How many levels of a schema are listed; deeper ones are only in the description's file."""


@dataclass(frozen=True, slots=True)
class SchemaField:
    """One field of a schema: its place, type and meaning."""

    path: str
    kind: str
    says: str
    needed: bool


@dataclass(frozen=True, slots=True)
class Operation:
    """One operation of the API."""

    anchor: str
    method: str
    path: str
    summary: str
    says: str
    scope: str
    parameters: list[SchemaField]
    body: list[SchemaField]
    answers: list[tuple[str, str, list[SchemaField]]]


@cache
def described() -> dict[str, Any]:
    """Return all operations by subject, and the refusals that all of them share."""
    schema = api.get_openapi_schema(path_prefix="/api/v2/")
    schemas = schema["components"]["schemas"]
    topics: dict[str, list[Operation]] = {}
    for path, methods in schema["paths"].items():
        for method, given in methods.items():
            question = _question(path, method, given, schemas)
            topics.setdefault(given["tags"][0], []).append(question)
    return {"topics": topics, "refusals": STATUS}


def _question(path: str, method: str, given: Any, schemas: Any) -> Operation:
    parameters = [
        SchemaField(one["name"], _kind(one["schema"]), one.get("description", ""), one["required"])
        for one in given.get("parameters", [])
    ]
    contents = given.get("requestBody", {}).get("content", {})
    body = [part for content in contents.values() for part in _parts(content["schema"], schemas)]
    answers = []
    for code, answer in given["responses"].items():
        if int(code) in STATUS:
            continue
        kinds = answer.get("content", {})
        form = kinds.get("application/json", {}).get("schema")
        parts = list(_parts(form, schemas)) if form else []
        answers.append((str(code), ", ".join(kinds), parts))
    (scope,) = given["security"][0]
    return Operation(
        given["operationId"], method.upper(), path, given["summary"],
        given.get("description", ""), scope.lower(), parameters, body, answers,
    )  # fmt: skip


def _parts(form: Any, schemas: Any, path: str = "", depth: int = 0) -> Iterator[SchemaField]:
    """Yield the fields of a schema, some levels deep."""
    form = _followed(form, schemas)
    if form.get("type") == "array":
        yield from _parts(form["items"], schemas, f"{path}[]", depth)
        return
    for name, one in form.get("properties", {}).items():
        found = _followed(one, schemas)
        place = f"{path}.{name}".removeprefix(".")
        needed = name in form.get("required", [])
        yield SchemaField(place, _kind(found), found.get("description", ""), needed)
        inner = _followed(found.get("items", {}), schemas) if "items" in found else found
        if depth + 1 < DEEP and "properties" in inner:
            yield from _parts(
                inner, schemas, f"{place}[]" if "items" in found else place, depth + 1
            )


def _followed(form: Any, schemas: Any) -> Any:
    """Return a schema, or the one that it refers to."""
    if "anyOf" in form and any("$ref" in one for one in form["anyOf"]):
        form = next(one for one in form["anyOf"] if "$ref" in one) | {
            name: value for name, value in form.items() if name != "anyOf"
        }
    if "$ref" in form:
        return schemas[form["$ref"].rsplit("/", 1)[-1]] | {
            name: value for name, value in form.items() if name != "$ref"
        }
    return form


def _kind(form: Any) -> str:
    """Return a value's type in a word or two."""
    if "enum" in form:
        return " or ".join(json.dumps(value) for value in form["enum"])
    if "const" in form:
        return json.dumps(form["const"])
    for several in ("anyOf", "oneOf"):
        if several in form:
            return " or ".join(dict.fromkeys(_kind(one) for one in form[several]))
    if "$ref" in form:
        return "object"
    kind = form.get("type", "object")
    if isinstance(kind, list):
        return " or ".join(kind)
    return str(form.get("format", kind) if kind == "string" else kind)
