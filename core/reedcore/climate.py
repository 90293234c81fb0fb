"""Air and leaf climate. Series functions take floats or numpy arrays; NaN in, NaN out."""

from __future__ import annotations

import numpy as np

from .arrays import Series, like_input, require_series
from .constants import (
    J_PER_CM2_PER_MJ_PER_M2,
    KELVIN_OFFSET,
    SATURATION_E0_KPA,
    SATURATION_OFFSET_C,
    SATURATION_SLOPE,
    VAPOUR_DENSITY_G_K_PER_KPA_M3,
)


def saturation_vapour_pressure_from_temperature(air_temp_c: Series) -> Series:
    """Saturation vapour pressure over water.

    Parameters
    ----------
    air_temp_c : temperature [°C, -40 to 80].

    Returns
    -------
    Vapour pressure [kPa], same shape.

    Raises
    ------
    OutOfRange : a temperature outside -40 to 80 °C.

    References
    ----------
    Allen et al. 1998, FAO-56, eq. 11.
    """
    t = require_series("air_temp_c", air_temp_c, -40, 80, "°C")
    value = SATURATION_E0_KPA * np.exp(SATURATION_SLOPE * t / (t + SATURATION_OFFSET_C))
    return like_input(value, air_temp_c)


def vapour_pressure_from_humidity(air_temp_c: Series, humidity_pct: Series) -> Series:
    """Actual vapour pressure [kPa] from air temperature [°C, -40 to 80] and humidity [%, 0 to 100].

    Raises OutOfRange. Source: definition of relative humidity, FAO-56, eq. 10.
    """
    rh = require_series("humidity_pct", humidity_pct, 0, 100, "%")
    value = np.asarray(saturation_vapour_pressure_from_temperature(air_temp_c)) * rh / 100
    return like_input(value, air_temp_c, humidity_pct)


def air_vpd_from_humidity(air_temp_c: Series, humidity_pct: Series) -> Series:
    """Vapour pressure deficit of the air [kPa] from temperature [°C] and humidity [%, 0 to 100].

    Raises OutOfRange. Source: FAO-56, eq. 11 and definition of relative humidity.
    """
    saturated = np.asarray(saturation_vapour_pressure_from_temperature(air_temp_c))
    actual = np.asarray(vapour_pressure_from_humidity(air_temp_c, humidity_pct))
    return like_input(saturated - actual, air_temp_c, humidity_pct)


def leaf_vpd_from_temperatures(leaf_temp_c: Series, air_temp_c: Series, humidity_pct: Series) -> Series:
    """Deficit between leaf and air [kPa]; negative where water condenses on the leaf.

    Temperatures [°C, -40 to 80], humidity [%, 0 to 100]. Raises OutOfRange. Source: FAO-56, eq. 11.
    """
    leaf = np.asarray(saturation_vapour_pressure_from_temperature(leaf_temp_c))
    actual = np.asarray(vapour_pressure_from_humidity(air_temp_c, humidity_pct))
    return like_input(leaf - actual, leaf_temp_c, air_temp_c, humidity_pct)


def dew_point_from_humidity(air_temp_c: Series, humidity_pct: Series) -> Series:
    """Dew point [°C] from temperature [°C] and humidity [%, above 0 to 100].

    Raises OutOfRange. Source: FAO-56, eq. 11 solved for temperature.
    """
    require_series("humidity_pct", humidity_pct, 0.1, 100, "%")
    e = np.asarray(vapour_pressure_from_humidity(air_temp_c, humidity_pct))
    x = np.log(e / SATURATION_E0_KPA)
    return like_input(SATURATION_OFFSET_C * x / (SATURATION_SLOPE - x), air_temp_c, humidity_pct)


def absolute_humidity_from_humidity(air_temp_c: Series, humidity_pct: Series) -> Series:
    """Water vapour in the air [g/m3] from temperature [°C] and humidity [%]. Raises OutOfRange. Source: gas law."""
    e = np.asarray(vapour_pressure_from_humidity(air_temp_c, humidity_pct))
    t = np.asarray(air_temp_c, dtype=float)
    return like_input(VAPOUR_DENSITY_G_K_PER_KPA_M3 * e / (t + KELVIN_OFFSET), air_temp_c, humidity_pct)


def humidity_deficit_from_humidity(air_temp_c: Series, humidity_pct: Series) -> Series:
    """Saturated minus actual absolute humidity [g/m3]. Arguments as absolute_humidity_from_humidity."""
    full = np.full_like(np.asarray(humidity_pct, dtype=float), 100.0)
    saturated = absolute_humidity_from_humidity(np.asarray(air_temp_c, dtype=float), full)
    actual = np.asarray(absolute_humidity_from_humidity(air_temp_c, humidity_pct))
    return like_input(saturated - actual, air_temp_c, humidity_pct)


def daily_light_integral_from_ppfd(ppfd_umol_m2_s: Series, step_s: float) -> float:
    """Daily light integral [mol/m2] from evenly spaced PPFD [µmol/m2/s, 0 to 3000] at `step_s` [s, > 0].

    Raises OutOfRange. Any NaN gives NaN: a day with a hole has no sum. Source: sum PPFD dt / 1e6.
    """
    ppfd = require_series("ppfd_umol_m2_s", ppfd_umol_m2_s, 0, 3000, "µmol/m²/s")
    require_series("step_s", step_s, 1e-9, 86400, "s")
    return float(np.sum(ppfd) * step_s / 1e6)


def light_sum_from_radiation(radiation_w_m2: Series, step_s: float) -> float:
    """Light sum [J/cm2] from evenly spaced global radiation [W/m2, 0 to 1500] at `step_s` [s, > 0].

    Raises OutOfRange. Any NaN gives NaN. Source: 1 MJ/m2 = 100 J/cm2.
    """
    radiation = require_series("radiation_w_m2", radiation_w_m2, 0, 1500, "W/m²")
    require_series("step_s", step_s, 1e-9, 86400, "s")
    return float(np.sum(radiation) * step_s / 1e6 * J_PER_CM2_PER_MJ_PER_M2)
