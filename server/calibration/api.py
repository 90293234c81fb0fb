"""Calibrate: the bench, captures, publishing."""

from dataclasses import dataclass

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from fitting.models import Channel, Probe
from places.beds import volume_of
from places.models import Site
from watering.tasks import order_day_figures

from .bench import Bench, VersionOut, bench_points, bench_result, judge, open_captures, version_out
from .models import PointKind
from .queries import current_calibrations
from .services import capture_point, publish_calibration


@dataclass
class CaptureIn:
    kind: PointKind
    theta: float


@dataclass
class PublishIn:
    """The version number that the person saw as the next one."""

    number: int


@dataclass
class ProbeOut:
    id: int
    name: str
    kind: str
    bed: int
    bed_name: str
    crop: str
    state: str
    provisional: bool
    calibrated: bool
    depth_cm: float
    dripper_distance_cm: float
    standin_channel: int | None
    standin_place: str


@endpoint("GET", gives=ProbeOut, many=True)
def probes(request: Request, site_id: int) -> list[ProbeOut]:
    """The probes of a site and the state of their calibration, those that need one first."""
    site = reach(request, Site, site_id)
    rows = list(Probe.objects.filter(bed__house__site=site, retired_at=None).select_related("bed__house"))
    raw = Channel.objects.filter(probe__in=rows, quantity="raw", retired_at=None, node__standin_slot__isnull=False)
    standins = {c.probe_id: c for c in raw}
    known = current_calibrations([p.pk for p in rows], site_now(site))
    out = []
    for p in rows:
        v = known.get(p.pk)
        state = "not calibrated" if v is None else f"version {v.number}, {v.get_method_display()}"
        out.append(
            ProbeOut(
                p.pk,
                p.name,
                p.kind,
                p.bed_id,
                p.bed.name,
                p.bed.crop,
                state,
                bool(v and v.provisional),
                v is not None,
                p.depth_cm,
                p.dripper_distance_cm,
                standins[p.pk].pk if p.pk in standins else None,
                standins[p.pk].standin_place if p.pk in standins else "",
            )
        )
    return sorted(out, key=lambda p: (p.calibrated, not p.provisional, p.bed_name))


@endpoint("GET", gives=Bench)
def bench(request: Request, probe_id: int) -> Bench:
    """Everything the capture screen shows: live raw, steadiness, points, result, earlier versions."""
    return _bench(reach(request, Probe, probe_id))


@endpoint("POST", takes=CaptureIn, gives=Bench, status=201)
def captures(request: Request, data: CaptureIn, probe_id: int) -> Bench:
    """Capture the steady reading as the dry or the wet point."""
    probe = reach(request, Probe, probe_id, Role.GROWER)
    capture_point(probe, PointKind(data.kind), data.theta, request.user, site_now(probe.bed.house.site))
    return _bench(probe)


@dataclass
class PublishedOut:
    """The new version, and the background job that works the bed's day figures out anew."""

    version: VersionOut
    job: int


@endpoint("POST", takes=PublishIn, gives=PublishedOut, status=201)
def calibrations(request: Request, data: PublishIn, probe_id: int) -> PublishedOut:
    """Publish the captured points, valid from now."""
    probe = reach(request, Probe, probe_id, Role.GROWER)
    version = publish_calibration(probe, data.number, request.user, site_now(probe.bed.house.site))
    return PublishedOut(version_out(version), order_day_figures(probe.bed, request.user, days=2).pk)


def _bench(probe: Probe) -> Bench:
    now = site_now(probe.bed.house.site)
    times, raws, s = judge(probe, now)
    held = open_captures(probe)
    raw_now = float(raws[-1]) if len(raws) else float("nan")
    result, problem, field = bench_result(probe, held, raw_now)
    at = times[-1] if times else None
    volume = volume_of(probe.bed)
    version = current_calibrations([probe.pk], now).get(probe.pk)
    theta = Figure(None, "% v/v", 1, "not calibrated yet")
    if version:
        theta = worked(
            "two_point",
            {
                "raw": raw_now,
                "raw_dry": version.raw_dry,
                "raw_wet": version.raw_wet,
                "theta_dry": version.theta_dry,
                "theta_wet": version.theta_wet,
            },
            f"probe {probe.name}, calibration {version.number}",
            at,
        )
    water = worked(
        "water_l",
        {"theta": (theta.value if theta.value is not None else float("nan")) / 100, "volume_l_per_plant": volume},
        theta.source,
        at,
    )
    step = max(1, len(raws) // 240)
    return Bench(
        probe.pk,
        probe.name,
        probe.kind,
        probe.bed_id,
        probe.bed.name,
        probe.span_raw,
        raw_now,
        at,
        s.steady,
        s.bubble,
        s.why,
        s.slope_per_min,
        s.noise,
        s.still_for_s,
        s.settled_after_s,
        times[::step],
        raws[::step].tolist(),
        bench_points(probe, held),
        result,
        problem,
        field,
        [version_out(v) for v in probe.calibrations.select_related("published_by").order_by("-number")],
        worked("ml_per_point", {"volume_l_per_plant": volume}, "from the volume"),
        theta,
        water,
    )
