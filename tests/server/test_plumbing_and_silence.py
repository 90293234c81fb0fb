"""Words of the water's way, and when a node counts as silent."""

from datetime import timedelta

import pytest

from demo.models import DemoClock
from fitting.models import Node
from fitting.silence import interval_s, silent_nodes, silent_since
from places.beds import pump_flow_of, setup_of
from places.models import Bed, Pump, Site
from places.plumbing import plumbing_of
from watering.models import DayFigure
from watering.watch_words import say_silent

from .conftest import BED, NOW, form, make_holding, send

pytestmark = pytest.mark.django_db


def line(holding):
    return plumbing_of(Site.objects.get(pk=holding.site.pk))[0].pumps[0]


@pytest.mark.parametrize(
    ("beds", "flow", "says"),
    [
        (1, 10, "Pump feeds its bed: 6.3 of 10.0 L/min"),
        (2, 14, "Pump feeds both its beds at once: 12.6 of 14.0 L/min"),
        (3, 20, "Pump feeds all 3 beds at once: 19.0 of 20.0 L/min"),
        (3, 14, "Pump feeds its beds in 2 groups"),
        (3, 7, "Pump feeds its beds in 3 groups: 1, then 2, then 3"),
        (2, 5, "Pump cannot feed each of its beds"),
    ],
)
def test_the_sentence_follows_from_beds_and_flow(db, beds, flow, says):
    holding = make_holding(beds=beds, name=f"Quay {beds} {flow}")
    Pump.objects.update(flow_l_min=flow)
    assert says in line(holding).sentence


def test_a_pump_without_beds_says_so(holding):
    Bed.objects.update(pump=None)
    assert line(holding).sentence == "Pump has no bed yet." and line(holding).sequence == []


def test_a_retired_bed_asks_nothing_of_the_pump(holding):
    Pump.objects.update(flow_l_min=7)
    assert len(line(holding).sequence) == 2
    Bed.objects.filter(pk=holding.beds[1].pk).update(retired_at=NOW)
    assert len(line(holding).sequence) == 1 and line(holding).together


def test_the_dose_is_the_programmes_where_there_is_one(holding, grower):
    before = line(holding).beds[0]
    assert before.dose_source.startswith("3 %")
    send(grower, "post", f"beds/{holding.beds[0].pk}/programme/publish/", form())
    after = next(b for b in line(holding).beds if b.id == holding.beds[0].pk)
    assert after.dose_ml == 140 and after.dose_source == "programme 1"
    assert after.pulse_s == pytest.approx(140 / 35.1 * 60 + 12)


def test_a_dose_shorter_than_its_line_is_a_problem_not_a_crash(holding):
    Bed.objects.update(line_fill_s=900)
    found = line(holding)
    assert all("less than the 900 s the line takes to fill" in p for b in found.beds for p in b.problems)


def test_a_second_pump_is_said_to_be_due(holding):
    Pump.objects.update(flow_l_min=7)
    Bed.objects.update(plants_per_m2=0.4, line_fill_s=60)
    found = line(holding)
    assert found.load_share > 0.85 and "A second pump is due." in found.sentence


def test_days_at_present_use_come_from_the_record(holding):
    tank = plumbing_of(holding.site)[0]
    assert tank.days_now.value is None and "no recorded day" in tank.days_now.source
    for back in range(3):
        DayFigure.objects.create(bed=holding.beds[0], day=(NOW - timedelta(days=back)).date(), pulses=5, dose_ml=1000)
    tank = plumbing_of(holding.site)[0]
    assert tank.days_now.value == pytest.approx((3000 - 240) / 180) and "last 3 recorded days" in tank.days_now.source


def test_the_guard_counts_with_the_flow_at_the_beds_head(holding):
    pump = Pump.objects.get()
    assert setup_of(holding.beds[0]).pump_flow_l_min == 10
    pump.flow_l_min, pump.rated_head_m, pump.lift_m = 10, 20, 8
    pump.save()
    bed = Bed.objects.select_related("pump__tank", "house__site").get(pk=holding.beds[0].pk)
    assert setup_of(bed).pump_flow_l_min == pytest.approx(pump_flow_of(pump, 10)) == pytest.approx(10 * (7 / 5) ** 0.5)


def test_a_bed_in_a_trough_gets_its_outline_and_place(holding, grower):
    form = {
        **BED,
        "shape": "trough",
        "length_cm": 200,
        "width_cm": 40,
        "base_width_cm": 30,
        "height_cm": 20,
        "plants_per_container": 8,
        "name": "T",
        "dry_limit": 0.4,
    }
    made = send(grower, "post", f"houses/{holding.house.pk}/beds/", form).json()
    place = send(grower, "post", f"beds/{made['id']}/placement/", {"kind": "capacitive"}).json()
    assert (place["top_cm"], place["base_cm"], place["height_cm"]) == (40, 30, 20) and place["refused"] == ""


def heard(holding, at, **more):
    Node.objects.filter(pk=holding.node.pk).update(last_seen=at, **more)
    return Node.objects.get(pk=holding.node.pk)


def test_silence_counts_in_the_nodes_own_intervals(holding):
    node = heard(holding, NOW, poll_s=60)
    assert silent_since(node, NOW + timedelta(seconds=184)) is None
    assert silent_since(node, NOW + timedelta(seconds=186)) == NOW + timedelta(seconds=185)


def test_a_fast_demo_clock_is_given_its_slower_polls(holding):
    node = heard(holding, NOW, poll_s=5)
    assert interval_s(node, 1.0) == 5 and interval_s(node, 60.0) == 60
    assert silent_since(node, NOW + timedelta(seconds=200), 60.0) is None
    assert silent_since(node, NOW + timedelta(seconds=200), 1.0) is not None


def test_a_node_never_heard_is_silent_and_a_retired_one_is_not_missed(holding):
    heard(holding, None)
    assert [n.name for n in silent_nodes(holding.site, NOW)] == ["North 1"]
    heard(holding, None, retired_at=NOW)
    assert silent_nodes(holding.site, NOW) == []


def test_a_real_sites_clock_runs_at_one(holding):
    DemoClock.objects.all().delete()
    heard(holding, NOW)
    site = Site.objects.get(pk=holding.site.pk)
    assert silent_nodes(site, NOW + timedelta(seconds=10)) == []
    assert len(silent_nodes(site, NOW + timedelta(seconds=30))) == 1


def test_silence_in_words():
    assert say_silent([]) == ""
    assert say_silent(["A"]) == " Node A is silent: see Fit."
    assert "Five nodes are silent (A, B, C, D, …)" in say_silent(list("ABCDE"))
