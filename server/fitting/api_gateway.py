"""What the gateway and posting nodes say and ask: register maps, contact and health, bus requests, posts by name."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from rest_framework.request import Request

from common.clock import real_now, site_now
from common.endpoint import endpoint
from readings.api import BatchOut
from reedcore.errors import OutOfRange
from reedcore.links.modbus import Encoding, WordOrder

from .frames import answer, take_waiting
from .models import Input, Node, NodeKind
from .posts import note_health, post_csv, post_named, post_senml
from .services import note_contact, note_seen

POLLED = (NodeKind.MODBUS_TCP, NodeKind.MODBUS_RTU, NodeKind.SDI12)


@dataclass
class RegisterOut:
    channel: int
    register: int
    register_type: Encoding
    word_order: WordOrder
    function: int
    scale: float
    offset: float
    debounce_s: float


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
    kind: str
    host: str
    port: int
    device_id: int
    poll_s: float
    health_register: int | None
    config: int
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
    health: dict[str, Any] = field(default_factory=dict)


@dataclass
class Contacts:
    contacts: list[NodeContact]


@dataclass
class BusWaiting:
    number: int
    node: int
    request: str


@dataclass
class BusAnswer:
    """What came back, as hexadecimal bytes; empty with the problem in words."""

    number: int
    answer: str
    problem: str = ""
    elapsed_ms: float = 0.0


@dataclass
class NamedPost:
    """values by channel name; health of the node; the configuration number it runs by."""

    values: dict[str, Any]
    time: str | None = None
    health: dict[str, Any] = field(default_factory=dict)


@dataclass
class NamedOut:
    """What was kept and refused, and the configuration the node is to take."""

    kept: int
    refused: list[Any]
    config: int
    interval_s: float


@endpoint("GET", gives=GatewayConfig, by="node")
def gateway_config(request: Request) -> GatewayConfig:
    """Register maps and clock for the gateway of a site."""
    site = request.auth.site
    anchor_real = anchor_site = site_now(site)
    rate = 1.0
    if hasattr(site, "demo_clock"):
        clock = site.demo_clock
        anchor_real, anchor_site, rate = clock.anchor_real, clock.anchor_site, clock.rate
    rows = site.nodes.filter(kind__in=POLLED, retired_at=None).prefetch_related("channels", "actuators")
    return GatewayConfig(
        site.pk, anchor_real, anchor_site, rate, [_gateway_node(n) for n in rows if n.address[1] is not None]
    )


def _gateway_node(n: Node) -> GatewayNode:
    registers = [
        RegisterOut(
            c.pk, c.register, Encoding(c.register_type), WordOrder(c.word_order), c.function, c.scale, c.offset,
            float(c.input_settings.get("debounce_s", 0.0)) if c.input == Input.SWITCH else 0.0,
        )
        for c in n.channels.all()
        if c.register is not None and c.retired_at is None
    ]  # fmt: skip
    actuators = [ActuatorOut(a.pk, a.coil, a.command_register, a.status_register) for a in n.actuators.all()]
    host, port = n.address
    return GatewayNode(
        n.pk,
        n.name,
        n.kind,
        host,
        port or 502,
        n.device_id,
        n.poll_s,
        n.health_register,
        n.config_number,
        registers,
        actuators,
    )


@endpoint("POST", takes=Contacts, status=204, by="node")
def gateway_contact(request: Request, data: Contacts) -> None:
    """The gateway tells which nodes answered and which did not, and why; and what they say of themselves."""
    site, now = request.auth.site, site_now(request.auth.site)
    seen = [(request.auth.pk, True, ""), *((c.node, c.ok, c.problem) for c in data.contacts)]
    note_contact(site, seen, now)
    said = {c.node: c.health for c in data.contacts if c.health}
    for node in Node.objects.filter(site=site, pk__in=said):
        note_health(node, said[node.pk], now)


@endpoint("GET", gives=BusWaiting, many=True, by="node")
def bus_waiting(request: Request) -> list[BusWaiting]:
    """Requests of the frame bench that wait for the gateway."""
    rows = take_waiting(request.auth.site_id, real_now())
    return [BusWaiting(r.pk, r.node_id, bytes(r.request).hex()) for r in rows]


@endpoint("POST", takes=BusAnswer, status=204, by="node")
def bus_answer(request: Request, data: BusAnswer) -> None:
    """What a bus answered."""
    try:
        came = bytes.fromhex(data.answer)
    except ValueError:
        raise OutOfRange("answer", data.answer[:40], "bytes as hexadecimal digits") from None
    answer(request.auth.site_id, data.number, came, data.problem, data.elapsed_ms)


@endpoint("POST", takes=NamedPost, gives=NamedOut, by="node")
def post_values(request: Request, data: NamedPost) -> NamedOut:
    """Readings by name from a node that posts by itself; answered with the configuration it is to take."""
    node, now = request.auth, site_now(request.auth.site)
    outcome = post_named(node, data.values, data.time, now)
    note_seen(node, now)
    if data.health:
        note_health(node, data.health, now)
    return NamedOut(outcome.kept, outcome.refused, node.config_number, node.poll_s)


@endpoint("POST", gives=BatchOut, by="node", text=True)
def post_senml_pack(request: Request) -> Any:
    """Readings as a SenML JSON pack (RFC 8428); names are those of the node's channels."""
    node, now = request.auth, site_now(request.auth.site)
    note_seen(node, now)
    return post_senml(node, request.data, now)


@endpoint("POST", gives=BatchOut, by="node", text=True)
def post_csv_lines(request: Request) -> Any:
    """Readings as CSV with a header of time, channel and value; refusals carry the line as their index."""
    node, now = request.auth, site_now(request.auth.site)
    note_seen(node, now)
    return post_csv(node, request.data, now)


@dataclass
class StandinPlace:
    """A probe's truth for the stand-in: where it is, and the substrate about it."""

    channel: int
    quantity: str
    sensor_kind: str
    register: int
    register_type: str
    word_order: str
    function: int
    scale: float
    offset: float
    input: str
    input_settings: dict[str, float]
    key: str
    bed: int | None
    place: str


@dataclass
class StandinActuator:
    coil: int
    command_register: int
    status_register: int
    bed: int | None
    pump: int | None


@dataclass
class StandinNode:
    id: int
    name: str
    kind: str
    port: int
    device_id: int
    interval_s: float
    token: str
    health_register: int | None
    config: int
    faults: list[str]
    channels: list[StandinPlace]
    actuators: list[StandinActuator]


@dataclass
class StandinBed:
    """What the stand-in's bed model needs of a bed."""

    id: int
    volume_l: float
    capacity: float
    dry_limit: float
    dry_mix: float
    plants: int
    flow_ml_min: float
    line_fill_s: float
    pump: int | None
    peak_ml_a_day: float


@dataclass
class StandinWorld:
    anchor_real: datetime
    anchor_site: datetime
    rate: float
    nodes: list[StandinNode]
    beds: list[StandinBed]


@endpoint("GET", gives=StandinWorld, by="node")
def standin_world(request: Request) -> StandinWorld:
    """For the stand-in: nodes that people have added as stand-ins, with their faults, and the beds about them."""
    from .standins import beds_of, nodes_of

    site = request.auth.site
    real = real_now()
    anchor_real, anchor_site, rate = real, real, 1.0
    if hasattr(site, "demo_clock"):
        clock = site.demo_clock
        anchor_real, anchor_site, rate = clock.anchor_real, clock.anchor_site, clock.rate
    nodes = nodes_of(site)
    return StandinWorld(anchor_real, anchor_site, rate, nodes, beds_of(site, nodes))
