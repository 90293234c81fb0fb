"""Commands on their way: numbered, bounded in time, told twice without harm."""

from datetime import timedelta

import pytest
from django.test import Client

from watering.control import COMMAND_LIFE_S, tick
from watering.models import BedControl, Command, Pulse

from .conftest import NOW, node_headers, send
from .test_watering import dry  # noqa: F401  a fixture

pytestmark = pytest.mark.django_db


def carried(holding):
    return send(Client(), "get", "gateway/commands/", **node_headers(holding, gateway=True)).json()


def report(holding, number, state, at=NOW, **more):
    return send(
        Client(),
        "post",
        f"gateway/commands/{number}/report/",
        {"state": state, "at": at.isoformat(), **more},
        **node_headers(holding, gateway=True),
    )


@pytest.fixture
def ordered(dry):  # noqa: F811
    tick(dry.site, NOW)
    return dry


def test_the_gateway_is_told_number_seconds_and_registers(ordered):
    valve = carried(ordered)[0]
    assert valve["seconds"] == pytest.approx(251.3, abs=0.1) and valve["state"] == "queued"
    assert (valve["coil"], valve["command_register"], valve["status_register"]) == (0, 200, 300)


def test_started_then_done_is_kept_once(ordered):
    number = carried(ordered)[0]["number"]
    start, end = NOW + timedelta(seconds=5), NOW + timedelta(seconds=256)
    for _ in range(2):
        assert report(ordered, number, "started", start).status_code == 204
    assert Pulse.objects.get().state == "running"
    assert BedControl.objects.get().last_pulse_end == pytest.approx(
        start + timedelta(seconds=251.3), abs=timedelta(seconds=1)
    )
    for delivered in (139.0, 5.0):
        report(ordered, number, "done", end, delivered_ml=delivered)
    pulse = Pulse.objects.get()
    assert (pulse.state, pulse.delivered_ml, pulse.started_at, pulse.ended_at) == ("done", 139.0, start, end)


def test_done_without_started_counts_as_given(ordered):
    report(ordered, carried(ordered)[0]["number"], "done", delivered_ml=140)
    assert Pulse.objects.get().state == "done"


def test_what_no_node_started_in_time_is_void_and_given_back(ordered):
    ordered.set_now(NOW + timedelta(seconds=COMMAND_LIFE_S + 1))
    assert carried(ordered) == []
    assert Pulse.objects.get().state == "not_given"
    assert BedControl.objects.get().given_today_ml == 0
    assert set(Command.objects.values_list("state", flat=True)) == {"expired"}
    slip = send(Client(), "get", f"sites/{ordered.site.pk}/slip/")
    assert slip.status_code == 401


def test_a_refusal_by_the_node_gives_the_dose_back(ordered):
    report(ordered, carried(ordered)[0]["number"], "refused", note="coil is locked")
    assert Pulse.objects.get().state == "not_given" and Command.objects.order_by("pk")[0].note == "coil is locked"


def test_a_start_that_nobody_saw_end_is_closed_as_unconfirmed(ordered):
    for command in carried(ordered):
        report(ordered, command["number"], "started")
    ordered.set_now(NOW + timedelta(hours=2))
    assert carried(ordered) == []
    assert Pulse.objects.get().state == "unconfirmed"


def test_an_unknown_number_is_told(ordered):
    answer = report(ordered, 10**6, "done")
    assert answer.status_code == 422 and answer.json()["errors"][0]["field"] == "number"
