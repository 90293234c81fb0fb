"""The control tick: one decision per bed, stored with its reasons, in one transaction."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from common.events import tell
from places.models import Bed, Site
from places.sun import local_day
from reedcore.decide import Action, decide
from reedcore.decide import Decision as CoreDecision

from .models import BedControl, Command, ControlClock, Decision, Pulse
from .state import SiteState, bed_state, gather, programme_of

TICK_S = 60
COMMAND_LIFE_S = 300
"""A command that no node has started within this time is void."""


@dataclass
class Ordered:
    bed: Bed
    pulse: Pulse
    seconds: float


def tick_time(now: datetime) -> datetime:
    """The tick a moment belongs to: the full minute before it."""
    return now.replace(second=0, microsecond=0)


@transaction.atomic
def tick(site: Site, now: datetime) -> int:
    """Decide for every bed of a site that has a programme. Returns how many decisions were stored.

    The row lock on the site's control clock makes a second worker wait, and then find the tick done.
    """
    at = tick_time(now)
    ControlClock.objects.get_or_create(site=site)
    clock = ControlClock.objects.select_for_update().get(site=site)
    if clock.last_tick is not None and clock.last_tick >= at:
        return 0
    clock.last_tick = at
    clock.save(update_fields=["last_tick"])
    return _decide_all(gather(site, now), at)


def _decide_all(state: SiteState, at: datetime) -> int:
    decisions: list[Decision] = []
    controls: list[BedControl] = []
    ordered: list[Ordered] = []
    for bed in _in_order_of_need(state):
        version = state.programmes[bed.pk]
        programme = programme_of(version)
        decision = decide(programme, bed_state(state, bed, programme.stale_after_s), state.now)
        row, control_changed = _store(state, bed, decision, at)
        decisions.append(row)
        if decision.action is Action.GIVE:
            ordered.append(_order(state, bed, decision, version.pk))
        if control_changed:
            controls.append(state.controls[bed.pk])
    Decision.objects.bulk_create(decisions, batch_size=2000)
    _save_controls(controls)
    issue(ordered, state.now)
    if decisions:
        tell(state.site.pk, "watering")
    return len(decisions)


def _in_order_of_need(state: SiteState) -> list[Bed]:
    """Beds that can be decided for, the one furthest under its low first, so that it gets the pump."""
    beds = [b for b in state.beds if b.pk in state.programmes and b.pk in state.setups]
    nan_last = {b.pk: state.waters[b.pk].theta - state.programmes[b.pk].low for b in beds}
    return sorted(beds, key=lambda b: (nan_last[b.pk] != nan_last[b.pk], nan_last[b.pk]))


def reasons_as_json(decision: CoreDecision) -> list[dict[str, Any]]:
    return [{"why": r.why.value, "numbers": dict(r.numbers)} for r in decision.reasons]


def _store(state: SiteState, bed: Bed, decision: CoreDecision, at: datetime) -> tuple[Decision, bool]:
    control = state.controls[bed.pk]
    why = decision.reasons[0].why.value
    changed = decision.action is Action.GIVE or why != control.last_why
    row = Decision(
        bed=bed,
        tick_at=at,
        action=decision.action.value,
        why=why,
        reasons=reasons_as_json(decision),
        dose_ml_per_plant=decision.dose_ml_per_plant,
        seconds=decision.seconds,
        changed=changed,
    )
    before = (control.latched, control.tries, control.fault, control.last_why)
    control.latched, control.tries, control.fault = decision.latched, decision.tries, decision.fault or control.fault
    control.last_why = why
    return row, changed or before != (control.latched, control.tries, control.fault, control.last_why)


def _order(state: SiteState, bed: Bed, decision: CoreDecision, programme_id: int) -> Ordered:
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
    control.given_today_ml = (control.given_today_ml if control.given_day == today else 0.0) + dose_ml
    control.given_day = today
    control.last_pulse_start = state.now
    control.last_pulse_end = state.now + timedelta(seconds=seconds)
    pump = bed.pump_id or 0
    state.busy_l_min[pump] = state.busy_l_min.get(pump, 0.0) + state.setups[bed.pk].flow_l_min


CONTROL_FIELDS = [
    "latched",
    "tries",
    "last_pulse_start",
    "last_pulse_end",
    "given_day",
    "given_today_ml",
    "fault",
    "stopped",
    "last_why",
]


def _save_controls(controls: list[BedControl]) -> None:
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
