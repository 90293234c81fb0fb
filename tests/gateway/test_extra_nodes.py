"""Stand-in nodes that people add, spoken to by the gateway's own drivers over real sockets, with every fault by name."""

import asyncio
from datetime import UTC, datetime, timedelta

import pytest

from gateway.bus import BusError, NodeBus, exchange
from launcher.shell import free_port
from reedcore.links.modbus import Framing, explain, read_request
from standin.extra import ExtraWorld, close_node, show, take_commands

START = datetime(2026, 6, 18, 9, 0, tzinfo=UTC)
BED = {
    "id": 1,
    "volume_l": 4.5,
    "capacity": 0.81,
    "dry_limit": 0.486,
    "dry_mix": 0.06,
    "plants": 180,
    "flow_ml_min": 35.0,
    "line_fill_s": 10.0,
    "pump": 7,
    "peak_ml_a_day": 2600.0,
}


def channel(pk, quantity, register, kind="dielectric", **more):
    return {
        "channel": pk,
        "quantity": quantity,
        "sensor_kind": kind,
        "register": register,
        "register_type": "uint16",
        "word_order": "abcd",
        "function": 3,
        "scale": 1.0,
        "offset": 0.0,
        "input": "number",
        "input_settings": {},
        "key": f"{kind}-{quantity}",
        "bed": 1,
        "place": "bed",
        **more,
    }


def node(kind="modbus_rtu", channels=None, actuators=(), **more):
    return {
        "id": 3,
        "name": "Try",
        "kind": kind,
        "port": free_port(),
        "device_id": 1,
        "interval_s": 5.0,
        "token": "t",
        "health_register": 380,
        "config": 4,
        "faults": [],
        "channels": channels
        or [channel(11, "raw", 0), channel(12, "medium_temp", 3, register_type="int16", scale=0.01)],
        "actuators": list(actuators),
        **more,
    }


def register_of(c):
    return {**c, "debounce_s": 0.0}


def play(form, scene):
    """Open a stand-in node, run a scene with it, close it."""

    async def run():
        world = ExtraWorld()
        world.advance_to(START)
        await world.take({"beds": [BED], "nodes": [form]})
        try:
            await turn(world, 1)
            return await scene(world, world.nodes[form["id"]])
        finally:
            for opened in world.nodes.values():
                await close_node(opened)

    return asyncio.run(run())


async def turn(world, seconds):
    for opened in world.nodes.values():
        await take_commands(opened)
    world.advance_to(world.now + timedelta(seconds=seconds))
    for opened in world.nodes.values():
        await show(opened, world)


async def read(form):
    bus = NodeBus("127.0.0.1", form["port"], form["device_id"], form["kind"])
    try:
        return await bus.read_channels([register_of(c) for c in form["channels"]])
    finally:
        bus.close()


@pytest.mark.parametrize("kind", ["modbus_rtu", "modbus_tcp"])
def test_both_framings_give_the_same_values(kind):
    form = node(kind)

    async def scene(world, _opened):
        values = await read(form)
        theta = float(world.beds[1].water.theta)
        assert values[11] == pytest.approx(27000 - 19000 * theta, rel=0.01)
        assert values[12] == pytest.approx(20.5, abs=0.2)

    play(form, scene)


@pytest.mark.parametrize(
    ("kind", "order", "scale"),
    [("float32", "abcd", 1.0), ("float32", "cdab", 1.0), ("uint32", "dcba", 0.1), ("int32", "badc", 0.01)],
)
def test_word_orders_and_types_come_through(kind, order, scale):
    form = node(channels=[channel(11, "co2", 0, "co2", register_type=kind, word_order=order, scale=scale)])

    async def scene(_world, _opened):
        assert (await read(form))[11] == pytest.approx(640, rel=0.02)

    play(form, scene)


def test_bits_are_read_with_their_own_function():
    level = channel(13, "level_switch", 42, "level_switch", register_type="bit", function=1)
    form = node(channels=[channel(11, "raw", 0), level])

    async def scene(world, opened):
        assert (await read(form))[13] == 0
        opened.form["faults"] = ["float down"]
        await turn(world, 1)
        assert (await read(form))[13] == 1

    play(form, scene)


@pytest.mark.parametrize(
    ("place", "theta"), [("first", 0.0), ("changed", 0.81), ("drained_mix", 0.81), ("dry_mix", 0.06), ("water", 1.0)]
)
def test_a_sensor_follows_where_a_person_puts_it(place, theta):
    form = node()

    async def scene(world, opened):
        opened.channels[0].form["place"] = place
        for _ in range(10):
            await turn(world, 5)
        assert (await read(form))[11] == pytest.approx(27000 - 19000 * theta, rel=0.01)

    play(form, scene)


def test_a_stuck_sensor_shows_its_last_value():
    form = node()

    async def scene(world, opened):
        before = (await read(form))[11]
        opened.form["faults"] = ["stuck"]
        opened.channels[0].form["place"] = "first"
        await turn(world, 60)
        assert (await read(form))[11] == before

    play(form, scene)


def test_a_slow_sensor_takes_its_time():
    form = node()

    async def scene(world, opened):
        before = (await read(form))[11]
        opened.form["faults"] = ["slow"]
        opened.channels[0].form["place"] = "first"
        await turn(world, 20)
        assert abs((await read(form))[11] - before) < 0.25 * (27000 - before)

    play(form, scene)


@pytest.mark.parametrize(
    ("fault", "check"), [("unplugged", lambda v: v == 65535), ("wrong sense", lambda v: v > 19000)]
)
def test_unplugged_and_wrong_sense_show_in_the_count(fault, check):
    form = node(faults=[fault])

    async def scene(world, _opened):
        await turn(world, 30)
        assert check((await read(form))[11])

    play(form, scene)


def test_noise_and_drift_grow_when_they_are_set():
    form = node()

    async def scene(world, opened):
        async def spread():
            values = []
            for _ in range(30):
                await turn(world, 1)
                values.append((await read(form))[11])
            return max(values) - min(values)

        quiet = await spread()
        opened.form["faults"] = ["noisy"]
        assert await spread() > 5 * quiet
        opened.form["faults"], opened.uptime_s = ["drifting"], 36000.0
        await turn(world, 1)
        drifted = (await read(form))[11]
        opened.form["faults"] = []
        await turn(world, 1)
        assert drifted > 1.1 * (await read(form))[11]

    play(form, scene)


def test_a_bad_checksum_is_a_bus_error_to_the_gateway_and_words_to_the_bench():
    form = node(faults=["bad checksum"])

    async def scene(_world, _opened):
        with pytest.raises(BusError) as error:
            await read(form)
        assert str(form["port"]) in str(error.value)
        request = read_request(1, 3, 0, 2)
        came, problem, elapsed = await exchange("127.0.0.1", form["port"], request)
        assert problem == "" and elapsed > 0
        assert "checksum is wrong" in explain(came, Framing.RTU, True).problem

    play(form, scene)


def test_the_bench_sees_an_exception_and_a_dead_bus():
    form = node()

    async def scene(_world, _opened):
        came, _, _ = await exchange("127.0.0.1", form["port"], read_request(1, 3, 60000, 2))
        assert "exception 2" in explain(came, Framing.RTU, True).problem
        came, problem, _ = await exchange("127.0.0.1", free_port(), read_request(1, 3, 0, 2))
        assert came == b"" and "powered" in problem

    play(form, scene)


def test_another_devices_address_is_not_answered_as_its_own():
    form = node()

    async def scene(_world, _opened):
        came, problem, _ = await exchange("127.0.0.1", form["port"], read_request(9, 3, 0, 2))
        told = problem or explain(came, Framing.RTU, True).problem
        assert "wrong bus address" in told or "refused" in told

    play(form, scene)


def test_health_tells_supply_clock_and_takes_a_configuration():
    form = node()

    async def scene(world, opened):
        bus = NodeBus("127.0.0.1", form["port"], 1, form["kind"])
        health = await bus.health(380, world.now)
        assert health["supply_v"] == pytest.approx(12.4) and health["firmware"] == "2.3" and health["config"] == 0
        assert abs(health["clock_offset_s"]) <= 1
        await bus.configure(380, 4, 20)
        opened.form["faults"] = ["clock wrong"]
        await turn(world, 1)
        health = await bus.health(380, world.now)
        assert health["config"] == 4 and health["clock_offset_s"] == pytest.approx(5400, abs=1)
        bus.close()

    play(form, scene)


def test_a_restart_begins_the_uptime_anew():
    form = node()

    async def scene(world, opened):
        await turn(world, 500)
        assert opened.uptime_s > 400
        await world.take({"beds": [BED], "nodes": [{**form, "faults": ["restarted"]}]})
        assert opened.uptime_s == 0

    play(form, scene)
