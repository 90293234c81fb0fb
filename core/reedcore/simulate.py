"""A simulated stretch of hours under a programme: the same decide and the same bed model as live control."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from .arrays import FloatArray
from .bedmodel import BedPhysics, BedWater, advance, pore_ec_of
from .decide import Action, BedState, Decision, decide
from .errors import Inconsistent
from .probe import follow
from .programme import BedSetup, Programme

STEP_S = 60


@dataclass(frozen=True)
class SimulatedPulse:
    """A pulse: start, open seconds, dose [mL per plant] and the decision that gave it."""

    at: datetime
    seconds: float
    dose_ml: float
    decision: Decision


@dataclass(frozen=True)
class SimulatedDay:
    """Result: arrays of shape (minutes,), pulses, decisions whenever the deciding reason changed, drain and dose sums [mL per plant], and where it ended."""

    times: list[datetime]
    theta: FloatArray
    seen: FloatArray
    drain_ml: FloatArray
    pore_ec_ms_cm: FloatArray
    pulses: list[SimulatedPulse]
    changes: list[tuple[datetime, Decision]]
    fault: str
    end_water: BedWater
    end_state: BedState

    @property
    def dose_ml(self) -> float:
        return sum(p.dose_ml for p in self.pulses)

    @property
    def drained_ml(self) -> float:
        return float(self.drain_ml.sum())


@dataclass(frozen=True)
class Surroundings:
    """What a simulated stretch runs in: start, demand per minute [mL per plant, shape (minutes,)], sun times by
    calendar day (day number from start's midnight), feed [mS/cm], probe lag [s], midnight of the first day."""

    start: datetime
    demand_ml: FloatArray
    sun: list[tuple[datetime, datetime]]
    midnight: datetime
    feed_ms_cm: float = 2.4
    probe_lag_s: float = 150.0


def simulate(
    programme: Programme,
    state: BedState,
    water: BedWater,
    physics: BedPhysics,
    around: Surroundings,
    delivered_share: float = 1.0,
) -> SimulatedDay:
    """Run a programme over the minutes of `around.demand_ml`.

    Parameters
    ----------
    programme, state : as for decide; the state's θ is what the probe sees at the start.
    water, physics : the bed itself, floats.
    around : start, demand, sun times, feed.
    delivered_share : share of the dose that arrives [0 to 1.5], 1 for clean drippers.

    Returns
    -------
    SimulatedDay. Doses arrive evenly over the open seconds after the line is full.

    Raises
    ------
    Inconsistent : fewer sun times than days.
    """
    minutes = len(around.demand_ml)
    days = (around.start + timedelta(minutes=minutes) - around.midnight).days + 1
    if len(around.sun) < days:
        raise Inconsistent("sun", len(around.sun), f"sunrise and sunset of {days} days")
    seen = state.theta if state.theta == state.theta else float(water.theta)
    current, day = state, 0
    changed: dict[str, Any] = {}
    pulses: list[SimulatedPulse] = []
    changes: list[tuple[datetime, Decision]] = []
    open_ml = _PulseFlow(state.setup)
    rows, times = np.empty((minutes, 4)), []
    demand = around.demand_ml.tolist()
    for i in range(minutes):
        now = around.start + timedelta(seconds=STEP_S * i)
        if (today := (now - around.midnight).days) != day:
            day, changed = today, {**changed, "given_today_ml": 0.0}
        sunrise, sunset = around.sun[day]
        current = replace(current, theta=seen, theta_at=now, sunrise=sunrise, sunset=sunset, **changed)
        decision = decide(programme, current, now)
        changed = {"latched": decision.latched, "tries": decision.tries, "fault": decision.fault or current.fault}
        why = decision.reasons[0].why
        if decision.action is Action.GIVE or not changes or why is not changes[-1][1].reasons[0].why:
            changes.append((now, decision))
        if decision.action is Action.GIVE:
            pulses.append(SimulatedPulse(now, decision.seconds, decision.dose_ml_per_plant, decision))
            open_ml.open(decision.dose_ml_per_plant, decision.seconds)
            changed |= {
                "last_pulse_start": now,
                "last_pulse_end": now + timedelta(seconds=decision.seconds),
                "given_today_ml": current.given_today_ml + decision.dose_ml_per_plant,
            }
        dose = open_ml.during(STEP_S) * delivered_share
        water, flows = advance(water, physics, dose, around.feed_ms_cm, demand[i])
        seen = follow(seen, water.theta, STEP_S, around.probe_lag_s)
        rows[i] = water.theta, seen, flows.drain_ml, pore_ec_of(water, physics)
        times.append(now)
    current = replace(current, **changed)
    return SimulatedDay(
        times, rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], pulses, changes, current.fault, water, current
    )


class _PulseFlow:
    """Hands out the millilitres of an open pulse as time passes, exactly."""

    def __init__(self, setup: BedSetup) -> None:
        self._fill_s = setup.line_fill_s
        self._wait_s = 0.0
        self._left_ml = 0.0
        self._rate = setup.flow_ml_min_per_plant / 60

    def open(self, dose_ml: float, seconds: float) -> None:
        self._wait_s, self._left_ml = self._fill_s, dose_ml
        self._rate = dose_ml / (seconds - self._fill_s)

    def during(self, seconds: float) -> float:
        waited = min(self._wait_s, seconds)
        self._wait_s -= waited
        given = min(self._left_ml, self._rate * (seconds - waited))
        self._left_ml -= given
        return given
