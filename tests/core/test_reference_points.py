"""Weighing, standards, electrodes, counters, retention: what they give and what they refuse, each at its field."""

import json
from importlib import resources

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore import devices, electrodes, methods, permittivity, retention_fit, standards, weighing
from reedcore.curves import value_from_curve
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange
from reedcore.sense import Sign
from reedcore.sensors import quantities
from reedcore.substrate import medium, water_content_from_suction
from reedcore.tanks import Tank, TankShape, litres_from_level


@given(st.floats(0, 0.99), st.floats(50, 5000), st.floats(0, 2000), st.floats(0.1, 50), st.floats(0, 60))
def test_weight_and_water_content_there_and_back(theta, dry, tare, volume, temp):
    mass = weighing.mass_from_water_content(theta, dry, tare, volume, temp)
    assert weighing.water_content_from_mass(mass + 1e-9, dry, tare, volume, temp) == pytest.approx(theta, abs=1e-6)


@pytest.mark.parametrize(
    ("masses", "field"),
    [
        ((800, 500, 340, 4), "wet_g"),
        ((9000, 500, 340, 4), "wet_g"),
        ((1500, 0, 340, 4), "dry_g"),
        ((1500, 500, 340, 0), "volume_l"),
    ],
)
def test_masses_that_cannot_be_are_refused(masses, field):
    with pytest.raises((Inconsistent, OutOfRange)) as caught:
        weighing.water_content_from_mass(*masses)
    assert caught.value.field == field


def test_errors_of_scale_and_volume_add_up():
    assert weighing.error_of_theta(2, 2, 4, 0.01, 0.5) == pytest.approx(np.hypot(2.828 / 4000, 0.005), rel=1e-3)


STANDARDS = [
    ("kcl_001", 25, 1.413),
    ("kcl_01", 25, 12.88),
    ("kcl_001", 20, 1.278),
    ("kcl_01", 20, 11.67),
    ("rh_nacl", 25, 75.29),
    ("ph_7", 25, 6.865),
]


@pytest.mark.parametrize(("code", "temp", "value"), STANDARDS)
def test_a_standard_is_worth_what_its_table_says(code, temp, value):
    assert standards.standard(code).at(temp) == pytest.approx(value, abs=1e-9)


def test_between_the_lines_a_standard_is_interpolated_and_outside_refused():
    kcl = standards.standard("kcl_001")
    assert kcl.at(22.5) == pytest.approx(1.332 + 0.5 / 3 * (1.413 - 1.332))
    with pytest.raises(OutOfRange) as caught:
        kcl.at(4)
    assert caught.value.field == "temp_c" and "5 to 30" in caught.value.expectation
    with pytest.raises(OutOfRange):
        standards.standard("sea_water")


@given(st.floats(0.5, 1.8), st.floats(-0.05, 0.05))
def test_two_standards_find_cell_and_offset(share, offset):
    true = [1.413, 12.88]
    cell = electrodes.cell_from_standards([(t - offset) / share for t in true], true)
    assert cell.cell_share == pytest.approx(share, rel=1e-6) and cell.offset_ms_cm == pytest.approx(offset, abs=1e-6)
    assert value_from_curve((5.0 - offset) / share, cell.curve) == pytest.approx(5.0)


CELL_REFUSALS = [
    ([], [], NotDetermined),
    ([1.2], [1.413, 12.88], Inconsistent),
    ([0.0], [1.413], NotDetermined),
    ([0.1], [1.413], Inconsistent),
]


@pytest.mark.parametrize(("read", "true", "kind"), CELL_REFUSALS)
def test_a_cell_that_cannot_be_is_refused(read, true, kind):
    with pytest.raises(kind):
        electrodes.cell_from_standards(read, true)


def test_a_coefficient_needs_two_temperatures_and_water():
    with pytest.raises(NotDetermined) as caught:
        electrodes.temperature_coefficient(1.3, 20, 1.32, 22)
    assert caught.value.field == "temp_2"
    with pytest.raises(Inconsistent, match="switched off"):
        electrodes.temperature_coefficient(1.413, 20, 1.413, 30)


def test_a_sample_that_does_not_fit_the_probe_is_refused():
    with pytest.raises(Inconsistent) as caught:
        electrodes.fit_epsilon_dry(0.9, 38, 22, 8.0)
    assert caught.value.field == "pore_ec"


@pytest.mark.parametrize(
    ("read", "passed", "says"),
    [
        ([4.0, 6.86, 9.18], True, "sound"),
        ([4.4, 6.86], False, "too flat"),
        ([3.6, 6.86], False, "steeper than can be"),
        ([5.0, 7.86], False, "too far from 0"),
        ([4.0, 7.2, 9.18], False, "contradict"),
    ],
)
def test_buffers_judge_an_electrode(read, passed, says):
    made = electrodes.ph_from_buffers(read, [4.0, 6.86, 9.18][: len(read)], 25.0, False)
    assert made.passed is passed and says in made.words
    if len(read) == 2:  # three buffers that contradict each other are met only on average
        assert value_from_curve(read[0], made.curve) == pytest.approx(4.0, abs=0.02)


def test_millivolts_and_ph_judge_alike():
    k = electrodes.ideal_slope_mv(25.0)
    by_ph = electrodes.ph_from_buffers([4.1, 6.9], [4.0, 6.86], 25.0, False)
    by_mv = electrodes.ph_from_buffers([(7 - 4.1) * k, (7 - 6.9) * k], [4.0, 6.86], 25.0, True)
    assert by_mv.slope_pct == pytest.approx(by_ph.slope_pct) and by_mv.asymmetry_mv == pytest.approx(by_ph.asymmetry_mv)


@pytest.mark.parametrize("buffers", [[6.86], [6.86, 7.2]])
def test_buffers_too_few_or_too_near_are_refused(buffers):
    with pytest.raises(NotDetermined):
        electrodes.ph_from_buffers(buffers, buffers, 25, False)
    with pytest.raises(Inconsistent, match="swapped"):
        electrodes.ph_from_buffers([9.2, 4.0], [4.0, 9.18], 25, False)


@pytest.mark.parametrize(("charge", "sign"), [(-1, -1), (1, 1)])
def test_an_ion_electrode_gives_concentration_back(charge, sign):
    slope = electrodes.ideal_slope_mv(22.0, charge) * 0.95
    read = [200 + slope * np.log10(c) for c in (100.0, 1000.0)]
    made = electrodes.ion_from_standards(read, [100.0, 1000.0], 22.0, charge, True)
    assert made.slope_pct == pytest.approx(95) and made.passed and slope * sign > 0
    assert value_from_curve(200 + slope * np.log10(350.0), made.curve) == pytest.approx(350)


def test_a_worn_membrane_fails_and_near_standards_are_refused():
    worn = electrodes.ion_from_standards([120.0, 600.0], [100.0, 1000.0], 22.0, -1, False)
    assert not worn.passed and "renew the membrane" in worn.words
    with pytest.raises(NotDetermined):
        electrodes.ion_from_standards([120.0, 150.0], [100.0, 200.0], 22.0, -1, False)
    with pytest.raises(Inconsistent):
        electrodes.ion_from_standards([0.0, 150.0], [100.0, 1000.0], 22.0, -1, False)


def test_counters_scales_and_light():
    assert devices.doser_ml_per_s([50, 100], [20, 40])[0] == pytest.approx(2.5)
    assert devices.light_factor([100, 400, 1], [110, 440, 10]) == pytest.approx((1.1, 0), abs=1e-9)
    assert value_from_curve(2070.0, devices.scale_curve(70, 2070, 2000)) == pytest.approx(2000)
    assert value_from_curve(480.0, devices.fresh_air_curve(463, 425)) == pytest.approx(442)
    assert value_from_curve(10.6, devices.suction_curve(0.6, 20.6, 20.0)) == pytest.approx(10)
    assert value_from_curve(20.0, devices.temperature_curve([0.4], [0.0])) == pytest.approx(19.6)
    assert value_from_curve(50.0, devices.humidity_curve([34, 76], [33, 75])) == pytest.approx(49)


REFUSED = [
    (lambda: devices.flow_k_factor(5, 10), "pulses"),
    (lambda: devices.tip_ml(200, 2), "tips"),
    (lambda: devices.doser_ml_per_s([], []), "runs"),
    (lambda: devices.doser_ml_per_s([5], [0.2]), "seconds"),
    (lambda: devices.scale_curve(0, 50, 20), "load_g"),
    (lambda: devices.light_factor([0], [0]), "points"),
    (lambda: devices.fresh_air_curve(1200), "read_ppm"),
    (lambda: devices.suction_curve(9), "read_zero"),
    (lambda: devices.suction_curve(0.2, 20.0, None), "ref_kpa"),
    (lambda: devices.temperature_curve([], []), "points"),
    (lambda: devices.temperature_curve([0, 1], [0, 1]), "true_c"),
    (lambda: devices.temperature_curve([25], [0]), "true_c"),
    (lambda: devices.humidity_curve([40, 50], [33, 75]), "true_pct"),
    (lambda: devices.litres_from_distance_curve(Tank(TankShape.BOX, 100, 100, 0, 80), 60), "face_above_floor_cm"),
]


@pytest.mark.parametrize(("act", "field"), REFUSED, ids=range(len(REFUSED)))
def test_what_cannot_be_is_refused_at_its_field(act, field):
    with pytest.raises((OutOfRange, Inconsistent, NotDetermined)) as caught:
        act()
    assert caught.value.field == field


@given(st.sampled_from(list(TankShape)), st.floats(0.02, 0.98))
def test_distance_gives_the_litres_of_the_level(shape, share):
    tank = Tank(shape, 200, 120, 110, 140)
    curve = devices.litres_from_distance_curve(tank, tank.depth_cm + 12)
    level = share * tank.depth_cm
    full = litres_from_level(tank, tank.depth_cm)
    assert value_from_curve(tank.depth_cm + 12 - level, curve) == pytest.approx(
        litres_from_level(tank, level), abs=0.004 * full
    )


def test_own_a_and_b_come_back_from_their_points():
    eps = [4.0, 16.0, 36.0, 49.0]
    fit = permittivity.fit_refractive(eps, [0.12 * np.sqrt(e) - 0.2 for e in eps])
    assert fit.curve.coefficients == pytest.approx((-0.2, 0.12), abs=1e-9)
    assert value_from_curve(20.0, permittivity.topp_curve()) == pytest.approx(0.3454, abs=6e-5)


@pytest.mark.parametrize("code", ["stone_wool", "coir", "peat"])
def test_a_retention_curve_is_found_from_its_own_pairs(code):
    m = medium(code)
    h = np.array([2, 5, 10, 20, 40, 70, 100], float)
    fit = retention_fit.fit_retention(h.tolist(), np.asarray(water_content_from_suction(h, m)).tolist())
    own = fit.medium("own", "Own", 0.05)
    test = np.array([3.0, 15.0, 60.0])
    assert np.asarray(water_content_from_suction(test, own)) == pytest.approx(
        np.asarray(water_content_from_suction(test, m)), abs=0.01
    )
    assert fit.rmse < 0.005


@pytest.mark.parametrize(
    ("h", "theta", "kind"),
    [
        ([1, 2, 3], [0.9, 0.8, 0.7], NotDetermined),
        ([1, 5, 10, 20, 40], [0.5, 0.6, 0.7, 0.8, 0.9], NotDetermined),
        ([1, 2], [0.5], Inconsistent),
    ],
)
def test_pairs_that_say_nothing_are_refused(h, theta, kind):
    with pytest.raises(kind):
        retention_fit.fit_retention(h, theta)


@given(st.sampled_from(["stone_wool", "coir", "peat_bark"]), st.floats(0.1, 60))
def test_suction_and_water_content_are_shown_for_each_other(code, kpa):
    m = medium(code)
    theta = retention_fit.theta_from_suction_kpa(kpa, m)
    back = retention_fit.suction_kpa_from_theta(theta, m)
    assert np.isnan(back) or back == pytest.approx(kpa, rel=1e-3)


def test_every_method_serves_a_known_quantity_and_says_why():
    known = set(quantities()) | {"doser"}
    for m in methods.methods().values():
        assert set(m.quantities) <= known and m.why and m.due_days > 0
        assert len({c.kind for c in m.cards}) == len(m.cards)
    assert methods.methods_for("raw")[0].code == "two_point"
    raw = json.loads(resources.files("reedcore").joinpath("data/calibration_methods.json").read_text())
    assert [r["code"] for r in raw] == list(methods.methods())


def test_a_sense_check_makes_a_calibration_due_at_once():
    assert methods.due_in_days("two_point", 30) == 150
    assert methods.due_in_days("two_point", 30, frozenset({Sign.GAIN})) == 0
    assert methods.due_in_days("ph", 45, frozenset({Sign.GAPS})) == -15
    with pytest.raises(OutOfRange):
        methods.method("guess")
