"""Links of added stand-in nodes that are no Modbus: SDI-12 answers over TCP, and posts."""

from __future__ import annotations

import asyncio
import contextlib
from typing import TYPE_CHECKING

import httpx

from reedcore.links.sdi12 import sdi12_crc

if TYPE_CHECKING:
    from .extra import ExtraNode, ExtraWorld


async def answer_sdi12(
    node: ExtraNode, world: ExtraWorld, reader: asyncio.StreamReader, writer: asyncio.StreamWriter
) -> None:
    """SDI-12 over TCP: aM! and aD0!, as a bridge passes them on."""
    address = str(node.form["device_id"])[-1]
    with contextlib.suppress(OSError, TimeoutError, asyncio.IncompleteReadError):
        while True:
            command = (await asyncio.wait_for(reader.readuntil(b"!"), 30)).decode("ascii", "replace").strip()
            if not command.startswith(address) or "unplugged" in node.faults:
                continue
            if command[1:] in ("M!", "MC!"):
                answer = f"{address}000{len(node.channels)}"
            elif command[1:] == "I!":
                answer = f"{address}14TALLREEDSTAND 100"
            else:
                answer = address + "".join(f"{world.reading(node, c):+.2f}" for c in node.channels)
                answer += "xxx" if "bad checksum" in node.faults else ""
                answer += sdi12_crc(answer) if command[1:] == "DC0!" else ""
            writer.write(answer.encode() + b"\r\n")
            await writer.drain()
    writer.close()


async def post_values(
    node: ExtraNode, world: ExtraWorld, client: httpx.AsyncClient, loop_time: float, rate: float
) -> None:
    """A node that posts by itself: its values by name, what it says of itself, the configuration it runs by."""
    every = max(1.0, node.form["interval_s"] / max(rate, 1e-9))
    if node.form["kind"] != "http" or rate == 0 or loop_time - node.posted_at < every or "unplugged" in node.faults:
        return
    node.posted_at = loop_time
    from .extra import wire_value

    values = {c.form["key"]: wire_value(c, world.reading(node, c), node.faults) for c in node.channels}
    health = {
        "supply_v": 5.0, "battery_v": 3.9, "uptime_s": node.uptime_s, "firmware": "2.3", "config": node.config,
        "clock_offset_s": 5400.0 if "clock wrong" in node.faults else 0.4,
    }  # fmt: skip
    with contextlib.suppress(httpx.HTTPError, ValueError, KeyError):
        answer = await client.post(
            "/api/post/values/",
            json={"values": values, "health": health},
            headers={"Authorization": f"Node {node.form['token']}"},
        )
        if answer.status_code == 200:
            node.config = answer.json()["config"]
