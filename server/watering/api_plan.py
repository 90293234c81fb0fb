"""Water: the plan calendar, and its way out and in."""

from dataclasses import dataclass
from datetime import date

from django.http import HttpResponse
from rest_framework.request import Request
from rest_framework.response import Response

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from places.models import Bed, Site
from places.sun import local_day
from reedcore.errors import OutOfRange

from .models import PlanEntry
from .plan import EntryForm, add_entry, as_icalendar, beds_of, end_entry, export_plan, import_icalendar, import_plan

MOST_BYTES = 2_000_000


@dataclass
class EntryOut:
    id: int
    kind: str
    title: str
    first_day: date
    last_day: date
    house: str
    bed: str
    growth_stage: str
    programme: str
    beds: list[str]
    made_by: str
    now: bool


@dataclass
class Plan:
    today: date
    entries: list[EntryOut]
    stages: list[str]


def _plan(site: Site) -> Plan:
    today = local_day(site, site_now(site))
    rows = PlanEntry.objects.filter(site=site).select_related("house", "bed", "shared", "made_by")
    stages = sorted(
        set(Bed.standing.filter(house__site=site).exclude(growth_stage="").values_list("growth_stage", flat=True))
    )
    return Plan(
        today,
        [
            EntryOut(
                e.pk, e.kind, e.title, e.first_day, e.last_day, e.house.name if e.house else "", e.bed.name if e.bed else "", e.growth_stage,
                e.shared.name if e.shared else "", [b.name for b in beds_of(e)], str(e.made_by), e.first_day <= today <= e.last_day,
            )
            for e in rows
        ],
        stages,
    )  # fmt: skip


@endpoint("GET", gives=Plan)
def plan(request: Request, site_id: int) -> Plan:
    """The plan calendar of a site."""
    return _plan(reach(request, Site, site_id))


@endpoint("POST", takes=EntryForm, gives=Plan, status=201)
def plan_add(request: Request, data: EntryForm, site_id: int) -> Plan:
    """Put a line into the calendar."""
    site = reach(request, Site, site_id, Role.GROWER)
    add_entry(site, data, request.user, site_now(site))
    return _plan(site)


@endpoint("POST", gives=Plan)
def plan_end(request: Request, entry_id: int) -> Plan:
    """Take a line out of the calendar, or end it where it has begun."""
    entry = reach(request, PlanEntry, entry_id, Role.GROWER)
    site = entry.site
    now = site_now(site)
    end_entry(entry, request.user, now, local_day(site, now))
    return _plan(site)


@endpoint("GET")
def plan_export(request: Request, site_id: int) -> Response:
    """The calendar with the programmes it names, as documented JSON."""
    return Response(export_plan(reach(request, Site, site_id)))


@dataclass
class Taken:
    entries: int


@endpoint("POST", gives=Taken, status=201)
def plan_import(request: Request, site_id: int) -> Taken:
    """Take a calendar in, as plan_export gives it; all of it or nothing."""
    site = reach(request, Site, site_id, Role.GROWER)
    return Taken(import_plan(site, request.data, request.user, site_now(site)))


@endpoint("GET")
def plan_ics(request: Request, site_id: int) -> Response:
    """The calendar as an iCalendar file."""
    site = reach(request, Site, site_id)
    # Django's own answer: calendars that fetch this ask for any type, so nothing is negotiated.
    return HttpResponse(as_icalendar(site), content_type="text/calendar; charset=utf-8")  # type: ignore[return-value]


@endpoint("POST", gives=Taken, status=201, text=True)
def plan_ics_import(request: Request, site_id: int) -> Taken:
    """Take an iCalendar file in; all of it or nothing."""
    site = reach(request, Site, site_id, Role.GROWER)
    text = request.data
    if not isinstance(text, str) or len(text) > MOST_BYTES:
        raise OutOfRange("calendar", "too long", f"an iCalendar file of at most {MOST_BYTES // 1_000_000} MB")
    return Taken(import_icalendar(site, text, request.user, site_now(site)))
