"""The control tick: one decision per bed; what differs from the tick before is stored with its reasons, in one transaction."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from common.events import tell
from places.models import Bed, Site
from places.sun import local_day
from reedcore.decide import Action, decide
from reedcore.decide import Decision as CoreDecision

from .closing import COMMAND_LIFE_S
from .devices import tick_devices
from .flow_watch import watch_flow
from .models import BedControl, Command, ControlGap, Decision, Pulse
from .rain import credit_rain
from .state import SiteState, bed_state, gather, programme_of
from .sums import advance_sums, mark_pulse
from .ticklock import hold_off_tick

TICK_S = 60
GAP_TICKS = 3
"""More missing ticks than this are a gap that decisions do not hold through."""
CLOCK_BACK = timedelta(minutes=5)
"""A clock that stands further back than this was moved: ticks go on, and the clock's own guard withholds until it is past."""
PEAK_STEP = 0.001
"""A new peak of θ is kept when it is this much higher [m3/m3]: a tenth of a point."""


@dataclass
class Ordered:
    bed: Bed
    pulse: Pulse
    seconds: float


def tick_time(now: datetime) -> datetime:
    """The tick a moment belongs to: the full minute before it."""
    return now.replace(second=0, microsecond=0)


@contextmanager
def collector_at_rest() -> Iterator[None]:
    """No garbage collection in between: a tick makes thousands of small objects at once, and none of them in circles."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


@collector_at_rest()
@transaction.atomic
def tick(site: Site, now: datetime) -> int:
    """Decide for every bed of a site that has a programme. Returns for how many it decided.

    The row lock on the site's control clock makes a second worker wait, and then find the tick done.
    """
    at = tick_time(now)
    clock = hold_off_tick(site)
    if clock.last_tick is not None and at <= clock.last_tick <= at + CLOCK_BACK:
        return 0
    if clock.last_tick is not None and at - clock.last_tick > timedelta(seconds=GAP_TICKS * TICK_S):
        ControlGap.objects.create(site=site, last_tick=clock.last_tick, next_tick=at)
    clock_before = clock.last_tick
    clock.last_tick = at
    clock.save(update_fields=["last_tick"])
    watch_flow(site, now)
    state = gather(site, now)
    credit_rain(state, clock_before, now)
    state.sums = {s.house_id: s for s in advance_sums(site, now, state.sensed.climate)} or state.sums
    decided = _decide_all(state, at)
    tick_devices(state)
    return decided


def _decide_all(state: SiteState, at: datetime) -> int:
    decisions: list[Decision] = []
    controls: list[BedControl] = []
    ordered: list[Ordered] = []
    beds = _in_order_of_need(state)
    for bed in beds:
        version = state.programmes[bed.pk]
        programme = programme_of(version)
        decision = decide(programme, bed_state(state, bed, programme.stale_after_s), state.now)
        changed = remember(state.controls[bed.pk], decision)
        changed |= _follow_peak(state, bed)
        if decision.credit_used_ml:
            _count_rain_as_pulse(state, bed)
        if decision.action is Action.GIVE or decision.reasons[0].why.value != state.controls[bed.pk].last_why:
            decisions.append(_row(bed, decision, at))
            state.controls[bed.pk].last_why = decision.reasons[0].why.value
            changed = True
        if decision.action is Action.GIVE:
            ordered.append(_order(state, bed, decision, version.pk))
        if changed or bed.pk in state.touched:
            controls.append(state.controls[bed.pk])
    # After a clock was set back a minute may come twice; the first row of it stays.
    Decision.objects.bulk_create(decisions, batch_size=2000, ignore_conflicts=True)
    save_controls(controls)
    issue(ordered, state.now)
    if decisions:
        tell(state.site.pk, "watering")
    return len(beds)


def _count_rain_as_pulse(state: SiteState, bed: Bed) -> None:
    """A pulse that rain has given: its soak is waited for and its sums begin anew, or the credit would be gone in minutes."""
    control = state.controls[bed.pk]
    control.last_pulse_start = control.last_pulse_end = state.now
    mark_pulse(control, state.sums.get(bed.house_id), state.waters[bed.pk].theta)


def _in_order_of_need(state: SiteState) -> list[Bed]:
    """Beds that can be decided for, in the order in which they get the pump: the one furthest under its low first, and
    what has waited for its pump rises by a point every ten minutes, so that none starves."""
    beds = [b for b in state.beds if b.pk in state.programmes and b.pk in state.setups]
    need = {b.pk: need_of(state, b) for b in beds}
    return sorted(beds, key=lambda b: (need[b.pk] != need[b.pk], need[b.pk]))


WAIT_WEIGHT = 0.01 / 600
"""One point of water content for ten minutes of waiting [m3/m3 per s]. Starting value."""


def need_of(state: SiteState, bed: Bed) -> float:
    """How far over its low a bed stands, less what it has waited for its pump [m3/m3]; NaN without a reading."""
    control = state.controls[bed.pk]
    waited = 0.0
    if control.last_why == "pump_busy":
        since = state.waiting_since.get(bed.pk)
        waited = (state.now - since).total_seconds() if since else 0.0
    return state.waters[bed.pk].theta - state.programmes[bed.pk].low - WAIT_WEIGHT * waited


def reasons_as_json(decision: CoreDecision) -> list[dict[str, Any]]:
    """Reasons as they are stored; a number that is not known is null."""
    return [
        {
            "why": r.why.value,
            "numbers": {k: v if -1e300 < v < 1e300 else None for k, v in r.numbers.items()},
            **({"text": r.text} if r.text else {}),
        }
        for r in decision.reasons
    ]


def _row(bed: Bed, decision: CoreDecision, at: datetime) -> Decision:
    return Decision(
        bed=bed,
        tick_at=at,
        action=decision.action.value,
        why=decision.reasons[0].why.value,
        reasons=reasons_as_json(decision),
        dose_ml_per_plant=decision.dose_ml_per_plant,
        seconds=decision.seconds,
    )


def remember(control: BedControl, decision: CoreDecision) -> bool:
    """Put the decision's memory into the bed's control. True when that changed it."""
    memory = decision.memory
    values = {
        "latched": memory.latched,
        "tries": memory.tries,
        "fault": memory.fault,
        "span": memory.span.value if memory.span else "",
        "span_since": memory.span_since,
        "recharge_pulses": memory.recharge_pulses,
        "evening_theta": None if memory.evening_theta != memory.evening_theta else memory.evening_theta,
        "lost_since": memory.lost_since,
    }
    changed = False
    for name, value in values.items():
        if getattr(control, name) != value:
            setattr(control, name, value)
            changed = True
    if decision.credit_used_ml:
        control.rain_credit_ml = max(0.0, control.rain_credit_ml - decision.credit_used_ml)
        changed = True
    return changed


def _follow_peak(state: SiteState, bed: Bed) -> bool:
    control, theta = state.controls[bed.pk], state.waters[bed.pk].theta
    if theta != theta or (control.peak is not None and theta <= control.peak + PEAK_STEP):
        return False
    control.peak = theta
    return True


def _order(state: SiteState, bed: Bed, decision: CoreDecision, programme_id: int | None) -> Ordered:
    pulse = Pulse(
        bed=bed,
        programme_id=programme_id,
        ordered_at=state.now,
        seconds=decision.seconds,
        dose_ml=decision.dose_ml_per_plant,
    )
    note_given(state, bed, decision.seconds, decision.dose_ml_per_plant)
    return Ordered(bed, pulse, decision.seconds)


def note_given(state: SiteState, bed: Bed, seconds: float, dose_ml: float) -> None:
    """Count a pulse in the bed's control and on its pump."""
    control, today = state.controls[bed.pk], local_day(state.site, state.now)
    same = control.given_day == today
    control.given_today_ml = (control.given_today_ml if same else 0.0) + dose_ml
    control.pulses_today = (control.pulses_today if same else 0) + 1
    control.given_day = today
    control.last_pulse_start = state.now
    control.last_pulse_end = state.now + timedelta(seconds=seconds)
    mark_pulse(control, state.sums.get(bed.house_id), state.waters[bed.pk].theta)
    pump = bed.pump_id or 0
    state.busy_l_min[pump] = state.busy_l_min.get(pump, 0.0) + state.setups[bed.pk].flow_l_min


HELD_BY_PEOPLE = (
    "stopped",
    "manual",
    "paused_until",
    "locked_by",
    "locked_for",
    "locked_at",
    "dose_factor",
    "gap_factor",
)
CONTROL_FIELDS = [
    f.name for f in BedControl._meta.concrete_fields if not f.primary_key and f.name not in HELD_BY_PEOPLE
]


def save_controls(controls: list[BedControl]) -> None:
    """Keep what decisions and pulses changed. What people hold a bed by is theirs to write, and is left alone."""
    BedControl.objects.bulk_create(controls, update_conflicts=True, unique_fields=["bed"], update_fields=CONTROL_FIELDS)


def issue(ordered: list[Ordered], now: datetime) -> None:
    """Write pulses and their commands: valve and pump each get their own seconds and their own end."""
    Pulse.objects.bulk_create([o.pulse for o in ordered])
    commands = []
    for o in ordered:
        for actuator in _actuators(o.bed):
            commands.append(
                Command(
                    pulse=o.pulse,
                    actuator=actuator,
                    seconds=o.seconds,
                    issued_at=now,
                    expires_at=now + timedelta(seconds=COMMAND_LIFE_S),
                )
            )
    Command.objects.bulk_create(commands)


def _actuators(bed: Bed) -> list[Any]:
    valve = getattr(bed, "valve", None)
    pump = getattr(bed.pump, "actuator", None) if bed.pump else None
    return [a for a in (valve, pump) if a is not None]
