import itertools
from datetime import timedelta

import pytest

from watering.control import tick
from watering.models import BedControl, Command, Decision, ProgrammeVersion, Pulse

from .conftest import BODY, NOW, fields_of, form, raw_of, send

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


def test_the_proposal_reads_with_the_origin_of_each_number(holding, grower):
    answer = send(grower, "get", f"beds/{holding.beds[0].pk}/programme/").json()
    assert answer["published"] is None and [s["code"] for s in answer["schools"]] == ["threshold", "light", "clock"]
    proposed = answer["schools"][0]
    assert proposed["body"]["low"] < proposed["body"]["high"] < answer["capacity"]
    assert "capacity" in proposed["origin"]["low"] and answer["seconds"]["formula"] == "dose_seconds"
    assert all(s["fails"] and s["suits"] for s in answer["schools"])


BAD = [
    ({"low": 0.78}, "low"),
    ({"high": 0.9}, "high"),
    ({"dose": {"kind": "ml", "value": 5000}}, "dose.value"),
    ({"dose": {"kind": "ml", "value": 5}}, "dose.value"),
    ({"daily_cap_ml_per_plant": 100}, "daily_cap_ml_per_plant"),
    ({"soak_min": 0}, "soak_min"),
    ({"tries": 0}, "tries"),
    ({"low": "wet"}, "body.low"),
    ({"dose": {"kind": "bucket", "value": 5}}, "body.dose.kind"),
    ({"start": {"kind": "sun"}}, "body.start.value"),
    ({"triggers": []}, "triggers"),
]


@pytest.mark.parametrize("change,field", BAD, ids=lambda b: str(b))
def test_bad_programmes_are_told_at_the_field_and_not_published(holding, grower, change, field):
    answer = publish(grower, holding, **change)
    assert answer.status_code == 422 and field in fields_of(answer)
    assert not ProgrammeVersion.objects.exists()


def test_the_second_publisher_is_told(holding, grower, client_of):
    publish(client_of("owner"), holding)
    answer = publish(grower, holding, low=0.71)
    assert answer.status_code == 409 and "published version 1" in answer.json()["errors"][0]["message"]
    assert publish(grower, holding, number=1, low=0.71).status_code == 201
    assert [v["number"] for v in send(grower, "get", f"beds/{holding.beds[0].pk}/programme/").json()["versions"]] == [
        2,
        1,
    ]


def test_a_simulated_day_tells_what_publishing_would_refuse(holding, grower):
    path = f"beds/{holding.beds[0].pk}/programme/simulate/"
    good = send(grower, "post", path, {"body": BODY, "weather": "clear"}).json()
    assert good["problems"] == [] and good["seconds"]["value"] > 200
    good = good["tried"]
    assert len(good["pulses"]) > 5 and good["dose_ml"] == 140 * len(good["pulses"])
    dull = send(grower, "post", path, {"body": BODY, "weather": "dull"}).json()
    assert dull["tried"]["dose_ml"] < good["dose_ml"]
    bad = send(grower, "post", path, {"body": {**BODY, "low": 0.79}, "weather": "clear"})
    assert bad.status_code == 200 and bad.json()["problems"][0]["field"] == "low"
    assert bad.json()["problems"][0]["nearest"] == pytest.approx(0.76)


def test_a_tick_stores_a_decision_with_reasons_and_orders_valve_and_pump(dry, grower):
    assert tick(dry.site, NOW) == 1
    decision = Decision.objects.get()
    assert decision.action == "give" and decision.why == "below_low" and decision.reasons[0]["numbers"]["low"] == 0.72
    pulse = Pulse.objects.get()
    assert pulse.seconds == pytest.approx(140 / 35.1 * 60 + 12)
    commands = Command.objects.order_by("pk")
    assert [c.actuator.kind for c in commands] == ["valve", "pump"]
    assert all(c.seconds == pulse.seconds and c.expires_at > NOW for c in commands)
    control = BedControl.objects.get()
    assert control.latched and control.tries == 1 and control.given_today_ml == 140
    line = send(grower, "get", f"sites/{dry.site.pk}/slip/").json()[0]
    assert line["heading"].startswith("140 mL per plant given") and "70.0 % is under the low of 72.0 %" in line["body"]


def test_one_decision_per_bed_and_tick(dry):
    assert tick(dry.site, NOW) == 1
    assert tick(dry.site, NOW + timedelta(seconds=20)) == 0
    assert tick(dry.site, NOW + timedelta(seconds=60)) == 1
    assert Pulse.objects.count() == 1 and Decision.objects.last().why == "running"


def test_pulse_soak_pulse_until_the_high(dry):
    at, theta = NOW, 0.70
    for _ in range(120):
        dry.set_raw(0, raw_of(theta), at)
        dry.set_tank(2000, at)
        before = Pulse.objects.count()
        tick(dry.site, at)
        theta += 0.025 if Pulse.objects.count() > before else 0
        at += timedelta(minutes=1)
    assert Pulse.objects.count() == 3
    starts = list(Pulse.objects.order_by("ordered_at").values_list("ordered_at", flat=True))
    assert min(b - a for a, b in itertools.pairwise(starts)) >= timedelta(minutes=24)
    assert set(Decision.objects.values_list("why", flat=True)) >= {
        "below_low",
        "towards_high",
        "soaking",
        "running",
        "target_reached",
        "in_band",
    }


def test_tries_end_in_a_fault_that_a_person_clears(dry, grower):
    at = NOW
    for _ in range(8 * 26 + 5):
        dry.set_raw(0, raw_of(0.70), at)
        dry.set_tank(2000, at)
        tick(dry.site, at)
        at += timedelta(minutes=1)
    assert Pulse.objects.count() == 8
    assert BedControl.objects.get().fault == "missed_target"
    watch = send(grower, "get", f"sites/{dry.site.pk}/watch/").json()
    assert watch["beds"][0]["status"] == "fault" and watch["beds"][0]["todo_stage"] == "water"
    assert send(grower, "post", f"beds/{dry.beds[0].pk}/clear-fault/").status_code == 204
    assert send(grower, "post", f"beds/{dry.beds[0].pk}/clear-fault/").status_code == 422
    dry.set_raw(0, raw_of(0.70), at)
    dry.set_tank(2000, at)
    tick(dry.site, at)
    assert Pulse.objects.count() == 9


WITHHELD = [
    (lambda h: h.set_tank(200), "tank_empty"),
    (lambda h: h.set_tank(2000, NOW - timedelta(hours=1)), "tank_unknown"),
    (lambda h: h.set_now(NOW + timedelta(hours=1)), "stale"),
    (lambda h: h.set_raw(0, raw_of(1.3), NOW + timedelta(seconds=1)), "implausible"),
]


@pytest.mark.parametrize("trouble,why", WITHHELD, ids=[w for _, w in WITHHELD])
def test_trouble_withholds_and_is_said(dry, trouble, why):
    trouble(dry)
    from common.clock import site_now

    tick(dry.site, site_now(dry.site))
    assert Decision.objects.get().why == why and not Pulse.objects.exists()


def test_beds_share_a_pump_in_order_of_need(dry, grower):
    dry.calibrate(1)
    dry.set_raw(1, raw_of(0.66))
    publish(grower, dry, bed=1)
    tick(dry.site, NOW)
    given = {d.bed_id: d.action for d in Decision.objects.all()}
    assert given == {dry.beds[1].pk: "give", dry.beds[0].pk: "withhold"}
    assert Decision.objects.get(bed=dry.beds[0]).why == "pump_busy"


def test_an_uncalibrated_bed_is_never_watered(holding, grower):
    holding.set_raw(0, 20000)
    holding.set_tank(2000)
    publish(grower, holding)
    tick(holding.site, NOW)
    assert Decision.objects.get().why == "no_reading" and not Pulse.objects.exists()


def test_stop_voids_what_is_queued_and_closes_the_valve(dry, grower):
    tick(dry.site, NOW)
    assert send(grower, "post", f"beds/{dry.beds[0].pk}/stop/").status_code == 204
    assert [c.seconds for c in Command.objects.filter(state="queued").order_by("pk")] == [0, 0]
    assert Pulse.objects.get().state == "not_given"
    tick(dry.site, NOW + timedelta(minutes=1))
    assert Decision.objects.last().why == "stopped"
    send(grower, "post", f"beds/{dry.beds[0].pk}/resume/")
    assert BedControl.objects.get().stopped is False


def test_a_dose_by_hand_obeys_the_guards_and_says_which(dry, grower):
    path = f"beds/{dry.beds[0].pk}/dose/"
    answer = send(grower, "post", path)
    assert answer.status_code == 201 and answer.json()["seconds"] == pytest.approx(251, abs=1)
    running = send(grower, "post", path)
    assert running.status_code == 422 and "running" in running.json()["errors"][0]["expected"]
    dry.set_tank(100)
    BedControl.objects.update(last_pulse_end=NOW - timedelta(hours=1))
    assert "tank" in send(grower, "post", path).json()["errors"][0]["expected"]
    assert Pulse.objects.get().by == dry.people["grower"]


def test_watch_says_each_beds_state_in_words(dry, grower):
    watch = send(grower, "get", f"sites/{dry.site.pk}/watch/").json()
    first, second = watch["beds"]
    assert first["status"] == "below" and "2.0 points under its band" in first["heading"]
    assert (
        first["theta"]["value"] == pytest.approx(70)
        and "calibration 1" in first["theta"]["source"]
        and first["theta"]["at"]
    )
    assert second["status"] == "no_data" and second["theta"]["value"] is None
    assert watch["sentence"].startswith("One bed needs you: bed 2")
    assert watch["tanks"][0]["content"]["value"] == 2000


def test_ribbon_runs_from_sunset_to_sunset_with_a_forecast(dry, grower):
    dry.set_raw(0, raw_of(0.70), NOW - timedelta(minutes=1))
    ribbon = send(grower, "get", f"beds/{dry.beds[0].pk}/ribbon/").json()
    assert ribbon["start"] < ribbon["sunrise"] < ribbon["now"] < ribbon["end"]
    known = [t for t in ribbon["theta"] if t is not None]
    assert known == [pytest.approx(0.70)]
    assert ribbon["forecast"]["pulses"] and ribbon["forecast"]["next_from"] is not None
    assert len(send(grower, "get", f"sites/{dry.site.pk}/watch/lines/").json()["lines"]) == 2
