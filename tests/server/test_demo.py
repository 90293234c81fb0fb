"""The demo holding: deterministic, complete, on a clock of its own."""

import json
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from django.core.management import call_command

from calibration.models import CalibrationVersion
from common.clock import midnight_of, site_now
from demo.load import load_demo
from demo.models import DemoClock
from fitting.models import Node
from places.models import Bed, Site
from readings.models import Latest, Reading
from standin.history import HistoryMaker, write_history
from standin.holding import Holding
from watering.models import Decision, ProgrammeVersion, Pulse

from .conftest import NOW, fields_of, send

ROOT = Path(__file__).resolve().parent.parent.parent


@pytest.fixture(scope="module")
def history(tmp_path_factory):
    folder = tmp_path_factory.mktemp("history")
    write_history(Holding(), folder)
    return folder


@pytest.fixture
def demo(db, history, settings):
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    return load_demo(ROOT / "data" / "heron_quay_glass.json", history, 15000, "token")


def test_history_is_the_same_every_time(history, tmp_path):
    write_history(Holding(), tmp_path)
    first, second = np.load(history / "tracks.npz"), np.load(tmp_path / "tracks.npz")
    assert sorted(first.files) == sorted(second.files)
    for name in first.files:
        np.testing.assert_array_equal(first[name], second[name])
    assert json.loads((history / "history.json").read_text()) == json.loads((tmp_path / "history.json").read_text())


def test_history_closes_its_water(history):
    record = json.loads((history / "history.json").read_text())
    maker = HistoryMaker(Holding())
    for bed in maker.holding.beds:
        b = record["beds"][bed.name]
        assert 0.3 < b["theta"] < b["capacity"] and b["drain_ml"] >= 0
        share = b["drain_ml"] / sum(p["dose_ml"] for p in b["pulses"])
        assert 0.02 < share < 0.4, bed.name


def test_six_beds_with_fourteen_days_and_the_honest_trouble(demo):
    assert list(Bed.objects.filter(house__site=demo).values_list("name", flat=True)) == ["1", "2", "3", "4", "5", "6"]
    assert Reading.objects.count() > 800_000 and Latest.objects.count() > 40
    span = site_now(demo) - Reading.objects.earliest("time").time
    assert timedelta(days=13.9) < span < timedelta(days=15)
    assert Pulse.objects.count() > 500 and Decision.objects.filter(action="give").count() > 400
    provisional = CalibrationVersion.objects.get(provisional=True)
    assert provisional.channel.bed.name == "2" and provisional.method == "air_water"
    assert not CalibrationVersion.objects.filter(channel__probe__name="6B").exists()
    assert not ProgrammeVersion.objects.filter(bed__name="6").exists()
    assert Bed.objects.get(name="4").control.fault == "missed_target"


def test_the_silent_quarter_hour_of_a_node_is_a_gap(demo):
    channel = Bed.objects.get(name="3").channels.get(quantity="raw")
    start = datetime.fromisoformat("2026-06-15T13:12:00+01:00")
    assert not Reading.objects.filter(channel=channel, time__gte=start, time__lt=start + timedelta(minutes=14)).exists()
    assert Reading.objects.filter(channel=channel, time=start - timedelta(minutes=1)).exists()


def test_the_demo_begins_on_a_bright_june_morning(demo):
    local = demo.demo_clock.anchor_site.astimezone(Holding().zone)
    assert (local.month, local.day, local.hour, local.minute) == (6, 18, 9, 40)


def test_a_second_start_wakes_the_clock_where_it_stopped(demo, history, monkeypatch, capsys):
    monkeypatch.setenv("GATEWAY_TOKEN", "another-token")
    last = Latest.objects.order_by("-time").first().time
    call_command("demo", history=history, port_base=16000)
    assert "woken" in capsys.readouterr().out
    clock = DemoClock.objects.get()
    assert clock.anchor_site == last + timedelta(seconds=1) and Site.objects.count() == 1
    assert sorted(Node.objects.filter(kind="modbus_tcp").values_list("port", flat=True)) == [16000, 16001, 16002, 16003]


def test_site_time_runs_at_its_rate_and_a_real_site_has_the_real_clock(holding):
    clock = DemoClock.objects.get(site=holding.site)
    clock.rate = 60.0
    clock.save()
    site = Site.objects.get(pk=holding.site.pk)
    assert site_now(site, NOW + timedelta(seconds=10)) == NOW + timedelta(seconds=600)
    clock.delete()
    assert site_now(Site.objects.get(pk=site.pk), NOW) == NOW


def test_the_clock_takes_only_its_three_rates_and_keeps_its_moment(holding, grower):
    path = f"sites/{holding.site.pk}/demo/clock/"
    assert fields_of(send(grower, "post", path, {"rate": 7})) == ["rate"]
    before = site_now(Site.objects.get(pk=holding.site.pk))
    assert send(grower, "post", path, {"rate": 0}).status_code == 204
    assert abs(site_now(Site.objects.get(pk=holding.site.pk)) - before) < timedelta(seconds=1)


def test_a_real_site_has_no_demo_bar_and_no_bench_hands(holding, grower):
    DemoClock.objects.all().delete()
    assert send(grower, "post", f"sites/{holding.site.pk}/demo/clock/", {"rate": 1}).status_code == 404
    assert send(grower, "post", f"demo/probes/{holding.raw[0].probe_id}/place/", {"place": "air"}).status_code == 404
    assert send(grower, "get", f"sites/{holding.site.pk}/watch/").json()["demo"] is False


@pytest.mark.parametrize(
    "at,midnight",
    [
        ("2026-06-18T09:00:00+00:00", "2026-06-17T23:00:00+00:00"),
        ("2026-12-18T09:00:00+00:00", "2026-12-18T00:00:00+00:00"),
    ],
)
def test_midnight_follows_summer_time(at, midnight):
    assert midnight_of(datetime.fromisoformat(at), "Europe/London") == datetime.fromisoformat(midnight)
