"""Two workers by mistake, two publishers, two batches at once: each with a control that shows the race."""

import threading
from datetime import timedelta

import pytest
from django.db import connection, connections

from readings.ingest import ingest
from readings.models import Reading
from watering import control
from watering.models import ControlClock, Decision, ProgrammeVersion, Pulse
from watering.services import publish_programme
from watering.state import programme_of

from .conftest import NOW, PROGRAMME, make_holding, raw_of

pytestmark = pytest.mark.django_db(transaction=True)


def together(*actions):
    """Run actions at the same moment in threads of their own; what each returned or raised."""
    barrier, out = threading.Barrier(len(actions)), [None] * len(actions)

    def run(i, action):
        try:
            barrier.wait()
            out[i] = action()
        except Exception as error:
            out[i] = error
        finally:
            connections.close_all()

    threads = [threading.Thread(target=run, args=(i, a)) for i, a in enumerate(actions)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return out


@pytest.fixture
def thirsty():
    holding = make_holding(beds=1)
    holding.calibrate(0)
    holding.set_raw(0, raw_of(0.70))
    holding.set_tank(2000)
    ProgrammeVersion.objects.create(
        bed=holding.beds[0], number=1, published_at=NOW, published_by=holding.people["owner"], **PROGRAMME
    )
    return holding


def test_two_workers_water_once(thirsty):
    ControlClock.objects.create(site=thirsty.site)
    for minute in range(0, 90, 30):
        at = NOW + timedelta(minutes=minute)
        thirsty.set_raw(0, raw_of(0.70), at) if minute else None
        thirsty.set_tank(2000, at)
        done = together(*[lambda at=at: control.tick(thirsty.site, at)] * 2)
        assert sorted(done) == [0, 1]
    assert Pulse.objects.count() == 3 and Decision.objects.count() == 3


def test_without_the_lock_two_workers_would_water_twice(thirsty, monkeypatch):
    """The control: the same tick without its lock, each worker reading the state before the other has written."""
    barrier = threading.Barrier(2)
    real = control.gather

    def gather_then_meet(site, now):
        state = real(site, now)
        barrier.wait(timeout=10)
        return state

    monkeypatch.setattr(control, "gather", gather_then_meet)

    def unlocked(shift):
        # Decision's own unique constraint is sidestepped too, by half a minute: the lock alone is on trial.
        return control._decide_all(
            control.gather(thirsty.site, NOW + timedelta(seconds=shift)), NOW + timedelta(seconds=shift)
        )

    together(lambda: unlocked(0), lambda: unlocked(30))
    assert Pulse.objects.count() == 2


def test_of_two_publishers_one_is_told(thirsty):
    bed = thirsty.beds[0]
    programme = programme_of(ProgrammeVersion.objects.get())
    people = [thirsty.people["owner"], thirsty.people["grower"]]
    out = together(*[lambda by=by: publish_programme(bed, programme, 1, by, NOW) for by in people])
    assert sorted(type(o).__name__ for o in out) == ["Conflict", "ProgrammeVersion"]
    assert ProgrammeVersion.objects.count() == 2


def test_two_batches_at_once_neither_deadlock_nor_double():
    holding = make_holding(beds=2)
    rows = [
        {"channel": c.pk, "time": (NOW - timedelta(seconds=i)).isoformat(), "raw": 20000.0 + i}
        for i in range(300)
        for c in holding.raw
    ]
    out = together(lambda: ingest(holding.node, rows, NOW), lambda: ingest(holding.node, rows[::-1], NOW))
    assert [o.kept for o in out] == [600, 600]
    assert Reading.objects.count() == 600
    assert connection.is_usable()
