"""The rest of a day, or a whole simulated day, under a programme: the core's simulate fed with this bed's numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

import numpy as np
from django.core.cache import cache

from common.clock import midnight_of
from places.beds import crop_of, physics_of
from places.models import Bed, House, Site
from places.sun import local_day, noon_elevation, sun_times
from readings.series import bucketed
from reedcore.bedmodel import water_at
from reedcore.crop import water_use_ml_per_plant_min
from reedcore.programme import Programme
from reedcore.reasons import NO_HOLDS, BedState, Memory, Since
from reedcore.simulate import SimulatedDay, Surroundings, simulate
from reedcore.weather import HouseClimate, SunDay, clear_sky_radiation, house_climate

if TYPE_CHECKING:
    from .state import SiteState

DEMAND_SPREAD = 0.15
"""The next pulse's window is drawn for 15 % more and less water use than forecast."""


@dataclass
class Span:
    """From one sunset to the next: the axis of a day ribbon."""

    start: datetime
    sunrise: datetime
    end: datetime

    @property
    def minutes(self) -> int:
        return int((self.end - self.start).total_seconds() // 60)


def span_around(site: Site, at: datetime) -> Span:
    """The ribbon's day that holds a moment: from the sunset before it to the one after."""
    day = local_day(site, at)
    if at >= sun_times(site, day)[1]:
        day += timedelta(days=1)
    sunrise, sunset = sun_times(site, day)
    return Span(sun_times(site, day - timedelta(days=1))[1], sunrise, sunset)


def clear_sky(site: Site, start: datetime, minutes: int) -> np.ndarray:
    """Clear-sky radiation outside, a value a minute from `start` [W/m2]."""
    seconds = np.arange(minutes) * 60.0
    total = np.zeros(minutes)
    day = local_day(site, start)
    while True:
        sunrise, sunset = sun_times(site, day)
        if sunrise > start + timedelta(minutes=minutes):
            return total
        sun = SunDay((sunrise - start).total_seconds(), (sunset - start).total_seconds(), noon_elevation(site, day))
        total += clear_sky_radiation(seconds, sun)
        day += timedelta(days=1)


def measured_clearness(house: House, now: datetime) -> float:
    """Share of clear-sky light that came through over the last two hours; 0.8 at night or without a light sensor."""
    channel = house.channels.filter(quantity="radiation", retired_at=None).values_list("pk", flat=True).first()
    start = now - timedelta(hours=2)
    expected = clear_sky(house.site, start, 120) * house.transmission
    if channel is None or expected.mean() < 30:
        return 0.8
    seen = bucketed([channel], start, now, timedelta(minutes=10))[channel]
    if np.all(np.isnan(seen)):
        return 0.8
    return float(np.clip(np.nanmean(seen) / expected.mean(), 0.1, 1.1))


def run(
    bed: Bed,
    programme: Programme,
    state: BedState,
    start: datetime,
    climate: HouseClimate,
    pore_ec: float,
    theta: float,
) -> SimulatedDay:
    """Simulate a bed from `start` in a climate, a value a minute."""
    site = bed.house.site
    demand = water_use_ml_per_plant_min(crop_of(bed), climate.radiation_w_m2, climate.vpd_kpa)
    midnight = midnight_of(start, site.time_zone)
    first = local_day(site, start)
    days = (start + timedelta(minutes=len(demand)) - midnight).days + 1
    sun = [sun_times(site, first + timedelta(days=i)) for i in range(days)]
    physics = physics_of(bed, state.setup)
    around = Surroundings(
        start, demand, sun, midnight, bed.feed_ec_ms_cm, radiation_w_m2=climate.radiation_w_m2, vpd_kpa=climate.vpd_kpa
    )
    return simulate(programme, state, water_at(theta, pore_ec, physics), physics, around)


def rest_of_day(bed: Bed, programme: Programme, state: BedState, now: datetime, pore_ec: float) -> SimulatedDay | None:
    """From now to the end of the ribbon, in the light of the last two hours. None without a water content."""
    if state.theta != state.theta:
        return None
    span = span_around(bed.house.site, now)
    minutes = int((span.end - now).total_seconds() // 60)
    if minutes < 2:
        return None
    outside = clear_sky(bed.house.site, now, minutes) * measured_clearness(bed.house, now)
    climate = house_climate(outside, bed.house.transmission, 0.0)
    return run(bed, programme, state, now, climate, pore_ec, state.theta)


def fresh_start(state: BedState, programme: Programme, at: datetime) -> tuple[float, BedState]:
    """A bed at the evening before a simulated day: a little under the high, nothing given, nothing held."""
    theta = min(programme.high - 0.01, state.setup.capacity - 0.02)
    fresh = replace(
        state,
        theta=theta,
        theta_at=at,
        memory=Memory(),
        since=Since(0.0, 0.0, 0.0, theta),
        last_pulse_start=None,
        last_pulse_end=None,
        given_today_ml=0.0,
        given_hour_ml=0.0,
        pulses_today=0,
        stopped=False,
        busy_flow_l_min=0.0,
        tank_l=None,
        tank_required=False,
        untrusted=0,
        dose_factor=1.0,
        gap_factor=1.0,
        holds=NO_HOLDS,
    )
    return theta, fresh


def fall_until_morning(bed: Bed, state: SiteState) -> float:
    """Expected fall of θ from now to the next sunrise with nothing given, from the bed model [m3/m3].

    In the light of the last two hours; kept for ten minutes of the site's time.
    """
    key = f"fall:{bed.pk}:{int(state.now.timestamp() // 600)}"
    found: float | None = cache.get(key)
    if found is None:
        site = bed.house.site
        sunrise = sun_times(site, state.today + timedelta(days=1 if state.now >= state.sun[0] else 0))[0]
        minutes = max(1, int((sunrise - state.now).total_seconds() // 60))
        outside = clear_sky(site, state.now, minutes) * measured_clearness(bed.house, state.now)
        climate = house_climate(outside, bed.house.transmission, 0.0)
        use = water_use_ml_per_plant_min(crop_of(bed), climate.radiation_w_m2, climate.vpd_kpa).sum()
        found = float(use / 1000 / state.setups[bed.pk].volume_l_per_plant)
        cache.set(key, found, 600)
    return found


def night_fall_points(bed: Bed, volume_l: float, span: Span) -> float:
    """Expected fall of θ from the coming sunset to the sunrise after it, by the night's dryness [points]."""
    site = bed.house.site
    sunrise = sun_times(site, local_day(site, span.end) + timedelta(days=1))[0]
    minutes = max(1, int((sunrise - span.end).total_seconds() // 60))
    climate = house_climate(np.zeros(minutes), bed.house.transmission, 0.0)
    use = water_use_ml_per_plant_min(crop_of(bed), climate.radiation_w_m2, climate.vpd_kpa).sum()
    return float(use / 10 / volume_l)


def next_pulse_window(day: SimulatedDay | None, now: datetime) -> tuple[datetime, datetime] | None:
    """When the next pulse is likely: the forecast time with water use 15 % more and less."""
    if day is None or not day.pulses:
        return None
    wait = (day.pulses[0].at - now).total_seconds()
    return (now + timedelta(seconds=wait / (1 + DEMAND_SPREAD)), now + timedelta(seconds=wait / (1 - DEMAND_SPREAD)))
