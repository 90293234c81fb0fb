"""The gateway's loops and the stand-in's clock: what one trouble must not do to the rest."""

import asyncio
import logging
from datetime import UTC, datetime, timedelta

import httpx
import pytest

from gateway.queue import ReadingQueue
from gateway.run import Gateway
from gateway.server import Server, ServerAway, ServerRefused
from reedcore.probe import Place
from standin.serve import Clock, follow_server

from .test_nodes import FakeServer, command_row, gateway_for, new_world, run_nodes, turn


def test_a_paused_clock_polls_nothing(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path)
        server._config["rate"] = 0.0
        await gateway.renew_config()
        await gateway.poll_due_nodes()
        assert len(gateway.queue) == 0
        gateway.close()

    run_nodes(scene)


def test_readings_carry_the_sites_time_not_the_machines(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path)
        server._config |= {
            "anchor_site": "2026-06-18T09:00:00+00:00",
            "anchor_real": datetime.now(UTC).isoformat(),
            "rate": 60.0,
        }
        await gateway.renew_config()
        await gateway.poll_due_nodes()
        at = datetime.fromisoformat(gateway.queue.oldest(1)[0].time)
        assert timedelta(0) <= at - datetime(2026, 6, 18, 9, tzinfo=UTC) < timedelta(minutes=5)
        gateway.close()

    run_nodes(scene)


def test_one_command_that_is_refused_does_not_hold_the_next(tmp_path):
    async def scene(world, nodes):
        second = {**command_row(22), "coil": 1, "command_register": 210, "status_register": 310, "actuator": 2}
        server, gateway = gateway_for(nodes, tmp_path, [command_row(21), second])

        async def refuse_first(number, state, at, delivered_ml=None, note=""):
            if number == 21:
                raise ServerRefused("422")
            server.reports.append((number, state))

        server.report = refuse_first
        await gateway.renew_config()
        await gateway.carry_commands()
        await turn(world, nodes, 1)
        assert server.reports == [(22, "started")]
        assert world.beds["1"].valve.on and world.beds["2"].valve.on
        gateway.close()

    run_nodes(scene)


def test_a_node_that_moved_is_found_at_its_new_address(tmp_path):
    async def scene(world, nodes):
        server, gateway = gateway_for(nodes, tmp_path)
        await gateway.renew_config()
        first = gateway.buses[1][1]
        await gateway.renew_config()
        assert gateway.buses[1][1] is first
        server._config["nodes"][0]["port"] = nodes[1].port
        await gateway.renew_config()
        assert gateway.buses[1][1] is not first
        gateway.due.clear()
        await gateway.poll_due_nodes()
        assert len(gateway.queue) == 1
        gateway.close()

    run_nodes(scene)


def test_a_lasting_trouble_is_said_once_and_its_end_once(tmp_path, caplog):
    gateway = Gateway(FakeServer({}), ReadingQueue(tmp_path / "q.sqlite"))
    with caplog.at_level(logging.WARNING):
        for problem in ("away", "away", "away", "", ""):
            gateway._say("send_waiting", problem)
    assert [r.message for r in caplog.records] == ["send_waiting: away", "send_waiting: well again"]


ANSWERS = [(401, ServerAway, "token"), (422, ServerRefused, "422"), (503, ServerAway, "503")]


@pytest.mark.parametrize("status,kind,words", ANSWERS)
def test_the_servers_answers_are_told_apart(status, kind, words):
    async def ask():
        server = Server("http://server", "token")
        server._client = httpx.AsyncClient(
            base_url="http://server", transport=httpx.MockTransport(lambda _: httpx.Response(status, text="no"))
        )
        with pytest.raises(kind, match=words):
            await server.commands()
        await server.close()

    asyncio.run(ask())


def test_the_standin_follows_the_clock_and_the_bench_and_goes_on_alone(monkeypatch):
    world, said = new_world(), {"count": 0}

    def answer(_request):
        said["count"] += 1
        if said["count"] > 1:
            return httpx.Response(503)
        places = [{"bed": "6", "probe": 7, "place": "dry_mix"}]
        return httpx.Response(
            200,
            json={
                "anchor_real": datetime.now(UTC).isoformat(),
                "anchor_site": "2026-06-18T09:00:00+00:00",
                "rate": 60.0,
                "places": places,
            },
        )

    real = httpx.AsyncClient
    monkeypatch.setattr(
        httpx, "AsyncClient", lambda **k: real(base_url=k["base_url"], transport=httpx.MockTransport(answer))
    )
    monkeypatch.setattr("standin.serve.ASK_S", 0.01)

    async def scene():
        clock, stop = Clock(world.now), asyncio.Event()
        asking = asyncio.create_task(follow_server(world, clock, "http://server", "token", stop))
        while said["count"] < 4:
            await asyncio.sleep(0.01)
        stop.set()
        await asking
        return clock

    clock = asyncio.run(scene())
    assert world.beds["6"].place is Place.DRY_MIX and clock.rate == 60.0
    assert clock.now() > datetime(2026, 6, 18, 9, tzinfo=UTC)
