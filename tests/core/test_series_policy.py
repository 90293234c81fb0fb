"""One policy: NaN in, NaN out; anything else outside the range is refused by name."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore import calibration, climate, conductivity, substrate, units
from reedcore.errors import Inconsistent, OutOfRange

SERIES = [
    (climate.saturation_vapour_pressure_from_temperature, (20.0,), (99.0,), "air_temp_c"),
    (climate.air_vpd_from_humidity, (20.0, 60.0), (20.0, 120.0), "humidity_pct"),
    (climate.dew_point_from_humidity, (20.0, 60.0), (20.0, 0.0), "humidity_pct"),
    (climate.absolute_humidity_from_humidity, (20.0, 60.0), (-60.0, 50.0), "air_temp_c"),
    (conductivity.ec_at_25_from_temperature, (1.0, 20.0), (1.0, 90.0), "temp_c"),
    (conductivity.pore_ec_from_bulk, (0.9, 38.0, 22.0), (0.9, 120.0, 22.0), "permittivity"),
]


@pytest.mark.parametrize("function,good,_bad,_field", SERIES)
def test_nan_in_nan_out_and_only_there(function, good, _bad, _field):
    arrays = [np.array([v, np.nan, v]) for v in good]
    out = function(*arrays)
    assert out.shape == (3,)
    assert np.isnan(out[1]) and np.isfinite(out[[0, 2]]).all()
    assert function(*good) == pytest.approx(out[0])
    assert isinstance(function(*good), float)


@pytest.mark.parametrize("function,_good,bad,field", SERIES)
def test_out_of_range_is_refused_by_name(function, _good, bad, field):
    with pytest.raises(OutOfRange) as caught:
        function(*bad)
    assert caught.value.field == field
    assert "to" in caught.value.expectation


def test_pore_ec_says_nothing_in_dry_medium():
    assert np.isnan(conductivity.pore_ec_from_bulk(0.1, 6.0, 20.0))


@given(st.floats(0, 10), st.floats(15, 80), st.floats(5, 40))
def test_pore_and_bulk_conductivity_there_and_back(pore, permittivity, temp):
    bulk = conductivity.bulk_ec_from_pore(pore, permittivity, temp)
    if bulk <= 20:
        assert conductivity.pore_ec_from_bulk(bulk, permittivity, temp) == pytest.approx(pore, abs=1e-9)


@given(st.sampled_from(sorted(substrate.media())), st.floats(0.01, 500))
def test_suction_and_water_content_there_and_back(code, suction):
    m = substrate.medium(code)
    theta = substrate.water_content_from_suction(suction, m)
    if theta > m.theta_r + 1e-6:
        assert substrate.suction_from_water_content(theta, m) == pytest.approx(suction, rel=1e-5)


@given(st.sampled_from(sorted(substrate.media())), st.floats(2, 60), st.floats(1.05, 3))
def test_a_taller_pot_holds_a_lower_share(code, height, factor):
    m = substrate.medium(code)
    assert substrate.capacity_from_height(height * factor, m) < substrate.capacity_from_height(height, m)


@given(st.sampled_from(sorted(units.UNITS)), st.floats(-1e3, 1e3))
def test_units_there_and_back(code, value):
    assert units.inside_from_shown(units.shown_from_inside(value, code), code) == pytest.approx(value, abs=1e-9)


def test_unknown_unit_and_medium_name_what_is_known():
    with pytest.raises(OutOfRange, match="ms_cm"):
        units.unit("furlong")
    with pytest.raises(OutOfRange, match="stone_wool"):
        substrate.medium("moon_dust")


def test_dimensions_out_of_range_are_named():
    with pytest.raises(OutOfRange) as caught:
        substrate.slab_volume_l(100, 900, 7.5)
    assert caught.value.field == "width_cm"
    with pytest.raises(Inconsistent):
        substrate.relative_water(0.5, 0.9, 0.8)


def test_calibrated_series_keeps_nan_and_does_not_clamp():
    theta = calibration.water_content_from_raw(np.array([30000.0, np.nan, 60000.0]), -1e-4, 3.5)
    assert np.isnan(theta[1]) and theta[2] < 0
