"""One simulated node: a real Modbus TCP server. Registers follow the world, coils and seconds registers move it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from .physics import Actuator
from .registers import words_of

DEVICE_ID = 1
COILS, HOLDING = 1, 3
"""Function codes under which pymodbus files the two blocks."""


@dataclass
class Slot:
    """An actuator with its coil and registers."""

    actuator: Actuator
    coil: int
    command_register: int
    status_register: int


@dataclass
class Node:
    name: str
    port: int
    slots: list[Slot] = field(default_factory=list)
    sources: list[tuple[Callable[[], dict[str, float]], dict[str, tuple[int, str, float]]]] = field(
        default_factory=list
    )
    server: ModbusTcpServer | None = None

    async def open(self) -> None:
        """Start listening on loopback, with every register filled before the first request can come in."""
        blocks = (
            [SimData(0, values=[False] * 64, datatype=DataType.BITS)],
            [SimData(0, values=[False] * 16, datatype=DataType.BITS)],
            [SimData(0, count=400, values=0, datatype=DataType.REGISTERS)],
            [SimData(0, count=1, values=0, datatype=DataType.REGISTERS)],
        )
        self.server = ModbusTcpServer(SimDevice(DEVICE_ID, blocks), address=("127.0.0.1", self.port))
        await self.show()
        await self.server.serve_forever(background=True)

    async def close(self) -> None:
        if self.server is not None:
            await self.server.shutdown()

    async def take_commands(self) -> None:
        """A coil set to on starts the command in its registers once; a coil set to off closes at once."""
        assert self.server is not None
        for slot in self.slots:
            coil = bool((await self.server.async_getValues(DEVICE_ID, COILS, slot.coil, 1))[0])
            high, low, tenths = await self.server.async_getValues(DEVICE_ID, HOLDING, slot.command_register, 3)
            number = (int(high) << 16) | int(low)
            if coil and number:
                slot.actuator.command(number, int(tenths) / 10)
            if not coil and slot.actuator.on:
                slot.actuator.off()

    async def show(self) -> None:
        """Write what the sensors read, and the state of each actuator."""
        assert self.server is not None
        for read, places in self.sources:
            for quantity, value in read().items():
                register, kind, scale = places[quantity]
                await self.server.async_setValues(DEVICE_ID, HOLDING, register, words_of(value, kind, scale))
        for slot in self.slots:
            await self._show_actuator(slot)

    async def _show_actuator(self, slot: Slot) -> None:
        assert self.server is not None
        a = slot.actuator
        status = [
            a.last_number >> 16,
            a.last_number & 0xFFFF,
            min(0xFFFF, round(10 * a.left_s)),
            min(0xFFFF, round(a.delivered_ml)),
        ]
        await self.server.async_setValues(DEVICE_ID, HOLDING, slot.status_register, status)
        if not a.on:
            await self.server.async_setValues(DEVICE_ID, COILS, slot.coil, [False])
