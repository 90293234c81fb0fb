"""The decision of one bed at one moment: pure and total. Live control, the simulated day and replay all use it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from .errors import ReedError
from .programme import BedSetup, Programme, pulse_seconds


class Action(StrEnum):
    GIVE = "give"
    WITHHOLD = "withhold"


class Why(StrEnum):
    """Reasons, for and against."""

    BELOW_LOW = "below_low"
    TOWARDS_HIGH = "towards_high"
    RESCUE = "rescue"
    IN_BAND = "in_band"
    TARGET_REACHED = "target_reached"
    OUTSIDE_HOURS = "outside_hours"
    SOAKING = "soaking"
    RUNNING = "running"
    NO_READING = "no_reading"
    NOT_TRUSTED = "not_trusted"
    STALE = "stale"
    IMPLAUSIBLE = "implausible"
    CLOCK = "clock"
    TANK_EMPTY = "tank_empty"
    TANK_UNKNOWN = "tank_unknown"
    PUMP_BUSY = "pump_busy"
    DAILY_CAP = "daily_cap"
    MISSED_TARGET = "missed_target"
    FAULT = "fault"
    STOPPED = "stopped"
    CANNOT_DOSE = "cannot_dose"
    AMOUNTS = "amounts"


@dataclass(frozen=True)
class Reason:
    """One reason with its numbers. Levels in m3/m3, volumes in mL per plant or L, times in s or min, as named."""

    why: Why
    numbers: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class BedState:
    """What is known of a bed at a moment.

    theta [m3/m3, NaN when unknown] and when it was read; sunrise and sunset of this day; latch, tries and
    pulse times; given today [mL per plant]; tank [L, None when not measured]; flow others take [L/min];
    untrusted: probes of the bed that have a value but are not to be used, where none is left.
    """

    setup: BedSetup
    theta: float
    theta_at: datetime | None
    sunrise: datetime
    sunset: datetime
    latched: bool = False
    tries: int = 0
    last_pulse_start: datetime | None = None
    last_pulse_end: datetime | None = None
    given_today_ml: float = 0.0
    fault: str = ""
    stopped: bool = False
    tank_l: float | None = None
    tank_required: bool = True
    busy_flow_l_min: float = 0.0
    untrusted: int = 0


@dataclass(frozen=True)
class Decision:
    """An action with its reasons, the deciding one first, and the state of latch, tries and fault after it."""

    action: Action
    reasons: tuple[Reason, ...]
    latched: bool
    tries: int
    fault: str = ""
    dose_ml_per_plant: float = 0.0
    seconds: float = 0.0


def decide(programme: Programme, state: BedState, now: datetime) -> Decision:
    """Decide whether to give a pulse.

    Parameters
    ----------
    programme : the published programme.
    state : what is known of the bed; times timezone-aware.
    now : the moment, timezone-aware.

    Returns
    -------
    Decision, for every input: a guard that forbids is named first, then whether water was wanted.
    A pulse is given only when it is wanted and no guard forbids it.

    References
    ----------
    needs.md W1, W2, W3, W6, W7.
    """
    guards = guard_reasons(programme, state, now)
    if any(g.why in _NO_LEVEL for g in guards):
        return Decision(Action.WITHHOLD, tuple(guards), state.latched, state.tries, state.fault)
    wanted, reason, latched, tries = _demand(programme, state, now)
    if state.fault:
        latched, tries = state.latched, state.tries
    if not wanted:
        blocking = [g for g in guards if g.why in _LASTING]
        reasons = (*blocking, reason) if blocking else (reason, *(g for g in guards if g.why is Why.RUNNING))
        return Decision(Action.WITHHOLD, reasons, latched, tries, state.fault)
    if not state.fault and tries >= programme.tries and not _soaking(programme, state, now):
        missed = Reason(Why.MISSED_TARGET, {"tries": tries, "theta": state.theta, "high": programme.high})
        return Decision(Action.WITHHOLD, (missed, reason, *guards), latched, tries, Why.MISSED_TARGET.value)
    if guards:
        return Decision(Action.WITHHOLD, (*guards, reason), latched, tries, state.fault)
    seconds = pulse_seconds(programme, state.setup)
    return Decision(
        Action.GIVE,
        (reason, _given(programme, state, now)),
        latched,
        tries + 1,
        "",
        programme.dose_ml_per_plant,
        seconds,
    )


_NO_LEVEL = frozenset({Why.NO_READING, Why.NOT_TRUSTED, Why.STALE, Why.IMPLAUSIBLE, Why.CLOCK})
_LASTING = frozenset({Why.FAULT, Why.STOPPED, Why.TANK_EMPTY, Why.TANK_UNKNOWN, Why.CANNOT_DOSE})


def guard_reasons(programme: Programme, state: BedState, now: datetime) -> list[Reason]:
    """Everything that forbids a pulse now, whatever the bed wants. No setting switches one of these off."""
    found: list[Reason] = []
    if state.stopped:
        found.append(Reason(Why.STOPPED))
    if state.fault:
        found.append(Reason(Why.FAULT, {"tries": state.tries}))
    for guard in (_guard_reading, _guard_clock, _guard_running, _guard_supply, _guard_amount):
        found.extend(guard(programme, state, now))
    return found


def _guard_reading(programme: Programme, state: BedState, now: datetime) -> list[Reason]:
    if state.untrusted:
        return [Reason(Why.NOT_TRUSTED, {"probes": float(state.untrusted)})]
    if state.theta_at is None or math.isnan(state.theta):
        return [Reason(Why.NO_READING)]
    age = (now - state.theta_at).total_seconds()
    if age > programme.stale_after_s:
        return [Reason(Why.STALE, {"age_s": age, "limit_s": programme.stale_after_s})]
    if not -0.03 <= state.theta <= state.setup.saturation + 0.05:
        return [Reason(Why.IMPLAUSIBLE, {"theta": state.theta, "saturation": state.setup.saturation})]
    return []


def _guard_clock(_programme: Programme, state: BedState, now: datetime) -> list[Reason]:
    ahead = [t for t in (state.theta_at, state.last_pulse_start) if t and t > now + timedelta(seconds=120)]
    return [Reason(Why.CLOCK, {"ahead_s": (max(ahead) - now).total_seconds()})] if ahead else []


def _guard_running(programme: Programme, state: BedState, now: datetime) -> list[Reason]:
    if state.last_pulse_end and state.last_pulse_end > now:
        return [Reason(Why.RUNNING, {"left_s": (state.last_pulse_end - now).total_seconds()})]
    if _soaking(programme, state, now):
        assert state.last_pulse_end is not None
        passed = (now - state.last_pulse_end).total_seconds() / 60
        return [Reason(Why.SOAKING, {"passed_min": passed, "soak_min": programme.soak_min})]
    return []


def _soaking(programme: Programme, state: BedState, now: datetime) -> bool:
    return state.last_pulse_end is not None and now < state.last_pulse_end + timedelta(minutes=programme.soak_min)


def _guard_supply(_programme: Programme, state: BedState, _now: datetime) -> list[Reason]:
    found: list[Reason] = []
    setup = state.setup
    if state.tank_l is None or math.isnan(state.tank_l):
        if state.tank_required:
            found.append(Reason(Why.TANK_UNKNOWN))
    elif state.tank_l <= setup.tank_empty_l:
        found.append(Reason(Why.TANK_EMPTY, {"tank_l": state.tank_l, "empty_l": setup.tank_empty_l}))
    if setup.flow_l_min + state.busy_flow_l_min > setup.pump_flow_l_min + 1e-9:
        found.append(
            Reason(
                Why.PUMP_BUSY,
                {
                    "needs_l_min": setup.flow_l_min,
                    "busy_l_min": state.busy_flow_l_min,
                    "pump_l_min": setup.pump_flow_l_min,
                },
            )
        )
    return found


def _guard_amount(programme: Programme, state: BedState, _now: datetime) -> list[Reason]:
    found: list[Reason] = []
    cap = programme.daily_cap_ml_per_plant
    if state.given_today_ml + programme.dose_ml_per_plant > cap + 1e-9:
        found.append(
            Reason(
                Why.DAILY_CAP, {"given_ml": state.given_today_ml, "dose_ml": programme.dose_ml_per_plant, "cap_ml": cap}
            )
        )
    try:
        pulse_seconds(programme, state.setup)
    except ReedError:
        found.append(
            Reason(Why.CANNOT_DOSE, {"dose_ml": programme.dose_ml_per_plant, "line_fill_s": state.setup.line_fill_s})
        )
    return found


def hours_of(programme: Programme, sunrise: datetime, sunset: datetime) -> tuple[datetime, datetime]:
    """Start and stop of the watering hours on the day of this sunrise and sunset."""
    return (
        sunrise + timedelta(minutes=programme.start_after_sunrise_min),
        sunset - timedelta(minutes=programme.stop_before_sunset_min),
    )


def _demand(programme: Programme, state: BedState, now: datetime) -> tuple[bool, Reason, bool, int]:
    """Is water wanted, why or why not, and latch and tries after looking."""
    start, stop = hours_of(programme, state.sunrise, state.sunset)
    theta = state.theta
    if not start <= now < stop:
        tries = state.tries if state.latched else 0
        if theta < programme.rescue:
            return True, Reason(Why.RESCUE, {"theta": theta, "rescue": programme.rescue}), True, tries
        numbers = {"theta": theta, "rescue": programme.rescue, "to_start_min": (start - now).total_seconds() / 60}
        return False, Reason(Why.OUTSIDE_HOURS, numbers), False, 0
    levels = {"theta": theta, "low": programme.low, "high": programme.high}
    if theta >= programme.high:
        return False, Reason(Why.TARGET_REACHED if state.latched else Why.IN_BAND, levels), False, 0
    if theta < programme.low:
        return True, Reason(Why.BELOW_LOW, levels), True, state.tries if state.latched else 0
    if state.latched:
        return True, Reason(Why.TOWARDS_HIGH, levels), True, state.tries
    return False, Reason(Why.IN_BAND, levels), False, 0


def _given(programme: Programme, state: BedState, now: datetime) -> Reason:
    numbers = {
        "dose_ml": programme.dose_ml_per_plant,
        "given_ml": state.given_today_ml + programme.dose_ml_per_plant,
        "cap_ml": programme.daily_cap_ml_per_plant,
        "try": 1.0 + (state.tries if state.latched else 0),
        "tries": float(programme.tries),
    }
    if state.last_pulse_end:
        numbers["since_last_min"] = (now - state.last_pulse_end).total_seconds() / 60
    return Reason(Why.AMOUNTS, numbers)
