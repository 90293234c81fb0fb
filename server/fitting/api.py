"""Fit: nodes and channels with their live raw values; and what the gateway needs to know."""

from dataclasses import dataclass
from datetime import datetime

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from places.models import Site

from .models import UNIT, Channel, Node, NodeKind
from .services import make_token, note_contact


@dataclass
class ChannelOut:
    id: int
    name: str
    quantity: str
    unit: str
    register: int | None
    register_type: str
    raw: float | None
    at: datetime | None
    good: bool
    where: str


@dataclass
class NodeOut:
    id: int
    name: str
    kind: str
    address: str
    last_seen: datetime | None
    silent: bool
    problem: str
    has_token: bool
    channels: list[ChannelOut]
    actuators: list[str]


@dataclass
class TokenOut:
    token: str


@dataclass
class RegisterOut:
    channel: int
    register: int
    register_type: str
    scale: float
    offset: float


@dataclass
class ActuatorOut:
    id: int
    coil: int
    command_register: int
    status_register: int


@dataclass
class GatewayNode:
    id: int
    name: str
    host: str
    port: int
    device_id: int
    poll_s: float
    registers: list[RegisterOut]
    actuators: list[ActuatorOut]


@dataclass
class GatewayConfig:
    """What a gateway polls, and the site's clock: site time = anchor_site + rate (real - anchor_real)."""

    site: int
    anchor_real: datetime
    anchor_site: datetime
    rate: float
    nodes: list[GatewayNode]


@dataclass
class NodeContact:
    node: int
    ok: bool
    problem: str = ""


@dataclass
class Contacts:
    contacts: list[NodeContact]


def _where(c: Channel) -> str:
    if c.bed:
        return f"bed {c.bed.name}" + (f", probe {c.probe.name}" if c.probe else "")
    if c.house:
        return c.house.name
    return c.tank.name if c.tank else c.pump.name if c.pump else "site"


@endpoint("GET", gives=NodeOut, many=True)
def nodes(request: Request, site_id: int) -> list[NodeOut]:
    """Nodes of a site with every channel's last raw value and its age."""
    site = reach(request, Site, site_id)
    now, out = site_now(site), []
    rows = site.nodes.prefetch_related(
        "channels__latest",
        "channels__bed",
        "channels__probe",
        "channels__house",
        "channels__tank",
        "channels__pump",
        "actuators__bed",
        "actuators__pump",
    ).order_by("id")
    for node in rows:
        channels = [_channel(c) for c in node.channels.all() if c.retired_at is None]
        actuators = [
            f"{a.kind} of {'bed ' + a.bed.name if a.bed else a.pump.name if a.pump else ''}"
            for a in node.actuators.all()
        ]
        silent = node.last_seen is None or (now - node.last_seen).total_seconds() > max(300, 4 * node.poll_s)
        address = f"{node.host}:{node.port}, device {node.device_id}" if node.port else "speaks for the nodes"
        out.append(
            NodeOut(
                node.pk,
                node.name,
                NodeKind(node.kind).label,
                address,
                node.last_seen,
                silent,
                node.last_problem,
                bool(node.token_hash),
                channels,
                actuators,
            )
        )
    return out


def _channel(c: Channel) -> ChannelOut:
    latest = getattr(c, "latest", None)
    return ChannelOut(
        c.pk,
        c.get_quantity_display(),
        c.quantity,
        UNIT[c.quantity],
        c.register,
        c.register_type,
        latest.raw if latest else None,
        latest.time if latest else None,
        latest is not None and latest.quality == 0,
        _where(c),
    )


@endpoint("POST", gives=TokenOut, status=201)
def node_token(request: Request, node_id: int) -> TokenOut:
    """Make a new token for a node. It is shown this once; the old one stops working."""
    node = reach(request, Node, node_id, Role.OWNER)
    return TokenOut(make_token(node, request.user, site_now(node.site)))


@endpoint("GET", gives=GatewayConfig, by="node")
def gateway_config(request: Request) -> GatewayConfig:
    """Register maps and clock for the gateway of a site."""
    site = request.auth.site
    anchor_real = anchor_site = site_now(site)
    rate = 1.0
    if hasattr(site, "demo_clock"):
        clock = site.demo_clock
        anchor_real, anchor_site, rate = clock.anchor_real, clock.anchor_site, clock.rate
    rows = site.nodes.filter(kind=NodeKind.MODBUS_TCP, port__isnull=False).prefetch_related("channels", "actuators")
    return GatewayConfig(site.pk, anchor_real, anchor_site, rate, [_gateway_node(n) for n in rows])


def _gateway_node(n: Node) -> GatewayNode:
    registers = [
        RegisterOut(c.pk, c.register, c.register_type, c.scale, c.offset)
        for c in n.channels.all()
        if c.register is not None and c.retired_at is None
    ]
    actuators = [ActuatorOut(a.pk, a.coil, a.command_register, a.status_register) for a in n.actuators.all()]
    return GatewayNode(n.pk, n.name, n.host, n.port or 502, n.device_id, n.poll_s, registers, actuators)


@endpoint("POST", takes=Contacts, status=204, by="node")
def gateway_contact(request: Request, data: Contacts) -> None:
    """The gateway tells which nodes answered and which did not, and why."""
    site = request.auth.site
    seen = [(request.auth.pk, True, ""), *((c.node, c.ok, c.problem) for c in data.contacts)]
    note_contact(site, seen, site_now(site))
