"""The decision of one bed at one moment: pure and total. Live control, the simulated day and replay all use it."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from .errors import ReedError
from .guards import Wish, guard_reasons, guard_running, lasting_reasons, reading_problem
from .programme import Programme, dose_ml_of, most_ml, seconds_of_ml, usual_dose_ml
from .reasons import Action, BedState, Decision, Memory, Reason, Why, renewed
from .spans import move_on
from .triggers import Demand, blind, demand_of, fallback_demand

__all__ = ["Action", "BedState", "Decision", "Memory", "Reason", "Why", "decide"]


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
    needs.md W1 to W8.
    """
    unread = reading_problem(programme, state, now)
    if unread is not None:
        state = renewed(state, theta=float("nan"))
    problem = blind(programme, state, unread)
    memory = _lost(state.memory, problem, state, now)
    if problem is not None:
        return _without_reading(programme, state, memory, problem, now)
    memory = move_on(programme, renewed(state, memory=memory), now)
    return _judged(programme, state, demand_of(programme, state, memory, now), now)


def _lost(memory: Memory, problem: Reason | None, state: BedState, now: datetime) -> Memory:
    if problem is None:
        return memory if memory.lost_since is None else renewed(memory, lost_since=None)
    if memory.lost_since is not None:
        return memory
    known = state.theta_at if problem.why is Why.STALE and state.theta_at is not None else now
    return renewed(memory, lost_since=min(known, now))


def _without_reading(programme: Programme, state: BedState, memory: Memory, problem: Reason, now: datetime) -> Decision:
    demand = fallback_demand(programme, state, memory, now)
    if demand is None:
        usual = Demand(False, problem, memory, programme.dose)
        held = lasting_reasons(programme, state, now, _wish(programme, state, usual))
        return Decision(Action.WITHHOLD, (problem, *held), memory)
    decision = _judged(programme, state, demand, now)
    return replace(decision, reasons=(*decision.reasons, problem))


def _judged(programme: Programme, state: BedState, demand: Demand, now: datetime) -> Decision:
    memory = demand.memory
    wish = _wish(programme, state, demand)
    if not demand.wanted:
        blocking = lasting_reasons(programme, state, now, wish)
        running = None if blocking else guard_running(programme, state, now, wish)
        after = (running,) if running is not None else ()
        return Decision(Action.WITHHOLD, (*blocking, demand.reason, *after), memory)
    guards = guard_reasons(programme, state, now, wish)
    busy = any(g.why in (Why.RUNNING, Why.SOAKING) for g in guards)
    if demand.counts and not memory.fault and memory.tries >= programme.tries and not busy:
        missed = Reason(
            Why.MISSED_TARGET, {"tries": float(memory.tries), "theta": state.theta, "high": _target(programme, memory)}
        )
        latched = renewed(memory, fault=Why.MISSED_TARGET.value)
        return Decision(Action.WITHHOLD, (missed, demand.reason, *guards), latched)
    if guards:
        return Decision(Action.WITHHOLD, (*guards, demand.reason), memory)
    credit = state.holds.rain_credit_ml
    if credit >= wish.dose_ml:
        said = Reason(Why.RAIN_CREDIT, {"credit_ml": credit, "dose_ml": wish.dose_ml})
        return Decision(Action.WITHHOLD, (said, demand.reason), memory, credit_used_ml=wish.dose_ml)
    return _given(programme, state, demand, wish, now)


def _wish(programme: Programme, state: BedState, demand: Demand) -> Wish:
    gap = (demand.gap_min or programme.soak_min) * state.gap_factor
    try:
        dose = dose_ml_of(demand.dose, state.setup, state.theta, programme.high)
        dose = usual_dose_ml(programme, state.setup) if dose != dose else dose
    except ReedError:
        return Wish(float("nan"), gap)
    return Wish(min(dose * state.dose_factor, max(dose, most_ml(state.setup))), gap)


def _target(programme: Programme, memory: Memory) -> float:
    return programme.high if memory.latched else programme.low


def _given(programme: Programme, state: BedState, demand: Demand, wish: Wish, now: datetime) -> Decision:
    memory = demand.memory
    towards = state.theta < _target(programme, memory) if demand.counts else False
    numbers = {
        "dose_ml": wish.dose_ml,
        "given_ml": state.given_today_ml + wish.dose_ml,
        "cap_ml": programme.daily_cap_ml_per_plant,
    }
    if towards:
        numbers |= {"try": 1.0 + memory.tries, "tries": float(programme.tries)}
    if state.dose_factor != 1:
        numbers["factor"] = state.dose_factor
    if state.last_pulse_end:
        numbers["since_last_min"] = (now - state.last_pulse_end).total_seconds() / 60
    recharged = 1 if demand.reason.why is Why.RECHARGE else 0
    after = renewed(
        memory, tries=memory.tries + (1 if towards else 0), recharge_pulses=memory.recharge_pulses + recharged
    )
    reasons = (demand.reason, Reason(Why.AMOUNTS, numbers))
    return Decision(Action.GIVE, reasons, after, wish.dose_ml, seconds_of_ml(wish.dose_ml, state.setup))
