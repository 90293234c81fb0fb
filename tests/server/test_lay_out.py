"""Lay out: many beds, row order, retiring, media, plumbing, dripper tests, payback, and people asked in."""

from datetime import timedelta

import pytest
from django.core.management import call_command
from django.test import Client

from accounts.invitations import invite
from accounts.models import Invitation, Membership, User
from accounts.roles import Role
from places.models import Bed, DripperTest, House, OwnMedium, Pump, Site, Tank
from watering.control import tick
from watering.models import Decision, ProgrammeVersion

from .conftest import BED, NOW, fields_of, form, raw_of, send

pytestmark = pytest.mark.django_db
CUPS = [62, 58, 60, 61, 55, 59, 60, 52, 61, 63, 57, 60]


def rows(grower, holding):
    layout = send(grower, "get", f"sites/{holding.site.pk}/layout/").json()
    return [b["form"]["name"] for b in layout["houses"][0]["beds"]]


def test_many_beds_alike_are_added_or_none(holding, grower):
    path = f"houses/{holding.house.pk}/beds/many/"
    answer = send(grower, "post", path, {"like": {**BED, "name": "x"}, "count": 8, "first_number": 5})
    assert answer.status_code == 201 and [b["form"]["name"] for b in answer.json()] == [str(n) for n in range(5, 13)]
    again = send(grower, "post", path, {"like": {**BED, "name": "x"}, "count": 4, "first_number": 11})
    assert (
        again.status_code == 422
        and fields_of(again) == ["first_number"]
        and "11, 12" in again.json()["errors"][0]["expected"]
    )
    assert Bed.standing.count() == 10
    assert Bed.standing.exclude(pump=holding.beds[0].pump).count() == 0
    assert fields_of(send(grower, "post", path, {"like": {**BED, "name": "x"}, "count": 0, "first_number": 50})) == [
        "count"
    ]


def test_the_row_is_put_in_order_and_a_stale_row_is_told(holding, grower):
    path, ids = f"houses/{holding.house.pk}/order/", [b.pk for b in holding.beds]
    assert send(grower, "put", path, {"beds": ids[::-1]}).status_code == 204
    assert rows(grower, holding) == ["2", "1"]
    assert fields_of(send(grower, "put", path, {"beds": ids[:1]})) == ["beds"]
    assert rows(grower, holding) == ["2", "1"]


def test_a_retired_bed_leaves_the_row_and_keeps_its_record(holding, grower):
    bed = holding.beds[0]
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.6))
    holding.set_tank(2000)
    send(grower, "post", f"beds/{bed.pk}/programme/publish/", form())
    assert tick(holding.site, NOW) == 1
    busy = send(grower, "post", f"beds/{bed.pk}/retire/", {"version": 1})
    assert busy.status_code == 422 and "pulse" in busy.json()["errors"][0]["expected"]
    bed.pulses.update(state="done")
    assert send(grower, "post", f"beds/{bed.pk}/retire/", {"version": 1}).status_code == 204
    assert rows(grower, holding) == ["2"]
    assert tick(holding.site, NOW + timedelta(minutes=1)) == 0
    assert Decision.objects.filter(bed=bed).count() == 1 and ProgrammeVersion.objects.filter(bed=bed).exists()
    assert send(grower, "post", f"houses/{holding.house.pk}/beds/", {**BED, "name": "1"}).status_code == 201
    assert send(grower, "post", f"beds/{bed.pk}/retire/", {"version": 1}).status_code == 409


@pytest.mark.parametrize(
    ("shape", "sides", "litres"),
    [
        ("trough", {"length_cm": 100, "width_cm": 30, "base_width_cm": 20, "height_cm": 20}, 50),
        ("square_pot", {"top_side_cm": 20, "base_side_cm": 20, "height_cm": 20}, 8),
        ("bag", {"fill_l": 15, "width_cm": 25, "height_cm": 12}, 15),
        ("pot", {"top_diameter_cm": 20, "base_diameter_cm": 20, "height_cm": 20}, 6.283),
    ],
)
def test_every_container_shape_has_its_volume(holding, grower, shape, sides, litres):
    form = {
        **BED,
        "length_cm": None,
        "width_cm": None,
        "shape": shape,
        **sides,
        "plants_per_container": 1,
        "dry_limit": 0.4,
        "name": "s",
    }
    answer = send(grower, "post", f"houses/{holding.house.pk}/beds/", form)
    assert answer.status_code == 201, answer.content
    assert answer.json()["figures"]["container"]["value"] == pytest.approx(litres, rel=1e-3)
    side = next(iter(sides))
    missing = send(grower, "post", f"houses/{holding.house.pk}/beds/", {**form, "name": "t", side: None})
    assert missing.status_code == 422 and side in fields_of(missing)


def test_an_own_medium_moves_the_capacity_of_its_beds(holding, grower):
    form = {"name": "Own mix", "theta_s": 0.8, "theta_r": 0.1, "alpha": 0.1, "n": 1.8, "dry_mix_theta": 0.05}
    made = send(grower, "post", f"sites/{holding.site.pk}/media/new/", form).json()
    bed = send(
        grower,
        "post",
        f"houses/{holding.house.pk}/beds/",
        {**BED, "medium": made["code"], "name": "9", "dry_limit": 0.3},
    ).json()
    before = bed["figures"]["capacity"]["value"]
    assert bed["medium_name"] == "Own mix" and bed["figures"]["capacity"]["inputs"]["theta_s"] == 0.8
    changed = send(grower, "put", f"media/{made['id']}/", {**form, "theta_s": 0.9, "version": 1})
    assert changed.status_code == 200 and changed.json()["beds"] == ["9"]
    layout = send(grower, "get", f"sites/{holding.site.pk}/layout/").json()
    after = next(b for b in layout["houses"][0]["beds"] if b["form"]["name"] == "9")["figures"]["capacity"]["value"]
    assert after > before + 5
    assert (
        fields_of(send(grower, "put", f"media/{made['id']}/", {**form, "theta_r": 0.95, "version": 2}))[0] == "theta_r"
    )
    other = OwnMedium.objects.create(
        site=Site.objects.create(name="Else", latitude=1, longitude=1), **{**form, "origin": "o"}
    )
    foreign = send(
        grower, "post", f"houses/{holding.house.pk}/beds/", {**BED, "medium": f"own-{other.pk}", "name": "8"}
    )
    assert fields_of(foreign) == ["medium"]


def test_a_profile_shows_why_a_tall_pot_drains_better(holding, grower):
    body = {"medium": "coir", "heights_cm": [10, 20], "volume_l": 4.5}
    p = send(grower, "post", f"sites/{holding.site.pk}/media/profile/", body).json()
    assert [round(c["capacity"], 3) for c in p["columns"]] == [0.810, 0.700]
    assert "the taller" in p["sentence"] and p["at_capacity_l"] == pytest.approx(0.810 * 4.5, abs=0.01)
    assert fields_of(
        send(grower, "post", f"sites/{holding.site.pk}/media/profile/", {"medium": "mud", "heights_cm": [10]})
    ) == ["medium"]


def chain(grower, holding):
    return send(grower, "get", f"sites/{holding.site.pk}/plumbing/").json()["chain"][0]


def test_the_chain_says_which_beds_run_together(holding, grower):
    line = chain(grower, holding)["pumps"][0]
    assert line["sequence"][0]["flow_l_min"] <= line["flow_used_l_min"] == 10
    assert line["together"] is False and "2 groups" in line["sentence"]  # 6.3 L/min each, 10 together is not enough
    Pump.objects.update(flow_l_min=14)
    line = chain(grower, holding)["pumps"][0]
    assert line["together"] is True and "both its beds at once" in line["sentence"] and line["load_share"] > 0


def test_a_pump_too_small_is_told_with_its_figures(holding, grower):
    Pump.objects.update(flow_l_min=4)
    line = chain(grower, holding)["pumps"][0]
    assert line["sequence"] == [] and "gives 4.0 L/min" in line["problems"][0] and "6.3 L/min" in line["problems"][0]


def test_a_pumps_flow_follows_from_its_head_and_line(holding, grower):
    form = {
        "name": "Pump", "tank": holding.tank.tank_id, "flow_l_min": 18, "rated_head_m": 20, "shutoff_head_m": 26, "lift_m": 1, "filter_loss_m": 2,
        "injector_loss_m": 3, "main_length_m": 30, "main_diameter_mm": 35, "beds": [b.pk for b in holding.beds], "version": 1,
    }  # fmt: skip
    pump = Pump.objects.get()
    assert send(grower, "put", f"pumps/{pump.pk}/", form).status_code == 200
    line = chain(grower, holding)["pumps"][0]
    assert {h["name"] for h in line["heads"]} == {"lift", "main pipe", "filter", "injector", "at the dripper"}
    head = sum(h["head_m"] for h in line["heads"])
    assert line["flow"]["value"] == pytest.approx(18 * ((26 - head) / 6) ** 0.5, rel=0.01)
    assert line["flow"]["inputs"]["head_m"] == pytest.approx(head, abs=0.01)
    lower = send(grower, "put", f"pumps/{pump.pk}/", {**form, "shutoff_head_m": 15, "version": 2})
    assert fields_of(lower) == ["shutoff_head_m"]
    stale = send(grower, "put", f"pumps/{pump.pk}/", form)
    assert stale.status_code == 409


def test_dripper_lines_give_loss_spread_and_fill(holding, grower):
    Bed.objects.update(laterals=2, lateral_length_m=45, lateral_diameter_mm=13.6)
    bed = chain(grower, holding)["pumps"][0]["beds"][0]
    assert (
        bed["lateral_loss"]["value"] > 0
        and bed["spread_pct"] > 0
        and bed["fill"]["value"] == pytest.approx(124.5, abs=2)
    )
    heads = bed["head_along_m"]
    assert heads == sorted(heads, reverse=True)
    Bed.objects.update(lateral_diameter_mm=6)
    bed = chain(grower, holding)["pumps"][0]["beds"][0]
    assert any("far drippers" in p or "starves" in p for p in bed["problems"])


def test_a_tank_by_its_shape_has_levels_at_scale(holding, grower):
    form = {
        "name": "Long tank",
        "shape": "lying",
        "diameter_cm": 120,
        "length_cm": 200,
        "capacity_l": 1,
        "empty_l": 150,
        "warn_l": 400,
        "overfill_l": 2100,
    }
    made = send(grower, "post", f"sites/{holding.site.pk}/tanks/", form)
    assert made.status_code == 201 and made.json()["form"]["capacity_l"] == pytest.approx(2261.9, abs=0.2)
    lying = next(
        t for t in send(grower, "get", f"sites/{holding.site.pk}/plumbing/").json()["chain"] if t["name"] == "Long tank"
    )
    assert lying["levels_cm"]["empty"] < lying["levels_cm"]["warn"] < lying["levels_cm"]["overfill"] < 120
    assert fields_of(send(grower, "post", f"sites/{holding.site.pk}/tanks/", {**form, "warn_l": 100})) == ["warn_l"]
    assert fields_of(send(grower, "post", f"sites/{holding.site.pk}/tanks/", {**form, "length_cm": None})) == [
        "length_cm"
    ]


def test_a_water_source_keeps_its_analysis(holding, grower):
    path = f"sites/{holding.site.pk}/water-sources/"
    made = send(
        grower, "post", path, {"name": "Basin", "kind": "rain", "ec_ms_cm": 0.2, "ph": 6.8, "sampled_on": "2026-05-12"}
    )
    assert made.status_code == 201 and made.json()["form"]["sampled_on"] == "2026-05-12"
    assert fields_of(send(grower, "post", path, {"name": "B", "kind": "mead"})) == ["kind"]
    assert fields_of(send(grower, "post", path, {"name": "B", "kind": "well", "ph": 15})) == ["ph"]


def test_a_dripper_test_replaces_the_flow_from_now_on(holding, grower):
    bed, body = holding.beds[0], {"volumes_ml": CUPS, "minutes": 2}
    tried = send(grower, "post", f"beds/{bed.pk}/cups/judge/", body).json()
    assert (round(tried["christiansen"], 1), round(tried["low_quarter"], 1)) == (96.0, 92.7)
    assert not DripperTest.objects.exists()
    kept = send(grower, "post", f"beds/{bed.pk}/cups/record/", body).json()
    bed.refresh_from_db()
    assert bed.tested_flow_ml_min == 29.5 and bed.version == 2 and kept["flow_before_ml_min"] == 35.1
    assert kept["seconds_after"] > kept["seconds_before"]
    assert "29.5 instead of 35.1" in kept["sentence"]
    past = send(grower, "get", f"beds/{bed.pk}/cups/").json()
    assert len(past) == 1 and past[0]["cups"] == 12
    assert fields_of(
        send(grower, "post", f"beds/{bed.pk}/cups/record/", {"volumes_ml": [1, 2, -3, 4], "minutes": 2})
    ) == ["volumes_ml"]
    assert fields_of(send(grower, "post", f"beds/{bed.pk}/cups/record/", {"volumes_ml": CUPS, "minutes": 0})) == [
        "minutes"
    ]


def test_weak_drippers_are_named_by_their_place(holding, grower):
    tried = send(
        grower,
        "post",
        f"beds/{holding.beds[0].pk}/cups/judge/",
        {"volumes_ml": [60, 60, 20, 60, 52, 60, 75, 60], "minutes": 2},
    ).json()
    assert "Swap 3" in tried["sentence"] and "clean or open up 5" in tried["sentence"] and "7" in tried["sentence"]


def test_payback_is_proposed_tried_and_kept(holding, grower):
    path = f"sites/{holding.site.pk}/payback/"
    proposed = send(grower, "get", path).json()
    assert proposed["kept"] is False and set(proposed["origin"]) == set(proposed["labels"])
    form = proposed["form"]
    form["assumptions"]["saved_share"] = [0.3, 0.4, 0.5]
    tried = send(grower, "post", path + "try/", form).json()
    assert tried["months_low"] < tried["months_likely"]["value"] < (tried["months_high"] or 1e9)
    assert send(grower, "put", path + "save/", form).status_code == 200
    assert send(grower, "get", path).json()["kept"] is True
    wrong = {**form, "assumptions": {**form["assumptions"], "kit": [5, 4, 3]}}
    assert fields_of(send(grower, "post", path + "try/", wrong)) == ["kit"]


def test_the_zone_follows_from_the_position():
    zone = send(Client(), "post", "zone/", {"latitude": 53.2, "longitude": 0.3})
    assert zone.json() == {"time_zone": "Europe/London"}
    assert fields_of(send(Client(), "post", "zone/", {"latitude": 95, "longitude": 0})) == ["latitude"]


def test_an_invitation_makes_one_person_once(holding, client_of):
    made = send(client_of("owner"), "post", f"sites/{holding.site.pk}/invitations/", {"role": "grower"}).json()
    token = made["path"].removeprefix("/welcome/")
    assert token not in str(list(Invitation.objects.values()))  # only a digest is kept
    guest, path = Client(), f"welcome/{token}/"
    assert send(guest, "get", path).json() == {"role": "grower", "first": False, "site": "Test Quay"}
    weak = send(guest, "post", path + "accept/", {"username": "mara", "full_name": "Mara", "password": "short"})
    assert fields_of(weak) == ["password"]
    assert (
        send(
            guest, "post", path + "accept/", {"username": "mara", "full_name": "Mara", "password": "a-long-password"}
        ).status_code
        == 201
    )
    assert Membership.objects.get(user__username="mara").role == "grower"
    assert rows(guest, holding) == ["1", "2"]
    assert fields_of(send(Client(), "get", path)) == ["token"]


def test_an_old_invitation_no_longer_opens(holding):
    token = invite(holding.site, Role.VIEWER, None, NOW - timedelta(days=8))
    assert fields_of(send(Client(), "get", f"welcome/{token}/")) == ["token"]


def test_the_first_owner_describes_the_holding_and_the_link_ends(db, capsys, monkeypatch):
    monkeypatch.setenv("GATEWAY_TOKEN", "local-gateway")
    call_command("first_link")
    token = capsys.readouterr().out.strip()
    guest, path = Client(), f"welcome/{token}/"
    assert send(guest, "get", path).json()["first"] is True
    site = {"name": "New Quay", "latitude": 53.0, "longitude": 0.2, "altitude_m": 3, "time_zone": "Europe/London"}
    body = {"username": "ada", "full_name": "Ada", "password": "a-long-password"}
    assert fields_of(send(guest, "post", path + "accept/", body)) == ["site"]
    wrong = send(guest, "post", path + "accept/", {**body, "site": {**site, "latitude": 99, "time_zone": "Mars"}})
    assert fields_of(wrong) == ["latitude", "time_zone"] and not User.objects.exists()
    assert send(guest, "post", path + "accept/", {**body, "site": site}).status_code == 201
    assert Site.objects.get().nodes.get().name == "Gateway"
    call_command("first_link")
    assert capsys.readouterr().out == ""


def test_an_empty_site_answers_everywhere(client_of, holding):
    site = Site.objects.create(name="Empty", latitude=1, longitude=1)
    Membership.objects.create(user=holding.people["owner"], site=site, role="owner")
    owner = client_of("owner")
    for path in (
        "layout/",
        "plumbing/",
        "media/",
        "payback/",
        "people/",
        "nodes/",
        "electrics/",
        "watch/",
        "sensor-kinds/",
    ):
        assert send(owner, "get", f"sites/{site.pk}/{path}").status_code == 200, path
    assert House.objects.filter(site=site).count() == Tank.objects.filter(site=site).count() == 0
