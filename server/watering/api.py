"""Water and Watch: what beds do now, their programme, and what a person may order."""

from dataclasses import dataclass
from datetime import datetime

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from places.beds import setup_of
from places.models import Bed, House, Site
from reedcore.errors import OutOfRange
from reedcore.programme import RANGES, Programme, programme_faults
from reedcore.weather import Weather

from .commands import Report, confirm, open_commands
from .days import DayOut, days_of
from .forecast import simulated_day
from .lines import Lines, lines_of
from .models import CommandState
from .proposal import proposal_of
from .ribbon import Drop, Peg, Ribbon, ribbon_of
from .services import clear_fault, dose_by_hand, publish_programme, resume_bed, resume_house, stop_bed, stop_house
from .slip import SlipLine, slip_of
from .state import bed_state, gather, programme_of
from .watch import Watch, watch_of

SIM_STEP_MIN = 3


@dataclass
class ProgrammeForm:
    """Levels [m3/m3], doses [mL per plant], times [min, s]; `number` is the published version edited from."""

    start_after_sunrise_min: float
    stop_before_sunset_min: float
    low: float
    high: float
    rescue: float
    dose_ml_per_plant: float
    soak_min: float
    tries: int
    daily_cap_ml_per_plant: float
    stale_after_s: float
    number: int = 0


@dataclass
class FieldRange:
    low: float
    high: float
    unit: str


@dataclass
class VersionLine:
    number: int
    published_at: datetime
    published_by: str


@dataclass
class ProgrammeOut:
    bed: int
    published: ProgrammeForm | None
    proposed: ProgrammeForm
    origin: dict[str, str]
    ranges: dict[str, FieldRange]
    versions: list[VersionLine]
    seconds: Figure
    capacity: float
    dry_limit: float
    fault: str
    stopped: bool
    controllable: bool


@dataclass
class SimulateIn:
    programme: ProgrammeForm
    weather: Weather


@dataclass
class Problem:
    field: str
    message: str


@dataclass
class SimulatedOut:
    """A simulated day; arrays every `step_min` minutes from `start`. Problems are what publishing would refuse."""

    start: datetime
    sunrise: datetime
    end: datetime
    step_min: int
    theta: list[float]
    pore_ec_ms_cm: list[float]
    pulses: list[Peg]
    drops: list[Drop]
    dose_ml: float
    drain_share: float | None
    peak: float
    night_fall_points: float
    end_pore_ec_ms_cm: float
    fault: str
    seconds: Figure
    problems: list[Problem]


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


@endpoint("GET", gives=ProgrammeOut)
def programme(request: Request, bed_id: int) -> ProgrammeOut:
    """The published programme of a bed, or a proposal with the origin of its numbers."""
    bed = reach(request, Bed, bed_id)
    latest = bed.programmes.order_by("-number").first()
    proposal = proposal_of(bed)
    proposed = _form(proposal.programme, latest.number if latest else 0)
    versions = bed.programmes.select_related("published_by").order_by("-number")[:10]
    control = getattr(bed, "control", None)
    return ProgrammeOut(
        bed.pk,
        _form(programme_of(latest), latest.number) if latest else None,
        proposed,
        proposal.origin,
        {k: FieldRange(*v) for k, v in RANGES.items()},
        [VersionLine(v.number, v.published_at, str(v.published_by)) for v in versions],
        _seconds(bed, latest.dose_ml_per_plant if latest else proposal.programme.dose_ml_per_plant),
        setup_of(bed).capacity,
        bed.dry_limit,
        control.fault if control else "",
        bool(control and control.stopped),
        hasattr(bed, "valve"),
    )


@endpoint("POST", takes=SimulateIn, gives=SimulatedOut, operation="simulate")
def simulate_programme(request: Request, data: SimulateIn, bed_id: int) -> SimulatedOut:
    """A day under a programme that is not published yet. Simulates what it can even where publishing would refuse."""
    bed = reach(request, Bed, bed_id)
    wanted, setup, now = _programme(data.programme), setup_of(bed), site_now(bed.house.site)
    problems = [Problem(f.field, f"expected {f.expectation}") for f in programme_faults(wanted, setup)]
    state = bed_state(gather(bed.house.site, now, [bed.pk]), bed, wanted.stale_after_s)
    span, day = simulated_day(bed, wanted, state, now, Weather(data.weather))
    sunrise = max(0, int((span.sunrise - span.start).total_seconds() // 60))
    step = SIM_STEP_MIN
    drain = day.drain_ml
    drops = [
        Drop(day.times[i], float(drain[i : i + 15].sum()))
        for i in range(0, len(drain), 15)
        if drain[i : i + 15].sum() > 0.5
    ]
    share = day.drained_ml / day.dose_ml if day.dose_ml > 0 else None
    return SimulatedOut(
        span.start,
        span.sunrise,
        span.end,
        step,
        day.seen[::step].tolist(),
        day.pore_ec_ms_cm[::step].tolist(),
        [Peg(p.at, p.dose_ml, p.seconds, "simulated", p.dose_ml) for p in day.pulses],
        drops,
        day.dose_ml,
        share,
        float(day.seen.max()),
        float(100 * (day.seen[0] - day.seen[: sunrise + 1].min())),
        float(day.pore_ec_ms_cm[-1]),
        day.fault,
        _seconds(bed, wanted.dose_ml_per_plant),
        problems,
    )


@endpoint("POST", takes=ProgrammeForm, gives=VersionLine, status=201)
def programme_publish(request: Request, data: ProgrammeForm, bed_id: int) -> VersionLine:
    """Publish the next version of a bed's programme; it acts from the next tick."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    version = publish_programme(bed, _programme(data), data.number, request.user, site_now(bed.house.site))
    return VersionLine(version.number, version.published_at, str(version.published_by))


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


@endpoint("POST", gives=PulseOut, status=201)
def bed_dose(request: Request, bed_id: int) -> PulseOut:
    """Give one dose of the programme now; it ends by itself."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    pulse = dose_by_hand(bed, request.user, site_now(bed.house.site))
    return PulseOut(pulse.pk, pulse.dose_ml, pulse.seconds)


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


def _programme(form: ProgrammeForm) -> Programme:
    return Programme(**{f: getattr(form, f) for f in Programme.__dataclass_fields__})


def _form(p: Programme, number: int) -> ProgrammeForm:
    return ProgrammeForm(**{f: getattr(p, f) for f in Programme.__dataclass_fields__}, number=number)


def _seconds(bed: Bed, dose_ml: float) -> Figure:
    inputs = {"dose_ml_per_plant": dose_ml, "flow_ml_min_per_plant": bed.flow_ml_min, "line_fill_s": bed.line_fill_s}
    return worked(
        "dose_seconds",
        inputs,
        "tested dripper flow" if bed.tested_flow_ml_min else "rated dripper flow, not tested yet",
    )
