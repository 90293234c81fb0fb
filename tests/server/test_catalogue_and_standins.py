"""The catalogue as the interface gets it, stand-in sensors put about, and what nodes may not do."""

import pytest
from django.test import Client

from accounts.models import Membership
from calibration.models import CalibrationVersion
from common.authentication import hash_token
from fitting.building import FAULTS, standin_token
from fitting.models import Channel, Node, Probe
from places.models import OwnMedium, Site
from readings.models import Latest, Reading
from reedcore.sensors import sensor_kinds

from .conftest import NOW, fields_of, node_headers, send, straight_line

pytestmark = pytest.mark.django_db


def standin(client, holding, **more):
    body = {
        "name": "Try 1",
        "kind": "modbus_tcp",
        "standin": True,
        "sensors": [{"kind": "capacitive", "bed": holding.beds[0].pk}],
        **more,
    }
    answer = send(client, "post", f"sites/{holding.site.pk}/nodes/new/", body)
    assert answer.status_code == 201, answer.content
    return answer.json()


def test_the_catalogue_has_every_kind_with_its_test_in_words(holding, grower):
    catalogue = send(grower, "get", "catalogue/").json()
    assert {k["code"] for k in catalogue["kinds"]} == set(sensor_kinds())
    capacitive = next(k for k in catalogue["kinds"] if k["code"] == "capacitive")
    assert capacitive["phases"] == ["in air", "in wet medium", "in air again"] and capacitive["places"] == "substrate"
    assert len(catalogue["wants"]) > 20 and len(catalogue["links"]) == 6


def test_choices_say_whether_they_suit(grower):
    body = {"want": "water_content", "medium": "coir", "months": 36, "budget": 1, "link": "sdi12"}
    choices = send(grower, "post", "catalogue/choose/", body).json()
    assert [c["kind"]["code"] for c in choices if c["suits"]] == []
    assert any("over the budget" in a for c in choices for a in c["against"])
    assert fields_of(send(grower, "post", "catalogue/choose/", {**body, "months": 0})) == ["months"]


def test_the_kinds_a_site_has_fitted(holding, grower):
    assert send(grower, "get", f"sites/{holding.site.pk}/sensor-kinds/").json() == []
    standin(grower, holding)
    assert [k["code"] for k in send(grower, "get", f"sites/{holding.site.pk}/sensor-kinds/").json()] == ["capacitive"]


def test_faults_are_offered_by_name(grower):
    assert [f["name"] for f in send(grower, "get", "standin-faults/").json()] == list(FAULTS)


@pytest.mark.parametrize("place", ["first", "changed", "dry_mix", "drained_mix", "water", "bed"])
def test_a_standin_probe_is_put_about_and_counts_as_moved(holding, grower, place):
    made = standin(grower, holding)
    assert send(grower, "post", f"channels/{made['channels'][0]}/standin-place/", {"place": place}).status_code == 204
    channel = Channel.objects.select_related("probe").get(pk=made["channels"][0])
    assert channel.standin_place == place and channel.probe.moved_at == NOW
    world = Client().get("/api/standin/world/", **node_headers(holding, gateway=True)).json()
    assert world["nodes"][0]["channels"][0]["place"] == place


def test_all_channels_of_one_rod_move_together_and_others_stay(holding, grower):
    made = standin(
        grower,
        holding,
        sensors=[{"kind": "dielectric", "bed": holding.beds[0].pk}, {"kind": "co2", "house": holding.house.pk}],
    )
    send(grower, "post", f"channels/{made['channels'][0]}/standin-place/", {"place": "water"})
    places = list(Channel.objects.filter(node_id=made["id"]).order_by("pk").values_list("standin_place", flat=True))
    assert places == ["water"] * 4 + ["bed"]


def test_a_place_that_is_none_and_a_real_probe_are_refused(holding, grower):
    made = standin(grower, holding)
    assert fields_of(send(grower, "post", f"channels/{made['channels'][0]}/standin-place/", {"place": "moon"})) == [
        "place"
    ]
    assert fields_of(send(grower, "post", f"channels/{holding.raw[0].pk}/standin-place/", {"place": "water"})) == [
        "channel"
    ]


def test_the_calibration_bench_knows_which_probes_are_standins(holding, grower):
    made = standin(grower, holding)
    rows = {p["name"]: p for p in send(grower, "get", f"sites/{holding.site.pk}/probes/").json()}
    assert rows["1B"]["standin_channel"] == made["channels"][0] and rows["1A"]["standin_channel"] is None


def test_a_new_probe_has_a_letter_of_its_own(holding, grower):
    for name in ("A", "B", "C"):
        standin(grower, holding, name=name)
    assert sorted(Probe.objects.filter(bed=holding.beds[0]).values_list("name", flat=True)) == ["1A", "1B", "1C", "1D"]


def test_one_more_sensor_goes_behind_those_that_are_there(holding, grower):
    made = standin(grower, holding)
    answer = send(grower, "post", f"nodes/{made['id']}/sensors/", {"kind": "air", "house": holding.house.pk})
    assert answer.status_code == 201
    registers = list(Channel.objects.filter(node_id=made["id"]).order_by("pk").values_list("register", flat=True))
    assert registers == [0, 8, 9]


def test_a_node_may_not_post_for_another(holding, grower):
    mine = standin(grower, holding, kind="http")
    token = standin_token(Node.objects.get(pk=mine["id"]))
    headers = {"HTTP_AUTHORIZATION": f"Node {token}"}
    body = {"values": {str(holding.raw[0].pk): 1.0}}
    answer = Client().post("/api/post/values/", data=body, content_type="application/json", **headers).json()
    assert answer["kept"] == 0 and answer["refused"][0]["field"] == "name"
    assert not Reading.objects.filter(channel=holding.raw[0]).exists()


def test_a_new_token_ends_the_old_one(holding, grower, client_of):
    made = standin(grower, holding, kind="http")
    node = Node.objects.get(pk=made["id"])
    old = standin_token(node)
    fresh = send(client_of("owner"), "post", f"nodes/{node.pk}/token/").json()["token"]
    node.refresh_from_db()
    assert node.token_hash == hash_token(fresh) != hash_token(old)
    answer = Client().post(
        "/api/post/values/",
        data={"values": {"x": 1}},
        content_type="application/json",
        HTTP_AUTHORIZATION=f"Node {old}",
    )
    assert answer.status_code == 401


def test_what_is_no_set_of_values_is_refused(holding, grower):
    made = standin(grower, holding, kind="http")
    headers = {"HTTP_AUTHORIZATION": f"Node {standin_token(Node.objects.get(pk=made['id']))}"}
    for values in ({}, [], "wet"):
        answer = Client().post("/api/post/values/", data={"values": values}, content_type="application/json", **headers)
        assert answer.status_code == 422


def test_an_answer_that_is_not_hexadecimal_is_refused(holding):
    answer = Client().post(
        "/api/gateway/bus/answer/",
        data={"number": 1, "answer": "zz"},
        content_type="application/json",
        **node_headers(holding, gateway=True),
    )
    assert fields_of(answer) == ["answer"]


def test_the_spread_between_calibrated_probes_is_seen(holding, grower):
    bed = holding.beds[0]
    for i, raw in enumerate((16000, 15000, 14000)):
        probe = Probe.objects.create(
            bed=bed, name=f"s{i}", kind="rod", span_raw=20000, depth_cm=6, dripper_distance_cm=6, fitted_at=NOW
        )
        channel = Channel.objects.create(node=holding.node, quantity="raw", bed=bed, probe=probe, register=60 + i)
        Latest.objects.create(channel=channel, time=NOW, raw=raw, quality=0)
        CalibrationVersion.objects.create(**straight_line(channel, holding.people["owner"]))
    answer = send(grower, "post", f"beds/{bed.pk}/probes-needed/", {"spread_points": 5, "tolerance_points": 5}).json()
    assert answer["seen_spread_points"] == pytest.approx(5.0) and "5.0 points now" in answer["sentence"]


def test_people_see_only_their_own_sites_people_and_media(holding, client_of):
    other = Site.objects.create(name="Far Quay", latitude=1, longitude=1)
    OwnMedium.objects.create(
        site=other, name="Secret", theta_s=0.9, theta_r=0.1, alpha=0.1, n=1.8, dry_mix_theta=0.05, origin="o"
    )
    people = send(client_of("viewer"), "get", f"sites/{holding.site.pk}/people/").json()
    assert len(people) == Membership.objects.filter(site=holding.site).count() == 3
    media = send(client_of("viewer"), "get", f"sites/{holding.site.pk}/media/").json()
    assert "Secret" not in [m["form"]["name"] for m in media]
    assert send(client_of("viewer"), "get", f"sites/{other.pk}/media/").status_code == 404


def test_a_wiring_sheet_warns_of_a_probe_that_corrodes(holding, grower):
    made = standin(
        grower,
        holding,
        sensors=[
            {
                "kind": "resistive",
                "bed": holding.beds[0].pk,
                "input": "counts",
                "input_settings": {"low": 0, "high": 65535},
            }
        ],
    )
    row = send(grower, "get", f"nodes/{made['id']}/sheet/").json()["sensors"][0]
    assert row["notes"] == ["Power it only while reading: it corrodes."] and row["input"] == "converter counts"
    assert "cm deep" in row["depth"] and row["what"] == "bare resistive probe"
