"""Programmes as data: schools, leans, JSON out and in, faults with the nearest setting, spans, triggers, replay, drills."""

import json
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.bedmodel import starting_physics, water_at
from reedcore.crop import Crop, use_coefficients, water_use_ml_per_plant_min
from reedcore.decide import Action, Why, decide
from reedcore.errors import OutOfRange, ReedError
from reedcore.programme import (
    BedSetup,
    Dose,
    DoseKind,
    Lean,
    Match,
    Moment,
    MomentKind,
    Recharge,
    Trigger,
    TriggerKind,
    Until,
)
from reedcore.programme_checks import field_of, programme_faults
from reedcore.programme_json import differences, programme_as_json, programme_from_json, programme_schema, with_paths
from reedcore.reasons import Memory, Since, Span
from reedcore.schools import NOTES, School, lean_changes, lean_programme, propose_school
from reedcore.simulate import Surroundings, outcome_of, simulate
from tests.core.watering_samples import MIDNIGHT, NOW, PROGRAMME, STATE, programmes, simple

COIR = BedSetup(4.5, 180, 0.81, 0.486, 0.92, 35.1, 12, 22, 240)


@pytest.mark.parametrize("school", list(School))
@pytest.mark.parametrize("peak", [300.0, 1200.0, 2300.0])
def test_each_school_can_be_published_and_names_its_origins_and_limits(school, peak):
    proposal = propose_school(school, COIR, peak)
    assert programme_faults(proposal.programme, COIR) == []
    assert len(NOTES[school].fails) > 20 and proposal.origin["dose.value"]
    kinds = {t.kind for t in proposal.programme.triggers}
    assert kinds == {
        {School.THRESHOLD: TriggerKind.BELOW_LOW, School.LIGHT: TriggerKind.LIGHT_SUM, School.CLOCK: TriggerKind.CLOCK}[
            school
        ]
    }


@pytest.mark.parametrize("lean", list(Lean))
def test_a_lean_lists_all_it_moves_and_nothing_else(lean):
    base = propose_school(School.THRESHOLD, COIR, 2300).programme
    changes, moved = lean_changes(base, COIR, lean), lean_programme(base, COIR, lean)
    assert {c.path for c in changes} | ({"lean"} if lean is not Lean.BALANCED else set()) == set(
        differences(moved, base)
    )
    assert all(c.why and field_of(moved, c.path) == c.after and field_of(base, c.path) == c.before for c in changes)
    assert programme_faults(moved, COIR) == []


def test_a_lean_moves_the_overnight_fall_where_the_day_stops_by_it():
    base = replace(propose_school(School.THRESHOLD, COIR, 2300).programme, stop=Moment(MomentKind.FALL, 0.06))
    falls = {x: lean_programme(base, COIR, x).stop.value for x in Lean}
    assert falls[Lean.LEAFY] < falls[Lean.BALANCED] == 0.06 < falls[Lean.FRUITING]


@settings(max_examples=300)
@given(programmes)
def test_json_there_and_back(programme):
    text = json.dumps(programme_as_json(programme))
    assert programme_from_json(json.loads(text)) == programme
    assert differences(programme, programme) == {}


DAMAGED = [
    ([], "programme"),
    ({}, "programme.start"),
    ({"start": {"kind": "moon", "value": 1}}, "programme.start.kind"),
    ({"start": {"kind": "sun", "value": "noon"}}, "programme.start.value"),
    ({"start": {"kind": "sun", "value": True}}, "programme.start.value"),
    ({"colour": 1}, "programme.colour"),
]


@pytest.mark.parametrize(("data", "path"), DAMAGED, ids=[d[1] for d in DAMAGED])
def test_what_cannot_be_read_is_named_by_its_path(data, path):
    with pytest.raises(OutOfRange) as error:
        programme_from_json(data)
    assert error.value.field == path


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
        lambda x: (
            st.lists(x, max_size=3)
            | st.dictionaries(st.sampled_from(["start", "kind", "value", "dose", "low"]), x, max_size=4)
        ),
        max_leaves=8,
    )
)
def test_reading_never_breaks(data):
    try:
        programme_from_json(data)
    except ReedError as error:
        assert error.field.startswith("programme")


def test_the_documented_schema_is_the_one_in_force():
    kept = Path(__file__).parent.parent.parent / "docs" / "programme.schema.json"
    assert json.loads(kept.read_text()) == json.loads(json.dumps(programme_schema()))


GOOD = propose_school(School.THRESHOLD, COIR, 2300).programme
FAULTS = [
    ({"low": 0.79}, "low"),
    ({"high": 0.85}, "high"),
    ({"rescue": 0.75}, "rescue"),
    ({"dose": Dose(DoseKind.ML, 4.0)}, "dose.value"),
    ({"dose": Dose(DoseKind.ML, 6000.0)}, "dose.value"),
    ({"dose": Dose(DoseKind.SHARE, 0.0011)}, "dose.value"),
    ({"dose": Dose(DoseKind.SECONDS, 13.0)}, "dose.value"),
    ({"soak_min": 0.0}, "soak_min"),
    ({"daily_cap_ml_per_plant": 10.0}, "daily_cap_ml_per_plant"),
    ({"hourly_cap_ml_per_plant": 10.0}, "hourly_cap_ml_per_plant"),
    ({"largest_gap_min": 5.0}, "largest_gap_min"),
    ({"start": Moment(MomentKind.CLOCK, 1200.0), "stop": Moment(MomentKind.CLOCK, 600.0)}, "stop.value"),
    ({"start": Moment(MomentKind.SUN, 600.0)}, "stop.value"),
    ({"triggers": (Trigger(TriggerKind.ELAPSED, 6.0),)}, "triggers.0.value"),
    ({"triggers": (Trigger(TriggerKind.LIGHT_SUM, 9000.0),)}, "triggers.0.value"),
    ({"recharge": Recharge(Dose(DoseKind.ML, 140.0), 1.0, Until.TOP, 5)}, "recharge.gap_min"),
]


@pytest.mark.parametrize(("change", "path"), FAULTS, ids=lambda f: str(f)[:50])
def test_each_contradiction_names_its_word_and_the_nearest_setting_that_works(change, path):
    programme = replace(GOOD, **change)
    fault = next(f for f in programme_faults(programme, COIR) if f.field == path)
    assert fault.expectation
    if fault.nearest is not None:
        mended = with_paths(programme, {path: fault.nearest})
        assert not any(
            f.field == path and f.expectation == fault.expectation for f in programme_faults(mended, COIR)
        ), fault.nearest


OTHER_FAULTS = [
    ({"triggers": ()}, "triggers"),
    ({"triggers": (Trigger(TriggerKind.CLOCK, 0, ()),)}, "triggers.0.times"),
    ({"triggers": (Trigger(TriggerKind.CLOCK, 0, (600, 480)),)}, "triggers.0.times"),
    ({"triggers": (Trigger(TriggerKind.SUCTION, 3), Trigger(TriggerKind.SUCTION, 4))}, "triggers.1.value"),
    (
        {"triggers": (Trigger(TriggerKind.CLOCK, 0, (480,)), Trigger(TriggerKind.ELAPSED, 60)), "match": Match.ALL},
        "match",
    ),
]


@pytest.mark.parametrize(("change", "path"), OTHER_FAULTS, ids=[f[1] for f in OTHER_FAULTS])
def test_triggers_that_cannot_be(change, path):
    assert path in [f.field for f in programme_faults(replace(GOOD, **change), COIR)]


def asked(programme, **change):
    return decide(
        programme, replace(STATE, **{"memory": Memory(span=Span.HOLD, span_since=NOW), "theta": 0.83, **change}), NOW
    )


FIRES = [
    (Trigger(TriggerKind.FALLEN, 0.03), {"since": Since(peak=0.865)}, {"since": Since(peak=0.85)}, Why.FALLEN),
    (Trigger(TriggerKind.SUCTION, 3.0), {"suction_kpa": 3.1}, {"suction_kpa": 2.9}, Why.SUCTION),
    (
        Trigger(TriggerKind.LIGHT_SUM, 80),
        {"since": Since(light_j_cm2=80.0)},
        {"since": Since(light_j_cm2=79.0)},
        Why.LIGHT_SUM,
    ),
    (
        Trigger(TriggerKind.VPD_HOURS, 2.0),
        {"since": Since(vpd_kpa_h=2.1)},
        {"since": Since(vpd_kpa_h=1.9)},
        Why.VPD_HOURS,
    ),
    (Trigger(TriggerKind.WATER_USE, 90), {"since": Since(use_ml=95.0)}, {"since": Since(use_ml=85.0)}, Why.WATER_USE),
    (
        Trigger(TriggerKind.ELAPSED, 60),
        {"last_pulse_end": NOW - timedelta(minutes=61)},
        {"last_pulse_end": NOW - timedelta(minutes=59)},
        Why.ELAPSED,
    ),
    (
        Trigger(TriggerKind.CLOCK, 0, (590,)),
        {"last_pulse_start": None},
        {"last_pulse_start": NOW - timedelta(minutes=5)},
        Why.CLOCK_TIME,
    ),
]


@pytest.mark.parametrize(("trigger", "yes", "no", "why"), FIRES, ids=[f[3].value for f in FIRES])
def test_each_trigger_fires_at_its_value_and_not_before(trigger, yes, no, why):
    programme = replace(PROGRAMME, triggers=(trigger,))
    fired, held = asked(programme, **yes), asked(programme, **no)
    assert fired.action is Action.GIVE and fired.reasons[0].why is why
    assert held.action is Action.WITHHOLD and held.reasons[0].why is Why.NOT_YET


def test_any_or_all():
    both = (Trigger(TriggerKind.SUCTION, 3.0), Trigger(TriggerKind.ELAPSED, 60))
    half = {"suction_kpa": 4.0, "last_pulse_end": NOW - timedelta(minutes=30)}
    assert asked(replace(PROGRAMME, triggers=both), **half).action is Action.GIVE
    assert asked(replace(PROGRAMME, triggers=both, match=Match.ALL), **half).action is Action.WITHHOLD
    assert (
        asked(
            replace(PROGRAMME, triggers=both, match=Match.ALL), **half | {"last_pulse_end": NOW - timedelta(minutes=61)}
        ).action
        is Action.GIVE
    )


def test_without_what_it_asks_for_a_programme_is_blind():
    light = replace(PROGRAMME, triggers=(Trigger(TriggerKind.LIGHT_SUM, 80),))
    assert asked(light).reasons[0].why is Why.NOT_MEASURED
    mixed = replace(light, triggers=(*light.triggers, Trigger(TriggerKind.BELOW_LOW)))
    assert asked(mixed, theta=float("nan")).reasons[0].why is Why.NO_READING
    assert asked(mixed, theta=float("nan"), since=Since(light_j_cm2=99.0)).action is Action.GIVE


def test_a_longest_gap_asks_for_water_by_itself():
    programme = replace(PROGRAMME, largest_gap_min=120.0)
    assert asked(programme, last_pulse_end=NOW - timedelta(minutes=121)).reasons[0].why is Why.LARGEST_GAP
    assert asked(programme, last_pulse_end=NOW - timedelta(minutes=119)).action is Action.WITHHOLD


def test_recharge_ends_at_the_top_at_drain_or_by_count():
    small = Recharge(Dose(DoseKind.ML, 60.0), 8.0, Until.TOP, 3)
    programme = replace(PROGRAMME, recharge=small)
    begun = decide(programme, replace(STATE, theta=0.83), NOW)
    assert begun.action is Action.GIVE and begun.dose_ml_per_plant == 60 and begun.memory.recharge_pulses == 1
    held = {"memory": replace(begun.memory, recharge_pulses=2), "theta": 0.83}
    assert decide(programme, replace(STATE, **held), NOW).memory.recharge_pulses == 3
    over = decide(programme, replace(STATE, **held | {"memory": replace(begun.memory, recharge_pulses=3)}), NOW)
    assert over.memory.span is Span.HOLD and over.action is Action.WITHHOLD
    assert decide(programme, replace(STATE, **held | {"theta": 0.87}), NOW).memory.span is Span.HOLD
    drain = replace(programme, recharge=replace(small, until=Until.DRAIN))
    assert decide(drain, replace(STATE, **held | {"drain_seen": True}), NOW).memory.span is Span.HOLD


MOMENTS = [
    (Moment(MomentKind.LIGHT, 60.0), {"radiation_w_m2": 70.0}, {"radiation_w_m2": 50.0}),
    (
        Moment(MomentKind.FALL, 0.04),
        {"memory": Memory(span=Span.DRYDOWN, evening_theta=0.88), "theta": 0.83},
        {"memory": Memory(span=Span.DRYDOWN, evening_theta=0.86), "theta": 0.83},
    ),
    (Moment(MomentKind.CLOCK, 330.0), {}, {"theta_at": NOW.replace(hour=5), "last": 1}),
]


@pytest.mark.parametrize(("start", "yes", "no"), MOMENTS, ids=[m[0].kind.value for m in MOMENTS])
def test_a_day_begins_by_light_fall_or_clock(start, yes, no):
    programme, early = replace(PROGRAMME, start=start), NOW.replace(hour=5, minute=40)
    base = {"theta_at": early, "theta": 0.83, "memory": Memory(span=Span.DRYDOWN)}
    assert decide(programme, replace(STATE, **base | yes), early).memory.span is Span.HOLD
    when = NOW.replace(hour=5, minute=10) if no.pop("last", None) else early
    assert decide(programme, replace(STATE, **base | no), when).memory.span is Span.DRYDOWN


def test_a_broken_light_sensor_does_not_take_the_day_away():
    programme = replace(PROGRAMME, start=Moment(MomentKind.LIGHT, 60.0))
    late = NOW.replace(hour=9, minute=1)
    assert decide(programme, replace(STATE, theta_at=late), late).memory.span is Span.HOLD


def test_a_day_stops_by_light_or_in_time_to_fall_and_does_not_begin_again():
    evening = NOW.replace(hour=17)
    open_day = {"theta_at": evening, "theta": 0.83, "memory": Memory(span=Span.HOLD, span_since=NOW)}
    dim = replace(PROGRAMME, stop=Moment(MomentKind.LIGHT, 80.0))
    stopped = decide(dim, replace(STATE, **open_day, radiation_w_m2=60.0), evening)
    assert stopped.memory.span is Span.DRYDOWN
    brighter = {"memory": stopped.memory, "radiation_w_m2": 300.0, "theta_at": evening, "theta": 0.70}
    again = decide(dim, replace(STATE, **brighter), evening + timedelta(minutes=5))
    assert again.memory.span is Span.DRYDOWN and again.action is Action.WITHHOLD
    falling = replace(PROGRAMME, stop=Moment(MomentKind.FALL, 0.05))
    assert decide(falling, replace(STATE, **open_day, fall_ahead=0.06), evening).memory.span is Span.HOLD
    assert decide(falling, replace(STATE, **open_day, fall_ahead=0.049), evening).memory.span is Span.DRYDOWN
    assert (
        decide(falling, replace(STATE, **open_day, fall_ahead=0.01), NOW).memory.span is Span.DRYDOWN or NOW.hour < 12
    )


def test_doses_in_each_measure():
    assert asked(simple(dose=120), theta=0.79).dose_ml_per_plant == 120
    assert asked(replace(PROGRAMME, dose=Dose(DoseKind.SHARE, 0.04)), theta=0.79).dose_ml_per_plant == pytest.approx(
        150
    )
    assert asked(replace(PROGRAMME, dose=Dose(DoseKind.SECONDS, 192.0)), theta=0.79).dose_ml_per_plant == pytest.approx(
        180 / 60 * 40.2
    )
    assert asked(replace(PROGRAMME, dose=Dose(DoseKind.TO_TOP)), theta=0.79).dose_ml_per_plant == pytest.approx(
        (0.86 - 0.79) * 3750
    )
    assert asked(PROGRAMME, theta=0.79, dose_factor=1.1).dose_ml_per_plant == pytest.approx(132)


def test_use_as_coefficients_is_the_use_minute_by_minute():
    crop, radiation, vpd = Crop(2.9, 2.6), np.array([400.0, 0.0]), np.array([1.2, 0.5])
    per = use_coefficients(crop)
    minutes = water_use_ml_per_plant_min(crop, radiation, vpd)
    by_day = per.light_ml_per_j_cm2 * 400 * 60 / 1e4 + per.vpd_day_ml_per_kpa_h * 1.2 / 60
    assert minutes[0] == pytest.approx(by_day) and minutes[1] == pytest.approx(per.vpd_night_ml_per_kpa_h * 0.5 / 60)


def day_of(programme, hours=24, **more):
    sunrise, sunset = MIDNIGHT + timedelta(hours=4), MIDNIGHT + timedelta(hours=20)
    hour = np.arange(hours * 60) / 60
    light = 600 * np.clip(np.sin(np.pi * (hour % 24 - 4) / 16), 0, None)
    demand = 0.1 + light / 250
    around = Surroundings(
        MIDNIGHT,
        demand,
        [(sunrise + timedelta(days=d), sunset + timedelta(days=d)) for d in range(3)],
        MIDNIGHT,
        radiation_w_m2=light,
        vpd_kpa=0.4 + light / 600,
    )
    physics = starting_physics(4.5, 0.81, 0.486, 2.4)
    state = replace(
        STATE,
        setup=COIR,
        theta=0.75,
        theta_at=MIDNIGHT,
        tank_required=False,
        tank_l=None,
        since=Since(0.0, 0.0, 0.0, 0.75),
        **more,
    )
    return simulate(programme, state, water_at(0.75, 3.0, physics), physics, around)


def test_a_light_sum_day_pulses_with_the_light_and_keeps_its_track():
    programme = replace(GOOD, triggers=(Trigger(TriggerKind.LIGHT_SUM, 150.0),), latch=False)
    day = day_of(programme)
    track = day.tracks[TriggerKind.LIGHT_SUM]
    assert len(day.pulses) > 6 and np.nanmax(track) >= 150
    assert max(np.diff([p.at.hour for p in day.pulses])) <= 3
    outcome = outcome_of(day, programme)
    assert (
        outcome.pulses == len(day.pulses)
        and 0 <= outcome.in_band <= 1
        and outcome.drain_share == pytest.approx(outcome.drain_ml / outcome.dose_ml)
    )


def test_a_fall_stop_leaves_the_wanted_fall():
    base = replace(GOOD, stop=Moment(MomentKind.FALL, 0.06), start=Moment(MomentKind.SUN, 60))
    day = day_of(base, hours=34)
    last = max(p.at for p in day.pulses if p.at < MIDNIGHT + timedelta(hours=20))
    assert MIDNIGHT + timedelta(hours=13) < last < MIDNIGHT + timedelta(hours=19)
