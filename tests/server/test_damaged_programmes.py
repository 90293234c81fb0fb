"""Whatever is sent to the routes of Water, they answer: with what was asked, or with the place that is wrong."""

import pytest
from django.db import transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from .conftest import BODY, send

pytestmark = pytest.mark.django_db
scalars = (
    st.none()
    | st.booleans()
    | st.integers(-(10**9), 10**9)
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=12)
)
anything = st.recursive(
    scalars,
    lambda x: (
        st.lists(x, max_size=3)
        | st.dictionaries(st.sampled_from([*BODY, "kind", "value", "times", "entries", "format"]), x, max_size=4)
    ),
    max_leaves=10,
)
damaged = st.dictionaries(
    st.sampled_from([*BODY, "triggers", "recharge", "drain", "rain", "fallback", "match", "lean"]), anything, max_size=4
).map(lambda change: {**BODY, **change})
OURS = settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])


def answered(response):
    assert response.status_code in (200, 201, 422), response.content[:300]
    if response.status_code == 422:
        assert all(e["message"] for e in response.json()["errors"])


@OURS
@given(damaged)
def test_checking_trying_and_publishing_never_break(holding, grower, body):
    bed = holding.beds[0].pk
    with transaction.atomic():
        answered(send(grower, "post", f"beds/{bed}/programme/check/", {"body": body}))
        answered(send(grower, "post", f"beds/{bed}/programme/simulate/", {"body": body}))
        answered(send(grower, "post", f"beds/{bed}/programme/publish/", {"body": body, "number": 0}))
        transaction.set_rollback(True)


@OURS
@given(anything, anything)
def test_plans_never_break(holding, grower, document, entries):
    path = f"sites/{holding.site.pk}/plan/"
    document = document if isinstance(document, dict | list) else {"format": document}
    with transaction.atomic():
        for data in (
            document,
            {"format": "tall-reed-plan/1", "entries": entries},
            {"format": "tall-reed-plan/1", "programmes": [document]},
        ):
            answered(send(grower, "post", path + "import/", data))
        transaction.set_rollback(True)


LINES = st.sampled_from(
    [
        "BEGIN:VCALENDAR",
        "END:VCALENDAR",
        "BEGIN:VEVENT",
        "END:VEVENT",
        "SUMMARY:x",
        "CATEGORIES:hold",
        "DTSTART;VALUE=DATE:20260701",
        "DTSTART:20260701T080000Z",
        "DTEND;VALUE=DATE:20260630",
        "DTSTART:never",
        "X-TALL-REED-BED:1",
        "VERSION:2.0",
        ":",
        "",
    ]
)


@OURS
@given(st.lists(LINES | st.text(max_size=20), max_size=12))
def test_calendar_files_never_break(holding, grower, lines):
    with transaction.atomic():
        text = "\r\n".join(lines).encode("utf-8", "replace")
        answered(grower.post(f"/api/sites/{holding.site.pk}/plan/calendar/", data=text, content_type="text/calendar"))
        transaction.set_rollback(True)


@OURS
@given(
    st.dictionaries(
        st.sampled_from(
            ["kind", "day", "night", "dead_band", "min_on_min", "on_min", "every_min", "from_min", "until_min"]
        ),
        anything,
        max_size=5,
    )
)
def test_device_rules_never_break(holding, grower, rule):
    from fitting.models import Actuator

    with transaction.atomic():
        device = Actuator.objects.create(
            node=holding.node, kind="contact", name="Fan", coil=31, command_register=610, status_register=710
        )
        answered(
            send(
                grower, "post", f"devices/{device.pk}/rule/", {"house": holding.house.pk, "settings": rule, "number": 0}
            )
        )
        transaction.set_rollback(True)
