"""Nodes, channels, probes and actuators put in: real ones and stand-ins by the same rules."""

import hashlib
import hmac
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction

from accounts.models import User
from common.authentication import hash_token
from common.events import tell
from logbook.services import record
from places.beds import outline_of
from places.models import Bed, House, Pump, Site, Tank
from reedcore.errors import Inconsistent, OutOfRange, require_range
from reedcore.links.modbus import Encoding, WordOrder, registers_of
from reedcore.placement import Placed, Vessel, judge_place, proposed_place
from reedcore.sensors import SensorKind, quantity, sensor_kind

from .convert import settings_of
from .models import Actuator, ActuatorKind, Channel, Input, Node, NodeKind, Probe

STANDIN_SLOTS = 24
COMMAND_BASE, STATUS_BASE, HEALTH_BASE, BIT_BASE = 200, 300, 380, 40
SENSOR_STRIDE = 8
FAULTS = (
    "stuck", "noisy", "drifting", "unplugged", "wrong sense", "bad checksum", "slow", "restarted", "clock wrong", "float down",
)  # fmt: skip
"""Faults a person can set on a stand-in node by name."""


@dataclass
class SensorPlan:
    """A sensor to put on a node: its kind, what it belongs to, how it comes in."""

    kind: str
    bed: int | None = None
    house: int | None = None
    tank: int | None = None
    pump: int | None = None
    place: str = ""
    depth_cm: float | None = None
    across_cm: float | None = None
    plant: int | None = None
    input: str = "number"
    input_settings: dict[str, Any] = field(default_factory=dict)


@dataclass
class NodePlan:
    """A node to add. Registers follow from the kinds of its sensors and the order they are named in."""

    name: str
    kind: str
    sensors: list[SensorPlan]
    valves: list[int] = field(default_factory=list)
    pumps: list[int] = field(default_factory=list)
    others: list[tuple[str, str]] = field(default_factory=list)
    """Contacts and dosers: kind and name."""
    standin: bool = False
    host: str = ""
    port: int | None = None
    device_id: int = 1
    poll_s: float = 5.0
    health: bool = True
    baud: int = 9600
    cable_m: float | None = None
    supply_needed_v: float = 12.0


def _owner(site: Site, plan: SensorPlan) -> dict[str, Any]:
    """What a sensor belongs to, checked to be of this site. Raises OutOfRange."""
    rows: list[tuple[str, Any]] = [
        ("bed", Bed.standing.filter(house__site=site, pk=plan.bed).first() if plan.bed else None),
        ("house", House.objects.filter(site=site, pk=plan.house).first() if plan.house else None),
        ("tank", Tank.objects.filter(site=site, pk=plan.tank).first() if plan.tank else None),
        ("pump", Pump.objects.filter(tank__site=site, pk=plan.pump).first() if plan.pump else None),
    ]
    for name, row in rows:
        if getattr(plan, name) is not None and row is None:
            raise OutOfRange(f"sensors.{name}", getattr(plan, name), f"a {name} of this site")
    return {name: row for name, row in rows if row is not None}


def vessel_of(bed: Bed) -> Vessel:
    """The bed's container as the placement rules see it; the dripper stands left of the middle, where the drawing shows it."""
    o = outline_of(bed)
    return Vessel(o.top_cm, o.base_cm, o.height_cm, dripper_cm=-min(0.22 * o.top_cm, 10.0))


def place_for(bed: Bed, kind: SensorKind, depth_cm: float | None, across_cm: float | None) -> Placed:
    """Where a probe goes: as asked, else as proposed. Raises Inconsistent where it would read air or plastic."""
    vessel = vessel_of(bed)
    radius = kind.radius_cm or 1.0
    proposed = proposed_place(vessel, radius)
    placed = Placed(
        proposed.across_cm if across_cm is None else across_cm,
        proposed.depth_cm if depth_cm is None else depth_cm,
        radius,
    )
    judged = judge_place(vessel, placed)
    if judged.refused:
        raise Inconsistent("depth_cm", round(placed.depth_cm, 1), f"a place inside the medium: {judged.refused}")
    return placed


@transaction.atomic
def add_node(site: Site, plan: NodePlan, by: User, now: datetime) -> Node:
    """Add a node with its channels, probes and actuators; all of it or nothing.

    Raises OutOfRange or Inconsistent naming the field.
    """
    _check_node(plan)
    Site.objects.select_for_update(of=("self",)).get(pk=site.pk)
    node = Node(
        site=site, name=plan.name.strip(), kind=plan.kind, host=plan.host.strip(), port=plan.port, device_id=plan.device_id,
        poll_s=plan.poll_s, baud=plan.baud, cable_m=plan.cable_m, supply_needed_v=plan.supply_needed_v,
        health_register=HEALTH_BASE if plan.health and plan.kind in (NodeKind.MODBUS_TCP, NodeKind.MODBUS_RTU) else None,
    )  # fmt: skip
    if plan.standin:
        node.standin_slot, node.host = _free_slot(), ""
    try:
        with transaction.atomic():
            node.save()
    except IntegrityError:
        raise OutOfRange("name", plan.name, "a name no other node has") from None
    if plan.standin:
        node.token_hash = hash_token(standin_token(node))
        node.save(update_fields=["token_hash"])
    for index, sensor in enumerate(plan.sensors):
        add_sensor(node, sensor, index, by, now)
    _add_actuators(node, plan)
    record(site, now, by, "added", node, None, {"kind": plan.kind, "sensors": [s.kind for s in plan.sensors]})
    tell(site.pk, "fitting")
    return node


def _check_node(plan: NodePlan) -> None:
    if not plan.name.strip():
        raise OutOfRange("name", plan.name, "a name")
    kinds = [k for k in NodeKind.values if k != NodeKind.GATEWAY]
    if plan.kind not in kinds:
        raise OutOfRange("kind", plan.kind, "one of " + ", ".join(kinds))
    require_range("poll_s", plan.poll_s, 1, 86400, "s")
    require_range("device_id", plan.device_id, 1, 247, "")
    if not plan.standin and plan.kind != NodeKind.HTTP:
        if not plan.host.strip():
            raise OutOfRange("host", plan.host, "the address of the node on your network")
        require_range("port", plan.port or 0, 1, 65535, "")


def _free_slot() -> int:
    taken = set(Node.objects.exclude(standin_slot=None).values_list("standin_slot", flat=True))
    free = next((i for i in range(STANDIN_SLOTS) if i not in taken), None)
    if free is None:
        raise OutOfRange("standin", STANDIN_SLOTS, f"at most {STANDIN_SLOTS} stand-in nodes; remove one first")
    return free


def standin_token(node: Node) -> str:
    """Token by which a stand-in node posts; worked out from the secret key, so that it need not be kept."""
    return hmac.new(settings.SECRET_KEY.encode(), f"standin-{node.pk}".encode(), hashlib.sha256).hexdigest()


def add_sensor(node: Node, plan: SensorPlan, index: int, by: User, now: datetime) -> list[Channel]:
    """Put a sensor's channels on a node, with a probe for one that stands in the substrate."""
    kind, owner = sensor_kind(plan.kind), _owner(node.site, plan)
    if plan.input not in Input.values:
        raise OutOfRange("sensors.input", plan.input, "one of " + ", ".join(Input.values))
    probe = None
    if kind.places == "substrate":
        if "bed" not in owner:
            raise OutOfRange("sensors.bed", plan.bed, f"a bed for a {kind.name}")
        probe = _add_probe(owner["bed"], kind, plan, now)
    inputs = settings_of(plan.input, {**_range_of(kind), **plan.input_settings})
    made = []
    for c in kind.channels:
        register = BIT_BASE + index if c.type == "bit" else index * SENSOR_STRIDE + c.register
        made.append(
            Channel.objects.create(
                node=node, quantity=c.quantity, sensor_kind=kind.code, probe=probe, place=plan.place[:80], register=register,
                register_type=c.type, scale=c.scale if plan.input == Input.NUMBER else 0.001, function=c.function,
                input=plan.input, input_settings=inputs, key=f"{kind.code}-{index}-{c.quantity}"[:60], **owner,
            )
        )  # fmt: skip
    return made


def _range_of(kind: SensorKind) -> dict[str, float]:
    q = quantity(kind.channels[0].quantity)
    return {"low": q.low, "high": min(q.high, kind.proof["span_raw"] * 4 if kind.proof["span_raw"] else q.high)}


def _add_probe(bed: Bed, kind: SensorKind, plan: SensorPlan, now: datetime) -> Probe:
    placed = place_for(bed, kind, plan.depth_cm, plan.across_cm)
    letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
    count = bed.probes.count()
    return Probe.objects.create(
        bed=bed, name=f"{bed.name}{letters[count % 26]}{count // 26 or ''}"[:20], kind=kind.name, sensor_kind=kind.code,
        span_raw=kind.proof["span_raw"], depth_cm=round(placed.depth_cm, 1), across_cm=round(placed.across_cm, 1),
        dripper_distance_cm=round(abs(placed.across_cm - vessel_of(bed).dripper_cm), 1), plant=plan.plant, fitted_at=now,
    )  # fmt: skip


def _add_actuators(node: Node, plan: NodePlan) -> None:
    slot = node.actuators.count()
    beds = {b.pk: b for b in Bed.standing.filter(house__site=node.site, pk__in=plan.valves)}
    pumps = {p.pk: p for p in Pump.objects.filter(tank__site=node.site, pk__in=plan.pumps)}
    rows: Iterable[tuple[str, int, dict[int, Any]]] = [
        *((ActuatorKind.VALVE.value, pk, beds) for pk in plan.valves), *((ActuatorKind.PUMP.value, pk, pumps) for pk in plan.pumps)
    ]  # fmt: skip
    for kind, pk, known in rows:
        if pk not in known:
            raise OutOfRange("valves" if kind == ActuatorKind.VALVE else "pumps", pk, "one of this site")
        owner = {"bed": known[pk]} if kind == ActuatorKind.VALVE else {"pump": known[pk]}
        if Actuator.objects.filter(**owner).exists():
            raise Inconsistent(
                "valves" if kind == ActuatorKind.VALVE else "pumps", str(known[pk].name), "one that no node moves yet"
            )
        Actuator.objects.create(
            node=node,
            kind=kind,
            coil=slot,
            command_register=COMMAND_BASE + 10 * slot,
            status_register=STATUS_BASE + 10 * slot,
            **owner,
        )
        slot += 1
    for kind, name in plan.others:
        if kind not in (ActuatorKind.CONTACT, ActuatorKind.DOSER):
            raise OutOfRange("others.kind", kind, "contact or doser; valves and pumps are named by their bed and line")
        if not name.strip():
            raise OutOfRange("others.name", name, "a name")
        Actuator.objects.create(
            node=node,
            kind=kind,
            name=name.strip()[:40],
            coil=slot,
            command_register=COMMAND_BASE + 10 * slot,
            status_register=STATUS_BASE + 10 * slot,
        )
        slot += 1


@transaction.atomic
def add_to_node(node: Node, plan: SensorPlan, by: User, now: datetime) -> list[Channel]:
    """Put one more sensor on a node, behind the registers it has. Raises as add_node."""
    registers = node.channels.exclude(register=None).values_list("register", flat=True)
    index = max((r // SENSOR_STRIDE + 1 for r in registers if r < COMMAND_BASE), default=0)
    made = add_sensor(node, plan, index, by, now)
    record(node.site, now, by, "added a sensor", node, None, {"kind": plan.kind, "channels": [c.pk for c in made]})
    tell(node.site_id, "fitting")
    return made


@transaction.atomic
def add_channel(node: Node, values: dict[str, Any], by: User, now: datetime) -> Channel:
    """Turn a register into a channel. Raises OutOfRange naming the field."""
    q = quantity(values["quantity"])
    encoding, order = _encoding(values["register_type"]), values.get("word_order", "abcd")
    if order not in {o.value for o in WordOrder}:
        raise OutOfRange("word_order", order, "one of " + ", ".join(o.value for o in WordOrder))
    if values["function"] not in (1, 2, 3, 4):
        raise OutOfRange("function", values["function"], "1, 2, 3 or 4")
    require_range("register", values["register"], 0, 65536 - registers_of(encoding), "")
    if values["scale"] == 0 or values["scale"] != values["scale"]:
        raise OutOfRange("scale", values["scale"], "a number other than 0")
    plan = SensorPlan("", values.get("bed"), values.get("house"), values.get("tank"), values.get("pump"))
    owner = _owner(node.site, plan)
    channel = Channel.objects.create(
        node=node, quantity=q.code, register=values["register"], register_type=encoding.value, function=values["function"],
        word_order=order, scale=values["scale"], offset=values["offset"], place=values.get("place", "")[:80], **owner,
    )  # fmt: skip
    record(node.site, now, by, "added", channel, None, {"quantity": q.code, "register": channel.register})
    tell(node.site_id, "fitting")
    return channel


def _encoding(code: str) -> Encoding:
    try:
        return Encoding(code)
    except ValueError:
        raise OutOfRange("register_type", code, "one of " + ", ".join(e.value for e in Encoding)) from None


@transaction.atomic
def move_probe(probe: Probe, depth_cm: float, across_cm: float, plant: int | None, by: User, now: datetime) -> Probe:
    """Keep where a probe stands now. Readings before count as from somewhere else. Raises Inconsistent, OutOfRange."""
    row = Probe.objects.select_for_update(of=("self",)).select_related("bed__house__site").get(pk=probe.pk)
    placed = place_for(row.bed, sensor_kind(row.sensor_kind), depth_cm, across_cm)
    before = {"depth_cm": row.depth_cm, "across_cm": row.across_cm, "plant": row.plant}
    row.depth_cm, row.across_cm, row.plant, row.moved_at = placed.depth_cm, placed.across_cm, plant, now
    row.dripper_distance_cm = round(abs(placed.across_cm - vessel_of(row.bed).dripper_cm), 1)
    row.save()
    record(
        row.bed.house.site,
        now,
        by,
        "moved",
        row,
        before,
        {"depth_cm": depth_cm, "across_cm": across_cm, "plant": plant},
    )
    tell(row.bed.house.site_id, "fitting", "calibration")
    return row


@transaction.atomic
def set_faults(node: Node, faults: list[str], by: User, now: datetime) -> Node:
    """Set faults on a stand-in node by name. Raises OutOfRange."""
    if not node.is_standin:
        raise Inconsistent("faults", node.name, "a stand-in node; a real one has faults of its own")
    for fault in faults:
        if fault not in FAULTS:
            raise OutOfRange("faults", fault, "one of " + ", ".join(FAULTS))
    before, node.faults = node.faults, sorted(set(faults))
    node.save(update_fields=["faults"])
    record(node.site, now, by, "set faults", node, {"faults": before}, {"faults": node.faults})
    tell(node.site_id, "fitting")
    return node


@transaction.atomic
def save_node(node: Node, values: dict[str, Any], by: User, now: datetime) -> Node:
    """Change address, interval or cable of a node; what the node itself must take raises its configuration number."""
    row = Node.objects.select_for_update(of=("self",)).get(pk=node.pk)
    fields = ("name", "host", "port", "device_id", "poll_s", "baud", "cable_m", "supply_needed_v")
    before = {f: getattr(row, f) for f in fields}
    for f in fields:
        setattr(row, f, values[f])
    plan = NodePlan(
        row.name,
        row.kind,
        [],
        host=row.host,
        port=row.port,
        device_id=row.device_id,
        poll_s=row.poll_s,
        standin=row.is_standin,
    )
    _check_node(plan)
    changed = {f: values[f] for f in fields if before[f] != values[f]}
    if {"poll_s", "device_id", "baud"} & set(changed):
        row.config_number += 1
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise OutOfRange("name", row.name, "a name no other node has") from None
    record(row.site, now, by, "changed", row, {f: before[f] for f in changed}, changed)
    tell(row.site_id, "fitting")
    return row


@transaction.atomic
def retire_node(node: Node, by: User, now: datetime) -> None:
    """Take a node out. Its record stays; its actuators are freed for another node. Raises Inconsistent while one runs."""
    if node.actuators.filter(commands__state__in=["queued", "started"]).exists():
        raise Inconsistent("node", node.name, "a node whose valves and pumps all rest")
    if node.actuators.filter(commands__isnull=False).exists() and not node.is_standin:
        raise Inconsistent(
            "node", node.name, "a node that never moved a valve or pump; give its devices to another node instead"
        )
    node.channels.filter(retired_at=None).update(retired_at=now)
    Probe.objects.filter(channels__node=node, retired_at=None).update(retired_at=now)
    node.actuators.filter(commands__isnull=True).delete()
    node.retired_at, node.standin_slot = now, None
    node.name = f"{node.name} (retired {now:%Y-%m-%d %H:%M:%S})"[:60]
    node.save()
    record(node.site, now, by, "retired", node)
    tell(node.site_id, "fitting")
