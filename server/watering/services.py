"""What a person does to a bed's watering: publish, give a dose, stop, pause, lock, clear a fault."""

from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.db import transaction

from accounts.models import User
from common.errors import Conflict, Refused
from common.events import tell
from logbook.services import record
from places.beds import setup_of
from places.models import Bed, House, Site
from places.sun import local_day, sun_times
from reedcore.errors import Inconsistent, OutOfRange
from reedcore.guards import Wish, guard_reasons
from reedcore.programme import Programme, seconds_of_ml, usual_dose_ml
from reedcore.programme_checks import programme_faults
from reedcore.programme_json import programme_as_json
from reedcore.reasons import Why
from reedcore.words import say_reason

from .closing import close_now
from .control import Ordered, issue, note_given, save_controls
from .devices import resume_devices, stop_devices
from .models import BedControl, ProgrammeVersion, Pulse, SharedProgramme
from .proposal import proposal_of
from .state import bed_state, gather, programme_of
from .ticklock import hold_off_tick

_HAND_IGNORES = frozenset({Why.SOAKING, Why.FAULT, Why.MANUAL, Why.PAUSED, Why.EXCEPTION, Why.RAIN_HOLD})
"""A dose by hand needs no reading and waits for no soak, pause or rain; every other guard holds for it too."""
MOST_PAUSE = timedelta(days=7)


@transaction.atomic
def publish_programme(
    bed: Bed, programme: Programme, base_number: int, by: User, now: datetime, shared: SharedProgramme | None = None
) -> ProgrammeVersion:
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
    faults = programme_faults(programme, setup_of(bed), check_days(bed.house.site, now))
    if faults:
        raise Refused([*faults])
    body = programme_as_json(programme)
    # A latch or tries counted under the old levels mean nothing under the new ones.
    BedControl.objects.filter(bed=bed, fault="").update(latched=False, tries=0)
    version = ProgrammeVersion.objects.create(
        bed=bed,
        number=have + 1,
        published_at=now,
        published_by=by,
        body=body,
        low=programme.low,
        high=programme.high,
        shared=shared,
    )
    record(
        bed.house.site,
        now,
        by,
        f"published programme {version.number} of bed {bed.name}",
        version,
        latest.body if latest else None,
        body,
    )
    tell(bed.house.site_id, "watering")
    return version


def check_days(site: Site, now: datetime) -> tuple[tuple[float, float], ...]:
    """Sunrise and sunset [h of the local day] of the site's longest and shortest day, and of today."""
    zone = ZoneInfo(site.time_zone)
    today = local_day(site, now)
    days = (date(today.year, 6, 21), date(today.year, 12, 21), today)
    out = []
    for day in days:
        rise, fall = (t.astimezone(zone) for t in sun_times(site, day))
        out.append((rise.hour + rise.minute / 60, fall.hour + fall.minute / 60))
    return tuple(o for o in out if o[1] > o[0])


def _locked_control(bed: Bed) -> BedControl:
    hold_off_tick(bed.house.site)
    BedControl.objects.get_or_create(bed=bed)
    return BedControl.objects.select_for_update(of=("self",)).get(bed=bed)


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
    control.save(update_fields=["stopped"])
    close_now(bed, control, now, f"stopped by {by}")
    record(bed.house.site, now, by, f"stopped bed {bed.name}", bed, {"stopped": False}, {"stopped": True})
    tell(bed.house.site_id, "watering")


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
    hold_off_tick(house.site)
    beds = Bed.standing.filter(house=house, **only).select_related("house__site", "pump", "valve")
    return list(beds.order_by("pk"))


@transaction.atomic
def stop_house(house: House, by: User, now: datetime) -> int:
    """Emergency stop: close every valve of a house and the pumps that serve no other, put its devices off, and hold all until resumed.

    Returns how many beds are held. One transaction: all of them or none.
    """
    beds = _beds_of(house)
    for bed in beds:
        stop_bed(bed, by, now)
    devices = stop_devices(house, now)
    record(
        house.site,
        now,
        by,
        f"emergency stop of {house.name}",
        house,
        None,
        {"beds": [b.name for b in beds], "devices": devices},
    )
    return len(beds)


@transaction.atomic
def resume_house(house: House, by: User, now: datetime) -> int:
    """Let every stopped bed of a house act again by its programme. Returns how many. Raises Inconsistent where none is stopped."""
    beds = _beds_of(house, control__stopped=True)
    if not beds and not resume_devices(house):
        raise Inconsistent("house", house.name, "a house with stopped beds")
    for bed in beds:
        resume_bed(bed, by, now)
    resume_devices(house)
    record(house.site, now, by, f"resumed {house.name}", house, None, {"beds": [b.name for b in beds]})
    return len(beds)


@transaction.atomic
def dose_by_hand(bed: Bed, by: User, now: datetime, dose_ml: float | None = None) -> Pulse:
    """Give one dose now, of the bed's programme or of `dose_ml` [mL per plant]; it ends by itself.

    It needs no reading, waits for no soak and works on a paused or manual bed; every other guard forbids it too.
    """
    _locked_control(bed)
    state = gather(bed.house.site, now)
    version = state.programmes.get(bed.pk)
    programme = programme_of(version) if version else proposal_of(bed).programme
    locked = next(b for b in state.beds if b.pk == bed.pk)
    held = bed_state(state, locked, programme.stale_after_s)
    dose = usual_dose_ml(programme, held.setup) if dose_ml is None else dose_ml
    forbidding = [g for g in guard_reasons(programme, held, now, Wish(dose, 0.0)) if g.why not in _HAND_IGNORES]
    if forbidding:
        raise Inconsistent(
            "dose_ml_per_plant", dose, "no guard that forbids it, but " + "; ".join(say_reason(g) for g in forbidding)
        )
    seconds = seconds_of_ml(dose, held.setup)
    note_given(state, locked, seconds, dose)
    save_controls([state.controls[bed.pk]])
    saved = version if version is not None and version.pk else None
    pulse = Pulse(bed=bed, programme=saved, ordered_at=now, seconds=seconds, dose_ml=dose, by=by)
    issue([Ordered(locked, pulse, seconds)], now)
    record(
        bed.house.site,
        now,
        by,
        f"gave a dose to bed {bed.name} by hand",
        pulse,
        None,
        {"dose_ml": dose, "seconds": seconds},
    )
    tell(bed.house.site_id, "watering")
    return pulse


@transaction.atomic
def set_manual(bed: Bed, manual: bool, by: User, now: datetime) -> None:
    """Put a bed's valve on manual, where no programme moves it, or back on automatic."""
    control = _locked_control(bed)
    before, control.manual = control.manual, manual
    control.save(update_fields=["manual"])
    record(
        bed.house.site,
        now,
        by,
        f"put bed {bed.name} on {'manual' if manual else 'automatic'}",
        bed,
        {"manual": before},
        {"manual": manual},
    )
    tell(bed.house.site_id, "watering")


@transaction.atomic
def pause_bed(bed: Bed, until: datetime | None, by: User, now: datetime) -> None:
    """Pause a bed until a moment within a week, or end its pause. It goes on by itself."""
    if until is not None and not now < until <= now + MOST_PAUSE:
        raise OutOfRange("until", until.isoformat(), "a time from now to a week from now")
    control = _locked_control(bed)
    before, control.paused_until = control.paused_until, until
    control.save(update_fields=["paused_until"])
    what = f"paused bed {bed.name}" if until else f"ended the pause of bed {bed.name}"
    told = [None if t is None else t.isoformat() for t in (before, until)]
    record(bed.house.site, now, by, what, bed, {"paused_until": told[0]}, {"paused_until": told[1]})
    tell(bed.house.site_id, "watering")


@transaction.atomic
def lock_bed(bed: Bed, what_for: str, by: User, now: datetime) -> None:
    """Maintenance lock-out: the valve is closed and stays so, with the name of who works there on it."""
    control = _locked_control(bed)
    if control.locked_by_id is not None:
        raise Conflict("lock", f"{control.locked_by} has locked it already.")
    if not what_for.strip():
        raise OutOfRange("what_for", what_for, "what is being done, in a few words")
    control.locked_by, control.locked_for, control.locked_at = by, what_for.strip()[:120], now
    control.save(update_fields=["locked_by", "locked_for", "locked_at"])
    close_now(bed, control, now, f"locked by {by}")
    record(bed.house.site, now, by, f"locked bed {bed.name}: {control.locked_for}", bed, None, {"locked_by": str(by)})
    tell(bed.house.site_id, "watering")


@transaction.atomic
def unlock_bed(bed: Bed, by: User, now: datetime, owner: bool) -> None:
    """Take a lock off: by whom it names, or by an owner, which the log then says."""
    control = _locked_control(bed)
    if control.locked_by_id is None:
        raise Inconsistent("lock", "none", "a lock to take off")
    if control.locked_by_id != by.pk and not owner:
        raise Conflict("lock", f"{control.locked_by} put it there; only they, or an owner, take it off.")
    name = str(control.locked_by)
    control.locked_by, control.locked_for, control.locked_at = None, "", None
    control.save(update_fields=["locked_by", "locked_for", "locked_at"])
    record(bed.house.site, now, by, f"took the lock of {name} off bed {bed.name}", bed, {"locked_by": name}, None)
    tell(bed.house.site_id, "watering")
