"""Files of readings: streamed, kept line by line, refused by line, cancelled, never doubled."""

from datetime import timedelta
from pathlib import Path

import pytest
from django.test import Client

from common.models import Job
from readings import uploads
from readings.models import Latest, Reading
from readings.tasks import import_readings

from .conftest import NOW, fields_of, send

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def folder(settings, tmp_path):
    settings.UPLOADS = tmp_path / "uploads"
    return settings.UPLOADS


@pytest.fixture
def queued(monkeypatch):
    """Deferred imports, run at once by `run_all`."""
    calls: list[dict] = []
    monkeypatch.setattr(import_readings, "defer", lambda **kw: calls.append(kw))
    return calls


def run_all(queued):
    while queued:
        import_readings(**queued.pop(0))


def upload(client: Client, holding, text: str):
    path = f"/api/sites/{holding.site.pk}/readings/upload/"
    return client.post(path, data=text.encode(), content_type="text/csv", HTTP_X_FILE_NAME="july.csv")


def lines(channel: int, count: int, start=NOW - timedelta(days=3)) -> list[str]:
    return [f"{(start + timedelta(minutes=i)).isoformat()},{channel},{20000 + i}" for i in range(count)]


def test_a_file_is_taken_in_and_twice_changes_nothing(holding, grower, queued, folder):
    text = "\n".join(["time,channel,value", *lines(holding.raw[0].pk, 1200)])
    for _ in range(2):
        job = upload(grower, holding, text).json()["job"]
        run_all(queued)
    assert Reading.objects.count() == 1200 and Latest.objects.get(channel=holding.raw[0]).raw == 21199
    state = send(grower, "get", f"jobs/{job}/").json()
    assert (
        state["state"] == "done"
        and state["done"] == state["total"]
        and "1200 readings kept, 0 lines refused" in state["message"]
    )
    assert list(Path(folder).iterdir()) == []


def test_bad_lines_are_named_and_the_good_ones_kept(holding, grower, queued):
    good = lines(holding.raw[0].pk, 3)
    text = "\n".join(
        ["time,channel,value", good[0], "soon,1,2", good[1].replace(f",{holding.raw[0].pk},", ",999999,"), good[2]]
    )
    job = upload(grower, holding, text).json()["job"]
    run_all(queued)
    message = send(grower, "get", f"jobs/{job}/").json()["message"]
    assert (
        Reading.objects.count() == 2
        and "2 readings kept, 2 lines refused" in message
        and "line 3: time is soon" in message
    )


def test_a_file_that_is_no_csv_fails_with_the_reason(holding, grower, queued, folder):
    job = upload(grower, holding, "PK\x03\x04 not a table").json()["job"]
    run_all(queued)
    state = send(grower, "get", f"jobs/{job}/").json()
    assert state["state"] == "failed" and "header" in state["message"] and list(Path(folder).iterdir()) == []


def test_an_empty_or_too_large_file_is_refused_and_nothing_left(holding, grower, monkeypatch, folder):
    assert fields_of(upload(grower, holding, "")) == ["file"]
    monkeypatch.setattr(uploads, "MOST_BYTES", 1000)
    assert fields_of(upload(grower, holding, "x" * 2000)) == ["file"]
    assert not folder.exists() or list(folder.iterdir()) == []


def test_a_cancelled_import_stops_between_batches_and_keeps_what_it_has(holding, grower, queued, monkeypatch):
    monkeypatch.setattr(uploads, "BATCH", 100)
    job = upload(grower, holding, "\n".join(["time,channel,value", *lines(holding.raw[0].pk, 1000)])).json()["job"]
    kept = uploads.take_rows
    monkeypatch.setattr(uploads, "take_rows", lambda *a: (send(grower, "post", f"jobs/{job}/cancel/"), kept(*a))[1])
    run_all(queued)
    assert Job.objects.get(pk=job).state == "cancelled" and Reading.objects.count() == 100


def test_a_job_cancelled_before_it_began_takes_nothing_in(holding, grower, queued, folder):
    job = upload(grower, holding, "\n".join(["time,channel,value", *lines(holding.raw[0].pk, 10)])).json()["job"]
    assert send(grower, "post", f"jobs/{job}/cancel/").status_code == 204
    run_all(queued)
    assert Reading.objects.count() == 0 and list(Path(folder).iterdir()) == []
