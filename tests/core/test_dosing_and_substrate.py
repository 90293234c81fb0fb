"""Volumes, doses and seconds: known values, edges, and inverse pairs."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore import dosing, substrate
from reedcore.errors import Inconsistent, OutOfRange, ReedError, require_range

GEOMETRY = [
    (lambda: substrate.slab_volume_l(100, 15, 7.5), 11.25),
    (lambda: substrate.slab_volume_l(100, 20, 10), 20.0),
    (lambda: substrate.pot_volume_l(20, 20, 10), math.pi),  # a cylinder: pi r2 h
    (lambda: substrate.pot_volume_l(19, 15, 16), math.pi * 16 * (9.5**2 + 9.5 * 7.5 + 7.5**2) / 3000),
    (lambda: substrate.volume_per_plant_l(18, 4), 4.5),
    (lambda: substrate.water_l_per_plant(0.62, 3.75), 2.325),
    (lambda: substrate.relative_water(0.70, 0.50, 0.90), 50.0),
    (lambda: substrate.proposed_dry_limit(0.81), 0.486),
    (lambda: dosing.dose_ml_from_share(0.03, 4.5), 135.0),
    (lambda: dosing.drain_share(20, 100), 0.2),
]


@pytest.mark.parametrize("compute,value", GEOMETRY, ids=range(len(GEOMETRY)))
def test_known_values(compute, value):
    assert compute() == pytest.approx(value)


REFUSED = [
    (lambda: substrate.slab_volume_l(2, 15, 7.5), "length_cm"),
    (lambda: substrate.slab_volume_l(100, 15, 150), "height_cm"),
    (lambda: substrate.pot_volume_l(300, 20, 10), "top_diameter_cm"),
    (lambda: substrate.pot_volume_l(20, 2, 10), "base_diameter_cm"),
    (lambda: substrate.volume_per_plant_l(18, 0), "plants_per_container"),
    (lambda: substrate.volume_per_plant_l(0, 4), "container_l"),
    (lambda: substrate.ml_per_point(0), "volume_l_per_plant"),
    (lambda: substrate.water_l_per_plant(1.5, 3), "theta"),
    (lambda: substrate.capacity_from_height(0, substrate.medium("coir")), "height_cm"),
    (lambda: dosing.dose_ml_from_rise(0.9, 4), "rise"),
    (lambda: dosing.dose_ml_from_rise(0.03, 4, 0.95), "drain_share"),
    (lambda: dosing.dose_ml_from_share(0.5, 4), "share"),
    (lambda: dosing.seconds_from_dose(0, 40), "dose_ml_per_plant"),
    (lambda: dosing.seconds_from_dose(100, 0), "flow_ml_min_per_plant"),
    (lambda: dosing.seconds_from_dose(100, 40, 2000), "line_fill_s"),
    (lambda: dosing.bed_flow_l_min(40, 0), "plants"),
    (lambda: dosing.drain_share(-1, 100), "drain_ml"),
    (lambda: dosing.drain_feedback_factor(0.2, 1.5), "measured"),
    (lambda: substrate.Medium("x", "x", 0.3, 0.4, 0.1, 2.0, 0.05, "test"), "theta_r"),
    (lambda: substrate.Medium("x", "x", 0.9, 0.1, 0.1, 0.9, 0.05, "test"), "n"),
]


@pytest.mark.parametrize("compute,field", REFUSED, ids=range(len(REFUSED)))
def test_refusals_name_field_value_and_expectation(compute, field):
    with pytest.raises(ReedError) as caught:
        compute()
    assert caught.value.field == field and caught.value.expectation
    assert field in str(caught.value) and "expected" in str(caught.value)


def test_nan_is_never_in_a_range():
    with pytest.raises(OutOfRange):
        require_range("anything", float("nan"), -1e9, 1e9, "")


@given(st.floats(0.002, 0.2), st.floats(0.5, 40), st.floats(0, 0.6))
def test_a_dose_for_a_rise_raises_by_that(rise, volume, share):
    dose = dosing.dose_ml_from_rise(rise, volume, share)
    assert dose * (1 - share) / (volume * 1000) == pytest.approx(rise)


@given(st.floats(50, 2000), st.floats(10, 200), st.floats(0, 20))
def test_seconds_and_millilitres_there_and_back(dose, flow, fill):
    if dose / flow * 60 < fill:
        return
    seconds = dosing.seconds_from_dose(dose, flow, fill)
    assert (seconds - fill) / 60 * flow == pytest.approx(dose)


@given(st.floats(0, 0.9), st.floats(0, 1))
def test_feedback_is_bounded_and_points_the_right_way(target, measured):
    factor = dosing.drain_feedback_factor(target, measured)
    assert 0.85 <= factor <= 1.15
    assert (factor >= 1) if measured <= target else (factor <= 1)


@pytest.mark.parametrize("code", sorted(substrate.media()))
def test_each_medium_holds_less_the_harder_one_sucks(code):
    m = substrate.medium(code)
    levels = [substrate.water_content_from_suction(h, m) for h in (0.0, 5.0, 10.0, 50.0, 100.0, 1000.0)]
    assert levels == sorted(levels, reverse=True)
    assert levels[0] == pytest.approx(m.theta_s) and levels[-1] >= m.theta_r
    assert 0 < substrate.easily_usable_water(m) < m.theta_s
    assert m.dry_mix_theta < substrate.capacity_from_height(10, m) and "starting value" in m.origin


def test_a_dry_limit_over_capacity_is_told():
    with pytest.raises(Inconsistent, match="capacity"):
        substrate.relative_water(0.5, 0.8, 0.7)
