"""The gateway's loops with every kind of link: functions apart, switches debounced, health, bench requests."""

import asyncio
import math
from datetime import UTC, datetime

import pytest

from gateway.bus import BusError, NodeBus, Sdi12Bus
from gateway.queue import ReadingQueue
from gateway.run import Gateway


class Server:
    """As much of the server as a gateway needs."""

    def __init__(self, nodes):
        now = datetime.now(UTC).isoformat()
        self.said = {"site": 1, "anchor_real": now, "anchor_site": now, "rate": 1.0, "nodes": nodes}
        self.contacts, self.answers, self.waiting = [], [], []

    async def config(self):
        return self.said

    async def contact(self, contacts):
        self.contacts += contacts

    async def bus_waiting(self):
        waiting, self.waiting = self.waiting, []
        return waiting

    async def bus_answer(self, number, answer, problem, elapsed_ms):
        self.answers.append((number, answer, problem))


def register(channel, at, **more):
    return {
        "channel": channel,
        "register": at,
        "register_type": "uint16",
        "word_order": "abcd",
        "function": 3,
        "scale": 1.0,
        "offset": 0.0,
        "debounce_s": 0.0,
        **more,
    }


def node(pk=1, registers=(), kind="modbus_tcp", **more):
    return {
        "id": pk,
        "name": f"N{pk}",
        "kind": kind,
        "host": "127.0.0.1",
        "port": 1,
        "device_id": 1,
        "poll_s": 5.0,
        "health_register": None,
        "config": 1,
        "registers": list(registers),
        "actuators": [],
        **more,
    }


class Bus(NodeBus):
    """A bus whose registers are a table."""

    def __init__(self, tables, health=None, broken=False):
        self.tables, self.said, self.broken, self.asked, self.configured = tables, health, broken, [], []

    async def _read(self, first, count, function=3):
        if self.broken:
            raise BusError("no answer")
        self.asked.append((function, first, count))
        return [self.tables[function].get(first + i, 0) for i in range(count)]

    async def health(self, register, now):
        return self.said

    async def configure(self, register, number, interval_s):
        self.configured.append((register, number, interval_s))

    def close(self):
        pass


def play(tmp_path, nodes, buses, scene):
    async def run():
        server = Server(nodes)
        gateway = Gateway(server, ReadingQueue(tmp_path / "queue.sqlite"))
        await gateway.renew_config()
        for pk, bus in buses.items():
            gateway.buses[pk] = (gateway.buses[pk][0], bus)
        await scene(gateway, server)

    asyncio.run(run())


def values(gateway):
    return {w.channel: w.raw for w in gateway.queue.oldest(100)}


def test_each_function_is_asked_on_its_own_and_types_are_decoded(tmp_path):
    registers = [
        register(1, 0),
        register(2, 1, register_type="int16", scale=0.01),
        register(3, 8, function=4, register_type="float32", word_order="cdab"),
        register(4, 40, function=1, register_type="bit"),
        register(5, 41, function=2, register_type="bit"),
    ]
    bus = Bus({3: {0: 21345, 1: 0xFF9C}, 4: {8: 0, 9: 0x41BC}, 1: {40: 1}, 2: {41: 0}})

    async def scene(gateway, _server):
        await gateway.poll_due_nodes()
        assert values(gateway) == {1: 21345, 2: -1.0, 3: 23.5, 4: 1.0, 5: 0.0}
        assert bus.asked == [(1, 40, 1), (2, 41, 1), (3, 0, 2), (4, 8, 2)]

    play(tmp_path, [node(registers=registers)], {1: bus}, scene)


def test_a_float_that_is_no_number_is_not_kept(tmp_path):
    bus = Bus({3: {0: 0x7FC0, 1: 0, 4: 7}})

    async def scene(gateway, _server):
        await gateway.poll_due_nodes()
        assert values(gateway) == {2: 7.0}
        assert not any(math.isnan(v) for v in values(gateway).values())

    play(tmp_path, [node(registers=[register(1, 0, register_type="float32"), register(2, 4)])], {1: bus}, scene)


def test_a_chattering_switch_is_told_once_it_holds(tmp_path, monkeypatch):
    bus, clock = Bus({1: {40: 0}}), [1000.0]
    monkeypatch.setattr(Gateway, "site_now", lambda _self: datetime.fromtimestamp(clock[0], UTC))

    async def scene(gateway, _server):
        seen = []
        for second, contact in ((0, 0), (1, 1), (2, 0), (3, 1), (4, 1), (6, 1)):
            clock[0], bus.tables[1][40] = 1000.0 + second, contact
            gateway.due.clear()
            await gateway.poll_due_nodes()
            waiting = gateway.queue.oldest(10)
            seen.append(waiting[-1].raw)
            gateway.queue.forget(waiting)
        assert seen == [0, 0, 0, 0, 0, 1]

    play(
        tmp_path, [node(registers=[register(1, 40, function=1, register_type="bit", debounce_s=2.0)])], {1: bus}, scene
    )


def test_health_is_passed_on_and_a_waiting_configuration_written(tmp_path):
    bus = Bus({3: {0: 5}}, health={"supply_v": 12.1, "config": 3})

    async def scene(gateway, server):
        await gateway.poll_due_nodes()
        assert server.contacts == [{"node": 1, "ok": True, "health": {"supply_v": 12.1, "config": 3}}]
        assert bus.configured == [(380, 4, 20.0)]
        bus.said = {"supply_v": 12.1, "config": 4}
        gateway.due.clear()
        await gateway.poll_due_nodes()
        assert len(bus.configured) == 1

    play(tmp_path, [node(registers=[register(1, 0)], health_register=380, config=4, poll_s=20.0)], {1: bus}, scene)


def test_a_dead_node_does_not_keep_its_neighbour_waiting(tmp_path):
    dead, well = Bus({}, broken=True), Bus({3: {0: 9}})

    async def scene(gateway, server):
        await gateway.poll_due_nodes()
        assert values(gateway) == {2: 9}
        assert [(c["node"], c["ok"]) for c in server.contacts] == [(1, False), (2, True)]
        assert server.contacts[0]["problem"] == "no answer"

    nodes = [node(1, [register(1, 0)]), node(2, [register(2, 0)])]
    play(tmp_path, nodes, {1: dead, 2: well}, scene)


def test_a_changed_link_makes_a_new_connection_of_its_kind(tmp_path):
    async def scene(gateway, server):
        first = gateway.buses[1][1]
        assert isinstance(first, NodeBus)
        await gateway.renew_config()
        assert gateway.buses[1][1] is first
        server.said["nodes"] = [node(1, kind="sdi12")]
        await gateway.renew_config()
        assert isinstance(gateway.buses[1][1], Sdi12Bus)

    play(tmp_path, [node(1)], {}, scene)


def test_bench_requests_are_answered_even_when_the_bus_is_dead_or_unknown(tmp_path):
    async def scene(gateway, server):
        server.waiting = [
            {"number": 5, "node": 1, "request": "010300000001840a"},
            {"number": 6, "node": 99, "request": "00"},
        ]
        await gateway.carry_bus_requests()
        assert [(n, a) for n, a, _ in server.answers] == [(5, b""), (6, b"")]
        assert "powered" in server.answers[0][2] and "does not know" in server.answers[1][2]
        await gateway.carry_bus_requests()
        assert len(server.answers) == 2

    play(tmp_path, [node(1)], {}, scene)


@pytest.mark.parametrize(("rate", "polled"), [(0.0, 0), (1.0, 1), (60.0, 1)])
def test_a_paused_site_is_not_polled(tmp_path, rate, polled):
    bus = Bus({3: {0: 9}})

    async def scene(gateway, server):
        server.said["rate"] = rate
        await gateway.renew_config()
        await gateway.poll_due_nodes()
        assert len(gateway.queue) == polled

    play(tmp_path, [node(registers=[register(1, 0)])], {1: bus}, scene)
