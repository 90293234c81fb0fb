"""Watch, and what a person may order: what beds do now, why, and by hand."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.utils.dateparse import parse_datetime
from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from accounts.access import reach
from accounts.models import Membership
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from places.models import Bed, House, Site
from reedcore.errors import OutOfRange

from .commands import Report, confirm, open_commands
from .days import DayOut, days_of
from .explain import Explained, explain
from .lines import Lines, lines_of
from .models import CommandState
from .pump_lines import LineDay, pump_lines
from .ribbon import Ribbon, ribbon_of
from .services import (
    clear_fault,
    dose_by_hand,
    lock_bed,
    pause_bed,
    resume_bed,
    resume_house,
    set_manual,
    stop_bed,
    stop_house,
    unlock_bed,
)
from .slip import SlipLine, slip_of
from .watch import Watch, watch_of


@dataclass
class PulseOut:
    id: int
    dose_ml: float
    seconds: float


@dataclass
class CommandOut:
    number: int
    node: int
    actuator: int
    coil: int
    command_register: int
    status_register: int
    seconds: float
    state: str
    expires_at: datetime


@dataclass
class CommandReport:
    state: CommandState
    at: datetime
    delivered_ml: float | None = None
    note: str = ""


@endpoint("GET", gives=Watch)
def watch(request: Request, site_id: int) -> Watch:
    """Every bed at a glance, the air, the tank."""
    return watch_of(reach(request, Site, site_id))


@endpoint("GET", gives=Lines)
def watch_lines(request: Request, site_id: int) -> Lines:
    """Each bed's day so far, small."""
    return lines_of(reach(request, Site, site_id))


@endpoint("GET", gives=Ribbon)
def ribbon(request: Request, bed_id: int) -> Ribbon:
    """The day ribbon of a bed, with the forecast."""
    return ribbon_of(reach(request, Bed, bed_id))


@endpoint("GET", gives=DayOut, many=True)
def days(request: Request, bed_id: int) -> list[DayOut]:
    """Day figures of the last two weeks."""
    return days_of(reach(request, Bed, bed_id))


@endpoint(
    "GET",
    gives=SlipLine,
    many=True,
    parameters=[OpenApiParameter("bed", int, description="only this bed", required=False)],
)
def slip(request: Request, site_id: int) -> list[SlipLine]:
    """Why, lately: decisions as sentences, and notes."""
    site = reach(request, Site, site_id)
    bed = request.query_params.get("bed")
    if bed is not None and not bed.isdigit():
        raise OutOfRange("bed", bed, "the number of a bed")
    return slip_of(site, int(bed) if bed else None)


@endpoint("POST", status=204)
def bed_clear_fault(request: Request, bed_id: int) -> None:
    """Clear a latched fault after a look at the bed."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    clear_fault(bed, request.user, site_now(bed.house.site))


@endpoint("POST", status=204)
def bed_stop(request: Request, bed_id: int) -> None:
    """Close the valve and hold the bed until it is resumed."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    stop_bed(bed, request.user, site_now(bed.house.site))


@dataclass
class HouseHeld:
    beds: int


@endpoint("POST", gives=HouseHeld)
def house_stop(request: Request, house_id: int) -> HouseHeld:
    """Emergency stop: close everything in a house and hold it until resumed."""
    house = reach(request, House, house_id, Role.GROWER)
    return HouseHeld(stop_house(house, request.user, site_now(house.site)))


@endpoint("POST", gives=HouseHeld)
def house_resume(request: Request, house_id: int) -> HouseHeld:
    """Let the stopped beds of a house act again."""
    house = reach(request, House, house_id, Role.GROWER)
    return HouseHeld(resume_house(house, request.user, site_now(house.site)))


@endpoint("POST", status=204)
def bed_resume(request: Request, bed_id: int) -> None:
    """Let a stopped bed's programme act again."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    resume_bed(bed, request.user, site_now(bed.house.site))


@dataclass
class DoseIn:
    """mL per plant; none for the programme's own dose."""

    dose_ml: float | None = None


@endpoint("POST", takes=DoseIn, gives=PulseOut, status=201)
def bed_dose(request: Request, data: DoseIn, bed_id: int) -> PulseOut:
    """Give one dose now; it ends by itself."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    pulse = dose_by_hand(bed, request.user, site_now(bed.house.site), data.dose_ml)
    return PulseOut(pulse.pk, pulse.dose_ml, pulse.seconds)


@dataclass
class ManualIn:
    manual: bool


@endpoint("POST", takes=ManualIn, status=204)
def bed_manual(request: Request, data: ManualIn, bed_id: int) -> None:
    """Put a bed's valve on manual, or back on automatic."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    set_manual(bed, data.manual, request.user, site_now(bed.house.site))


@dataclass
class PauseIn:
    """Minutes from now; 0 ends the pause."""

    minutes: float


@endpoint("POST", takes=PauseIn, status=204)
def bed_pause(request: Request, data: PauseIn, bed_id: int) -> None:
    """Pause a bed for a while; it goes on by itself."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    now = site_now(bed.house.site)
    if not 0 <= data.minutes <= 7 * 1440:
        raise OutOfRange("minutes", data.minutes, "0 to end the pause, up to 10080 minutes (a week)")
    pause_bed(bed, now + timedelta(minutes=data.minutes) if data.minutes else None, request.user, now)


@dataclass
class LockIn:
    what_for: str


@endpoint("POST", takes=LockIn, status=204)
def bed_lock(request: Request, data: LockIn, bed_id: int) -> None:
    """Maintenance lock-out: close the valve and hold it, with a name on it."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    lock_bed(bed, data.what_for, request.user, site_now(bed.house.site))


@endpoint("POST", status=204)
def bed_unlock(request: Request, bed_id: int) -> None:
    """Take a lock off: by whom it names, or by an owner."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    owner = Membership.objects.filter(user=request.user, site=bed.house.site, role=Role.OWNER).exists()
    unlock_bed(bed, request.user, site_now(bed.house.site), owner)


@endpoint(
    "GET",
    gives=Explained,
    parameters=[OpenApiParameter("at", str, description="a moment, ISO 8601 with zone", required=True)],
)
def why(request: Request, bed_id: int) -> Explained:
    """Why the bed was watered or not at any minute of the record."""
    bed = reach(request, Bed, bed_id)
    at = parse_datetime(request.query_params.get("at", "").replace(" ", "+"))
    if at is None or at.tzinfo is None:
        raise OutOfRange("at", request.query_params.get("at"), "a moment with its zone, as 2026-06-18T09:00:00+00:00")
    return explain(bed, at)


@endpoint("GET", gives=LineDay, many=True)
def pump_line(request: Request, site_id: int) -> list[LineDay]:
    """Each pump's line today: which bed ran when, what waits, and what it could feed together."""
    return pump_lines(reach(request, Site, site_id))


@endpoint("GET", gives=CommandOut, many=True, by="node")
def gateway_commands(request: Request) -> list[CommandOut]:
    """Commands to carry to the nodes, oldest first."""
    site = request.auth.site
    return [
        CommandOut(
            c.pk,
            c.actuator.node_id,
            c.actuator_id,
            c.actuator.coil,
            c.actuator.command_register,
            c.actuator.status_register,
            c.seconds,
            c.state,
            c.expires_at,
        )
        for c in open_commands(site, site_now(site))
    ]


@endpoint("POST", takes=CommandReport, status=204, by="node")
def gateway_report(request: Request, data: CommandReport, number: int) -> None:
    """What became of a command at its node."""
    confirm(request.auth.site, Report(number, CommandState(data.state), data.at, data.delivered_ml, data.note))
