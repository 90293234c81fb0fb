"""Crop water use from light and vapour pressure deficit."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .arrays import FloatArray, require_series
from .constants import (
    LATENT_HEAT_J_PER_KG,
    STARTING_EXTINCTION,
    STARTING_RADIATION_SHARE,
    STARTING_VPD_DAY_W_M2_KPA,
    STARTING_VPD_NIGHT_W_M2_KPA,
)
from .errors import require_range


@dataclass(frozen=True)
class Crop:
    """Water use of a stand: leaf area index [m2/m2, 0.05 to 10], plants per m2 [0.1 to 200], A and B coefficients."""

    leaf_area_index: float
    plants_per_m2: float
    radiation_share: float = STARTING_RADIATION_SHARE
    vpd_day_w_m2_kpa: float = STARTING_VPD_DAY_W_M2_KPA
    vpd_night_w_m2_kpa: float = STARTING_VPD_NIGHT_W_M2_KPA

    def __post_init__(self) -> None:
        require_range("leaf_area_index", self.leaf_area_index, 0.05, 10, "m²/m²")
        require_range("plants_per_m2", self.plants_per_m2, 0.1, 200, "plants/m²")


def water_use_ml_per_plant_min(crop: Crop, radiation_w_m2: FloatArray, vpd_kpa: FloatArray) -> FloatArray:
    """Potential water use.

    Parameters
    ----------
    crop : the stand.
    radiation_w_m2 : global radiation inside the house [W/m2, 0 to 1500], any shape.
    vpd_kpa : air vapour pressure deficit [kPa, 0 to 10], same shape.

    Returns
    -------
    Water use [mL per plant per minute], same shape; NaN in, NaN out.

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    Baille, Baille and Laury 1994, Sci. Hortic. 59: λE = A (1-exp(-k LAI)) R + B LAI VPD.
    """
    radiation = require_series("radiation_w_m2", radiation_w_m2, 0, 1500, "W/m²")
    vpd = require_series("vpd_kpa", vpd_kpa, 0, 10, "kPa")
    lai = crop.leaf_area_index
    aerodynamic = np.where(radiation > 5, crop.vpd_day_w_m2_kpa, crop.vpd_night_w_m2_kpa)
    watts = crop.radiation_share * (1 - np.exp(-STARTING_EXTINCTION * lai)) * radiation + aerodynamic * lai * vpd
    litres_per_m2_s = watts / LATENT_HEAT_J_PER_KG
    return litres_per_m2_s * 60 * 1000 / crop.plants_per_m2


@dataclass(frozen=True)
class UseCoefficients:
    """Water use of a plant per unit of what drives it: light [mL per J/cm2], VPD by day and by night [mL per kPa h]."""

    light_ml_per_j_cm2: float
    vpd_day_ml_per_kpa_h: float
    vpd_night_ml_per_kpa_h: float


@lru_cache(maxsize=1024)  # every tick asks it again for every bed
def use_coefficients(crop: Crop) -> UseCoefficients:
    """The terms of Baille's form as amounts: what a plant uses per J/cm2 of light inside and per kPa h of dryness.

    The same equation as water_use_ml_per_plant_min, summed: it is linear in radiation and VPD.
    """
    lai = crop.leaf_area_index
    ml_per_j_m2 = 1000 / LATENT_HEAT_J_PER_KG / crop.plants_per_m2
    light = crop.radiation_share * (1 - float(np.exp(-STARTING_EXTINCTION * lai))) * 1e4 * ml_per_j_m2
    hour = 3600 * lai * ml_per_j_m2
    return UseCoefficients(light, crop.vpd_day_w_m2_kpa * hour, crop.vpd_night_w_m2_kpa * hour)
