"""SIGKILL in the middle of a pulse: the valve closes at its time, no reading is lost or doubled, everything resumes."""

import itertools
import os
import signal
import time
from datetime import datetime

import pytest

pytestmark = pytest.mark.journey
VICTIMS = {"worker": "manage.py worker", "gateway": "-m gateway", "web": "uvicorn", "postgres": ""}


def until(condition, seconds, what):
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        try:
            found = condition()
        except Exception:
            found = None
        if found:
            return found
        time.sleep(0.2)
    raise AssertionError(f"not within {seconds} s: {what}")


def reading_times(stack, channel, since):
    import psycopg

    with psycopg.connect(stack.cluster.url) as connection:
        rows = connection.execute(
            "SELECT time FROM readings_reading WHERE channel_id = %s AND time > %s ORDER BY time", [channel, since]
        )
        return [r[0] for r in rows.fetchall()]


PUMP_HOUSE = 3
"""Place of the pump house among the stand-in's ports; the North pump is its first device."""


def start_pulse(stack, client, site, bed):
    """A dose by hand for the bed on the stand-in's first valve, once its guards let it."""

    def ordered():
        answer = client.post(f"/api/beds/{bed}/dose/")
        return answer.json() if answer.status_code == 201 else None

    pulse = until(ordered, 60, "a dose by hand is accepted")
    running = until(lambda: (s := stack.valve()).left_s > 0 and s, 30, "the valve is open")
    # The pump's command follows the valve's; a kill between the two gives a part of the dose, which is another story.
    until(lambda: stack.valve(offset=PUMP_HOUSE).left_s > 0 or stack.valve().left_s == 0, 30, "the pump runs")
    return pulse, running


@pytest.mark.parametrize("victim", VICTIMS)
def test_killed_in_the_middle_of_a_pulse(stack, victim):
    client = stack.client()
    site = client.get("/api/session/").json()["sites"][0]["id"]
    watch = client.get(f"/api/sites/{site}/watch/").json()
    bed = next(b["id"] for b in watch["beds"] if b["name"] == "1")
    nodes = client.get(f"/api/sites/{site}/nodes/").json()
    channel = next(
        c["id"] for n in nodes for c in n["channels"] if c["where"] == "bed 1, probe 1A" and c["quantity"] == "raw"
    )
    client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 60})
    since = watch["now"]
    pulse, running = start_pulse(stack, client, site, bed)

    pid = (
        int((stack.cluster.data / "postmaster.pid").read_text().splitlines()[0])
        if victim == "postgres"
        else stack.process(VICTIMS[victim])
    )
    os.kill(pid, signal.SIGKILL)

    closed = until(lambda: (s := stack.valve()).left_s == 0 and s, 30, "the valve closed by itself")
    assert closed.number == running.number
    assert closed.delivered_ml == pytest.approx(pulse["dose_ml"], rel=0.02)

    def resumed():
        return client.get(f"/api/sites/{site}/watch/").status_code == 200

    until(resumed, 60, "the server answers again")
    if victim != "postgres":
        until(lambda: stack.process(VICTIMS[victim]) not in (pid, None), 30, "the process was started again")

    def done():
        states = [p for p in client.get(f"/api/beds/{bed}/ribbon/").json()["pulses"] if p["state"] == "done"]
        return states and abs(states[-1]["delivered_ml"] - pulse["dose_ml"]) < 0.02 * pulse["dose_ml"]

    until(done, 60, "the pulse is confirmed with what it delivered")
    times = until(
        lambda: (t := reading_times(stack, channel, datetime.fromisoformat(since))) and len(t) > 8 and t,
        30,
        "readings come in",
    )
    assert len(times) == len(set(times))
    gaps = [(b - a).total_seconds() for a, b in itertools.pairwise(times)]
    # At 60x a poll a second is a minute of site time. While the gateway itself is dead nothing polls; whatever it had
    # read must be there, and whatever it read while others were dead must have come later.
    assert max(gaps) < (1200 if victim == "gateway" else 900)
    before = client.get(f"/api/sites/{site}/watch/").json()["now"]
    until(lambda: reading_times(stack, channel, datetime.fromisoformat(before)), 30, "readings go on")
    client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 1})
    client.close()
