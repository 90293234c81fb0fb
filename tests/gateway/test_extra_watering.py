"""Stand-in nodes that people add: pulses, SDI-12, analogue inputs, posts and retiring."""

import os

import pytest

from gateway.bus import BusError, NodeBus, Sdi12Bus
from launcher.shell import free_port
from standin.extra_links import post_values

from .test_extra_nodes import BED, channel, node, play, read, register_of, turn

VALVE = {"coil": 0, "command_register": 200, "status_register": 300, "bed": 1, "pump": None}
PUMP = {"coil": 1, "command_register": 210, "status_register": 310, "bed": None, "pump": 7}


def watering(form, before=lambda opened: None):
    """Order 120 s of valve and pump; θ before and after, flow while running, status after."""

    async def scene(world, opened):
        before(opened)
        bus = NodeBus("127.0.0.1", form["port"], 1, form["kind"])
        theta = float(world.beds[1].water.theta)
        await bus.command(0, 200, 41, 120)
        await bus.command(1, 210, 42, 120)
        await turn(world, 30)
        flow = sum(world.flow.values())
        await turn(world, 200)
        status = await bus.status(300)
        bus.close()
        return theta, float(world.beds[1].water.theta), flow, status

    return play(form, scene)


def test_a_pulse_raises_the_water_and_ends_by_itself():
    theta, after, flow, status = watering(node(actuators=[VALVE, PUMP]))
    assert after > theta + 0.005
    assert flow == pytest.approx(35 * 180 / 1000, rel=0.05)
    assert status.number == 41 and status.left_s == 0 and status.delivered_ml == pytest.approx(70, abs=2)


def test_the_float_blocks_the_pump_at_the_node_itself():
    def float_down(opened):
        opened.form["faults"] = ["float down"]

    theta, after, flow, status = watering(node(actuators=[VALVE, PUMP]), float_down)
    assert flow == 0 and after <= theta and status.delivered_ml == 0


def test_a_number_is_run_once_and_zero_seconds_close_at_once():
    form = node(actuators=[VALVE, PUMP])

    async def scene(world, opened):
        bus = NodeBus("127.0.0.1", form["port"], 1, form["kind"])
        await bus.command(0, 200, 51, 60)
        await turn(world, 10)
        assert (await bus.status(300)).left_s == pytest.approx(50, abs=1)
        await bus.command(0, 200, 51, 60)
        await turn(world, 10)
        assert (await bus.status(300)).left_s == pytest.approx(40, abs=1)
        await bus.command(0, 200, 52, 0)
        await turn(world, 1)
        assert (await bus.status(300)).left_s == 0
        bus.close()

    play(form, scene)


def test_sdi12_values_come_in_the_order_of_their_registers():
    form = node("sdi12", channels=[channel(11, "raw", 8), channel(12, "bulk_ec", 10), channel(13, "medium_temp", 11)])

    async def scene(world, opened):
        bus = Sdi12Bus("127.0.0.1", form["port"], 1)
        registers = [{**register_of(c), "register": 8 + i} for i, c in enumerate(form["channels"])]
        values = await bus.read_channels(registers)
        assert values[11] == pytest.approx(27000 - 19000 * float(world.beds[1].water.theta), rel=0.01)
        assert values[13] == pytest.approx(20.5, abs=0.3)
        opened.form["faults"] = ["bad checksum"]
        with pytest.raises(BusError) as error:
            await bus.read_channels(registers)
        assert "byte" in str(error.value)

    play(form, scene)


def test_a_silent_sdi12_sensor_and_a_missing_bridge_are_told_apart():
    form = node("sdi12", faults=["unplugged"])

    async def scene(_world, _opened):
        with pytest.raises(BusError) as error:
            await Sdi12Bus("127.0.0.1", form["port"], 1).read_channels([register_of(form["channels"][0])])
        assert "did not answer" in str(error.value)
        with pytest.raises(BusError) as error:
            await Sdi12Bus("127.0.0.1", free_port(), 1).read_channels([register_of(form["channels"][0])])
        assert "bridge" in str(error.value)

    play(form, scene)


@pytest.mark.parametrize(
    ("kind", "settings", "wire"),
    [
        ("loop", {"low": 0, "high": 2000}, 4 + 16 * 640 / 2000),
        ("mv", {"low": 0, "high": 2000, "mv_low": 0, "mv_high": 3300}, 640 / 2000 * 3300),
        (
            "counts",
            {"low": 0, "high": 2000, "mv_low": 0, "mv_high": 3300, "bits": 12, "reference_mv": 3300},
            640 / 2000 * 4095,
        ),
    ],
)
def test_analogue_inputs_carry_what_the_wire_carries(kind, settings, wire):
    form = node(
        channels=[
            channel(11, "co2", 0, "co2", input=kind, input_settings=settings, scale=0.1 if kind != "loop" else 0.001)
        ]
    )

    async def scene(world, opened):
        assert (await read(form))[11] == pytest.approx(wire, rel=0.02)
        opened.form["faults"] = ["unplugged"]
        await turn(world, 1)
        if kind == "loop":
            assert (await read(form))[11] < 3.6

    play(form, scene)


class FakeClient:
    def __init__(self):
        self.posted = []

    async def post(self, path, json, headers):
        self.posted.append((path, json, headers["Authorization"]))
        return type("Answer", (), {"status_code": 200, "json": lambda _self: {"config": 9}})()


def test_a_posting_node_posts_by_its_interval_and_takes_the_configuration():
    form = node("http")

    async def scene(world, opened):
        client = FakeClient()
        for second in range(12):
            await post_values(opened, world, client, 100.0 + second, 1.0)
        assert len(client.posted) == 3  # every five seconds
        path, body, token = client.posted[0]
        assert (
            path == "/api/post/values/"
            and token == "Node t"
            and set(body["values"]) == {"dielectric-raw", "dielectric-medium_temp"}
        )
        assert body["health"]["firmware"] == "2.3" and opened.config == 9
        opened.form["faults"] = ["unplugged"]
        await post_values(opened, world, client, 200.0, 1.0)
        await post_values(opened, world, client, 300.0, 0.0)
        assert len(client.posted) == 3

    play(form, scene)


def test_a_retired_node_closes_its_port_and_a_new_sensor_appears():
    form = node()

    async def scene(world, opened):
        more = {**form, "channels": [*form["channels"], channel(14, "co2", 9, "co2")]}
        await world.take({"beds": [BED], "nodes": [more]})
        await turn(world, 1)
        assert (await read(more))[14] == pytest.approx(640, rel=0.05)
        await world.take({"beds": [], "nodes": []})
        assert world.nodes == {}
        with pytest.raises(BusError):
            await read(form)
        world.nodes[form["id"]] = opened
        opened.server = None

    play(form, scene)


def test_every_fault_the_server_offers_is_known_here():
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    django.setup()
    from pathlib import Path

    from fitting.building import FAULTS

    source = "".join(p.read_text() for p in Path("standin").glob("extra*.py"))
    assert [f for f in FAULTS if f'"{f}"' not in source] == []
