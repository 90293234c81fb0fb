"""Every route against every role: one table, and no route outside it."""

from datetime import UTC, datetime, timedelta
from itertools import chain

import pytest
from django.db import transaction
from django.test import Client
from django.urls import get_resolver

from .conftest import BED, BODY, PROGRAMME, form, make_holding, node_headers, straight_line

pytestmark = pytest.mark.django_db

CUPS = {"volumes_ml": [60, 62, 58, 61], "minutes": 2}
TANK = {"name": "T", "capacity_l": 900, "warn_l": 300, "empty_l": 100}
MEDIUM = {"name": "Own", "theta_s": 0.9, "theta_r": 0.1, "alpha": 0.1, "n": 1.8, "dry_mix_theta": 0.05}
SPANS = {
    f: [0.1, 0.2, 0.3] if f == "saved_share" else [900, 1000, 1100]
    for f in ("kit", "labour", "upkeep_a_year", "water_m3_a_year", "water_price", "fertiliser_a_year", "saved_share")
}
READ = {"function": 3, "register": 0, "count": 2, "device_id": 1}

# path: (method, least role, body). 'node' takes a token, 'anyone' and 'person' need no membership.
TRIAL = {"a": "{a}", "b": "{b}", "start": "2026-06-18T00:00:00Z", "end": "2026-06-18T09:00:00Z"}
TABLE = {
    "session/": ("get", "person", None),
    "session/sign-in/": ("post", "anyone", {"username": "x", "password": "y"}),
    "session/units/": ("put", "person", {"units": {"temperature": "f"}}),
    "session/sign-out/": ("post", "person", None),
    "sites/{site}/layout/": ("get", "viewer", None),
    "sites/{site}/": (
        "put",
        "owner",
        {"name": "N", "latitude": 1, "longitude": 1, "altitude_m": 1, "time_zone": "UTC", "version": 1},
    ),
    "sites/{site}/houses/": ("post", "owner", {"name": "New", "transmission": 0.7, "drain_returned": False}),
    "houses/{house}/": ("put", "grower", {"name": "N", "transmission": 0.7, "drain_returned": False, "version": 1}),
    "houses/{house}/beds/": ("post", "grower", {**BED, "name": "new"}),
    "houses/{house}/beds/propose/": ("post", "viewer", {**BED, "name": "new"}),
    "houses/{house}/beds/many/": ("post", "grower", {"like": {**BED, "name": "x"}, "count": 1, "first_number": 40}),
    "houses/{house}/order/": ("put", "grower", {"beds": "{beds}"}),
    "beds/{bed}/retire/": ("post", "grower", {"version": 1}),
    "beds/{bed}/cups/judge/": ("post", "viewer", CUPS),
    "beds/{bed}/cups/": ("get", "viewer", None),
    "beds/{bed}/cups/record/": ("post", "grower", CUPS),
    "sites/{site}/plumbing/": ("get", "viewer", None),
    "sites/{site}/water-sources/": ("post", "grower", {"name": "Well", "kind": "well"}),
    "water-sources/{source}/": ("put", "grower", {"name": "Well", "kind": "well", "version": 1}),
    "sites/{site}/tanks/": ("post", "grower", TANK),
    "tanks/{tank}/": ("put", "grower", {**TANK, "version": 1}),
    "sites/{site}/pumps/": ("post", "grower", {"name": "P", "tank": "{tank}", "flow_l_min": 20, "beds": []}),
    "pumps/{pump}/": ("put", "grower", {"name": "P", "tank": "{tank}", "flow_l_min": 20, "beds": [], "version": 1}),
    "sites/{site}/media/": ("get", "viewer", None),
    "sites/{site}/media/new/": ("post", "grower", MEDIUM),
    "media/{medium}/": ("put", "grower", {**MEDIUM, "version": 1}),
    "sites/{site}/media/profile/": ("post", "viewer", {"medium": "coir", "heights_cm": [10, 20]}),
    "sites/{site}/payback/": ("get", "viewer", None),
    "sites/{site}/payback/try/": ("post", "viewer", {"currency": "€", "assumptions": SPANS}),
    "sites/{site}/payback/save/": ("put", "grower", {"currency": "€", "assumptions": SPANS, "version": 1}),
    "zone/": ("post", "anyone", {"latitude": 53.2, "longitude": 0.3}),
    "sites/{site}/people/": ("get", "viewer", None),
    "sites/{site}/invitations/": ("post", "owner", {"role": "viewer"}),
    "welcome/{token}/": ("get", "anyone", None),
    "welcome/{token}/accept/": (
        "post",
        "anyone",
        {"username": "newcomer", "full_name": "", "password": "a-long-password"},
    ),
    "sites/{site}/nodes/new/": ("post", "grower", {"name": "S", "kind": "http", "sensors": [], "standin": True}),
    "sites/{site}/sensor-kinds/": ("get", "viewer", None),
    "sites/{site}/readings/upload/": ("post", "grower", {"any": "body"}),
    "jobs/{job}/cancel/": ("post", "grower", None),
    "nodes/{node}/": (
        "put",
        "grower",
        {
            "name": "N",
            "host": "h",
            "port": 1,
            "device_id": 1,
            "poll_s": 5,
            "baud": 9600,
            "cable_m": None,
            "supply_needed_v": 12,
        },
    ),
    "nodes/{node}/retire/": ("post", "owner", None),
    "nodes/{node}/sensors/": ("post", "grower", {"kind": "air"}),
    "nodes/{node}/channels/": ("post", "grower", {"quantity": "co2", "register": 7, "register_type": "uint16"}),
    "nodes/{standin}/faults/": ("put", "grower", {"faults": []}),
    "nodes/{node}/health/": ("get", "viewer", None),
    "nodes/{node}/sheet/": ("get", "viewer", None),
    "nodes/{node}/bus/compose/": ("post", "viewer", READ),
    "nodes/{node}/bus/read/": ("post", "grower", READ),
    "nodes/{node}/bus/address/": ("post", "owner", {"register": 512, "new_address": 7}),
    "bus/{busrequest}/": ("get", "viewer", None),
    "bus/decode/": ("post", "person", {"words": [1, 2], "register_type": "uint16"}),
    "bus/explain/": ("post", "person", {"bytes": "01 03 00 00 00 03 05 CB"}),
    "standin-faults/": ("get", "person", None),
    "catalogue/": ("get", "person", None),
    "catalogue/choose/": ("post", "person", {"want": "co2", "medium": "air", "months": 12, "budget": 2}),
    "beds/{bed}/placement/": ("post", "viewer", {"kind": "capacitive"}),
    "beds/{bed}/probes-needed/": ("post", "viewer", {"spread_points": 3, "tolerance_points": 2}),
    "probes/{probe}/": ("get", "viewer", None),
    "probes/{probe}/move/": ("put", "grower", {"depth_cm": 5, "across_cm": 0}),
    "probes/{probe}/code.svg": ("get", "code", None),
    "channels/{channel}/proof/": ("post", "grower", None),
    "channels/{channel}/proofs/": ("get", "viewer", None),
    "channels/{standinchannel}/standin-place/": ("post", "grower", {"place": "bed"}),
    "proofs/{proof}/": ("get", "viewer", None),
    "proofs/{proof}/next/": ("post", "grower", None),
    "proofs/{proof}/finish/": ("post", "grower", None),
    "proofs/{proof}/give-up/": ("post", "grower", None),
    "actuators/{actuator}/proof/": ("post", "grower", None),
    "actuator-proofs/{actuatorproof}/": ("get", "viewer", None),
    "actuator-proofs/{actuatorproof}/hold/": ("post", "grower", None),
    "actuator-proofs/{actuatorproof}/release/": ("post", "grower", None),
    "actuator-proofs/{actuatorproof}/step/": ("post", "grower", {"step": "stop"}),
    "actuator-proofs/{actuatorproof}/finish/": ("post", "grower", {}),
    "sites/{site}/electrics/": ("get", "viewer", None),
    "electrics/node/{node}/": (
        "put",
        "grower",
        {"load": "motor", "power_w": 10, "supply_v": 24, "contact_a": 10, "cable_m": 3, "cable_mm2": 1.5},
    ),
    "gateway/bus/": ("get", "node", None),
    "gateway/bus/answer/": ("post", "node", {"number": 999999, "answer": ""}),
    "standin/world/": ("get", "node", None),
    "post/values/": ("post", "node", {"values": {"x": 1}}),
    "post/senml/": ("post", "node", []),
    "post/csv/": ("post", "node", "time,channel,value"),
    "beds/{bed}/": ("put", "grower", {**BED, "name": "7", "version": 1}),
    "sites/{site}/nodes/": ("get", "viewer", None),
    "nodes/{node}/token/": ("post", "owner", None),
    "gateway/config/": ("get", "node", None),
    "gateway/contact/": ("post", "node", {"contacts": []}),
    "gateway/commands/": ("get", "node", None),
    "gateway/commands/999/report/": ("post", "node", {"state": "done", "at": "2026-06-18T09:00:00Z"}),
    "readings/": ("post", "node", {"readings": []}),
    "sites/{site}/probes/": ("get", "viewer", None),
    "sites/{site}/calibrate/": ("get", "viewer", None),
    "channels/{channel}/bench/": ("get", "viewer", None),
    "channels/{channel}/bench/settings/": ("put", "grower", {"method": "weighed", "settings": {"volume_l": 4}}),
    "channels/{channel}/captures/": ("post", "grower", {"method": "two_point", "kind": "dry", "theta": 0.06}),
    "channels/{channel}/calibrations/": ("post", "grower", {"method": "two_point", "number": 1}),
    "channels/{channel}/compare/": ("post", "viewer", {"method": "two_point"}),
    "channels/{potchannel}/scale/": ("get", "viewer", None),
    "channels/{channel}/record/": ("get", "viewer", None),
    "channels/{channel}/trust/": ("get", "viewer", None),
    "channels/{channel}/trust/set/": ("put", "grower", {"trust": "doubtful", "hours": 5, "why": "being cleaned"}),
    "channels/{channel}/judge/": ("post", "grower", None),
    "channels/{channel}/flag-limits/": ("put", "grower", {"limits": {"gap_s": 1200}}),
    "dosers/{doser}/bench/": ("get", "viewer", None),
    "dosers/{doser}/captures/": (
        "post",
        "grower",
        {"method": "doser", "kind": "run", "seconds": 20, "millilitres": 50},
    ),
    "dosers/{doser}/calibrations/": ("post", "grower", {"method": "doser", "number": 1}),
    "captures/{capture}/drop/": ("post", "grower", None),
    "calibrations/{version}/revert/": ("post", "grower", None),
    "calibrations/{version}/certificate/": ("get", "viewer", None),
    "probes/{probe}/pore/": ("put", "grower", {"epsilon_dry": 5}),
    "sites/{site}/retention/": ("post", "viewer", {**TRIAL, "suction": "{a}", "theta": "{b}"}),
    "sites/{site}/check/": ("post", "grower", None),
    "sites/{site}/trials/": ("post", "viewer", TRIAL),
    "sites/{site}/trials/adopt/": ("post", "grower", {**TRIAL, "number": 1}),
    "sites/{site}/batch/": ("post", "viewer", {"channels": [], "method": "two_point"}),
    "sites/{site}/batch/captures/": (
        "post",
        "grower",
        {"channels": [], "method": "two_point", "kind": "dry", "theta": 0.06},
    ),
    "sites/{site}/batch/publish/": ("post", "grower", {"channels": [], "method": "two_point"}),
    "sites/{site}/watch/": ("get", "viewer", None),
    "sites/{site}/watch/lines/": ("get", "viewer", None),
    "sites/{site}/slip/": ("get", "viewer", None),
    "beds/{bed}/ribbon/": ("get", "viewer", None),
    "beds/{bed}/days/": ("get", "viewer", None),
    "beds/{bed}/programme/": ("get", "viewer", None),
    "beds/{bed}/programme/simulate/": ("post", "viewer", {"body": BODY, "weather": "clear"}),
    "beds/{bed}/programme/publish/": ("post", "grower", form()),
    "beds/{bed}/programme/check/": ("post", "viewer", form()),
    "beds/{bed}/programme/follow/": ("post", "grower", {"shared": "Fruiting"}),
    "beds/{bed}/programme/versions/{programme}/": ("get", "viewer", None),
    "beds/{bed}/programme/compare/": (
        "post",
        "viewer",
        {"programmes": [{"name": "v1", "body": BODY}], "span": "day"},
    ),
    "beds/{bed}/programme/replay/": ("post", "viewer", {"body": BODY, "day": "2026-06-17"}),
    "beds/{bed}/programme/recorded/": ("get", "viewer", None),
    "programme/schema/": ("get", "person", None),
    "sites/{site}/shared-programmes/": ("get", "viewer", None),
    "sites/{site}/shared-programmes/publish/": ("post", "grower", {"name": "Mine", "body": BODY, "beds": []}),
    "beds/{bed}/why/?at=2026-06-18T09:00:00Z": ("get", "viewer", None),
    "beds/{bed}/manual/": ("post", "grower", {"manual": True}),
    "beds/{bed}/pause/": ("post", "grower", {"minutes": 30}),
    "beds/{bed}/lock/": ("post", "grower", {"what_for": "clean drippers"}),
    "beds/{bed}/unlock/": ("post", "grower", None),
    "beds/{bed}/drain/": ("post", "grower", {"day": "2026-06-17", "drain_ml": 100}),
    "sites/{site}/pump-lines/": ("get", "viewer", None),
    "sites/{site}/devices/": ("get", "viewer", None),
    "devices/{contact}/rule/": ("post", "grower", {"house": "{house}", "settings": {"kind": "circulation"}}),
    "devices/{contact}/by-hand/": ("post", "grower", {"on": True, "minutes": 30}),
    "devices/{contact}/hold/": ("post", "grower", None),
    "devices/{contact}/release/": ("post", "grower", None),
    "sites/{site}/plan/": ("get", "viewer", None),
    "sites/{site}/plan/new/": (
        "post",
        "grower",
        {"kind": "hold", "title": "Spraying", "first_day": "2026-06-20", "last_day": "2026-06-20"},
    ),
    "plan/{entry}/end/": ("post", "grower", None),
    "sites/{site}/plan/export/": ("get", "viewer", None),
    "sites/{site}/plan/import/": ("post", "grower", {"format": "tall-reed-plan/1", "programmes": [], "entries": []}),
    "sites/{site}/plan/calendar.ics": ("get", "viewer", None),
    "sites/{site}/plan/calendar/": ("post", "grower", "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n"),
    "drills/": ("get", "person", None),
    "drills/begin/": ("post", "person", {"drill": "drill-1"}),
    "drills/runs/999/look/": ("post", "person", {"look": "cups"}),
    "drills/runs/999/answer/": ("post", "person", {"cause": "leak", "remedy": "clean"}),
    "beds/{bed}/clear-fault/": ("post", "grower", None),
    "houses/{house}/stop/": ("post", "grower", None),
    "houses/{house}/resume/": ("post", "grower", None),
    "beds/{bed}/stop/": ("post", "grower", None),
    "beds/{bed}/resume/": ("post", "grower", None),
    "beds/{bed}/dose/": ("post", "grower", {}),
    "sites/{site}/notes/": ("get", "viewer", None),
    "sites/{site}/notes/new/": ("post", "grower", {"text": "looks right"}),
    "sites/{site}/audit/": ("get", "viewer", None),
    "sites/{site}/demo/clock/": ("post", "grower", {"rate": 1}),
    "demo/probes/{probe}/": ("get", "viewer", None),
    "demo/probes/{probe}/place/": ("post", "grower", {"place": "air"}),
    "demo/world/": ("get", "node", None),
    "arithmetic/": ("post", "person", {"formula": "ml_per_point", "inputs": {"volume_l_per_plant": 3}}),
    "jobs/{job}/": ("get", "viewer", None),
    "sites/{site}/live/": ("get", "viewer", None),
    "schema/": ("get", "anyone", None),
}
RANK = {"viewer": 0, "grower": 1, "owner": 2}


def routes(resolver=None, prefix=""):
    for entry in (resolver or get_resolver()).url_patterns:
        path = prefix + str(entry.pattern)
        if hasattr(entry, "url_patterns"):
            yield from routes(entry, path)
        elif path.startswith("api/"):
            yield path.removeprefix("api/")


def shape(path):
    import re

    bare = path.split("?")[0]
    return re.sub(r"electrics/node/", "electrics/*/", re.sub(r"<[^>]+>|\{[^}]+\}|999(?!9)", "*", bare))


def test_the_table_names_every_route_and_no_other():
    assert {shape(r) for r in routes()} == {shape(r) for r in TABLE}


PHASES = [{"name": n, "at": f"2026-06-18T09:{m:02}:00+00:00"} for n, m in (("first", 0), ("changed", 2), ("back", 4))]


def give_readings(holding):
    """Six minutes of a probe in air, in wet medium, and in air again."""
    from readings.models import Reading

    start = datetime(2026, 6, 18, 9, 0, 1, tzinfo=UTC)
    raws = [25000 + i % 5 for i in range(24)], [9000 + i % 5 for i in range(24)], [25010 + i % 5 for i in range(24)]
    rows = [
        Reading(channel=holding.raw[0], time=start + timedelta(seconds=5 * i), raw=r)
        for i, r in enumerate(chain(*raws))
    ]
    Reading.objects.bulk_create(rows, ignore_conflicts=True)


def filled(path, holding):
    from accounts.invitations import invite
    from accounts.roles import Role
    from calibration.models import BenchSession, CalibrationVersion, Capture
    from common.models import Job
    from fitting.models import Actuator, ActuatorProof, BusRequest, Channel, Node, Proof
    from places.models import OwnMedium, Pump, Tank, WaterSource
    from watering.models import DeviceRule, PlanEntry, ProgrammeVersion

    def made(model, **values):
        return model.objects.create(**values).pk

    now, by, site = "2026-06-18T09:00:00Z", holding.people["owner"], holding.site
    device = Actuator.objects.filter(node__site=site).first()
    makers = {
        "site": lambda: site.pk,
        "house": lambda: holding.house.pk,
        "bed": lambda: holding.beds[0].pk,
        "node": lambda: holding.node.pk,
        "probe": lambda: holding.raw[0].probe_id,
        "channel": lambda: holding.raw[0].pk,
        "actuator": lambda: device.pk,
        "tank": lambda: Tank.objects.get(site=site).pk,
        "pump": lambda: Pump.objects.get(tank__site=site).pk,
        "job": lambda: made(Job, site=site, kind="k", title="t", created_at=now),
        "source": lambda: made(WaterSource, site=site, name="Old well", kind="well"),
        "medium": lambda: made(OwnMedium, site=site, **{**MEDIUM, "name": "Older"}),
        "busrequest": lambda: made(BusRequest, node=holding.node, by=by, created_at=now, expires_at=now, request=b"12"),
        "proof": lambda: made(Proof, channel=holding.raw[0], by=by, started_at=now, phases=PHASES if "finish" in path else PHASES[:1]),
        "actuatorproof": lambda: made(ActuatorProof, actuator=device, by=by, started_at=now, checks={"held_s": 0.0, "runs": []}),
        "standin": lambda: made(Node, site=site, name="Try 1", kind="modbus_tcp", standin_slot=3),
        "standinchannel": lambda: made(Channel, node_id=makers["standin"](), quantity="co2", register=0),
        "potchannel": lambda: made(Channel, node_id=makers["standin"](), quantity="raw", register=0, standin_place="pot 0.400"),
        "doser": lambda: made(Actuator, node=holding.node, kind="doser", name="Acid", coil=30, command_register=600, status_register=700),
        "capture": lambda: made(
            Capture, session_id=made(BenchSession, channel=holding.raw[0], method="weighed", opened_at=now, opened_by=by), kind="mass",
            reference=0.3, raw=20000, noise_raw=20, readings=12, taken_at=now, taken_by=by,
        ),
        "version": lambda: made(CalibrationVersion, **straight_line(holding.raw[0], by, number=7)),
        "programme": lambda: made(ProgrammeVersion, bed=holding.beds[0], number=1, published_at=now, published_by=by, **PROGRAMME) and 1,
        "contact": lambda: made(Actuator, node=holding.node, kind="contact", name="Fan", coil=31, command_register=610, status_register=710),
        "entry": lambda: made(
            PlanEntry, site=site, kind="hold", title="Spraying", first_day="2026-06-20", last_day="2026-06-20", made_by=by, made_at=now
        ),
        "token": lambda: invite(site, Role.VIEWER, by, datetime.now(UTC)),
    }  # fmt: skip
    if "by-hand" in path:
        contact = makers["contact"]()
        made(
            DeviceRule,
            actuator_id=contact,
            house=holding.house,
            number=1,
            published_at=now,
            published_by=by,
            kind="circulation",
            settings={},
        )
        makers["contact"] = lambda: contact
    names = [n for n in makers if "{" + n + "}" in path]
    return "/api/" + path.format(**{n: makers[n]() for n in names})


def body_of(path, holding):
    """The table's body with the holding's own numbers put in."""
    body = TABLE[path][2]
    if not isinstance(body, dict):
        return body
    own = {
        "{a}": holding.raw[0].pk,
        "{b}": holding.raw[1].pk,
        "{tank}": holding.tank.tank_id,
        "{house}": holding.house.pk,
        "{beds}": [b.pk for b in reversed(holding.beds)],
    }
    return {k: own.get(v, v) if isinstance(v, str) else v for k, v in body.items()}


def ask(client, path, holding, **headers):
    method = TABLE[path][0]
    if "proof" in path:
        give_readings(holding)
    return getattr(client, method)(
        filled(path, holding), data=body_of(path, holding), content_type="application/json", **headers
    )


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] in RANK])
def test_role_reaches_or_is_told(holding, client_of, path):
    for role in RANK:
        with transaction.atomic():  # each role meets the holding as it was
            answer = ask(client_of(role), path, holding)
            transaction.set_rollback(True)
        if RANK[role] >= RANK[TABLE[path][1]]:
            assert answer.status_code not in (401, 403, 404, 500), (role, answer.content[:300])
        else:
            assert answer.status_code == 403 and TABLE[path][1] in answer.json()["errors"][0]["message"], role


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] not in ("anyone", "code")])
def test_without_sign_in_every_route_asks_for_it(holding, path):
    assert ask(Client(), path, holding).status_code == 401


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] in RANK and "live" not in p])
def test_people_of_another_holding_see_nothing(holding, path):
    stranger = Client()
    other = make_holding(name="Elsewhere")
    stranger.force_login(other.people["owner"], backend="django.contrib.auth.backends.ModelBackend")
    assert ask(stranger, path, holding).status_code == 404


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] == "node"])
def test_node_routes_take_a_token_and_no_session(holding, client_of, path):
    assert ask(client_of("owner"), path, holding).status_code == 401
    assert ask(Client(), path, holding, **node_headers(holding, gateway=True)).status_code not in (401, 403, 500)
