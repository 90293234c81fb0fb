"""Weather for planning: bounded, shaped by the sun, the same for the same seed."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.errors import Inconsistent, OutOfRange
from reedcore.weather import CLEARNESS, SunDay, Weather, clear_sky_radiation, cloud_factor, house_climate

MINUTES = np.arange(1440) * 60.0


@given(st.floats(2, 9), st.floats(14, 22), st.floats(5, 90))
def test_clear_sky_is_dark_outside_the_day_and_highest_at_noon(rise, fall, height):
    sun = SunDay(rise * 3600, fall * 3600, height)
    light = clear_sky_radiation(MINUTES, sun)
    assert light.min() >= 0 and light.max() < 1098
    assert not light[sun.sunrise_s > MINUTES].any() and not light[sun.sunset_s < MINUTES].any()
    if height > 10:
        noon = (sun.sunrise_s + sun.sunset_s) / 2
        assert abs(MINUTES[light.argmax()] - noon) <= 120


def test_clear_sky_at_a_known_height():
    # Haurwitz 1945 by hand: 1098 sin 60 exp(-0.057/sin 60)
    light = clear_sky_radiation(np.array([12 * 3600.0]), SunDay(4 * 3600, 20 * 3600, 60))
    assert light[0] == pytest.approx(1098 * 0.8660254 * np.exp(-0.057 / 0.8660254), rel=1e-6)


@pytest.mark.parametrize("kind", list(Weather))
def test_clouds_stay_in_bounds_and_near_their_kind(kind):
    factor = cloud_factor(1440, kind, np.random.default_rng(4))
    assert factor.min() >= 0.05 and factor.max() <= 1.05
    assert factor.mean() == pytest.approx(CLEARNESS[kind], abs=0.12)
    np.testing.assert_array_equal(factor, cloud_factor(1440, kind, np.random.default_rng(4)))


def test_light_warms_and_dries_the_house_and_leaves_stay_cooler_in_sun():
    night = house_climate(np.zeros(300), 0.7, 0.0)
    noon = house_climate(np.full(300, 850.0), 0.7, 0.0)
    assert noon.air_temp_c[-1] > night.air_temp_c[-1] + 5
    assert noon.humidity_pct[-1] < night.humidity_pct[-1] and noon.vpd_kpa[-1] > night.vpd_kpa[-1]
    assert noon.leaf_temp_c[-1] < noon.air_temp_c[-1]
    assert noon.radiation_w_m2[-1] == pytest.approx(595)


@pytest.mark.parametrize(
    "make", [lambda: SunDay(10, 5, 40), lambda: SunDay(5, 10, 120), lambda: house_climate(np.zeros(5), 1.4, 0.0)]
)
def test_impossible_days_and_roofs_are_refused(make):
    with pytest.raises((Inconsistent, OutOfRange)):
        make()
