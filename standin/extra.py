"""Stand-in nodes that people add: the server says which, what is on them, and which faults they have."""

from __future__ import annotations

import asyncio
import math
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np
from pymodbus.framer import FramerType
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from reedcore.bedmodel import BedWater, advance, starting_physics, sub_steps, water_at
from reedcore.links.modbus import Encoding, WordOrder, registers_from_value
from reedcore.sensors import sensor_kinds

from .extra_links import answer_sdi12
from .node import COILS, HOLDING
from .physics import Actuator

FIRMWARE = 0x0203
REST = {
    "air_temp": 22.0,
    "humidity": 68.0,
    "leaf_temp": 21.2,
    "medium_temp": 20.5,
    "co2": 640.0,
    "ph": 5.8,
    "feed_ec": 2.3,
    "supply": 12.6,
}
"""What a quantity reads at its own place when nothing about it moves."""
LAG_S, SLOW = 1.5, 60
OWN_ERROR = {
    "feed_ec": (0.94, 0.03),
    "bulk_ec": (1.08, -0.01),
    "ph": (0.97, 0.31),
    "humidity": (0.95, 4.0),
    "medium_temp": (1.0, 0.4),
    "air_temp": (1.01, -0.3),
    "leaf_temp": (1.0, 0.5),
    "co2": (1.0, 38.0),
    "nitrate": (0.9, 0.0),
    "potassium": (1.1, 0.0),
    "par": (0.93, 0.0),
    "radiation": (1.05, 0.0),
    "suction": (0.98, 0.6),
}
"""What a stand-in sensor reads of a true value, as gain and offset: what its bench has to find."""


@dataclass
class ExtraBed:
    """A bed about stand-in sensors: the core's bed model under a plain day."""

    form: dict[str, Any]
    water: BedWater
    valve: Actuator | None = None

    @classmethod
    def of(cls, form: dict[str, Any]) -> ExtraBed:
        physics = starting_physics(form["volume_l"], form["capacity"], form["dry_limit"], 2.2)
        return cls(form, water_at(form["capacity"] - 0.04, 2.4, physics))

    def step(self, seconds: float, hour: float, pumping: bool) -> float:
        """Let time pass; litres a minute that the bed drew."""
        f = self.form
        physics = starting_physics(f["volume_l"], f["capacity"], f["dry_limit"], 2.2)
        light = max(0.0, math.sin(math.pi * (hour - 5) / 15)) if 5 < hour < 20 else 0.0
        demand = f["peak_ml_a_day"] * (0.0022 * light + 0.00006) / 2.1 * seconds / 60
        wet = self.valve.run(seconds) if self.valve and pumping else 0.0
        if self.valve and not pumping:
            self.valve.run(seconds)
        dose = wet * f["flow_ml_min"] / 60
        if self.valve:
            self.valve.delivered_ml += dose
        self.water, _ = advance(self.water, physics, dose, 2.2, demand)
        return dose * f["plants"] / 1000 / seconds * 60 if seconds else 0.0


@dataclass
class ExtraChannel:
    """A sensor's channel: what it sees follows its place with a lag."""

    form: dict[str, Any]
    seen: float = math.nan
    last: float = math.nan
    count: float = 0.0


@dataclass
class ExtraNode:
    """One stand-in node with its server."""

    form: dict[str, Any]
    channels: list[ExtraChannel]
    actuators: list[tuple[dict[str, Any], Actuator]]
    rng: np.random.Generator
    server: Any = None
    uptime_s: float = 0.0
    config: int = 0
    posted_at: float = 0.0
    tasks: set[asyncio.Task[None]] = field(default_factory=set)

    @property
    def faults(self) -> list[str]:
        return list(self.form["faults"])

    @property
    def is_modbus(self) -> bool:
        return self.form["kind"] in ("modbus_tcp", "modbus_rtu")


class ExtraWorld:
    """All stand-in nodes that were added, kept as the server last told them."""

    def __init__(self, seed: int = 5) -> None:
        self.nodes: dict[int, ExtraNode] = {}
        self.beds: dict[int, ExtraBed] = {}
        self.pumps: dict[int, Actuator] = {}
        self.flow: dict[int, float] = {}
        self.now: datetime | None = None
        self.rng = np.random.default_rng(seed)

    async def take(self, said: dict[str, Any]) -> None:
        """Take what the server said: new nodes open, retired ones close, changed ones take their new form."""
        for form in said["beds"]:
            held = self.beds.get(form["id"])
            if held is None:
                self.beds[form["id"]] = ExtraBed.of(form)
            else:
                held.form = form
        wanted = {n["id"]: n for n in said["nodes"]}
        for pk in set(self.nodes) - set(wanted):
            await close_node(self.nodes.pop(pk))
        for pk, form in wanted.items():
            node = self.nodes.get(pk)
            if node is not None and (node.form["port"], node.form["kind"], node.form["device_id"]) != (
                form["port"],
                form["kind"],
                form["device_id"],
            ):
                await close_node(self.nodes.pop(pk))
                node = None
            if node is None:
                self.nodes[pk] = await self._open(form)
            else:
                self._renew(node, form)

    def _renew(self, node: ExtraNode, form: dict[str, Any]) -> None:
        if "restarted" in form["faults"] and "restarted" not in node.form["faults"]:
            node.uptime_s = 0.0
        known = {c.form["channel"]: c for c in node.channels}
        node.channels = [known.get(f["channel"]) or ExtraChannel(f) for f in form["channels"]]
        for channel, fresh in zip(node.channels, form["channels"], strict=True):
            channel.form = fresh
            if math.isnan(channel.seen):
                self._see(node, channel, 0.0)
        held = {a["coil"]: device for a, device in node.actuators}
        node.actuators = [(a, held.get(a["coil"]) or self._device(a)) for a in form["actuators"]]
        node.form = form

    def _device(self, form: dict[str, Any]) -> Actuator:
        device = Actuator()
        if form["bed"] in self.beds:
            self.beds[form["bed"]].valve = device
        if form["pump"] is not None:
            device = self.pumps.setdefault(form["pump"], device)
        return device

    async def _open(self, form: dict[str, Any]) -> ExtraNode:
        node = ExtraNode(form, [ExtraChannel(c) for c in form["channels"]], [], np.random.default_rng(form["id"]))
        node.actuators = [(a, self._device(a)) for a in form["actuators"]]
        for channel in node.channels:
            self._see(node, channel, 0.0)
        if node.is_modbus:
            await _open_modbus(node)
            await show(node, self)
        elif form["kind"] == "sdi12":
            node.server = await asyncio.start_server(
                lambda r, w: answer_sdi12(node, self, r, w), "127.0.0.1", form["port"]
            )
        return node

    def advance_to(self, now: datetime) -> None:
        """Move beds, pumps and what sensors see on to a moment."""
        seconds = 0.0 if self.now is None else max(0.0, (now - self.now).total_seconds())
        self.now = now
        for step in sub_steps(min(seconds, 3600.0)):
            self._step(step, now.hour + now.minute / 60)
        for node in self.nodes.values():
            node.uptime_s += seconds
            for channel in node.channels:
                self._see(node, channel, seconds)

    def _step(self, seconds: float, hour: float) -> None:
        dry = any("float down" in n.faults for n in self.nodes.values())
        pumping = {}
        for pk, pump in self.pumps.items():
            if dry:
                pump.off()  # the node's own level switch: no pump runs dry, whatever the server says
            pumping[pk] = pump.run(seconds) > 0
        flow = dict.fromkeys(self.pumps, 0.0)
        for bed in self.beds.values():
            pump_id = bed.form["pump"]
            moves = pumping.get(pump_id, True) if pump_id is not None else True
            drawn = bed.step(seconds, hour, moves)
            if pump_id in flow:
                flow[pump_id] += drawn
        self.flow = flow

    def _see(self, node: ExtraNode, channel: ExtraChannel, seconds: float) -> None:
        goal = self._goal(channel)
        if (
            math.isnan(channel.seen)
            or channel.form["input"] == "switch"
            or channel.form["quantity"] in ("flow", "level_switch", "motion")
        ):
            channel.seen = goal
        else:
            lag = LAG_S * (SLOW if "slow" in node.faults else 1)
            channel.seen = goal + (channel.seen - goal) * math.exp(-seconds / lag)
        if channel.form["quantity"] in COUNTERS:
            channel.count += seconds * (1.5 if channel.form["place"] == "changed" else 0.0)
            channel.seen = channel.count

    def _goal(self, channel: ExtraChannel) -> float:
        form = channel.form
        quantity, place = form["quantity"], form["place"]
        if quantity == "flow":
            return sum(self.flow.values())
        if quantity == "level_switch":
            return 1.0 if place == "changed" or any("float down" in n.faults for n in self.nodes.values()) else 0.0
        bed = self.beds.get(form["bed"] or 0)
        if place.startswith("std "):
            gain, offset = OWN_ERROR.get(quantity, (1.0, 0.0))
            return gain * float(place[4:]) + offset
        if quantity in ("raw", "permittivity", "bulk_ec", "npk_n", "npk_p", "npk_k"):
            return self._in_substrate(quantity, place, bed)
        kinds = sensor_kinds()
        span = kinds[form["sensor_kind"]].proof["span_raw"] if form["sensor_kind"] in kinds else 10.0
        rest = REST.get(quantity, 0.2 * span)
        return rest + (1.2 * span if place == "changed" else 0.0)

    def _in_substrate(self, quantity: str, place: str, bed: ExtraBed | None) -> float:
        inside = float(bed.water.theta) if bed else 0.6
        full, dry = (bed.form["capacity"], bed.form["dry_mix"]) if bed else (0.8, 0.05)
        benches = {"first": 0.0, "changed": full, "drained_mix": full, "dry_mix": dry, "water": 1.0}
        theta = float(place[4:]) if place.startswith("pot ") else benches.get(place, inside)
        if quantity == "raw":
            return 27000 - 19000 * theta
        if quantity == "permittivity":
            return max(1.0, ((theta + 0.1758) / 0.1138) ** 2)
        return 1.6 * theta if quantity == "bulk_ec" else 260 * theta

    def reading(self, node: ExtraNode, channel: ExtraChannel) -> float:
        """What the sensor reads now, with noise and its node's faults, in its quantity's unit."""
        faults, seen = node.faults, channel.seen
        if "stuck" in faults and not math.isnan(channel.last):
            return channel.last
        size = max(1e-6, abs(seen) * 0.0008) if channel.form["input"] != "switch" else 0.0
        if channel.form["quantity"] in (*COUNTERS, "level_switch", "motion", "flow"):
            size = 0.0
        noise = float(node.rng.normal(0, size * (60 if "noisy" in faults else 1))) if size else 0.0
        drift = 0.02 * abs(seen) * node.uptime_s / 3600 if "drifting" in faults else 0.0
        value = 65535.0 if "unplugged" in faults and channel.form["quantity"] == "raw" else seen + noise + drift
        if "unplugged" in faults and channel.form["quantity"] != "raw":
            value = 0.0
        if "wrong sense" in faults and channel.form["quantity"] == "raw":
            value = 35000 - value
        channel.last = value
        return value


COUNTERS = ("pulses", "drain_tips", "rain_tips", "drain")


def wire_value(channel: ExtraChannel, value: float, faults: list[str]) -> float:
    """What goes over the wire for a value: mA of a loop, mV, counts, or the value itself."""
    s, kind = channel.form["input_settings"], channel.form["input"]
    if kind in ("number", "pulse", "switch"):
        return 1.0 - value if kind == "switch" and s.get("normally_closed") else value
    share = (value - s["low"]) / (s["high"] - s["low"])
    if kind == "loop":
        return 0.2 if "unplugged" in faults else 4 + 16 * share
    mv = s["mv_low"] + share * (s["mv_high"] - s["mv_low"])
    return mv if kind == "mv" else float(round(mv / s["reference_mv"] * (2 ** int(s["bits"]) - 1)))


async def _open_modbus(node: ExtraNode) -> None:
    blocks = (
        [SimData(0, values=[False] * 64, datatype=DataType.BITS)],
        [SimData(0, values=[False] * 64, datatype=DataType.BITS)],
        [SimData(0, count=500, values=0, datatype=DataType.REGISTERS)],
        [SimData(0, count=500, values=0, datatype=DataType.REGISTERS)],
    )
    framer = FramerType.RTU if node.form["kind"] == "modbus_rtu" else FramerType.SOCKET

    def damage(sending: bool, data: bytes) -> bytes:
        if not sending or "bad checksum" not in node.faults or len(data) < 3:
            return data
        return data[:-1] + bytes([data[-1] ^ 0x5A])

    node.server = ModbusTcpServer(
        SimDevice(node.form["device_id"], blocks),
        framer=framer,
        address=("127.0.0.1", node.form["port"]),
        trace_packet=damage,
    )
    await node.server.serve_forever(background=True)


async def close_node(node: ExtraNode) -> None:
    """Stop a node's server."""
    for task in node.tasks:
        task.cancel()
    if node.server is None:
        return
    if node.is_modbus:
        await node.server.shutdown()
    else:
        node.server.close()


async def take_commands(node: ExtraNode) -> None:
    """Run what the coils and their registers say, once per number; take a configuration that was written."""
    if not node.is_modbus:
        return
    device = node.form["device_id"]
    for a, actuator in node.actuators:
        coil = bool((await node.server.async_getValues(device, COILS, a["coil"], 1))[0])
        high, low, tenths = await node.server.async_getValues(device, HOLDING, a["command_register"], 3)
        number = (int(high) << 16) | int(low)
        if coil and number:
            actuator.command(number, int(tenths) / 10)
        elif number and number != actuator.last_number and int(tenths) == 0:
            actuator.command(number, 0.0)
        if not coil and actuator.on:
            actuator.off()
    register = node.form["health_register"]
    if register is not None:
        high, low, _ = await node.server.async_getValues(device, HOLDING, register + 10, 3)
        node.config = (int(high) << 16) | int(low) or node.config


async def show(node: ExtraNode, world: ExtraWorld) -> None:
    """Write what the sensors read, the devices' state and the node's health into its registers."""
    if not node.is_modbus:
        return
    device, faults = node.form["device_id"], node.faults
    for channel in node.channels:
        f = channel.form
        value = wire_value(channel, world.reading(node, channel), faults)
        words = registers_from_value(
            value, Encoding(f["register_type"]), WordOrder(f["word_order"]), f["scale"], f["offset"]
        )
        block = {1: COILS, 2: 2}.get(f["function"], f["function"])
        data: list[Any] = [bool(w) for w in words] if f["function"] in (1, 2) else list(words)
        await node.server.async_setValues(device, block, f["register"], data)
    for a, actuator in node.actuators:
        number = actuator.last_number
        status = [
            number >> 16,
            number & 0xFFFF,
            min(0xFFFF, round(10 * actuator.left_s)),
            min(0xFFFF, round(actuator.delivered_ml)),
        ]
        await node.server.async_setValues(device, HOLDING, a["status_register"], status)
        if not actuator.on:
            await node.server.async_setValues(device, COILS, a["coil"], [False])
    register = node.form["health_register"]
    if register is not None and world.now is not None:
        await node.server.async_setValues(device, HOLDING, register, health_words(node, world.now))


def health_words(node: ExtraNode, now: datetime) -> list[int]:
    """The ten health registers of a node."""
    sag = 0.4 if any(a.on for _, a in node.actuators) else 0.0
    clock = int(now.timestamp()) + (5400 if "clock wrong" in node.faults else 0)
    uptime = int(node.uptime_s)
    return [
        round(1000 * (12.4 - sag)), round(1000 * (3.9 - 0.001 * min(400.0, node.uptime_s / 3600))), uptime >> 16, uptime & 0xFFFF, 0,
        clock >> 16, clock & 0xFFFF, FIRMWARE, node.config >> 16, node.config & 0xFFFF,
    ]  # fmt: skip
