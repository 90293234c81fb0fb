"""Trying a programme on weather and record, the lines of pumps, counters of devices, and what a tick gathers."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest

from fitting.models import Channel
from readings.models import Reading
from reedcore.programme import Moment, MomentKind
from reedcore.programme_json import programme_as_json
from reedcore.reasons import Memory, Span
from watering.control import need_of, remember, tick
from watering.counters import counted
from watering.models import BedControl, Command, DayFigure, Decision, PlanEntry, ProgrammeVersion, Pulse
from watering.rain import rain_mm
from watering.state import bed_state, gather, memory_of, plan_for, programme_of
from watering.sums import advance_sums

from .conftest import BODY, NOW, PROGRAMME, fields_of, form, raw_of, send

pytestmark = pytest.mark.django_db


@pytest.fixture
def recorded(holding):
    """Two whole days of climate and water content of bed 1, with four pulses on the second."""
    holding.calibrate(0)
    holding.set_tank(2000)
    start, minutes = NOW - timedelta(days=2), 2880
    at = [start + timedelta(minutes=i) for i in range(0, minutes, 2)]
    hour = (np.arange(0, minutes, 2) / 60 + 9) % 24
    light = 600 * np.clip(np.sin(np.pi * (hour - 4) / 16), 0, None)
    rows = [Reading(channel=holding.raw[0], time=t, raw=raw_of(0.745 - 0.002 * i / len(at))) for i, t in enumerate(at)]
    for quantity, values in (("radiation", light), ("air_temp", 18 + light / 90), ("humidity", 85 - light / 30)):
        channel = Channel.objects.create(node=holding.node, quantity=quantity, house=holding.house, register=400)
        rows += [Reading(channel=channel, time=t, raw=float(v)) for t, v in zip(at, values, strict=True)]
    Reading.objects.bulk_create(rows)
    day = datetime(2026, 6, 17, tzinfo=UTC)
    for h in (8, 10, 12, 14):
        Pulse.objects.create(
            bed=holding.beds[0],
            ordered_at=day + timedelta(hours=h),
            started_at=day + timedelta(hours=h),
            seconds=250,
            dose_ml=140,
            delivered_ml=140,
            state="done",
        )
    DayFigure.objects.create(
        bed=holding.beds[0], day=date(2026, 6, 17), pulses=4, dose_ml=560, peak=0.745, light_sum_j_cm2=2000
    )
    return holding


def tried(client, holding, **asked):
    return send(client, "post", f"beds/{holding.beds[0].pk}/programme/simulate/", {"body": BODY, **asked})


def test_a_recorded_day_is_weather_like_any_other(recorded, grower):
    path = f"beds/{recorded.beds[0].pk}/programme/recorded/"
    assert send(grower, "get", path).json() == [
        {"day": "2026-06-17", "pulses": 4, "dose_ml": 560.0, "light_j_cm2": 2000.0}
    ]
    answer = tried(grower, recorded, weather="2026-06-17").json()["tried"]
    clear = tried(grower, recorded, weather="clear").json()["tried"]
    assert answer["light_j_cm2"] == pytest.approx(600 * 2 / np.pi * 16 * 3600 / 1e4, rel=0.03)
    assert answer["start"].startswith("2026-06-16T20") and answer["light_j_cm2"] != clear["light_j_cm2"]
    assert fields_of(tried(grower, recorded, weather="2026-06-01")) == ["day"]


def test_a_week_holds_every_kind_of_day(recorded, grower):
    week = tried(grower, recorded, span="week").json()["tried"]
    assert len(week["theta"]) * week["step_min"] == 7 * 1440 and week["step_min"] == 20
    days = {p["at"][:10] for p in week["pulses"]}
    assert len(days) >= 6 and week["fault"] == "" and week["dose_ml"] == pytest.approx(140 * len(week["pulses"]))
    assert fields_of(tried(grower, recorded, span="year")) == ["span"]


def test_a_replay_says_how_well_the_model_fits_and_what_would_have_been(recorded, grower):
    body = {"body": {**BODY, "low": 0.70, "high": 0.75}, "day": "2026-06-17"}
    found = send(grower, "post", f"beds/{recorded.beds[0].pk}/programme/replay/", body).json()
    assert [p["ml"] for p in found["was_pulses"]] == [140.0] * 4 and found["was_dose_ml"] == 560
    assert 0 < found["fit_error"]["value"] < 6 and "minutes of that day" in found["fit_error"]["source"]
    assert 0.2 <= found["use_factor"] <= 3 and 0.05 <= found["delivered_share"] <= 1.5
    assert len(found["recorded"]) == len(found["fitted"]) and found["instead"]["pulses"] is not None


def test_every_decision_of_a_tried_day_can_be_read(recorded, grower):
    day = tried(grower, recorded, weather="clear").json()["tried"]
    assert len(day["why"]) > len(day["pulses"]) and all(w["heading"] and w["body"].endswith(".") for w in day["why"])


def test_a_dose_that_cannot_be_is_told_and_the_rest_still_stands(recorded, grower):
    answer = tried(grower, recorded, body={**BODY, "dose": {"kind": "share", "value": 0.9}}).json()
    assert (
        answer["tried"] is None
        and answer["problems"][0]["field"] == "dose.value"
        and answer["seconds"]["value"] is None
    )


def publish(client, holding, bed=0, number=0, **change):
    return send(client, "post", f"beds/{holding.beds[bed].pk}/programme/publish/", form(number, **change))


def test_the_line_of_a_pump_tells_runs_and_who_waits(recorded, grower):
    recorded.calibrate(1)
    recorded.set_raw(0, raw_of(0.70))
    recorded.set_raw(1, raw_of(0.66))
    publish(grower, recorded)
    publish(grower, recorded, 1)
    tick(recorded.site, NOW)
    line = send(grower, "get", f"sites/{recorded.site.pk}/pump-lines/").json()[0]
    assert [r["name"] for r in line["runs"]] == ["2"] and [w["name"] for w in line["waiting"]] == ["1"]
    assert (
        line["waiting"][0]["under_points"] == pytest.approx(2.0) and line["busy_l_min"] > 0 and line["flow_l_min"] == 10
    )


def test_waiting_weighs_ten_minutes_as_a_point(recorded, grower):
    recorded.set_raw(0, raw_of(0.70))
    publish(grower, recorded)
    bed = recorded.beds[0]
    BedControl.objects.update_or_create(bed=bed, defaults={"last_why": "pump_busy"})
    Decision.objects.create(
        bed=bed, tick_at=NOW - timedelta(minutes=30), action="withhold", why="pump_busy", reasons=[]
    )
    state = gather(recorded.site, NOW)
    assert need_of(state, state.beds[0]) == pytest.approx(0.70 - 0.72 - 0.03, abs=1e-3)


def test_starts_and_hours_count_followed_orders_as_one_run(holding):
    device = holding.beds[0].valve
    for minute, seconds in ((0, 180), (2, 180), (4, 180), (30, 60)):
        began = NOW + timedelta(minutes=minute)
        Command.objects.create(
            actuator=device, seconds=seconds, issued_at=began, expires_at=began, state="started", started_at=began
        )
    Command.objects.create(actuator=device, seconds=0, issued_at=NOW, expires_at=NOW, state="done", started_at=NOW)
    Command.objects.create(actuator=device, seconds=90, issued_at=NOW, expires_at=NOW, state="expired")
    starts, hours = counted(device.pk, None)
    assert starts == 2 and hours == pytest.approx((420 + 60) / 3600)
    assert counted(device.pk, NOW + timedelta(minutes=20)) == (1, pytest.approx(60 / 3600))


def test_an_order_cut_short_counts_only_what_ran(holding):
    device = holding.beds[0].valve
    Command.objects.create(
        actuator=device,
        seconds=600,
        issued_at=NOW,
        expires_at=NOW,
        state="done",
        started_at=NOW,
        ended_at=NOW + timedelta(seconds=60),
    )
    assert counted(device.pk, None) == (1, pytest.approx(60 / 3600))


def test_memory_goes_into_a_bed_and_comes_out_again(holding, grower):
    publish(grower, holding)
    from reedcore.reasons import Action
    from reedcore.reasons import Decision as CoreDecision

    control = BedControl(bed=holding.beds[0])
    memory = Memory(True, 3, "no_flow", Span.RECHARGE, NOW, 2, 0.74, NOW)
    assert remember(control, CoreDecision(Action.WITHHOLD, (), memory))
    assert memory_of(control) == memory
    assert not remember(control, CoreDecision(Action.WITHHOLD, (), memory)), "nothing new, nothing to write"
    blank = replace(memory, evening_theta=float("nan"), span=None)
    remember(control, CoreDecision(Action.WITHHOLD, (), blank))
    assert control.evening_theta is None and memory_of(control).span is None


def test_a_stop_by_fall_knows_how_far_the_bed_will_fall(recorded, grower):
    recorded.set_raw(0, raw_of(0.74))
    programme = replace(
        programme_of(ProgrammeVersion(bed=recorded.beds[0], published_at=NOW, **PROGRAMME)),
        stop=Moment(MomentKind.FALL, 0.05),
    )
    body = programme_as_json(programme)
    assert (
        send(grower, "post", f"beds/{recorded.beds[0].pk}/programme/publish/", {"body": body, "number": 0}).status_code
        == 201
    )
    state = gather(recorded.site, NOW)
    ahead = bed_state(state, state.beds[0], 900).fall_ahead
    later = NOW + timedelta(hours=9)
    evening = gather(recorded.site, later)
    assert 0.02 < ahead < 1.5 and bed_state(evening, evening.beds[0], 900).fall_ahead < ahead


def test_of_the_lines_of_a_day_the_newest_that_fits_rules(holding):
    bed = holding.beds[0]
    by = holding.people["owner"]

    def entry(pk, kind="programme", **narrow):
        return PlanEntry(
            pk=pk,
            site=holding.site,
            kind=kind,
            title="t",
            first_day=NOW.date(),
            last_day=NOW.date(),
            made_by=by,
            made_at=NOW,
            **narrow,
        )

    wide, narrow, hold = entry(1), entry(2, house=holding.house), entry(3, "hold", bed=holding.beds[1])
    assert plan_for(bed, [wide, narrow, hold]) is narrow
    assert plan_for(holding.beds[1], [wide, narrow, hold]) is hold
    assert plan_for(bed, [entry(4, growth_stage="flowering")]) is None and plan_for(bed, []) is None


def test_houses_sum_light_and_dryness_apart_by_day_and_night(holding):
    day, night = (
        {"radiation": 400.0, "air_temp": 25.0, "humidity": 60.0},
        {"radiation": 0.0, "air_temp": 17.0, "humidity": 80.0},
    )
    house = holding.house.pk
    advance_sums(holding.site, NOW, {house: day})
    lit = advance_sums(holding.site, NOW + timedelta(minutes=1), {house: day})[0]
    assert lit.light_j_cm2 == pytest.approx(2.4) and lit.vpd_day_kpa_h > 0 and lit.vpd_night_kpa_h == 0
    dark = advance_sums(holding.site, NOW + timedelta(minutes=2), {house: night})[0]
    assert dark.light_j_cm2 == pytest.approx(2.4) and dark.vpd_night_kpa_h > 0
    assert advance_sums(holding.site, NOW, {house: day}) == [], "a clock set back sums nothing"


def test_rain_is_counted_over_the_collector_and_a_counter_may_begin_anew(holding):
    assert rain_mm(holding.site.pk, NOW - timedelta(hours=1), NOW) == 0
    gauge = Channel.objects.create(node=holding.node, quantity="rain_tips", register=500)
    for minute, tips in ((-70, 10), (-50, 14), (-30, 2), (-10, 5)):
        Reading.objects.create(channel=gauge, time=NOW + timedelta(minutes=minute), raw=tips)
    assert rain_mm(holding.site.pk, NOW - timedelta(hours=1), NOW) == pytest.approx((4 + 2 + 3) * 0.2)


def test_a_version_is_read_back_as_it_was(recorded, grower):
    publish(grower, recorded)
    publish(grower, recorded, 0, 1, low=0.70)
    path = f"beds/{recorded.beds[0].pk}/programme/versions/"
    assert send(grower, "get", path + "1/").json()["body"]["low"] == 0.72
    assert fields_of(send(grower, "get", path + "9/")) == ["number"]
