"""Settings with declared ranges: one declaration gives the check, the JSON and the JSON Schema."""

import dataclasses
import types
import typing
from collections.abc import Mapping
from enum import StrEnum
from typing import Any, TypeVar

from enamel.core.errors import FieldRefusal, require, shortened

V = TypeVar("V")
MISSING = dataclasses.MISSING


def number(default: float, low: float, high: float, doc: str, unit: str = "") -> Any:
    """Return a field for a real number from low to high."""
    return dataclasses.field(
        default=default, metadata={"low": low, "high": high, "doc": doc, "unit": unit}
    )


def integer(default: int, low: int, high: int, doc: str, unit: str = "") -> Any:
    """Return a field for a whole number from low to high."""
    return number(default, low, high, doc, unit)


def setting(default: Any, doc: str) -> Any:
    """Return a field for any other type, with its help text."""
    return dataclasses.field(default=default, metadata={"doc": doc})


def check_fields(value: Any) -> None:
    """Refuse the first field outside its declared range or type. For ``__post_init__``."""
    for spec in dataclasses.fields(value):
        given = getattr(value, spec.name)
        if "low" not in spec.metadata or given is None:
            continue
        low, high, unit = (spec.metadata[key] for key in ("low", "high", "unit"))
        whole = whole_number(spec)
        kinds = int if whole else (int, float)
        expected = (
            f"{'a whole number' if whole else 'a number'} from {low} to {high} {unit}".rstrip()
        )
        fits = isinstance(given, kinds) and not isinstance(given, bool) and low <= given <= high
        require(fits, spec.name, given, expected)


def whole_number(spec: "dataclasses.Field[Any]") -> bool:
    """Return whether a field made by `integer` or `number` holds whole numbers."""
    return spec.type is int or spec.type == (int | None)


def to_json(value: Any) -> Any:
    """Return a settings value as JSON, with default values too, so that a later change of defaults
    changes nothing.

    Where a field may hold one of several classes, ``kind`` names the class by its ``KIND``.
    """
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        form = {spec.name: to_json(getattr(value, spec.name)) for spec in dataclasses.fields(value)}
        return {"kind": value.KIND, **form} if hasattr(value, "KIND") else form
    if isinstance(value, StrEnum):
        return str(value)
    if isinstance(value, tuple):
        return [to_json(item) for item in value]
    return value


def from_json(kind: type[V], given: Any) -> V:
    """Read a settings value from JSON. A class's ``RENAMED`` lists earlier names that are still read.

    Raises
    ------
    FieldRefusal
        Naming the field by its path, when it is unknown, of the wrong kind or out of range.
    """
    if not isinstance(given, Mapping):
        raise FieldRefusal("", f"must be an object, not {shortened(given)}.")
    hints = typing.get_type_hints(kind)
    specs = {spec.name: spec for spec in dataclasses.fields(kind)}  # type: ignore[arg-type]
    renamed: Mapping[str, str] = getattr(kind, "RENAMED", {})
    given = {renamed.get(name, name): value for name, value in given.items()}
    for name in given:
        if name not in specs:
            raise FieldRefusal(str(name)[:80], f"is not a setting. Known: {', '.join(specs)}.")
    values = {name: _read(hints[name], name, given[name]) for name in specs if name in given}
    return kind(**values)


def _read(hint: Any, name: str, given: Any) -> Any:
    if typing.get_origin(hint) in (typing.Union, types.UnionType):
        options = [option for option in typing.get_args(hint) if option is not type(None)]
        if given is None and len(options) < len(typing.get_args(hint)):
            return None
        hint = options[0]
        if len(options) > 1:
            return _read_one_of(options, name, given)
    if isinstance(hint, type) and issubclass(hint, StrEnum):
        known = [str(member) for member in hint]
        require(given in known, name, given, f"one of {', '.join(known)}")
        return hint(given)
    try:
        if dataclasses.is_dataclass(hint):
            return from_json(hint, given)  # type: ignore[arg-type]
        if typing.get_origin(hint) is tuple:
            require(isinstance(given, list | tuple), name, given, "a list")
            item = typing.get_args(hint)[0]
            return tuple(_read(item, f"[{number}]", entry) for number, entry in enumerate(given))
    except FieldRefusal as refusal:
        raise refusal.under(name) if refusal.field != name else refusal from None
    if hint is float and isinstance(given, int) and not isinstance(given, bool):
        return float(given)
    require(
        not isinstance(given, str) or "\0" not in given, name, given, "text without NUL characters"
    )
    require(isinstance(given, hint) and not (hint is int and isinstance(given, bool)), name, given,
            {"str": "text", "int": "a whole number", "float": "a number", "bool": "true or false"}
            [hint.__name__])  # fmt: skip
    return given


def _read_one_of(options: list[Any], name: str, given: Any) -> Any:
    """Return a value of the class among several that its ``kind`` names."""
    kinds = {option.KIND: option for option in options}
    kind = given.get("kind") if isinstance(given, Mapping) else None
    known = isinstance(kind, str) and kind in kinds
    require(known, f"{name}.kind", kind, f"one of {', '.join(kinds)}")
    form = {key: value for key, value in given.items() if key != "kind"}
    return _read(kinds[kind], name, form)


def json_schema(kind: type) -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of a settings class, from the same declarations as the checks."""
    hints = typing.get_type_hints(kind)
    required = []
    properties = {}
    for spec in dataclasses.fields(kind):
        schema = _schema_of(hints[spec.name])
        target = schema["anyOf"][0] if "anyOf" in schema else schema
        if "low" in spec.metadata:
            target |= {"minimum": spec.metadata["low"], "maximum": spec.metadata["high"]}
        if "doc" in spec.metadata:
            schema["description"] = spec.metadata["doc"]
        if spec.default is not MISSING:
            schema["default"] = to_json(spec.default)
        elif spec.default_factory is MISSING:
            required.append(spec.name)
        properties[spec.name] = schema
    if hasattr(kind, "KIND"):
        properties = {"kind": {"const": kind.KIND}, **properties}
        required.append("kind")
    whole: dict[str, Any] = {
        "type": "object",
        "properties": properties,
        "additionalProperties": False,
    }
    return whole | ({"required": required} if required else {})


def _schema_of(hint: Any) -> dict[str, Any]:
    if typing.get_origin(hint) in (typing.Union, types.UnionType):
        return {"anyOf": [_schema_of(option) for option in typing.get_args(hint)]}
    if hint is type(None):
        return {"type": "null"}
    if isinstance(hint, type) and issubclass(hint, StrEnum):
        return {"enum": [str(member) for member in hint]}
    if dataclasses.is_dataclass(hint):
        return json_schema(hint)  # type: ignore[arg-type]
    if typing.get_origin(hint) is tuple:
        items = typing.get_args(hint)
        fixed = {} if Ellipsis in items else {"minItems": len(items), "maxItems": len(items)}
        return {"type": "array", "items": _schema_of(items[0]), **fixed}
    names = {str: "string", int: "integer", float: "number", bool: "boolean"}
    return {"type": names[hint]}
