"""decide is pure and total, and never gives what a guard forbids."""

from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import reedcore.decide as deciding
from reedcore import guards
from reedcore.decide import Action, Why, decide
from reedcore.errors import ReedError
from reedcore.programme import Dose, DoseKind, Trigger, TriggerKind, dose_ml_of, most_ml
from reedcore.reasons import Band, Holds, Memory, Span
from reedcore.words import say_decision
from tests.core.watering_samples import NIGHTLY, NOW, PROGRAMME, SETUP, STATE, programmes, simple, states


def why(decision):
    return decision.reasons[0].why


def test_under_the_low_a_pulse_is_given_for_its_seconds():
    d = decide(PROGRAMME, STATE, NOW)
    assert d.action is Action.GIVE and why(d) is Why.BELOW_LOW
    assert d.dose_ml_per_plant == 120 and d.seconds == pytest.approx(120 / 40.2 * 60 + 12)
    assert d.memory.latched and d.memory.tries == 1 and d.memory.span is Span.HOLD


def test_latch_holds_between_low_and_high():
    between = replace(STATE, theta=0.83, memory=Memory(span=Span.HOLD, span_since=NOW))
    assert decide(PROGRAMME, between, NOW).action is Action.WITHHOLD
    latched = replace(between, memory=replace(between.memory, latched=True, tries=2))
    given_on = decide(PROGRAMME, latched, NOW)
    assert given_on.action is Action.GIVE and why(given_on) is Why.TOWARDS_HIGH and given_on.memory.tries == 3
    at_high = decide(PROGRAMME, replace(latched, theta=0.861), NOW)
    assert why(at_high) is Why.TARGET_REACHED and not at_high.memory.latched and at_high.memory.tries == 0


def test_without_the_latch_a_pulse_at_a_time():
    programme = replace(PROGRAMME, latch=False)
    assert not decide(programme, STATE, NOW).memory.latched
    assert decide(programme, replace(STATE, theta=0.83), NOW).action is Action.WITHHOLD


def test_soak_is_waited_for():
    ended = replace(STATE, last_pulse_start=NOW - timedelta(minutes=15), last_pulse_end=NOW - timedelta(minutes=11))
    d = decide(PROGRAMME, ended, NOW)
    assert why(d) is Why.SOAKING and d.reasons[0].numbers["passed_min"] == pytest.approx(11)
    assert decide(PROGRAMME, ended, NOW + timedelta(minutes=9)).action is Action.GIVE


TRIED = replace(
    STATE, memory=Memory(True, 6, span=Span.HOLD, span_since=NOW), last_pulse_end=NOW - timedelta(minutes=30)
)


def test_missed_target_latches_a_fault_until_cleared():
    d = decide(PROGRAMME, TRIED, NOW)
    assert d.action is Action.WITHHOLD and d.memory.fault == "missed_target" and why(d) is Why.MISSED_TARGET
    after = replace(TRIED, memory=d.memory)
    for hours in range(1, 40):
        later = decide(PROGRAMME, replace(after, theta_at=NOW + timedelta(hours=hours)), NOW + timedelta(hours=hours))
        assert later.action is Action.WITHHOLD and later.memory.fault == "missed_target"


def test_missed_target_waits_for_the_last_soak():
    soaking = replace(TRIED, last_pulse_start=NOW - timedelta(minutes=8), last_pulse_end=NOW - timedelta(minutes=5))
    assert decide(PROGRAMME, soaking, NOW).memory.fault == ""


def test_hours_and_rescue():
    night = NOW.replace(hour=22)
    at = replace(STATE, theta=0.79, theta_at=night)
    held = decide(PROGRAMME, at, night)
    assert why(held) is Why.OUTSIDE_HOURS and held.memory.span is Span.DRYDOWN and held.memory.evening_theta == 0.79
    rescue = decide(PROGRAMME, replace(at, theta=0.59), night)
    assert rescue.action is Action.GIVE and why(rescue) is Why.RESCUE


GUARDS = [
    ({"theta": float("nan")}, Why.NO_READING),
    ({"theta_at": None}, Why.NO_READING),
    ({"untrusted": 1}, Why.NOT_TRUSTED),
    ({"theta_at": NOW - timedelta(seconds=901)}, Why.STALE),
    ({"theta": 1.2}, Why.IMPLAUSIBLE),
    ({"theta": -0.1}, Why.IMPLAUSIBLE),
    ({"theta_at": NOW + timedelta(minutes=5)}, Why.CLOCK),
    ({"last_pulse_start": NOW + timedelta(minutes=5)}, Why.CLOCK),
    ({"tank_l": 240.0}, Why.TANK_EMPTY),
    ({"tank_l": None}, Why.TANK_UNKNOWN),
    ({"busy_flow_l_min": 16.0}, Why.PUMP_BUSY),
    ({"given_today_ml": 4900.0}, Why.DAILY_CAP),
    ({"given_hour_ml": 4900.0}, Why.HOURLY_CAP),
    ({"pulses_today": 96}, Why.PULSES_CAP),
    ({"memory": Memory(tries=6, fault="missed_target")}, Why.FAULT),
    ({"memory": Memory(fault="no_flow")}, Why.FAULT),
    ({"stopped": True}, Why.STOPPED),
    ({"last_pulse_start": NOW, "last_pulse_end": NOW + timedelta(minutes=2)}, Why.RUNNING),
    ({"setup": replace(SETUP, line_fill_s=600)}, Why.CANNOT_DOSE),
    ({"setup": replace(SETUP, volume_l_per_plant=0.3)}, Why.CANNOT_DOSE),
    ({"holds": Holds(locked="Ines")}, Why.LOCKED),
    ({"holds": Holds(manual=True)}, Why.MANUAL),
    ({"holds": Holds(paused_until=NOW + timedelta(hours=1))}, Why.PAUSED),
    ({"holds": Holds(exception="spraying")}, Why.EXCEPTION),
    ({"holds": Holds(node_silent_s=500.0)}, Why.NODE_SILENT),
    ({"holds": Holds(stray_flow_l_min=3.0)}, Why.STRAY_FLOW),
    ({"holds": Holds(feed_ec=Band(4.1, 1.5, 3.5))}, Why.FEED_EC),
    ({"holds": Holds(feed_ph=Band(4.1, 5.0, 6.5))}, Why.FEED_PH),
    ({"holds": Holds(rain_left_min=30.0)}, Why.RAIN_HOLD),
    ({"holds": Holds(rain_credit_ml=500.0)}, Why.RAIN_CREDIT),
]


@pytest.mark.parametrize("change,reason", GUARDS, ids=lambda g: str(g)[:60])
def test_each_guard_forbids_and_says_so(change, reason):
    d = decide(PROGRAMME, replace(STATE, **change), NOW)
    assert d.action is Action.WITHHOLD and reason in [r.why for r in d.reasons]
    sentence = say_decision(d)
    assert sentence.body.endswith(".") and len(sentence.body) > 15


def forbidden(p, s, now, dose_ml=None, recharging=False):
    """Written from needs.md W1 to W8, not from the code: what forbids a pulse of `dose_ml`?"""
    gap = (p.recharge.gap_min if recharging else p.soak_min) * s.gap_factor
    dose = dose_ml
    future = any(t and t > now + timedelta(seconds=120) for t in (s.theta_at, s.last_pulse_start))
    busy = s.last_pulse_end is not None and now < s.last_pulse_end + timedelta(minutes=gap)
    tank = s.tank_required if s.tank_l is None else s.tank_l <= s.setup.tank_empty_l
    cap = s.given_today_ml + dose > p.daily_cap_ml_per_plant + 1e-6
    hour = s.given_hour_ml + dose > p.hourly_cap_ml_per_plant + 1e-6
    pump = s.setup.flow_ml_min_per_plant * s.setup.plants / 1000 + s.busy_flow_l_min > s.setup.pump_flow_l_min + 1e-6
    short = dose / s.setup.flow_ml_min_per_plant * 60 < s.setup.line_fill_s - 1e-6
    large = dose > 250 * s.setup.volume_l_per_plant + 1e-6
    h = s.holds
    paused = h.paused_until is not None and h.paused_until > now
    people = bool(h.locked) or h.manual or paused or bool(h.exception) or s.stopped or bool(s.memory.fault)
    feed = any(b.value < b.low or b.value > b.high for b in (h.feed_ec, h.feed_ph))
    outside = (
        h.node_silent_s == h.node_silent_s
        or h.stray_flow_l_min > 0
        or feed
        or h.rain_left_min > 0
        or h.rain_credit_ml >= dose
    )
    return [
        name
        for name, broken in {
            "clock": future, "busy": busy, "tank": tank, "day": cap, "hour": hour, "pump": pump, "short": short, "large": large,
            "people": people, "outside": outside, "pulses": s.pulses_today >= p.pulses_per_day,
        }.items()
        if broken
    ]  # fmt: skip


def no_reading(p, s, now):
    old = s.theta_at is None or s.theta != s.theta or (now - s.theta_at).total_seconds() > p.stale_after_s
    return old or not -0.03 <= s.theta <= s.setup.saturation + 0.05 or s.untrusted > 0


WET = (TriggerKind.BELOW_LOW, TriggerKind.FALLEN)


@settings(max_examples=5000 * NIGHTLY, deadline=None)
@given(programmes, states, st.integers(-600, 900))
def test_no_pulse_where_a_guard_forbids(programme, state, minutes):
    now = NOW + timedelta(minutes=minutes)
    decision = decide(programme, state, now)
    assert decision.reasons
    assert say_decision(decision).body
    if decision.action is Action.GIVE:
        recharging = decision.reasons[0].why is Why.RECHARGE
        assert forbidden(programme, state, now, decision.dose_ml_per_plant, recharging) == []
        assert decision.seconds > 0 and decision.memory.tries <= max(programme.tries, state.memory.tries + 1)
        if no_reading(programme, state, now) and decision.reasons[0].why is not Why.FALLBACK:
            assert decision.reasons[0].why not in (Why.BELOW_LOW, Why.FALLEN, Why.RESCUE, Why.TOWARDS_HIGH)
    else:
        assert decision.seconds == 0 and decision.dose_ml_per_plant == 0
    if not minutes % 50:
        assert repr(decision) == repr(decide(programme, state, now)), "the same call gives the same decision"


@settings(max_examples=200, deadline=None)
@given(programmes, states)
def test_a_free_and_thirsty_bed_is_watered(programme, state):
    thirsty = replace(
        state,
        theta=min(programme.low, programme.rescue) - 0.02,
        theta_at=NOW,
        untrusted=0,
        memory=Memory(span=Span.HOLD, span_since=NOW),
    )
    by_probe = replace(
        programme, triggers=(Trigger(TriggerKind.BELOW_LOW),), recharge=None, dose=Dose(DoseKind.ML, 60.0)
    )
    dose = dose_ml_of(by_probe.dose, state.setup, thirsty.theta, by_probe.high) * state.dose_factor
    if thirsty.theta < 0 or forbidden(by_probe, thirsty, NOW, dose) or dose > most_ml(state.setup):
        return
    assert decide(by_probe, thirsty, NOW).action is Action.GIVE


@pytest.mark.parametrize("guard", [*guards.GUARDS, *guards.HOLD_GUARDS], ids=lambda g: g.__name__)
def test_taking_any_guard_away_is_noticed(guard, monkeypatch):
    """The mutation check: without one guard, some state of the table above is watered although it must not be."""
    for name in ("GUARDS", "HOLD_GUARDS"):
        monkeypatch.setattr(guards, name, tuple(g for g in getattr(guards, name) if g is not guard))
    assert deciding.guard_reasons is guards.guard_reasons
    slipped = [c for c, _ in [*GUARDS, *MORE] if gives(programme_for(c), replace(STATE, **c))]
    assert slipped, f"no state shows that {guard.__name__} is gone"


def gives(programme, state) -> bool:
    try:
        return decide(programme, state, NOW).action is Action.GIVE
    except ReedError:
        return True  # it went on to open the valve for a time that cannot be


MORE = [
    ({"last_pulse_start": NOW - timedelta(minutes=15), "last_pulse_end": NOW - timedelta(minutes=11)}, Why.SOAKING),
    ({"last_pulse_start": NOW + timedelta(minutes=5), "theta": 0.79}, Why.CLOCK),
]


def programme_for(change: dict) -> object:
    # A running pulse forbids by itself only where no soak is left to wait for, so both guards can be seen apart.
    return simple(soak=2.0) if "last_pulse_end" in change and change["last_pulse_end"] > NOW else PROGRAMME


def test_without_a_probe_it_goes_by_the_clock_for_a_while_then_nothing():
    lost = replace(
        STATE,
        theta=float("nan"),
        theta_at=None,
        normal_day_ml=2000.0,
        memory=Memory(lost_since=NOW - timedelta(hours=2)),
    )
    first = decide(PROGRAMME, lost, NOW)
    assert (
        first.action is Action.GIVE and why(first) is Why.FALLBACK and Why.NO_READING in [r.why for r in first.reasons]
    )
    hours = (NOW.replace(hour=18, minute=30) - NOW.replace(hour=6)).total_seconds() / 60
    gap = first.reasons[0].numbers["gap_min"]
    assert gap == pytest.approx(hours * 120 / (0.6 * 2000))
    soon = replace(
        lost, last_pulse_start=NOW - timedelta(minutes=gap - 1), last_pulse_end=NOW - timedelta(minutes=gap - 1)
    )
    assert decide(PROGRAMME, soon, NOW).action is Action.WITHHOLD
    over = replace(lost, memory=Memory(lost_since=NOW - timedelta(hours=25)))
    assert why(decide(PROGRAMME, over, NOW)) is Why.NO_READING
    assert why(decide(PROGRAMME, replace(lost, normal_day_ml=float("nan")), NOW)) is Why.NO_READING


def test_a_lost_reading_is_remembered_and_forgotten_when_it_returns():
    lost = decide(PROGRAMME, replace(STATE, theta=float("nan")), NOW)
    assert lost.memory.lost_since == NOW
    back = decide(PROGRAMME, replace(STATE, memory=lost.memory), NOW + timedelta(minutes=1))
    assert back.memory.lost_since is None
