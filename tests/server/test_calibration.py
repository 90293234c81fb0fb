from datetime import timedelta

import numpy as np
import pytest

from calibration.models import CalibrationVersion, Capture
from calibration.queries import water_content_series
from readings.models import Reading

from .conftest import NOW, fields_of, send

pytestmark = pytest.mark.django_db


def steady(holding, raw, start, count=20, noise=20, slope=0.0):
    rng = np.random.default_rng(1)
    rows = [
        Reading(
            channel=holding.raw[0], time=start + timedelta(seconds=5 * i), raw=raw + slope * i + rng.normal(0, noise)
        )
        for i in range(count)
    ]
    Reading.objects.bulk_create(rows)
    holding.set_now(rows[-1].time)
    return rows[-1].time


def capture(client, holding, kind, theta):
    return send(client, "post", f"probes/{holding.raw[0].probe_id}/captures/", {"kind": kind, "theta": theta})


def publish(client, holding, number=1):
    return send(client, "post", f"probes/{holding.raw[0].probe_id}/calibrations/", {"number": number})


def both_points(client, holding, dry=0.06, wet=0.81, raw_dry=31000, raw_wet=22000):
    end = steady(holding, raw_dry, NOW)
    assert capture(client, holding, "dry", dry).status_code == 201
    steady(holding, raw_wet, end + timedelta(seconds=60))
    return capture(client, holding, "wet", wet)


def test_two_points_give_the_bed_its_water_content(holding, grower):
    bench = both_points(grower, holding).json()
    assert bench["result"]["raw_falls"] is True
    assert bench["result"]["slope_counts_per_point"] == pytest.approx(-120, rel=0.02)
    published = publish(grower, holding)
    assert published.status_code == 201 and published.json()["version"]["number"] == 1
    job = send(grower, "get", f"jobs/{published.json()['job']}/").json()
    assert (job["state"], job["done"], job["total"]) == ("waiting", 0, 2)
    version = CalibrationVersion.objects.get()
    assert version.number == 1 and version.published_by == holding.people["grower"]
    later = holding.site.demo_clock.anchor_site + timedelta(seconds=5)
    holding.set_now(later)
    holding.set_raw(0, 26500.0, later)
    after = send(grower, "get", f"probes/{holding.raw[0].probe_id}/bench/").json()
    assert after["theta"]["value"] == pytest.approx(43.5, abs=0.5) and after["water"]["unit"] == "L per plant"
    assert after["ml_per_point"]["value"] == pytest.approx(45)
    assert after["points"][0]["raw"] is None and len(after["versions"]) == 1


def test_capture_sleeps_while_the_reading_moves(holding, grower):
    steady(holding, 31000, NOW, slope=-300)
    answer = capture(grower, holding, "dry", 0.06)
    assert answer.status_code == 422 and "falling" in answer.json()["errors"][0]["value"]
    assert not Capture.objects.exists()


def test_readings_from_before_the_probe_was_moved_do_not_count(holding, grower):
    end = steady(holding, 31000, NOW)
    assert send(grower, "get", f"probes/{holding.raw[0].probe_id}/bench/").json()["steady"] is True
    send(grower, "post", f"demo/probes/{holding.raw[0].probe_id}/place/", {"place": "drained_mix"})
    bench = send(grower, "get", f"probes/{holding.raw[0].probe_id}/bench/").json()
    assert bench["steady"] is False and "readings" in bench["why"]
    steady(holding, 22000, end + timedelta(seconds=30))
    assert send(grower, "get", f"probes/{holding.raw[0].probe_id}/bench/").json()["steady"] is True


def test_a_probe_left_in_the_same_mix_is_told(holding, grower):
    answer = both_points(grower, holding, raw_wet=30900)
    assert answer.status_code == 422 and "same mix" in answer.json()["errors"][0]["expected"]


@pytest.mark.parametrize("dry,wet", [(0.81, 0.06), (0.5, 0.5)])
def test_swapped_or_equal_points_are_told_and_cannot_be_published(holding, grower, dry, wet):
    bench = both_points(grower, holding, dry, wet).json()
    assert bench["result"] is None and "swapped" in bench["problem"] and bench["problem_field"] == "theta_wet"
    answer = publish(grower, holding)
    assert answer.status_code == 422 and fields_of(answer) == ["theta_wet"]
    assert Capture.objects.filter(superseded=False).count() == 2


def test_publishing_needs_both_points_and_the_number_that_was_seen(holding, grower):
    answer = publish(grower, holding)
    assert fields_of(answer) == ["points"] and "dry mix" in answer.json()["errors"][0]["value"]
    both_points(grower, holding)
    assert publish(grower, holding).status_code == 201
    both_points_again = steady(holding, 31000, holding.site.demo_clock.anchor_site + timedelta(minutes=5))
    capture(grower, holding, "dry", 0.06)
    steady(holding, 22000, both_points_again + timedelta(minutes=2))
    capture(grower, holding, "wet", 0.81)
    second = publish(grower, holding, number=1)
    assert second.status_code == 422 and "someone published" in second.json()["errors"][0]["expected"]


def test_each_reading_is_converted_by_the_version_in_force_then(holding):
    holding.calibrate(0)
    first = CalibrationVersion.objects.get()
    second = CalibrationVersion(probe=first.probe, number=2, valid_from=NOW, slope=-1 / 10000, intercept=3.0)
    times = np.array([(NOW + timedelta(minutes=m)).timestamp() for m in (-5000, -10, 10)])
    theta = water_content_series(times, np.array([20000.0, 20000.0, 20000.0]), [second, first])
    assert np.isnan(theta[0]) and theta[1:] == pytest.approx([0.5, 1.0])


def test_water_content_of_a_capture_must_be_possible(holding, grower):
    steady(holding, 31000, NOW)
    assert fields_of(capture(grower, holding, "dry", 1.4)) == ["theta"]
