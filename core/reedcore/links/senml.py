"""SenML JSON packs (RFC 8428) to plain measurements, each refusal named by its record."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from typing import Any

from ..errors import OutOfRange

RELATIVE_UNDER = 2**28
"""Times under this are seconds from now. Source: RFC 8428, 4.5.3."""
KNOWN = frozenset({"bn", "bt", "bu", "bv", "bs", "bver", "n", "u", "v", "vs", "vb", "vd", "s", "t", "ut"})
VERSION = 10


@dataclass(frozen=True)
class Measurement:
    """One resolved record: name, unit, value, unix time [s]."""

    name: str
    unit: str
    value: float
    time_s: float


@dataclass(frozen=True)
class Refusal:
    """What could not be read: index of the record or number of the line, field, value, expectation."""

    index: int
    field: str
    value: str
    expected: str


@dataclass
class _Base:
    name: str = ""
    time: float = 0.0
    unit: str = ""
    value: float = 0.0
    total: float = 0.0


def parse_senml(text: str, now_s: float) -> tuple[list[Measurement], list[Refusal]]:
    """Measurements of a pack.

    Parameters
    ----------
    text : JSON, an array of records.
    now_s : unix time of reception [s], for relative times.

    Returns
    -------
    Measurements in order, and a refusal for each record that is not a number's measurement. Never raises for a record.

    Raises
    ------
    OutOfRange : the text is not JSON or not an array, naming the byte.

    References
    ----------
    RFC 8428, 4.1 to 4.6.
    """
    try:
        pack = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise OutOfRange("pack", f"byte {error.pos}", f"JSON: {error.msg}") from None
    except (RecursionError, ValueError) as error:
        raise OutOfRange("pack", text[:40], f"JSON: {error}") from None
    if not isinstance(pack, list):
        raise OutOfRange("pack", type(pack).__name__, "an array of SenML records")
    base, good, refused = _Base(), [], []
    for index, record in enumerate(pack):
        try:
            made = _record(record, base, now_s)
        except OutOfRange as error:
            refused.append(Refusal(index, error.field, str(error.value)[:80], error.expectation))
            continue
        if made is not None:
            good.append(made)
    return good, refused


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a JSON number")


def _number(record: dict[str, Any], key: str, default: float) -> float:
    value = record.get(key, default)
    if isinstance(value, bool) or not isinstance(value, int | float) or abs(value) > 1e300 or not math.isfinite(value):
        raise OutOfRange(key, value, "a finite number")
    return float(value)


def _text(record: dict[str, Any], key: str, default: str) -> str:
    value = record.get(key, default)
    if not isinstance(value, str):
        raise OutOfRange(key, value, "a text")
    return value


def _record(record: Any, base: _Base, now_s: float) -> Measurement | None:
    if not isinstance(record, dict):
        raise OutOfRange("record", type(record).__name__, "an object")
    _take_base(record, base)
    must = [k for k in record if k.endswith("_") and k not in KNOWN]
    if must:
        raise OutOfRange(must[0], record[must[0]], "a field this version understands (it ends in _, so it must be)")
    if not {"v", "vb", "vs", "vd", "s"} & set(record):
        if set(record) <= {"bn", "bt", "bu", "bv", "bs", "bver"}:
            return None
        raise OutOfRange("v", None, "a value")
    name = base.name + _text(record, "n", "")
    if not name:
        raise OutOfRange("n", "", "a name, here or as base name")
    time = base.time + _number(record, "t", 0.0)
    unit = _text(record, "u", base.unit)
    return Measurement(name, unit, _value(record, base), now_s + time if time < RELATIVE_UNDER else time)


def _take_base(record: dict[str, Any], base: _Base) -> None:
    if "bver" in record and _number(record, "bver", VERSION) > VERSION:
        raise OutOfRange("bver", record["bver"], f"version {VERSION} or lower")
    base.name = _text(record, "bn", base.name)
    base.time = _number(record, "bt", base.time)
    base.unit = _text(record, "bu", base.unit)
    base.value = _number(record, "bv", base.value)
    base.total = _number(record, "bs", base.total)


def _value(record: dict[str, Any], base: _Base) -> float:
    if "v" in record:
        return base.value + _number(record, "v", 0.0)
    if "vb" in record:
        if not isinstance(record["vb"], bool):
            raise OutOfRange("vb", record["vb"], "true or false")
        return 1.0 if record["vb"] else 0.0
    if "s" in record:
        return base.total + _number(record, "s", 0.0)
    raise OutOfRange("v", record.get("vs", record.get("vd")), "a number; texts and data are not measurements here")
