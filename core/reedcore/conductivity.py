"""Conductivity: to 25 °C, and from the bulk of the medium to its pore water."""

from __future__ import annotations

import numpy as np

from .arrays import Series, like_input, require_series
from .constants import STARTING_EC_TEMPERATURE_COEFFICIENT, STARTING_EPSILON_DRY


def ec_at_25_from_temperature(
    ec_ms_cm: Series, temp_c: Series, coefficient: float = STARTING_EC_TEMPERATURE_COEFFICIENT
) -> Series:
    """Conductivity at 25 °C [mS/cm] from that at `temp_c` [°C, 0 to 60]; ec [mS/cm, 0 to 100].

    Raises OutOfRange. NaN in, NaN out. Source: linear temperature compensation, science.md.
    """
    ec = require_series("ec_ms_cm", ec_ms_cm, 0, 100, "mS/cm")
    t = require_series("temp_c", temp_c, 0, 60, "°C")
    return like_input(ec / (1 + coefficient * (t - 25)), ec_ms_cm, temp_c)


def water_permittivity_from_temperature(temp_c: Series) -> Series:
    """Permittivity of pore water [-] from temperature [°C, 0 to 60]. Source: Hilhorst 2000."""
    t = require_series("temp_c", temp_c, 0, 60, "°C")
    return like_input(80.3 - 0.37 * (t - 20), temp_c)


def pore_ec_from_bulk(
    bulk_ec_ms_cm: Series, permittivity: Series, temp_c: Series, epsilon_dry: float = STARTING_EPSILON_DRY
) -> Series:
    """Pore-water conductivity.

    Parameters
    ----------
    bulk_ec_ms_cm : bulk conductivity [mS/cm, 0 to 20].
    permittivity : apparent permittivity [-, 1 to 90].
    temp_c : temperature [°C, 0 to 60].
    epsilon_dry : permittivity at which bulk conductivity vanishes [-].

    Returns
    -------
    Pore-water conductivity [mS/cm]; NaN where the permittivity is below `epsilon_dry` + 6,
    since the method is unusable in dry medium.

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    Hilhorst 2000, Soil Sci. Soc. Am. J. 64, eq. 9.
    """
    bulk = require_series("bulk_ec_ms_cm", bulk_ec_ms_cm, 0, 20, "mS/cm")
    eps = require_series("permittivity", permittivity, 1, 90, "-")
    water = np.asarray(water_permittivity_from_temperature(temp_c))
    usable = eps >= epsilon_dry + 6
    value = np.where(usable, water * bulk / np.where(usable, eps - epsilon_dry, 1.0), np.nan)
    return like_input(value, bulk_ec_ms_cm, permittivity, temp_c)


def bulk_ec_from_pore(
    pore_ec_ms_cm: Series, permittivity: Series, temp_c: Series, epsilon_dry: float = STARTING_EPSILON_DRY
) -> Series:
    """Inverse of pore_ec_from_bulk, for the stand-in's probes. Same units and ranges."""
    pore = require_series("pore_ec_ms_cm", pore_ec_ms_cm, 0, 100, "mS/cm")
    eps = require_series("permittivity", permittivity, 1, 90, "-")
    water = np.asarray(water_permittivity_from_temperature(temp_c))
    return like_input(pore * np.maximum(eps - epsilon_dry, 0) / water, pore_ec_ms_cm, permittivity, temp_c)
