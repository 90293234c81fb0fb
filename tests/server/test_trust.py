"""Trust: flags beside the data, judging, overrides, several probes, control that leaves out what is not to be used; trials."""

from datetime import timedelta

import numpy as np
import pytest

from calibration.models import CalibrationVersion, ChannelTrust, FlagSpan
from calibration.tasks import check_channels, nightly
from calibration.trust import judge_channel, watch_recent
from common.models import Job
from fitting.models import Channel, Probe
from places.models import OwnMedium
from readings.models import Arrival, Latest, Reading
from watering.control import tick
from watering.models import Decision, ProgrammeVersion, Pulse

from .conftest import NOW, PROGRAMME, fields_of, node_headers, raw_of, send, straight_line

pytestmark = pytest.mark.django_db
RNG = np.random.default_rng(5)


def day_of(channel, theta, noise=30.0, every=120):
    """A day of readings of a probe at θ (a number or one per step)."""
    steps = 86400 // every
    levels = np.broadcast_to(np.asarray(theta, float), (steps,))
    rows = [
        Reading(
            channel=channel,
            time=NOW - timedelta(seconds=every * (steps - 1 - i)),
            raw=raw_of(float(v)) + RNG.normal(0, noise),
        )
        for i, v in enumerate(levels)
    ]
    Reading.objects.bulk_create(rows)
    Latest.objects.update_or_create(
        channel=channel, defaults={"time": rows[-1].time, "raw": rows[-1].raw, "quality": 0}
    )


def second_probe(holding, theta=0.6, name="1B", distance=12):
    probe = Probe.objects.create(
        bed=holding.beds[0],
        name=name,
        kind="rod",
        span_raw=20000,
        depth_cm=6,
        dripper_distance_cm=distance,
        fitted_at=NOW,
    )
    channel = Channel.objects.create(node=holding.node, quantity="raw", bed=holding.beds[0], probe=probe, register=80)
    CalibrationVersion.objects.create(**straight_line(channel, holding.people["owner"]))
    Latest.objects.create(channel=channel, time=NOW, raw=raw_of(theta), quality=0)
    return channel


def water_of(grower, holding):
    return send(grower, "get", f"sites/{holding.site.pk}/watch/").json()["beds"][0]


def test_a_sound_day_is_trusted_and_says_so(holding, grower):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    found = send(grower, "post", f"channels/{holding.raw[0].pk}/judge/").json()
    assert found["trust"] == "trusted" and found["findings"] == [] and "nothing in its record" in found["words"]
    assert found["limits"]["step"] == 5000 and found["limits"]["air"] is None and found["flags"] == []


def test_a_stuck_probe_is_flagged_beside_the_data_and_kept_from_control(holding, grower):
    holding.calibrate(0)
    holding.set_tank(2000)
    ProgrammeVersion.objects.create(
        bed=holding.beds[0], number=1, published_at=NOW, published_by=holding.people["owner"], **PROGRAMME
    )
    day_of(holding.raw[0], 0.6)
    Reading.objects.filter(channel=holding.raw[0], time__gt=NOW - timedelta(hours=3)).update(raw=18000)
    Latest.objects.filter(channel=holding.raw[0]).update(raw=18000)
    count = Reading.objects.count()
    row = judge_channel(holding.raw[0], NOW)
    assert row.trust == "not_to_be_used" and "very same value" in row.words
    span = FlagSpan.objects.get(flag="flat", superseded=False)
    assert span.readings > 50 and Reading.objects.count() == count
    bed = water_of(grower, holding)
    assert bed["status"] == "not_to_be_used" and bed["theta"]["value"] is None and "1A" in bed["detail"]
    assert bed["todo_stage"] == "calibrate"
    tick(holding.site, NOW)
    decision = Decision.objects.filter(bed=holding.beds[0]).latest("tick_at")
    assert decision.action == "withhold" and decision.why == "not_trusted"
    slip = send(grower, "get", f"sites/{holding.site.pk}/slip/").json()
    assert "not to be used" in str(slip)


def test_a_newest_reading_at_the_rail_keeps_from_control_until_a_sound_one_comes(holding, grower):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    holding.set_raw(0, 65535.0, NOW + timedelta(seconds=10))
    holding.set_now(NOW + timedelta(seconds=20))
    assert watch_recent(holding.site, NOW + timedelta(seconds=20)) == 1
    assert water_of(grower, holding)["status"] == "not_to_be_used"
    holding.set_raw(0, raw_of(0.6), NOW + timedelta(seconds=60))
    holding.set_now(NOW + timedelta(seconds=70))
    assert watch_recent(holding.site, NOW + timedelta(seconds=70)) == 0
    assert water_of(grower, holding)["theta"]["value"] == pytest.approx(60, abs=0.5)


def test_a_judging_again_supersedes_flags_that_stay_readable(holding):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    Reading.objects.filter(channel=holding.raw[0], time__gt=NOW - timedelta(hours=3)).update(raw=18000)
    judge_channel(holding.raw[0], NOW)
    judge_channel(holding.raw[0], NOW)
    assert FlagSpan.objects.filter(flag="flat", superseded=False).count() == 1
    assert FlagSpan.objects.filter(flag="flat", superseded=True).count() == 1


def test_limits_of_flags_are_versions_and_refused_at_their_field(holding, grower):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    path = f"channels/{holding.raw[0].pk}/flag-limits/"
    changed = send(grower, "put", path, {"limits": {"low": 20000}}).json()
    assert changed["changed"] == ["low"] and changed["flags"][0]["flag"] == "range"
    assert FlagSpan.objects.filter(superseded=False, rules_number=1).exists()
    send(grower, "put", path, {"limits": {"low": None}})
    assert FlagSpan.objects.filter(superseded=False).count() == 0
    assert FlagSpan.objects.filter(superseded=True, rules_number=1).exists()
    for limits in ({"colour": 3}, {"flat_s": 2}, {"low": 500, "high": 100}):
        answer = send(grower, "put", path, {"limits": limits})
        assert answer.status_code == 422 and fields_of(answer) == [next(iter(limits))]


def test_a_persons_word_holds_for_its_time_and_needs_a_reason(holding, grower):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.6))
    path = f"channels/{holding.raw[0].pk}/trust/set/"
    assert fields_of(send(grower, "put", path, {"trust": "not_to_be_used", "hours": 5, "why": ""})) == ["why"]
    assert fields_of(send(grower, "put", path, {"trust": "perhaps", "hours": 5, "why": "because"})) == ["trust"]
    set_now = send(
        grower, "put", path, {"trust": "not_to_be_used", "hours": 5, "why": "out of the slab for cleaning"}
    ).json()
    assert set_now["trust"] == "not_to_be_used" and "cleaning" in set_now["words"]
    assert water_of(grower, holding)["status"] == "not_to_be_used"
    holding.set_now(NOW + timedelta(hours=6))
    holding.set_raw(0, raw_of(0.6), NOW + timedelta(hours=6))
    assert water_of(grower, holding)["theta"]["value"] == pytest.approx(60)


def test_several_probes_make_one_figure_by_the_beds_rule(holding, grower):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    second_probe(holding, 0.60)
    theta = water_of(grower, holding)["theta"]
    assert theta["value"] == pytest.approx(65) and "median of probes 1A, 1B, 10.0 points apart" in theta["source"]
    for rule, value in (("driest", 60), ("not_nearest", 60), ("mean", 65)):
        bed = holding.beds[0]
        bed.probe_rule = rule
        bed.save()
        assert water_of(grower, holding)["theta"]["value"] == pytest.approx(value)


def test_a_probe_that_is_out_leaves_the_other_to_water_by(holding, grower):
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    other = second_probe(holding, 0.60)
    ChannelTrust.objects.create(channel=holding.raw[0], trust="not_to_be_used", words="stuck", judged_at=NOW)
    theta = water_of(grower, holding)["theta"]
    assert theta["value"] == pytest.approx(60) and "probe 1B" in theta["source"]
    Latest.objects.filter(channel=other).update(time=NOW - timedelta(hours=2))
    assert water_of(grower, holding)["status"] in ("not_to_be_used", "no_data")


def test_pulses_that_do_too_little_rank_their_causes(holding, grower):
    holding.calibrate(0)
    channel = holding.raw[0]
    steps = np.arange(720) * 120.0
    theta, start = np.full(720, 0.6), NOW - timedelta(hours=24)
    for k in range(6):
        at = 30000 + 6000 * k
        theta += 0.004 * np.clip((steps - at) / 600, 0, 1)
        Pulse.objects.create(
            bed=holding.beds[0],
            ordered_at=start + timedelta(seconds=at - 120),
            seconds=120,
            dose_ml=150,
            state="done",
            delivered_ml=148,
        )
    day_of(channel, theta, noise=8)
    send(
        grower,
        "post",
        f"beds/{holding.beds[0].pk}/cups/record/",
        {"volumes_ml": [60, 20, 70, 10, 65, 66, 71, 15, 60, 70], "minutes": 2},
    )
    found = send(grower, "post", f"channels/{channel.pk}/judge/").json()
    assert found["trust"] == "doubtful" and "pulses raise it 0." in found["words"]
    assert found["gain"]["n"] == 6 and found["gain"]["median"] < 0.5
    assert found["causes"][0]["cause"] == "dripper" and "low quarter" in found["causes"][0]["because"]
    assert sum(c["weight"] for c in found["causes"]) == pytest.approx(1)
    row = next(r for r in send(grower, "get", f"sites/{holding.site.pk}/calibrate/").json() if r["id"] == channel.pk)
    assert row["trust"] == "doubtful" and row["due_in_days"] == 0


def test_readings_that_come_late_twice_or_against_the_clock_are_noted(holding, grower):
    pk = holding.raw[0].pk
    times = [
        NOW - timedelta(hours=5),
        NOW - timedelta(minutes=4),
        NOW - timedelta(minutes=4),
        NOW - timedelta(minutes=9),
    ]
    rows = [{"channel": pk, "time": t.isoformat(), "raw": 20000} for t in times]
    send(grower, "post", "readings/", {"readings": rows}, **node_headers(holding))
    assert dict(Arrival.objects.values_list("kind", "readings")) == {"late": 1, "duplicate": 1, "clock_jump": 1}
    assert Reading.objects.count() == 3
    flags = send(grower, "get", f"channels/{pk}/trust/").json()["flags"]
    assert {f["flag"] for f in flags} == {"late", "duplicate", "clock_jump"} and not any(
        f["keeps_from_control"] for f in flags
    )


def test_the_record_shows_or_hides_what_is_flagged_and_marks_versions(holding, grower):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    Reading.objects.filter(channel=holding.raw[0], time__gt=NOW - timedelta(hours=6)).update(raw=18000)
    judge_channel(holding.raw[0], NOW)
    CalibrationVersion.objects.create(
        **straight_line(
            holding.raw[0],
            holding.people["owner"],
            number=2,
            coefficients=[1.6, -5e-5],
            valid_from=NOW - timedelta(hours=8),
        )
    )
    path = f"channels/{holding.raw[0].pk}/record/?days=1"
    shown, hidden = send(grower, "get", path).json(), send(grower, "get", f"{path}&hide=1").json()
    assert len(shown["raw"]) == 240 and sum(v is None for v in hidden["raw"]) > 40 > sum(
        v is None for v in shown["raw"]
    )
    assert shown["versions"][-1]["number"] == 2 and shown["versions"][-1]["step"] == pytest.approx(0.1)
    assert shown["unit"] == "% v/v" and any(v is not None for v in shown["suction_kpa"]) and shown["flags"]


def test_the_night_judges_every_channel_once(holding):
    holding.calibrate(0)
    day_of(holding.raw[0], 0.6)
    job = nightly(holding.site, NOW)
    assert job is not None and nightly(holding.site, NOW) is None
    check_channels(job.pk)
    job.refresh_from_db()
    assert job.state == "done" and "3 channels judged" in job.message and ChannelTrust.objects.count() == 3
    cancelled = Job.objects.create(
        site=holding.site, kind="check_channels", title="t", created_at=NOW, state="cancelled"
    )
    check_channels(cancelled.pk)
    assert Job.objects.get(pk=cancelled.pk).state == "cancelled"


@pytest.fixture
def pair(holding):
    """Two air sensors of the house; the first stands in the morning sun."""
    made = []
    for k in range(2):
        c = Channel.objects.create(node=holding.node, quantity="air_temp", house=holding.house, register=90 + k)
        rows = []
        for i in range(3 * 144):
            at = NOW - timedelta(minutes=10 * i)
            hour = (at.hour + 1) % 24
            value = (
                20 + 4 * np.sin((hour - 9) / 24 * 6.28) + RNG.normal(0, 0.1) + (1.8 if k == 0 and 7 <= hour < 11 else 0)
            )
            rows.append(Reading(channel=c, time=at, raw=value))
        Reading.objects.bulk_create(rows)
        made.append(c)
    return made


def trial_body(pair, **more):
    a, b = pair
    return {
        "a": a.pk,
        "b": b.pk,
        "start": (NOW - timedelta(days=3)).isoformat(),
        "end": NOW.isoformat(),
        "step_s": 1200,
        **more,
    }


def test_a_trial_finds_the_shield_in_the_sun(holding, grower, pair):
    found = send(grower, "post", f"sites/{holding.site.pk}/trials/", trial_body(pair)).json()
    assert "between 07:00 and 11:00" in found["verdict"] and "shield of the first stands in the sun" in found["verdict"]
    assert found["unit"] == "°C" and len(found["a"]) == found["result"]["n"] == 216 and max(found["sun"]) > 50


def test_an_adopted_offset_is_a_version_laid_over_what_held(holding, grower, pair):
    path = f"sites/{holding.site.pk}/trials/adopt/"
    answer = send(grower, "post", path, trial_body(pair, number=1))
    assert answer.status_code == 201 and answer.json()["version"]["method"] == "against"
    first = CalibrationVersion.objects.get()
    assert first.coefficients[1] == 1 and first.coefficients[0] == pytest.approx(-0.3, abs=0.1)
    again = send(grower, "post", path, trial_body(pair, number=2))
    second = CalibrationVersion.objects.get(number=2)
    assert again.status_code == 201 and second.coefficients[0] == pytest.approx(first.coefficients[0], abs=0.05)
    assert fields_of(send(grower, "post", path, trial_body(pair, number=2))) == ["number"]


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"end": (NOW - timedelta(days=9)).isoformat()}, "end"),
        ({"step_s": 86400}, "step_s"),
        ({"start": (NOW - timedelta(days=30)).isoformat(), "end": (NOW - timedelta(days=20)).isoformat()}, "period"),
    ],
)
def test_trials_that_cannot_be_are_told_at_their_field(holding, grower, pair, more, field):
    answer = send(grower, "post", f"sites/{holding.site.pk}/trials/", {**trial_body(pair), **more})
    assert answer.status_code == 422 and fields_of(answer) == [field]


def test_only_like_is_compared_with_like(holding, grower, pair):
    path = f"sites/{holding.site.pk}/trials/"
    assert fields_of(send(grower, "post", path, trial_body((pair[0], pair[0])))) == ["b"]
    answer = send(grower, "post", path, trial_body((pair[0], holding.raw[0])))
    assert fields_of(answer) == ["b"] and "air temperature" in answer.json()["errors"][0]["expected"]


def test_pore_water_from_a_sample_sets_the_probes_own_epsilon(holding, grower):
    probe = holding.raw[0].probe
    for k, (q, raw) in enumerate((("bulk_ec", 0.9), ("permittivity", 38.0), ("medium_temp", 22.0))):
        c = Channel.objects.create(node=holding.node, quantity=q, bed=holding.beds[0], probe=probe, register=60 + k)
        Latest.objects.create(channel=c, time=NOW, raw=raw, quality=0)
    path = f"probes/{probe.pk}/pore/"
    fitted = send(grower, "put", path, {"sample_ec": 2.3}).json()
    assert fitted["own"] and fitted["pore_ec"]["value"] == pytest.approx(2.3, abs=0.01)
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.6))
    assert water_of(grower, holding)["pore_ec"]["value"] == pytest.approx(2.3, abs=0.01)
    assert fields_of(send(grower, "put", path, {"sample_ec": 9.0})) == ["pore_ec"]
    back = send(grower, "put", path, {}).json()
    assert (
        not back["own"] and back["epsilon_dry"] == 4.1 and back["pore_ec"]["value"] == pytest.approx(2.112, abs=0.002)
    )


def test_a_tensiometer_beside_a_probe_gives_an_own_medium(holding, grower):
    from reedcore.substrate import medium, suction_from_water_content

    holding.calibrate(0)
    theta = np.linspace(0.35, 0.8, 720)
    day_of(holding.raw[0], theta, noise=4)
    suction = Channel.objects.create(node=holding.node, quantity="suction", bed=holding.beds[0], register=77)
    kpa = np.asarray(suction_from_water_content(theta, medium("coir"))) / 10.2
    Reading.objects.bulk_create(
        [
            Reading(channel=suction, time=NOW - timedelta(seconds=120 * (719 - i)), raw=float(v))
            for i, v in enumerate(kpa)
        ]
    )
    body = {
        "suction": suction.pk,
        "theta": holding.raw[0].pk,
        "start": (NOW - timedelta(days=1)).isoformat(),
        "end": NOW.isoformat(),
    }
    path = f"sites/{holding.site.pk}/retention/"
    found = send(grower, "post", path, body).json()
    assert found["fit"]["rmse"] < 0.01 and found["pairs"] > 100 and not OwnMedium.objects.exists()
    assert send(grower, "post", path, {**body, "name": "Coir as it is here"}).status_code == 200
    kept = OwnMedium.objects.get()
    assert kept.n == pytest.approx(found["fit"]["n"]) and "own pairs" in kept.origin
    swapped = send(grower, "post", path, {**body, "suction": holding.raw[0].pk, "theta": suction.pk})
    assert fields_of(swapped) == ["suction"]


def test_a_week_beyond_the_captured_span_is_found_by_the_hours(holding, grower):
    holding.calibrate(0)
    CalibrationVersion.objects.update(low=17500, high=30000)
    day_of(holding.raw[0], 0.63)
    channel = Channel.objects.select_related("node").get(pk=holding.raw[0].pk)
    assert judge_channel(channel, NOW).trust == "trusted"
    job = Job.objects.create(site=holding.site, kind="check_channels", title="t", created_at=NOW)
    day_of_before = [
        Reading(channel=channel, time=NOW - timedelta(hours=30, minutes=5 * i), raw=16000) for i in range(60)
    ]
    Reading.objects.bulk_create(day_of_before)
    check_channels(job.pk)
    row = ChannelTrust.objects.get(channel=channel)
    assert row.trust == "doubtful" and "of the week's readings lie beyond" in row.words


def test_a_tensiometer_is_shown_as_water_by_its_medium(holding, grower):
    suction = Channel.objects.create(node=holding.node, quantity="suction", bed=holding.beds[0], register=77)
    Reading.objects.bulk_create(
        [Reading(channel=suction, time=NOW - timedelta(minutes=5 * i), raw=2.0) for i in range(200)]
    )
    shown = send(grower, "get", f"channels/{suction.pk}/record/").json()
    water = [v for v in shown["theta_by_retention"] if v is not None]
    assert 0.3 < water[0] < 0.9 and shown["suction_kpa"] == []


def test_a_reading_outside_the_captured_range_says_so(holding, grower):
    holding.calibrate(0)
    day_of(holding.raw[0], np.where(np.arange(720) < 360, 0.5, 1.1), noise=1)
    flags = send(grower, "get", f"channels/{holding.raw[0].pk}/record/").json()["flags"]
    assert [f["flag"] for f in flags] == ["extrapolated"] and flags[0]["readings"] > 100
    holding.set_raw(0, 9000)
    assert "extrapolated" in send(grower, "get", f"channels/{holding.raw[0].pk}/bench/").json()["value"]["source"]
