"""Calibrate: what there is to calibrate, the bench, captures, publishing."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Q
from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from fitting.models import Actuator, ActuatorKind, Channel, Probe
from places.beds import volume_of
from places.models import Site
from reedcore.methods import CalibrationMethod, due_in_days, methods
from reedcore.sense import Sign
from reedcore.sensors import quantity
from reedcore.standards import standards
from watering.tasks import order_day_figures

from . import services
from .bench import (
    CardOut,
    DraftOut,
    Live,
    VersionOut,
    cards_of,
    draft_out,
    fresh_session,
    live_of,
    quantity_of,
    session_of,
    version_out,
    way_of,
    ways_of,
)
from .hands import Hands, hands_of
from .models import CalibrationVersion, Capture
from .pore import Pore, pore_of
from .queries import current_calibrations, figure_of, unit_of
from .services import Target, name_of, now_of
from .tasks import order_recompute
from .trust import trust_now


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
    channel: int | None
    standin_channel: int | None
    standin_place: str


@endpoint("GET", gives=ProbeOut, many=True)
def probes(request: Request, site_id: int) -> list[ProbeOut]:
    """The probes of a site and the state of their calibration, those that need one first."""
    site = reach(request, Site, site_id)
    rows = list(
        Probe.objects.filter(bed__house__site=site, bed__retired_at=None, retired_at=None).select_related("bed__house")
    )
    raw = Channel.objects.filter(probe__in=rows, quantity="raw", retired_at=None).select_related("node")
    channels = {c.probe_id: c for c in raw}
    known = current_calibrations([c.pk for c in channels.values()], site_now(site))
    out = []
    for p in rows:
        c = channels.get(p.pk)
        v = known.get(c.pk) if c else None
        state = "not calibrated" if v is None else f"version {v.number}, {v.method_name}"
        standin = c if c is not None and c.node.is_standin else None
        out.append(
            ProbeOut(
                p.pk, p.name, p.kind, p.bed_id, p.bed.name, p.bed.crop, state, bool(v and v.provisional), v is not None, p.depth_cm,
                p.dripper_distance_cm, c.pk if c else None, standin.pk if standin else None, standin.standin_place if standin else "",
            )
        )  # fmt: skip
    return sorted(out, key=lambda p: (p.calibrated, p.provisional is False, p.bed))


@dataclass
class ToCalibrate:
    """A channel or doser with the state of its calibration. target: channel or doser. due_in_days: None without one."""

    target: str
    id: int
    name: str
    quantity: str
    quantity_name: str
    unit: str
    group: str
    bed: int | None
    probe: int | None
    state: str
    calibrated: bool
    provisional: bool
    wanted: bool
    trust: str
    trust_words: str
    value: Figure
    due_in_days: float | None
    ways: list[str]


WANTED = frozenset({"raw", "distance", "ph", "nitrate", "potassium", "drain_tips", "rain_tips", "pulses"})
"""Quantities that mean little before they are calibrated; the others stand as they come until someone checks them."""


@endpoint("GET", gives=ToCalibrate, many=True)
def to_calibrate(request: Request, site_id: int) -> list[ToCalibrate]:
    """Everything of a site that can be calibrated, what needs it first."""
    site = reach(request, Site, site_id)
    now = site_now(site)
    known = {q for m in methods().values() for q in m.quantities}
    rows = Channel.objects.filter(node__site=site, quantity__in=known, retired_at=None, node__retired_at=None)
    rows = rows.filter(Q(bed=None) | Q(bed__retired_at=None)).filter(Q(probe=None) | Q(probe__retired_at=None))
    channels = list(
        rows.select_related("node", "bed", "house", "tank", "probe", "latest", "trust", "trust__override_by").order_by(
            "pk"
        )
    )
    versions = current_calibrations([c.pk for c in channels], now)
    out = [_channel_row(c, versions.get(c.pk), now) for c in channels]
    dosers = Actuator.objects.filter(node__site=site, kind=ActuatorKind.DOSER, node__retired_at=None).select_related(
        "node"
    )
    out += [_doser_row(a, now) for a in dosers]
    return sorted(
        out,
        key=lambda r: (
            not r.wanted or r.calibrated,
            not r.provisional,
            r.due_in_days if r.due_in_days is not None else 1e9,
        ),
    )


def _channel_row(c: Channel, v: CalibrationVersion | None, now: datetime) -> ToCalibrate:
    q, held = quantity(c.quantity), getattr(c, "trust", None)
    trust = trust_now(held, now)
    latest = getattr(c, "latest", None)
    signs = frozenset(Sign(f["sign"]) for f in held.findings) if held else frozenset()
    where = f"bed {c.bed.name}" if c.bed else c.house.name if c.house else c.tank.name if c.tank else c.node.name
    value = Figure(
        latest.raw if latest else None, q.unit, q.digits, "as it comes, not calibrated", latest.time if latest else None
    )
    if v is not None and latest is not None:
        value = figure_of(v, latest.raw, name_of(c), latest.time)
    return ToCalibrate(
        "channel", c.pk, name_of(c), c.quantity, q.name, q.unit, where, c.bed_id, c.probe_id, _state(v), v is not None,
        bool(v and v.provisional), c.quantity in WANTED, trust.trust.value if held else "", trust.words, value, _due(v, now, signs),
        [m.code for m in ways_of(c)],
    )  # fmt: skip


def _doser_row(a: Actuator, now: datetime) -> ToCalibrate:
    v = a.calibrations.filter(reverted_at=None).order_by("-number").first()
    value = Figure(
        v.coefficients[1] if v else None, "mL/s", 3, "measured" if v else "not measured", v.published_at if v else None
    )
    return ToCalibrate(
        "doser", a.pk, name_of(a), "doser", "doser", "mL/s", a.node.name, None, None, _state(v), v is not None, False, True, "trusted",
        "", value, _due(v, now, frozenset()), [m.code for m in ways_of(a)],
    )  # fmt: skip


def _state(v: CalibrationVersion | None) -> str:
    return "not calibrated" if v is None else f"version {v.number}, {v.method_name}"


def _due(v: CalibrationVersion | None, now: datetime, signs: frozenset[Sign]) -> float | None:
    if v is None:
        return None
    return due_in_days(v.method, (now - v.published_at).total_seconds() / 86400, signs)


@dataclass
class WayOut:
    """A method with its reason and cautions."""

    code: str
    name: str
    why: str
    cautions: list[str]
    provisional: bool
    due_days: int
    steady: bool


@dataclass
class StandardOut:
    code: str
    name: str
    low_c: float
    high_c: float


@dataclass
class Bench:
    """The bench of a channel or doser by one method."""

    target: str
    id: int
    name: str
    quantity: str
    unit: str
    gives_unit: str
    bed: int | None
    bed_name: str
    probe: int | None
    method: WayOut
    ways: list[WayOut]
    settings: dict[str, float]
    standards: list[StandardOut]
    live: Live
    cards: list[CardOut]
    draft: DraftOut | None
    problem: str
    problem_field: str
    versions: list[VersionOut]
    next_number: int
    value: Figure
    water: Figure | None
    ml_per_point: Figure | None
    hands: Hands | None
    pore: Pore | None


def _bench(target: Target, code: str, form: str) -> Bench:
    now = now_of(target)
    way = way_of(target, code)
    session = session_of(target, way.code) or fresh_session(target, way.code)
    live = live_of(session, now)
    draft, problem, at = draft_out(session, form, live.raw)
    versions = list(target.calibrations.select_related("published_by").order_by("-number"))
    channel = target if isinstance(target, Channel) else None
    q = quantity(channel.quantity) if channel else None
    held = current_calibrations([channel.pk], now).get(channel.pk) if channel else None
    unit = q.unit if q else "s"
    value = Figure(live.raw, unit, q.digits if q else 1, "as it comes, not calibrated", live.at)
    if held is not None and live.raw is not None:
        value = figure_of(held, live.raw, name_of(target), live.at)
    gives = way.gives if way.gives != "same" else (channel.quantity if channel else "millilitres")
    water, per_point = _water(channel, held, live)
    return Bench(
        "channel" if channel else "doser", target.pk, name_of(target), quantity_of(target), unit, unit_of(gives),
        channel.bed_id if channel else None, channel.bed.name if channel and channel.bed else "", channel.probe_id if channel else None,
        _way(way), [_way(m) for m in ways_of(target)], session.settings, _standards(quantity_of(target)), live, cards_of(session), draft,
        problem, at, [version_out(v) for v in versions], max((v.number for v in versions), default=0) + 1, value, water, per_point,
        hands_of(channel, way) if channel else None,
        pore_of(channel.probe, now) if channel and channel.probe and channel.quantity == "bulk_ec" else None,
    )  # fmt: skip


def _water(channel: Channel | None, v: CalibrationVersion | None, live: Live) -> tuple[Figure | None, Figure | None]:
    if channel is None or channel.bed is None or channel.quantity not in ("raw", "permittivity"):
        return None, None
    volume = volume_of(channel.bed)
    per_point = worked("ml_per_point", {"volume_l_per_plant": volume}, "from the volume")
    if v is None or live.raw is None or v.gives != "theta":
        return Figure(None, "L per plant", 2, "no calibration yet"), per_point
    theta = figure_of(v, live.raw, name_of(channel), live.at).value
    inputs = {"theta": float("nan") if theta is None else theta / 100, "volume_l_per_plant": volume}
    return worked("water_l", inputs, name_of(channel), live.at), per_point


def _way(m: CalibrationMethod) -> WayOut:
    return WayOut(m.code, m.name, m.why, list(m.cautions), m.provisional, m.due_days, m.steady)


FAMILY = {"feed_ec": "ec", "bulk_ec": "ec", "ph": "ph", "humidity": "humidity"}


def _standards(code: str) -> list[StandardOut]:
    family = FAMILY.get(code)
    return [StandardOut(s.code, s.name, s.temp_c[0], s.temp_c[-1]) for s in standards().values() if s.family == family]


@dataclass
class SettingsForm:
    """What a bench is asked once: container_g, dry_g, volume_l, temp_c, second_ec, second_temp_c, reads_mv."""

    method: str
    settings: dict[str, float | None]


@dataclass
class CaptureForm:
    """A capture with what is typed with it: theta, mass_g, value, standard, temp_c, seconds, millilitres."""

    method: str
    kind: str
    theta: float | None = None
    mass_g: float | None = None
    value: float | None = None
    standard: str = ""
    temp_c: float | None = None
    seconds: float | None = None
    millilitres: float | None = None

    @property
    def inputs(self) -> dict[str, Any]:
        held = {k: v for k, v in vars(self).items() if k not in ("method", "kind") and v not in (None, "")}
        return dict(held)


@dataclass
class PublishForm:
    """number: what the person saw as the next one. valid_from: a past moment, else now. form: against the proposal."""

    method: str
    number: int
    form: str = ""
    valid_from: datetime | None = None


@dataclass
class Published:
    version: VersionOut
    job: int | None
    days_job: int | None


BENCH_QUERY = [OpenApiParameter("method", str), OpenApiParameter("form", str)]


@endpoint("GET", gives=Bench, parameters=BENCH_QUERY)
def bench(request: Request, channel_id: int) -> Bench:
    """The bench of a channel: ?method= another way, ?form= another curve than the proposed one."""
    channel = reach(request, Channel, channel_id)
    return _bench(channel, request.query_params.get("method", ""), request.query_params.get("form", ""))


@endpoint("GET", gives=Bench)
def doser_bench(request: Request, actuator_id: int) -> Bench:
    """The bench of a doser."""
    return _bench(reach(request, Actuator, actuator_id), "", "")


@endpoint("PUT", takes=SettingsForm, gives=Bench)
def bench_settings(request: Request, data: SettingsForm, channel_id: int) -> Bench:
    """Keep what a bench is asked once."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    services.set_bench(channel, data.method, dict(data.settings), request.user, now_of(channel))
    return _bench(channel, data.method, "")


@endpoint("POST", takes=CaptureForm, gives=Bench, status=201)
def capture(request: Request, data: CaptureForm, channel_id: int) -> Bench:
    """Take the steady reading as a reference point."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    services.capture(channel, data.method, data.kind, data.inputs, request.user, now_of(channel))
    return _bench(channel, data.method, "")


@endpoint("POST", takes=CaptureForm, gives=Bench, status=201)
def doser_capture(request: Request, data: CaptureForm, actuator_id: int) -> Bench:
    """Keep a run of a doser: seconds and millilitres."""
    doser = reach(request, Actuator, actuator_id, Role.GROWER)
    services.capture(doser, data.method, data.kind, data.inputs, request.user, now_of(doser))
    return _bench(doser, data.method, "")


@endpoint("POST", status=204)
def capture_drop(request: Request, capture_id: int) -> None:
    """Leave a capture out; it stays in the record."""
    row = reach(request, Capture, capture_id, Role.GROWER)
    target = row.session.channel or row.session.actuator
    assert target is not None
    services.drop_capture(row, request.user, now_of(target))


@endpoint("POST", takes=PublishForm, gives=Published, status=201)
def publish(request: Request, data: PublishForm, channel_id: int) -> Published:
    """Publish the next version; its history is worked out anew in the background."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    now = now_of(channel)
    version = services.publish(channel, data.method, data.number, request.user, now, data.valid_from, data.form)
    return after_publishing(version, request)


@endpoint("POST", takes=PublishForm, gives=Published, status=201)
def doser_publish(request: Request, data: PublishForm, actuator_id: int) -> Published:
    """Publish a doser's flow."""
    doser = reach(request, Actuator, actuator_id, Role.GROWER)
    version = services.publish(doser, data.method, data.number, request.user, now_of(doser))
    return after_publishing(version, request)


def after_publishing(version: CalibrationVersion, request: Request) -> Published:
    """Order what follows from a version: hours, and the day figures of a bed whose water it gives."""
    channel = version.channel
    job = order_recompute(channel, version.valid_from).pk if channel else None
    days = None
    if channel is not None and channel.bed is not None and version.gives == "theta":
        past = (now_of(channel) - version.valid_from).total_seconds() / 86400
        days = order_day_figures(channel.bed, request.user, days=max(2, min(120, int(past) + 2))).pk
    return Published(version_out(version), job, days)
