"""From what comes over the wire to a value: every input, its settings, its refusals."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fitting.convert import converter, settings_of
from fitting.models import Input
from reedcore.errors import OutOfRange

RANGE = {"low": -10.0, "high": 50.0}


def convert(kind, given, value):
    made = converter(kind, settings_of(kind, given))
    return (value, True) if made is None else made(value)


def test_numbers_and_pulses_pass_as_they_are():
    assert convert(Input.NUMBER, {}, 7.5) == (7.5, True)
    assert convert(Input.PULSE, {}, 123) == (123, True)


@pytest.mark.parametrize(
    ("ma", "value", "sound"),
    [
        (4, -10, True),
        (20, 50, True),
        (12, 20, True),
        (3.6, -11.5, True),
        (3.5, -11.875, False),
        (21.1, 54.125, False),
        (0, -25, False),
    ],
)
def test_a_loop_is_a_line_and_outside_its_limits_unsound(ma, value, sound):
    found, good = convert(Input.LOOP, RANGE, ma)
    assert found == pytest.approx(value) and good is sound


@given(st.floats(4, 20))
def test_a_loop_within_its_limits_stays_within_its_range(ma):
    value, sound = convert(Input.LOOP, RANGE, ma)
    assert sound and -10 - 1e-9 <= value <= 50 + 1e-9


def test_millivolts_and_counts_by_their_ends():
    assert convert(Input.MILLIVOLTS, {**RANGE, "mv_low": 400, "mv_high": 2000}, 1200) == (20, True)
    assert convert(Input.COUNTS, {**RANGE, "bits": 10, "reference_mv": 5000, "mv_low": 0, "mv_high": 5000}, 1023) == (
        50,
        True,
    )
    assert convert(Input.COUNTS, RANGE, 5000)[1] is False  # beyond a 12-bit converter


@pytest.mark.parametrize(
    ("closed_is_yes", "contact", "value"), [(False, 1, 0.0), (False, 0, 1.0), (True, 1, 1), (True, 0, 0)]
)
def test_a_normally_closed_switch_says_yes_by_opening(closed_is_yes, contact, value):
    assert convert(Input.SWITCH, {"normally_closed": not closed_is_yes}, contact)[0] == value


@pytest.mark.parametrize(
    ("kind", "given", "field"),
    [
        (Input.LOOP, {"low": 0}, "input_settings.high"),
        (Input.LOOP, {"low": 5, "high": 5}, "input_settings.high"),
        (Input.LOOP, {"low": "dry", "high": 5}, "input_settings.low"),
        (Input.LOOP, {"low": True, "high": 5}, "input_settings.low"),
        (Input.MILLIVOLTS, {**RANGE, "mv_low": 100, "mv_high": 100}, "input_settings.mv_high"),
        (Input.COUNTS, {**RANGE, "bits": float("nan")}, "input_settings.bits"),
    ],
)
def test_settings_that_cannot_be_are_named(kind, given, field):
    with pytest.raises(OutOfRange) as error:
        settings_of(kind, given)
    assert error.value.field == field


def test_usual_settings_are_filled_in():
    assert settings_of(Input.COUNTS, RANGE)["bits"] == 12
    assert settings_of(Input.SWITCH, {})["debounce_s"] == 2.0
    assert settings_of(Input.NUMBER, {"anything": 1}) == {}
