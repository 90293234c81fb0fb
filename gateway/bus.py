"""The one module that speaks Modbus: read channels, write commands, read what became of them."""

from __future__ import annotations

import asyncio
import contextlib
import math
import time
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException
from pymodbus.framer import FramerType

from reedcore.errors import OutOfRange
from reedcore.links.modbus import Encoding, WordOrder, registers_of, value_from_registers
from reedcore.links.sdi12 import parse_notice, parse_values

MAX_REGISTERS = 120
READS = {1: "read_coils", 2: "read_discrete_inputs", 3: "read_holding_registers", 4: "read_input_registers"}
TIMEOUT_S = 2.0


class BusError(Exception):
    """A node did not answer, or answered with an exception; the text says which and what to look at."""


@dataclass(frozen=True)
class ActuatorStatus:
    number: int
    left_s: float
    delivered_ml: float


FRAMERS = {"modbus_tcp": FramerType.SOCKET, "modbus_rtu": FramerType.RTU}
HEALTH_WORDS = 10
CONFIG_OFFSET = 10
"""Health block: supply mV, battery mV, uptime s (2), restarts, clock unix s (2), firmware major and minor, configuration
number (2); behind it, to write: configuration number (2), interval s."""


def width(kind: str) -> int:
    return registers_of(Encoding(kind))


def spans(registers: list[dict[str, Any]]) -> list[tuple[int, int]]:
    """Reads (first register, count) that cover all channels with few requests, none over 120 registers."""
    found: list[tuple[int, int]] = []
    for r in sorted(registers, key=lambda r: r["register"]):
        first, end = r["register"], r["register"] + width(r["register_type"])
        if found and first - (found[-1][0] + found[-1][1]) <= 12 and end - found[-1][0] <= MAX_REGISTERS:
            found[-1] = (found[-1][0], max(found[-1][1], end - found[-1][0]))
        else:
            found.append((first, end - first))
    return found


class NodeBus:
    """A connection to one node, opened when needed and again after a fault."""

    def __init__(self, host: str, port: int, device_id: int, kind: str = "modbus_tcp") -> None:
        framer = FRAMERS.get(kind, FramerType.SOCKET)
        self._client = AsyncModbusTcpClient(
            host, port=port, framer=framer, timeout=TIMEOUT_S, retries=1, reconnect_delay=0
        )
        self._device_id = device_id
        self._where = f"{host}:{port}"

    async def read_channels(self, registers: list[dict[str, Any]]) -> dict[int, float]:
        """Values by channel. Raises BusError."""
        values: dict[int, float] = {}
        for function in sorted({r.get("function", 3) for r in registers}):
            mine = [r for r in registers if r.get("function", 3) == function]
            words: dict[int, int] = {}
            for first, count in spans(mine):
                for i, word in enumerate(await self._read(first, count, function)):
                    words[first + i] = word
            for r in mine:
                kind = Encoding(r["register_type"])
                own = [words[r["register"] + i] for i in range(registers_of(kind))]
                order = WordOrder(r.get("word_order", "abcd"))
                values[r["channel"]] = value_from_registers(own, kind, order, r["scale"], r["offset"])
        # A float32 register can hold NaN; there is nothing to keep of it.
        return {channel: value for channel, value in values.items() if math.isfinite(value)}

    async def health(self, register: int, now: datetime) -> dict[str, Any]:
        """What the node says of itself; `now` is the site's time, for the offset of the node's clock. Raises BusError."""
        w = await self._read(register, HEALTH_WORDS)
        clock = (w[5] << 16) | w[6]
        return {
            "supply_v": w[0] / 1000,
            "battery_v": w[1] / 1000,
            "uptime_s": (w[2] << 16) | w[3],
            "clock_offset_s": clock - now.timestamp() if clock else None,
            "firmware": f"{w[7] >> 8}.{w[7] & 0xFF}",
            "config": (w[8] << 16) | w[9],
        }

    async def configure(self, register: int, number: int, interval_s: float) -> None:
        """Write a configuration number and the interval behind the health block. Raises BusError."""
        words = [number >> 16, number & 0xFFFF, min(0xFFFF, round(interval_s))]
        await self._ask("write_registers", register + CONFIG_OFFSET, words)

    async def status(self, register: int) -> ActuatorStatus:
        """What an actuator last ran and how long it still runs. Raises BusError."""
        high, low, tenths, delivered = await self._read(register, 4)
        return ActuatorStatus((high << 16) | low, tenths / 10, float(delivered))

    async def command(self, coil: int, register: int, number: int, seconds: float) -> None:
        """Write number and seconds, then the coil. The node ends by itself after `seconds`. Raises BusError."""
        tenths = min(0xFFFF, round(10 * seconds))
        await self._ask("write_registers", register, [number >> 16, number & 0xFFFF, tenths])
        await self._ask("write_coil", coil, seconds > 0)

    async def _read(self, first: int, count: int, function: int = 3) -> list[int]:
        answer = await self._ask(READS[function], first, count=count)
        return [int(b) for b in answer.bits[:count]] if function in (1, 2) else list(answer.registers)

    async def _ask(self, what: str, *args: Any, **kwargs: Any) -> Any:
        if not self._client.connected and not await self._client.connect():
            raise BusError(f"no answer from {self._where}: is the node powered and on the network?")
        try:
            answer = await getattr(self._client, what)(*args, device_id=self._device_id, **kwargs)
        except (ModbusException, OSError, TimeoutError) as error:
            self._client.close()
            raise BusError(f"{self._where} stopped answering: {error}") from error
        if answer.isError():
            raise BusError(f"{self._where} refused {what.replace('_', ' ')} at {args[0]}: {answer}")
        return answer

    def close(self) -> None:
        self._client.close()


async def exchange(host: str, port: int, request: bytes, quiet_s: float = 0.25) -> tuple[bytes, str, float]:
    """Send bytes as they are and take what comes until the line is quiet: answer, problem in words, milliseconds.

    Never raises: for the frame bench a dead bus is an answer too.
    """
    began = time.monotonic()
    try:
        reader, writer = await asyncio.wait_for(asyncio.open_connection(host, port), TIMEOUT_S)
    except (OSError, TimeoutError):
        return b"", f"No connection to {host}:{port}: is the node or bridge powered and on the network?", 0.0
    came = b""
    try:
        writer.write(request)
        await writer.drain()
        with contextlib.suppress(TimeoutError):
            came = await asyncio.wait_for(reader.read(300), TIMEOUT_S)
            while len(came) < 300 and (more := await asyncio.wait_for(reader.read(300), quiet_s)):
                came += more
    except OSError as error:
        return came, f"The connection broke: {error}", 1000 * (time.monotonic() - began)
    finally:
        writer.close()
    problem = (
        ""
        if came
        else f"Nothing came back within {TIMEOUT_S:g} s: wrong bus address or baud rate, or the two wires are swapped."
    )
    return came, problem, 1000 * (time.monotonic() - began)


class Sdi12Bus:
    """SDI-12 sensors behind a TCP bridge: start a measurement, wait as long as the sensor says, read its values."""

    def __init__(self, host: str, port: int, address: int) -> None:
        self._host, self._port, self._address = host, port, str(address)[-1]

    async def read_channels(self, registers: list[dict[str, Any]]) -> dict[int, float]:
        """Values by channel; a channel's register is the place of its value in the answer. Raises BusError."""
        try:
            reader, writer = await asyncio.wait_for(asyncio.open_connection(self._host, self._port), TIMEOUT_S)
        except (OSError, TimeoutError):
            raise BusError(
                f"no answer from {self._host}:{self._port}: is the bridge powered and on the network?"
            ) from None
        try:
            notice = parse_notice(await self._ask(reader, writer, "M!"))
            await asyncio.sleep(min(notice.seconds, 5))
            values = parse_values(await self._ask(reader, writer, "D0!")).values
        except (OSError, TimeoutError):
            raise BusError(
                f"SDI-12 sensor {self._address} did not answer: check address, supply and data wire"
            ) from None
        except OutOfRange as error:
            raise BusError(f"SDI-12 sensor {self._address}: {error}") from None
        finally:
            writer.close()
        base = min(r["register"] for r in registers)
        places = {r["channel"]: (r["register"] - base, r) for r in registers}
        return {c: values[i] * r["scale"] + r["offset"] for c, (i, r) in places.items() if i < len(values)}

    async def _ask(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, command: str) -> str:
        writer.write(f"{self._address}{command}".encode())
        await writer.drain()
        return (await asyncio.wait_for(reader.readline(), TIMEOUT_S)).decode("ascii", "replace")

    def close(self) -> None:
        """Each reading opens its own connection; there is nothing to close."""
