"""A gateway and the stand-in's real Modbus servers, with a server that can be taken away."""

import asyncio
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from gateway.bus import BusError, NodeBus
from gateway.queue import ReadingQueue
from gateway.run import Gateway
from gateway.server import ServerAway
from launcher.shell import free_port, free_port_row
from reedcore.probe import Place
from standin.holding import Holding
from standin.physics import Actuator, World
from standin.serve import build_nodes, keep_world, load_world

START = {"theta": 0.5, "salt": 30.0, "drain_ml": 0.0}


def new_world(theta=0.5):
    holding = Holding()
    record = {
        "end": holding.start.isoformat(),
        "tank_l": 2000.0,
        "beds": {b.name: {**START, "theta": theta} for b in holding.beds},
    }
    return World(holding, record)


async def opened(world, tries=5):
    """Nodes that listen; a port that another run took between looking and listening is left to it."""
    for attempt in range(tries):
        nodes = build_nodes(world.holding, world, free_port_row(4, 15000 + (os.getpid() * 7 + attempt * 97) % 12000))
        try:
            for node in nodes:
                await node.open()
            return nodes
        except RuntimeError:
            if attempt == tries - 1:
                raise
    return []


def run_nodes(scene):
    """Open the stand-in's nodes on free ports, run a scene, close them."""

    async def play():
        world = new_world()
        nodes = await opened(world)
        try:
            return await scene(world, nodes)
        finally:
            for node in nodes:
                await node.close()

    return asyncio.run(play())


async def turn(world, nodes, seconds):
    """One turn of the stand-in's loop."""
    for node in nodes:
        await node.take_commands()
    world.advance_to(world.now + timedelta(seconds=seconds))
    for node in nodes:
        await node.show()


def test_a_command_runs_for_its_seconds_and_ends_with_nobody_speaking_again():
    async def scene(world, nodes):
        node, pumps = nodes[0], nodes[3]
        valve, pump = NodeBus("127.0.0.1", node.port, 1), NodeBus("127.0.0.1", pumps.port, 1)
        before = world.beds["1"].water.theta
        await valve.command(0, 200, 7, 120.0)
        await pump.command(0, 200, 8, 120.0)
        valve.close(), pump.close()
        for _ in range(10):
            await turn(world, nodes, 30)
        assert not world.beds["1"].valve.on and not world.pumps["North pump"].on
        delivered = world.beds["1"].valve.delivered_ml
        assert delivered == pytest.approx((120 - 12) * 40.2 / 60, rel=0.001)
        assert world.beds["1"].water.theta - before == pytest.approx(delivered / 3750, abs=0.004)
        again = NodeBus("127.0.0.1", node.port, 1)
        status = await again.status(300)
        assert (status.number, status.left_s, status.delivered_ml) == (7, 0, round(delivered))
        again.close()

    run_nodes(scene)


def test_the_same_number_again_does_nothing():
    async def scene(world, nodes):
        bus = NodeBus("127.0.0.1", nodes[0].port, 1)
        await bus.command(0, 200, 7, 60.0)
        await turn(world, nodes, 90)
        await bus.command(0, 200, 7, 60.0)
        await turn(world, nodes, 1)
        assert world.beds["1"].valve.starts == 1 and not world.beds["1"].valve.on
        await bus.command(0, 200, 9, 60.0)
        await turn(world, nodes, 1)
        assert world.beds["1"].valve.starts == 2
        bus.close()

    run_nodes(scene)


def test_seconds_without_the_coil_open_nothing_and_coil_off_closes():
    async def scene(world, nodes):
        bus = NodeBus("127.0.0.1", nodes[0].port, 1)
        await bus._ask("write_registers", 200, [0, 5, 600])
        await turn(world, nodes, 1)
        assert not world.beds["1"].valve.on
        await bus.command(0, 200, 6, 60.0)
        await turn(world, nodes, 1)
        assert world.beds["1"].valve.on
        await bus.command(0, 200, 8, 0.0)
        await turn(world, nodes, 1)
        assert not world.beds["1"].valve.on
        bus.close()

    run_nodes(scene)


def test_a_dead_node_is_told_in_words():
    async def scene():
        bus = NodeBus("127.0.0.1", free_port(), 1)
        with pytest.raises(BusError, match="powered"):
            await bus.status(300)

    asyncio.run(scene())


class FakeServer:
    """The public API as a gateway sees it; `away` makes every call fail."""

    def __init__(self, config, commands=()):
        self._config, self._commands, self.away = config, list(commands), False
        self.kept, self.reports, self.lose_answer = {}, [], False

    def _here(self):
        if self.away:
            raise ServerAway("away")

    async def config(self):
        self._here()
        return self._config

    async def commands(self):
        self._here()
        return self._commands

    async def contact(self, contacts):
        self._here()

    async def report(self, number, state, at, delivered_ml=None, note=""):
        self._here()
        self.reports.append((number, state, delivered_ml))

    async def send_readings(self, rows):
        self._here()
        for r in rows:
            self.kept.setdefault((r["channel"], r["time"]), []).append(r["raw"])
        if self.lose_answer:
            raise ServerAway("answer lost")
        return {"kept": len(rows), "refused": []}


def gateway_for(nodes, folder, commands=()):
    registers = [{"channel": 1, "register": 0, "register_type": "uint16", "scale": 1.0, "offset": 0.0}]
    now = datetime.now(UTC).isoformat()
    config = {
        "site": 1,
        "anchor_real": now,
        "anchor_site": now,
        "rate": 1.0,
        "nodes": [
            {
                "id": 1,
                "name": "North 1",
                "host": "127.0.0.1",
                "port": nodes[0].port,
                "device_id": 1,
                "poll_s": 0.0,
                "registers": registers,
                "actuators": [],
            }
        ],
    }
    server = FakeServer(config, commands)
    return server, Gateway(server, ReadingQueue(Path(folder) / "q.sqlite"))


def test_readings_wait_while_the_server_is_away_and_come_later_without_loss_or_double(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path)
        await gateway.renew_config()
        server.away = True
        for _ in range(5):
            gateway.due.clear()
            await gateway.poll_due_nodes()
            await asyncio.sleep(0.002)
            with pytest.raises(ServerAway):
                await gateway.send_waiting()
        assert len(gateway.queue) == 5
        reborn = Gateway(server, ReadingQueue(tmp_path / "q.sqlite"))
        server.away, server.lose_answer = False, True
        with pytest.raises(ServerAway):
            await reborn.send_waiting()
        server.lose_answer = False
        await reborn.send_waiting()
        assert len(reborn.queue) == 0 and len(server.kept) == 5
        # The batch whose answer was lost came twice with the same keys: the server's (channel, time) makes it one.
        assert all(len(set(values)) == 1 for values in server.kept.values())
        gateway.close(), reborn.close()

    run_nodes(scene)


def command_row(number, seconds=60.0, state="queued", expires_s=300):
    expires = (datetime.now(UTC) + timedelta(seconds=expires_s)).isoformat()
    return {
        "number": number,
        "node": 1,
        "actuator": 1,
        "coil": 0,
        "command_register": 200,
        "status_register": 300,
        "seconds": seconds,
        "state": state,
        "expires_at": expires,
    }


def test_commands_are_carried_confirmed_and_never_run_twice(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path, [command_row(11)])
        await gateway.renew_config()
        await gateway.carry_commands()
        await turn(world, nodes, 1)
        # A gateway killed before its report comes back and finds the node already running number 11.
        await gateway.carry_commands()
        assert [r[:2] for r in server.reports] == [(11, "started"), (11, "started")]
        assert world.beds["1"].valve.starts == 1
        await turn(world, nodes, 90)
        await gateway.carry_commands()
        assert server.reports[-1][:2] == (11, "done") and server.reports[-1][2] is not None
        gateway.close()

    run_nodes(scene)


def test_a_late_command_is_not_carried(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path, [command_row(12, expires_s=-5)])
        await gateway.renew_config()
        await gateway.carry_commands()
        await turn(world, nodes, 1)
        assert server.reports == [] and not world.beds["1"].valve.on
        gateway.close()

    run_nodes(scene)


def test_the_world_is_kept_and_found_again(tmp_path):
    world = new_world()
    world.beds["3"].valve.command(4, 500)
    world.pumps["North pump"].command(5, 500)
    world.beds["6"].place = Place.DRY_MIX
    world.advance_to(world.now + timedelta(seconds=100))
    keep_world(world, tmp_path / "state.json")
    again = load_world(world.holding, tmp_path / "state.json", tmp_path / "none.json")
    assert again.now == world.now and again.tank_l == world.tank_l < 2000
    assert again.beds["3"].valve.left_s == pytest.approx(400) and again.beds["6"].place is Place.DRY_MIX
    assert again.beds["3"].water == world.beds["3"].water


def test_an_empty_tank_stops_the_pump_at_the_node_itself():
    world = new_world()
    world.tank_l, world.holding.definition["tank"]["refill_l_min"] = 1.0, 0.0
    world.beds["1"].valve.command(1, 600)
    world.pumps["North pump"].command(2, 600)
    world.advance_to(world.now + timedelta(seconds=120))
    assert world.tank_l == 0 and not world.pumps["North pump"].on
    world.holding.definition["tank"]["refill_l_min"] = 30


def test_a_shorter_order_does_not_cut_a_running_pump_short_and_zero_closes():
    pump = Actuator()
    pump.command(1, 300)
    pump.run(50)
    pump.command(2, 60)
    assert pump.left_s == 250
    pump.command(3, 0)
    assert not pump.on and pump.starts == 2


def test_a_probe_moved_on_the_bench_settles_in_seconds_and_back_again():
    world = new_world(theta=0.45)
    bed = world.beds["6"]
    bed.place = Place.DRY_MIX
    world.advance_to(world.now + timedelta(seconds=90))
    assert bed.seen == pytest.approx(bed.truth.medium.dry_mix_theta * bed.truth.probe.contact, abs=0.002)
    values = world.bed_values("6")
    assert values["raw"] > 30000 and 1 <= values["permittivity"] < 90


def test_a_clock_set_back_moves_nothing():
    world = new_world()
    before = world.beds["1"].water
    world.advance_to(world.now - timedelta(hours=1))
    assert world.beds["1"].water is before
