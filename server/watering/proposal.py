"""A first programme for a bed, with the origin of each number."""

from functools import lru_cache

import numpy as np

from places.beds import crop_of, setup_of
from places.models import Bed
from reedcore.crop import Crop, water_use_ml_per_plant_min
from reedcore.schools import CLEAR_DAY_J_CM2, Proposal, School, propose_school
from reedcore.weather import SunDay, clear_sky_radiation, house_climate


def peak_use_ml(bed: Bed) -> float:
    """Modelled water use of a hot clear midsummer day [mL per plant]."""
    return _peak_use_ml(crop_of(bed), bed.house.site.latitude, bed.house.transmission)


@lru_cache(maxsize=1024)  # a site has many beds of few crops, and the plumbing asks for all of them
def _peak_use_ml(crop: Crop, latitude: float, transmission: float) -> float:
    times = np.arange(1440) * 60.0
    sun = SunDay(4.5 * 3600, 20.5 * 3600, min(90.0, 90 - abs(latitude) + 23.4))
    climate = house_climate(clear_sky_radiation(times, sun), transmission, 5.0)
    return float(water_use_ml_per_plant_min(crop, climate.radiation_w_m2, climate.vpd_kpa).sum())


@lru_cache(maxsize=256)
def clear_day_j_cm2(latitude: float, transmission: float) -> float:
    """Light inside on a clear midsummer day [J/cm2]; a usual one where the sun hardly rises."""
    times = np.arange(1440) * 60.0
    sun = SunDay(4.5 * 3600, 20.5 * 3600, min(90.0, 90 - abs(latitude) + 23.4))
    light = float((clear_sky_radiation(times, sun) * transmission).sum() * 60 / 1e4)
    return light if light > 100 else CLEAR_DAY_J_CM2


def proposal_of(bed: Bed, school: School = School.THRESHOLD) -> Proposal:
    """Proposed programme of a bed as it is laid out, of one school."""
    light = clear_day_j_cm2(bed.house.site.latitude, bed.house.transmission)
    return propose_school(school, setup_of(bed), peak_use_ml(bed), light)
