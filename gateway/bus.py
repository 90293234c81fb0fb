"""The one module that speaks Modbus: read channels, write commands, read what became of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

MAX_REGISTERS = 120
TIMEOUT_S = 2.0


class BusError(Exception):
    """A node did not answer, or answered with an exception; the text says which and what to look at."""


@dataclass(frozen=True)
class ActuatorStatus:
    number: int
    left_s: float
    delivered_ml: float


def value_of(words: list[int], kind: str, scale: float, offset: float) -> float:
    """A channel's value from its registers: uint16, int16, uint32 or int32, high word first."""
    number = words[0]
    if kind in ("uint32", "int32"):
        number = (words[0] << 16) | words[1]
    if kind == "int16" and number >= 0x8000:
        number -= 0x10000
    if kind == "int32" and number >= 0x80000000:
        number -= 0x100000000
    return number * scale + offset


def width(kind: str) -> int:
    return 2 if kind.endswith("32") else 1


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

    def __init__(self, host: str, port: int, device_id: int) -> None:
        self._client = AsyncModbusTcpClient(host, port=port, timeout=TIMEOUT_S, retries=1, reconnect_delay=0)
        self._device_id = device_id
        self._where = f"{host}:{port}"

    async def read_channels(self, registers: list[dict[str, Any]]) -> dict[int, float]:
        """Values by channel. Raises BusError."""
        words: dict[int, int] = {}
        for first, count in spans(registers):
            for i, word in enumerate(await self._read(first, count)):
                words[first + i] = word
        return {
            r["channel"]: value_of(
                [words[r["register"] + i] for i in range(width(r["register_type"]))],
                r["register_type"],
                r["scale"],
                r["offset"],
            )
            for r in registers
        }

    async def status(self, register: int) -> ActuatorStatus:
        """What an actuator last ran and how long it still runs. Raises BusError."""
        high, low, tenths, delivered = await self._read(register, 4)
        return ActuatorStatus((high << 16) | low, tenths / 10, float(delivered))

    async def command(self, coil: int, register: int, number: int, seconds: float) -> None:
        """Write number and seconds, then the coil. The node ends by itself after `seconds`. Raises BusError."""
        tenths = min(0xFFFF, round(10 * seconds))
        await self._ask("write_registers", register, [number >> 16, number & 0xFFFF, tenths])
        await self._ask("write_coil", coil, seconds > 0)

    async def _read(self, first: int, count: int) -> list[int]:
        answer = await self._ask("read_holding_registers", first, count=count)
        return list(answer.registers)

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
