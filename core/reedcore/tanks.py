"""Litres in a tank from its level, and how long they last."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import Series, like_input, require_series
from .errors import Inconsistent, OutOfRange, require_range


class TankShape(StrEnum):
    BOX = "box"
    UPRIGHT = "upright"
    LYING = "lying"


@dataclass(frozen=True)
class Tank:
    """A tank by its inner sides [cm, 10 to 2000]: box length, width, height; upright cylinder diameter, height; lying
    cylinder diameter, length. Unused sides are 0."""

    shape: TankShape
    length_cm: float = 0.0
    width_cm: float = 0.0
    diameter_cm: float = 0.0
    height_cm: float = 0.0

    def __post_init__(self) -> None:
        for side in SIDES[self.shape]:
            require_range(side, getattr(self, side), 10, 2000, "cm")

    @property
    def depth_cm(self) -> float:
        """Inner height from floor to brim [cm]."""
        return self.diameter_cm if self.shape is TankShape.LYING else self.height_cm


SIDES: dict[TankShape, tuple[str, ...]] = {
    TankShape.BOX: ("length_cm", "width_cm", "height_cm"),
    TankShape.UPRIGHT: ("diameter_cm", "height_cm"),
    TankShape.LYING: ("diameter_cm", "length_cm"),
}


def box_litres_from_level(level_cm: Series, length_cm: float, width_cm: float) -> Series:
    """Litres in an upright box at a level [cm, 0 to 2000]. Raises OutOfRange. Source: geometry."""
    return like_input(require_series("level_cm", level_cm, 0, 2000, "cm") * length_cm * width_cm / 1000, level_cm)


def upright_litres_from_level(level_cm: Series, diameter_cm: float) -> Series:
    """Litres in an upright cylinder at a level [cm, 0 to 2000]. Raises OutOfRange. Source: geometry."""
    level = require_series("level_cm", level_cm, 0, 2000, "cm")
    return like_input(level * math.pi * diameter_cm**2 / 4 / 1000, level_cm)


def lying_litres_from_level(level_cm: Series, diameter_cm: float, length_cm: float) -> Series:
    """Litres in a lying cylinder at a level [cm, 0 to its diameter]: the circular segment times the length.

    Raises OutOfRange. NaN in, NaN out. Source: geometry, A = r² acos((r-h)/r) - (r-h) sqrt(2 r h - h²).
    """
    h = require_series("level_cm", level_cm, 0, diameter_cm, "cm")
    r = diameter_cm / 2
    segment = r * r * np.arccos(np.clip((r - h) / r, -1, 1)) - (r - h) * np.sqrt(np.clip(2 * r * h - h * h, 0, None))
    return like_input(np.maximum(segment, 0.0) * length_cm / 1000, level_cm)


def litres_from_level(tank: Tank, level_cm: Series) -> Series:
    """Litres at a level above the floor.

    Parameters
    ----------
    tank : shape and inner sides [cm].
    level_cm : level [cm, 0 to the tank's depth], float or array.

    Returns
    -------
    Litres, same shape; NaN in, NaN out.

    Raises
    ------
    OutOfRange : a level under the floor or over the brim.

    References
    ----------
    Geometry of box, cylinder and circular segment.
    """
    require_series("level_cm", level_cm, 0, tank.depth_cm + 1e-9, "cm")
    if tank.shape is TankShape.BOX:
        return box_litres_from_level(level_cm, tank.length_cm, tank.width_cm)
    if tank.shape is TankShape.UPRIGHT:
        return upright_litres_from_level(level_cm, tank.diameter_cm)
    return lying_litres_from_level(level_cm, tank.diameter_cm, tank.length_cm)


def tank_litres(tank: Tank) -> float:
    """Litres to the brim."""
    return float(litres_from_level(tank, tank.depth_cm))


def level_from_litres(tank: Tank, litres: float) -> float:
    """Level [cm] at which the tank holds `litres` [0 to full]. Raises OutOfRange. Inverse of litres_from_level."""
    full = tank_litres(tank)
    require_range("litres", litres, 0, full * (1 + 1e-9), "L")
    if tank.shape is not TankShape.LYING:
        return litres / full * tank.depth_cm
    low, high = 0.0, tank.depth_cm
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if litres_from_level(tank, middle) < litres else (low, middle)
    return (low + high) / 2


def litres_from_distance(tank: Tank, distance_cm: Series, sensor_height_cm: float) -> Series:
    """Litres from the distance a sensor measures down to the water.

    Parameters
    ----------
    tank : shape and inner sides.
    distance_cm : sensor face to water [cm, 0 to sensor_height_cm].
    sensor_height_cm : sensor face above the floor [cm, at least the depth].

    Returns
    -------
    Litres; a level over the brim counts as full. NaN in, NaN out.

    Raises
    ------
    Inconsistent : a sensor below the brim. OutOfRange : a distance beyond the floor.
    """
    if sensor_height_cm < tank.depth_cm:
        raise Inconsistent("sensor_height_cm", sensor_height_cm, f"at least the tank's depth of {tank.depth_cm:g} cm")
    distance = require_series("distance_cm", distance_cm, 0, sensor_height_cm, "cm")
    return like_input(litres_from_level(tank, np.minimum(sensor_height_cm - distance, tank.depth_cm)), distance_cm)


def require_levels(empty_l: float, warn_l: float, overfill_l: float, full_l: float) -> None:
    """Empty, warning and overfill levels in their order [L]. Raises Inconsistent at the field that is out of order."""
    require_range("empty_l", empty_l, 0, full_l, "L")
    if warn_l <= empty_l:
        raise Inconsistent("warn_l", warn_l, f"above the empty level of {empty_l:.0f} L")
    if overfill_l <= warn_l:
        raise Inconsistent("overfill_l", overfill_l, f"above the warning level of {warn_l:.0f} L")
    if overfill_l > full_l * (1 + 1e-9):
        raise Inconsistent("overfill_l", overfill_l, f"at most the {full_l:.0f} L the tank holds")


def tank_days(usable_l: float, daily_use_l: float) -> float:
    """Days a tank lasts: usable litres [0 to 1e7] over mean daily use [L, > 0]. Raises OutOfRange."""
    require_range("usable_l", usable_l, 0, 1e7, "L")
    if not daily_use_l > 0:
        raise OutOfRange("daily_use_l", daily_use_l, "above 0 L a day")
    return usable_l / daily_use_l
