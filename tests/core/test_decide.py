"""decide is pure and total, and never gives what a guard forbids."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.decide import Action, BedState, Why, decide
from reedcore.programme import BedSetup, Programme
from reedcore.words import say_decision

NOW = datetime(2026, 6, 18, 10, 0, tzinfo=UTC)
SETUP = BedSetup(3.75, 156, 0.909, 0.545, 0.95, 40.2, 12, 22, 240)
PROGRAMME = Programme(120, 90, 0.80, 0.86, 0.60, 120, 20, 6, 5000)
STATE = BedState(SETUP, 0.79, NOW, NOW.replace(hour=4), NOW.replace(hour=20), tank_l=2000)


def why(decision):
    return decision.reasons[0].why


def test_under_the_low_a_pulse_is_given_for_its_seconds():
    d = decide(PROGRAMME, STATE, NOW)
    assert d.action is Action.GIVE and why(d) is Why.BELOW_LOW
    assert d.dose_ml_per_plant == 120 and d.seconds == pytest.approx(120 / 40.2 * 60 + 12)
    assert d.latched and d.tries == 1


def test_latch_holds_between_low_and_high():
    between = replace(STATE, theta=0.83)
    assert decide(PROGRAMME, between, NOW).action is Action.WITHHOLD
    latched = decide(PROGRAMME, replace(between, latched=True, tries=2), NOW)
    assert latched.action is Action.GIVE and why(latched) is Why.TOWARDS_HIGH and latched.tries == 3
    at_high = decide(PROGRAMME, replace(STATE, theta=0.861, latched=True, tries=3), NOW)
    assert why(at_high) is Why.TARGET_REACHED and not at_high.latched and at_high.tries == 0


def test_soak_is_waited_for():
    ended = replace(STATE, last_pulse_start=NOW - timedelta(minutes=15), last_pulse_end=NOW - timedelta(minutes=11))
    d = decide(PROGRAMME, ended, NOW)
    assert why(d) is Why.SOAKING and d.reasons[0].numbers["passed_min"] == pytest.approx(11)
    assert decide(PROGRAMME, ended, NOW + timedelta(minutes=9)).action is Action.GIVE


def test_missed_target_latches_a_fault_until_cleared():
    tried = replace(STATE, latched=True, tries=6, last_pulse_end=NOW - timedelta(minutes=30))
    d = decide(PROGRAMME, tried, NOW)
    assert d.action is Action.WITHHOLD and d.fault == "missed_target" and why(d) is Why.MISSED_TARGET
    after = replace(tried, fault=d.fault, tries=d.tries, latched=d.latched)
    for hours in range(1, 40):
        later = decide(PROGRAMME, replace(after, theta_at=NOW + timedelta(hours=hours)), NOW + timedelta(hours=hours))
        assert later.action is Action.WITHHOLD and later.tries == 6


def test_missed_target_waits_for_the_last_soak():
    soaking = replace(
        STATE,
        latched=True,
        tries=6,
        last_pulse_start=NOW - timedelta(minutes=8),
        last_pulse_end=NOW - timedelta(minutes=5),
    )
    assert decide(PROGRAMME, soaking, NOW).fault == ""


def test_hours_and_rescue():
    night = NOW.replace(hour=22)
    at = replace(STATE, theta=0.79, theta_at=night)
    assert why(decide(PROGRAMME, at, night)) is Why.OUTSIDE_HOURS
    rescue = decide(PROGRAMME, replace(at, theta=0.59), night)
    assert rescue.action is Action.GIVE and why(rescue) is Why.RESCUE


GUARDS = [
    ({"theta": float("nan")}, Why.NO_READING),
    ({"theta_at": None}, Why.NO_READING),
    ({"theta_at": NOW - timedelta(seconds=901)}, Why.STALE),
    ({"theta": 1.2}, Why.IMPLAUSIBLE),
    ({"theta": -0.1}, Why.IMPLAUSIBLE),
    ({"theta_at": NOW + timedelta(minutes=5)}, Why.CLOCK),
    ({"last_pulse_start": NOW + timedelta(minutes=5)}, Why.CLOCK),
    ({"tank_l": 240.0}, Why.TANK_EMPTY),
    ({"tank_l": None}, Why.TANK_UNKNOWN),
    ({"busy_flow_l_min": 16.0}, Why.PUMP_BUSY),
    ({"given_today_ml": 4900.0}, Why.DAILY_CAP),
    ({"fault": "missed_target", "tries": 6}, Why.FAULT),
    ({"stopped": True}, Why.STOPPED),
    ({"last_pulse_start": NOW, "last_pulse_end": NOW + timedelta(minutes=2)}, Why.RUNNING),
    ({"setup": replace(SETUP, line_fill_s=600)}, Why.CANNOT_DOSE),
]


@pytest.mark.parametrize("change,reason", GUARDS, ids=lambda g: str(g))
def test_each_guard_forbids_and_says_so(change, reason):
    d = decide(PROGRAMME, replace(STATE, **change), NOW)
    assert d.action is Action.WITHHOLD and reason in [r.why for r in d.reasons]
    sentence = say_decision(d)
    assert sentence.body.endswith(".") and len(sentence.body) > 15


def forbidden(p, s, now):
    """Written from needs.md W6 and W7, not from the code: must no pulse be given?"""
    ages = s.theta_at is None or s.theta != s.theta or (now - s.theta_at).total_seconds() > p.stale_after_s
    future = any(t and t > now + timedelta(seconds=120) for t in (s.theta_at, s.last_pulse_start))
    busy = s.last_pulse_end is not None and now < s.last_pulse_end + timedelta(minutes=p.soak_min)
    tank = s.tank_required if s.tank_l is None else s.tank_l <= s.setup.tank_empty_l
    cap = s.given_today_ml + p.dose_ml_per_plant > p.daily_cap_ml_per_plant + 1e-6
    pump = s.setup.flow_ml_min_per_plant * s.setup.plants / 1000 + s.busy_flow_l_min > s.setup.pump_flow_l_min + 1e-6
    odd = not -0.03 <= s.theta <= s.setup.saturation + 0.05
    short = p.dose_ml_per_plant / s.setup.flow_ml_min_per_plant * 60 < s.setup.line_fill_s
    return any((ages, future, busy, tank, cap, pump, odd, short, bool(s.fault), s.stopped))


moments = st.one_of(st.none(), st.integers(-4000, 600).map(lambda s: NOW + timedelta(seconds=s)))
programmes = st.builds(
    Programme,
    st.floats(-120, 300),
    st.floats(-60, 300),
    st.floats(0.3, 0.85),
    st.floats(0.5, 0.95),
    st.floats(0, 0.6),
    st.floats(5, 600),
    st.floats(2, 60),
    st.integers(1, 8),
    st.floats(100, 6000),
    st.floats(60, 7200),
)
setups = st.builds(
    BedSetup,
    st.floats(0.5, 30),
    st.integers(1, 600),
    st.just(0.9),
    st.just(0.5),
    st.just(0.95),
    st.floats(5, 200),
    st.floats(0, 120),
    st.floats(1, 60),
    st.just(240.0),
)
states = st.builds(
    BedState,
    setups,
    st.one_of(st.just(float("nan")), st.floats(-0.2, 1.2)),
    moments,
    st.just(NOW.replace(hour=4)),
    st.just(NOW.replace(hour=20)),
    st.booleans(),
    st.integers(0, 9),
    moments,
    moments,
    st.floats(0, 7000),
    st.sampled_from(["", "", "", "missed_target"]),
    st.booleans(),
    st.one_of(st.none(), st.floats(0, 3000)),
    st.booleans(),
    st.floats(0, 40),
)


@settings(max_examples=600, deadline=None)
@given(programmes, states, st.integers(-600, 900))
def test_no_pulse_where_a_guard_forbids(programme, state, minutes):
    now = NOW + timedelta(minutes=minutes)
    decision = decide(programme, state, now)
    assert decision.reasons
    assert decision == decide(programme, state, now)
    if decision.action is Action.GIVE:
        assert not forbidden(programme, state, now)
        assert decision.seconds > 0 and decision.tries <= programme.tries
    else:
        assert decision.seconds == 0 and decision.dose_ml_per_plant == 0
    assert say_decision(decision).body


@settings(max_examples=200, deadline=None)
@given(programmes, states)
def test_a_free_and_thirsty_bed_is_watered(programme, state):
    thirsty = replace(state, theta=min(programme.low, programme.rescue) - 0.02, theta_at=NOW, latched=False, tries=0)
    if thirsty.theta < 0 or forbidden(programme, thirsty, NOW):
        return
    assert decide(programme, thirsty, NOW).action is Action.GIVE
