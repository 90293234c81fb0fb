"""Other devices: dead-band, minimum times, what forbids them, and that nothing unmeasured runs."""

import math
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.device_rules import (
    CAUTIONS,
    PROPOSED,
    DeviceKind,
    DeviceSettings,
    DeviceState,
    conflicts,
    decide_device,
    device_faults,
)

NOON = datetime(2026, 6, 18, 12, 0, tzinfo=UTC)
STATE = DeviceState(
    NOON.replace(hour=4),
    NOON.replace(hour=20),
    NOON.replace(hour=0),
    20.0,
    1.0,
    400.0,
    300.0,
    5.0,
    since=NOON - timedelta(hours=1),
)
HEATER, VENT, CO2, LAMP = (PROPOSED[k] for k in (DeviceKind.HEATER, DeviceKind.VENT, DeviceKind.CO2, DeviceKind.LAMP))


@pytest.mark.parametrize("kind", list(DeviceKind))
def test_proposals_can_be_published_and_carry_a_caution(kind):
    assert device_faults(PROPOSED[kind]) == [] and len(CAUTIONS[kind]) > 20


@pytest.mark.parametrize(
    ("temp", "on", "expected"), [(17.4, False, True), (17.8, False, False), (17.8, True, True), (18.6, True, False)]
)
def test_a_heater_switches_about_its_set_point_with_a_dead_band(temp, on, expected):
    assert decide_device(HEATER, replace(STATE, air_temp_c=temp, on=on), NOON).on is expected


@pytest.mark.parametrize(
    ("temp", "on", "expected"), [(24.9, False, True), (24.5, False, False), (24.5, True, True), (23.0, True, False)]
)
def test_a_vent_opens_above_and_shuts_below(temp, on, expected):
    assert decide_device(VENT, replace(STATE, air_temp_c=temp, on=on), NOON).on is expected


def test_night_has_its_own_set_point():
    night = NOON.replace(hour=23)
    assert decide_device(HEATER, replace(STATE, air_temp_c=16.8, on=False), night).on is False
    assert decide_device(HEATER, replace(STATE, air_temp_c=15.2, on=False), night).on is True


def test_minimum_times_hold_it():
    just = replace(STATE, air_temp_c=19.0, on=True, since=NOON - timedelta(minutes=3))
    held = decide_device(HEATER, just, NOON)
    assert held.on and "3 of at least 10 min" in held.why
    assert not decide_device(HEATER, replace(just, since=NOON - timedelta(minutes=11)), NOON).on


def test_what_works_against_each_other_is_refused():
    assert not decide_device(HEATER, replace(STATE, air_temp_c=5.0, vents_open=True, on=True), NOON).on
    assert not decide_device(VENT, replace(STATE, air_temp_c=40.0, heating=True), NOON).on
    assert not decide_device(CO2, replace(STATE, vents_open=True, on=True), NOON).on
    assert not decide_device(CO2, STATE, NOON.replace(hour=22)).on
    assert conflicts({"heater": HEATER, "vent": replace(VENT, day=18.0)})
    assert not conflicts({"heater": HEATER, "vent": VENT})


def test_lamps_stop_at_the_days_light_and_in_bright_light():
    dull = replace(STATE, radiation_w_m2=60.0)
    assert decide_device(LAMP, dull, NOON).on
    assert not decide_device(LAMP, replace(dull, light_mol=14.2), NOON).on
    assert not decide_device(LAMP, STATE, NOON).on
    assert not decide_device(LAMP, dull, NOON.replace(hour=22)).on
    assert "9.0 mol" in decide_device(LAMP, dull, NOON).why


def test_circulation_runs_its_share():
    on = [
        decide_device(
            replace(PROPOSED[DeviceKind.CIRCULATION], min_on_min=0, min_off_min=0), STATE, NOON + timedelta(minutes=i)
        ).on
        for i in range(60)
    ]
    assert sum(on) == 20


def test_a_person_goes_before_the_rule_and_a_lock_before_the_person():
    assert decide_device(HEATER, replace(STATE, air_temp_c=40.0, manual=True), NOON).on
    assert not decide_device(HEATER, replace(STATE, air_temp_c=5.0, manual=True, locked="Ines"), NOON).on


BAD = [
    (replace(HEATER, day=60.0), "day"),
    (replace(CO2, day=5000.0), "day"),
    (replace(VENT, dead_band=0.0), "dead_band"),
    (replace(PROPOSED[DeviceKind.CIRCULATION], on_min=50.0), "on_min"),
    (replace(LAMP, until_min=100.0), "until_min"),
    (replace(HEATER, min_on_min=-1.0), "min_on_min"),
]


@pytest.mark.parametrize(("rule", "field"), BAD, ids=lambda b: str(b)[:40])
def test_bad_settings_are_told_at_their_field(rule, field):
    assert field in [f.field for f in device_faults(rule)]


values = st.one_of(st.just(math.nan), st.floats(-30, 2000))


@settings(max_examples=400, deadline=None)
@given(
    st.sampled_from(list(DeviceKind)),
    values,
    values,
    values,
    values,
    values,
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.integers(-300, 300),
    st.integers(0, 1439),
)
def test_total_and_off_without_a_measure(kind, temp, vpd, co2, light, mol, vents, heating, on, ago, minute):
    now = NOON.replace(hour=0) + timedelta(minutes=minute)
    state = replace(
        STATE,
        air_temp_c=temp,
        vpd_kpa=vpd,
        co2_ppm=co2,
        radiation_w_m2=light,
        light_mol=mol,
        vents_open=vents,
        heating=heating,
        on=on,
        since=now - timedelta(minutes=ago),
    )
    decision = decide_device(PROPOSED[kind], state, now)
    assert decision.why.endswith(".")
    needed = {
        DeviceKind.HEATER: temp,
        DeviceKind.FAN: temp,
        DeviceKind.VENT: temp,
        DeviceKind.MISTING: vpd,
        DeviceKind.CO2: co2,
        DeviceKind.LAMP: light,
    }.get(kind, 0.0)
    if math.isnan(needed):
        assert not decision.on
    assert isinstance(PROPOSED[kind], DeviceSettings)
