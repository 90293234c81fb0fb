"""Weather of a day outside and the climate it makes inside a house: for planning and for the stand-in."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .climate import air_vpd_from_humidity
from .errors import Inconsistent, require_range


class Weather(StrEnum):
    """Kinds of day a grower can try a programme on."""

    CLEAR = "clear"
    MIXED = "mixed"
    DULL = "dull"
    HOT = "hot"


CLEARNESS = {Weather.CLEAR: 0.95, Weather.MIXED: 0.68, Weather.DULL: 0.28, Weather.HOT: 1.0}
WARMTH_C = {Weather.CLEAR: 0.0, Weather.MIXED: -1.0, Weather.DULL: -2.5, Weather.HOT: 5.0}


@dataclass(frozen=True)
class SunDay:
    """Sunrise and sunset as seconds on the caller's axis, and the sun's height at noon [degrees, 0 to 90]."""

    sunrise_s: float
    sunset_s: float
    noon_elevation_deg: float

    def __post_init__(self) -> None:
        if not self.sunrise_s < self.sunset_s:
            raise Inconsistent("sunset_s", self.sunset_s, "later than sunrise")
        require_range("noon_elevation_deg", self.noon_elevation_deg, 0, 90, "degrees")


def clear_sky_radiation(time_s: FloatArray, sun: SunDay) -> FloatArray:
    """Clear-sky global radiation [W/m2] at times [s], shape as given.

    The sun's height is drawn as a half sine between sunrise and sunset.
    Source: Haurwitz 1945, J. Meteorol. 2: G = 1098 sin(h) exp(-0.057/sin(h)).
    """
    share = (np.asarray(time_s, float) - sun.sunrise_s) / (sun.sunset_s - sun.sunrise_s)
    height = np.where((share > 0) & (share < 1), np.sin(np.pi * np.clip(share, 0, 1)), 0.0)
    sine = height * np.sin(np.radians(sun.noon_elevation_deg))
    safe = np.maximum(sine, 0.01)
    return np.where(sine > 0.01, 1098 * safe * np.exp(-0.057 / safe), 0.0)


def cloud_factor(count: int, kind: Weather, rng: np.random.Generator) -> FloatArray:
    """Share of clear-sky radiation that comes through, shape (count,), one value a minute, in 0.05 to 1.05."""
    spread = {Weather.CLEAR: 0.02, Weather.HOT: 0.01, Weather.MIXED: 0.22, Weather.DULL: 0.07}[kind]
    noise, level = np.empty(count), 0.0
    kicks = rng.normal(0, spread * np.sqrt(1 - 0.97**2), count)
    for i in range(count):
        level = 0.97 * level + kicks[i]
        noise[i] = level
    return np.clip(CLEARNESS[kind] + noise, 0.05, 1.05)


@dataclass(frozen=True)
class HouseClimate:
    """Inside climate, arrays of one shape: radiation [W/m2], air and leaf [°C], humidity [%], VPD [kPa]."""

    radiation_w_m2: FloatArray
    air_temp_c: FloatArray
    humidity_pct: FloatArray
    leaf_temp_c: FloatArray
    vpd_kpa: FloatArray


def house_climate(
    outside_w_m2: FloatArray,
    transmission: float,
    kind_offset_c: float,
    lag_steps: int = 45,
    night_temp_c: float = 17.5,
) -> HouseClimate:
    """Inside climate from outside radiation [W/m2], one value a minute, and roof transmission [0.1 to 1].

    A drawn approximation (air warms with lagged light, humidity falls with warmth), good for planning
    and the stand-in; measured climate replaces it wherever there is any.
    """
    require_range("transmission", transmission, 0.1, 1.0, "")
    inside = np.asarray(outside_w_m2, float) * transmission
    kernel = np.ones(lag_steps) / lag_steps
    lagged = np.convolve(np.concatenate([np.full(lag_steps - 1, inside[0]), inside]), kernel, mode="valid")
    light = lagged / 600
    air = night_temp_c + kind_offset_c * np.minimum(1.0, 0.3 + light) + 9.5 * light
    humidity = np.clip(86 - 26 * light - 0.9 * kind_offset_c, 30, 96)
    leaf = air + 0.4 - 2.2 * np.minimum(1, light)
    return HouseClimate(inside, air, humidity, leaf, air_vpd_from_humidity(air, humidity))
