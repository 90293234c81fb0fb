"""Day figures from the record, and the background job that carries its progress."""

from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest

from common.models import Job
from fitting.models import Channel
from readings.models import Reading
from watering.days import renew_day
from watering.models import DayFigure, Pulse
from watering.ribbon import drops_of
from watering.tasks import order_day_figures, renew_day_figures

from .conftest import NOW, raw_of, send

pytestmark = pytest.mark.django_db
DAY = date(2026, 6, 17)
START = datetime(2026, 6, 16, 23, 0, tzinfo=UTC)  # midnight in London in summer


@pytest.fixture
def recorded(holding):
    """A day at five-minute readings: falls 3 points through the night, peaks at 80 %, 40 mL of drain, even light."""
    holding.calibrate(0)
    drain = Channel.objects.create(node=holding.node, quantity="drain", bed=holding.beds[0])
    light = Channel.objects.create(node=holding.node, quantity="radiation", house=holding.house)
    rows = []
    for i in range(288):
        at = START + timedelta(minutes=5 * i, seconds=30)
        theta = 0.75 - 0.03 * min(1.0, i / 55) + (0.08 if 150 < i < 160 else 0.0)
        rows += [
            Reading(channel=holding.raw[0], time=at, raw=raw_of(theta)),
            Reading(channel=drain, time=at, raw=1000.0 + (40.0 if i > 160 else 0.0)),
            Reading(channel=light, time=at, raw=200.0),
        ]
    Reading.objects.bulk_create(rows)
    for i, state in enumerate(("done", "done", "not_given")):
        Pulse.objects.create(
            bed=holding.beds[0], ordered_at=START + timedelta(hours=9 + i), seconds=250, dose_ml=140, state=state
        )
    return holding


def test_day_figures_of_a_known_day(recorded):
    figure = renew_day(recorded.beds[0], DAY)
    assert (figure.pulses, figure.dose_ml) == (2, 280)
    assert figure.peak == pytest.approx(0.80, abs=0.001)
    assert figure.lowest == pytest.approx(0.72, abs=0.001)
    assert figure.night_fall_points == pytest.approx(2.8, abs=0.3)
    assert figure.drain_ml == pytest.approx(40)
    assert figure.light_sum_j_cm2 == pytest.approx(200 * 86400 / 1e4, rel=0.001)


def test_worked_out_twice_it_stays_one_figure(recorded):
    renew_day(recorded.beds[0], DAY)
    renew_day(recorded.beds[0], DAY)
    assert DayFigure.objects.count() == 1


def test_a_day_without_record_has_no_figure(recorded):
    assert renew_day(recorded.beds[0], date(2026, 1, 1)) is None
    assert renew_day(recorded.beds[1], DAY).peak is None


def test_a_day_half_missing_has_no_light_sum(recorded):
    Reading.objects.filter(channel__quantity="radiation", time__gt=START + timedelta(hours=12)).delete()
    assert renew_day(recorded.beds[0], DAY).light_sum_j_cm2 is None


def test_the_job_tells_how_far_it_is_and_ends(recorded, grower):
    job = order_day_figures(recorded.beds[0], None, days=3)
    assert Job.objects.get().state == "waiting"
    renew_day_figures(job_id=job.pk, bed_id=recorded.beds[0].pk, today="2026-06-18", days=3)
    told = send(grower, "get", f"jobs/{job.pk}/").json()
    assert (told["state"], told["done"], told["total"]) == ("done", 3, 3) and told["finished_at"]
    shown = send(grower, "get", f"beds/{recorded.beds[0].pk}/days/").json()
    assert [d["day"] for d in shown] == ["2026-06-17"] and shown[0]["drain_share"] == pytest.approx(40 / 280)


def test_a_job_that_fails_says_why(recorded, monkeypatch):
    monkeypatch.setattr("watering.tasks.renew_day", lambda *_: 1 / 0)
    job = order_day_figures(recorded.beds[0], None, days=1)
    with pytest.raises(ZeroDivisionError):
        renew_day_figures(job_id=job.pk, bed_id=recorded.beds[0].pk, today="2026-06-18", days=1)
    job.refresh_from_db()
    assert job.state == "failed" and "division" in job.message


def test_drops_come_from_a_counter_that_may_restart():
    step = timedelta(minutes=5)
    drops = drops_of(np.array([np.nan, 10.0, 10.2, 25.0, np.nan, 3.0, 3.1, 9.0]), NOW, step)
    assert [round(d.ml, 1) for d in drops] == [14.8, 3.0, 5.9]
    assert drops[0].at == NOW + 3.5 * step
