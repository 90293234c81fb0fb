"""Watch in words: each state of a bed has a sentence, a next step and the stage where it is done."""

from datetime import timedelta

import pytest

from watering.forecast import measured_clearness, next_pulse_window, span_around
from watering.models import BedControl, Pulse
from watering.watch_words import say_site

from .conftest import NOW, form, raw_of, send

pytestmark = pytest.mark.django_db


class Said:
    def __init__(self, name, urgent=0, status="in_band", words="in its band", programme=1):
        self.name, self.urgent, self.status, self.status_words, self.programme = name, urgent, status, words, programme


SITE = [
    ([], "No beds yet. Lay out the first house and its beds."),
    ([Said("1"), Said("2", 1)], "All beds are as they should be."),
    (
        [Said("1"), Said("2", 3, "no_data", "no fresh reading")],
        "One bed needs you: bed 2 (no fresh reading). The other one is as it should be.",
    ),
    (
        [Said(str(i), 3, "uncalibrated", "probe not calibrated") for i in range(1, 9)]
        + [Said("9", 4, "fault", "fault")],
        "Nine beds need you: 1 with fault (bed 9); 8 with probe not calibrated (beds 1, 2, 3, 4 …).",
    ),
    ([Said("1", 2, programme=None)], "One bed needs you: bed 1 (no programme)."),
    (
        [Said("1"), Said("2"), Said("3", 4, "fault", "fault"), Said("4", 3, "no_data", "silent")],
        "Two beds need you: bed 3 (fault) and bed 4 (silent). The other two are as they should be.",
    ),
]


@pytest.mark.parametrize("beds,sentence", SITE, ids=range(len(SITE)))
def test_the_house_in_one_sentence(beds, sentence):
    assert say_site(beds) == sentence


@pytest.fixture
def bed(holding, grower):
    """Reads bed 1 of Watch after the holding was changed."""
    holding.set_tank(2000)

    def read():
        return send(grower, "get", f"sites/{holding.site.pk}/watch/").json()["beds"][0]

    return read


def publish(holding, grower):
    return send(grower, "post", f"beds/{holding.beds[0].pk}/programme/publish/", form())


def test_without_a_calibration_the_raw_count_is_shown_and_nothing_else(holding, grower, bed):
    holding.set_raw(0, 21000)
    seen = bed()
    assert seen["status"] == "uncalibrated" and seen["todo_stage"] == "calibrate" and "21000 counts" in seen["detail"]
    assert seen["theta"]["value"] is None and seen["raw"]["value"] == 21000 and seen["raw"]["unit"] == "counts"


def test_without_a_programme_one_is_offered(holding, grower, bed):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.74))
    seen = bed()
    assert "it has no programme" in seen["heading"] and seen["todo_stage"] == "water"


@pytest.mark.parametrize(
    "theta,status,words",
    [(0.70, "below", "2.0 points under"), (0.74, "in_band", "In its band"), (0.806, "above", "3.6 points above")],
)
def test_where_the_water_is_in_its_band(holding, grower, bed, theta, status, words):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(theta))
    publish(holding, grower)
    seen = bed()
    assert seen["status"] == status and words in seen["heading"]
    assert seen["water"]["value"] == pytest.approx(theta * 4.5) and seen["relative"]["unit"] == "%"


def test_a_silent_probe_is_told_with_its_time(holding, grower, bed):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.74), NOW - timedelta(minutes=40))
    publish(holding, grower)
    seen = bed()
    assert (
        seen["status"] == "no_data" and "No reading since 09:20" in seen["heading"] and seen["theta"]["value"] is None
    )


def test_a_running_pulse_is_told_with_its_seconds(holding, grower, bed):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.74))
    publish(holding, grower)
    Pulse.objects.create(
        bed=holding.beds[0], ordered_at=NOW - timedelta(seconds=60), seconds=251, dose_ml=140, state="running"
    )
    seen = bed()
    assert (
        seen["heading"] == "Being watered: 60 of 4 min." and seen["running_of_s"] == 251 and seen["pulses_today"] == 1
    )


def test_stopped_and_fault_come_first_and_have_no_next_pulse(holding, grower, bed):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.74))
    publish(holding, grower)
    BedControl.objects.update_or_create(bed=holding.beds[0], defaults={"stopped": True})
    assert bed()["status"] == "stopped"
    BedControl.objects.update(fault="missed_target", tries=8)
    seen = bed()
    assert seen["status"] == "fault" and seen["urgent"] == 4 and seen["next_from"] is None


def test_a_ribbon_day_runs_from_sunset_to_sunset(holding):
    morning, evening = span_around(holding.site, NOW), span_around(holding.site, NOW + timedelta(hours=12, minutes=30))
    assert morning.start < NOW < morning.end == evening.start
    assert 1430 < morning.minutes < 1450


def test_without_a_light_sensor_the_forecast_takes_a_usual_sky(holding):
    assert measured_clearness(holding.house, NOW) == 0.8
    assert next_pulse_window(None, NOW) is None
