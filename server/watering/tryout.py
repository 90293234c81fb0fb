"""Try before you trust: simulated days and weeks, comparisons, and a recorded day under another programme."""

from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

import numpy as np

from common.clock import midnight_of
from common.figures import Figure
from fitting.models import Channel, Quantity
from places.beds import crop_of, physics_of
from places.models import Bed
from places.sun import local_day, sun_times
from readings.series import bucketed
from reedcore.bedmodel import run_bed, water_at
from reedcore.climate import air_vpd_from_humidity
from reedcore.crop import water_use_ml_per_plant_min
from reedcore.errors import NotDetermined, OutOfRange
from reedcore.programme import Programme, TriggerKind
from reedcore.reasons import BedState
from reedcore.replay import fit_day, probe_lag
from reedcore.simulate import SimulatedDay, Surroundings, outcome_of, simulate
from reedcore.weather import CLEARNESS, WARMTH_C, HouseClimate, Weather, cloud_factor, house_climate
from reedcore.words import say_decision

from .forecast import Span, clear_sky, fresh_start, run, span_around
from .models import Pulse, PulseState
from .ribbon import TRIGGER_UNITS, Drop, Peg, read_tracks

SIM_STEP_MIN = 3
WEEK_STEP_MIN = 20
BUCKET = timedelta(minutes=5)
WEEK = (Weather.CLEAR, Weather.MIXED, Weather.DULL, Weather.MIXED, Weather.HOT, Weather.CLEAR, Weather.DULL)
"""The days of the week that programmes are compared on: one of each kind and the usual mixture."""


@dataclass
class Why:
    at: datetime
    heading: str
    body: str


@dataclass
class Track:
    """What a trigger saw, in its unit (levels in points), and the value at which it fires."""

    kind: TriggerKind
    unit: str
    limit: float
    values: list[float | None]


@dataclass
class Tried:
    """A simulated stretch; arrays every `step_min` minutes from `start`; amounts in mL per plant."""

    start: datetime
    sunrise: datetime
    end: datetime
    step_min: int
    theta: list[float]
    pore_ec_ms_cm: list[float]
    pulses: list[Peg]
    drops: list[Drop]
    dose_ml: float
    drain_ml: float
    drain_share: float | None
    peak: float
    lowest: float
    in_band: float
    night_fall_points: float | None
    end_pore_ec_ms_cm: float
    fault: str
    light_j_cm2: float
    tracks: list[Track] = field(default_factory=list)
    why: list[Why] = field(default_factory=list)


def weather_climate(bed: Bed, start: datetime, minutes: int, kinds: list[Weather]) -> HouseClimate:
    """Inside climate a value a minute, a kind of weather for each day from `start`."""
    site = bed.house.site
    rng = np.random.default_rng(minutes)
    factor, warmth = np.empty(minutes), np.empty(minutes)
    for i, first in enumerate(range(0, minutes, 1440)):
        kind, count = kinds[min(i, len(kinds) - 1)], min(1440, minutes - first)
        part = cloud_factor(count, kind, rng)
        factor[first : first + count] = CLEARNESS[kind] if kind in (Weather.CLEAR, Weather.HOT) else part
        warmth[first : first + count] = WARMTH_C[kind]
    outside = clear_sky(site, start, minutes) * factor
    return house_climate(outside, bed.house.transmission, float(warmth.mean()))


def recorded_climate(bed: Bed, start: datetime, minutes: int) -> HouseClimate:
    """The climate a house recorded, a value a minute. Raises NotDetermined where too little of it is there."""
    ids = dict(
        Channel.objects.filter(
            house=bed.house, quantity__in=(Quantity.RADIATION, Quantity.AIR_TEMP, Quantity.HUMIDITY), retired_at=None
        ).values_list("quantity", "pk")
    )
    series = bucketed(list(ids.values()), start, start + timedelta(minutes=minutes), BUCKET)
    columns = []
    for quantity, low, high in (
        (Quantity.RADIATION, 0, 1500),
        (Quantity.AIR_TEMP, -20, 60),
        (Quantity.HUMIDITY, 0, 100),
    ):
        values = series.get(ids.get(quantity, 0))
        known = np.isfinite(values) if values is not None else np.zeros(1, bool)
        if values is None or known.mean() < 0.6:
            raise NotDetermined(
                "day",
                start.date().isoformat(),
                f"a day with {quantity.label} on record; choose another, or a kind of weather",
            )
        at = np.arange(len(values)) * 5 + 2.5
        columns.append(np.clip(np.interp(np.arange(minutes), at[known], values[known]), low, high))
    radiation, temp, humidity = columns
    return HouseClimate(radiation, temp, humidity, temp, np.asarray(air_vpd_from_humidity(temp, humidity)))


def try_day(
    bed: Bed, programme: Programme, state: BedState, now: datetime, weather: str
) -> tuple[Span, SimulatedDay, HouseClimate]:
    """One day from sunset to sunset under a kind of weather or a recorded day (an ISO date)."""
    site = bed.house.site
    if weather in {w.value for w in Weather}:
        span = span_around(site, now)
        climate = weather_climate(bed, span.start, span.minutes, [Weather(weather)])
    else:
        day = _day(weather)
        span = span_around(site, sun_times(site, day)[0])
        climate = recorded_climate(bed, span.start, span.minutes)
    theta, fresh = fresh_start(state, programme, span.start)
    return span, run(bed, programme, fresh, span.start, climate, bed.feed_ec_ms_cm * 1.25, theta), climate


def try_week(
    bed: Bed, programme: Programme, state: BedState, now: datetime, kinds: tuple[Weather, ...] = WEEK
) -> tuple[Span, SimulatedDay, HouseClimate]:
    """Seven days from the last sunset on, a kind of weather each."""
    first = span_around(bed.house.site, now)
    minutes = 1440 * len(kinds)
    climate = weather_climate(bed, first.start, minutes, list(kinds))
    theta, fresh = fresh_start(state, programme, first.start)
    day = run(bed, programme, fresh, first.start, climate, bed.feed_ec_ms_cm * 1.25, theta)
    return Span(first.start, first.sunrise, first.start + timedelta(minutes=minutes)), day, climate


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        kinds = ", ".join(w.value for w in Weather)
        raise OutOfRange("weather", text, f"one of {kinds}, or a recorded day as 2026-06-12") from None


def tried(
    span: Span,
    day: SimulatedDay,
    climate: HouseClimate,
    programme: Programme,
    step: int = SIM_STEP_MIN,
    why: bool = True,
) -> Tried:
    """A simulated stretch as the drawings take it."""
    outcome = outcome_of(day, programme)
    every = 15 if step <= SIM_STEP_MIN else 60
    drain = day.drain_ml
    sums = [(i, float(drain[i : i + every].sum())) for i in range(0, len(drain), every)]
    sunrise = max(0, int((span.sunrise - span.start).total_seconds() // 60))
    fall = float(100 * (day.seen[0] - day.seen[: sunrise + 1].min())) if 0 < sunrise < len(day.seen) else None
    return Tried(
        span.start,
        span.sunrise,
        span.end,
        step,
        day.seen[::step].tolist(),
        day.pore_ec_ms_cm[::step].tolist(),
        [Peg(p.at, p.dose_ml, p.seconds, "simulated", p.dose_ml) for p in day.pulses],
        [Drop(day.times[i], ml) for i, ml in sums if ml > 0.5],
        outcome.dose_ml,
        outcome.drain_ml,
        None if outcome.drain_share != outcome.drain_share else outcome.drain_share,
        outcome.peak,
        outcome.lowest,
        outcome.in_band,
        fall,
        outcome.end_pore_ec_ms_cm,
        outcome.fault,
        float(climate.radiation_w_m2.sum() * 60 / 1e4),
        _tracks(day, programme, step),
        [Why(at, s.heading, s.body) for at, s in ((at, say_decision(d)) for at, d in day.changes[:120])] if why else [],
    )


def _tracks(day: SimulatedDay, programme: Programme, step: int) -> list[Track]:
    out = []
    for trigger in programme.triggers:
        if (values := day.tracks.get(trigger.kind)) is not None:
            unit, scale = TRIGGER_UNITS[trigger.kind]
            shown = [None if not -1e9 < v < 1e9 else round(v * scale, 3) for v in values[::step].tolist()]
            out.append(Track(trigger.kind, unit, trigger.value * scale, shown))
    return out


@dataclass
class Replayed:
    """A recorded day, as it was and as another programme would have made it; fit: how the bed model was fitted to it."""

    day: date
    start: datetime
    sunrise: datetime
    end: datetime
    step_min: int
    recorded: list[float | None]
    fitted: list[float]
    was_pulses: list[Peg]
    was_dose_ml: float
    was_drain_ml: float | None
    instead: Tried
    use_factor: float
    delivered_share: float
    onset_share: float
    fit_error: Figure


def replay(bed: Bed, programme: Programme, state: BedState, day: date) -> Replayed:
    """A recorded day under another programme: the model is fitted to the day first.

    Raises OutOfRange for a day still to come, NotDetermined where the record is too thin.
    """
    site = bed.house.site
    span = span_around(site, sun_times(site, day)[0])
    if local_day(site, state.midnight) <= day:
        raise OutOfRange("day", day.isoformat(), "a day that is over")
    minutes = span.minutes
    climate = recorded_climate(bed, span.start, minutes)
    tracks = read_tracks(bed, span.start, span.end, BUCKET)
    seen = _per_minute(tracks.theta, minutes)
    pulses = list(
        Pulse.objects.filter(bed=bed, ordered_at__gte=span.start, ordered_at__lt=span.end)
        .exclude(state=PulseState.NOT_GIVEN)
        .order_by("ordered_at")
    )
    demand = water_use_ml_per_plant_min(crop_of(bed), climate.radiation_w_m2, climate.vpd_kpa)
    dose = _doses(pulses, span.start, minutes)
    physics = physics_of(bed, state.setup)
    pore = bed.feed_ec_ms_cm * 1.25
    fit = fit_day(seen, dose, demand, physics, pore, bed.feed_ec_ms_cm)
    midnight = midnight_of(span.start, site.time_zone)
    first = local_day(site, span.start)
    sun = [sun_times(site, first + timedelta(days=i)) for i in range(3)]
    theta, fresh = fresh_start(state, programme, span.start)
    theta, fresh = fit.start_theta, replace(fresh, theta=fit.start_theta)
    around = Surroundings(
        span.start,
        demand * fit.use_factor,
        sun,
        midnight,
        bed.feed_ec_ms_cm,
        radiation_w_m2=climate.radiation_w_m2,
        vpd_kpa=climate.vpd_kpa,
    )
    instead = simulate(programme, fresh, water_at(theta, pore, fit.physics), fit.physics, around, fit.delivered_share)
    begun = water_at(fit.start_theta, pore, fit.physics)
    again = probe_lag(
        run_bed(begun, fit.physics, dose * fit.delivered_share, bed.feed_ec_ms_cm, demand * fit.use_factor).theta, 150.0
    )
    drained = tracks.drain[np.isfinite(tracks.drain)]
    step = int(BUCKET.total_seconds() // 60)
    fitted = again[::step].tolist()
    return Replayed(
        day, span.start, span.sunrise, span.end, step,
        [None if v != v else float(v) for v in tracks.theta[: len(fitted)]],
        fitted,
        [Peg(p.started_at or p.ordered_at, p.dose_ml, p.seconds, p.state, p.delivered_ml) for p in pulses],
        sum(p.dose_ml for p in pulses),
        float(drained[-1] - drained[0]) if len(drained) > 1 else None,
        tried(span, instead, climate, programme, step),
        fit.use_factor, fit.delivered_share, fit.onset_share,
        Figure(fit.rmse_points, "points", 2, f"root mean square error of the bed model against {fit.minutes} minutes of that day"),
    )  # fmt: skip


def _per_minute(values: np.ndarray, minutes: int) -> np.ndarray:
    """Five-minute means as a value a minute; gaps stay gaps."""
    return np.repeat(values, 5)[:minutes]


def _doses(pulses: list[Pulse], start: datetime, minutes: int) -> np.ndarray:
    """Water given in each minute [mL per plant]."""
    dose = np.zeros(minutes)
    for p in pulses:
        first = int(((p.started_at or p.ordered_at) - start).total_seconds() // 60)
        count = max(1, round(p.seconds / 60))
        ml = p.dose_ml if p.delivered_ml is None else p.delivered_ml
        dose[max(0, first) : first + count] += ml / count
    return dose


def recorded_days(bed: Bed, now: datetime) -> list[date]:
    """Days of the last six weeks with light and water content on record, newest first."""
    rows = bed.day_figures.filter(
        light_sum_j_cm2__isnull=False, peak__isnull=False, day__lt=local_day(bed.house.site, now)
    )
    return list(rows.order_by("-day").values_list("day", flat=True)[:42])
