"""Containers: litres of medium, outline seen from the side, and the water that stands in them after draining."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .errors import OutOfRange, require_range
from .substrate import Medium, capacity_from_height, pot_volume_l, slab_volume_l, water_content_from_suction


class Shape(StrEnum):
    SLAB = "slab"
    TROUGH = "trough"
    POT = "pot"
    SQUARE_POT = "square_pot"
    BAG = "bag"


SIDES: dict[Shape, tuple[str, ...]] = {
    Shape.SLAB: ("length_cm", "width_cm", "height_cm"),
    Shape.TROUGH: ("length_cm", "width_cm", "base_width_cm", "height_cm"),
    Shape.POT: ("top_diameter_cm", "base_diameter_cm", "height_cm"),
    Shape.SQUARE_POT: ("top_side_cm", "base_side_cm", "height_cm"),
    Shape.BAG: ("fill_l", "width_cm", "height_cm"),
}
"""What each shape is described by."""
NAMES: dict[Shape, str] = {
    Shape.SLAB: "slab",
    Shape.TROUGH: "trough",
    Shape.POT: "round pot",
    Shape.SQUARE_POT: "square pot",
    Shape.BAG: "filled bag",
}


def trough_volume_l(length_cm: float, width_cm: float, base_width_cm: float, height_cm: float) -> float:
    """Litres in a trough with slanting sides: length × mean width × height. Ranges as slab_volume_l, length to 20000 cm.

    Raises OutOfRange. Source: geometry, trapezoid prism.
    """
    require_range("length_cm", length_cm, 5, 20000, "cm")
    require_range("width_cm", width_cm, 3, 300, "cm")
    require_range("base_width_cm", base_width_cm, 3, 300, "cm")
    require_range("height_cm", height_cm, 2, 100, "cm")
    return length_cm * (width_cm + base_width_cm) / 2 * height_cm / 1000


def square_pot_volume_l(top_side_cm: float, base_side_cm: float, height_cm: float) -> float:
    """Litres in a square tapered pot. Sides [cm, 4 to 150], height [cm, 2 to 100]. Raises OutOfRange.

    Source: geometry, truncated pyramid h/3 (a² + a b + b²).
    """
    require_range("top_side_cm", top_side_cm, 4, 150, "cm")
    require_range("base_side_cm", base_side_cm, 4, 150, "cm")
    require_range("height_cm", height_cm, 2, 100, "cm")
    return height_cm * (top_side_cm**2 + top_side_cm * base_side_cm + base_side_cm**2) / 3 / 1000


def bag_volume_l(fill_l: float) -> float:
    """Litres in a bag: what it was filled with [L, 0.5 to 500], since its sides bulge. Raises OutOfRange."""
    return require_range("fill_l", fill_l, 0.5, 500, "L")


_VOLUME: dict[Shape, Callable[..., float]] = {
    Shape.SLAB: slab_volume_l,
    Shape.TROUGH: trough_volume_l,
    Shape.POT: pot_volume_l,
    Shape.SQUARE_POT: square_pot_volume_l,
}


def container_volume_l(shape: Shape, sides: Mapping[str, float | None]) -> float:
    """Litres of one container from its sides.

    Raises OutOfRange naming a side that is missing for this shape, or out of its range.
    """
    given: dict[str, float] = {}
    for side in SIDES[shape]:
        value = sides.get(side)
        if value is None:
            unit = "litres" if side == "fill_l" else "a length in cm"
            raise OutOfRange(side, None, f"{unit} for a {NAMES[shape]}")
        given[side] = float(value)
    if shape is Shape.BAG:
        require_range("width_cm", given["width_cm"], 3, 200, "cm")
        require_range("height_cm", given["height_cm"], 2, 100, "cm")
        return bag_volume_l(given["fill_l"])
    return _VOLUME[shape](**given)


@dataclass(frozen=True)
class Outline:
    """A container seen from its side [cm]."""

    top_cm: float
    base_cm: float
    height_cm: float


def outline(shape: Shape, sides: Mapping[str, float | None]) -> Outline:
    """The outline for a drawing. Raises OutOfRange as container_volume_l."""
    container_volume_l(shape, sides)
    top, base = {
        Shape.SLAB: ("width_cm", "width_cm"),
        Shape.TROUGH: ("width_cm", "base_width_cm"),
        Shape.POT: ("top_diameter_cm", "base_diameter_cm"),
        Shape.SQUARE_POT: ("top_side_cm", "base_side_cm"),
        Shape.BAG: ("width_cm", "width_cm"),
    }[shape]
    return Outline(float(sides[top] or 0), float(sides[base] or 0), float(sides["height_cm"] or 0))


@dataclass(frozen=True)
class WaterProfile:
    """Water over height after draining: heights above the floor [cm] and θ [m3/m3], shape (points,); mean θ."""

    height_cm: FloatArray
    theta: FloatArray
    capacity: float


def water_profile(height_cm: float, m: Medium, points: int = 25) -> WaterProfile:
    """Water content against height in a drained container.

    Parameters
    ----------
    height_cm : height of medium [cm, 1 to 200]. m : the medium. points : samples [2 to 500].

    Returns
    -------
    WaterProfile; the suction at a height above the floor is that height.

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    van Genuchten 1980 at rest: h = height above the free water at the floor.
    """
    require_range("points", points, 2, 500, "points")
    capacity = capacity_from_height(height_cm, m)
    height = np.linspace(0.0, height_cm, int(points))
    return WaterProfile(height, water_content_from_suction(height, m), capacity)


@dataclass(frozen=True)
class UsableWater:
    """Water per plant [L] at capacity, easily usable (10 to 50 cm suction) and buffer (50 to 100 cm)."""

    at_capacity_l: float
    easily_l: float
    buffer_l: float


def usable_water(volume_l: float, height_cm: float, m: Medium) -> UsableWater:
    """Usable water of a plant's substrate. Source: de Boodt and Verdonck 1972; volume [L per plant, 0.05 to 500]."""
    require_range("volume_l", volume_l, 0.05, 500, "L per plant")
    at10, at50, at100 = (float(water_content_from_suction(h, m)) for h in (10.0, 50.0, 100.0))
    return UsableWater(
        capacity_from_height(height_cm, m) * volume_l, (at10 - at50) * volume_l, (at50 - at100) * volume_l
    )


def easily_usable_l(volume_l_per_plant: float, theta_s: float, theta_r: float, alpha: float, n: float) -> float:
    """Easily usable water [L per plant]: V (θ(10 cm) - θ(50 cm)) of a retention curve. Raises OutOfRange."""
    m = Medium("given", "given", theta_s, theta_r, alpha, n, 0.0, "given")
    return usable_water(volume_l_per_plant, 10, m).easily_l
