"""A first programme for a bed, with the origin of each number."""

from functools import lru_cache

import numpy as np

from places.beds import crop_of, setup_of
from places.models import Bed
from reedcore.crop import Crop, water_use_ml_per_plant_min
from reedcore.programme import Proposal, propose_programme
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


def proposal_of(bed: Bed) -> Proposal:
    """Proposed programme of a bed as it is laid out."""
    return propose_programme(setup_of(bed), peak_use_ml(bed))
