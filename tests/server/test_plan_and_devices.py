"""The plan calendar with its ways out and in, other devices by their rules, rain on open beds, practice runs."""

import json
from datetime import date, timedelta
from pathlib import Path

import pytest

from fitting.models import Actuator, Channel
from readings.models import Latest, Reading
from watering.control import tick
from watering.models import (
    BedControl,
    Command,
    Decision,
    DeviceControl,
    DrillRun,
    PlanEntry,
    Pulse,
    SharedProgramme,
)
from watering.plan import plan_schema

from .conftest import BODY, NOW, fields_of, form, raw_of, send
from .test_programmes import climate

pytestmark = pytest.mark.django_db


@pytest.fixture
def planned(holding, grower):
    """Bed 1 calibrated and dry with a programme; a shared programme to plan with."""
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    holding.set_tank(2000)
    send(grower, "post", f"beds/{holding.beds[0].pk}/programme/publish/", form())
    shared = {"name": "Dry summer", "body": {**BODY, "low": 0.60, "rescue": 0.50}, "beds": []}
    assert send(grower, "post", f"sites/{holding.site.pk}/shared-programmes/publish/", shared).status_code == 201
    return holding


def plan(grower, holding, **change):
    line = {
        "kind": "programme",
        "title": "Summer",
        "first_day": "2026-06-18",
        "last_day": "2026-06-20",
        "programme": "Dry summer",
    }
    return send(grower, "post", f"sites/{holding.site.pk}/plan/new/", {**line, **change})


def test_a_planned_programme_acts_on_its_days_and_then_the_beds_own_again(planned, grower):
    assert plan(grower, planned).status_code == 201
    tick(planned.site, NOW)
    assert Decision.objects.get(bed=planned.beds[0]).why == "in_band", "70 % is over the planned low of 60 %"
    shown = send(grower, "get", f"beds/{planned.beds[0].pk}/programme/").json()
    assert (
        shown["planned"] == "Summer"
        and shown["acting"]["body"]["low"] == 0.60
        and shown["published"]["body"]["low"] == 0.72
    )
    after = NOW + timedelta(days=3)
    planned.set_raw(0, raw_of(0.70), after)
    planned.set_tank(2000, after)
    tick(planned.site, after)
    assert Pulse.objects.count() == 1


def test_a_day_without_water_goes_before_a_programme(planned, grower):
    plan(grower, planned)
    assert plan(grower, planned, kind="hold", title="Spraying", programme="", bed=planned.beds[0].pk).status_code == 201
    tick(planned.site, NOW)
    assert Decision.objects.get(bed=planned.beds[0]).why == "exception"
    assert "The calendar holds it: Spraying" in str(
        [x["body"] for x in send(grower, "get", f"sites/{planned.site.pk}/slip/").json()]
    )


def test_a_plan_for_a_growth_stage_rules_only_beds_in_it(planned, grower):
    assert fields_of(plan(grower, planned, growth_stage="flowering")) == ["growth_stage"]
    planned.beds[0].growth_stage = "flowering"
    planned.beds[0].save()
    answer = plan(grower, planned, growth_stage="flowering").json()
    assert answer["entries"][0]["beds"] == ["1"] and answer["stages"] == ["flowering"]


BAD = [
    ({"title": " "}, "title"),
    ({"last_day": "2026-06-01"}, "last_day"),
    ({"last_day": "2030-06-01"}, "last_day"),
    ({"programme": "Nobody's"}, "programme"),
    ({"kind": "hold"}, "programme"),
    ({"house": 999999}, "house"),
    ({"bed": 999999}, "bed"),
    ({"first_day": "soon"}, "first_day"),
]


@pytest.mark.parametrize(("change", "field"), BAD, ids=lambda b: str(b)[:40])
def test_bad_lines_are_told_at_their_field(planned, grower, change, field):
    answer = plan(grower, planned, **change)
    assert answer.status_code == 422 and field in fields_of(answer) and not PlanEntry.objects.exists()


def test_two_programmes_on_one_day_are_refused_with_the_next_free_day(planned, grower):
    plan(grower, planned)
    answer = plan(grower, planned, title="Other", first_day="2026-06-20", last_day="2026-06-25")
    assert (
        fields_of(answer) == ["first_day"]
        and "the next free day is 2026-06-21" in answer.json()["errors"][0]["expected"]
    )
    assert plan(grower, planned, title="Other", first_day="2026-06-21", last_day="2026-06-25").status_code == 201


def test_a_line_under_way_ends_and_keeps_what_it_ruled(planned, grower):
    PlanEntry.objects.create(
        site=planned.site,
        kind="hold",
        title="Holiday",
        first_day=date(2026, 6, 16),
        last_day=date(2026, 6, 22),
        made_by=planned.people["owner"],
        made_at=NOW,
    )
    entry = PlanEntry.objects.get()
    send(grower, "post", f"plan/{entry.pk}/end/")
    entry.refresh_from_db()
    assert entry.last_day == date(2026, 6, 17)
    coming = plan(grower, planned, first_day="2026-07-01", last_day="2026-07-02").json()["entries"][-1]["id"]
    send(grower, "post", f"plan/{coming}/end/")
    assert PlanEntry.objects.count() == 1


def test_the_plan_goes_out_and_comes_in_again_elsewhere(planned, grower):
    plan(grower, planned, house=planned.house.pk)
    plan(
        grower,
        planned,
        kind="hold",
        title="Spraying",
        programme="",
        bed=planned.beds[1].pk,
        first_day="2026-06-25",
        last_day="2026-06-25",
    )
    path = f"sites/{planned.site.pk}/plan/"
    document, calendar = (
        send(grower, "get", path + "export/").json(),
        send(grower, "get", path + "calendar.ics").content.decode(),
    )
    assert document["format"] == "tall-reed-plan/1" and document["programmes"][0]["name"] == "Dry summer"
    assert "BEGIN:VEVENT" in calendar and "DTEND;VALUE=DATE:20260621" in calendar
    before = [
        (e.title, e.first_day, e.last_day, e.house_id, e.bed_id, e.kind) for e in PlanEntry.objects.order_by("pk")
    ]
    for way in ("json", "ics"):
        PlanEntry.objects.all().delete()
        answer = (
            send(grower, "post", path + "import/", document)
            if way == "json"
            else grower.post(f"/api/{path}calendar/", data=calendar, content_type="text/calendar")
        )
        assert answer.status_code == 201 and answer.json() == {"entries": 2}, answer.content
        assert [
            (e.title, e.first_day, e.last_day, e.house_id, e.bed_id, e.kind) for e in PlanEntry.objects.order_by("pk")
        ] == before


def test_the_documented_schema_of_a_plan_is_the_one_in_force():
    kept = Path(__file__).parent.parent.parent / "docs" / "plan.schema.json"
    assert json.loads(kept.read_text()) == json.loads(json.dumps(plan_schema()))


DAMAGED = [
    ({"format": "other/1"}, "format"),
    ({"format": "tall-reed-plan/1", "entries": "none"}, "entries"),
    ({"format": "tall-reed-plan/1", "entries": [{"kind": "party"}]}, "entries.0.kind"),
    (
        {"format": "tall-reed-plan/1", "entries": [{"kind": "hold", "title": "x", "first_day": "soon"}]},
        "entries.0.first_day",
    ),
    (
        {
            "format": "tall-reed-plan/1",
            "entries": [
                {"kind": "hold", "title": "x", "first_day": "2026-07-01", "last_day": "2026-07-01", "bed": "77"}
            ],
        },
        "entries.0.bed",
    ),
    ({"format": "tall-reed-plan/1", "programmes": [{"name": "P", "body": {"low": 1}}]}, "programmes.0.programme.start"),
    (
        {
            "format": "tall-reed-plan/1",
            "entries": [{"kind": "hold", "title": "", "first_day": "2026-07-01", "last_day": "2026-07-01"}],
        },
        "entries.0.title",
    ),
]


@pytest.mark.parametrize(("document", "field"), DAMAGED, ids=[d[1] for d in DAMAGED])
def test_damaged_documents_name_the_place_and_leave_nothing(planned, grower, document, field):
    answer = send(grower, "post", f"sites/{planned.site.pk}/plan/import/", document)
    assert answer.status_code == 422 and field in fields_of(answer)
    assert not PlanEntry.objects.exists() and SharedProgramme.objects.count() == 1


EVENTS = [
    ("not a calendar", "calendar"),
    (
        "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20260701\r\nSUMMARY:Dentist\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
        "event 1.categories",
    ),
    (
        "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nSUMMARY:Off\r\nCATEGORIES:hold\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
        "event 1.dtstart",
    ),
]


@pytest.mark.parametrize(("text", "field"), EVENTS, ids=[e[1] for e in EVENTS])
def test_a_plain_appointment_stops_no_water(planned, grower, text, field):
    answer = grower.post(f"/api/sites/{planned.site.pk}/plan/calendar/", data=text, content_type="text/calendar")
    assert answer.status_code == 422 and fields_of(answer) == [field]


HEATER = {"kind": "heater", "day": 18.0, "night": 16.0, "dead_band": 1.0, "min_on_min": 0.0, "min_off_min": 0.0}
VENT = {"kind": "vent", "day": 24.0, "night": 22.0, "dead_band": 1.0, "min_on_min": 0.0, "min_off_min": 0.0}


def contact(holding, coil, name):
    return Actuator.objects.create(
        node=holding.node,
        kind="contact",
        name=name,
        coil=coil,
        command_register=600 + 10 * coil,
        status_register=900 + 10 * coil,
    )


def rule(grower, holding, device, settings, number=0):
    return send(
        grower,
        "post",
        f"devices/{device.pk}/rule/",
        {"house": holding.house.pk, "settings": settings, "number": number},
    )


def test_a_heater_runs_by_orders_that_end_by_themselves(holding, grower):
    device = contact(holding, 20, "Heater")
    assert rule(grower, holding, device, HEATER).status_code == 201
    climate(holding, 0.0, temp=15.0)
    tick(holding.site, NOW)
    order = Command.objects.get()
    assert order.seconds == 180 and order.actuator == device and DeviceControl.objects.get().on
    Command.objects.update(state="started", started_at=NOW)
    for minute, orders in ((1, 1), (2, 2), (3, 2), (4, 3)):
        climate(holding, 0.0, minute, temp=15.5)
        tick(holding.site, NOW + timedelta(minutes=minute))
        assert Command.objects.count() == orders, (
            "while it is to stay on it is ordered anew, before the last order ends"
        )
    climate(holding, 0.0, 5, temp=19.0)
    tick(holding.site, NOW + timedelta(minutes=5))
    assert Command.objects.latest("pk").seconds == 0 and not DeviceControl.objects.get().on
    climate(holding, 0.0, 6, temp=19.0)
    tick(holding.site, NOW + timedelta(minutes=6))
    assert Command.objects.count() == 4, "off is said once"
    line = send(grower, "get", f"sites/{holding.site.pk}/devices/").json()["devices"][0]
    assert line["starts_ever"] == 1 and "19.0 °C against 18" in line["why"]


def test_heater_and_vent_are_never_on_together(holding, grower):
    heater, vent = contact(holding, 20, "Heater"), contact(holding, 21, "Vent")
    rule(grower, holding, heater, HEATER)
    refused = rule(grower, holding, vent, {**VENT, "day": 17.0})
    assert fields_of(refused) == ["day"] and "run against each other" in refused.json()["errors"][0]["expected"]
    assert rule(grower, holding, vent, VENT).status_code == 201
    for i, temp in enumerate((10.0, 30.0, 10.0, 30.0)):
        climate(holding, 0.0, i, temp=temp)
        tick(holding.site, NOW + timedelta(minutes=i))
        assert DeviceControl.objects.filter(on=True).count() <= 1


def test_by_hand_ends_by_itself(holding, grower):
    device = contact(holding, 20, "Heater")
    path = f"devices/{device.pk}/by-hand/"
    assert fields_of(send(grower, "post", path, {"on": True, "minutes": 30})) == ["actuator"]
    rule(grower, holding, device, HEATER)
    assert fields_of(send(grower, "post", path, {"on": True, "minutes": 9999})) == ["minutes"]
    send(grower, "post", path, {"on": True, "minutes": 5})
    climate(holding, 0.0, temp=30.0)
    tick(holding.site, NOW)
    assert DeviceControl.objects.get().on
    climate(holding, 0.0, 6, temp=30.0)
    tick(holding.site, NOW + timedelta(minutes=6))
    control = DeviceControl.objects.get()
    assert not control.on and control.manual_until is None


def test_rules_of_valves_and_stale_versions_are_refused(holding, grower):
    valve = holding.beds[0].valve
    assert fields_of(rule(grower, holding, valve, HEATER)) == ["actuator"]
    device = contact(holding, 20, "Heater")
    assert fields_of(rule(grower, holding, device, {**HEATER, "day": 90.0})) == ["day"]
    rule(grower, holding, device, HEATER)
    assert rule(grower, holding, device, HEATER).status_code == 409


def test_rain_holds_and_counts_on_open_beds(planned, grower):
    planned.house.cover = "open"
    planned.house.save()
    send(
        grower,
        "post",
        f"beds/{planned.beds[0].pk}/programme/publish/",
        form(1, rain={"hold_min": 30.0, "credit_share": 0.5}),
    )
    gauge = Channel.objects.create(node=planned.node, quantity="rain_tips", register=500)
    tick(planned.site, NOW - timedelta(minutes=1))
    Command.objects.all().delete()
    Pulse.objects.all().delete()
    BedControl.objects.update(last_pulse_end=None, last_pulse_start=None)
    Reading.objects.bulk_create(
        [Reading(channel=gauge, time=NOW - timedelta(seconds=50 - i), raw=10 + i) for i in range(11)]
    )
    Latest.objects.create(channel=gauge, time=NOW, raw=20, quality=0)
    tick(planned.site, NOW)
    assert Decision.objects.latest("tick_at").why == "rain_hold"
    # 10 tips of 0.2 mm are 2 L a m2, 0.77 L a plant at 2.6 plants a m2; half of it counts.
    assert BedControl.objects.get(bed=planned.beds[0]).rain_credit_ml == pytest.approx(2000 / 2.6 * 0.5)
    later = NOW + timedelta(minutes=40)
    planned.set_raw(0, raw_of(0.70), later)
    planned.set_tank(2000, later)
    tick(planned.site, later)
    assert Decision.objects.latest("tick_at").why == "rain_credit" and not Pulse.objects.exists()
    left = BedControl.objects.get(bed=planned.beds[0]).rain_credit_ml
    assert left == pytest.approx(2000 / 2.6 * 0.5 - 140)
    soon = later + timedelta(minutes=1)
    planned.set_raw(0, raw_of(0.70), soon)
    tick(planned.site, soon)
    assert BedControl.objects.get(bed=planned.beds[0]).rain_credit_ml == left, (
        "the soak of a credited pulse is waited for"
    )


def test_practice_hides_the_fault_scores_once_and_is_ones_own(holding, grower, client_of):
    run = send(grower, "post", "drills/begin/", {"drill": "drill-2"}).json()
    assert run["true"] == [] and run["record"] == "" and all(not look["shows"] for look in run["looks"])
    seen = send(grower, "post", f"drills/runs/{run['run']}/look/", {"look": "cups"}).json()
    assert [x["code"] for x in seen["looks"] if x["shows"]] == ["cups"] and seen["minutes"] == 10
    assert send(client_of("viewer"), "post", f"drills/runs/{run['run']}/look/", {"look": "cups"}).status_code == 404
    assert fields_of(send(grower, "post", f"drills/runs/{run['run']}/look/", {"look": "stars"})) == ["look"]
    over = send(grower, "post", f"drills/runs/{run['run']}/answer/", {"cause": "salt", "remedy": "more_water"}).json()
    assert over["points"] is not None and over["true"] and over["record"]
    again = send(grower, "post", f"drills/runs/{run['run']}/answer/", {"cause": "salt", "remedy": "leach"})
    assert again.status_code == 422 and DrillRun.objects.get().score == over["points"]
    assert next(d for d in send(grower, "get", "drills/").json() if d["code"] == "drill-2")["tries"] == 1
    assert fields_of(send(grower, "post", "drills/begin/", {"drill": "drill-99"})) == ["drill"]


def test_a_contact_without_a_rule_runs_only_while_it_is_held(holding, grower):
    drain = contact(holding, 22, "Drain valve")
    for _ in range(3):
        assert send(grower, "post", f"devices/{drain.pk}/hold/").status_code == 204
    assert send(grower, "post", f"devices/{drain.pk}/release/").status_code == 204
    orders = list(Command.objects.order_by("pk").values_list("seconds", "state"))
    assert [s for s, _ in orders] == [3, 3, 3, 0] and [w for _, w in orders] == ["expired"] * 3 + ["queued"]
    rule(grower, holding, drain, HEATER)
    assert fields_of(send(grower, "post", f"devices/{drain.pk}/hold/")) == ["actuator"]
    assert fields_of(send(grower, "post", f"devices/{holding.beds[0].valve.pk}/hold/")) == ["actuator"]


def test_the_emergency_stop_holds_devices_too(holding, grower):
    device = contact(holding, 20, "Heater")
    rule(grower, holding, device, HEATER)
    climate(holding, 0.0, temp=10.0)
    tick(holding.site, NOW)
    assert DeviceControl.objects.get().on
    send(grower, "post", f"houses/{holding.house.pk}/stop/")
    climate(holding, 0.0, 1, temp=10.0)
    tick(holding.site, NOW + timedelta(minutes=1))
    assert not DeviceControl.objects.get().on and Command.objects.filter(actuator=device).latest("pk").seconds == 0
    send(grower, "post", f"houses/{holding.house.pk}/resume/")
    climate(holding, 0.0, 2, temp=10.0)
    tick(holding.site, NOW + timedelta(minutes=2))
    assert DeviceControl.objects.get().on


def test_a_bed_that_waits_for_its_pump_is_not_passed_over_for_ever(planned, grower):
    """The other bed is always drier; after waiting long enough the first goes before it."""
    first, second = planned.beds
    planned.calibrate(1)
    send(grower, "post", f"beds/{second.pk}/programme/publish/", form())
    given = []
    for minute in range(0, 90):
        now = NOW + timedelta(minutes=minute)
        planned.set_raw(0, raw_of(0.70), now)
        planned.set_raw(1, raw_of(0.66), now)
        planned.set_tank(2000, now)
        before = set(Pulse.objects.values_list("pk", flat=True))
        tick(planned.site, now)
        given += [p.bed_id for p in Pulse.objects.exclude(pk__in=before)]
    assert given[0] == second.pk and first.pk in given and second.pk in given[1:]
