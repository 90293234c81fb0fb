"""Water: the programme of a bed, its schools, versions, and the day it gives."""

from dataclasses import dataclass, field
from datetime import datetime

from rest_framework.request import Request
from rest_framework.response import Response

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from places.beds import setup_of
from places.models import Bed, Site
from reedcore.errors import OutOfRange
from reedcore.programme import Lean, Programme, usual_dose_ml
from reedcore.programme_checks import programme_faults, ranges_of
from reedcore.programme_json import programme_from_json, programme_schema
from reedcore.schools import NOTES, Proposal, School, lean_changes

from .counters import counted
from .models import ProgrammeVersion, SharedProgramme
from .proposal import proposal_of
from .services import check_days, publish_programme
from .shared import Shared, follow, publish_shared, shared_of
from .state import SiteState, gather, programme_of


@dataclass
class ProgrammeBody:
    """A programme as the schema at /api/programme/schema/ describes it; `number` is the published version edited from."""

    body: Programme
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
    shared: str


@dataclass
class SchoolLine:
    """A starting programme of a school with the origin of each number, by path."""

    code: str
    name: str
    goes_by: str
    suits: str
    fails: str
    body: Programme
    origin: dict[str, str]


@dataclass
class DrainLine:
    day: str
    share: float
    wanted: float
    before: float
    after: float
    moves: str
    source: str


@dataclass
class ProgrammeOut:
    bed: int
    published: ProgrammeBody | None
    schools: list[SchoolLine]
    versions: list[VersionLine]
    seconds: Figure
    dose_ml: float
    capacity: float
    dry_limit: float
    volume_l: float
    saturation: float
    fault: str
    stopped: bool
    manual: bool
    paused_until: datetime | None
    locked_by: str
    locked_for: str
    locked_mine: bool
    controllable: bool
    planned: str
    acting: ProgrammeBody | None
    following: str
    shared_body: Programme | None
    dose_factor: float
    gap_factor: float
    drains: list[DrainLine]
    normal_day_ml: float | None
    valve_starts: int
    valve_hours: float
    has: list[str] = field(default_factory=list)


@dataclass
class LeanLine:
    path: str
    before: float
    after: float
    why: str


@dataclass
class Problem:
    """What publishing would refuse: at a path of the programme, with the nearest value that would work."""

    field: str
    message: str
    nearest: float | None = None


@dataclass
class Checked:
    problems: list[Problem]
    ranges: dict[str, FieldRange]
    leans: dict[str, list[LeanLine]]
    dose_ml: float | None
    seconds: Figure


def problems_of(bed: Bed, programme: Programme, now: datetime) -> list[Problem]:
    """Everything publishing would refuse, each at its path."""
    faults = programme_faults(programme, setup_of(bed), check_days(bed.house.site, now))
    return [Problem(f.field, f"expected {f.expectation}", f.nearest) for f in faults]


def seconds_figure(bed: Bed, dose_ml: float | None) -> Figure:
    """Seconds of one dose with their arithmetic."""
    if dose_ml is None or dose_ml != dose_ml:
        return Figure(None, "s", 0, "no dose")
    inputs = {"dose_ml_per_plant": dose_ml, "flow_ml_min_per_plant": bed.flow_ml_min, "line_fill_s": bed.line_fill_s}
    return worked(
        "dose_seconds",
        inputs,
        "tested dripper flow" if bed.tested_flow_ml_min else "rated dripper flow, not tested yet",
    )


@endpoint("GET", gives=ProgrammeOut)
def programme(request: Request, bed_id: int) -> ProgrammeOut:
    """The published programme of a bed, each school's proposal with the origin of its numbers, and what holds the bed."""
    bed = reach(request, Bed, bed_id)
    now = site_now(bed.house.site)
    state = gather(bed.house.site, now, [bed.pk])
    latest = bed.programmes.select_related("shared", "published_by").order_by("-number").first()
    acting, setup, control = state.programmes.get(bed.pk), state.setups[bed.pk], state.controls[bed.pk]
    proposals = {school: proposal_of(bed, school) for school in School}
    dose = usual_dose_ml(programme_of(acting) if acting else proposals[School.THRESHOLD].programme, setup)
    versions = bed.programmes.select_related("published_by", "shared").order_by("-number")[:12]
    entry = state.plan.get(bed.pk)
    newest = (
        SharedProgramme.objects.filter(site=bed.house.site, name=latest.shared.name).latest("number")
        if latest and latest.shared
        else None
    )
    return ProgrammeOut(
        bed.pk,
        _body(latest),
        [_school(s, p) for s, p in proposals.items()],
        [
            VersionLine(v.number, v.published_at, str(v.published_by), v.shared.name if v.shared else "")
            for v in versions
        ],
        seconds_figure(bed, dose),
        dose,
        setup.capacity,
        bed.dry_limit,
        setup.volume_l_per_plant,
        setup.saturation,
        control.fault,
        control.stopped,
        control.manual,
        control.paused_until if control.paused_until and control.paused_until > now else None,
        str(control.locked_by) if control.locked_by else "",
        control.locked_for,
        control.locked_by_id == request.user.pk,
        hasattr(bed, "valve"),
        entry.title if entry else "",
        _body(acting),
        newest.name if newest else "",
        programme_from_json(newest.body) if newest else None,
        control.dose_factor,
        control.gap_factor,
        [
            DrainLine(
                c.day.isoformat(), c.drain_ml / c.dose_ml, c.wanted, c.before, c.after, c.moves, c.get_source_display()
            )
            for c in bed.drain_corrections.filter(dose_ml__gt=0).order_by("-day")[:7]
        ],
        state.normal_ml.get(bed.pk),
        *counted(bed.valve.pk if hasattr(bed, "valve") else 0, None),
        _has(state, bed),
    )


def _has(state: SiteState, bed: Bed) -> list[str]:
    """What is measured for a bed, of what a trigger may ask for."""
    found = ["elapsed", "clock"]
    if state.waters[bed.pk].version is not None:
        found += ["below_low", "fallen"]
    if bed.pk in state.sensed.suction:
        found.append("suction")
    if bed.house_id in state.sensed.radiation:
        found.append("light_sum")
    if bed.house_id in state.sensed.vpd:
        found.append("vpd_hours")
    return [*found, "water_use"] if {"light_sum", "vpd_hours"} <= set(found) else found


def _body(version: ProgrammeVersion | None) -> ProgrammeBody | None:
    return ProgrammeBody(programme_of(version), version.number) if version else None


def _school(school: School, proposal: Proposal) -> SchoolLine:
    note = NOTES[school]
    return SchoolLine(
        school.value, note.name, note.goes_by, note.suits, note.fails, proposal.programme, proposal.origin
    )


@endpoint("POST", takes=ProgrammeBody, gives=Checked)
def programme_check(request: Request, data: ProgrammeBody, bed_id: int) -> Checked:
    """What publishing would refuse, the ranges of each number, and what each lean would move."""
    bed = reach(request, Bed, bed_id)
    wanted, setup = data.body, setup_of(bed)
    problems = problems_of(bed, wanted, site_now(bed.house.site))
    try:
        dose = usual_dose_ml(wanted, setup)
    except OutOfRange:
        dose = None
    leans = {
        x.value: [LeanLine(c.path, c.before, c.after, c.why) for c in lean_changes(wanted, setup, x)] for x in Lean
    }
    ranges = {path: FieldRange(*limits) for path, limits in ranges_of(wanted)}
    return Checked(problems, ranges, leans, dose, seconds_figure(bed, dose))


@endpoint("POST", takes=ProgrammeBody, gives=VersionLine, status=201)
def programme_publish(request: Request, data: ProgrammeBody, bed_id: int) -> VersionLine:
    """Publish the next version of a bed's programme; it acts from the next tick."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    latest = bed.programmes.select_related("shared").order_by("-number").first()
    shared = latest.shared if latest else None
    version = publish_programme(bed, data.body, data.number, request.user, site_now(bed.house.site), shared)
    return VersionLine(version.number, version.published_at, str(version.published_by), shared.name if shared else "")


@endpoint("GET", gives=ProgrammeBody)
def programme_version(request: Request, bed_id: int, number: int) -> ProgrammeBody:
    """One published version, to look at or to go back to."""
    bed = reach(request, Bed, bed_id)
    version = bed.programmes.filter(number=number).first()
    if version is None:
        raise OutOfRange("number", number, "the number of a version of this bed")
    return ProgrammeBody(programme_of(version), version.number)


@endpoint("GET")
def programme_schema_out(request: Request) -> Response:
    """JSON Schema of a programme, for those who write one elsewhere."""
    return Response(programme_schema())


@dataclass
class SharedIn:
    """A programme for many beds: its name, its body, and the beds that follow it from now on."""

    name: str
    body: Programme
    beds: list[int]


@endpoint("GET", gives=Shared, many=True)
def shared_list(request: Request, site_id: int) -> list[Shared]:
    """Programmes shared by many beds, each bed's differences beside it."""
    return shared_of(reach(request, Site, site_id))


@endpoint("POST", takes=SharedIn, gives=Shared, status=201, operation="shared_publish")
def shared_publish(request: Request, data: SharedIn, site_id: int) -> Shared:
    """Publish a shared programme; beds that follow it keep their own differences. All of them take it, or none."""
    site = reach(request, Site, site_id, Role.GROWER)
    return publish_shared(site, data.name, data.body, data.beds, request.user, site_now(site))


@dataclass
class FollowIn:
    shared: str


@endpoint("POST", takes=FollowIn, gives=VersionLine, status=201)
def programme_follow(request: Request, data: FollowIn, bed_id: int) -> VersionLine:
    """Let a bed follow a shared programme, or none (an empty name)."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    v = follow(bed, data.shared, request.user, site_now(bed.house.site))
    return VersionLine(v.number, v.published_at, str(v.published_by), v.shared.name if v.shared else "")
