"""The bench: captures, methods, publishing, versions in force, certificates, batches."""

from datetime import timedelta

import numpy as np
import pytest

from calibration.models import BenchSession, CalibrationVersion, Capture, HourValue
from calibration.queries import water_content_series
from calibration.tasks import recompute_channel
from common.models import Job
from fitting.models import Actuator, Channel, Node
from readings.models import Latest, Reading
from watering.models import ProgrammeVersion

from .conftest import NOW, PROGRAMME, fields_of, send, straight_line

pytestmark = pytest.mark.django_db


def steady(holding, raw, start, count=20, noise=20, slope=0.0, channel=None):
    rng = np.random.default_rng(1)
    rows = [
        Reading(
            channel=channel or holding.raw[0],
            time=start + timedelta(seconds=5 * i),
            raw=raw + slope * i + rng.normal(0, noise),
        )
        for i in range(count)
    ]
    Reading.objects.bulk_create(rows)
    holding.set_now(rows[-1].time)
    return rows[-1].time


def capture(client, holding, kind, theta=None, channel=None, method="two_point", **more):
    path = f"channels/{(channel or holding.raw[0]).pk}/captures/"
    return send(client, "post", path, {"method": method, "kind": kind, "theta": theta, **more})


def publish(client, holding, number=1, channel=None, method="two_point", **more):
    path = f"channels/{(channel or holding.raw[0]).pk}/calibrations/"
    return send(client, "post", path, {"method": method, "number": number, **more})


def bench_of(client, holding, channel=None, query=""):
    return send(client, "get", f"channels/{(channel or holding.raw[0]).pk}/bench/{query}").json()


def both_points(client, holding, dry=0.06, wet=0.81, raw_dry=31000, raw_wet=22000):
    end = steady(holding, raw_dry, NOW)
    assert capture(client, holding, "dry", dry).status_code == 201
    steady(holding, raw_wet, end + timedelta(seconds=60))
    return capture(client, holding, "wet", wet)


def other_channel(holding, quantity, **more):
    return Channel.objects.create(node=holding.node, quantity=quantity, bed=holding.beds[0], register=70, **more)


def test_two_points_give_the_bed_its_water_content(holding, grower):
    bench = both_points(grower, holding).json()
    assert bench["draft"]["words"].startswith("Raw falls as water rises; one point of water is 120 counts")
    assert bench["draft"]["resolution"] == pytest.approx(2 * 20 / 120, rel=0.6) and bench["next_number"] == 1
    published = publish(grower, holding)
    assert published.status_code == 201 and published.json()["version"]["number"] == 1
    job = send(grower, "get", f"jobs/{published.json()['days_job']}/").json()
    assert (job["state"], job["done"], job["total"]) == ("waiting", 0, 2)
    version = CalibrationVersion.objects.get()
    assert version.number == 1 and version.published_by == holding.people["grower"] and version.gives == "theta"
    later = holding.site.demo_clock.anchor_site + timedelta(seconds=5)
    holding.set_now(later)
    holding.set_raw(0, 26500.0, later)
    after = bench_of(grower, holding)
    assert after["value"]["value"] == pytest.approx(43.5, abs=0.5) and after["water"]["unit"] == "L per plant"
    assert after["value"]["formula"] == "two_point" and "calibration 1" in after["value"]["source"]
    assert after["ml_per_point"]["value"] == pytest.approx(45)
    assert after["cards"][0]["points"] == [] and len(after["versions"]) == 1


def test_capture_sleeps_while_the_reading_moves(holding, grower):
    steady(holding, 31000, NOW, slope=-300)
    answer = capture(grower, holding, "dry", 0.06)
    assert answer.status_code == 422 and "falling" in answer.json()["errors"][0]["value"]
    assert not Capture.objects.exists() and not BenchSession.objects.exists()


def test_readings_from_before_the_probe_was_moved_do_not_count(holding, grower):
    end = steady(holding, 31000, NOW)
    assert bench_of(grower, holding)["live"]["steady"] is True
    send(grower, "post", f"demo/probes/{holding.raw[0].probe_id}/place/", {"place": "drained_mix"})
    live = bench_of(grower, holding)["live"]
    assert live["steady"] is False and "readings" in live["why"]
    steady(holding, 22000, end + timedelta(seconds=30))
    assert bench_of(grower, holding)["live"]["steady"] is True


def test_a_probe_left_in_the_same_mix_is_told(holding, grower):
    answer = both_points(grower, holding, raw_wet=30900)
    assert answer.status_code == 422 and "same mix" in answer.json()["errors"][0]["expected"]


@pytest.mark.parametrize("dry,wet", [(0.81, 0.06), (0.5, 0.5)])
def test_swapped_or_equal_points_are_told_and_cannot_be_published(holding, grower, dry, wet):
    bench = both_points(grower, holding, dry, wet).json()
    assert bench["draft"] is None and "swapped" in bench["problem"] and bench["problem_field"] == "theta_wet"
    answer = publish(grower, holding)
    assert answer.status_code == 422 and fields_of(answer) == ["theta_wet"]
    assert Capture.objects.filter(superseded=False).count() == 2


def test_publishing_needs_both_points_and_the_number_that_was_seen(holding, grower):
    answer = publish(grower, holding)
    assert fields_of(answer) == ["points"] and "dry mix" in answer.json()["errors"][0]["value"]
    both_points(grower, holding)
    assert publish(grower, holding).status_code == 201
    again = steady(holding, 31000, holding.site.demo_clock.anchor_site + timedelta(minutes=5))
    capture(grower, holding, "dry", 0.06)
    steady(holding, 22000, again + timedelta(minutes=2))
    capture(grower, holding, "wet", 0.81)
    second = publish(grower, holding, number=1)
    assert second.status_code == 422 and "someone published" in second.json()["errors"][0]["expected"]


def test_a_bench_is_gone_on_with_on_another_device(holding, grower, client_of):
    steady(holding, 31000, NOW)
    capture(grower, holding, "dry", 0.06)
    other = bench_of(client_of("owner"), holding)
    assert other["method"]["code"] == "two_point" and other["cards"][0]["points"][0]["reference"] == 0.06


def test_air_and_water_are_provisional_and_say_why(holding, grower):
    end = steady(holding, 31000, NOW)
    capture(grower, holding, "dry", method="air_water")
    steady(holding, 12000, end + timedelta(seconds=60))
    bench = capture(grower, holding, "wet", method="air_water").json()
    assert bench["draft"]["provisional"] is True and "stretches the span" in bench["method"]["why"]
    assert publish(grower, holding, method="air_water").status_code == 201
    holding.set_raw(0, 12000, holding.site.demo_clock.anchor_site)
    row = next(
        r for r in send(grower, "get", f"sites/{holding.site.pk}/calibrate/").json() if r["id"] == holding.raw[0].pk
    )
    assert (
        row["provisional"]
        and "provisional" in row["value"]["source"]
        and row["due_in_days"] == pytest.approx(14, abs=0.1)
    )


def test_each_reading_is_converted_by_the_version_in_force_then(holding):
    holding.calibrate(0)
    by = holding.people["owner"]
    first = CalibrationVersion.objects.get()
    second = CalibrationVersion(
        **straight_line(holding.raw[0], by, number=2, valid_from=NOW, coefficients=[3.0, -1e-4])
    )
    times = np.array([(NOW + timedelta(minutes=m)).timestamp() for m in (-5000, -10, 10)])
    theta = water_content_series(times, np.array([20000.0, 20000.0, 20000.0]), [second, first])
    assert np.isnan(theta[0]) and theta[1:] == pytest.approx([0.5, 1.0])


def test_a_version_from_a_past_moment_takes_over_what_came_later(holding):
    holding.calibrate(0)
    by = holding.people["owner"]
    middle = CalibrationVersion(
        **straight_line(holding.raw[0], by, number=2, valid_from=NOW - timedelta(hours=5), coefficients=[2.0, -1e-4])
    )
    last = CalibrationVersion(
        **straight_line(holding.raw[0], by, number=3, valid_from=NOW - timedelta(hours=9), coefficients=[3.0, -1e-4])
    )
    times = np.array([(NOW - timedelta(hours=h)).timestamp() for h in (20, 8, 1)])
    theta = water_content_series(times, np.full(3, 20000.0), [last, CalibrationVersion.objects.get(), middle])
    assert theta == pytest.approx([0.5, 1.0, 1.0])


def test_water_content_of_a_capture_must_be_possible(holding, grower):
    steady(holding, 31000, NOW)
    assert fields_of(capture(grower, holding, "dry", 1.4)) == ["theta"]
    assert fields_of(capture(grower, holding, "dry")) == ["theta"]
    assert fields_of(capture(grower, holding, "middle", 0.3)) == ["kind"]


def weigh_series(client, holding, masses=(880, 1290, 1700, 2110, 2520), bend=0.0):
    path = f"channels/{holding.raw[0].pk}/bench/settings/"
    settings = {"container_g": 340, "dry_g": 500, "volume_l": 4, "temp_c": 20}
    assert send(client, "put", path, {"method": "weighed", "settings": settings}).status_code == 200
    at, answer = NOW, None
    for mass in masses:
        theta = (mass - 840) / 1000 / 4
        at = steady(holding, 30000 - 20000 * (theta + bend * theta * (1 - theta)), at + timedelta(seconds=60))
        answer = capture(client, holding, "mass", method="weighed", mass_g=mass)
        assert answer.status_code == 201, answer.content
    return answer.json()


def test_a_weighed_series_compares_forms_and_explains_the_choice(holding, grower):
    bench = weigh_series(grower, holding)
    assert (
        bench["draft"]["form"] == "linear"
        and bench["draft"]["rmse"] < 0.002
        and "left-out point" in bench["draft"]["words"]
    )
    assert {f["form"] for f in bench["draft"]["fits"]} == {"linear", "root", "quadratic"}
    assert len(bench["draft"]["band_low"]) == len(bench["draft"]["x"])
    bent = bench_of(grower, holding, query="?method=weighed&form=quadratic")
    assert bent["draft"]["form"] == "quadratic" and bent["draft"]["words"].startswith("Chosen by hand")
    published = publish(grower, holding, method="weighed", form="quadratic").json()["version"]
    assert (
        published["form"] == "quadratic"
        and len(published["points"]) == 5
        and published["points"][0]["inputs"]["mass_g"] == 880
    )


def test_a_bent_probe_gets_the_bent_curve(holding, grower):
    assert weigh_series(grower, holding, bend=0.2)["draft"]["form"] == "quadratic"


def test_masses_that_cannot_be_are_told_at_the_field(holding, grower):
    steady(holding, 25000, NOW)
    first = capture(grower, holding, "mass", method="weighed", mass_g=1500)
    assert fields_of(first) == ["container_g"] and "before the first weighing" in first.json()["errors"][0]["expected"]
    settings = {"container_g": 340, "dry_g": 500, "volume_l": 4}
    path = f"channels/{holding.raw[0].pk}/bench/settings/"
    send(grower, "put", path, {"method": "weighed", "settings": settings})
    light, heavy = (capture(grower, holding, "mass", method="weighed", mass_g=m) for m in (700, 9000))
    assert fields_of(light) == ["mass_g"] and "840 g" in light.json()["errors"][0]["expected"]
    assert fields_of(heavy) == ["mass_g"]
    assert fields_of(send(grower, "put", path, {"method": "weighed", "settings": {"volume_l": 0}})) == ["volume_l"]


def test_a_point_in_another_state_is_refused_and_can_be_left_out(holding, grower):
    weigh_series(grower, holding, masses=(880, 1500, 2520))
    at = steady(holding, 15000, holding.site.demo_clock.anchor_site + timedelta(seconds=60))
    bad = capture(grower, holding, "mass", method="weighed", mass_g=1000).json()
    assert bad["draft"] is None or bad["draft"]["loo_rmse"] > 0.05
    point = bad["cards"][0]["points"][-1]
    assert send(grower, "post", f"captures/{point['id']}/drop/").status_code == 204
    assert bench_of(grower, holding)["draft"]["rmse"] < 0.005 and at


def test_standards_at_their_temperature_correct_a_cell(holding, grower):
    ec = other_channel(holding, "feed_ec")
    steady(holding, 1.25, NOW, noise=0.002, channel=ec)
    cold = capture(grower, holding, "standard", channel=ec, method="ec_standards", standard="kcl_001", temp_c=4)
    assert fields_of(cold) == ["temp_c"] and "5 to 30" in cold.json()["errors"][0]["expected"]
    one = capture(grower, holding, "standard", channel=ec, method="ec_standards", standard="kcl_001", temp_c=20).json()
    assert one["draft"]["figures"]["cell_share"] == pytest.approx(1.278 / 1.25, rel=0.01)
    steady(holding, 11.1, holding.site.demo_clock.anchor_site + timedelta(minutes=1), noise=0.01, channel=ec)
    two = capture(grower, holding, "standard", channel=ec, method="ec_standards", standard="kcl_01", temp_c=20).json()
    assert "offset of" in two["draft"]["words"] and two["draft"]["figures"]["cell_share"] == pytest.approx(
        1.055, abs=0.01
    )
    assert publish(grower, holding, channel=ec, method="ec_standards").status_code == 201
    steady(holding, 1.25, holding.site.demo_clock.anchor_site + timedelta(minutes=1), noise=0.002, channel=ec)
    assert bench_of(grower, holding, ec)["value"]["value"] == pytest.approx(1.278, abs=0.02)


def test_buffers_give_slope_and_asymmetry_with_a_verdict(holding, grower):
    ph = other_channel(holding, "ph")
    for raw, buffer in ((4.3, "ph_4"), (6.7, "ph_7")):
        steady(holding, raw, holding.site.demo_clock.anchor_site + timedelta(minutes=2), noise=0.003, channel=ph)
        answer = capture(grower, holding, "standard", channel=ph, method="ph", standard=buffer, temp_c=25)
    draft = answer.json()["draft"]
    assert "drifted" not in draft["words"]
    assert publish(grower, holding, channel=ph, method="ph").status_code == 201
    for days, raw, buffer in ((9, 4.5, "ph_4"), (10, 6.9, "ph_7")):
        steady(holding, raw, NOW + timedelta(days=days), noise=0.003, channel=ph)
        later = capture(grower, holding, "standard", channel=ph, method="ph", standard=buffer, temp_c=25).json()[
            "draft"
        ]
    assert "Version 1 has drifted by up to +0.2" in later["words"]
    assert (
        draft["passed"] is False
        and draft["figures"]["slope_pct"] == pytest.approx(84, abs=1)
        and "clean the glass" in draft["words"]
    )


def test_a_gauge_counts_between_before_and_after(holding, grower):
    tips = other_channel(holding, "drain_tips")
    steady(holding, 100, NOW, noise=0, channel=tips)
    capture(grower, holding, "start", channel=tips, method="tip")
    steady(holding, 140, NOW + timedelta(minutes=5), noise=0, channel=tips)
    bench = capture(grower, holding, "end", channel=tips, method="tip", value=200).json()
    assert bench["draft"]["figures"]["ml_per_tip"] == pytest.approx(5) and bench["draft"]["words"].startswith(
        "5 mL per tip"
    )


def test_distance_gives_litres_from_the_tanks_own_sides(holding, grower):
    tank = holding.tank.tank
    tank.shape, tank.diameter_cm, tank.height_cm, tank.sensor_height_cm = "upright", 159.6, 150, 165
    tank.save()
    distance = Channel.objects.create(node=holding.node, quantity="distance", tank=tank, register=75)
    steady(holding, 90, NOW, noise=0.1, channel=distance)
    assert publish(grower, holding, channel=distance, method="distance").status_code == 201
    holding.tank.delete()
    Latest.objects.create(channel=distance, time=holding.site.demo_clock.anchor_site, raw=90.0, quality=0)
    content = send(grower, "get", f"sites/{holding.site.pk}/watch/").json()["tanks"][0]["content"]["value"]
    assert content == pytest.approx(3.14159 * 79.8**2 * 75 / 1000, rel=0.01)


def test_a_doser_is_calibrated_by_runs(holding, grower):
    doser = Actuator.objects.create(
        node=holding.node, kind="doser", name="Acid", coil=30, command_register=600, status_register=700
    )
    path = f"dosers/{doser.pk}/"
    for seconds, ml in ((20, 51), (30, 75)):
        answer = send(
            grower,
            "post",
            f"{path}captures/",
            {"method": "doser", "kind": "run", "seconds": seconds, "millilitres": ml},
        )
    assert answer.json()["draft"]["figures"]["ml_per_s"] == pytest.approx(2.52)
    assert fields_of(
        send(grower, "post", f"{path}captures/", {"method": "doser", "kind": "run", "millilitres": 9})
    ) == ["seconds"]
    assert send(grower, "post", f"{path}calibrations/", {"method": "doser", "number": 1}).status_code == 201
    row = next(r for r in send(grower, "get", f"sites/{holding.site.pk}/calibrate/").json() if r["target"] == "doser")
    assert row["value"]["value"] == pytest.approx(2.52) and row["calibrated"]


def test_a_method_of_another_quantity_is_refused(holding, grower):
    answer = send(grower, "get", f"channels/{holding.raw[0].pk}/bench/?method=ph")
    assert answer.status_code == 422 and fields_of(answer) == ["method"]
    assert fields_of(send(grower, "get", f"channels/{holding.tank.pk}/bench/")) == ["channel"]


def test_publishing_from_a_past_moment_has_its_limits(holding, grower):
    both_points(grower, holding)
    for moment in (NOW + timedelta(days=2), NOW - timedelta(days=30)):
        assert fields_of(publish(grower, holding, valid_from=moment.isoformat())) == ["valid_from"]
    assert publish(grower, holding, valid_from=NOW.isoformat()).status_code == 201
    empty = other_channel(holding, "air_temp")
    answer = publish(grower, holding, channel=empty, method="temperature")
    assert answer.status_code == 422 and fields_of(answer) == ["points"]


def test_before_the_first_reading_nothing_is_published(holding, grower):
    eps = other_channel(holding, "permittivity", probe=holding.raw[0].probe)
    answer = publish(grower, holding, channel=eps, method="topp")
    assert fields_of(answer) == ["valid_from"] and "none yet" in answer.json()["errors"][0]["expected"]


def test_two_scales_are_compared_and_thresholds_translated(holding, grower):
    holding.calibrate(0)
    ProgrammeVersion.objects.create(
        bed=holding.beds[0], number=1, published_at=NOW, published_by=holding.people["owner"], **PROGRAMME
    )
    both_points(grower, holding, dry=0.0, wet=0.9, raw_dry=30000, raw_wet=15000)
    path = f"channels/{holding.raw[0].pk}/compare/"
    found = send(grower, "post", path, {"method": "two_point", "days": 0.1}).json()
    assert found["programme"] == 1 and found["step"] > 0
    low = next(t for t in found["thresholds"] if t["field"] == "low")
    assert low["new"] == pytest.approx(low["old"] * 1.2, rel=0.02)
    assert send(grower, "post", path, {"method": "weighed"}).status_code == 422


def test_a_revert_brings_the_number_before_back_and_stays_readable(holding, grower):
    holding.calibrate(0)
    both_points(grower, holding)
    version = publish(grower, holding, number=2).json()["version"]
    assert send(grower, "post", f"calibrations/{version['id']}/revert/").status_code == 200
    bench = bench_of(grower, holding)
    assert (
        "calibration 1" in bench["value"]["source"]
        and bench["versions"][0]["reverted_at"]
        and bench["next_number"] == 3
    )
    again = send(grower, "post", f"calibrations/{version['id']}/revert/")
    assert fields_of(again) == ["version"]


def test_a_certificate_names_points_error_validity_and_who(holding, grower):
    weigh_series(grower, holding)
    version = publish(grower, holding, method="weighed").json()["version"]
    c = send(grower, "get", f"calibrations/{version['id']}/certificate/").json()
    assert (
        c["in_force"]
        and c["expression"] == "y = a + b x"
        and len(c["version"]["points"]) == 5
        and c["where"].startswith("bed 1")
    )
    assert (
        c["version"]["published_by"]
        and c["due_at"] > c["version"]["published_at"]
        and c["version"]["low"] < c["version"]["high"]
    )


def test_history_is_worked_out_anew_by_the_hour_and_can_be_cancelled(holding, grower):
    holding.calibrate(0)
    rows = [Reading(channel=holding.raw[0], time=NOW - timedelta(minutes=10 * i), raw=20000) for i in range(60)]
    Reading.objects.bulk_create(rows)
    job = Job.objects.create(site=holding.site, kind="recompute", title="t", created_at=NOW)
    recompute_channel(job.pk, holding.raw[0].pk, (NOW - timedelta(days=1)).isoformat())
    job.refresh_from_db()
    hours = HourValue.objects.filter(channel=holding.raw[0]).order_by("hour")
    assert (job.state == "done" and len(hours) == 10) or len(hours) == 11
    assert hours[3].mean == pytest.approx(0.5) and hours[3].readings == 6 and hours[3].outside == 0
    cancelled = Job.objects.create(site=holding.site, kind="recompute", title="t", created_at=NOW, state="cancelled")
    HourValue.objects.all().delete()
    recompute_channel(cancelled.pk, holding.raw[0].pk, (NOW - timedelta(days=1)).isoformat())
    assert not HourValue.objects.exists()


def test_a_batch_captures_what_is_steady_and_names_the_rest(holding, grower):
    steady(holding, 31000, NOW)
    steady(holding, 30500, NOW, slope=-300, channel=holding.raw[1])
    body = {"channels": [c.pk for c in holding.raw], "method": "two_point", "kind": "dry", "theta": 0.06}
    done = send(grower, "post", f"sites/{holding.site.pk}/batch/captures/", body).json()["rows"]
    assert [r["done"] for r in done] == [True, False] and "bubble" in done[1]["message"]
    end = steady(holding, 22000, NOW + timedelta(minutes=4))
    send(grower, "post", f"sites/{holding.site.pk}/batch/captures/", {**body, "kind": "wet", "theta": 0.81})
    rows = send(grower, "post", f"sites/{holding.site.pk}/batch/", body).json()
    assert set(rows[0]["captured"]) == {"dry", "wet"} and rows[0]["draft"]["passed"] and end
    outcome = send(grower, "post", f"sites/{holding.site.pk}/batch/publish/", body).json()["rows"]
    assert ([r["done"] for r in outcome] == [True, False] and "points" in outcome[1]["message"]) or "no dry" in outcome[
        1
    ]["message"]


def test_the_stand_ins_scale_shows_the_pot(holding, grower):
    node = Node.objects.create(site=holding.site, name="Try", kind="modbus_tcp", standin_slot=4)
    raw = Channel.objects.create(node=node, quantity="raw", bed=holding.beds[0], probe=holding.raw[0].probe, register=0)
    assert send(grower, "get", f"channels/{raw.pk}/scale/").status_code == 404
    assert send(grower, "post", f"channels/{raw.pk}/standin-place/", {"place": "pot 0.400"}).status_code == 204
    weighed = send(grower, "get", f"channels/{raw.pk}/scale/").json()
    water = weighed["grams"] - weighed["container_g"] - weighed["dry_g"]
    assert water == pytest.approx(400 * weighed["volume_l"], rel=0.02)
    hands = bench_of(grower, holding, raw, "?method=weighed")["hands"]
    assert hands["scale"] and len(hands["choices"]) == 7 and hands["choices"][0]["place"].startswith("pot ")
    assert fields_of(send(grower, "post", f"channels/{raw.pk}/standin-place/", {"place": "pot 9"})) == ["place"]
