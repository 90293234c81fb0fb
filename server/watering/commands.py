"""Commands on their way to the nodes and back: handed out, confirmed, expired."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import transaction
from django.db.models import F, Q

from common.events import tell
from places.models import Site
from reedcore.errors import OutOfRange

from .models import BedControl, Command, CommandState, Pulse, PulseState
from .ticklock import hold_off_tick

CONFIRM_GRACE_S = 1800
"""A started command whose end nobody confirmed this long after it was due counts as unconfirmed."""


@dataclass
class Report:
    number: int
    state: CommandState
    at: datetime
    delivered_ml: float | None = None
    note: str = ""


@transaction.atomic
def open_commands(site: Site, now: datetime) -> list[Command]:
    """Commands to carry: queued and not expired, and started ones whose end is still to be confirmed."""
    expire(site, now)
    rows = Command.objects.filter(
        actuator__node__site=site, state__in=[CommandState.QUEUED, CommandState.STARTED]
    ).select_related("actuator")
    return list(rows.order_by("pk"))


@transaction.atomic
def expire(site: Site, now: datetime) -> int:
    """Void what no node started in time; the bed's account is corrected and the pulse says so."""
    waiting = Command.objects.filter(actuator__node__site=site)
    unconfirmed = Q(
        state=CommandState.STARTED,
        started_at__lt=now - timedelta(seconds=1) * F("seconds") - timedelta(seconds=CONFIRM_GRACE_S),
    )
    if not waiting.filter(Q(state=CommandState.QUEUED, expires_at__lt=now) | unconfirmed).exists():
        return 0
    hold_off_tick(site)
    late = list(
        waiting.select_for_update(of=("self",)).filter(state=CommandState.QUEUED, expires_at__lt=now).order_by("pk")
    )
    for command in late:
        command.state, command.note = CommandState.EXPIRED, "no node started it in time"
        command.save(update_fields=["state", "note"])
        if command.pulse_id:
            _not_given(command.pulse_id, now)
    lost = waiting.select_for_update(of=("self",)).filter(unconfirmed)
    for command in lost:
        _end_unconfirmed(command, now)
    if late:
        tell(site.pk, "watering")
    return len(late)


def _end_unconfirmed(command: Command, now: datetime) -> None:
    command.state, command.ended_at, command.note = CommandState.DONE, now, "the end was never confirmed"
    command.save(update_fields=["state", "ended_at", "note"])
    Pulse.objects.filter(pk=command.pulse_id, state=PulseState.RUNNING).update(
        state=PulseState.UNCONFIRMED, ended_at=now
    )


def _not_given(pulse_id: int, now: datetime) -> None:
    pulse = Pulse.objects.select_for_update(of=("self",)).get(pk=pulse_id)
    if pulse.state != PulseState.ORDERED:
        return
    pulse.state, pulse.ended_at, pulse.delivered_ml = PulseState.NOT_GIVEN, now, 0.0
    pulse.save(update_fields=["state", "ended_at", "delivered_ml"])
    control = BedControl.objects.select_for_update(of=("self",)).filter(pk=pulse.bed_id).first()
    if control is not None:
        control.given_today_ml = max(0.0, control.given_today_ml - pulse.dose_ml)
        control.last_pulse_end = min(control.last_pulse_end or now, now)
        control.save(update_fields=["given_today_ml", "last_pulse_end"])


@transaction.atomic
def confirm(site: Site, report: Report) -> Command:
    """What the gateway saw at the node: started, done, or refused. Told twice, it changes nothing.

    It takes the tick's lock first, as everything does that writes commands and controls, so that none waits in a circle.
    """
    hold_off_tick(site)
    command = (
        Command.objects.select_for_update(of=("self",))
        .select_related("actuator")
        .filter(actuator__node__site=site, pk=report.number)
        .first()
    )
    if command is None:
        raise OutOfRange("number", report.number, "the number of a command of this site")
    if command.state in (CommandState.DONE, CommandState.REFUSED):
        return command
    if report.state == CommandState.STARTED and command.state == CommandState.QUEUED:
        _start(command, report)
    elif report.state == CommandState.DONE:
        _finish(command, report)
    elif report.state == CommandState.REFUSED:
        _refuse(command, report)
    tell(site.pk, "watering")
    return command


def _start(command: Command, report: Report) -> None:
    command.state, command.started_at = CommandState.STARTED, report.at
    command.save(update_fields=["state", "started_at"])
    if command.pulse_id and command.actuator.bed_id and command.seconds > 0:
        Pulse.objects.filter(pk=command.pulse_id).update(state=PulseState.RUNNING, started_at=report.at)
        # The soak counts from the real end, which is later than planned where the gateway was slow.
        end = report.at + timedelta(seconds=command.seconds)
        BedControl.objects.filter(pk=command.actuator.bed_id, last_pulse_end__lt=end).update(last_pulse_end=end)


def _finish(command: Command, report: Report) -> None:
    if command.state == CommandState.QUEUED:
        _start(command, report)
    command.state, command.ended_at, command.note = CommandState.DONE, report.at, report.note[:200]
    command.save(update_fields=["state", "ended_at", "note"])
    if command.pulse_id and command.actuator.bed_id:
        Pulse.objects.filter(pk=command.pulse_id).update(
            state=PulseState.DONE, ended_at=report.at, delivered_ml=report.delivered_ml
        )


def _refuse(command: Command, report: Report) -> None:
    command.state, command.ended_at, command.note = CommandState.REFUSED, report.at, report.note[:200]
    command.save(update_fields=["state", "ended_at", "note"])
    if command.pulse_id and command.actuator.bed_id:
        _not_given(command.pulse_id, report.at)
