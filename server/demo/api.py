"""The demo bar and the bench control of the stand-in. A real site answers 404 here."""

from dataclasses import dataclass
from datetime import datetime

from django.http import Http404
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import real_now
from common.endpoint import endpoint
from fitting.models import Probe
from places.models import Site
from reedcore.probe import Place

from .models import ProbePlace
from .services import place_probe, set_rate


@dataclass
class ClockForm:
    """Site seconds per real second: 0 (paused), 1 or 60."""

    rate: float


@dataclass
class PlaceForm:
    place: Place


@dataclass
class PlaceOut:
    bed: str
    probe: int
    place: Place


@dataclass
class World:
    anchor_real: datetime
    anchor_site: datetime
    rate: float
    places: list[PlaceOut]


def _demo_site(site: Site) -> Site:
    if not hasattr(site, "demo_clock"):
        raise Http404
    return site


@endpoint("POST", takes=ClockForm, status=204)
def demo_clock(request: Request, data: ClockForm, site_id: int) -> None:
    """Let the demo clock run at 1x, 60x, or pause it."""
    site = _demo_site(reach(request, Site, site_id, Role.GROWER))
    set_rate(site, data.rate, real_now())


@endpoint("GET", gives=PlaceOut)
def demo_probe(request: Request, probe_id: int) -> PlaceOut:
    """Where the bench control has put a probe."""
    probe = reach(request, Probe, probe_id)
    _demo_site(probe.bed.house.site)
    held = ProbePlace.objects.filter(probe=probe).first()
    return PlaceOut(probe.bed.name, probe.pk, Place(held.place if held else Place.BED))


@endpoint("POST", takes=PlaceForm, gives=PlaceOut)
def demo_probe_place(request: Request, data: PlaceForm, probe_id: int) -> PlaceOut:
    """Put the stand-in's probe in dry mix, drained mix, air, water, or back in the bed."""
    probe = reach(request, Probe, probe_id, Role.GROWER)
    _demo_site(probe.bed.house.site)
    place_probe(probe, Place(data.place))
    return PlaceOut(probe.bed.name, probe.pk, Place(data.place))


@endpoint("GET", gives=World, by="node")
def demo_world(request: Request) -> World:
    """For the stand-in: the clock, and where each fitted probe is."""
    site = _demo_site(request.auth.site)
    clock = site.demo_clock
    rows = ProbePlace.objects.filter(probe__bed__house__site=site, probe__retired_at=None).select_related("probe__bed")
    return World(
        clock.anchor_real,
        clock.anchor_site,
        clock.rate,
        [PlaceOut(p.probe.bed.name, p.probe_id, Place(p.place)) for p in rows],
    )
