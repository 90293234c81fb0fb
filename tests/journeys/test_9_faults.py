"""The fault matrix against the running system: what is not a kill of the server's own processes (those are in test_3_kills)."""

import os
import signal
import subprocess
import time
from collections import Counter

import psycopg
import pytest

from launcher.shell import PYTHON, ROOT

from .test_3_kills import start_pulse, until

pytestmark = pytest.mark.journey


def rows(stack, query, *values):
    with psycopg.connect(stack.cluster.url) as connection:
        return connection.execute(query, values).fetchall()


@pytest.fixture
def fast(stack):
    """A client with the demo at 60x, and back at 1x afterwards."""
    client = stack.client()
    site = client.get("/api/session/").json()["sites"][0]["id"]
    client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 60})
    yield client, site
    client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 1})
    client.close()


def bed_named(client, site, name):
    return next(b["id"] for b in client.get(f"/api/sites/{site}/watch/").json()["beds"] if b["name"] == name)


def test_a_node_that_goes_away_in_a_pulse_never_gives_more_than_was_ordered(stack, fast):
    """The stand-in's process holds every node: killed, the network to all of them is cut; started again, all have restarted."""
    client, site = fast
    bed = bed_named(client, site, "1")
    pulse, _ = start_pulse(stack, client, site, bed)
    pid = stack.process("-m standin")
    os.kill(pid, signal.SIGKILL)
    until(lambda: stack.process("-m standin") not in (pid, None), 60, "the nodes are there again")
    until(lambda: stack.valve().left_s == 0, 90, "the valve is shut")
    assert stack.valve().delivered_ml <= pulse["dose_ml"] * 1.02
    until(
        lambda: client.get(f"/api/beds/{bed}/ribbon/").json()["pulses"][-1]["state"] not in ("ordered", "running"),
        90,
        "the pulse has an end in the record",
    )
    newest = client.get(f"/api/sites/{site}/watch/").json()["now"]
    until(lambda: rows(stack, "SELECT 1 FROM readings_reading WHERE time > %s LIMIT 1", newest), 60, "readings go on")


def test_two_workers_decide_once_a_tick_and_never_overfeed_a_pump(stack, fast):
    _, _ = fast
    second = subprocess.Popen(
        [str(PYTHON), str(ROOT / "server" / "manage.py"), "worker"],
        env=stack.running.env,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        began = rows(stack, "SELECT max(last_tick) FROM watering_controlclock")[0][0]
        until(
            lambda: (
                (rows(stack, "SELECT max(last_tick) FROM watering_controlclock")[0][0] - began).total_seconds() > 1500
            ),
            120,
            "25 minutes of the site",
        )
        assert second.poll() is None
        made = rows(stack, "SELECT bed_id, tick_at FROM watering_decision WHERE tick_at > %s", began)
        assert max(Counter(made).values(), default=1) == 1
        pulses = rows(
            stack, "SELECT bed_id, ordered_at FROM watering_pulse WHERE ordered_at > %s AND by_id IS NULL", began
        )
        minutes = Counter((b, at.replace(second=0, microsecond=0)) for b, at in pulses)
        assert max(minutes.values(), default=1) == 1
    finally:
        second.terminate()
        second.wait(30)


def test_a_clock_moved_back_withholds_until_it_is_past_and_kills_nothing(stack, fast):
    client, site = fast
    bed = bed_named(client, site, "1")
    start_pulse(stack, client, site, bed)
    count = rows(stack, "SELECT count(*) FROM watering_pulse")[0][0]
    worker = stack.process("manage.py worker")
    with psycopg.connect(stack.cluster.url) as connection:
        connection.execute(
            "UPDATE demo_democlock SET anchor_site = anchor_site - interval '40 minutes' WHERE site_id = %s", [site]
        )
    told = until(
        lambda: (
            rows(stack, "SELECT why FROM watering_decision WHERE bed_id = %s ORDER BY id DESC LIMIT 1", bed)[0][0]
            == "clock"
        ),
        40,
        "the clock is named",
    )
    assert told and stack.process("manage.py worker") == worker
    time.sleep(3)
    ordered = rows(stack, "SELECT count(*) FROM watering_pulse WHERE bed_id = %s", bed)[0][0]
    assert rows(stack, "SELECT count(*) FROM watering_pulse")[0][0] >= count and ordered >= 1
    with psycopg.connect(stack.cluster.url) as connection:
        connection.execute(
            "UPDATE demo_democlock SET anchor_site = anchor_site + interval '40 minutes' WHERE site_id = %s", [site]
        )
    until(
        lambda: (
            rows(stack, "SELECT why FROM watering_decision WHERE bed_id = %s ORDER BY id DESC LIMIT 1", bed)[0][0]
            != "clock"
        ),
        60,
        "control goes on",
    )
