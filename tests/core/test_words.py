"""Sentences a grower reads: complete, with numbers and units, for every reason there is."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.reasons import Action, Decision, Memory, Reason, Why
from reedcore.words import duration, litres, pct, say_decision, say_reason, say_trend

NUMBERS = {
    "theta": 0.7,
    "low": 0.72,
    "high": 0.77,
    "rescue": 0.5,
    "passed_min": 3.0,
    "soak_min": 20.0,
    "left_s": 40.0,
    "age_s": 2000.0,
    "limit_s": 900.0,
    "saturation": 0.95,
    "ahead_s": 300.0,
    "tank_l": 200.0,
    "empty_l": 240.0,
    "pump_l_min": 22.0,
    "busy_l_min": 15.0,
    "needs_l_min": 8.0,
    "given_ml": 4700.0,
    "dose_ml": 140.0,
    "cap_ml": 4750.0,
    "probes": 2.0,
    "tries": 8.0,
    "try": 2.0,
    "line_fill_s": 12.0,
    "to_start_min": 90.0,
    "since_last_min": 31.0,
    "pulse": 2.0,
    "pulses": 12.0,
    "value": 7.0,
    "limit": 5.0,
    "clock_min": 425.0,
    "gap_min": 130.0,
    "largest_min": 120.0,
    "share": 0.6,
    "normal_ml": 2000.0,
    "left_h": 20.0,
    "cap": 96.0,
    "silent_s": 400.0,
    "flow_l_min": 3.0,
    "left_min": 30.0,
    "credit_ml": 300.0,
}


@pytest.mark.parametrize("why", list(Why))
def test_every_reason_has_a_clause(why):
    clause = say_reason(Reason(why, NUMBERS))
    assert len(clause) > 12 and not clause.endswith(".") and clause[0] == clause[0].lower()


@pytest.mark.parametrize(
    "seconds,words", [(0, "0 s"), (119, "119 s"), (180, "3 min"), (7199, "2 h"), (12000, "3 h 20 min"), (-5, "0 s")]
)
def test_durations(seconds, words):
    assert duration(seconds) == words


@given(st.floats(0, 1e6))
def test_durations_always_have_a_unit(seconds):
    assert duration(seconds).split()[-1] in {"s", "min", "h"}


@pytest.mark.parametrize("ml,words", [(110, "110 mL"), (999.4, "999 mL"), (1000, "1.00 L"), (4750, "4.75 L")])
def test_volumes_change_to_litres(ml, words):
    assert litres(ml) == words


def test_percent_of_volume():
    assert pct(0.6123) == "61.2 %"


@pytest.mark.parametrize(
    "slope,words",
    [
        (0.1, "steady"),
        (-0.7, "falling 0.7 points an hour"),
        (2.04, "rising 2.0 points an hour"),
        (float("nan"), "trend not known yet"),
    ],
)
def test_trends(slope, words):
    assert say_trend(slope) == words


HEADINGS = [
    (Action.GIVE, Why.BELOW_LOW, "140 mL per plant given, 4 min."),
    (Action.WITHHOLD, Why.IN_BAND, "Held."),
    (Action.WITHHOLD, Why.SOAKING, "Held."),
    (Action.WITHHOLD, Why.TANK_EMPTY, "Withheld."),
    (Action.WITHHOLD, Why.STALE, "Withheld."),
    (Action.WITHHOLD, Why.MISSED_TARGET, "Stopped: target missed."),
]


@pytest.mark.parametrize("action,why,heading", HEADINGS, ids=lambda h: str(h))
def test_headings_tell_given_held_and_withheld_apart(action, why, heading):
    dose = 140.0 if action is Action.GIVE else 0.0
    sentence = say_decision(Decision(action, (Reason(why, NUMBERS),), Memory(), dose, 251.0 if dose else 0.0))
    assert sentence.heading == heading
    assert sentence.body[0] == sentence.body[0].upper() and sentence.body.endswith(".")


def test_the_watering_hours_are_told_before_and_after():
    before = say_reason(Reason(Why.OUTSIDE_HOURS, {**NUMBERS, "to_start_min": 90.0}))
    after = say_reason(Reason(Why.OUTSIDE_HOURS, {**NUMBERS, "to_start_min": -600.0}))
    assert "begin in 90 min" in before and "over for today" in after


SAID = [
    (
        Reason(Why.NOT_YET, {"value": 62.0, "limit": 107.0}, "light_sum"),
        "the light since the last pulse is 62 of 107 J/cm²",
    ),
    (Reason(Why.NOT_YET, {"clock_min": 425.0, "now_min": 400.0}, "clock_time"), "the next clock time is 07:05"),
    (Reason(Why.NOT_YET, {"value": float("nan"), "limit": 3.0}, "suction"), "the suction is not measured"),
    (
        Reason(Why.RECHARGE, {"pulse": 2.0, "pulses": 8.0}, "drain"),
        "recharge, pulse 2 of at most 8, until the first drain",
    ),
    (Reason(Why.LOCKED, {}, "Ines"), "Ines has locked it out for work; only they take the lock off"),
    (
        Reason(Why.NOT_MEASURED, {}, "vpd_hours"),
        "the dryness of the air since the last pulse is not measured: check its sensor",
    ),
    (
        Reason(Why.FEED_EC, {"value": 4.1, "low": 1.2, "high": 3.6}),
        "the feed's conductivity is 4.1 mS/cm, over 3.6 mS/cm: check doser, stock and probe",
    ),
    (
        Reason(Why.ELAPSED, {"value": float("inf"), "limit": 60.0}),
        "the time since the last pulse is longer than any limit",
    ),
]


@pytest.mark.parametrize(("reason", "words"), SAID, ids=[r.why.value + r.text for r, _ in SAID])
def test_reasons_with_a_name_or_a_trigger(reason, words):
    assert say_reason(reason) == words
