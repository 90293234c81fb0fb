"""Units a person reads in, and what a house is built and fitted with."""

import pytest

from logbook.models import AuditLine

from .conftest import fields_of, send

pytestmark = pytest.mark.django_db
HOUSE = {"name": "North", "transmission": 0.7, "drain_returned": False, "version": 1}


def chosen(answer):
    return {u["quantity"]: u["code"] for u in answer.json()["units"] if u["chosen"]}


def test_units_follow_the_person_and_not_the_holding(client_of):
    grower, viewer = client_of("grower"), client_of("viewer")
    assert chosen(send(grower, "get", "session/"))["temperature"] == "c"
    answer = send(grower, "put", "session/units/", {"units": {"temperature": "f", "water": "relative"}})
    assert answer.status_code == 200
    assert chosen(send(grower, "get", "session/")) == {
        "temperature": "f",
        "water": "relative",
        "pressure": "kpa",
        "conductivity": "ms_cm",
        "length": "cm",
    }
    assert chosen(send(viewer, "get", "session/"))["temperature"] == "c"


def test_a_unit_says_how_it_is_shown(grower):
    units = {u["code"]: u for u in send(grower, "get", "session/").json()["units"]}
    assert 20 * units["f"]["factor"] + units["f"]["offset"] == 68
    assert units["ppm640"]["inside"] == "mS/cm" and "640" in units["ppm640"]["label"]
    assert units["us_cm"]["fewer_digits"] == 3 and units["inch"]["fewer_digits"] == 0


@pytest.mark.parametrize(
    ("units", "expects"), [({"temperature": "kpa"}, "c, f"), ({"colour": "red"}, "a quantity"), ({"water": "f"}, "raw")]
)
def test_a_unit_of_another_quantity_is_refused(grower, units, expects):
    answer = send(grower, "put", "session/units/", {"units": units})
    assert answer.status_code == 422 and fields_of(answer) == list(units)
    assert expects in answer.json()["errors"][0]["expected"]
    assert chosen(send(grower, "get", "session/"))["temperature"] == "c"


def test_a_house_keeps_its_cover_screens_and_gear(holding, grower):
    form = {
        **HOUSE,
        "cover": "double_film",
        "screens": ["shade"],
        "gear": ["vents", "co2"],
        "whitewashed_on": "2026-05-02",
    }
    assert send(grower, "put", f"houses/{holding.house.pk}/", form).status_code == 200
    layout = send(grower, "get", f"sites/{holding.site.pk}/layout/").json()
    kept = layout["houses"][0]["form"]
    assert {k: kept[k] for k in form if k != "version"} == {k: v for k, v in form.items() if k != "version"}
    assert layout["gear"]["co2"] == "CO2 dosing" and "energy" in layout["screens"]
    assert AuditLine.objects.get().after["whitewashed_on"] == "2026-05-02"


@pytest.mark.parametrize(
    ("field", "value"), [("screens", ["curtain"]), ("gear", ["vents", "robot"]), ("cover", "straw")]
)
def test_gear_that_is_not_known_is_refused_at_its_field(holding, grower, field, value):
    answer = send(grower, "put", f"houses/{holding.house.pk}/", {**HOUSE, field: value})
    assert answer.status_code in (400, 422) and fields_of(answer) == [field]
    holding.house.refresh_from_db()
    assert holding.house.name == "House North" and holding.house.gear == []
