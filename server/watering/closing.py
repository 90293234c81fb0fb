"""Closing what is open: commands that end a bed's water now, and void what waits."""

from datetime import datetime, timedelta

from django.db.models import Q

from fitting.models import Actuator
from places.models import Bed

from .models import BedControl, Command, CommandState, Pulse, PulseState

COMMAND_LIFE_S = 300
"""A command that no node has started within this time is void."""


def close_now(bed: Bed, control: BedControl, now: datetime, note: str) -> None:
    """Void what is queued for the bed and order its valve shut, and its pump where no other bed needs it."""
    control.last_pulse_end = min(control.last_pulse_end, now) if control.last_pulse_end else None
    control.save(update_fields=["last_pulse_end"])
    Command.objects.filter(Q(actuator__bed=bed) | Q(pulse__bed=bed), state=CommandState.QUEUED).update(
        state=CommandState.EXPIRED, note=note[:200]
    )
    Pulse.objects.filter(bed=bed, state=PulseState.ORDERED).update(
        state=PulseState.NOT_GIVEN, ended_at=now, delivered_ml=0
    )
    for actuator in _to_close(bed, now):
        Command.objects.create(
            actuator=actuator, seconds=0, issued_at=now, expires_at=now + timedelta(seconds=COMMAND_LIFE_S)
        )


def _to_close(bed: Bed, now: datetime) -> list[Actuator]:
    """The valve, and the pump unless it runs for another bed: it must not push against closed valves."""
    found = [a for a in (getattr(bed, "valve", None),) if a is not None]
    others = BedControl.objects.filter(bed__pump=bed.pump_id, last_pulse_end__gt=now).exclude(bed=bed)
    pump = getattr(bed.pump, "actuator", None) if bed.pump else None
    return [*found, pump] if pump is not None and not others.exists() else found
