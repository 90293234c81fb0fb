"""Units: what is kept inside, what a person may choose at the field, and the way there and back.

Inside: °C, kPa, mS/cm at 25 °C, m3/m3, mL per plant, L, s, W/m2. Conversion happens at the edge only.
"""

from __future__ import annotations

from dataclasses import dataclass

from .errors import OutOfRange


@dataclass(frozen=True)
class Unit:
    """A unit of one quantity: inside = (shown - offset) / factor."""

    code: str
    label: str
    quantity: str
    factor: float = 1.0
    offset: float = 0.0


UNITS: dict[str, Unit] = {
    u.code: u
    for u in (
        Unit("c", "°C", "temperature"),
        Unit("f", "°F", "temperature", 1.8, 32.0),
        Unit("kpa", "kPa", "pressure"),
        Unit("mbar", "mbar", "pressure", 10.0),
        Unit("ms_cm", "mS/cm", "conductivity"),
        Unit("us_cm", "µS/cm", "conductivity", 1000.0),
        Unit("ppm500", "ppm (500 scale)", "conductivity", 500.0),
        Unit("ppm640", "ppm (640 scale)", "conductivity", 640.0),
        Unit("ppm700", "ppm (700 scale)", "conductivity", 700.0),
        Unit("m3_m3", "m³/m³", "water_content"),
        Unit("pct", "% v/v", "water_content", 100.0),
        Unit("ml", "mL", "volume"),
        Unit("l", "L", "volume", 0.001),
        Unit("us_floz", "US fl oz", "volume", 1 / 29.5735295625),
        Unit("cm", "cm", "length"),
        Unit("inch", "in", "length", 1 / 2.54),
    )
}


def unit(code: str) -> Unit:
    """Look a unit up by its code. Raises OutOfRange for a code that is not known."""
    try:
        return UNITS[code]
    except KeyError:
        raise OutOfRange("unit", code, "one of " + ", ".join(sorted(UNITS))) from None


def shown_from_inside(value: float, code: str) -> float:
    """Convert from the inside unit of the quantity to `code`. NaN in, NaN out."""
    u = unit(code)
    return value * u.factor + u.offset


def inside_from_shown(value: float, code: str) -> float:
    """Convert from `code` to the inside unit of its quantity. NaN in, NaN out."""
    u = unit(code)
    return (value - u.offset) / u.factor
