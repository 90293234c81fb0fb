"""Fit: nodes with their channels and health, and changes to them."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from django.apps import apps
from django.db.models import Count, Prefetch, Sum
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from places.models import Site
from reedcore.sensors import quantity

from .building import (
    FAULTS,
    NodePlan,
    SensorPlan,
    add_channel,
    add_node,
    add_to_node,
    retire_node,
    save_node,
    set_faults,
)
from .models import Actuator, Channel, Input, Node, NodeKind, Outcome, Proof
from .services import make_token
from .silence import interval_s, rate_of, silent_since


@dataclass
class ProofBrief:
    """The last finished test: passed, to be tried again, failed; None where never tested."""

    id: int
    outcome: str
    at: datetime | None


@dataclass
class ChannelOut:
    id: int
    name: str
    quantity: str
    sensor_kind: str
    unit: str
    digits: int
    register: int | None
    register_type: str
    function: int
    input: str
    raw: float | None
    at: datetime | None
    good: bool
    fault: str
    where: str
    bed: int | None
    probe: int | None
    proof: ProofBrief | None
    standin_place: str
    key: str


@dataclass
class ActuatorBrief:
    id: int
    kind: str
    name: str
    bed: int | None
    pump: int | None
    starts: int
    hours: float
    proof: ProofBrief | None


@dataclass
class NodeOut:
    id: int
    name: str
    kind: str
    kind_label: str
    address: str
    host: str
    port: int | None
    device_id: int
    poll_s: float
    interval_s: float
    baud: int
    cable_m: float | None
    supply_needed_v: float
    last_seen: datetime | None
    silent: bool
    problem: str
    has_token: bool
    is_standin: bool
    faults: list[str]
    firmware: str
    restarts: int
    uptime_s: float | None
    clock_offset_s: float | None
    supply_v: float | None
    battery_v: float | None
    config_number: int
    config_confirmed: int
    channels: list[ChannelOut]
    actuators: list[ActuatorBrief]


@dataclass
class TokenOut:
    token: str


@dataclass
class SensorForm:
    """A sensor to add: kind, what it belongs to, where it sits, how it comes in."""

    kind: str
    bed: int | None = None
    house: int | None = None
    tank: int | None = None
    pump: int | None = None
    place: str = ""
    depth_cm: float | None = None
    across_cm: float | None = None
    plant: int | None = None
    input: Input = Input.NUMBER
    input_settings: dict[str, float] = field(default_factory=dict)


@dataclass
class OtherDevice:
    """A contact or a doser."""

    kind: str
    name: str


@dataclass
class NodeForm:
    name: str
    kind: str
    sensors: list[SensorForm]
    valves: list[int] = field(default_factory=list)
    pumps: list[int] = field(default_factory=list)
    others: list[OtherDevice] = field(default_factory=list)
    standin: bool = False
    host: str = ""
    port: int | None = None
    device_id: int = 1
    poll_s: float = 5.0
    baud: int = 9600
    cable_m: float | None = None
    supply_needed_v: float = 12.0


@dataclass
class NodeChange:
    name: str
    host: str
    port: int | None
    device_id: int
    poll_s: float
    baud: int
    cable_m: float | None
    supply_needed_v: float


@dataclass
class ChannelForm:
    """A register to turn into a channel."""

    quantity: str
    register: int
    register_type: str
    function: int = 3
    word_order: str = "abcd"
    scale: float = 1.0
    offset: float = 0.0
    bed: int | None = None
    house: int | None = None
    tank: int | None = None
    pump: int | None = None
    place: str = ""


@dataclass
class FaultsForm:
    faults: list[str]


@dataclass
class MadeNode:
    id: int
    channels: list[int]


@dataclass
class HealthPoint:
    at: datetime
    supply_v: float | None
    battery_v: float | None
    uptime_s: float | None
    clock_offset_s: float | None


def where_of(c: Channel) -> str:
    """What a channel belongs to, in words."""
    if c.bed:
        where = f"bed {c.bed.name}" + (f", probe {c.probe.name}" if c.probe else "")
    else:
        where = c.house.name if c.house else c.tank.name if c.tank else c.pump.name if c.pump else "site"
    return f"{where}, {c.place}" if c.place else where


Proofs = dict[int, list[Proof]]
"""Finished tests by channel: most channels have none, and asking each would cost more than all the rest."""


def _brief(proofs: Any) -> ProofBrief | None:
    done = [p for p in proofs if p.outcome != Outcome.OPEN]
    last = max(done, key=lambda p: p.pk, default=None)
    return ProofBrief(last.pk, last.outcome, last.ended_at) if last else None


def _channel(c: Channel, proofs: Proofs) -> ChannelOut:
    latest, q = getattr(c, "latest", None), quantity(c.quantity)
    fault = ("", "out of range", "input at fault: open, shorted or without supply")[latest.quality] if latest else ""
    return ChannelOut(
        c.pk, q.name, c.quantity, c.sensor_kind, q.unit, q.digits, c.register, c.register_type, c.function, c.input,
        latest.raw if latest else None, latest.time if latest else None, latest is not None and latest.quality == 0, fault,
        where_of(c), c.bed_id, c.probe_id, _brief(proofs.get(c.pk, ())), c.standin_place, c.key,
    )  # fmt: skip


def name_of(a: Actuator) -> str:
    """A device in words."""
    if a.bed:
        return f"{a.get_kind_display()} of bed {a.bed.name}"
    name = a.pump.name if a.pump else a.name
    return name if a.kind in name.lower() else f"{a.get_kind_display()} {name}".strip()


Runs = dict[int, tuple[int, float]]
"""Starts and hours by actuator."""


def runs_of(site: Site) -> Runs:
    """How often and how long each device of a site ran, summed in the database: a season holds many commands."""
    commands = apps.get_model("watering", "Command").objects
    rows = commands.filter(actuator__node__site=site, started_at__isnull=False, seconds__gt=0)
    return {
        pk: (starts, seconds / 3600)
        for pk, starts, seconds in rows.values_list("actuator").annotate(n=Count("pk"), s=Sum("seconds"))
    }


def _actuator(a: Actuator, runs: Runs) -> ActuatorBrief:
    starts, hours = runs.get(a.pk, (0, 0.0))
    return ActuatorBrief(a.pk, a.kind, name_of(a), a.bed_id, a.pump_id, starts, hours, _brief(a.proofs.all()))


def node_out(node: Node, now: datetime, rate: float, runs: Runs, proofs: Proofs) -> NodeOut:
    host, port = node.address
    if node.is_standin:
        address = f"stand-in, device {node.device_id}"
    elif port:
        address = f"{host}:{port}, device {node.device_id}"
    else:
        address = "posts with its token" if node.kind == NodeKind.HTTP else "speaks for the nodes"
    silent = node.kind != NodeKind.GATEWAY and silent_since(node, now, rate) is not None
    return NodeOut(
        node.pk, node.name, node.kind, NodeKind(node.kind).label, address, node.host, node.port, node.device_id,
        node.poll_s, interval_s(node, rate), node.baud, node.cable_m, node.supply_needed_v, node.last_seen, silent,
        node.last_problem, bool(node.token_hash), node.is_standin, list(node.faults), node.firmware, node.restarts,
        node.uptime_s, node.clock_offset_s, node.supply_v, node.battery_v, node.config_number, node.config_confirmed,
        [_channel(c, proofs) for c in node.channels.all() if c.retired_at is None], [_actuator(a, runs) for a in node.actuators.all()],
    )  # fmt: skip


# Without the curves: a list needs only how the tests ended.
BRIEF_PROOFS = Proof.objects.exclude(outcome=Outcome.OPEN).defer("plot", "result", "phases")
OWNERS = ("bed", "probe", "house", "tank", "pump")
CHANNELS = Channel.objects.select_related("latest", *OWNERS).only(
    *(f.name for f in Channel._meta.concrete_fields),
    *(f"{owner}__name" for owner in OWNERS),
    *(f"latest__{f}" for f in ("time", "raw", "quality")),
)
RELATED = (
    Prefetch("channels", CHANNELS.filter(retired_at=None)),
    Prefetch("actuators", Actuator.objects.select_related("bed", "pump")),
    "actuators__proofs",
)


@endpoint("GET", gives=NodeOut, many=True)
def nodes(request: Request, site_id: int) -> list[NodeOut]:
    """Nodes of a site with every channel's last raw value and its age."""
    site = reach(request, Site, site_id)
    now, rate, runs = site_now(site), rate_of(site), runs_of(site)
    rows = site.nodes.filter(retired_at=None).prefetch_related(*RELATED).order_by("id")
    proofs: Proofs = {}
    for proof in BRIEF_PROOFS.filter(channel__node__site=site):
        proofs.setdefault(proof.channel_id, []).append(proof)
    return [node_out(n, now, rate, runs, proofs) for n in rows]


@endpoint("POST", takes=NodeForm, gives=MadeNode, status=201)
def node_add(request: Request, data: NodeForm, site_id: int) -> MadeNode:
    """Add a node, real or stand-in, with its sensors, valves and pumps."""
    site = reach(request, Site, site_id, Role.GROWER)
    sensors = [SensorPlan(**{f: getattr(s, f) for f in SensorPlan.__dataclass_fields__}) for s in data.sensors]
    plan = NodePlan(
        **{
            **{f: getattr(data, f) for f in NodeForm.__dataclass_fields__},
            "sensors": sensors,
            "kind": data.kind,
            "others": [(o.kind, o.name) for o in data.others],
        }
    )
    node = add_node(site, plan, request.user, site_now(site))
    return MadeNode(node.pk, list(node.channels.order_by("pk").values_list("pk", flat=True)))


@endpoint("PUT", takes=NodeChange, status=204)
def node_save(request: Request, data: NodeChange, node_id: int) -> None:
    """Change a node's address, interval or cable."""
    node = reach(request, Node, node_id, Role.GROWER)
    save_node(node, vars(data), request.user, site_now(node.site))


@endpoint("POST", status=204)
def node_retire(request: Request, node_id: int) -> None:
    """Take a node out; its record stays."""
    node = reach(request, Node, node_id, Role.OWNER)
    retire_node(node, request.user, site_now(node.site))


@endpoint("POST", takes=SensorForm, gives=MadeNode, status=201)
def sensor_add(request: Request, data: SensorForm, node_id: int) -> MadeNode:
    """Put one more sensor on a node, after those it has."""
    node = reach(request, Node, node_id, Role.GROWER)
    plan = SensorPlan(**{f: getattr(data, f) for f in SensorPlan.__dataclass_fields__})
    made = add_to_node(node, plan, request.user, site_now(node.site))
    return MadeNode(node.pk, [c.pk for c in made])


@endpoint("POST", takes=ChannelForm, gives=MadeNode, status=201)
def channel_add(request: Request, data: ChannelForm, node_id: int) -> MadeNode:
    """Turn a register into a channel."""
    node = reach(request, Node, node_id, Role.GROWER)
    made = add_channel(node, dict(vars(data)), request.user, site_now(node.site))
    return MadeNode(node.pk, [made.pk])


@endpoint("PUT", takes=FaultsForm, status=204)
def node_faults(request: Request, data: FaultsForm, node_id: int) -> None:
    """Set faults on a stand-in node by name."""
    node = reach(request, Node, node_id, Role.GROWER)
    set_faults(node, data.faults, request.user, site_now(node.site))


@endpoint("GET", gives=HealthPoint, many=True)
def node_health(request: Request, node_id: int) -> list[HealthPoint]:
    """What a node said of itself over the last 14 days, at most one a quarter of an hour."""
    node = reach(request, Node, node_id)
    since = site_now(node.site) - timedelta(days=14)
    rows = node.health.filter(at__gte=since).order_by("at")
    out: list[HealthPoint] = []
    for h in rows:
        if not out or (h.at - out[-1].at).total_seconds() >= 900:
            out.append(HealthPoint(h.at, h.supply_v, h.battery_v, h.uptime_s, h.clock_offset_s))
    return out


@endpoint("POST", gives=TokenOut, status=201)
def node_token(request: Request, node_id: int) -> TokenOut:
    """Make a new token for a node. It is shown this once; the old one stops working."""
    node = reach(request, Node, node_id, Role.OWNER)
    return TokenOut(make_token(node, request.user, site_now(node.site)))


@dataclass
class FaultName:
    name: str


@endpoint("GET", gives=FaultName, many=True, by="person")
def fault_names(_request: Request) -> list[FaultName]:
    """Faults that can be set on a stand-in."""
    return [FaultName(f) for f in FAULTS]
