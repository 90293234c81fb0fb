"""Where in its day a bed is: recharge, hold or dry-down."""

from __future__ import annotations

from datetime import datetime, timedelta

from .programme import Moment, MomentKind, Programme, Until
from .reasons import BedState, Memory, Span, renewed

EARLIEST_BEFORE_SUNRISE = timedelta(hours=2)
LATEST_START_AFTER_SUNRISE = timedelta(hours=5)
EARLIEST_STOP_BEFORE_SUNSET = timedelta(hours=6)
"""A start or stop found by light or fall keeps within these, so that a broken sensor cannot take the day away."""


def start_time(programme: Programme, sunrise: datetime, midnight: datetime) -> datetime:
    """When the watering hours begin at the latest on the day of this sunrise."""
    return _fixed(programme.start, sunrise, midnight, 1) or sunrise + LATEST_START_AFTER_SUNRISE


def stop_time(programme: Programme, sunset: datetime, midnight: datetime) -> datetime:
    """When the watering hours end at the latest on the day of this sunset."""
    return _fixed(programme.stop, sunset, midnight, -1) or sunset


def _fixed(moment: Moment, sun: datetime, midnight: datetime, sign: int) -> datetime | None:
    if moment.kind is MomentKind.SUN:
        return sun + timedelta(minutes=sign * moment.value)
    return midnight + timedelta(minutes=moment.value) if moment.kind is MomentKind.CLOCK else None


def has_started(programme: Programme, state: BedState, now: datetime) -> bool:
    """Is the start of this day reached?"""
    if now >= start_time(programme, state.sunrise, state.midnight):
        return True
    if programme.start.kind in (MomentKind.SUN, MomentKind.CLOCK) or now < state.sunrise - EARLIEST_BEFORE_SUNRISE:
        return False
    if programme.start.kind is MomentKind.LIGHT:
        return state.radiation_w_m2 >= programme.start.value
    return state.memory.evening_theta - state.theta >= programme.start.value


def has_stopped(programme: Programme, state: BedState, now: datetime) -> bool:
    """Is the stop of this day reached?"""
    if now >= stop_time(programme, state.sunset, state.midnight):
        return True
    if programme.stop.kind in (MomentKind.SUN, MomentKind.CLOCK):
        return False
    noon = state.sunrise + (state.sunset - state.sunrise) / 2
    if now < max(noon, state.sunset - EARLIEST_STOP_BEFORE_SUNSET):
        return False
    if programme.stop.kind is MomentKind.LIGHT:
        return state.radiation_w_m2 < programme.stop.value
    return state.fall_ahead <= programme.stop.value


def _dried_today(state: BedState, noon: datetime) -> bool:
    memory = state.memory
    return memory.span is Span.DRYDOWN and memory.span_since is not None and memory.span_since >= noon


def move_on(programme: Programme, state: BedState, now: datetime) -> Memory:
    """The memory with the span that holds now; a change of span clears what belonged to the last one."""
    memory = state.memory
    noon = state.sunrise + (state.sunset - state.sunrise) / 2
    open_hours = not has_stopped(programme, state, now) and not _dried_today(state, noon)
    if memory.span in (Span.RECHARGE, Span.HOLD):
        begun = memory.span_since is not None and memory.span_since >= state.midnight
        open_hours = open_hours and (begun or has_started(programme, state, now))
    else:
        open_hours = open_hours and has_started(programme, state, now)
    if not open_hours:
        if memory.span is Span.DRYDOWN:
            return memory
        return renewed(memory, span=Span.DRYDOWN, span_since=now, evening_theta=state.theta, latched=False, tries=0)
    if memory.span in (None, Span.DRYDOWN):
        span = Span.HOLD if programme.recharge is None else Span.RECHARGE
        return renewed(memory, span=span, span_since=now, recharge_pulses=0, latched=False, tries=0)
    if memory.span is Span.RECHARGE and _recharged(programme, state):
        return renewed(memory, span=Span.HOLD, span_since=now, latched=False, tries=0)
    return memory


def _recharged(programme: Programme, state: BedState) -> bool:
    recharge = programme.recharge
    if recharge is None or state.memory.recharge_pulses >= recharge.pulses:
        return True
    if recharge.until is Until.TOP:
        return state.theta >= programme.high
    return recharge.until is Until.DRAIN and state.drain_seen
