"""Programmes of every school, shared and planned; holds by people; what forbids; what is remembered and explained."""

from datetime import date, timedelta

import pytest

from calibration.models import CalibrationVersion
from fitting.models import Channel
from readings.models import Latest, Reading
from watering.control import tick
from watering.daily import close_day, correct, keep_forecasts
from watering.models import (
    BedControl,
    Command,
    ControlGap,
    DayFigure,
    Decision,
    DrainSource,
    ForecastKept,
    HouseSums,
    ProgrammeVersion,
    Pulse,
)
from watering.state import gather

from .conftest import BODY, NOW, fields_of, form, raw_of, send, straight_line

pytestmark = pytest.mark.django_db


def publish(client, holding, number=0, bed=0, **change):
    return send(client, "post", f"beds/{holding.beds[bed].pk}/programme/publish/", form(number, **change))


@pytest.fixture
def dry(holding, grower):
    """Bed 1 calibrated, a little under its low, with a programme."""
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    holding.set_tank(2000)
    assert publish(grower, holding).status_code == 201
    return holding


def at(dry, minutes, theta=0.70):
    """The site `minutes` on, with fresh readings."""
    now = NOW + timedelta(minutes=minutes)
    dry.set_raw(0, raw_of(theta), now)
    dry.set_tank(2000, now)
    return now


def climate(holding, radiation, minutes=0, temp=24.0, humidity=70.0):
    """Fresh house sensors, made where there are none."""
    for quantity, value in (("radiation", radiation), ("air_temp", temp), ("humidity", humidity)):
        channel, _ = Channel.objects.get_or_create(
            node=holding.node, quantity=quantity, house=holding.house, defaults={"register": 400}
        )
        Latest.objects.update_or_create(
            channel=channel, defaults={"time": NOW + timedelta(minutes=minutes), "raw": value, "quality": 0}
        )


@pytest.mark.parametrize("school", ["threshold", "light", "clock"])
def test_each_school_starts_with_a_programme_that_can_be_published_and_tried(holding, grower, school):
    bed = holding.beds[0].pk
    found = next(s for s in send(grower, "get", f"beds/{bed}/programme/").json()["schools"] if s["code"] == school)
    assert send(grower, "post", f"beds/{bed}/programme/check/", {"body": found["body"]}).json()["problems"] == []
    tried = send(grower, "post", f"beds/{bed}/programme/simulate/", {"body": found["body"], "weather": "mixed"}).json()[
        "tried"
    ]
    assert tried["pulses"] and (school != "light" or tried["tracks"][0]["kind"] == "light_sum")
    answer = send(grower, "post", f"beds/{bed}/programme/publish/", {"body": found["body"], "number": 0})
    assert answer.status_code == 201


def test_a_light_sum_grower_needs_no_probe(holding, grower):
    holding.set_tank(2000)
    publish(grower, holding, triggers=[{"kind": "light_sum", "value": 60.0}], latch=False)
    climate(holding, 500.0)
    tick(holding.site, NOW)
    assert Decision.objects.get().why == "not_yet" and not Pulse.objects.exists()
    for minute in range(1, 22):
        climate(holding, 500.0, minute)
        holding.set_tank(2000, NOW + timedelta(minutes=minute))
        tick(holding.site, NOW + timedelta(minutes=minute))
    holding.set_now(NOW + timedelta(minutes=21))
    pulse = Pulse.objects.get()
    # 500 W/m2 bring 3 J/cm2 a minute: 60 J/cm2 in twenty.
    assert pulse.ordered_at == NOW + timedelta(minutes=20)
    sums = HouseSums.objects.get()
    assert BedControl.objects.get().light_at_pulse == pytest.approx(60.0) and sums.light_j_cm2 == pytest.approx(63.0)
    shown = send(grower, "get", f"beds/{holding.beds[0].pk}/ribbon/").json()["triggers"]
    assert shown == [{"kind": "light_sum", "value": pytest.approx(3.0), "limit": 60.0, "unit": "J/cm²"}]
    assert "60 of 60 J/cm²" in send(grower, "get", f"sites/{holding.site.pk}/slip/").json()[0]["body"]


def test_sums_over_a_gap_come_from_the_record(holding, grower):
    holding.set_tank(2000)
    publish(grower, holding, triggers=[{"kind": "light_sum", "value": 900.0}], latch=False)
    climate(holding, 500.0)
    tick(holding.site, NOW)
    channel = Channel.objects.get(quantity="radiation")
    Reading.objects.bulk_create(
        [Reading(channel=channel, time=NOW + timedelta(minutes=i), raw=300.0) for i in range(1, 60)]
    )
    climate(holding, 500.0, 60)
    tick(holding.site, NOW + timedelta(minutes=60))
    assert HouseSums.objects.get().light_j_cm2 == pytest.approx(300 * 3600 / 1e4, rel=0.02)
    assert ControlGap.objects.get().next_tick > NOW


def test_a_clock_grower_waters_at_the_times_and_never_makes_up_for_hours(holding, grower):
    holding.set_tank(2000)
    publish(
        grower,
        holding,
        triggers=[{"kind": "clock", "times": [600, 720]}],
        latch=False,
        start={"kind": "clock", "value": 360.0},
    )
    tick(holding.site, NOW)  # 09:00 UTC is 10:00 in London
    assert Pulse.objects.count() == 1
    later = NOW + timedelta(hours=3, minutes=10)
    holding.set_tank(2000, later)
    tick(holding.site, later)
    assert Pulse.objects.count() == 1, "12:00 was missed by more than the window"


def test_repeats_cost_nothing_and_every_minute_is_explained(dry, grower):
    for minute in range(40):
        tick(dry.site, at(dry, minute, 0.75))
    assert Decision.objects.count() == 1 and Decision.objects.get().why == "in_band"
    path = f"beds/{dry.beds[0].pk}/why/?at="
    dry.set_now(NOW + timedelta(minutes=40))
    said = send(grower, "get", path + (NOW + timedelta(minutes=27)).isoformat().replace("+", "%2B")).json()
    assert said["heading"] == "Held." and "above the low" in said["body"] and said["programme"] == 1
    assert said["theta"] == pytest.approx(0.75, abs=0.002)
    assert send(grower, "get", path + "2026-06-18T20:00:00Z").json()["heading"] == "Not yet."
    assert send(grower, "get", path + "2026-06-10T20:00:00Z").json()["heading"] == "No decision."
    assert fields_of(send(grower, "get", path + "noon")) == ["at"]


def test_through_a_gap_nothing_is_claimed(dry, grower):
    tick(dry.site, at(dry, 0, 0.75))
    tick(dry.site, at(dry, 30, 0.75))
    dry.set_now(NOW + timedelta(minutes=31))
    said = send(grower, "get", f"beds/{dry.beds[0].pk}/why/?at=2026-06-18T09:15:00Z").json()
    assert said["heading"] == "No decision." and "did not run for 30 minutes" in said["body"]


HOLDS = [
    ("pause/", {"minutes": 60}, "paused"),
    ("manual/", {"manual": True}, "manual"),
    ("lock/", {"what_for": "cleaning drippers"}, "locked"),
    ("stop/", None, "stopped"),
]


@pytest.mark.parametrize(("path", "body", "why"), HOLDS, ids=[h[2] for h in HOLDS])
def test_a_person_holds_a_bed(dry, grower, path, body, why):
    assert send(grower, "post", f"beds/{dry.beds[0].pk}/{path}", body).status_code == 204
    tick(dry.site, NOW)
    assert Decision.objects.get().why == why and not Pulse.objects.exists()


def test_a_pause_ends_by_itself(dry, grower):
    send(grower, "post", f"beds/{dry.beds[0].pk}/pause/", {"minutes": 10})
    tick(dry.site, NOW)
    tick(dry.site, at(dry, 11))
    assert Pulse.objects.count() == 1
    assert fields_of(send(grower, "post", f"beds/{dry.beds[0].pk}/pause/", {"minutes": 99999})) == ["minutes"]


def test_a_lock_bears_a_name_and_only_its_owner_or_an_owner_takes_it_off(dry, grower, client_of):
    bed = dry.beds[0].pk
    assert fields_of(send(grower, "post", f"beds/{bed}/lock/", {"what_for": " "})) == ["what_for"]
    send(client_of("owner"), "post", f"beds/{bed}/lock/", {"what_for": "pipe work"})
    assert send(grower, "post", f"beds/{bed}/lock/", {"what_for": "me too"}).status_code == 409
    assert send(grower, "post", f"beds/{bed}/unlock/").status_code == 409
    assert "locked it out" in send(grower, "post", f"beds/{bed}/dose/", {}).json()["errors"][0]["expected"]
    shown = send(grower, "get", f"beds/{bed}/programme/").json()
    assert shown["locked_for"] == "pipe work" and not shown["locked_mine"]
    assert send(client_of("owner"), "post", f"beds/{bed}/unlock/").status_code == 204
    assert send(grower, "post", f"beds/{bed}/unlock/").status_code == 422


def test_a_stop_beside_a_tick_is_not_lost(dry, grower):
    """The tick writes what decisions change, never what people hold a bed by."""
    state = gather(dry.site, NOW)
    send(grower, "post", f"beds/{dry.beds[0].pk}/stop/")
    from watering.control import save_controls

    control = state.controls[dry.beds[0].pk]
    control.tries = 3
    save_controls([control])
    row = BedControl.objects.get()
    assert row.stopped and row.tries == 3


def test_a_dose_by_hand_of_ones_own_size(dry, grower):
    path = f"beds/{dry.beds[0].pk}/dose/"
    assert "quarter of the substrate" in send(grower, "post", path, {"dose_ml": 5000}).json()["errors"][0]["expected"]
    assert send(grower, "post", path, {"dose_ml": 90}).json()["dose_ml"] == 90
    assert Pulse.objects.get().dose_ml == 90


def flow_meter(holding):
    pump = holding.beds[0].pump
    return Channel.objects.create(node=holding.node, quantity="flow", pump=pump, register=130)


def run_pulse(dry, grower, flow):
    """A pulse ordered and started, with what the meter saw."""
    channel = flow_meter(dry)
    tick(dry.site, NOW)
    Pulse.objects.update(state="running", started_at=NOW)
    Reading.objects.bulk_create(
        [Reading(channel=channel, time=NOW + timedelta(seconds=s), raw=flow) for s in range(0, 120, 10)]
    )
    Latest.objects.create(channel=channel, time=NOW + timedelta(seconds=110), raw=flow, quality=0)
    tick(dry.site, at(dry, 2))


def test_a_valve_without_flow_is_closed_and_latched(dry, grower):
    run_pulse(dry, grower, 0.1)
    control = BedControl.objects.get()
    assert control.fault == "no_flow" and Pulse.objects.get().flow_seen_l_min == pytest.approx(0.1)
    assert {c.seconds for c in Command.objects.filter(state="queued")} == {0.0}
    line = send(grower, "get", f"sites/{dry.site.pk}/slip/").json()[0]
    assert "no water flowed" in line["body"]
    assert send(grower, "post", f"beds/{dry.beds[0].pk}/clear-fault/").status_code == 204


def test_a_valve_with_flow_goes_on(dry, grower):
    run_pulse(dry, grower, 6.0)
    assert BedControl.objects.get().fault == "" and Pulse.objects.get().flow_seen_l_min == pytest.approx(6.0)


def test_flow_that_nobody_ordered_withholds(dry):
    channel = flow_meter(dry)
    Latest.objects.create(channel=channel, time=NOW, raw=4.0, quality=0)
    tick(dry.site, NOW)
    assert Decision.objects.get().why == "stray_flow"


FEED = [("feed_ec", 9.0, "feed_ec"), ("ph", 3.0, "feed_ph")]


@pytest.mark.parametrize(("quantity", "value", "why"), FEED)
def test_feed_out_of_its_band_withholds(dry, quantity, value, why):
    channel = Channel.objects.create(node=dry.node, quantity=quantity, pump=dry.beds[0].pump, register=140)
    Latest.objects.create(channel=channel, time=NOW, raw=value, quality=0)
    tick(dry.site, NOW)
    assert Decision.objects.get().why == why


def test_a_silent_node_withholds(dry):
    dry.node.last_seen = NOW - timedelta(minutes=10)
    dry.node.save()
    tick(dry.site, NOW)
    assert Decision.objects.get().why == "node_silent"


def test_a_lost_probe_goes_by_the_clock_at_a_share_and_says_so(dry, grower):
    DayFigure.objects.bulk_create(
        [DayFigure(bed=dry.beds[0], day=date(2026, 6, 17 - i), pulses=10, dose_ml=2000) for i in range(5)]
    )
    later = NOW + timedelta(minutes=30)  # the reading is too old by now
    dry.set_tank(2000, later)
    tick(dry.site, later)
    decision = Decision.objects.get()
    assert decision.action == "give" and decision.why == "fallback"
    said = send(grower, "get", f"sites/{dry.site.pk}/slip/").json()[0]["body"]
    assert "60 % of the usual 2.00 L a day" in said and "reading is 30 min old" in said
    over = NOW + timedelta(hours=26)
    dry.set_tank(2000, over)
    tick(dry.site, over)
    assert Decision.objects.latest("tick_at").why == "stale"


def test_drain_moves_the_next_day_within_its_bound_and_a_hand_takes_the_gauges_place(dry, grower):
    publish(grower, dry, 1, drain={"share": 0.2, "moves": "dose", "gain": 2.0, "bound": 0.1, "frozen": False})
    bed, day = dry.beds[0], date(2026, 6, 17)
    Pulse.objects.create(bed=bed, ordered_at=NOW - timedelta(days=1), seconds=250, dose_ml=1000, state="done")
    assert correct(bed, day, 50, 1000, DrainSource.GAUGE, None, NOW).after == pytest.approx(1.1)
    assert correct(bed, day, 50, 1000, DrainSource.GAUGE, None, NOW) is None, "once a day"
    answer = send(grower, "post", f"beds/{bed.pk}/drain/", {"day": "2026-06-17", "drain_ml": 240})
    assert answer.status_code == 201 and answer.json()["after"] == pytest.approx(0.92)
    assert BedControl.objects.get(bed=bed).dose_factor == pytest.approx(0.92)
    tick(dry.site, NOW)
    assert Pulse.objects.latest("pk").dose_ml == pytest.approx(0.92 * 140)
    shown = send(grower, "get", f"beds/{bed.pk}/programme/").json()
    assert shown["dose_factor"] == pytest.approx(0.92) and shown["drains"][0]["source"] == "measured by hand"
    publish(grower, dry, 2, drain={"share": 0.2, "frozen": True})
    assert correct(bed, date(2026, 6, 18), 10, 1000, DrainSource.GAUGE, None, NOW) is None
    for body, field in (
        ({"day": "2026-06-17", "drain_ml": 5000}, "drain_ml"),
        ({"day": "2026-01-01", "drain_ml": 5}, "day"),
        ({"day": "2026-06-17", "drain_ml": 5}, "drain"),
    ):
        assert fields_of(send(grower, "post", f"beds/{bed.pk}/drain/", body)) == [field]


def test_a_day_is_closed_with_its_figures_and_its_forecast_scored(dry):
    bed = dry.beds[0]
    ForecastKept.objects.create(bed=bed, day=date(2026, 6, 17), made_at=NOW, pulses=4, dose_ml=400, drain_ml=20)
    for i in range(5):
        Pulse.objects.create(
            bed=bed, ordered_at=NOW - timedelta(days=1, minutes=30 * i), seconds=200, dose_ml=100, state="done"
        )
    assert close_day(dry.site, date(2026, 6, 17), NOW) == 1
    kept = ForecastKept.objects.get()
    assert (kept.got_pulses, kept.got_dose_ml) == (5, 500) and kept.score == pytest.approx(0.8)
    assert keep_forecasts(dry.site, NOW) == 1 and keep_forecasts(dry.site, NOW) == 0


def test_many_beds_follow_a_programme_with_their_own_differences(dry, grower):
    path, site = f"sites/{dry.site.pk}/shared-programmes/", dry.site.pk
    first, second = (b.pk for b in dry.beds)
    shared = send(grower, "post", path + "publish/", {"name": "Fruiting", "body": BODY, "beds": [first, second]}).json()
    assert [f["differences"] for f in shared["followers"]] == [[], []] and shared["number"] == 1
    publish(grower, dry, 1, bed=1, low=0.70)
    listed = send(grower, "get", path).json()[0]
    assert listed["followers"][1]["differences"] == [{"path": "low", "own": "0.7", "shared": "0.72"}]
    send(grower, "post", path + "publish/", {"name": "Fruiting", "body": {**BODY, "soak_min": 25.0}, "beds": []})
    newest = {b: ProgrammeVersion.objects.filter(bed=b).latest("number").body for b in (first, second)}
    assert newest[first]["soak_min"] == newest[second]["soak_min"] == 25.0
    assert newest[second]["low"] == 0.70 and newest[first]["low"] == 0.72
    count = ProgrammeVersion.objects.count()
    refused = send(grower, "post", path + "publish/", {"name": "Fruiting", "body": {**BODY, "low": 0.9}, "beds": []})
    assert refused.status_code == 422 and all(f.startswith("bed ") for f in fields_of(refused))
    assert ProgrammeVersion.objects.count() == count, "all of them or none"
    assert send(grower, "post", f"beds/{second}/programme/follow/", {"shared": ""}).status_code == 201
    assert len(send(grower, "get", f"sites/{site}/shared-programmes/").json()[0]["followers"]) == 1


def test_programmes_are_compared_in_the_same_weather(dry, grower):
    body = {"programmes": [{"name": "mine", "body": BODY}], "schools": True, "span": "day", "weather": "dull"}
    rows = send(grower, "post", f"beds/{dry.beds[0].pk}/programme/compare/", body).json()
    assert [r["name"] for r in rows] == ["mine", "by the probe", "by the light sum", "by the clock"]
    assert len({round(r["tried"]["light_j_cm2"], 3) for r in rows}) == 1
    too_many = {**body, "programmes": [{"name": str(i), "body": BODY} for i in range(4)]}
    assert fields_of(send(grower, "post", f"beds/{dry.beds[0].pk}/programme/compare/", too_many)) == ["programmes"]


def test_a_replay_wants_a_day_on_record(dry, grower):
    path = f"beds/{dry.beds[0].pk}/programme/replay/"
    assert fields_of(send(grower, "post", path, {"body": BODY, "day": "2026-06-18"})) == ["day"]
    assert fields_of(send(grower, "post", path, {"body": BODY, "day": "2026-06-10"})) == ["day"]
    assert fields_of(
        send(grower, "post", f"beds/{dry.beds[0].pk}/programme/simulate/", {"body": BODY, "weather": "snow"})
    ) == ["weather"]


def test_the_schema_names_every_part(grower):
    schema = send(grower, "get", "programme/schema/").json()
    assert (
        schema["title"] == "tall-reed-programme/1"
        and "triggers" in schema["properties"]
        and "low" in schema["required"]
    )


def test_a_clock_set_back_withholds_and_says_so(dry, grower):
    tick(dry.site, NOW)
    assert Pulse.objects.count() == 1
    back = NOW - timedelta(hours=1)
    dry.set_tank(2000, back)
    assert tick(dry.site, back) == 1
    assert Decision.objects.get(tick_at=back.replace(second=0)).why == "clock" and Pulse.objects.count() == 1
    assert tick(dry.site, back + timedelta(seconds=20)) == 0


def test_drain_is_read_from_tips_and_from_a_scale_too(dry):
    """A gauge under one container of four plants, 5 mL a tip; a scale in grams."""
    from watering.days import renew_day

    bed, start = dry.beds[0], NOW - timedelta(hours=4)
    Pulse.objects.create(bed=bed, ordered_at=start, seconds=200, dose_ml=400, state="done")
    tips = Channel.objects.create(node=dry.node, quantity="drain_tips", bed=bed, register=150)
    Reading.objects.bulk_create(
        [Reading(channel=tips, time=start + timedelta(minutes=5 * i), raw=100 + 8 * i) for i in range(11)]
    )
    assert renew_day(bed, NOW.date()).drain_ml is None, "without its mL per tip a gauge says nothing"
    CalibrationVersion.objects.create(
        **straight_line(
            tips, dry.people["owner"], method="tip", gives="millilitres", coefficients=[0.0, 5.0], low=0, high=1e6
        )
    )
    assert renew_day(bed, NOW.date()).drain_ml == pytest.approx(80 * 5 / 4, rel=0.11)
    tips.retired_at = NOW
    tips.quantity = "drain_weight"
    tips.save()
    CalibrationVersion.objects.all().delete()
    assert renew_day(bed, NOW.date()).drain_ml == pytest.approx(80 / 4, rel=0.11)
