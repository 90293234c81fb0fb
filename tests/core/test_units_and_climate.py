"""Units at the edge, and climate relations that must hold whatever the weather."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore import climate, conductivity, units
from reedcore.crop import Crop
from reedcore.errors import OutOfRange, ReedError
from reedcore.formulas import FORMULAS, work_out

KNOWN = [
    (20.0, "f", 68.0),
    (0.0, "c", 0.0),
    (1.2, "mbar", 12.0),
    (2.4, "us_cm", 2400.0),
    (2.0, "ppm500", 1000.0),
    (2.0, "ppm640", 1280.0),
    (2.0, "ppm700", 1400.0),
    (0.612, "pct", 61.2),
    (1500.0, "l", 1.5),
    (29.5735295625, "us_floz", 1.0),
    (2.54, "inch", 1.0),
]
temperatures = st.floats(-5, 45)
humidities = st.floats(5, 100)


@pytest.mark.parametrize("inside,code,shown", KNOWN, ids=[k[1] for k in KNOWN])
def test_known_conversions(inside, code, shown):
    assert units.shown_from_inside(inside, code) == pytest.approx(shown)
    assert units.inside_from_shown(shown, code) == pytest.approx(inside)


def test_every_ppm_scale_is_named():
    scales = [u for u in units.UNITS.values() if u.code.startswith("ppm")]
    assert len(scales) == 3
    assert all("scale" in u.label for u in scales)


@given(temperatures, humidities)
def test_dew_point_is_never_over_the_air_and_meets_it_when_full(air, humidity):
    dew = climate.dew_point_from_humidity(air, humidity)
    assert dew <= air + 1e-9
    assert climate.dew_point_from_humidity(air, 100.0) == pytest.approx(air, abs=1e-9)


@given(temperatures, humidities)
def test_air_at_its_dew_point_is_full(air, humidity):
    dew = climate.dew_point_from_humidity(air, humidity)
    full = climate.saturation_vapour_pressure_from_temperature(dew)
    assert full == pytest.approx(climate.vapour_pressure_from_humidity(air, humidity))


@given(temperatures, humidities)
def test_leaf_and_air_deficit_agree_at_one_temperature(air, humidity):
    leaf = climate.leaf_vpd_from_temperatures(air, air, humidity)
    assert leaf == pytest.approx(climate.air_vpd_from_humidity(air, humidity), abs=1e-9)


@given(temperatures, humidities)
def test_deficit_and_content_add_up_to_full_air(air, humidity):
    held = climate.absolute_humidity_from_humidity(air, humidity)
    missing = climate.humidity_deficit_from_humidity(air, humidity)
    assert held + missing == pytest.approx(climate.absolute_humidity_from_humidity(air, 100.0))


def test_a_day_with_a_hole_has_no_sum():
    light = np.full(1440, 300.0)
    light[700] = np.nan
    assert np.isnan(climate.daily_light_integral_from_ppfd(light, 60))
    assert np.isnan(climate.light_sum_from_radiation(light, 60))


@pytest.mark.parametrize("step", [0.0, -60.0])
def test_a_step_of_no_time_is_refused(step):
    with pytest.raises(OutOfRange) as caught:
        climate.light_sum_from_radiation(np.full(10, 100.0), step)
    assert caught.value.field == "step_s"


@given(st.floats(0.1, 10), st.floats(1, 50))
def test_conductivity_at_25_is_itself_at_25(ec, temp):
    assert conductivity.ec_at_25_from_temperature(ec, 25.0) == pytest.approx(ec)
    compensated = conductivity.ec_at_25_from_temperature(ec, temp)
    assert compensated <= ec if temp >= 25 else compensated >= ec


@pytest.mark.parametrize("change", [{"leaf_area_index": 0.0}, {"leaf_area_index": 20.0}, {"plants_per_m2": 0.0}])
def test_impossible_stands_are_refused(change):
    values = {"leaf_area_index": 2.5, "plants_per_m2": 2.5, **change}
    with pytest.raises(OutOfRange) as caught:
        Crop(**values)
    assert caught.value.field in change


def test_a_refusal_is_one_family_with_its_parts():
    error = OutOfRange("low", 0.9, "at most 0.8")
    assert isinstance(error, ReedError)
    assert (error.field, error.value, error.expectation) == ("low", 0.9, "at most 0.8")
    assert str(error) == "low is 0.9; expected at most 0.8"


def test_the_arithmetic_shows_values_in_shown_units():
    worked = work_out("relative_water", {"theta": 0.70, "dry_limit": 0.50, "capacity": 0.90})
    assert worked.value == pytest.approx(50)
    assert worked.substituted == "100 (70.0 - 50.0)/(90.0 - 50.0)"
    assert [value for _, value in worked.inputs] == pytest.approx([70, 50, 90])
    assert FORMULAS["drain_share"].scale == 100
