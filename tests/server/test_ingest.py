from datetime import timedelta

import pytest
from django.test import Client

from readings.bulk import copy_rows
from readings.models import Latest, Quality, Reading
from readings.series import bucketed, slopes_per_hour

from .conftest import NOW, make_holding, node_headers, send

pytestmark = pytest.mark.django_db


def batch(holding, rows, **kwargs):
    return send(Client(), "post", "readings/", {"readings": rows}, **node_headers(holding, **kwargs))


def row(holding, minutes=0, raw=21000.0, channel=None, **more):
    time = (NOW + timedelta(minutes=minutes)).isoformat()
    return {"channel": channel or holding.raw[0].pk, "time": time, "raw": raw, **more}


def test_a_batch_sent_twice_changes_nothing(holding):
    rows = [row(holding, -i, 21000 + i) for i in range(50)]
    first, second = batch(holding, rows), batch(holding, rows)
    assert first.status_code == second.status_code == 200
    assert first.json() == second.json() == {"kept": 50, "refused": []}
    assert Reading.objects.count() == 50


def test_a_reading_is_never_overwritten(holding):
    batch(holding, [row(holding, 0, 21000)])
    batch(holding, [row(holding, 0, 5)])
    assert Reading.objects.get().raw == 21000
    assert Latest.objects.get(channel=holding.raw[0]).raw == 21000


def test_bad_readings_are_refused_by_name_and_the_good_kept(holding):
    other = make_holding(name="Elsewhere")
    rows = [
        row(holding, -1),
        row(holding, channel=other.raw[0].pk),
        row(holding, raw="wet"),
        {"channel": holding.raw[0].pk, "time": "yesterday", "raw": 1.0},
        {"channel": holding.raw[0].pk, "time": "2026-06-18T09:00:00", "raw": 1.0},
        row(holding, minutes=60),
        "not an object",
        row(holding, raw=True),
    ]
    answer = batch(holding, rows).json()
    assert answer["kept"] == 1
    assert [(r["index"], r["field"]) for r in answer["refused"]] == [
        (1, "channel"),
        (2, "raw"),
        (3, "time"),
        (4, "time"),
        (5, "time"),
        (6, "reading"),
        (7, "raw"),
    ]
    assert all(r["message"] and r["expected"] for r in answer["refused"])
    assert Reading.objects.count() == 1


def test_out_of_range_is_kept_and_flagged(holding):
    batch(holding, [row(holding, raw=-4.0)])
    assert Reading.objects.get().quality == Quality.OUT_OF_RANGE


@pytest.mark.parametrize("body", [{"readings": []}, {"readings": "many"}, {}, [], {"readings": [{}] * 10001}])
def test_malformed_batches_say_what_is_expected(holding, body):
    answer = send(Client(), "post", "readings/", body, **node_headers(holding))
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "readings"


def test_broken_json_is_a_clear_error(holding):
    answer = Client().post(
        "/api/readings/", data="{readings: ", content_type="application/json", **node_headers(holding)
    )
    assert answer.status_code == 400 and "JSON" in answer.json()["errors"][0]["message"]


@pytest.mark.parametrize("header", [{}, {"HTTP_AUTHORIZATION": "Node wrong"}, {"HTTP_AUTHORIZATION": "Bearer x"}])
def test_a_wrong_token_is_told_and_nothing_is_kept(holding, header):
    answer = send(Client(), "post", "readings/", {"readings": [row(holding)]}, **header)
    assert answer.status_code == 401 and answer.json()["errors"][0]["message"]
    assert Reading.objects.count() == 0


def test_token_is_stored_hashed(holding):
    assert "node-token" not in holding.node.token_hash and len(holding.node.token_hash) == 64


def test_the_gateway_speaks_for_every_node_but_not_for_another_site(holding):
    other = make_holding(name="Elsewhere")
    answer = batch(holding, [row(holding), row(holding, channel=other.raw[0].pk)], gateway=True).json()
    assert answer["kept"] == 1 and answer["refused"][0]["field"] == "channel"


def test_latest_follows_time_not_arrival(holding):
    batch(holding, [row(holding, 0, 20000)])
    batch(holding, [row(holding, -30, 25000)])
    assert Latest.objects.get(channel=holding.raw[0]).raw == 20000


def test_copied_rows_leave_out_what_is_there(holding):
    channel = holding.raw[0].pk
    rows = [(channel, NOW + timedelta(seconds=i), float(i), 0) for i in range(500)]
    columns = ["channel_id", "time", "raw", "quality"]
    assert copy_rows(Reading, columns, rows[:300]) == 300
    assert copy_rows(Reading, columns, rows) == 200
    assert copy_rows(Reading, columns, [(holding.raw[1].pk, NOW, 1.0, 0)], fresh=True) == 1
    assert Reading.objects.count() == 501


def test_buckets_average_and_leave_gaps_and_flagged_readings_out(holding):
    channel = holding.raw[0].pk
    values = [(0, 10.0, 0), (1, 20.0, 0), (2, 900.0, 1), (10, 50.0, 0)]
    Reading.objects.bulk_create(
        [Reading(channel_id=channel, time=NOW + timedelta(minutes=m), raw=r, quality=q) for m, r, q in values]
    )
    got = bucketed([channel], NOW, NOW + timedelta(minutes=15), timedelta(minutes=5))[channel]
    assert got[0] == 15 and got[1] != got[1] and got[2] == 50
    assert bucketed([channel], NOW, NOW + timedelta(minutes=5), timedelta(minutes=5), last_value=True)[channel][0] == 20
    assert slopes_per_hour([channel], NOW - timedelta(minutes=1), NOW + timedelta(minutes=1))[channel] == pytest.approx(
        600
    )
