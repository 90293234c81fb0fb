"""Values to 16-bit registers and back, by the register map of the definition file."""

from __future__ import annotations

from typing import Any


def words_of(value: float, kind: str, scale: float) -> list[int]:
    """Registers of a value: uint16, int16 or uint32 (high word first), value / scale rounded and kept in range."""
    number = round(value / scale)
    if kind == "uint32":
        number = min(max(number, 0), 0xFFFFFFFF)
        return [number >> 16, number & 0xFFFF]
    if kind == "int16":
        return [min(max(number, -32768), 32767) & 0xFFFF]
    return [min(max(number, 0), 0xFFFF)]


def address_of(section: dict[str, Any], slot: int, quantity: str) -> int:
    return int(section["base"] + section["stride"] * slot + section["map"][quantity][0])
