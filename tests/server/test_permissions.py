"""Every route against every role: one table, and no route outside it."""

import pytest
from django.test import Client
from django.urls import get_resolver

from .conftest import BED, PROGRAMME, make_holding, node_headers

pytestmark = pytest.mark.django_db

# path: (method, least role, body). 'node' takes a token, 'anyone' and 'person' need no membership.
TABLE = {
    "session/": ("get", "person", None),
    "session/sign-in/": ("post", "anyone", {"username": "x", "password": "y"}),
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
    "beds/{bed}/": ("put", "grower", {**BED, "name": "7", "version": 1}),
    "sites/{site}/nodes/": ("get", "viewer", None),
    "nodes/{node}/token/": ("post", "owner", None),
    "gateway/config/": ("get", "node", None),
    "gateway/contact/": ("post", "node", {"contacts": []}),
    "gateway/commands/": ("get", "node", None),
    "gateway/commands/999/report/": ("post", "node", {"state": "done", "at": "2026-06-18T09:00:00Z"}),
    "readings/": ("post", "node", {"readings": []}),
    "sites/{site}/probes/": ("get", "viewer", None),
    "probes/{probe}/bench/": ("get", "viewer", None),
    "probes/{probe}/captures/": ("post", "grower", {"kind": "dry", "theta": 0.06}),
    "probes/{probe}/calibrations/": ("post", "grower", {"number": 1}),
    "sites/{site}/watch/": ("get", "viewer", None),
    "sites/{site}/watch/lines/": ("get", "viewer", None),
    "sites/{site}/slip/": ("get", "viewer", None),
    "beds/{bed}/ribbon/": ("get", "viewer", None),
    "beds/{bed}/days/": ("get", "viewer", None),
    "beds/{bed}/programme/": ("get", "viewer", None),
    "beds/{bed}/programme/simulate/": ("post", "viewer", {"programme": PROGRAMME, "weather": "clear"}),
    "beds/{bed}/programme/publish/": ("post", "grower", {**PROGRAMME, "number": 0}),
    "beds/{bed}/clear-fault/": ("post", "grower", None),
    "beds/{bed}/stop/": ("post", "grower", None),
    "beds/{bed}/resume/": ("post", "grower", None),
    "beds/{bed}/dose/": ("post", "grower", None),
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

    return re.sub(r"<[^>]+>|\{[^}]+\}|999", "*", path)


def test_the_table_names_every_route_and_no_other():
    assert {shape(r) for r in routes()} == {shape(r) for r in TABLE}


def filled(path, holding):
    from common.models import Job

    job = Job.objects.create(site=holding.site, kind="k", title="t", created_at="2026-06-18T09:00:00Z")
    return "/api/" + path.format(
        site=holding.site.pk,
        house=holding.house.pk,
        bed=holding.beds[0].pk,
        node=holding.node.pk,
        probe=holding.raw[0].probe_id,
        job=job.pk,
    )


def ask(client, path, holding, **headers):
    method, _, body = TABLE[path]
    return getattr(client, method)(filled(path, holding), data=body, content_type="application/json", **headers)


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] in RANK])
@pytest.mark.parametrize("role", ["viewer", "grower", "owner"])
def test_role_reaches_or_is_told(holding, client_of, path, role):
    answer = ask(client_of(role), path, holding)
    allowed = RANK[role] >= RANK[TABLE[path][1]]
    if allowed:
        assert answer.status_code not in (401, 403, 404, 500), answer.content[:300]
    else:
        assert answer.status_code == 403 and TABLE[path][1] in answer.json()["errors"][0]["message"]


@pytest.mark.parametrize("path", [p for p, t in TABLE.items() if t[1] not in ("anyone",)])
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
