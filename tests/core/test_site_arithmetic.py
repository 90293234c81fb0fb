"""Tanks, pipes, pump lines, drippers, electrics, payback, placement: check values and properties."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore import electrics, hydraulics, lines, payback, placement, uniformity
from reedcore.containers import Shape, container_volume_l, easily_usable_l, outline, usable_water, water_profile
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange
from reedcore.formulas import FORMULAS, work_out
from reedcore.payback import FIELDS, PaybackCase, Span
from reedcore.substrate import capacity_from_height, medium
from reedcore.tanks import (
    Tank,
    TankShape,
    level_from_litres,
    litres_from_distance,
    litres_from_level,
    require_levels,
    tank_days,
    tank_litres,
)

CUPS = np.array([62, 58, 60, 61, 55, 59, 60, 52, 61, 63, 57, 60], float)
sides = st.floats(20, 400)
TANKS = st.one_of(
    st.builds(lambda a, b, h: Tank(TankShape.BOX, length_cm=a, width_cm=b, height_cm=h), sides, sides, sides),
    st.builds(lambda d, h: Tank(TankShape.UPRIGHT, diameter_cm=d, height_cm=h), sides, sides),
    st.builds(lambda d, n: Tank(TankShape.LYING, diameter_cm=d, length_cm=n), sides, sides),
)


@given(TANKS, st.floats(0, 1), st.floats(0, 1))
def test_litres_grow_with_level_and_come_back(tank, a, b):
    low, high = sorted((a, b))
    litres = [litres_from_level(tank, f * tank.depth_cm) for f in (low, high)]
    assert 0 <= litres[0] <= litres[1] + 1e-9 and litres[1] <= tank_litres(tank) * (1 + 1e-9)
    assert level_from_litres(tank, min(litres[1], tank_litres(tank))) == pytest.approx(
        high * tank.depth_cm, abs=1e-6 * tank.depth_cm + 1e-9
    )


def test_a_lying_tank_half_full_holds_half():
    tank = Tank(TankShape.LYING, diameter_cm=100, length_cm=200)
    assert litres_from_level(tank, 50) == pytest.approx(tank_litres(tank) / 2)
    assert tank_litres(tank) == pytest.approx(math.pi * 50**2 * 200 / 1000)


def test_distance_counts_down_from_the_sensor_and_nan_stays():
    tank = Tank(TankShape.BOX, length_cm=100, width_cm=100, height_cm=100)
    np.testing.assert_allclose(
        litres_from_distance(tank, np.array([120.0, 70.0, 5.0, np.nan]), 120), [0, 500, 1000, np.nan]
    )
    with pytest.raises(Inconsistent) as low:
        litres_from_distance(tank, 10.0, 90)
    assert low.value.field == "sensor_height_cm"


@pytest.mark.parametrize(
    ("levels", "field"),
    [
        ((300, 200, 900), "warn_l"),
        ((100, 200, 150), "overfill_l"),
        ((100, 200, 1200), "overfill_l"),
        ((-1, 200, 900), "empty_l"),
    ],
)
def test_tank_levels_out_of_order_name_their_field(levels, field):
    with pytest.raises((Inconsistent, OutOfRange)) as error:
        require_levels(*levels, full_l=1000)
    assert error.value.field == field


def test_a_side_that_is_missing_is_named():
    with pytest.raises(OutOfRange) as error:
        Tank(TankShape.LYING, length_cm=100)
    assert error.value.field == "diameter_cm"
    with pytest.raises(OutOfRange):
        tank_days(100, 0)


def test_hazen_williams_and_christiansen_check_values():
    # 100 m of 50 mm polyethylene at 2 L/s, C 140: 2.6 m (Keller and Bliesner tables give 2.6 m per 100 m).
    assert hydraulics.head_loss_m(120, 50, 100) == pytest.approx(2.47, abs=0.15)
    # Christiansen 1942, table for m = 1.852.
    assert hydraulics.christiansen_factor(1) == pytest.approx(1.0, abs=0.01)
    assert hydraulics.christiansen_factor(10) == pytest.approx(0.402, abs=0.001)
    assert hydraulics.christiansen_factor(100) == pytest.approx(0.356, abs=0.001)


def test_lateral_step_by_step_agrees_with_christiansen_for_even_flow():
    lateral = hydraulics.Lateral(100, 0.5, 13.6, 2.0, exponent=0.0)
    flow = hydraulics.lateral_flow(lateral, 15)
    assert flow.loss_m == pytest.approx(hydraulics.lateral_loss_m(100, 100 * 2 / 60, 13.6, 50), rel=0.02)
    assert flow.spread == pytest.approx(0, abs=1e-6)


@settings(max_examples=40)
@given(st.integers(2, 150), st.floats(0.1, 1), st.floats(10, 20), st.floats(0.5, 4))
def test_flow_falls_along_a_lateral_and_adding_a_dripper_never_lowers_the_demand(n, spacing, diameter, rated):
    few = hydraulics.lateral_flow(hydraulics.Lateral(n, spacing, diameter, rated), 12)
    more = hydraulics.lateral_flow(hydraulics.Lateral(n + 1, spacing, diameter, rated), 12)
    assert np.all(np.diff(few.flow_l_h) <= 1e-6)
    assert more.total_l_min >= few.total_l_min * (1 - 1e-9)
    assert 0 <= few.spread < 1


def test_a_starving_lateral_still_gives_an_answer_or_says_why():
    try:
        flow = hydraulics.lateral_flow(hydraulics.Lateral(800, 1.0, 6, 8.0), 10)
        assert flow.spread > 0.5
    except NotDetermined as error:
        assert error.field == "diameter_mm"


def test_pump_curve_passes_its_rated_point_and_ends_at_shutoff():
    assert hydraulics.pump_flow_at_head(20, 60, 20) == pytest.approx(60)
    assert hydraulics.pump_flow_at_head(25, 60, 20) == 0
    assert hydraulics.pump_flow_at_head(0, 60, 20, 40) == pytest.approx(60 * math.sqrt(2))
    with pytest.raises(Inconsistent):
        hydraulics.pump_flow_at_head(5, 60, 20, 18)


@given(st.floats(2, 40), st.floats(0, 20))
def test_operating_point_lies_on_both_curves(static, friction):
    flow = hydraulics.solve_operating_point(60, 25, None, static, friction)
    if static >= 31.25:
        assert flow == 0
    elif 0 < flow < 89.9:
        wanted = static + friction * (flow / 60) ** 1.852
        assert hydraulics.pump_flow_at_head(wanted, 60, 25) == pytest.approx(flow, abs=0.01)


BEDS = st.lists(st.tuples(st.floats(1, 10), st.floats(30, 600)), min_size=1, max_size=14)


@settings(max_examples=60, deadline=None)
@given(BEDS, st.floats(10, 30))
def test_a_sequence_waters_each_bed_once_and_never_exceeds_the_pump(rows, pump):
    beds = [lines.BedDemand(str(i), flow, s) for i, (flow, s) in enumerate(rows)]
    sequence = lines.best_sequence(beds, pump)
    assert sorted(n for g in sequence.groups for n in g.beds) == sorted(b.name for b in beds)
    assert all(g.flow_l_min <= pump * (1 + 1e-6) for g in sequence.groups)
    assert max(b.pulse_s for b in beds) <= sequence.seconds <= sum(b.pulse_s for b in beds) + 1e-6


def test_the_shortest_round_is_found_where_longest_first_misses_it():
    beds = [
        lines.BedDemand(n, f, s)
        for n, f, s in (("a", 5, 300), ("b", 4, 290), ("c", 4, 280), ("d", 3, 100), ("e", 3, 90), ("f", 3, 80))
    ]
    exact = lines.best_sequence(beds, 11)
    assert exact.seconds == pytest.approx(300 + 290)
    assert sum(max(b.pulse_s for b in g) for g in lines._first_fit(beds, 11)) == 660
    assert lines.best_sequence(beds[:2], 11).all_together


def test_a_bed_too_large_for_its_pump_is_refused_with_both_figures():
    with pytest.raises(Inconsistent) as error:
        lines.best_sequence([lines.BedDemand("9", 30, 60)], 22)
    assert error.value.value == 22 and "30.0" in error.value.expectation


def test_second_pump_is_due_from_the_share_of_hours():
    sequence = lines.best_sequence([lines.BedDemand("1", 10, 600), lines.BedDemand("2", 10, 600)], 12)
    load = lines.pump_load(sequence, 30, 700, 900)
    assert load.needed_min == pytest.approx(600) and load.second_pump_due is True
    easy = lines.pump_load(sequence, 10, 700, 900)
    assert not easy.second_pump_due and easy.beds_until_due(2) == 3


def test_cups_give_the_published_uniformities():
    test = uniformity.dripper_test(CUPS, 2)
    assert test.christiansen == pytest.approx(96.0, abs=0.06)
    assert test.low_quarter == pytest.approx(92.7, abs=0.06)
    assert 75 < test.emission < test.low_quarter
    assert test.mean_flow_ml_min == pytest.approx(29.5)
    assert (
        uniformity.uniformity_class(test.christiansen) == "excellent"
        and uniformity.uniformity_class(59) == "unacceptable"
    )


@given(st.lists(st.floats(1, 500), min_size=4, max_size=60), st.floats(0.1, 10))
def test_uniformity_does_not_depend_on_the_size_of_cups(volumes, factor):
    v = np.array(volumes)
    for measure in (
        uniformity.christiansen_uniformity,
        uniformity.low_quarter_uniformity,
        uniformity.emission_uniformity,
    ):
        assert measure(v) == pytest.approx(measure(v * factor), abs=1e-6) and measure(v) <= 100 + 1e-9


def test_blocked_weak_and_worn_drippers_are_told_apart():
    verdicts = uniformity.dripper_test(np.array([60, 60, 60, 60, 51, 20, 0, 80.0]), 1).verdicts
    assert [v.value for v in verdicts[4:]] == ["clean", "swap", "swap", "worn"]


@pytest.mark.parametrize("bad", [[1, 2, 3], [1, 2, 3, -4], [0, 0, 0, 0], [1, 2, 3, float("nan")]])
def test_bad_cups_are_refused(bad):
    with pytest.raises(OutOfRange) as error:
        uniformity.dripper_test(np.array(bad, float), 2)
    assert error.value.field == "volumes_ml"


def test_cable_contact_and_battery_by_hand():
    assert electrics.cable_drop_v(40, 1.5, 0.75) == pytest.approx(2 * 40 * 1.5 * 0.0175 / 0.75)
    sheet = electrics.DeviceSheet(electrics.Load.MOTOR, 550, 230, 10, 20, 1.5)
    texts = {f.field: f for f in electrics.judge_device(sheet)}
    assert texts["contact_a"].level == "refuse" and "14.3 A" in texts["contact_a"].text
    assert texts["supply_v"].level == "warn" and "licensed" in texts["supply_v"].text
    remote = electrics.DeviceSheet(electrics.Load.SOLENOID, 6, 12, 5, 30, 1.5, False, 0.5, 0.4, 7, 10, 0.8)
    found = {f.field: f for f in electrics.judge_device(remote)}
    assert found["normally_open"].level == "warn" and "days without sun" in found["battery_ah"].text


CASE = PaybackCase(
    Span(2500, 3000, 3800), Span(400, 600, 900), Span(50, 100, 200), Span(3000, 4000, 5000), Span(0.8, 1.2, 2.0),
    Span(2000, 3000, 4000), Span(0.1, 0.2, 0.3),
)  # fmt: skip


def test_payback_is_a_range_and_names_what_moves_it_most():
    result = payback.payback(CASE)
    assert result.months_low < result.months_likely < result.months_high
    assert result.saved_a_year_likely == pytest.approx((4000 * 1.2 + 3000) * 0.2 - 100)
    assert result.swing_field == "saved_share" and result.swing_low < result.months_likely < result.swing_high
    poor = payback.spread_case(CASE, "saved_share", 0.0, 0.3)
    assert payback.payback(poor).months_high == float("inf")


@given(st.sampled_from(FIELDS), st.floats(0.2, 1.0), st.floats(1.0, 3.0))
def test_payback_likely_lies_between_its_ends(field, low, high):
    span = getattr(CASE, field)
    top = min(span.likely * high, 0.9) if field == "saved_share" else span.likely * high
    result = payback.payback(payback.spread_case(CASE, field, span.likely * low, max(span.likely, top)))
    assert result.months_low <= result.months_likely <= result.months_high


def test_a_span_out_of_order_is_refused_at_its_field():
    with pytest.raises(Inconsistent) as error:
        payback.payback(payback.spread_case(CASE, "kit", 4000, 5000))
    assert error.value.field == "kit"


SLAB = placement.Vessel(18, 18, 10, dripper_cm=-4)


@given(st.floats(-12, 12), st.floats(-2, 14), st.floats(0.5, 6))
def test_what_a_probe_reads_is_inside_or_refused(across, depth, radius):
    judged = placement.judge_place(SLAB, placement.Placed(across, depth, radius))
    assert 0 <= judged.inside_share <= 1
    assert bool(judged.refused) == (judged.inside_share < 0.98)
    if judged.to_wall_cm >= radius:
        assert not judged.refused


def test_advice_names_the_drip_the_foot_the_surface_and_the_corner():
    def said(across, depth):
        return " ".join(placement.judge_place(SLAB, placement.Placed(across, depth, 1.0)).advice)

    assert "too wet" in said(-4, 6) and "wet foot" in said(2, 8.9) and "drying surface" in said(2, 1.5)
    assert (
        "fair place" in said(2, 6)
        and "beyond the wall" in placement.judge_place(SLAB, placement.Placed(9, 5, 3)).refused
    )


@given(st.floats(8, 60), st.floats(8, 60), st.floats(6, 40))
def test_the_proposed_place_is_never_refused_where_there_is_room(top, base, height):
    vessel = placement.Vessel(top, base, height)
    if vessel.half_width_at(0.6 * height) < 2 * math.hypot(1, (top - base) / 2 / height):
        return
    assert not placement.judge_place(vessel, placement.proposed_place(vessel, 2.0)).refused


def test_probes_needed_agrees_with_the_table_and_grows_with_spread():
    assert placement.probes_needed(4, 4) == 7
    counts = [placement.probes_needed(s, 3) for s in (1, 2, 4, 8)]
    assert counts == sorted(counts) and counts[0] < counts[-1]


def test_container_volumes_of_each_shape():
    assert container_volume_l(
        Shape.TROUGH, {"length_cm": 100, "width_cm": 30, "base_width_cm": 20, "height_cm": 20}
    ) == pytest.approx(50)
    assert container_volume_l(
        Shape.SQUARE_POT, {"top_side_cm": 20, "base_side_cm": 20, "height_cm": 20}
    ) == pytest.approx(8)
    assert container_volume_l(Shape.BAG, {"fill_l": 15, "width_cm": 25, "height_cm": 12}) == 15
    with pytest.raises(OutOfRange) as error:
        container_volume_l(Shape.BAG, {"width_cm": 25, "height_cm": 12})
    assert error.value.field == "fill_l"
    assert outline(Shape.TROUGH, {"length_cm": 100, "width_cm": 30, "base_width_cm": 20, "height_cm": 20}).base_cm == 20


@pytest.mark.parametrize("code", ["stone_wool", "coir", "peat", "perlite"])
def test_the_profile_is_wet_at_its_foot_and_its_mean_is_the_capacity(code):
    m = medium(code)
    profile = water_profile(20, m, 400)
    assert np.all(np.diff(profile.theta) < 0) and profile.theta[0] == pytest.approx(m.theta_s)
    assert np.trapezoid(profile.theta, profile.height_cm) / 20 == pytest.approx(capacity_from_height(20, m), abs=1e-4)
    assert usable_water(4, 20, m).easily_l == pytest.approx(easily_usable_l(4, m.theta_s, m.theta_r, m.alpha, m.n))


SAMPLE = {
    "level_cm": 14.0, "outlets": 30.0, "plants": 200.0, "saved_share": 0.2, "usable_share": 0.5, "theta_s": 0.9, "theta_r": 0.1,
    "alpha": 0.1, "n": 1.8, "drain_share": 0.2, "confidence": 0.95, "roughness_c": 140.0, "length_m": 30.0, "scatter": 0.05,
    "volume_l_per_plant": 4.0, "humidity_pct": 60.0, "theta": 0.5, "raw": 15000.0, "raw_dry": 25000.0, "raw_wet": 9000.0,
    "theta_dry": 0.1, "theta_wet": 0.8, "rise": 0.04, "shutoff_head_m": 60.0, "dry_limit": 0.4, "capacity": 0.8,
    "dose_ml": 900.0, "drain_ml": 200.0, "permittivity": 38.0, "line_fill_s": 8.0, "daily_use_l": 900.0, "flow_ml_min_per_plant": 35.0,
    "dose_ml_per_plant": 120.0, "rated_flow_l_min": 40.0, "rated_head_m": 25.0,
    "wet_g": 2400.0, "dry_g": 500.0, "container_g": 340.0, "volume_l": 4.0, "x1": 5000.0, "x2": 25000.0, "observed": 0.03, "drained_ml": 20.0,
    "a": 0.5, "b": -1e-5, "charge": 1.0, "epsilon_dry": 4.1,
}  # fmt: skip


@pytest.mark.parametrize("code", sorted(FORMULAS))
def test_every_formula_works_out_and_shows_the_values_put_in(code):
    inputs = {name: SAMPLE.get(name, 20.0) for name in FORMULAS[code].arguments}
    worked = work_out(code, inputs)
    assert math.isfinite(worked.value) and len(worked.inputs) == len(inputs)
    assert worked.substituted != FORMULAS[code].expression.split("=", 1)[-1].strip()
