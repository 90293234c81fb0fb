"""What forbids a pulse, whatever the bed wants. No setting switches one of these off.

Each guard looks at one thing and gives a reason or None; GUARDS and HOLD_GUARDS hold them all, and decide asks every one of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from .errors import ReedError
from .programme import Programme, most_ml, seconds_of_ml
from .reasons import NO_HOLDS, BedState, Reason, Why

CLOCK_LEEWAY = timedelta(seconds=120)


@dataclass(frozen=True)
class Wish:
    """The pulse that is asked about: dose [mL per plant] and the gap it must keep to the last one [min]."""

    dose_ml: float
    gap_min: float


Guard = Callable[[Programme, BedState, datetime, Wish], Reason | None]


def reading_problem(programme: Programme, state: BedState, now: datetime) -> Reason | None:
    """Why there is no water content to go by, or None."""
    if state.untrusted:
        return Reason(Why.NOT_TRUSTED, {"probes": float(state.untrusted)})
    if state.theta_at is None or math.isnan(state.theta):
        return Reason(Why.NO_READING)
    age = (now - state.theta_at).total_seconds()
    if age > programme.stale_after_s:
        return Reason(Why.STALE, {"age_s": age, "limit_s": programme.stale_after_s})
    if not -0.03 <= state.theta <= state.setup.saturation + 0.05:
        return Reason(Why.IMPLAUSIBLE, {"theta": state.theta, "saturation": state.setup.saturation})
    return None


def guard_stopped(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return Reason(Why.STOPPED) if state.stopped else None


def guard_locked(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return Reason(Why.LOCKED, {}, state.holds.locked) if state.holds.locked else None


def guard_fault(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    memory = state.memory
    return Reason(Why.FAULT, {"tries": float(memory.tries)}, memory.fault) if memory.fault else None


def guard_manual(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return Reason(Why.MANUAL) if state.holds.manual else None


def guard_paused(_p: Programme, state: BedState, now: datetime, _w: Wish) -> Reason | None:
    until = state.holds.paused_until
    return Reason(Why.PAUSED, {"left_s": (until - now).total_seconds()}) if until is not None and until > now else None


def guard_exception(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return Reason(Why.EXCEPTION, {}, state.holds.exception) if state.holds.exception else None


def guard_clock(_p: Programme, state: BedState, now: datetime, _w: Wish) -> Reason | None:
    ahead = [t for t in (state.theta_at, state.last_pulse_start) if t is not None and t > now + CLOCK_LEEWAY]
    return Reason(Why.CLOCK, {"ahead_s": (max(ahead) - now).total_seconds()}) if ahead else None


def guard_node(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    silent = state.holds.node_silent_s
    return None if math.isnan(silent) else Reason(Why.NODE_SILENT, {"silent_s": silent})


def guard_running(_p: Programme, state: BedState, now: datetime, _w: Wish) -> Reason | None:
    end = state.last_pulse_end
    return Reason(Why.RUNNING, {"left_s": (end - now).total_seconds()}) if end is not None and end > now else None


def guard_soak(_p: Programme, state: BedState, now: datetime, wish: Wish) -> Reason | None:
    end = state.last_pulse_end
    if end is None or not end <= now < end + timedelta(minutes=wish.gap_min):
        return None
    return Reason(Why.SOAKING, {"passed_min": (now - end).total_seconds() / 60, "soak_min": wish.gap_min})


def guard_tank(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    if state.tank_l is None or math.isnan(state.tank_l):
        return Reason(Why.TANK_UNKNOWN) if state.tank_required else None
    if state.tank_l <= state.setup.tank_empty_l:
        return Reason(Why.TANK_EMPTY, {"tank_l": state.tank_l, "empty_l": state.setup.tank_empty_l})
    return None


def guard_stray_flow(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    stray = state.holds.stray_flow_l_min
    return Reason(Why.STRAY_FLOW, {"flow_l_min": stray}) if stray > 0 else None


def guard_feed_ec(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return _feed(Why.FEED_EC, state)


def guard_feed_ph(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    return _feed(Why.FEED_PH, state)


def _feed(why: Why, state: BedState) -> Reason | None:
    band = state.holds.feed_ec if why is Why.FEED_EC else state.holds.feed_ph
    return Reason(why, {"value": band.value, "low": band.low, "high": band.high}) if band.broken else None


def guard_rain(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    left = state.holds.rain_left_min
    return Reason(Why.RAIN_HOLD, {"left_min": left}) if left > 0 else None


def guard_pulses(programme: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    if state.pulses_today < programme.pulses_per_day:
        return None
    return Reason(Why.PULSES_CAP, {"pulses": float(state.pulses_today), "cap": float(programme.pulses_per_day)})


def guard_hour(programme: Programme, state: BedState, _now: datetime, wish: Wish) -> Reason | None:
    return _cap(Why.HOURLY_CAP, state.given_hour_ml, wish.dose_ml, programme.hourly_cap_ml_per_plant)


def guard_day(programme: Programme, state: BedState, _now: datetime, wish: Wish) -> Reason | None:
    return _cap(Why.DAILY_CAP, state.given_today_ml, wish.dose_ml, programme.daily_cap_ml_per_plant)


def _cap(why: Why, given: float, dose: float, cap: float) -> Reason | None:
    return Reason(why, {"given_ml": given, "dose_ml": dose, "cap_ml": cap}) if given + dose > cap + 1e-9 else None


def guard_dose(_p: Programme, state: BedState, _now: datetime, wish: Wish) -> Reason | None:
    numbers = {"dose_ml": wish.dose_ml, "line_fill_s": state.setup.line_fill_s, "most_ml": most_ml(state.setup)}
    if not wish.dose_ml <= most_ml(state.setup):
        return Reason(Why.CANNOT_DOSE, numbers)
    try:
        seconds_of_ml(wish.dose_ml, state.setup)
    except ReedError:
        return Reason(Why.CANNOT_DOSE, numbers)
    return None


def guard_pump(_p: Programme, state: BedState, _now: datetime, _w: Wish) -> Reason | None:
    setup = state.setup
    if setup.flow_l_min + state.busy_flow_l_min <= setup.pump_flow_l_min + 1e-9:
        return None
    return Reason(
        Why.PUMP_BUSY,
        {"needs_l_min": setup.flow_l_min, "busy_l_min": state.busy_flow_l_min, "pump_l_min": setup.pump_flow_l_min},
    )


GUARDS: tuple[Guard, ...] = (
    *(guard_stopped, guard_fault, guard_clock, guard_running, guard_soak, guard_tank),
    *(guard_pulses, guard_hour, guard_day, guard_dose, guard_pump),
)
"""Guards on what is known of the bed."""
HOLD_GUARDS: tuple[Guard, ...] = (
    *(guard_locked, guard_manual, guard_paused, guard_exception, guard_node),
    *(guard_stray_flow, guard_feed_ec, guard_feed_ph, guard_rain),
)
"""Guards on what people and the system around it hold the bed by."""
PASSING: frozenset[Guard] = frozenset(
    {guard_running, guard_soak, guard_rain, guard_pulses, guard_hour, guard_day, guard_pump}
)
"""Guards that are over by themselves: not worth naming while no water is wanted."""


def guard_reasons(programme: Programme, state: BedState, now: datetime, wish: Wish) -> list[Reason]:
    """Everything that forbids this pulse now."""
    held = [] if state.holds is NO_HOLDS else _asked(HOLD_GUARDS, programme, state, now, wish)
    return [*held, *_asked(GUARDS, programme, state, now, wish)]


def lasting_reasons(programme: Programme, state: BedState, now: datetime, wish: Wish) -> list[Reason]:
    """What would still forbid a pulse when one is wanted again: it needs a person."""
    held = [] if state.holds is NO_HOLDS else _asked(HOLD_GUARDS, programme, state, now, wish, PASSING)
    return [*held, *_asked(GUARDS, programme, state, now, wish, PASSING)]


def _asked(
    guards: tuple[Guard, ...],
    programme: Programme,
    state: BedState,
    now: datetime,
    wish: Wish,
    but: frozenset[Guard] = frozenset(),
) -> list[Reason]:
    return [r for g in guards if g not in but and (r := g(programme, state, now, wish)) is not None]
