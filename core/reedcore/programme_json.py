"""A programme as documented JSON, out and in; what cannot be read is named by its path."""

from __future__ import annotations

import types
from collections.abc import Mapping
from dataclasses import MISSING, Field, asdict, fields, is_dataclass
from enum import Enum, StrEnum
from typing import Any, Union, get_args, get_origin, get_type_hints

from .errors import OutOfRange
from .programme import Programme

FORMAT = "tall-reed-programme/1"


def programme_as_json(programme: Programme) -> dict[str, Any]:
    """The programme as plain values: levels in m3/m3, volumes in mL per plant, times in min or s, as the schema says."""
    return _plain(asdict(programme))


def _plain(value: Any) -> Any:
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, Mapping):
        return {k: _plain(v) for k, v in value.items()}
    return [_plain(v) for v in value] if isinstance(value, (list, tuple)) else value


def programme_from_json(data: Any) -> Programme:
    """The programme of plain values. Raises OutOfRange naming the path of what is missing, unknown or of the wrong kind."""
    return _read(Programme, data, "programme")


def _read(kind: Any, data: Any, path: str) -> Any:
    if get_origin(kind) in (Union, types.UnionType):
        inner = next(a for a in get_args(kind) if a is not type(None))
        return None if data is None else _read(inner, data, path)
    if get_origin(kind) is tuple:
        if not isinstance(data, (list, tuple)):
            raise OutOfRange(path, data, "a list")
        return tuple(_read(get_args(kind)[0], v, f"{path}.{i}") for i, v in enumerate(data))
    if is_dataclass(kind):
        return _record(kind, data, path)
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        if data not in [m.value for m in kind]:
            raise OutOfRange(path, data, "one of " + ", ".join(m.value for m in kind))
        return kind(data)
    return _scalar(kind, data, path)


def _scalar(kind: Any, data: Any, path: str) -> Any:
    if kind is bool:
        if not isinstance(data, bool):
            raise OutOfRange(path, data, "true or false")
        return data
    if isinstance(data, bool) or not isinstance(data, (int, float)) or (kind is int and data != int(data)):
        raise OutOfRange(path, data, "a whole number" if kind is int else "a number")
    return int(data) if kind is int else float(data)


def _record(kind: Any, data: Any, path: str) -> Any:
    if not isinstance(data, Mapping):
        raise OutOfRange(path, data, "an object")
    hints = get_type_hints(kind)
    known = {f.name for f in fields(kind)}
    for name in data:
        if name not in known:
            raise OutOfRange(f"{path}.{name}", data[name], "one of " + ", ".join(sorted(known)))
    values = {}
    for f in fields(kind):
        if f.name in data:
            values[f.name] = _read(hints[f.name], data[f.name], f"{path}.{f.name}")
        elif _required(f):
            raise OutOfRange(f"{path}.{f.name}", None, "a value")
    return kind(**values)


def _required(field: Field[Any]) -> bool:
    return field.default is MISSING and field.default_factory is MISSING


def programme_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a programme, made from its declaration."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": FORMAT, **_schema(Programme)}


def _schema(kind: Any) -> dict[str, Any]:
    if get_origin(kind) in (Union, types.UnionType):
        inner = next(a for a in get_args(kind) if a is not type(None))
        return {"oneOf": [_schema(inner), {"type": "null"}]}
    if get_origin(kind) is tuple:
        return {"type": "array", "items": _schema(get_args(kind)[0])}
    if is_dataclass(kind):
        hints = get_type_hints(kind)
        return {
            "type": "object",
            "description": " ".join((kind.__doc__ or "").split()),
            "properties": {f.name: _schema(hints[f.name]) for f in fields(kind)},
            "required": [f.name for f in fields(kind) if _required(f)],
            "additionalProperties": False,
        }
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return {"enum": [m.value for m in kind]}
    return {"type": {bool: "boolean", int: "integer", float: "number"}[kind]}


def differences(mine: Programme, shared: Programme) -> dict[str, tuple[Any, Any]]:
    """Every path where two programmes differ: (mine, shared)."""
    a, b = _flat(programme_as_json(mine)), _flat(programme_as_json(shared))
    return {k: (a.get(k), b.get(k)) for k in sorted(a.keys() | b.keys()) if a.get(k) != b.get(k)}


def _flat(value: Any, path: str = "") -> dict[str, Any]:
    if isinstance(value, Mapping):
        return {
            k: v for name, part in value.items() for k, v in _flat(part, f"{path}.{name}" if path else name).items()
        }
    if isinstance(value, list) and value and isinstance(value[0], Mapping):
        return {k: v for i, part in enumerate(value) for k, v in _flat(part, f"{path}.{i}").items()}
    return {path: value}


def with_paths(programme: Programme, values: Mapping[str, Any]) -> Programme:
    """The programme with values put at dotted paths. A path into a part that is switched off is left out."""
    data = programme_as_json(programme)
    for path, value in values.items():
        *parents, last = path.split(".")
        at: Any = data
        for name in parents:
            at = None if at is None else at[int(name)] if isinstance(at, list) else at.get(name)
        if at is not None:
            at[int(last) if isinstance(at, list) else last] = value
    return programme_from_json(data)
