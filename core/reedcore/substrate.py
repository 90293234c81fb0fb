"""Water held by a medium: retention, container capacity, volumes, points to millilitres."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from .arrays import Series, like_input, require_series
from .errors import Inconsistent, OutOfRange, require_range


@dataclass(frozen=True)
class Medium:
    """A growing medium with van Genuchten parameters.

    theta_s, theta_r [m3/m3], alpha [1/cm], n [-], dry_mix_theta: water left in the air-dried mix [m3/m3].
    """

    code: str
    name: str
    theta_s: float
    theta_r: float
    alpha: float
    n: float
    dry_mix_theta: float
    origin: str

    def __post_init__(self) -> None:
        require_range("theta_s", self.theta_s, 0.2, 1.0, "m³/m³")
        require_range("theta_r", self.theta_r, 0.0, 0.5, "m³/m³")
        require_range("alpha", self.alpha, 0.001, 2.0, "1/cm")
        require_range("n", self.n, 1.01, 10.0, "")
        if self.theta_r >= self.theta_s:
            raise Inconsistent("theta_r", self.theta_r, f"less than theta_s {self.theta_s:g}")


@lru_cache(maxsize=1)
def media() -> dict[str, Medium]:
    """Media with starting values, by code. Source: data/media.json, each row with its origin."""
    rows: list[dict[str, Any]] = json.loads(resources.files(__package__).joinpath("data/media.json").read_text())
    return {row["code"]: Medium(**row) for row in rows}


def medium(code: str) -> Medium:
    """One medium by code. Raises OutOfRange for an unknown one."""
    try:
        return media()[code]
    except KeyError:
        raise OutOfRange("medium", code, "one of " + ", ".join(sorted(media()))) from None


def water_content_from_suction(suction_cm: Series, m: Medium) -> Series:
    """Retention curve.

    Parameters
    ----------
    suction_cm : suction [cm of water, 0 to 1e6], float or array.
    m : the medium.

    Returns
    -------
    Volumetric water content [m3/m3], same shape.

    Raises
    ------
    OutOfRange : a suction outside the range.

    References
    ----------
    van Genuchten 1980, Soil Sci. Soc. Am. J. 44, eq. 2 and 3 (m = 1 - 1/n).
    """
    h = require_series("suction_cm", suction_cm, 0, 1e6, "cm")
    value = m.theta_r + (m.theta_s - m.theta_r) * (1 + (m.alpha * h) ** m.n) ** -(1 - 1 / m.n)
    return like_input(value, suction_cm)


def suction_from_water_content(theta: Series, m: Medium) -> Series:
    """Inverse of the retention curve: suction [cm] from θ, valid for theta_r < θ <= theta_s.

    Raises OutOfRange. Source: van Genuchten 1980 solved for h.
    """
    t = require_series("theta", theta, m.theta_r + 1e-9, m.theta_s, "m³/m³")
    saturation = (t - m.theta_r) / (m.theta_s - m.theta_r)
    value = (saturation ** (-1 / (1 - 1 / m.n)) - 1) ** (1 / m.n) / m.alpha
    return like_input(value, theta)


@lru_cache(maxsize=4096)  # every tick asks it again for every bed
def capacity_from_height(height_cm: float, m: Medium) -> float:
    """Container capacity: mean water content of a column drained and at rest.

    Parameters
    ----------
    height_cm : height of medium [cm, 1 to 200].
    m : the medium.

    Returns
    -------
    Capacity [m3/m3]; a tall container holds a lower share than a flat one.

    Raises
    ------
    OutOfRange : height outside the range.

    References
    ----------
    Mean of van Genuchten 1980 from h = 0 to H.
    """
    require_range("height_cm", height_cm, 1, 200, "cm")
    h = np.linspace(0.0, height_cm, 2001)
    theta = water_content_from_suction(h, m)
    return float(np.trapezoid(theta, h) / height_cm)


def easily_usable_water(m: Medium) -> float:
    """Water between 10 and 50 cm of suction [m3/m3]. Source: de Boodt and Verdonck 1972."""
    return float(water_content_from_suction(10.0, m) - water_content_from_suction(50.0, m))


def slab_volume_l(length_cm: float, width_cm: float, height_cm: float) -> float:
    """Litres in an upright box such as a slab or trough. Sides [cm]: 5 to 1000, 3 to 200, 2 to 100."""
    require_range("length_cm", length_cm, 5, 1000, "cm")
    require_range("width_cm", width_cm, 3, 200, "cm")
    require_range("height_cm", height_cm, 2, 100, "cm")
    return length_cm * width_cm * height_cm / 1000


def pot_volume_l(top_diameter_cm: float, base_diameter_cm: float, height_cm: float) -> float:
    """Litres in a round tapered pot (truncated cone). Diameters [cm, 5 to 150], height [cm, 2 to 100]."""
    require_range("top_diameter_cm", top_diameter_cm, 5, 150, "cm")
    require_range("base_diameter_cm", base_diameter_cm, 5, 150, "cm")
    require_range("height_cm", height_cm, 2, 100, "cm")
    a, b = top_diameter_cm / 2, base_diameter_cm / 2
    return float(np.pi * height_cm * (a * a + a * b + b * b) / 3 / 1000)


def volume_per_plant_l(container_l: float, plants_per_container: float) -> float:
    """Litres of medium per plant from the container [L, 0.05 to 5000] and plants in it [1 to 200]."""
    require_range("container_l", container_l, 0.05, 5000, "L")
    require_range("plants_per_container", plants_per_container, 1, 200, "plants")
    return container_l / plants_per_container


def ml_per_point(volume_l_per_plant: float) -> float:
    """One point of water content (1 % v/v) in mL per plant, volume [L per plant, 0.05 to 500]."""
    require_range("volume_l_per_plant", volume_l_per_plant, 0.05, 500, "L per plant")
    return 10 * volume_l_per_plant


def water_l_per_plant(theta: float, volume_l_per_plant: float) -> float:
    """Litres of water per plant at θ [m3/m3, -0.1 to 1.1]. NaN in, NaN out."""
    require_series("theta", theta, -0.1, 1.1, "m³/m³")
    return theta * volume_l_per_plant


def relative_water(theta: float, dry_limit: float, capacity: float) -> float:
    """Share of the way from the grower's dry limit (0) to capacity (100) [%]. Raises Inconsistent."""
    if not dry_limit < capacity:
        raise Inconsistent("dry_limit", dry_limit, f"below the capacity {capacity:.3f}")
    return 100 * (theta - dry_limit) / (capacity - dry_limit)


def proposed_dry_limit(capacity: float) -> float:
    """Starting value for the dry limit: 60 % of capacity, until the grower sets it [m3/m3]."""
    return 0.6 * capacity
