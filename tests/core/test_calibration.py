import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.calibration import (
    CalibrationPoint,
    steadiness,
    two_point_calibration,
    two_point_water_content,
    water_content_from_raw,
)
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange

SPAN = 20000.0


def point(raw, theta, noise=30.0):
    return CalibrationPoint(raw, noise, theta)


@given(st.floats(0, 65535), st.floats(0, 65535), st.floats(0, 0.4), st.floats(0.05, 0.6), st.floats(0, 1))
def test_two_points_there_and_back(raw_dry, raw_wet, theta_dry, rise, where):
    if abs(raw_wet - raw_dry) < 0.05 * SPAN or theta_dry + rise > 0.999:
        return
    line = two_point_calibration(point(raw_dry, theta_dry), point(raw_wet, theta_dry + rise + 1e-9), SPAN)
    theta = theta_dry + where * rise
    raw = (theta - line.intercept) / line.slope
    assert water_content_from_raw(raw, line.slope, line.intercept) == pytest.approx(theta, abs=1e-9)
    assert two_point_water_content(raw, raw_dry, raw_wet, theta_dry, theta_dry + rise + 1e-9) == pytest.approx(
        theta, abs=1e-9
    )
    assert line.raw_falls_as_water_rises == (raw_wet < raw_dry)


def test_resolution_is_two_sd_in_points():
    line = two_point_calibration(point(32000, 0.05, 25), point(22000, 0.85, 40), SPAN)
    assert line.resolution_points == pytest.approx(2 * 40 * 0.8 / 10000 * 100)


def test_swapped_points_are_told():
    with pytest.raises(Inconsistent, match="swapped") as caught:
        two_point_calibration(point(32000, 0.8), point(22000, 0.06), SPAN)
    assert caught.value.field == "theta_wet"


def test_equal_points_determine_nothing():
    with pytest.raises(NotDetermined) as caught:
        two_point_calibration(point(30000, 0.06), point(30400, 0.81), SPAN)
    assert caught.value.field == "raw_wet"
    with pytest.raises(NotDetermined):
        two_point_water_content(1, 5, 5, 0, 1)


def test_water_content_beyond_one_is_refused():
    with pytest.raises(OutOfRange):
        two_point_calibration(point(30000, 0.06), point(20000, 1.2), SPAN)


def settle(seconds=240, step=5, tau=14, noise=30, start=31000, end=22000, seed=3):
    t = np.arange(0, seconds, step, dtype=float)
    rng = np.random.default_rng(seed)
    return t, end + (start - end) * np.exp(-t / tau) + rng.normal(0, noise, len(t))


def test_moving_reading_is_not_steady_and_says_which_way():
    t, x = settle(seconds=70)
    s = steadiness(t, x, SPAN)
    assert not s.steady and s.bubble == -1 and "falling" in s.why


def test_settled_reading_is_steady_and_tells_how_long_it_took():
    t, x = settle()
    s = steadiness(t, x, SPAN)
    assert s.steady and abs(s.bubble) < 0.5 and s.why == "steady"
    assert s.still_for_s > 60 and s.settled_after_s is not None and 20 < s.settled_after_s < 120
    assert s.mean == pytest.approx(22000, abs=40) and 10 < s.noise < 60


def test_noise_alone_keeps_capture_asleep():
    t, x = settle(noise=400, start=22000)
    s = steadiness(t, x, SPAN)
    assert (not s.steady and "restless" in s.why) or "a minute" in s.why


@pytest.mark.parametrize("count", [0, 1, 9])
def test_too_few_readings_say_how_many_are_needed(count):
    t = np.arange(count, dtype=float) * 10
    s = steadiness(t, np.full(count, 5.0), SPAN)
    assert not s.steady and "10 readings" in s.why


def test_ten_readings_in_half_a_minute_are_too_short():
    t = np.arange(12, dtype=float) * 2
    assert not steadiness(t, np.full(12, 7.0), SPAN).steady


def test_slow_polls_widen_the_window_to_ten_readings():
    t = np.arange(12, dtype=float) * 60
    s = steadiness(t, np.full(12, 7.0) + np.arange(12) % 2, SPAN)
    assert s.steady and s.window_s == 540


def test_gaps_are_left_out_and_lengths_must_match():
    t, x = settle()
    x[::7] = np.nan
    assert steadiness(t, x, SPAN).steady
    with pytest.raises(Inconsistent):
        steadiness(t, x[:-1], SPAN)
    with pytest.raises(Inconsistent):
        steadiness(t, x, 0)
