"""A simulated stretch of hours under a programme: the same decide and the same bed model as live control."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from .arrays import FloatArray
from .bedmodel import BedPhysics, BedWater, advance, pore_ec_of
from .constants import CM_WATER_PER_KPA
from .decide import decide
from .errors import Inconsistent
from .probe import follow
from .programme import BedSetup, MomentKind, Programme, TriggerKind
from .reasons import Action, BedState, Decision, Since, renewed
from .substrate import suction_from_water_content
from .triggers import trigger_measure

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
    """Result: arrays of shape (minutes,), pulses, decisions whenever the deciding reason changed, drain and dose sums [mL per plant],
    where it ended, and what each trigger of the programme saw, in the trigger's unit."""

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
    tracks: dict[TriggerKind, FloatArray] = field(default_factory=dict)

    @property
    def dose_ml(self) -> float:
        return sum(p.dose_ml for p in self.pulses)

    @property
    def drained_ml(self) -> float:
        return float(self.drain_ml.sum())


@dataclass(frozen=True)
class Surroundings:
    """What a simulated stretch runs in: start, demand per minute [mL per plant, shape (minutes,)], sun times by
    calendar day (day number from start's midnight), midnight of the first day, feed [mS/cm], probe lag [s], and, of the
    demand's shape where triggers ask for them, radiation inside [W/m2] and VPD [kPa]."""

    start: datetime
    demand_ml: FloatArray
    sun: list[tuple[datetime, datetime]]
    midnight: datetime
    feed_ms_cm: float = 2.4
    probe_lag_s: float = 150.0
    radiation_w_m2: FloatArray | None = None
    vpd_kpa: FloatArray | None = None


DRAIN_SEEN_ML = 2.0
"""Drain of a day from which on it counts as seen [mL per plant]."""


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
    around : start, demand, sun times, feed, weather.
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
    sums = _Sums(programme, state, around)
    current, day, drained_today = state, 0, 0.0
    pulses: list[SimulatedPulse] = []
    changes: list[tuple[datetime, Decision]] = []
    open_ml = _PulseFlow(state.setup)
    rows, times = np.empty((minutes, 4)), []
    seen = sums.first_seen(water)
    demand = around.demand_ml.tolist()
    changed: dict[str, Any] = {}
    for i in range(minutes):
        now = around.start + timedelta(seconds=STEP_S * i)
        if (today := (now - around.midnight).days) != day or not i:
            changed |= {"midnight": around.midnight + timedelta(days=today)}
            if i:
                changed |= {"given_today_ml": 0.0, "pulses_today": 0}
                drained_today = 0.0
            day = today
        changed["sunrise"], changed["sunset"] = around.sun[day]
        current = renewed(
            current,
            theta=seen,
            theta_at=now,
            drain_seen=drained_today > DRAIN_SEEN_ML,
            **sums.at(i, now, seen),
            **changed,
        )
        decision = decide(programme, current, now)
        changed = {"memory": decision.memory}
        why = decision.reasons[0].why
        if decision.action is Action.GIVE or not changes or why is not changes[-1][1].reasons[0].why:
            changes.append((now, decision))
        if decision.action is Action.GIVE:
            pulses.append(SimulatedPulse(now, decision.seconds, decision.dose_ml_per_plant, decision))
            open_ml.open(decision.dose_ml_per_plant, decision.seconds)
            sums.pulse(now, seen, decision.dose_ml_per_plant)
            changed |= {
                "last_pulse_start": now,
                "last_pulse_end": now + timedelta(seconds=decision.seconds),
                "given_today_ml": current.given_today_ml + decision.dose_ml_per_plant,
                "pulses_today": current.pulses_today + 1,
            }
        dose = open_ml.during(STEP_S) * delivered_share
        water, flows = advance(water, physics, dose, around.feed_ms_cm, demand[i])
        seen = follow(seen, water.theta, STEP_S, around.probe_lag_s)
        drained_today += flows.drain_ml
        rows[i] = water.theta, seen, flows.drain_ml, pore_ec_of(water, physics)
        sums.keep(i, current, now)
        times.append(now)
    current = renewed(current, **changed)
    return SimulatedDay(
        times,
        rows[:, 0],
        rows[:, 1],
        rows[:, 2],
        rows[:, 3],
        pulses,
        changes,
        current.memory.fault,
        water,
        current,
        sums.tracks,
    )


class _Sums:
    """What a programme asks for besides θ, a value a minute: sums since the last pulse, hour's doses, suction, fall ahead."""

    def __init__(self, programme: Programme, state: BedState, around: Surroundings) -> None:
        kinds = {t.kind for t in programme.triggers}
        self._state, self._peak = state, state.since.peak
        self._light = _column(around.radiation_w_m2, 60 / 1e4)
        self._vpd = _column(around.vpd_kpa, 1 / 60)
        self._use = around.demand_ml.tolist()
        self._since = [
            0.0 if v != v else v for v in (state.since.light_j_cm2, state.since.vpd_kpa_h, state.since.use_ml)
        ]
        self._wants_sums = bool(
            kinds & {TriggerKind.LIGHT_SUM, TriggerKind.VPD_HOURS, TriggerKind.WATER_USE, TriggerKind.FALLEN}
        )
        self._wants_suction = TriggerKind.SUCTION in kinds and state.setup.medium is not None
        self._radiation = around.radiation_w_m2.tolist() if around.radiation_w_m2 is not None else None
        self._ahead = _fall_ahead(state, around) if programme.stop.kind is MomentKind.FALL else None
        self._hour: list[tuple[datetime, float]] = []
        self.tracks: dict[TriggerKind, FloatArray] = {
            k: np.full(len(around.demand_ml), np.nan)
            for k in kinds
            if k not in (TriggerKind.BELOW_LOW, TriggerKind.CLOCK)
        }

    def first_seen(self, water: BedWater) -> float:
        return self._state.theta if self._state.theta == self._state.theta else float(water.theta)

    def at(self, i: int, now: datetime, seen: float) -> dict[str, Any]:
        self._peak = seen if self._peak != self._peak or seen > self._peak else self._peak
        out: dict[str, Any] = {}
        if self._hour:
            self._hour = [p for p in self._hour if p[0] > now - timedelta(hours=1)]
        out["given_hour_ml"] = sum(ml for _, ml in self._hour)
        if self._radiation is not None:
            out["radiation_w_m2"] = self._radiation[i]
        if self._ahead is not None:
            out["fall_ahead"] = self._ahead[i]
        if self._wants_sums:
            for k, column in enumerate((self._light, self._vpd, self._use)):
                if column is not None:
                    self._since[k] += column[i]
            light, vpd, use = self._since
            nan = float("nan")
            out["since"] = Since(light if self._light else nan, vpd if self._vpd else nan, use, self._peak)
        if self._wants_suction and self._state.setup.medium is not None:
            medium = self._state.setup.medium
            inside = min(max(seen, medium.theta_r + 1e-4), medium.theta_s - 1e-4)
            out["suction_kpa"] = float(suction_from_water_content(inside, medium)) / CM_WATER_PER_KPA
        return out

    def keep(self, i: int, state: BedState, now: datetime) -> None:
        """Keep what each trigger saw in this minute."""
        for kind, track in self.tracks.items():
            track[i] = trigger_measure(kind, state, now)

    def pulse(self, now: datetime, seen: float, dose_ml: float) -> None:
        self._since, self._peak = [0.0, 0.0, 0.0], seen
        self._hour.append((now, dose_ml))


def _column(values: FloatArray | None, scale: float) -> list[float] | None:
    return None if values is None else (values * scale).tolist()


def _fall_ahead(state: BedState, around: Surroundings) -> list[float]:
    """Expected fall of θ from each minute to the next morning's sunrise, from the demand itself [m3/m3]."""
    total = np.concatenate([[0.0], np.cumsum(around.demand_ml)])
    count = len(around.demand_ml)
    mornings = [int((rise - around.start).total_seconds() // 60) for rise, _ in around.sun]
    out = np.zeros(count)
    for i in range(count):
        until = next((m for m in mornings if m > i), count)
        out[i] = (total[min(until, count)] - total[i]) / (1000 * state.setup.volume_l_per_plant)
    return out.tolist()


@dataclass(frozen=True)
class Outcome:
    """A run in figures: dose and drain [mL per plant], share [-, NaN without a dose], pulses, peak and lowest θ [m3/m3],
    share of the open hours in the band, pore conductivity at the end [mS/cm], fault."""

    dose_ml: float
    drain_ml: float
    drain_share: float
    pulses: int
    peak: float
    lowest: float
    in_band: float
    end_pore_ec_ms_cm: float
    fault: str


def outcome_of(day: SimulatedDay, programme: Programme) -> Outcome:
    """The figures of a run that programmes are compared by. The band counts from low to high, as the probe sees it."""
    seen = day.seen
    inside = float(np.mean((seen >= programme.low) & (seen <= programme.high + 0.01))) if len(seen) else float("nan")
    share = day.drained_ml / day.dose_ml if day.dose_ml > 0 else float("nan")
    return Outcome(
        day.dose_ml, day.drained_ml, share, len(day.pulses), float(seen.max()), float(seen.min()), inside, float(day.pore_ec_ms_cm[-1]), day.fault
    )  # fmt: skip


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
