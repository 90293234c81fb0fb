"""The gateway's loops: poll nodes into the queue, send the queue, carry commands. None waits for another."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from reedcore.links.analogue import Switch

from .bus import BusError, NodeBus, Sdi12Bus, exchange
from .queue import ReadingQueue
from .server import Server, ServerAway, ServerRefused

log = logging.getLogger("reed.gateway")
BATCH = 4000
CONFIG_S, COMMAND_S, SEND_S, BUS_S = 1.0, 0.4, 0.4, 0.7
FASTEST_POLL_S = 1.0


class Gateway:
    def __init__(self, server: Server, queue: ReadingQueue) -> None:
        self.server, self.queue = server, queue
        self.config: dict[str, Any] | None = None
        self.buses: dict[int, tuple[tuple[Any, ...], NodeBus | Sdi12Bus]] = {}
        self.switches: dict[int, Switch] = {}
        self.due: dict[int, float] = {}
        self.said: dict[str, str] = {}
        self.stop = asyncio.Event()

    def site_now(self) -> datetime:
        """The site's time by the clock the server last told."""
        real = datetime.now(UTC)
        if self.config is None:
            return real
        since = (real - datetime.fromisoformat(self.config["anchor_real"])).total_seconds()
        return datetime.fromisoformat(self.config["anchor_site"]) + timedelta(seconds=since * self.config["rate"])

    async def run(self) -> None:
        """All loops until stopped."""
        await asyncio.gather(
            self._every(CONFIG_S, self.renew_config),
            self._every(0.1, self.poll_due_nodes),
            self._every(SEND_S, self.send_waiting),
            self._every(COMMAND_S, self.carry_commands),
            self._every(BUS_S, self.carry_bus_requests),
        )

    async def _every(self, seconds: float, step: Any) -> None:
        while not self.stop.is_set():
            try:
                await step()
                self._say(step.__name__, "")
            except (ServerAway, BusError) as error:
                self._say(step.__name__, str(error))
                await self._sleep(1.0)
            except Exception:
                log.exception("%s: unexpected, going on", step.__name__)
                await self._sleep(1.0)
            await self._sleep(seconds)

    async def _sleep(self, seconds: float) -> None:
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(self.stop.wait(), seconds)

    def _say(self, what: str, problem: str) -> None:
        # Say a trouble once when it begins and once when it ends, not at every try.
        if problem != self.said.get(what, ""):
            log.warning("%s: %s", what, problem or "well again")
            self.said[what] = problem

    async def renew_config(self) -> None:
        """Fetch register maps and clock; connections whose address changed are made anew."""
        self.config = await self.server.config()
        for node in self.config["nodes"]:
            address = (node["host"], node["port"], node["device_id"], node.get("kind", "modbus_tcp"))
            held = self.buses.get(node["id"])
            if held is None or held[0] != address:
                if held:
                    held[1].close()
                made = Sdi12Bus(*address[:3]) if address[3] == "sdi12" else NodeBus(*address)
                self.buses[node["id"]] = (address, made)

    async def poll_due_nodes(self) -> None:
        """Read every node whose time has come into the queue on disk."""
        config, loop_now = self.config, asyncio.get_running_loop().time()
        if config is None or config["rate"] == 0:
            return
        due = [n for n in config["nodes"] if loop_now >= self.due.get(n["id"], 0.0)]
        for node in due:
            self.due[node["id"]] = loop_now + max(FASTEST_POLL_S, node["poll_s"] / config["rate"])
        # Side by side: one slow or dead node must not keep the others waiting.
        contacts = list(await asyncio.gather(*(self._poll(n) for n in due)))
        if contacts:
            with contextlib.suppress(ServerAway):
                await self.server.contact(contacts)

    async def _poll(self, node: dict[str, Any]) -> dict[str, Any]:
        bus, health = self.buses[node["id"]][1], {}
        try:
            values = await bus.read_channels(node["registers"]) if node["registers"] else {}
            if node.get("health_register") is not None and isinstance(bus, NodeBus):
                health = await bus.health(node["health_register"], self.site_now())
                if health["config"] != node["config"]:
                    await bus.configure(node["health_register"], node["config"], node["poll_s"])
        except BusError as error:
            self._say(node["name"], str(error))
            return {"node": node["id"], "ok": False, "problem": str(error)[:200]}
        self._say(node["name"], "")
        at = self.site_now().isoformat(timespec="milliseconds")
        steady = {r["channel"]: r.get("debounce_s", 0.0) for r in node["registers"]}
        self.queue.add([(c, at, self._debounced(c, v, steady[c])) for c, v in values.items()])
        return {"node": node["id"], "ok": True, "health": health}

    def _debounced(self, channel: int, value: float, hold_s: float) -> float:
        """A switch changes only when it has held its new state long enough; other values pass."""
        if hold_s <= 0:
            return value
        held = self.switches.get(channel, Switch(bool(value), None, hold_s))
        self.switches[channel] = held.seen(bool(value), self.site_now().timestamp())
        return 1.0 if self.switches[channel].closed else 0.0

    async def carry_bus_requests(self) -> None:
        """Send what the frame bench asks, byte by byte, and tell what came back."""
        if self.config is None:
            return
        for waiting in await self.server.bus_waiting():
            held = self.buses.get(waiting["node"])
            if held is None:
                await self.server.bus_answer(
                    waiting["number"], b"", "The gateway does not know this node yet: wait a second.", 0.0
                )
                continue
            host, port = held[0][0], held[0][1]
            answer, problem, elapsed = await exchange(host, port, bytes.fromhex(waiting["request"]))
            await self.server.bus_answer(waiting["number"], answer, problem, elapsed)

    async def send_waiting(self) -> None:
        """Send the oldest waiting readings; they leave the queue when the server has answered."""
        while waiting := self.queue.oldest(BATCH):
            answer = await self.server.send_readings([w.as_json() for w in waiting])
            for refused in answer["refused"][:5]:
                log.warning("reading refused: %s", refused["message"])
            self.queue.forget(waiting)
            if len(waiting) < BATCH:
                return

    async def carry_commands(self) -> None:
        """Write new commands to their nodes, and confirm started and finished ones."""
        if self.config is None:
            return
        for command in await self.server.commands():
            held = self.buses.get(command["node"])
            if held is None or not isinstance(held[1], NodeBus):
                continue
            try:
                await self._carry(command, held[1])
            except (BusError, ServerRefused) as error:
                self._say(f"command to node {command['node']}", str(error))

    async def _carry(self, command: dict[str, Any], bus: NodeBus) -> None:
        number, now = command["number"], self.site_now()
        status = await bus.status(command["status_register"])
        if command["state"] == "queued" and status.number != number:
            if now > datetime.fromisoformat(command["expires_at"]):
                return
            await bus.command(command["coil"], command["command_register"], number, command["seconds"])
            await self.server.report(number, "started" if command["seconds"] > 0 else "done", now)
            return
        if status.number == number and status.left_s <= 0:
            await self.server.report(number, "done", now, status.delivered_ml)
        elif command["state"] == "queued":
            await self.server.report(
                number, "started", now - timedelta(seconds=max(0.0, command["seconds"] - status.left_s))
            )
        elif status.number != number:
            await self.server.report(number, "done", now, None, "the node has taken a newer command since")

    def close(self) -> None:
        for _, bus in self.buses.values():
            bus.close()


async def serve(address: str, token: str, folder: Path) -> None:
    """Run a gateway until told to stop."""
    server, queue = Server(address, token), ReadingQueue(folder / "queue.sqlite")
    gateway = Gateway(server, queue)
    for sig in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(sig, gateway.stop.set)
    try:
        await gateway.run()
    finally:
        gateway.close()
        queue.close()
        await server.close()
