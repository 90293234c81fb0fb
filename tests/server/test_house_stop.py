"""Emergency stop of a house: everything closes and stays closed until a person resumes it."""

from datetime import timedelta

import pytest

from logbook.models import AuditLine
from places.models import Bed, House
from watering.control import tick
from watering.models import BedControl, Command, Decision, ProgrammeVersion, Pulse

from .conftest import BED, NOW, PROGRAMME, fields_of, raw_of, send

pytestmark = pytest.mark.django_db


@pytest.fixture
def thirsty(holding):
    """Two beds under their low with programmes, so that a tick waters the first."""
    holding.set_tank(2000)
    for i in range(2):
        holding.calibrate(i)
        holding.set_raw(i, raw_of(0.66))
        ProgrammeVersion.objects.create(
            bed=holding.beds[i], number=1, published_at=NOW, published_by=holding.people["owner"], **PROGRAMME
        )
    return holding


def test_all_closes_at_once_and_nothing_is_given_until_it_is_resumed(thirsty, grower):
    tick(thirsty.site, NOW)
    assert Pulse.objects.filter(state="ordered").exists()
    answer = send(grower, "post", f"houses/{thirsty.house.pk}/stop/")
    assert answer.status_code == 200 and answer.json()["beds"] == 2
    assert not Pulse.objects.filter(state="ordered").exists()
    assert not Command.objects.filter(state="queued", seconds__gt=0).exists()
    closing = Command.objects.filter(state="queued", seconds=0)
    assert {c.actuator.kind for c in closing} == {"valve", "pump"} and closing.count() >= 3
    later = NOW + timedelta(minutes=1)
    for i in range(2):
        thirsty.set_raw(i, raw_of(0.66), later)
    tick(thirsty.site, later)
    assert set(Decision.objects.filter(tick_at__gt=NOW).values_list("why", flat=True)) == {"stopped"}
    watch = send(grower, "get", f"sites/{thirsty.site.pk}/watch/").json()
    assert [b["status"] for b in watch["beds"]] == ["stopped", "stopped"]
    assert send(grower, "post", f"houses/{thirsty.house.pk}/resume/").json()["beds"] == 2
    again = NOW + timedelta(minutes=2)
    for i in range(2):
        thirsty.set_raw(i, raw_of(0.66), again)
    tick(thirsty.site, again)
    assert Pulse.objects.filter(state="ordered").exists()


def test_it_leaves_a_line_for_the_house_and_other_houses_alone(thirsty, grower):
    other = House.objects.create(site=thirsty.site, name="House South", order=2)
    bed = Bed.objects.create(house=other, pump=thirsty.beds[0].pump, order=0, name="9", **BED)
    send(grower, "post", f"houses/{thirsty.house.pk}/stop/")
    assert not BedControl.objects.filter(bed=bed, stopped=True).exists()
    line = AuditLine.objects.get(action="emergency stop of House North")
    assert line.by == thirsty.people["grower"] and line.after["beds"] == ["1", "2"]


def test_a_pump_that_waters_another_house_goes_on(thirsty, grower):
    other = House.objects.create(site=thirsty.site, name="House South", order=2)
    bed = Bed.objects.create(house=other, pump=thirsty.beds[0].pump, order=0, name="9", **BED)
    BedControl.objects.create(bed=bed, last_pulse_end=thirsty.site.demo_clock.anchor_site + timedelta(minutes=3))
    send(grower, "post", f"houses/{thirsty.house.pk}/stop/")
    assert {c.actuator.kind for c in Command.objects.filter(seconds=0)} == {"valve"}


def test_a_house_without_stopped_beds_cannot_be_resumed(holding, grower):
    assert fields_of(send(grower, "post", f"houses/{holding.house.pk}/resume/")) == ["house"]
