"""Properties of loads, cables, batteries, rounds and dripper tests, and each refusal at its field."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore import electrics, hydraulics, lines, payback, uniformity
from reedcore.electrics import DeviceSheet, Load, judge_device
from reedcore.errors import Inconsistent, OutOfRange

loads = st.sampled_from(list(Load))


@given(loads, st.floats(1, 5000), st.floats(6, 400), st.floats(0.5, 60), st.floats(1, 200), st.floats(0.5, 10))
def test_a_contact_is_refused_exactly_when_the_start_asks_more(load, power, volts, contact, metres, area):
    found = {f.field: f for f in judge_device(DeviceSheet(load, power, volts, contact, metres, area))}
    asks = power / volts * electrics.SURGE[load]
    assert (found["contact_a"].level == "refuse") == (contact < asks)
    assert ("supply_v" in found) == (volts > 50)


@given(st.floats(0, 500), st.floats(0, 50), st.floats(0.2, 50))
def test_a_drop_grows_with_length_and_shrinks_with_copper(length, current, area):
    drop = electrics.cable_drop_v(length, current, area)
    assert drop >= 0
    assert electrics.cable_drop_v(length, current, 2 * area) == pytest.approx(drop / 2)
    assert electrics.cable_drop_v(2 * length, current, area) == pytest.approx(2 * drop)


@pytest.mark.parametrize(("metres", "level"), [(10, "ok"), (40, "warn"), (200, "refuse")])
def test_a_long_cable_is_warned_of_and_then_refused(metres, level):
    sheet = DeviceSheet(Load.SOLENOID, 12, 12, 5, metres, 1.5)
    drop = next(f for f in judge_device(sheet) if f.field == "cable_mm2")
    assert drop.level == level and "V lost over" in drop.text


@pytest.mark.parametrize(
    ("battery", "panel", "level"),
    [(100, 20, "ok"), (100, 0, "ok"), (10, 20, "warn"), (2, 0, "refuse"), (2, 40, "warn")],
)
def test_a_remote_node_needs_days_or_sun(battery, panel, level):
    sheet = DeviceSheet(
        Load.ELECTRONIC, 1.2, 12, 20, 5, 0.75, hours_a_day=24, battery_ah=battery, panel_w=panel, sun_hours=2.5
    )
    found = next(f for f in judge_device(sheet) if f.field == "battery_ah")
    assert found.level == level and "days without sun" in found.text


@given(st.floats(0, 500), st.floats(0, 24), st.floats(0, 5))
def test_energy_is_between_rest_and_running(power, hours, rest):
    energy = electrics.daily_energy_wh(power, hours, rest)
    assert min(power, rest) * 24 - 1e-9 <= energy <= max(power, rest) * 24 + 1e-9


@pytest.mark.parametrize(
    ("call", "field"),
    [
        (lambda: electrics.load_current_a(-1, 12), "power_w"),
        (lambda: electrics.load_current_a(5, 0), "supply_v"),
        (lambda: electrics.required_contact_a(1, 0.5), "surge_factor"),
        (lambda: electrics.cable_drop_v(1, 1, 0), "area_mm2"),
        (lambda: electrics.battery_days(10, 12, 0), "daily_wh"),
        (lambda: electrics.battery_days(0, 12, 5), "battery_ah"),
        (lambda: electrics.solar_share(10, 30, 5), "sun_hours"),
        (lambda: electrics.solar_share(10, 3, 0), "daily_wh"),
        (lambda: electrics.daily_energy_wh(5, 25), "hours_a_day"),
        (lambda: hydraulics.head_loss_m(float("nan"), 20, 10), "flow_l_min"),
        (lambda: hydraulics.head_loss_m(10, 1, 10), "diameter_mm"),
        (lambda: hydraulics.christiansen_factor(0), "outlets"),
        (lambda: hydraulics.Lateral(10, 0.5, 13, 2, exponent=2), "exponent"),
        (lambda: hydraulics.lateral_flow(hydraulics.Lateral(10, 0.5, 13, 2), 0.1), "inlet_head_m"),
        (lambda: hydraulics.line_fill_s(5, 0), "flow_l_min"),
        (lambda: hydraulics.line_volume_l(20, -1), "length_m"),
        (lambda: hydraulics.pump_flow_at_head(5, 0, 20), "rated_flow_l_min"),
        (lambda: lines.BedDemand("1", 0, 60), "flow_l_min"),
        (lambda: lines.BedDemand("1", 5, 0), "pulse_s"),
        (lambda: lines.best_sequence([], 10), "beds"),
        (lambda: lines.peak_day_l(0, 100, 0.2), "plants"),
        (lambda: lines.peak_day_l(10, 100, 0.95), "drain_share"),
        (lambda: lines.pump_load(lines.Sequence(()), 5, 0, 1), "available_min"),
        (lambda: uniformity.dripper_test(np.ones(5), 0), "minutes"),
        (lambda: uniformity.emission_uniformity(np.ones(5), 0), "drippers_per_plant"),
        (lambda: payback.payback_months(1, 1, 1, 1, 1, 1, 0.95), "saved_share"),
        (lambda: payback.payback_months(-1, 1, 1, 1, 1, 1, 0.5), "kit"),
    ],
)
def test_each_refusal_names_its_field(call, field):
    with pytest.raises((OutOfRange, Inconsistent)) as error:
        call()
    assert error.value.field == field and error.value.expectation


@given(st.floats(1, 500), st.floats(8, 60), st.floats(1, 200), st.integers(1, 200))
def test_a_lateral_loses_less_than_a_plain_pipe(flow, diameter, length, outlets):
    plain = hydraulics.head_loss_m(flow, diameter, length)
    assert (
        hydraulics.lateral_loss_m(outlets, flow, diameter, length) <= plain * 1.005
    )  # the published factor is 1.0045 for a single outlet


@given(st.floats(1, 300), st.floats(8, 60), st.floats(1, 200))
def test_head_loss_grows_with_flow_and_shrinks_with_width(flow, diameter, length):
    loss = hydraulics.head_loss_m(flow, diameter, length)
    assert hydraulics.head_loss_m(2 * flow, diameter, length) == pytest.approx(loss * 2**1.852, rel=1e-9)
    assert hydraulics.head_loss_m(flow, 2 * diameter, length) == pytest.approx(loss / 2**4.8704, rel=1e-9)


@given(st.floats(0, 60), st.floats(5, 100), st.floats(5, 50))
def test_a_pump_gives_less_the_higher_it_must_lift(head, rated_flow, rated_head):
    low, high = (hydraulics.pump_flow_at_head(h, rated_flow, rated_head) for h in (head, head + 1))
    assert 0 <= high <= low <= 1.5 * rated_flow + 1e-9


@given(st.lists(st.tuples(st.floats(1, 9), st.floats(30, 600)), min_size=1, max_size=9), st.floats(10, 40))
def test_the_exact_round_is_never_longer_than_longest_first(rows, pump):
    beds = [lines.BedDemand(str(i), flow, s) for i, (flow, s) in enumerate(rows)]
    greedy = lines._first_fit(sorted(beds, key=lambda b: (-b.pulse_s, b.name)), pump)
    assert lines.best_sequence(beds, pump).seconds <= sum(max(b.pulse_s for b in g) for g in greedy) + 1e-6


def test_a_larger_pump_never_makes_the_round_longer():
    beds = [lines.BedDemand(str(i), 3 + i % 4, 100 + 17 * i) for i in range(9)]
    rounds = [lines.best_sequence(beds, pump).seconds for pump in (7, 9, 12, 20, 60)]
    assert rounds == sorted(rounds, reverse=True) and rounds[-1] == max(b.pulse_s for b in beds)


@pytest.mark.parametrize(
    ("share", "word"),
    [(95, "excellent"), (90, "excellent"), (85, "good"), (75, "fair"), (65, "poor"), (10, "unacceptable")],
)
def test_class_words(share, word):
    assert uniformity.uniformity_class(share) == word


@given(st.lists(st.floats(10, 100), min_size=8, max_size=40))
def test_one_blocked_dripper_never_makes_a_bed_more_even(volumes):
    whole = np.array(volumes)
    blocked = whole.copy()
    blocked[int(np.argmin(whole))] = 0.0
    assert uniformity.low_quarter_uniformity(blocked) <= uniformity.low_quarter_uniformity(whole) + 1e-9
    assert uniformity.emission_uniformity(blocked) == 0.0


def test_even_cups_are_perfect():
    test = uniformity.dripper_test(np.full(12, 60.0), 2)
    assert test.christiansen == test.low_quarter == test.emission == 100
    assert math.isclose(test.mean_flow_ml_min, 30)
