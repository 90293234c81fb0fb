"""Whole days and weeks under random programmes: caps, gaps, hours and balance hold in every minute; schools behave as they say."""

import itertools
from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.bedmodel import pore_ec_of, starting_physics, water_at
from reedcore.decide import Why, decide
from reedcore.programme import (
    BedSetup,
    Dose,
    DoseKind,
    Match,
    Moment,
    MomentKind,
    Recharge,
    TriggerKind,
    Until,
    most_ml,
)
from reedcore.programme_checks import programme_faults
from reedcore.reasons import Memory, Since
from reedcore.schools import School, propose_school
from reedcore.simulate import Surroundings, simulate
from tests.core.watering_samples import MIDNIGHT, STATE, programmes

SETUP = BedSetup(4.5, 180, 0.81, 0.486, 0.92, 35.1, 12, 22, 240)
PHYSICS = starting_physics(4.5, 0.81, 0.486, 2.4)
SUNRISE, SUNSET = MIDNIGHT + timedelta(hours=4), MIDNIGHT + timedelta(hours=20)
FRESH = replace(
    STATE,
    setup=SETUP,
    theta=0.75,
    theta_at=MIDNIGHT,
    tank_required=False,
    tank_l=None,
    memory=Memory(),
    since=Since(0.0, 0.0, 0.0, 0.75),
    sunrise=SUNRISE,
    sunset=SUNSET,
)


def weather(hours, brightness=1.0):
    hour = np.arange(hours * 60) / 60
    light = 600 * brightness * np.clip(np.sin(np.pi * (hour % 24 - 4) / 16), 0, None)
    return light, 0.08 + light / 280, 0.3 + light / 500


def run(programme, hours=24, brightness=1.0, theta=0.75):
    light, demand, vpd = weather(hours, brightness)
    days = [(SUNRISE + timedelta(days=d), SUNSET + timedelta(days=d)) for d in range(hours // 24 + 2)]
    around = Surroundings(MIDNIGHT, demand, days, MIDNIGHT, radiation_w_m2=light, vpd_kpa=vpd)
    return simulate(programme, replace(FRESH, theta=theta), water_at(theta, 3.0, PHYSICS), PHYSICS, around), demand


@settings(max_examples=60)
@given(programmes, st.floats(0.1, 1.2), st.floats(0.5, 0.8))
def test_no_day_under_any_programme_breaks_a_limit(programme, brightness, theta):
    day, _ = run(programme, brightness=brightness, theta=theta)
    starts = [p.at for p in day.pulses]
    least_gap = min(programme.soak_min, programme.recharge.gap_min if programme.recharge else programme.soak_min)
    for a, b in itertools.pairwise(day.pulses):
        assert b.at >= a.at + timedelta(seconds=a.seconds) + timedelta(minutes=least_gap) - timedelta(seconds=1)
    assert day.dose_ml <= programme.daily_cap_ml_per_plant + 1e-6 and len(starts) <= programme.pulses_per_day
    for p in day.pulses:
        hour = sum(q.dose_ml for q in day.pulses if timedelta(0) <= p.at - q.at < timedelta(hours=1))
        assert hour <= programme.hourly_cap_ml_per_plant + 1e-6
        assert 0 < p.dose_ml <= most_ml(SETUP) + 1e-9 and p.seconds > 0
    assert day.theta.max() <= max(theta, SETUP.capacity) + 1e-9


@settings(max_examples=30)
@given(programmes)
def test_water_given_is_held_drunk_or_drained(programme):
    day, demand = run(programme)
    held = float(day.theta[-1] - 0.75) * 4500
    unfinished = sum(p.dose_ml for p in day.pulses if p.at + timedelta(seconds=p.seconds) > day.times[-1])
    lost = day.dose_ml - day.drained_ml - held
    assert -1e-6 - unfinished <= lost <= demand.sum() + 1e-6 + unfinished


@settings(max_examples=15)
@given(programmes, st.integers(0, 1439))
def test_the_same_minute_gives_the_same_decision_alone(programme, minute):
    day, _ = run(programme)
    change = [c for c in day.changes if c[0] <= MIDNIGHT + timedelta(minutes=minute)][-1]
    assert change[1].reasons and change[1].memory is not None
    again, _ = run(programme)
    assert [p.at for p in again.pulses] == [p.at for p in day.pulses]


@pytest.mark.parametrize("school", [School.THRESHOLD, School.LIGHT])
def test_more_light_asks_for_more_water(school):
    programme = propose_school(school, SETUP, 1500).programme
    given_ml = [run(programme, brightness=b)[0].dose_ml for b in (0.2, 0.6, 1.0)]
    assert given_ml == sorted(given_ml) and given_ml[2] > 1.5 * given_ml[0]


def test_the_clock_does_not_look_at_the_weather():
    programme = propose_school(School.CLOCK, SETUP, 1500).programme
    bright, dull = (run(programme, brightness=b)[0] for b in (1.0, 0.2))
    assert [p.at for p in bright.pulses] == [p.at for p in dull.pulses] and len(dull.pulses) == len(
        programme.triggers[0].times
    )
    assert dull.drained_ml > bright.drained_ml, "which is what its note says it costs"


def test_a_larger_crop_gets_more_clock_times_and_shorter_light_sums():
    small, large = (propose_school(School.CLOCK, SETUP, p).programme.triggers[0].times for p in (600, 2000))
    assert len(large) > len(small)
    little, much = (propose_school(School.LIGHT, SETUP, p) for p in (600, 2000))
    per_ml = [x.programme.triggers[0].value / x.programme.dose.value for x in (little, much)]
    assert per_ml[1] < per_ml[0]


def test_recharge_comes_before_the_hold_and_ends():
    base = propose_school(School.THRESHOLD, SETUP, 1500).programme
    small = Recharge(Dose(DoseKind.ML, 70.0), 8.0, Until.TOP, 6)
    day, _ = run(replace(base, recharge=small), theta=0.735)
    first = [p for p in day.pulses if p.decision.reasons[0].why is Why.RECHARGE]
    assert 1 <= len(first) <= 6 and first == day.pulses[: len(first)]
    assert first[0].at >= SUNRISE + timedelta(minutes=120)
    later = [p for p in day.pulses if p not in first]
    assert all(p.decision.reasons[0].why in (Why.BELOW_LOW, Why.TOWARDS_HIGH) for p in later)


@pytest.mark.parametrize("kind", [k for k in TriggerKind if k is not TriggerKind.CLOCK])
def test_each_trigger_waters_a_day_by_itself(kind):
    from reedcore.programme import Trigger
    from reedcore.substrate import medium

    base = propose_school(School.THRESHOLD, SETUP, 1500).programme
    value = {
        TriggerKind.FALLEN: 0.02,
        TriggerKind.SUCTION: 1.0,
        TriggerKind.LIGHT_SUM: 150,
        TriggerKind.VPD_HOURS: 2.5,
        TriggerKind.WATER_USE: 110,
        TriggerKind.ELAPSED: 90,
    }.get(kind, 0.0)
    programme = replace(base, triggers=(Trigger(kind, value),), match=Match.ALL)
    setup = replace(SETUP, medium=medium("coir"))
    light, demand, vpd = weather(24)
    around = Surroundings(
        MIDNIGHT, demand, [(SUNRISE, SUNSET), (SUNRISE, SUNSET)], MIDNIGHT, radiation_w_m2=light, vpd_kpa=vpd
    )
    day = simulate(programme, replace(FRESH, setup=setup), water_at(0.75, 3.0, PHYSICS), PHYSICS, around)
    assert len(day.pulses) >= 3 and all(SUNRISE <= p.at <= SUNSET for p in day.pulses)
    if kind is not TriggerKind.BELOW_LOW:
        track = day.tracks[kind]
        assert np.isfinite(track[600:1100]).any() and np.nanmax(np.where(np.isfinite(track), track, np.nan)) >= value


def test_salts_follow_the_feed_over_a_week():
    programme = propose_school(School.THRESHOLD, SETUP, 1500).programme
    day, _ = run(programme, hours=24 * 7)
    assert 1.0 < day.pore_ec_ms_cm[-1] < 8.0 and day.pore_ec_ms_cm[-1] == pytest.approx(
        float(pore_ec_of(day.end_water, PHYSICS))
    )
    assert len({p.at.date() for p in day.pulses}) == 7 and not day.fault


@given(st.floats(-240, 720), st.floats(-240, 720))
def test_a_sun_programme_that_passes_the_checks_waters_on_the_longest_and_the_shortest_day(start, stop):
    base = propose_school(School.THRESHOLD, SETUP, 1500).programme
    programme = replace(base, start=Moment(MomentKind.SUN, start), stop=Moment(MomentKind.SUN, stop))
    if programme_faults(programme, SETUP):
        return
    for rise, fall in ((4.0, 20.3), (8.2, 15.8)):
        sunrise, sunset = MIDNIGHT + timedelta(hours=rise), MIDNIGHT + timedelta(hours=fall)
        middle = (
            sunrise
            + timedelta(minutes=start)
            + (sunset - timedelta(minutes=stop) - sunrise - timedelta(minutes=start)) / 2
        )
        state = replace(FRESH, theta=base.low - 0.02, theta_at=middle, sunrise=sunrise, sunset=sunset)
        assert decide(programme, state, middle).action.value == "give"
