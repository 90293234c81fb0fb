"""Fit: what the gateway is told, what it tells back, tokens, and the nodes as a person sees them."""

from datetime import datetime, timedelta

import pytest
from django.test import Client

from fitting.models import Channel, Node
from watering.models import Command

from .conftest import NOW, TOKEN, node_headers, send

pytestmark = pytest.mark.django_db


def as_gateway(holding, method, path, body=None):
    return send(Client(), method, path, body, **node_headers(holding, gateway=True))


def nodes_of(holding, client):
    return {n["name"]: n for n in send(client, "get", f"sites/{holding.site.pk}/nodes/").json()}


def test_the_gateway_is_told_register_maps_and_the_sites_clock(holding):
    config = as_gateway(holding, "get", "gateway/config/").json()
    assert config["rate"] == 0.0 and datetime.fromisoformat(config["anchor_site"]) == NOW
    node = config["nodes"][0]
    assert (node["host"], node["port"], node["device_id"]) == ("127.0.0.1", 1502, 1)
    tank = next(r for r in node["registers"] if r["channel"] == holding.tank.pk)
    assert (tank["register"], tank["register_type"], tank["scale"]) == (120, "uint32", 0.1)
    assert {a["coil"] for a in node["actuators"]} == {0, 1, 9}


def test_retired_channels_and_channels_without_a_register_are_not_polled(holding):
    Channel.objects.filter(pk=holding.raw[0].pk).update(retired_at=NOW)
    Channel.objects.filter(pk=holding.raw[1].pk).update(register=None)
    registers = as_gateway(holding, "get", "gateway/config/").json()["nodes"][0]["registers"]
    assert [r["channel"] for r in registers] == [holding.tank.pk]


def test_a_real_sites_gateway_gets_the_real_clock(holding):
    holding.site.demo_clock.delete()
    config = as_gateway(holding, "get", "gateway/config/").json()
    assert config["rate"] == 1.0 and config["anchor_site"] == config["anchor_real"]


def test_contact_and_silence_are_seen(holding, grower):
    assert nodes_of(holding, grower)["North 1"]["silent"] is True
    contacts = [{"node": holding.node.pk, "ok": True}]
    assert as_gateway(holding, "post", "gateway/contact/", {"contacts": contacts}).status_code == 204
    seen = nodes_of(holding, grower)
    assert seen["North 1"]["silent"] is False and seen["Gateway"]["silent"] is False
    holding.set_now(NOW + timedelta(seconds=15))
    assert nodes_of(holding, grower)["North 1"]["silent"] is False
    holding.set_now(NOW + timedelta(seconds=21))  # three intervals of 5 s and 5 s of slack
    assert nodes_of(holding, grower)["North 1"]["silent"] is True


def test_what_is_wrong_with_a_node_is_told_and_gone_when_it_answers(holding, grower):
    trouble = [{"node": holding.node.pk, "ok": False, "problem": "no answer: is the node powered?"}]
    as_gateway(holding, "post", "gateway/contact/", {"contacts": trouble})
    assert nodes_of(holding, grower)["North 1"]["problem"] == "no answer: is the node powered?"
    as_gateway(holding, "post", "gateway/contact/", {"contacts": [{"node": holding.node.pk, "ok": True}]})
    assert nodes_of(holding, grower)["North 1"]["problem"] == ""


def test_channels_show_their_raw_value_with_unit_age_and_register(holding, grower):
    holding.set_raw(0, 21345)
    channel = next(c for c in nodes_of(holding, grower)["North 1"]["channels"] if c["id"] == holding.raw[0].pk)
    assert (channel["raw"], channel["unit"], channel["register"], channel["where"]) == (
        21345,
        "counts",
        0,
        "bed 1, probe 1A",
    )
    assert channel["good"] is True and datetime.fromisoformat(channel["at"]) == NOW
    assert "valve of bed 1" in [a["name"] for a in nodes_of(holding, grower)["North 1"]["actuators"]]


def test_a_new_token_works_and_the_old_one_no_longer(holding, client_of):
    answer = send(client_of("owner"), "post", f"nodes/{holding.gateway.pk}/token/")
    fresh = answer.json()["token"]
    assert (
        answer.status_code == 201
        and len(fresh) > 40
        and fresh not in Node.objects.get(pk=holding.gateway.pk).token_hash
    )
    assert as_gateway(holding, "get", "gateway/config/").status_code == 401
    assert send(Client(), "get", "gateway/config/", HTTP_AUTHORIZATION=f"Node {fresh}").status_code == 200
    assert TOKEN not in str(answer.content)


def test_a_gateway_gets_the_commands_of_its_own_site_only(holding):
    from .conftest import make_holding

    other = make_holding(name="Elsewhere")
    Command.objects.create(
        actuator=other.beds[0].valve, seconds=60, issued_at=NOW, expires_at=NOW + timedelta(minutes=5)
    )
    assert as_gateway(holding, "get", "gateway/commands/").json() == []
    number = as_gateway(other, "get", "gateway/commands/").json()[0]["number"]
    stolen = as_gateway(holding, "post", f"gateway/commands/{number}/report/", {"state": "done", "at": NOW.isoformat()})
    assert stolen.status_code == 422 and Command.objects.get().state == "queued"


def test_the_standin_is_told_where_each_probe_is(holding, grower):
    assert as_gateway(holding, "get", "demo/world/").json()["places"] == []
    send(grower, "post", f"demo/probes/{holding.raw[0].probe_id}/place/", {"place": "dry_mix"})
    places = as_gateway(holding, "get", "demo/world/").json()["places"]
    assert [(p["bed"], p["place"]) for p in places] == [("1", "dry_mix")]
    assert send(grower, "get", f"demo/probes/{holding.raw[1].probe_id}/").json()["place"] == "bed"
    assert send(grower, "post", f"demo/probes/{holding.raw[0].probe_id}/place/", {"place": "pocket"}).status_code == 422
