"""The bus bench, posts from nodes, sheets, electrics and how many probes."""

from datetime import datetime

import pytest
from django.test import Client

from fitting.building import standin_token
from fitting.models import BusRequest, Node
from readings.models import Latest, Reading

from .conftest import NOW, fields_of, send
from .test_fit_and_prove import add, as_node

pytestmark = pytest.mark.django_db

READ = {"function": 3, "register": 0, "count": 2, "device_id": 1}


def test_a_read_goes_out_and_comes_back_field_by_field(holding, grower):
    Node.objects.filter(pk=holding.node.pk).update(kind="modbus_rtu")
    composed = send(grower, "post", f"nodes/{holding.node.pk}/bus/compose/", {**READ, "count": 3}).json()
    assert composed["hex"] == "01 03 00 00 00 03 05 CB" and not BusRequest.objects.exists()
    asked = send(grower, "post", f"nodes/{holding.node.pk}/bus/read/", READ).json()
    waiting = as_node(holding, "get", "gateway/bus/").json()
    assert [(w["number"], w["node"]) for w in waiting] == [(asked["id"], holding.node.pk)]
    from reedcore.links.modbus import with_crc

    back = with_crc(bytes.fromhex("01 03 04 53 5F 00 64"))
    as_node(holding, "post", "gateway/bus/answer/", {"number": asked["id"], "answer": back.hex(), "elapsed_ms": 12})
    got = send(grower, "get", f"bus/{asked['id']}/").json()
    assert got["state"] == "done" and got["answer"]["words"] == [0x535F, 100]
    as_node(holding, "post", "gateway/bus/answer/", {"number": asked["id"], "answer": "", "problem": "late"})
    assert send(grower, "get", f"bus/{asked['id']}/").json()["state"] == "done"
    assert as_node(holding, "get", "gateway/bus/").json() == []


def test_a_bus_request_nobody_fetched_ends_by_itself(holding, grower):
    asked = send(grower, "post", f"nodes/{holding.node.pk}/bus/read/", READ).json()
    BusRequest.objects.update(expires_at=datetime.fromisoformat("2020-01-01T00:00:00+00:00"))
    assert as_node(holding, "get", "gateway/bus/").json() == []
    got = send(grower, "get", f"bus/{asked['id']}/").json()
    assert got["state"] == "expired" and "gateway" in got["problem"]


def test_a_decoded_register_becomes_a_channel(holding, grower):
    value = send(
        grower, "post", "bus/decode/", {"words": [0x41BC, 0], "register_type": "float32", "scale": 2, "offset": 1}
    ).json()
    assert value == {"value": 48.0, "registers": 2}
    form = {
        "quantity": "co2",
        "register": 50,
        "register_type": "float32",
        "word_order": "cdab",
        "scale": 2,
        "offset": 1,
        "house": holding.house.pk,
    }
    made = send(grower, "post", f"nodes/{holding.node.pk}/channels/", form)
    assert made.status_code == 201
    register = as_node(holding, "get", "gateway/config/").json()["nodes"][0]["registers"][-1]
    assert (register["register"], register["word_order"], register["scale"], register["function"]) == (50, "cdab", 2, 3)
    for field, value in (
        ("quantity", "joy"),
        ("register_type", "int64"),
        ("word_order", "bacd"),
        ("function", 9),
        ("scale", 0),
    ):
        assert fields_of(send(grower, "post", f"nodes/{holding.node.pk}/channels/", {**form, field: value})) == [field]


def test_a_new_bus_address_is_the_owners_to_write(holding, client_of):
    Node.objects.filter(pk=holding.node.pk).update(kind="modbus_rtu")
    path = f"nodes/{holding.node.pk}/bus/address/"
    assert send(client_of("grower"), "post", path, {"register": 512, "new_address": 7}).status_code == 403
    sent = send(client_of("owner"), "post", path, {"register": 512, "new_address": 7}).json()
    assert sent["request"]["hex"].startswith("01 06 02 00 00 07")
    assert fields_of(send(client_of("owner"), "post", path, {"register": 512, "new_address": 300})) == ["new_address"]


def test_any_bytes_are_explained(grower):
    frame = send(grower, "post", "bus/explain/", {"bytes": "0x01,0x83,0x02,0xC0,0xF1"}).json()
    assert "exception 2" in frame["problem"]
    assert fields_of(send(grower, "post", "bus/explain/", {"bytes": "01 0"})) == ["bytes"]


@pytest.fixture
def poster(holding, grower):
    """A posting node with an air sensor and a 4-20 mA CO2 sensor; its token."""
    sensors = [
        {"kind": "air", "house": holding.house.pk},
        {"kind": "co2", "house": holding.house.pk, "input": "loop", "input_settings": {"low": 0, "high": 2000}},
    ]
    made = add(grower, holding, name="Poster", kind="http", sensors=sensors).json()
    return standin_token(Node.objects.get(pk=made["id"]))


def test_values_by_name_are_kept_and_strangers_named(holding, poster):
    body = {"values": {"air-0-air_temp": 24.5, "co2-1-co2": 12.0, "ghost": 1}, "health": {"uptime_s": 60, "config": 1}}
    answer = as_node(holding, "post", "post/values/", body, poster).json()
    assert answer["kept"] == 2 and answer["refused"][0]["value"] == "ghost" and answer["config"] == 1
    latest = {
        row.channel.quantity: (row.raw, row.quality) for row in Latest.objects.filter(channel__node__name="Poster")
    }
    assert latest == {"air_temp": (24.5, 0), "co2": (1000.0, 0)}
    node = Node.objects.get(name="Poster")
    assert node.last_seen == NOW and node.config_confirmed == 1


def test_a_loop_at_fault_is_kept_and_flagged_never_used(holding, poster):
    as_node(holding, "post", "post/values/", {"values": {"co2-1-co2": 0.4}}, poster)
    row = Latest.objects.get(channel__quantity="co2")
    assert row.quality == 2 and row.raw == pytest.approx(-450)


def test_senml_and_csv_come_in_by_the_same_names(holding, poster):
    pack = '[{"bn":"air-0-","bt":1781773220,"n":"air_temp","v":22.1},{"n":"humidity","v":61},{"n":"humidity","vs":"wet"},{"n":"ghost","v":1}]'
    answer = as_node(holding, "post", "post/senml/", pack, poster, "application/senml+json").json()
    assert answer["kept"] == 2 and [(r["index"], r["field"]) for r in answer["refused"]] == [(2, "v"), (2, "n")]
    csv = "time;channel;value\n2026-06-18T08:59:00+00:00;air-0-air_temp;21,5\nsoon;air-0-air_temp;3\n2026-06-18T08:59:00+00:00;ghost;1\n"
    answer = as_node(holding, "post", "post/csv/", csv, poster, "text/csv").json()
    assert answer["kept"] == 1 and [(r["index"], r["field"]) for r in answer["refused"]] == [
        (3, "time"),
        (4, "channel"),
    ]
    assert as_node(holding, "post", "post/senml/", "{", poster).status_code == 422
    assert as_node(holding, "post", "post/csv/", "a,b\n1,2", poster, "text/csv").status_code == 422


def test_a_batch_of_names_sent_twice_changes_nothing(holding, poster):
    body = {"values": {"air-0-air_temp": 24.5}, "time": "2026-06-18T08:58:00+00:00"}
    for _ in range(2):
        as_node(holding, "post", "post/values/", body, poster)
    assert Reading.objects.filter(channel__quantity="air_temp").count() == 1


def test_the_sheet_names_terminals_and_cautions_and_each_probe_has_its_code(holding, grower):
    sheet = send(grower, "get", f"nodes/{holding.node.pk}/sheet/").json()
    assert [r["terminal"] for r in sheet["sensors"]] == ["S1", "S2", "S3"] and [
        r["terminal"] for r in sheet["actuators"]
    ] == ["A1", "A2", "A3"]
    assert any("licensed electrician" in c for c in sheet["cautions"])
    probe = holding.raw[0].probe
    code = grower.get(f"/api/probes/{probe.pk}/code.svg")
    assert code["Content-Type"] == "image/svg+xml" and b"http://www.w3.org/2000/svg" in code.content
    assert Client().get(f"/api/probes/{probe.pk}/code.svg").status_code == 401
    page = send(grower, "get", f"probes/{probe.pk}/").json()
    assert page["bed_name"] == "1" and page["calibrated"] == "not calibrated yet"


def test_electrics_are_proposed_judged_and_kept(holding, grower, client_of):
    rows = send(grower, "get", f"sites/{holding.site.pk}/electrics/").json()
    valve = next(r for r in rows if r["name"] == "valve of bed 1")
    assert valve["kept"] is False and {f["field"] for f in valve["findings"]} >= {
        "contact_a",
        "cable_mm2",
        "normally_open",
    }
    path = f"electrics/actuator/{valve['id']}/"
    form = {**valve["form"], "load": "motor", "power_w": 400, "contact_a": 10}
    saved = send(grower, "put", path, form).json()
    assert saved["kept"] and next(f for f in saved["findings"] if f["field"] == "contact_a")["level"] == "refuse"
    assert saved["figures"]["contact"]["value"] == pytest.approx(100)
    assert send(client_of("owner"), "put", path, form).status_code == 409
    assert fields_of(send(grower, "put", path, {**form, "supply_v": 0, "version": 1})) == ["supply_v"]


def test_how_many_probes_follows_from_the_spread(holding, grower):
    answer = send(
        grower, "post", f"beds/{holding.beds[0].pk}/probes-needed/", {"spread_points": 4, "tolerance_points": 4}
    ).json()
    assert answer["probes"]["value"] == 7 and answer["seen_spread_points"] is None
    wide = send(
        grower, "post", f"beds/{holding.beds[0].pk}/probes-needed/", {"spread_points": 99, "tolerance_points": 4}
    ).json()
    assert wide["probes"]["value"] is None and "spread_points" in wide["sentence"]
