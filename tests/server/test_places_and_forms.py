import pytest

from logbook.models import AuditLine
from places.models import Bed
from places.sun import sun_times

from .conftest import BED, fields_of, send

pytestmark = pytest.mark.django_db


def form(holding, **change):
    return {**BED, "name": "1", "version": 1, **change}


def test_a_bed_answers_with_the_figures_that_follow(holding, grower):
    answer = send(
        grower,
        "put",
        f"beds/{holding.beds[0].pk}/",
        form(holding, height_cm=7.5, medium="stone_wool", width_cm=15.0, plants_per_container=3, dry_limit=0.5),
    )
    figures = answer.json()["figures"]
    assert figures["volume"]["value"] == pytest.approx(3.75)
    assert figures["ml_per_point"]["value"] == pytest.approx(37.5)
    assert figures["capacity"]["value"] == pytest.approx(90.9, abs=0.06)
    assert figures["capacity"]["formula"] == "capacity" and figures["capacity"]["source"]


BAD = [
    ({"width_cm": 900.0}, "width_cm"),
    ({"height_cm": 0.0}, "height_cm"),
    ({"plants": 0}, "plants"),
    ({"medium": "moon"}, "medium"),
    ({"dry_limit": 0.85}, "dry_limit"),
    ({"length_cm": None}, "length_cm"),
    ({"name": " "}, "name"),
    ({"name": "2"}, "name"),
    ({"rated_flow_ml_min": 0.0}, "rated_flow_ml_min"),
    ({"plants": "many"}, "plants"),
]


@pytest.mark.parametrize("change,field", BAD, ids=lambda b: str(b))
def test_bad_dimensions_are_told_at_their_field_and_nothing_is_saved(holding, grower, change, field):
    answer = send(grower, "put", f"beds/{holding.beds[0].pk}/", form(holding, **change))
    assert answer.status_code == 422 and field in fields_of(answer)
    assert all(e["message"] for e in answer.json()["errors"])
    bed = Bed.objects.get(pk=holding.beds[0].pk)
    assert bed.version == 1 and bed.width_cm == 18.0 and not AuditLine.objects.exists()


def test_the_second_of_two_people_is_told_who_was_first(holding, client_of):
    path = f"beds/{holding.beds[0].pk}/"
    assert send(client_of("owner"), "put", path, form(holding, plants=170)).status_code == 200
    second = send(client_of("grower"), "put", path, form(holding, plants=160))
    assert second.status_code == 409
    assert str(holding.people["owner"]) in second.json()["errors"][0]["message"]
    assert Bed.objects.get(pk=holding.beds[0].pk).plants == 170


def test_every_change_leaves_an_audit_line_with_before_and_after(holding, grower):
    send(grower, "put", f"beds/{holding.beds[0].pk}/", form(holding, plants=170))
    line = AuditLine.objects.get()
    assert (line.before, line.after) == ({"plants": 180}, {"plants": 170})
    assert line.by == holding.people["grower"] and line.action == "changed"
    assert send(grower, "get", f"sites/{holding.site.pk}/audit/").json()[0]["after"] == {"plants": 170}


def test_a_new_bed_stands_last_on_its_neighbours_pump(holding, grower):
    answer = send(grower, "post", f"houses/{holding.house.pk}/beds/", form(holding, name="3"))
    assert answer.status_code == 201
    bed = Bed.objects.get(pk=answer.json()["id"])
    assert bed.order > holding.beds[-1].order and bed.pump == holding.beds[0].pump


def test_a_described_bed_gets_proposals_without_being_saved(holding, grower):
    answer = send(grower, "post", f"houses/{holding.house.pk}/beds/propose/", form(holding, name="9")).json()
    assert (
        answer["proposed"]["dry_limit"] == pytest.approx(0.486, abs=0.001) and "60 %" in answer["origin"]["dry_limit"]
    )
    assert Bed.objects.count() == 2
    wrong = send(
        grower, "post", f"houses/{holding.house.pk}/beds/propose/", form(holding, name="9", width_cm=900.0)
    ).json()
    assert wrong["figures"] == {} and wrong["problems"][0]["field"] == "width_cm"


def test_site_and_house_forms(holding, client_of):
    owner, site = (
        client_of("owner"),
        {
            "name": "Quay",
            "latitude": 53.0,
            "longitude": 0.2,
            "altitude_m": 3,
            "time_zone": "Europe/London",
            "version": 1,
        },
    )
    assert send(owner, "put", f"sites/{holding.site.pk}/", {**site, "latitude": 95}).status_code == 422
    assert fields_of(send(owner, "put", f"sites/{holding.site.pk}/", {**site, "time_zone": "Moon/Crater"})) == [
        "time_zone"
    ]
    assert send(owner, "put", f"sites/{holding.site.pk}/", site).json()["version"] == 2
    assert send(owner, "put", f"sites/{holding.site.pk}/", site).status_code == 409
    house = {"name": "South", "transmission": 0.7, "drain_returned": False}
    assert send(owner, "post", f"sites/{holding.site.pk}/houses/", house).status_code == 201
    assert fields_of(send(owner, "post", f"sites/{holding.site.pk}/houses/", house)) == ["name"]


def test_sun_times_follow_the_place_and_a_polar_day_has_no_night(holding):
    from datetime import date

    sunrise, sunset = sun_times(holding.site, date(2026, 6, 18))
    assert (sunrise.hour, sunset.hour) == (3, 20)
    holding.site.latitude = 78.0
    start, end = sun_times(holding.site, date(2026, 6, 21))
    assert (end - start).total_seconds() == 86400
    start, end = sun_times(holding.site, date(2026, 12, 21))
    assert (end - start).total_seconds() < 300


def test_notes_are_kept_and_empty_ones_told(holding, grower):
    path = f"sites/{holding.site.pk}/notes/new/"
    assert send(grower, "post", path, {"text": "Slab 14 weighed 4.3 kg", "bed": holding.beds[0].pk}).status_code == 201
    assert fields_of(send(grower, "post", path, {"text": "  "})) == ["text"]
    slip = send(grower, "get", f"sites/{holding.site.pk}/slip/?bed={holding.beds[0].pk}").json()
    assert slip[0]["kind"] == "note" and "4.3 kg" in slip[0]["body"]
    assert fields_of(send(grower, "get", f"sites/{holding.site.pk}/slip/?bed=x")) == ["bed"]


def test_an_ended_session_is_told(holding, grower):
    assert send(grower, "get", "session/").json()["sites"][0]["role"] == "grower"
    send(grower, "post", "session/sign-out/")
    answer = send(grower, "get", "session/")
    assert answer.status_code == 401 and "session has ended" in answer.json()["errors"][0]["message"]


def test_sign_in_and_lock_out_after_many_wrong_passwords(holding, client):
    person = holding.people["viewer"].username
    wrong = [send(client, "post", "session/sign-in/", {"username": person, "password": f"no-{i}"}) for i in range(9)]
    assert wrong[0].status_code == 401 and "not right" in wrong[0].json()["errors"][0]["message"]
    assert wrong[-1].status_code == 403 and "15 minutes" in wrong[-1].json()["errors"][0]["message"]
    right = send(
        client,
        "post",
        "session/sign-in/",
        {"username": holding.people["owner"].username, "password": "a-long-password"},
    )
    assert right.status_code == 200 and right.json()["csrf_token"]


def test_arithmetic_is_served_from_the_registry(holding, grower):
    answer = send(
        grower,
        "post",
        "arithmetic/",
        {
            "formula": "dose_seconds",
            "inputs": {"dose_ml_per_plant": 110, "flow_ml_min_per_plant": 40, "line_fill_s": 12},
        },
    ).json()
    assert answer["value"] == pytest.approx(177) and answer["substituted"] == "110/40.0 60 + 12"
    assert [i["unit"] for i in answer["inputs"]] == ["mL per plant", "mL/min", "s"]
    assert fields_of(send(grower, "post", "arithmetic/", {"formula": "nothing", "inputs": {}})) == ["formula"]
