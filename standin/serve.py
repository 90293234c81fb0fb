"""Run the simulated nodes: follow the demo clock, move the world, keep it on disk."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import signal
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx

from reedcore.probe import Place

from .extra import ExtraWorld, close_node, show, take_commands
from .extra_links import post_values
from .holding import Holding
from .node import Node, Slot
from .physics import World
from .registers import address_of

log = logging.getLogger("reed.standin")
STEP_S, KEEP_S, ASK_S, ASK_EXTRA_S = 0.2, 2.0, 0.5, 1.0


class Clock:
    """The demo clock as the server last told it; it goes on by itself while the server is away."""

    def __init__(self, site_time: datetime) -> None:
        self.anchor_real, self.anchor_site, self.rate = datetime.now(UTC), site_time, 0.0

    def now(self) -> datetime:
        return self.anchor_site + timedelta(seconds=(datetime.now(UTC) - self.anchor_real).total_seconds() * self.rate)


def build_nodes(holding: Holding, world: World, port_base: int) -> list[Node]:
    """Nodes with their registers and actuators, by the definition file."""
    d = holding.definition
    registers = d["registers"]
    nodes = {n["name"]: Node(n["name"], port_base + n["port_offset"]) for n in d["nodes"]}

    def places(section: str, slot: int) -> dict[str, tuple[int, str, float]]:
        s = registers[section]
        return {q: (address_of(s, slot, q), m[1], m[2]) for q, m in s["map"].items()}

    def actuator(node: Node, slot: int, device: Any) -> None:
        command, status = registers["command"], registers["status"]
        node.slots.append(
            Slot(device, slot, command["base"] + command["stride"] * slot, status["base"] + status["stride"] * slot)
        )

    for bed in world.beds.values():
        node, slot, name = nodes[bed.truth.definition["node"]], bed.truth.definition["slot"], bed.truth.name
        node.sources.append((lambda n=name: world.bed_values(n), places("bed", slot)))
        actuator(node, slot, bed.valve)
    for house in d["houses"]:
        nodes[house["node"]].sources.append(
            (lambda n=house["name"]: world.house_values(n), places("house", house["slot"]))
        )
    for pump in d["pumps"]:
        node = nodes[pump["node"]]
        node.sources.append((lambda n=pump["name"]: {"flow": world.flow_l_min[n]}, places("pump", pump["slot"])))
        actuator(node, pump["slot"], world.pumps[pump["name"]])
    for contact in d.get("contacts", []):
        actuator(nodes[contact["node"]], contact["slot"], world.contacts[contact["name"]])
    tank = d["tank"]
    nodes[tank["node"]].sources.append((lambda: {"tank": world.tank_l}, places("tank", tank["slot"])))
    return list(nodes.values())


def load_world(holding: Holding, state: Path, start_from: Path) -> World:
    """The kept world, or the end of the history where none is kept yet."""
    source = state if state.exists() else start_from
    return World(holding, json.loads(source.read_text()))


def keep_world(world: World, state: Path) -> None:
    """Write the world so that a kill in the middle leaves the old file whole."""
    state.parent.mkdir(parents=True, exist_ok=True)
    fresh = state.with_suffix(".new")
    fresh.write_text(json.dumps(world.as_record()))
    fresh.replace(state)


async def follow_server(world: World, clock: Clock, server: str, token: str, stop: asyncio.Event) -> None:
    """Ask the server for the clock and where the bench control has put each probe."""
    async with httpx.AsyncClient(
        base_url=server, headers={"Authorization": f"Node {token}"}, timeout=5, trust_env=False
    ) as client:
        while not stop.is_set():
            with contextlib.suppress(httpx.HTTPError, ValueError, KeyError):
                answer = await client.get("/api/demo/world/")
                if answer.status_code == 200:
                    said = answer.json()
                    clock.anchor_real = datetime.fromisoformat(said["anchor_real"])
                    clock.anchor_site = datetime.fromisoformat(said["anchor_site"])
                    clock.rate = said["rate"]
                    for row in said["places"]:
                        world.beds[row["bed"]].place = Place(row["place"])
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), ASK_S)


async def follow_extra(extra: ExtraWorld, clock: Clock, server: str, token: str, stop: asyncio.Event) -> None:
    """Run the stand-in nodes that people add, beside the demo's or alone."""
    headers = {"Authorization": f"Node {token}"}
    async with httpx.AsyncClient(base_url=server, headers=headers, timeout=5, trust_env=False) as client:
        asked = -ASK_EXTRA_S
        while not stop.is_set():
            loop_time = asyncio.get_running_loop().time()
            if loop_time - asked >= ASK_EXTRA_S:
                asked = loop_time
                with contextlib.suppress(httpx.HTTPError, ValueError, KeyError):
                    answer = await client.get("/api/standin/world/")
                    if answer.status_code == 200:
                        said = answer.json()
                        clock.anchor_real = datetime.fromisoformat(said["anchor_real"])
                        clock.anchor_site = datetime.fromisoformat(said["anchor_site"])
                        clock.rate = said["rate"]
                        await extra.take(said)
            try:
                await _turn_extra(extra, clock, client, loop_time)
            except Exception:
                # One node that cannot be shown must not stop the others, nor the demo's beside them.
                log.exception("a stand-in node failed, going on")
                await asyncio.sleep(1.0)
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), STEP_S)
    for node in extra.nodes.values():
        await close_node(node)


async def _turn_extra(extra: ExtraWorld, clock: Clock, client: httpx.AsyncClient, loop_time: float) -> None:
    for node in extra.nodes.values():
        await take_commands(node)
    extra.advance_to(clock.now())
    for node in extra.nodes.values():
        await show(node, extra)
        await post_values(node, extra, client, loop_time, clock.rate)


async def run_alone(server: str) -> None:
    """Only the nodes that people add: an installation without the demo holding."""
    stop = asyncio.Event()
    for sig in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(sig, stop.set)
    clock = Clock(datetime.now(UTC))
    await follow_extra(ExtraWorld(), clock, server, os.environ.get("GATEWAY_TOKEN", ""), stop)


async def run(port_base: int, state: Path, start_from: Path, server: str) -> None:
    """Serve until told to stop."""
    holding = Holding()
    world = load_world(holding, state, start_from)
    clock, stop = Clock(world.now), asyncio.Event()
    for sig in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(sig, stop.set)
    nodes = build_nodes(holding, world, port_base)
    for node in nodes:
        await node.open()
    token = os.environ.get("GATEWAY_TOKEN", "")
    beside = asyncio.create_task(follow_extra(ExtraWorld(), Clock(world.now), server, token, stop))
    asking = asyncio.create_task(follow_server(world, clock, server, token, stop))
    since_kept = 0.0
    while not stop.is_set():
        for node in nodes:
            await node.take_commands()
        world.advance_to(clock.now())
        for node in nodes:
            await node.show()
        since_kept += STEP_S
        if since_kept >= KEEP_S:
            keep_world(world, state)
            since_kept = 0.0
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stop.wait(), STEP_S)
    keep_world(world, state)
    await asking
    await beside
    for node in nodes:
        await node.close()
