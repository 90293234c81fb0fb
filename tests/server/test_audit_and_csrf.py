"""Every change leaves a line that says who, when and what; and no change is taken from a foreign page."""

import pytest
from django.test import Client

from logbook.models import AuditLine
from watering.models import BedControl, ProgrammeVersion

from .conftest import NOW, form, raw_of, send
from .test_calibration import both_points, publish
from .test_permissions import TABLE, ask, filled

pytestmark = pytest.mark.django_db
NO_CHANGE = {
    "arithmetic/",
    "houses/{house}/beds/propose/",
    "beds/{bed}/programme/simulate/",
    "beds/{bed}/programme/check/",
    "beds/{bed}/programme/compare/",
    "beds/{bed}/programme/replay/",
    "sites/{site}/plan/import/",
    "sites/{site}/plan/calendar/",
    "drills/begin/",
    "drills/runs/999/look/",
    "drills/runs/999/answer/",
    "session/units/",
    "session/sign-in/",
    "session/sign-out/",
    "beds/{bed}/cups/judge/",
    "beds/{bed}/placement/",
    "beds/{bed}/probes-needed/",
    "sites/{site}/media/profile/",
    "sites/{site}/payback/try/",
    "zone/",
    "catalogue/choose/",
    "nodes/{node}/bus/compose/",
    "bus/decode/",
    "bus/explain/",
    "channels/{channel}/compare/",
    "channels/{channel}/judge/",
    "sites/{site}/check/",
    "sites/{site}/trials/",
    "sites/{site}/retention/",
    "sites/{site}/batch/",
}
STEPS = {  # steps of a test under way: its beginning and its end leave the lines
    "proofs/{proof}/next/",
    "proofs/{proof}/give-up/",
    "actuator-proofs/{actuatorproof}/hold/",
    "actuator-proofs/{actuatorproof}/release/",
    "actuator-proofs/{actuatorproof}/step/",
    "channels/{standinchannel}/standin-place/",
    "welcome/{token}/accept/",
}
DEMO_ONLY = {"sites/{site}/demo/clock/", "demo/probes/{probe}/place/"}
NEEDS_A_BENCH = {
    "houses/{house}/stop/",
    "houses/{house}/resume/",
    "beds/{bed}/programme/follow/",
    "beds/{bed}/drain/",
    "beds/{bed}/unlock/",
    "channels/{channel}/captures/",
    "channels/{channel}/calibrations/",
    "dosers/{doser}/calibrations/",
    "sites/{site}/batch/captures/",
    "sites/{site}/batch/publish/",
    "sites/{site}/trials/adopt/",
}
CHANGES = [
    p
    for p, t in TABLE.items()
    if t[0] in ("post", "put") and t[1] != "node" and p not in NO_CHANGE | STEPS | DEMO_ONLY | NEEDS_A_BENCH
]


def ready(holding):
    """A holding in which every change of the table can be made."""
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    holding.set_tank(2000)
    BedControl.objects.create(bed=holding.beds[0], fault="missed_target", tries=8, last_why="fault")


@pytest.mark.parametrize("path", CHANGES)
def test_each_change_leaves_its_audit_line(holding, client_of, path):
    ready(holding)
    if path.endswith("dose/"):
        BedControl.objects.all().delete()
    answer = ask(client_of("owner"), path, holding)
    assert answer.status_code in (200, 201, 204), answer.content[:300]
    line = AuditLine.objects.get()
    assert line.by == holding.people["owner"] and line.at == NOW and line.action and line.site == holding.site


def test_captures_and_calibrations_leave_lines_too(holding, grower):
    both_points(grower, holding)
    publish(grower, holding)
    actions = list(AuditLine.objects.order_by("pk").values_list("action", flat=True))
    assert actions[0].startswith("captured dry mix of probe 1A") and actions[1].startswith("captured soaked")
    assert actions[2] == "published calibration 1 of probe 1A"


def test_a_refused_change_leaves_no_line_and_no_half(holding, grower):
    answer = send(grower, "post", f"beds/{holding.beds[0].pk}/programme/publish/", form(low=0.9))
    assert answer.status_code == 422
    assert not AuditLine.objects.exists() and not ProgrammeVersion.objects.exists()


def test_a_programme_line_holds_before_and_after(holding, grower):
    path = f"beds/{holding.beds[0].pk}/programme/publish/"
    send(grower, "post", path, form())
    send(grower, "post", path, form(1, low=0.71))
    first, second = AuditLine.objects.order_by("pk")
    assert first.before is None and first.after["low"] == 0.72
    assert (second.before["low"], second.after["low"]) == (0.72, 0.71)


@pytest.mark.parametrize("path", ["beds/{bed}/stop/", "sites/{site}/notes/new/", "session/sign-out/"])
def test_a_post_without_the_pages_token_is_refused(holding, path):
    client = Client(enforce_csrf_checks=True)
    client.force_login(holding.people["owner"], backend="django.contrib.auth.backends.ModelBackend")
    answer = client.post(filled(path, holding), data={"text": "x"}, content_type="application/json")
    assert answer.status_code == 403 and "CSRF" in answer.json()["errors"][0]["message"]
    assert not AuditLine.objects.exists()


def test_the_token_of_the_session_opens_the_way(holding):
    client = Client(enforce_csrf_checks=True)
    person = holding.people["grower"].username
    answer = send(client, "post", "session/sign-in/", {"username": person, "password": "a-long-password"})
    token = answer.json()["csrf_token"]
    note = send(
        client, "post", f"sites/{holding.site.pk}/notes/new/", {"text": "from the page"}, HTTP_X_CSRFTOKEN=token
    )
    assert note.status_code == 201


def test_a_wrong_content_type_is_told(holding, grower):
    answer = grower.post(
        f"/api/sites/{holding.site.pk}/notes/new/", data="text=x", content_type="application/x-www-form-urlencoded"
    )
    assert answer.status_code == 415 and answer.json()["errors"][0]["message"]
