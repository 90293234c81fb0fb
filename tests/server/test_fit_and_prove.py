"""Fit: nodes put in, registers made channels, sensors and devices proven, frames sent, sheets printed."""

from datetime import timedelta

import pytest
from django.test import Client

from common.authentication import hash_token
from fitting.building import standin_token
from fitting.models import ActuatorProof, Channel, Node, NodeHealth, Probe, Proof
from fitting.silence import silent_nodes
from readings.models import Reading
from watering.models import Command

from .conftest import NOW, fields_of, node_headers, send

pytestmark = pytest.mark.django_db


def add(client, holding, **more):
    body = {"name": "New 1", "kind": "modbus_tcp", "standin": True, "sensors": [], **more}
    return send(client, "post", f"sites/{holding.site.pk}/nodes/new/", body)


def as_node(holding, method, path, body=None, token=None, content="application/json"):
    headers = {"HTTP_AUTHORIZATION": f"Node {token}"} if token else node_headers(holding, gateway=True)
    return getattr(Client(), method)(f"/api/{path}", data=body, content_type=content, **headers)


def test_a_node_comes_with_channels_probes_and_registers_of_its_kinds(holding, grower):
    bed = holding.beds[0].pk
    sensors = [
        {"kind": "dielectric", "bed": bed},
        {"kind": "air", "house": holding.house.pk, "place": "canopy"},
        {"kind": "level_switch", "tank": holding.tank.tank_id},
    ]
    made = add(grower, holding, sensors=sensors)
    assert made.status_code == 201
    channels = Channel.objects.filter(node=made.json()["id"]).order_by("pk")
    assert [(c.quantity, c.register, c.function) for c in channels] == [
        ("raw", 0, 3), ("permittivity", 1, 3), ("bulk_ec", 2, 3), ("medium_temp", 3, 3), ("air_temp", 8, 3), ("humidity", 9, 3), ("level_switch", 42, 1),
    ]  # fmt: skip
    probe = Probe.objects.get(channels=channels[0])
    assert probe.name == "1B" and 0 < probe.depth_cm < 10 and probe.sensor_kind == "dielectric"


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"name": " "}, "name"), ({"name": "North 1"}, "name"), ({"kind": "pigeon"}, "kind"), ({"kind": "gateway"}, "kind"), ({"poll_s": 0.1}, "poll_s"),
        ({"device_id": 300}, "device_id"), ({"standin": False}, "host"), ({"standin": False, "host": "10.0.0.5"}, "port"),
        ({"sensors": [{"kind": "dowsing"}]}, "kind"), ({"sensors": [{"kind": "capacitive"}]}, "sensors.bed"), ({"sensors": [{"kind": "air", "house": 999999}]}, "sensors.house"),
        ({"valves": [999999]}, "valves"),
    ],
)  # fmt: skip
def test_a_node_that_cannot_be_is_refused_whole(holding, grower, more, field):
    answer = add(grower, holding, **{"sensors": [{"kind": "air", "house": holding.house.pk}], **more})
    assert answer.status_code == 422 and fields_of(answer) == [field]
    assert Node.objects.count() == 2 and Channel.objects.count() == 3


def test_a_probe_that_would_read_plastic_is_refused_with_the_reason(holding, grower):
    answer = add(grower, holding, sensors=[{"kind": "capacitive", "bed": holding.beds[0].pk, "depth_cm": 9.5}])
    assert fields_of(answer) == ["depth_cm"] and "below the floor" in answer.json()["errors"][0]["expected"]
    judged = send(
        grower, "post", f"beds/{holding.beds[0].pk}/placement/", {"kind": "capacitive", "across_cm": 9, "depth_cm": 5}
    ).json()
    assert judged["refused"] and judged["inside_pct"] < 98


def test_a_moved_probe_counts_as_somewhere_else(holding, grower):
    probe = holding.raw[0].probe
    path = f"probes/{probe.pk}/move/"
    assert send(grower, "put", path, {"depth_cm": 5, "across_cm": 2, "plant": 40}).status_code == 204
    probe.refresh_from_db()
    assert (probe.depth_cm, probe.across_cm, probe.plant, probe.moved_at) == (5, 2, 40, NOW)
    assert fields_of(send(grower, "put", path, {"depth_cm": 0.5, "across_cm": 2})) == ["depth_cm"]


def test_standins_take_free_slots_and_the_world_hears_of_them(holding, grower, settings):
    bed, pump = holding.beds[0], holding.beds[0].pump
    for name in ("A", "B"):
        assert add(grower, holding, name=name, sensors=[{"kind": "capacitive", "bed": bed.pk}]).status_code == 201
    first, second = Node.objects.exclude(standin_slot=None).order_by("pk")
    assert (first.standin_slot, second.standin_slot) == (0, 1)
    world = as_node(holding, "get", "standin/world/").json()
    assert [n["port"] for n in world["nodes"]] == [settings.STANDIN_PORT_BASE, settings.STANDIN_PORT_BASE + 1]
    assert world["beds"][0]["id"] == bed.pk and world["beds"][0]["pump"] == pump.pk
    assert first.token_hash == hash_token(standin_token(first)) and world["nodes"][0]["token"] == standin_token(first)
    owner_path = f"nodes/{first.pk}/retire/"
    owner = Client()
    owner.force_login(holding.people["owner"], backend="django.contrib.auth.backends.ModelBackend")
    assert send(owner, "post", owner_path).status_code == 204
    assert [n["name"] for n in as_node(holding, "get", "standin/world/").json()["nodes"]] == ["B"]
    assert add(grower, holding, name="C").status_code == 201 and Node.objects.get(name="C").standin_slot == 0


def test_faults_are_set_by_name_on_standins_only(holding, grower):
    made = add(grower, holding).json()
    path = f"nodes/{made['id']}/faults/"
    assert send(grower, "put", path, {"faults": ["stuck", "noisy"]}).status_code == 204
    assert Node.objects.get(pk=made["id"]).faults == ["noisy", "stuck"]
    assert fields_of(send(grower, "put", path, {"faults": ["bewitched"]})) == ["faults"]
    assert fields_of(send(grower, "put", f"nodes/{holding.node.pk}/faults/", {"faults": ["stuck"]})) == ["faults"]


def test_a_changed_interval_waits_until_the_node_confirms_it(holding, grower):
    form = {
        "name": "North 1",
        "host": "10.0.0.9",
        "port": 502,
        "device_id": 1,
        "poll_s": 20,
        "baud": 9600,
        "cable_m": 40,
        "supply_needed_v": 12,
    }
    assert send(grower, "put", f"nodes/{holding.node.pk}/", form).status_code == 204
    assert fields_of(send(grower, "put", f"nodes/{holding.node.pk}/", {**form, "port": 0})) == ["port"]
    holding.node.refresh_from_db()
    assert (holding.node.config_number, holding.node.config_confirmed) == (2, 0)
    health = {
        "supply_v": 12.1,
        "battery_v": 3.9,
        "uptime_s": 5000,
        "clock_offset_s": 0.5,
        "firmware": "2.3",
        "config": 2,
    }
    as_node(
        holding, "post", "gateway/contact/", {"contacts": [{"node": holding.node.pk, "ok": True, "health": health}]}
    )
    as_node(
        holding,
        "post",
        "gateway/contact/",
        {"contacts": [{"node": holding.node.pk, "ok": True, "health": {**health, "uptime_s": 10, "supply_v": "much"}}]},
    )
    holding.node.refresh_from_db()
    assert (holding.node.config_confirmed, holding.node.restarts, holding.node.supply_v) == (2, 1, 12.1)
    assert NodeHealth.objects.count() == 1
    assert send(grower, "get", f"nodes/{holding.node.pk}/health/").json()[0]["battery_v"] == 3.9


def test_three_intervals_without_a_word_are_silence_that_everyone_sees(holding, client_of):
    Node.objects.filter(pk=holding.node.pk).update(last_seen=NOW)
    assert silent_nodes(holding.site, NOW + timedelta(seconds=15)) == []
    holding.set_now(NOW + timedelta(seconds=25))
    watch = send(client_of("viewer"), "get", f"sites/{holding.site.pk}/watch/").json()
    assert (
        "North 1 is silent" in watch["sentence"] and watch["jobs"]["fit"] == 1 + 2
    )  # and its two beds without a reading


def give(channel, raws, start=NOW, every=5):
    rows = [Reading(channel=channel, time=start + timedelta(seconds=1 + every * i), raw=r) for i, r in enumerate(raws)]
    Reading.objects.bulk_create(rows)
    return start + timedelta(seconds=every * len(raws) + 2)


def settle(level, start, n=26):
    return [level + (start - level) * 0.5**i + (i * 7) % 11 for i in range(n)]


def walk(grower, holding, levels, channel=None):
    """The three phases of a test with these levels; the finished test."""
    channel = channel or holding.raw[0]
    proof = send(grower, "post", f"channels/{channel.pk}/proof/").json()
    at, before = NOW, levels[0]
    for step, level in enumerate(levels):
        at = give(channel, settle(level, before), at)
        before = level
        holding.set_now(at)
        answer = send(grower, "post", f"proofs/{proof['id']}/{'next' if step < 2 else 'finish'}/")
        assert answer.status_code == 200, answer.content
    return answer.json()


def test_a_sound_probe_is_proven_with_figures_curve_and_who(holding, grower):
    done = walk(grower, holding, [27000, 9000, 27000])
    assert done["outcome"] == "pass" and done["by"] == str(holding.people["grower"]) and len(done["plot"]) == 78
    assert done["figures"]["span"] == pytest.approx(18000, rel=0.02) and done["figures"]["resolution_points"] < 1
    node = next(n for n in send(grower, "get", f"sites/{holding.site.pk}/nodes/").json() if n["name"] == "North 1")
    assert next(c for c in node["channels"] if c["id"] == holding.raw[0].pk)["proof"]["outcome"] == "pass"
    assert send(grower, "get", f"channels/{holding.raw[0].pk}/proofs/").json()[0]["id"] == done["id"]
    again = send(grower, "post", f"proofs/{done['id']}/finish/").json()
    assert again["ended_at"] == done["ended_at"]


def test_a_stuck_probe_fails_and_says_why(holding, grower):
    channel = holding.raw[0]
    proof = send(grower, "post", f"channels/{channel.pk}/proof/").json()
    at = NOW
    for step in range(3):
        at = give(channel, [12000] * 10, at)
        holding.set_now(at)
        send(grower, "post", f"proofs/{proof['id']}/{'next' if step < 2 else 'finish'}/")
    done = send(grower, "get", f"proofs/{proof['id']}/").json()
    assert done["outcome"] == "fail"
    assert next(c for c in done["checks"] if c["code"] == "stuck")["words"].startswith("It never changed")


def test_a_test_can_be_left_taken_up_again_and_given_up(holding, grower, client_of):
    first = send(grower, "post", f"channels/{holding.raw[0].pk}/proof/").json()
    assert send(client_of("owner"), "post", f"channels/{holding.raw[0].pk}/proof/").json()["id"] == first["id"]
    early = send(grower, "post", f"proofs/{first['id']}/next/")
    assert fields_of(early) == ["phase"] and "at least 6 readings" in early.json()["errors"][0]["expected"]
    assert fields_of(send(grower, "post", f"proofs/{first['id']}/finish/")) == ["first"]
    assert send(grower, "post", f"proofs/{first['id']}/give-up/").status_code == 204
    assert not Proof.objects.exists()


@pytest.fixture
def valve(holding):
    return holding.beds[0].valve


def flow_on(holding):
    return Channel.objects.create(node=holding.node, quantity="flow", pump=holding.beds[0].pump, register=140)


def run_commands(state="done"):
    """The node ran what was ordered."""
    for c in Command.objects.filter(state="queued"):
        c.state, c.started_at, c.ended_at = state, c.issued_at, c.issued_at
        c.save()


def test_a_valve_runs_only_in_short_steps_with_its_pump_and_its_own_end(holding, grower, valve):
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    held = send(grower, "post", f"actuator-proofs/{proof['id']}/hold/").json()
    commands = Command.objects.order_by("pk")
    assert held["held_s"] == 1 and len(commands) == 2
    assert all(c.seconds == 3 and c.pulse is None and c.expires_at == NOW + timedelta(seconds=6) for c in commands)
    assert {c.actuator.kind for c in commands} == {"valve", "pump"}


def test_a_doser_is_proven_by_what_the_tester_sees(holding, grower):
    made = add(grower, holding, others=[{"kind": "doser", "name": "Acid doser"}]).json()
    node = next(n for n in send(grower, "get", f"sites/{holding.site.pk}/nodes/").json() if n["id"] == made["id"])
    doser = node["actuators"][0]
    assert doser["name"] == "Acid doser"
    proof = send(grower, "post", f"actuators/{doser['id']}/proof/").json()
    send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")
    assert [c.actuator.kind for c in Command.objects.all()] == ["doser"]
    run_commands()
    send(grower, "post", f"actuator-proofs/{proof['id']}/release/")
    run_commands()
    done = send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {}).json()
    assert done["outcome"] == "pass" and done["flow_measured"] is False
    assert fields_of(add(grower, holding, name="N2", others=[{"kind": "valve", "name": "V"}])) == ["others.kind"]


def test_flow_seen_and_stop_verified_pass_a_valve(holding, grower, valve):
    flow = flow_on(holding)
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    for second in range(4):
        holding.set_now(NOW + timedelta(seconds=second))
        send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")
    run_commands()
    give(flow, [6.3, 6.2, 6.3], NOW, every=1)
    holding.set_now(NOW + timedelta(seconds=5))
    send(grower, "post", f"actuator-proofs/{proof['id']}/release/")
    run_commands()
    give(flow, [0.0, 0.0, 0.0], NOW + timedelta(seconds=8), every=1)
    holding.set_now(NOW + timedelta(seconds=14))
    now = send(grower, "get", f"actuator-proofs/{proof['id']}/").json()
    assert (now["runs"], now["runs_flow_l_min"], now["stops"]) == (True, 6.3, True)
    done = send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {}).json()
    assert done["outcome"] == "pass" and ActuatorProof.objects.get().checks["runs"] is True


def test_water_that_flows_on_after_the_stop_fails_the_valve(holding, grower, valve):
    flow = flow_on(holding)
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")
    run_commands()
    give(flow, [6.3] * 3, NOW, every=1)
    send(grower, "post", f"actuator-proofs/{proof['id']}/release/")
    run_commands()
    give(flow, [6.3] * 20, NOW + timedelta(seconds=5), every=1)
    holding.set_now(NOW + timedelta(seconds=26))
    assert send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {}).json()["outcome"] == "fail"


def test_a_pump_that_runs_with_the_float_at_empty_fails(holding, grower):
    flow, pump = flow_on(holding), holding.beds[0].pump.actuator
    for raws, outcome in (([0.0] * 8, True), ([9.0] * 8, False)):
        Reading.objects.filter(channel=flow).delete()
        holding.set_now(NOW)
        proof = send(grower, "post", f"actuators/{pump.pk}/proof/").json()
        send(grower, "post", f"actuator-proofs/{proof['id']}/step/", {"step": "level"})
        send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")
        give(flow, raws, NOW, every=0.4)
        now = send(grower, "get", f"actuator-proofs/{proof['id']}/").json()
        assert now["level"] is outcome
        holding.set_now(NOW + timedelta(seconds=4))
        send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {"runs": True, "stops": True})
    assert [p.outcome for p in ActuatorProof.objects.order_by("pk")] == ["pass", "fail"]


def test_what_no_sensor_measures_the_tester_says(holding, grower, valve):
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    unseen = send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {}).json()
    assert unseen["outcome"] == "retry"
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    assert (
        send(grower, "post", f"actuator-proofs/{proof['id']}/finish/", {"runs": True, "stops": True}).json()["outcome"]
        == "pass"
    )


def test_no_test_runs_a_device_that_waters_or_without_end(holding, grower, valve):
    from watering.models import Pulse

    pulse = Pulse.objects.create(bed=holding.beds[0], ordered_at=NOW, seconds=60, dose_ml=50)
    Command.objects.create(
        pulse=pulse, actuator=valve, seconds=60, issued_at=NOW, expires_at=NOW + timedelta(minutes=5)
    )
    proof = send(grower, "post", f"actuators/{valve.pk}/proof/").json()
    assert fields_of(send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")) == ["actuator"]
    Command.objects.all().delete()
    ActuatorProof.objects.update(checks={"held_s": 90.0, "runs": []})
    assert fields_of(send(grower, "post", f"actuator-proofs/{proof['id']}/hold/")) == ["held_s"]
    assert not Command.objects.exists()
