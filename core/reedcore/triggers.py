"""What a bed asks for in each span: is water wanted, why or why not."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta

from .dosing import seconds_from_dose
from .errors import ReedError
from .programme import Dose, DoseKind, Match, Programme, Trigger, TriggerKind, usual_dose_ml
from .reasons import BedState, Memory, Reason, Span, Why, renewed
from .spans import start_time, stop_time

CLOCK_WINDOW_MIN = 30
"""A clock time missed by more than this, because the server was away, is not made up for."""


@dataclass(frozen=True)
class Demand:
    """Is water wanted, the reason, the memory after looking, and the dose it asks for."""

    wanted: bool
    reason: Reason
    memory: Memory
    dose: Dose
    counts: bool = True
    gap_min: float = 0.0


def demand_of(programme: Programme, state: BedState, memory: Memory, now: datetime) -> Demand:
    """What the span that holds now asks for. `counts`: does a pulse count as a try towards the target."""
    if memory.span is Span.DRYDOWN:
        return _in_drydown(programme, state, memory, now)
    if memory.span is Span.RECHARGE and programme.recharge is not None:
        recharge = programme.recharge
        numbers = {
            "pulse": memory.recharge_pulses + 1.0,
            "pulses": float(recharge.pulses),
            "theta": state.theta,
            "high": programme.high,
        }
        reason = Reason(Why.RECHARGE, numbers, recharge.until.value)
        return Demand(True, reason, memory, recharge.dose, False, recharge.gap_min)
    return _while_held(programme, state, memory, now)


def _in_drydown(programme: Programme, state: BedState, memory: Memory, now: datetime) -> Demand:
    theta, rescue = state.theta, programme.rescue
    if theta < rescue:
        return Demand(
            True, Reason(Why.RESCUE, {"theta": theta, "rescue": rescue}), renewed(memory, latched=True), programme.dose
        )
    to_start = (start_time(programme, state.sunrise, state.midnight) - now).total_seconds() / 60
    reason = Reason(Why.OUTSIDE_HOURS, {"theta": theta, "rescue": rescue, "to_start_min": to_start})
    return Demand(False, reason, renewed(memory, latched=False, tries=0), programme.dose)


def _while_held(programme: Programme, state: BedState, memory: Memory, now: datetime) -> Demand:
    theta, levels = state.theta, {"theta": state.theta, "low": programme.low, "high": programme.high}
    target = programme.high if memory.latched else programme.low
    settled = renewed(memory, latched=False, tries=0) if theta >= target else memory
    if memory.latched and theta < programme.high:
        reason = Reason(Why.BELOW_LOW if theta < programme.low else Why.TOWARDS_HIGH, levels)
        return Demand(True, reason, memory, programme.dose)
    fired: list[Trigger] = []
    waiting: list[Trigger] = []
    for trigger in programme.triggers:
        (fired if _fires(trigger, programme, state, now) else waiting).append(trigger)
    hit = bool(fired) if programme.match is Match.ANY else not waiting
    if hit:
        reason = _said(fired[0], programme, state, now)
        latch = programme.latch and any(t.kind is TriggerKind.BELOW_LOW for t in fired)
        return Demand(True, reason, renewed(settled, latched=latch), programme.dose)
    if programme.largest_gap_min and state.last_pulse_end is not None:
        gap = (now - state.last_pulse_end).total_seconds() / 60
        if gap >= programme.largest_gap_min:
            return Demand(
                True,
                Reason(Why.LARGEST_GAP, {"gap_min": gap, "largest_min": programme.largest_gap_min}),
                settled,
                programme.dose,
            )
    return Demand(False, _withheld(waiting, programme, state, memory, now), settled, programme.dose)


def _withheld(waiting: list[Trigger], programme: Programme, state: BedState, memory: Memory, now: datetime) -> Reason:
    levels = {"theta": state.theta, "low": programme.low, "high": programme.high}
    if any(t.kind is TriggerKind.BELOW_LOW for t in waiting):
        return Reason(Why.TARGET_REACHED if memory.latched else Why.IN_BAND, levels)
    if not waiting:
        return Reason(Why.NOT_YET, {}, "no trigger")
    said = _said(waiting[0], programme, state, now)
    return Reason(Why.NOT_YET, said.numbers, said.why.value)


def trigger_measure(kind: TriggerKind, state: BedState, now: datetime) -> float:
    """What a trigger sees, in its own unit; it fires when this reaches its value. Infinite where no pulse was given yet."""
    since = state.since
    if kind is TriggerKind.FALLEN:
        return since.peak - state.theta
    if kind is TriggerKind.SUCTION:
        return state.suction_kpa
    if kind is TriggerKind.ELAPSED:
        last = state.last_pulse_end
        return math.inf if last is None else (now - last).total_seconds() / 60
    if kind is TriggerKind.LIGHT_SUM:
        return since.light_j_cm2
    return since.vpd_kpa_h if kind is TriggerKind.VPD_HOURS else since.use_ml


def _fires(trigger: Trigger, programme: Programme, state: BedState, now: datetime) -> bool:
    if trigger.kind is TriggerKind.CLOCK:
        return _clock_due(trigger, state, now) is not None
    if trigger.kind is TriggerKind.BELOW_LOW:
        return state.theta < programme.low
    return trigger_measure(trigger.kind, state, now) >= trigger.value


def _clock_due(trigger: Trigger, state: BedState, now: datetime) -> datetime | None:
    passed = (now - state.midnight).total_seconds() / 60
    for minute in reversed(trigger.times):
        if minute <= passed < minute + CLOCK_WINDOW_MIN:
            due = state.midnight + timedelta(minutes=minute)
            return due if state.last_pulse_start is None or state.last_pulse_start < due else None
    return None


WHY_OF = {
    TriggerKind.BELOW_LOW: Why.BELOW_LOW,
    TriggerKind.FALLEN: Why.FALLEN,
    TriggerKind.SUCTION: Why.SUCTION,
    TriggerKind.LIGHT_SUM: Why.LIGHT_SUM,
    TriggerKind.VPD_HOURS: Why.VPD_HOURS,
    TriggerKind.WATER_USE: Why.WATER_USE,
    TriggerKind.ELAPSED: Why.ELAPSED,
    TriggerKind.CLOCK: Why.CLOCK_TIME,
}


def _said(trigger: Trigger, programme: Programme, state: BedState, now: datetime) -> Reason:
    why = WHY_OF[trigger.kind]
    if trigger.kind is TriggerKind.BELOW_LOW:
        return Reason(why, {"theta": state.theta, "low": programme.low, "high": programme.high})
    if trigger.kind is TriggerKind.CLOCK:
        due = _clock_due(trigger, state, now)
        passed = (now - state.midnight).total_seconds() / 60
        later = [m for m in trigger.times if m > passed]
        minute = (due - state.midnight).total_seconds() / 60 if due else (later[0] if later else math.nan)
        return Reason(why, {"clock_min": minute, "now_min": passed})
    return Reason(why, {"value": trigger_measure(trigger.kind, state, now), "limit": trigger.value})


def blind(programme: Programme, state: BedState, problem: Reason | None) -> Reason | None:
    """Why the programme has nothing to go by, or None while enough of what it asks for is measured.

    problem: what is wrong with the water content, or None.
    """
    if problem is not None and programme.asks_theta_besides_triggers:
        return problem
    unseen = [t for t in programme.triggers if not _measured(t, state, problem)]
    enough = len(unseen) < len(programme.triggers) if programme.match is Match.ANY else not unseen
    if enough or not unseen:
        return None
    if problem is not None and any(t.kind in (TriggerKind.BELOW_LOW, TriggerKind.FALLEN) for t in unseen):
        return problem
    return Reason(Why.NOT_MEASURED, {}, unseen[0].kind.value)


def _measured(trigger: Trigger, state: BedState, problem: Reason | None) -> bool:
    if trigger.kind in (TriggerKind.BELOW_LOW, TriggerKind.FALLEN):
        return problem is None
    needs = {
        TriggerKind.SUCTION: state.suction_kpa,
        TriggerKind.LIGHT_SUM: state.since.light_j_cm2,
        TriggerKind.VPD_HOURS: state.since.vpd_kpa_h,
        TriggerKind.WATER_USE: state.since.use_ml,
    }
    return not math.isnan(needs.get(trigger.kind, 0.0))


def fallback_demand(programme: Programme, state: BedState, memory: Memory, now: datetime) -> Demand | None:
    """Pulses by the clock at a share of the usual day, when there is no reading to go by.

    None where the programme has no fallback, nobody knows the usual day, its hours are over, or it is not time yet
    between start and stop.
    """
    plan, since = programme.fallback, memory.lost_since
    if plan is None or since is None or not state.normal_day_ml >= 1:
        return None
    left_h = plan.hours - (now - since).total_seconds() / 3600
    start, stop = (
        start_time(programme, state.sunrise, state.midnight),
        stop_time(programme, state.sunset, state.midnight),
    )
    if left_h <= 0 or not start <= now < stop:
        return None
    dose = programme.dose
    if dose.kind is DoseKind.TO_TOP:
        dose = Dose(DoseKind.ML, usual_dose_ml(programme, state.setup))
    try:
        dose_ml = usual_dose_ml(programme, state.setup)
        seconds_from_dose(dose_ml, state.setup.flow_ml_min_per_plant, state.setup.line_fill_s)
    except ReedError:
        return None
    gap_min = (stop - start).total_seconds() / 60 * dose_ml / (plan.share * state.normal_day_ml)
    numbers = {"share": plan.share, "left_h": left_h, "gap_min": gap_min, "normal_ml": state.normal_day_ml}
    last = state.last_pulse_end
    due = last is None or (now - last).total_seconds() / 60 >= gap_min
    return Demand(due, Reason(Why.FALLBACK, numbers), renewed(memory, latched=False, tries=0), dose, False)
