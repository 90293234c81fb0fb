"""Fit: which sensor, where it goes, how many; and the sheets to print."""

from dataclasses import dataclass
from io import BytesIO

import segno
from django.http import HttpRequest, HttpResponse
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from places.models import Bed, Site
from reedcore.curves import value_from_curve
from reedcore.placement import Placed, judge_place, proposed_place
from reedcore.sensors import (
    COST_WORDS,
    LINKS,
    WANTS,
    SensorKind,
    choose,
    quantities,
    quantity,
    sensor_kind,
    sensor_kinds,
)

from .building import move_probe, vessel_of
from .models import Channel, Node, Probe


@dataclass
class Word:
    code: str
    words: str


@dataclass
class KindOut:
    code: str
    name: str
    channels: list[str]
    life_months: int
    cost: str
    links: list[str]
    places: str
    radius_cm: float
    reasons: list[str]
    cautions: list[str]
    phases: list[str]


@dataclass
class Catalogue:
    wants: list[Word]
    links: list[Word]
    kinds: list[KindOut]
    quantities: list[Word]


@dataclass
class ChooseForm:
    want: str
    medium: str
    months: int
    budget: int
    link: str = ""


@dataclass
class ChoiceOut:
    kind: KindOut
    suits: bool
    reasons: list[str]
    cautions: list[str]
    against: list[str]


@dataclass
class PlacementForm:
    kind: str
    across_cm: float | None = None
    depth_cm: float | None = None


@dataclass
class PlaceJudged:
    """A place on the cross-section [cm] and what is to be said of it."""

    top_cm: float
    base_cm: float
    height_cm: float
    dripper_cm: float
    across_cm: float
    depth_cm: float
    radius_cm: float
    to_dripper_cm: float
    to_wall_cm: float
    inside_pct: float
    refused: str
    advice: list[str]


@dataclass
class MoveForm:
    depth_cm: float
    across_cm: float
    plant: int | None = None


@dataclass
class SpreadForm:
    """Spread between probes and wanted tolerance [points], certainty [-]."""

    spread_points: float
    tolerance_points: float
    confidence: float = 0.95


@dataclass
class SpreadOut:
    probes: Figure
    seen_spread_points: float | None
    sentence: str


@dataclass
class SheetRow:
    terminal: str
    what: str
    where: str
    register: str
    input: str
    depth: str
    notes: list[str]
    probe: int | None


@dataclass
class WiringSheet:
    """One page for the person on the ladder."""

    node: str
    kind: str
    address: str
    device_id: int
    baud: int
    supply_v: float
    cable_m: float | None
    site: str
    sensors: list[SheetRow]
    actuators: list[SheetRow]
    cautions: list[str]


def _kind_out(k: SensorKind) -> KindOut:
    names = [quantity(c.quantity).name for c in k.channels]
    phases = [str(k.proof[p]) for p in ("first", "changed", "back")]
    return KindOut(
        k.code, k.name, names, k.life_months, COST_WORDS[k.cost], [LINKS[x] for x in k.links], k.places, k.radius_cm,
        list(k.reasons), list(k.cautions), phases,
    )  # fmt: skip


@endpoint("GET", gives=Catalogue, by="person")
def catalogue(_request: Request) -> Catalogue:
    """What one may want to know, and every kind of sensor."""
    return Catalogue(
        [Word(c, w) for c, w in WANTS.items()],
        [Word(c, w) for c, w in LINKS.items()],
        [_kind_out(k) for k in sensor_kinds().values()],
        [Word(q.code, f"{q.name}, {q.unit}") for q in quantities().values()],
    )


@endpoint("POST", takes=ChooseForm, gives=ChoiceOut, many=True)
def sensors_choose(_request: Request, data: ChooseForm) -> list[ChoiceOut]:
    """Kinds that tell what is wanted, the best first, with reasons, cautions and what speaks against them."""
    found = choose(data.want, data.medium, data.months, data.budget, data.link)
    return [
        ChoiceOut(_kind_out(c.kind), not c.against, list(c.reasons), list(c.cautions), list(c.against)) for c in found
    ]


@endpoint("POST", takes=PlacementForm, gives=PlaceJudged)
def place_judge(request: Request, data: PlacementForm, bed_id: int) -> PlaceJudged:
    """Judge a place in a bed's container; without a place, propose one."""
    bed = reach(request, Bed, bed_id)
    vessel, kind = vessel_of(bed), sensor_kind(data.kind)
    radius = kind.radius_cm or 1.0
    proposed = proposed_place(vessel, radius)
    placed = Placed(
        proposed.across_cm if data.across_cm is None else data.across_cm,
        proposed.depth_cm if data.depth_cm is None else data.depth_cm,
        radius,
    )
    j = judge_place(vessel, placed)
    return PlaceJudged(
        vessel.top_cm, vessel.base_cm, vessel.height_cm, vessel.dripper_cm, placed.across_cm, placed.depth_cm, radius,
        j.to_dripper_cm, j.to_wall_cm, 100 * j.inside_share, j.refused, list(j.advice),
    )  # fmt: skip


@endpoint("PUT", takes=MoveForm, status=204)
def probe_move(request: Request, data: MoveForm, probe_id: int) -> None:
    """Keep where a probe stands now."""
    probe = reach(request, Probe, probe_id, Role.GROWER)
    move_probe(probe, data.depth_cm, data.across_cm, data.plant, request.user, site_now(probe.bed.house.site))


@endpoint("POST", takes=SpreadForm, gives=SpreadOut)
def probes_propose(request: Request, data: SpreadForm, bed_id: int) -> SpreadOut:
    """How many probes the wanted certainty takes, from the spread between them."""
    bed = reach(request, Bed, bed_id)
    figure = worked(
        "probes_needed",
        {"spread_points": data.spread_points, "tolerance_points": data.tolerance_points, "confidence": data.confidence},
        "spread as entered",
    )
    seen = seen_spread(bed)
    told = "" if seen is None else f" Between this bed's own probes it is {seen:.1f} points now."
    count = figure.value or 0
    return SpreadOut(
        figure,
        seen,
        f"{count:.0f} probes make the mean of bed {bed.name} certain to {data.tolerance_points:g} points with "
        f"{100 * data.confidence:.0f} % certainty.{told}" if figure.value else figure.source,
    )  # fmt: skip


def seen_spread(bed: Bed) -> float | None:
    """Standard deviation of θ between the bed's calibrated probes now [points]; None under two."""
    from calibration.queries import current_calibrations  # calibration stands on fitting

    channels = bed.channels.filter(retired_at=None, latest__quality=0).exclude(probe=None).select_related("latest")
    versions = current_calibrations([c.pk for c in channels], site_now(bed.house.site))
    thetas = [
        float(value_from_curve(c.latest.raw, v.curve))
        for c in channels
        if (v := versions.get(c.pk)) is not None and v.gives == "theta"
    ]
    if len(thetas) < 2:
        return None
    mean = sum(thetas) / len(thetas)
    return float(100 * (sum((t - mean) ** 2 for t in thetas) / (len(thetas) - 1)) ** 0.5)


CAUTIONS = (
    "Isolate mains before opening a box; residual-current protection; a licensed electrician and local code decide.",
    "Keep the electronics of every probe above the dashed line. Glands down, a drip loop in every cable.",
    "Normally-open contacts for valves and pumps: a dead controller then means a closed valve.",
    "Pressure off before opening a pipe. Hard-wired float switches and overflow pipes stay.",
)


@endpoint("GET", gives=WiringSheet)
def wiring_sheet(request: Request, node_id: int) -> WiringSheet:
    """Terminals, supply, address and cautions of a node, to print."""
    node = reach(request, Node, node_id)
    kinds = sensor_kinds()
    rows, seen = [], set()
    for c in (
        node.channels.filter(retired_at=None)
        .select_related("bed", "probe", "house", "tank", "pump")
        .order_by("register", "pk")
    ):
        key = (c.probe_id, c.sensor_kind) if c.probe_id else ("channel", c.pk)
        if key in seen:
            continue
        seen.add(key)
        rows.append(_sheet_row(c, f"S{len(rows) + 1}", kinds.get(c.sensor_kind)))
    from .api import name_of

    actuators = [
        SheetRow(
            f"A{i + 1}",
            name_of(a),
            "",
            f"coil {a.coil}, registers {a.command_register} and {a.status_register}",
            "contact, normally open",
            "",
            [],
            None,
        )
        for i, a in enumerate(node.actuators.select_related("bed", "pump").order_by("coil"))
    ]
    host, port = node.address
    address = (
        f"{host}:{port}" if port and not node.is_standin else "stand-in" if node.is_standin else "posts with its token"
    )
    return WiringSheet(
        node.name, node.get_kind_display(), address, node.device_id, node.baud, node.supply_needed_v, node.cable_m, node.site.name,
        rows, actuators, list(CAUTIONS),
    )  # fmt: skip


def _sheet_row(c: Channel, terminal: str, kind: SensorKind | None) -> SheetRow:
    from .api import where_of

    notes = ["Power it only while reading: it corrodes."] if kind and kind.power_only_while_reading else []
    depth = f"{c.probe.depth_cm:g} cm deep, {c.probe.dripper_distance_cm:g} cm from the dripper" if c.probe else c.place
    register = (
        f"function {c.function}, register {c.register}, {c.register_type}"
        if c.register is not None
        else f"name {c.key}"
    )
    return SheetRow(
        terminal,
        kind.name if kind else quantity(c.quantity).name,
        where_of(c),
        register,
        c.get_input_display(),
        depth,
        notes,
        c.probe_id,
    )


def probe_qr(request: HttpRequest, probe_id: int) -> HttpResponse:
    """QR code (SVG) that opens a probe's page on the phone, at the address this page was asked under."""
    if not request.user.is_authenticated:
        return HttpResponse(status=401)
    probe = Probe.objects.filter(pk=probe_id, bed__house__site__memberships__user=request.user).first()
    if probe is None:
        return HttpResponse(status=404)
    code = segno.make(request.build_absolute_uri(f"/probe/{probe_id}"), error="m")
    out = BytesIO()
    code.save(out, kind="svg", scale=3, border=2, dark="#000")
    return HttpResponse(out.getvalue(), content_type="image/svg+xml")


@dataclass
class ProbePage:
    """A probe as its label's code opens it on the phone."""

    id: int
    name: str
    kind: str
    site: int
    bed: int
    bed_name: str
    crop: str
    depth_cm: float
    dripper_distance_cm: float
    plant: int | None
    node: str
    channels: list[int]
    calibrated: str


@endpoint("GET", gives=ProbePage)
def probe_page(request: Request, probe_id: int) -> ProbePage:
    """One probe: where it is, its channels, its calibration."""
    probe = reach(request, Probe, probe_id)
    channels = list(probe.channels.filter(retired_at=None).select_related("node").order_by("pk"))
    from calibration.models import CalibrationVersion  # calibration stands on fitting

    rows = CalibrationVersion.objects.filter(channel__probe=probe, gives="theta", reverted_at=None)
    version = rows.order_by("-number").first()
    said = "not calibrated yet" if version is None else f"calibration {version.number}, by {version.published_by}"
    return ProbePage(
        probe.pk, probe.name, probe.kind, probe.bed.house.site_id, probe.bed_id, probe.bed.name, probe.bed.crop, probe.depth_cm,
        probe.dripper_distance_cm, probe.plant, channels[0].node.name if channels else "", [c.pk for c in channels], said,
    )  # fmt: skip


@endpoint("GET", gives=KindOut, many=True)
def site_kinds(request: Request, site_id: int) -> list[KindOut]:
    """Kinds of sensors that a site has fitted."""
    site = reach(request, Site, site_id)
    codes = Channel.objects.filter(node__site=site, retired_at=None).values_list("sensor_kind", flat=True).distinct()
    kinds = sensor_kinds()
    return [_kind_out(kinds[c]) for c in sorted(set(codes)) if c in kinds]
