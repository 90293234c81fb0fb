"""The rest of a day, or a whole simulated day, under a programme: the core's simulate fed with this bed's numbers."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from common.clock import midnight_of
from places.beds import crop_of, physics_of
from places.models import Bed, House, Site
from places.sun import local_day, noon_elevation, sun_times
from readings.series import bucketed
from reedcore.bedmodel import water_at
from reedcore.crop import water_use_ml_per_plant_min
from reedcore.decide import BedState
from reedcore.programme import Programme
from reedcore.simulate import SimulatedDay, Surroundings, simulate
from reedcore.weather import (
    CLEARNESS,
    WARMTH_C,
    HouseClimate,
    SunDay,
    Weather,
    clear_sky_radiation,
    cloud_factor,
    house_climate,
)

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
    around = Surroundings(start, demand, sun, midnight, bed.feed_ec_ms_cm)
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


def simulated_day(
    bed: Bed, programme: Programme, state: BedState, now: datetime, kind: Weather
) -> tuple[Span, SimulatedDay]:
    """A whole day from sunset to sunset under a programme and a kind of weather, begun a little under the high."""
    site = bed.house.site
    span = span_around(site, now)
    factor = cloud_factor(span.minutes, kind, np.random.default_rng(span.minutes))
    if kind in (Weather.CLEAR, Weather.HOT):
        factor = np.full(span.minutes, CLEARNESS[kind])
    climate = house_climate(clear_sky(site, span.start, span.minutes) * factor, bed.house.transmission, WARMTH_C[kind])
    theta = min(programme.high - 0.01, state.setup.capacity - 0.02)
    fresh = replace(
        state,
        theta=theta,
        theta_at=span.start,
        latched=False,
        tries=0,
        last_pulse_start=None,
        last_pulse_end=None,
        given_today_ml=0.0,
        fault="",
        stopped=False,
        busy_flow_l_min=0.0,
        tank_l=None,
        tank_required=False,
    )
    return span, run(bed, programme, fresh, span.start, climate, bed.feed_ec_ms_cm * 1.25, theta)


def next_pulse_window(day: SimulatedDay | None, now: datetime) -> tuple[datetime, datetime] | None:
    """When the next pulse is likely: the forecast time with water use 15 % more and less."""
    if day is None or not day.pulses:
        return None
    wait = (day.pulses[0].at - now).total_seconds()
    return (now + timedelta(seconds=wait / (1 + DEMAND_SPREAD)), now + timedelta(seconds=wait / (1 - DEMAND_SPREAD)))
