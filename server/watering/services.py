"""What a person does to a bed's watering: publish, give a dose, stop, resume, clear a fault."""

from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Q

from accounts.models import User
from common.errors import Conflict, Refused
from common.events import tell
from fitting.models import Actuator
from logbook.services import record
from places.beds import setup_of
from places.models import Bed, House
from reedcore.decide import BedState, Why, guard_reasons
from reedcore.errors import Inconsistent
from reedcore.programme import Programme, programme_faults, pulse_seconds
from reedcore.words import say_reason

from .control import COMMAND_LIFE_S, CONTROL_FIELDS, Ordered, issue, note_given
from .models import BedControl, Command, CommandState, ControlClock, ProgrammeVersion, Pulse, PulseState
from .proposal import proposal_of
from .state import PROGRAMME_FIELDS, bed_state, gather, programme_of

_HAND_IGNORES = frozenset({Why.NO_READING, Why.STALE, Why.IMPLAUSIBLE, Why.SOAKING, Why.FAULT})
"""A dose by hand needs no reading and waits for no soak; every other guard holds for it too."""


@transaction.atomic
def publish_programme(bed: Bed, programme: Programme, base_number: int, by: User, now: datetime) -> ProgrammeVersion:
    """Publish the next version of a bed's programme. Raises Refused with every fault, Conflict when someone was first."""
    Bed.objects.select_for_update(of=("self",)).get(pk=bed.pk)
    latest = bed.programmes.select_related("published_by").order_by("-number").first()
    have = latest.number if latest else 0
    if have != base_number:
        who = latest.published_by if latest else ""
        raise Conflict(
            "number",
            f"{who} published version {have} while you were editing version {base_number + 1}. "
            "Your numbers are still here: look at theirs, then publish again.",
        )
    faults = programme_faults(programme, setup_of(bed))
    if faults:
        raise Refused(faults)
    values = {f: getattr(programme, f) for f in PROGRAMME_FIELDS}
    # A latch or tries counted under the old levels mean nothing under the new ones.
    BedControl.objects.filter(bed=bed, fault="").update(latched=False, tries=0)
    version = ProgrammeVersion.objects.create(bed=bed, number=have + 1, published_at=now, published_by=by, **values)
    before = {f: getattr(latest, f) for f in PROGRAMME_FIELDS} if latest else None
    record(bed.house.site, now, by, f"published programme {version.number} of bed {bed.name}", version, before, values)
    tell(bed.house.site_id, "watering")
    return version


def _locked_control(bed: Bed) -> BedControl:
    BedControl.objects.get_or_create(bed=bed)
    return BedControl.objects.select_for_update().get(bed=bed)


@transaction.atomic
def clear_fault(bed: Bed, by: User, now: datetime) -> None:
    """A person has looked: the latched fault is cleared and the tries begin anew."""
    control = _locked_control(bed)
    if not control.fault:
        raise Inconsistent("fault", "none", "a latched fault to clear")
    before = {"fault": control.fault, "tries": control.tries}
    control.fault, control.tries, control.latched = "", 0, False
    control.save(update_fields=["fault", "tries", "latched"])
    record(bed.house.site, now, by, f"cleared the fault of bed {bed.name}", bed, before, {"fault": "", "tries": 0})
    tell(bed.house.site_id, "watering")


@transaction.atomic
def stop_bed(bed: Bed, by: User, now: datetime) -> None:
    """Close the valve now and hold the bed until someone resumes it. Queued commands become void."""
    control = _locked_control(bed)
    control.stopped = True
    control.last_pulse_end = min(control.last_pulse_end, now) if control.last_pulse_end else None
    control.save(update_fields=["stopped", "last_pulse_end"])
    Command.objects.filter(Q(actuator__bed=bed) | Q(pulse__bed=bed), state=CommandState.QUEUED).update(
        state=CommandState.EXPIRED, note=f"stopped by {by}"
    )
    Pulse.objects.filter(bed=bed, state=PulseState.ORDERED).update(
        state=PulseState.NOT_GIVEN, ended_at=now, delivered_ml=0
    )
    for actuator in _to_close(bed, now):
        Command.objects.create(
            actuator=actuator, seconds=0, issued_at=now, expires_at=now + timedelta(seconds=COMMAND_LIFE_S)
        )
    record(bed.house.site, now, by, f"stopped bed {bed.name}", bed, {"stopped": False}, {"stopped": True})
    tell(bed.house.site_id, "watering")


def _to_close(bed: Bed, now: datetime) -> list[Actuator]:
    """The valve, and the pump unless it runs for another bed: it must not push against closed valves."""
    found = [a for a in (getattr(bed, "valve", None),) if a is not None]
    others = BedControl.objects.filter(bed__pump=bed.pump_id, last_pulse_end__gt=now).exclude(bed=bed)
    pump = getattr(bed.pump, "actuator", None) if bed.pump else None
    return [*found, pump] if pump is not None and not others.exists() else found


@transaction.atomic
def resume_bed(bed: Bed, by: User, now: datetime) -> None:
    """Let the programme of a stopped bed act again."""
    control = _locked_control(bed)
    control.stopped = False
    control.save(update_fields=["stopped"])
    record(bed.house.site, now, by, f"resumed bed {bed.name}", bed, {"stopped": True}, {"stopped": False})
    tell(bed.house.site_id, "watering")


def _beds_of(house: House, **only: Any) -> list[Bed]:
    """Standing beds of a house, with the site's tick held off: many rows are locked, and a tick locks them in its own order."""
    ControlClock.objects.get_or_create(site=house.site)
    ControlClock.objects.select_for_update().get(site=house.site)
    beds = Bed.standing.filter(house=house, **only).select_related("house__site", "pump", "valve")
    return list(beds.order_by("pk"))


@transaction.atomic
def stop_house(house: House, by: User, now: datetime) -> int:
    """Emergency stop: close every valve of a house and the pumps that serve no other, and hold its beds until resumed.

    Returns how many beds are held. One transaction: all of them or none.
    """
    beds = _beds_of(house)
    for bed in beds:
        stop_bed(bed, by, now)
    record(house.site, now, by, f"emergency stop of {house.name}", house, None, {"beds": [b.name for b in beds]})
    return len(beds)


@transaction.atomic
def resume_house(house: House, by: User, now: datetime) -> int:
    """Let every stopped bed of a house act again by its programme. Returns how many. Raises Inconsistent where none is stopped."""
    beds = _beds_of(house, control__stopped=True)
    if not beds:
        raise Inconsistent("house", house.name, "a house with stopped beds")
    for bed in beds:
        resume_bed(bed, by, now)
    record(house.site, now, by, f"resumed {house.name}", house, None, {"beds": [b.name for b in beds]})
    return len(beds)


@transaction.atomic
def dose_by_hand(bed: Bed, by: User, now: datetime) -> Pulse:
    """Give one dose of the bed's programme now. Tank, pump, daily cap, a running pulse and a stop still forbid."""
    _locked_control(bed)
    state = gather(bed.house.site, now)
    version = state.programmes.get(bed.pk)
    programme = programme_of(version) if version else proposal_of(bed).programme
    held: BedState = bed_state(state, next(b for b in state.beds if b.pk == bed.pk), programme.stale_after_s)
    forbidding = [g for g in guard_reasons(programme, held, now) if g.why not in _HAND_IGNORES]
    if forbidding:
        raise Inconsistent(
            "dose_ml_per_plant",
            programme.dose_ml_per_plant,
            "no guard that forbids it, but " + "; ".join(say_reason(g) for g in forbidding),
        )
    seconds = pulse_seconds(programme, held.setup)
    locked: Any = next(b for b in state.beds if b.pk == bed.pk)
    note_given(state, locked, seconds, programme.dose_ml_per_plant)
    control = state.controls[bed.pk]
    BedControl.objects.bulk_create(
        [control], update_conflicts=True, unique_fields=["bed"], update_fields=CONTROL_FIELDS
    )
    pulse = Pulse(
        bed=bed, programme=version, ordered_at=now, seconds=seconds, dose_ml=programme.dose_ml_per_plant, by=by
    )
    issue([Ordered(locked, pulse, seconds)], now)
    record(
        bed.house.site,
        now,
        by,
        f"gave a dose to bed {bed.name} by hand",
        pulse,
        None,
        {"dose_ml": pulse.dose_ml, "seconds": seconds},
    )
    tell(bed.house.site_id, "watering")
    return pulse
