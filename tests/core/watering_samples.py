"""Programmes and states that several tests of the watering core start from."""

import os
from datetime import UTC, datetime, timedelta

from hypothesis import strategies as st

from reedcore.programme import (
    BedSetup,
    Dose,
    DoseKind,
    Fallback,
    Match,
    Moment,
    MomentKind,
    Programme,
    Recharge,
    Trigger,
    TriggerKind,
    Until,
)
from reedcore.reasons import Band, BedState, Holds, Memory, Since, Span
from reedcore.substrate import medium

NIGHTLY = 20 if os.environ.get("REED_NIGHTLY") else 1
"""REED_NIGHTLY=1 makes the property tests of control twenty times as long: 100,000 decisions instead of 5,000."""
NOW = datetime(2026, 6, 18, 10, 0, tzinfo=UTC)
MIDNIGHT = NOW.replace(hour=0)
SETUP = BedSetup(3.75, 156, 0.909, 0.545, 0.95, 40.2, 12, 22, 240, medium("stone_wool"))


def simple(
    start=120.0,
    stop=90.0,
    low=0.80,
    high=0.86,
    rescue=0.60,
    dose=120.0,
    soak=20.0,
    tries=6,
    cap=5000.0,
    hourly=None,
    **more,
):
    """A programme by the probe, in the sun's hours."""
    return Programme(
        Moment(MomentKind.SUN, start),
        Moment(MomentKind.SUN, stop),
        low,
        high,
        rescue,
        Dose(DoseKind.ML, dose),
        soak,
        tries,
        cap,
        cap if hourly is None else hourly,
        **more,
    )


PROGRAMME = simple()
STATE = BedState(SETUP, 0.79, NOW, NOW.replace(hour=4), NOW.replace(hour=20), MIDNIGHT, tank_l=2000)

numbers = st.one_of(st.just(float("nan")), st.floats(-50, 5000))
moments = st.one_of(st.none(), st.integers(-4000, 600).map(lambda s: NOW + timedelta(seconds=s)))
doses = st.one_of(
    st.builds(Dose, st.just(DoseKind.ML), st.floats(5, 900)),
    st.builds(Dose, st.just(DoseKind.SHARE), st.floats(0.0, 0.3)),
    st.builds(Dose, st.just(DoseKind.SECONDS), st.floats(1, 900)),
    st.just(Dose(DoseKind.TO_TOP)),
)
starts = st.one_of(
    st.builds(Moment, st.just(MomentKind.SUN), st.floats(-120, 300)),
    st.builds(Moment, st.just(MomentKind.CLOCK), st.floats(0, 1439)),
    st.builds(Moment, st.just(MomentKind.LIGHT), st.floats(5, 500)),
    st.builds(Moment, st.just(MomentKind.FALL), st.floats(0.002, 0.2)),
)
triggers = st.one_of(
    st.just(Trigger(TriggerKind.BELOW_LOW)),
    st.builds(
        Trigger,
        st.sampled_from([k for k in TriggerKind if k not in (TriggerKind.BELOW_LOW, TriggerKind.CLOCK)]),
        st.floats(0.01, 500),
    ),
    st.builds(
        Trigger,
        st.just(TriggerKind.CLOCK),
        st.just(0.0),
        st.lists(st.integers(0, 1439), max_size=6).map(lambda t: tuple(sorted(set(t)))),
    ),
)
recharges = st.one_of(
    st.none(), st.builds(Recharge, doses, st.floats(2, 60), st.sampled_from(Until), st.integers(1, 12))
)
programmes = st.builds(
    Programme,
    starts,
    starts,
    st.floats(0.3, 0.85),
    st.floats(0.5, 0.95),
    st.floats(0, 0.6),
    doses,
    st.floats(2, 60),
    st.integers(1, 8),
    st.floats(100, 6000),
    st.floats(50, 3000),
    st.integers(1, 60),
    st.lists(triggers, min_size=1, max_size=3).map(tuple),
    st.sampled_from(Match),
    st.booleans(),
    st.one_of(st.just(0.0), st.floats(30, 300)),
    st.floats(60, 7200),
    recharges,
    st.one_of(st.none(), st.builds(Fallback, st.floats(0.2, 1), st.floats(0, 48))),
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
memories = st.builds(
    Memory,
    st.booleans(),
    st.integers(0, 9),
    st.sampled_from(["", "", "", "missed_target", "no_flow"]),
    st.one_of(st.none(), st.sampled_from(Span)),
    moments,
    st.integers(0, 12),
    st.one_of(st.just(float("nan")), st.floats(0.3, 0.95)),
    moments,
)
bands = st.builds(Band, st.one_of(st.just(float("nan")), st.floats(0, 9)), st.just(1.0), st.just(6.5))
rarely = st.sampled_from([False, False, False, False, True])
holds = st.builds(
    Holds,
    st.sampled_from(["", "", "", "", "", "Ines"]),
    rarely,
    st.one_of(st.none(), st.none(), moments),
    st.sampled_from(["", "", "", "", "spraying"]),
    st.sampled_from([float("nan"), float("nan"), float("nan"), 600.0]),
    st.sampled_from([0.0, 0.0, 0.0, 0.0, 2.5]),
    bands,
    bands,
    st.sampled_from([0.0, 0.0, 0.0, 20.0]),
    st.sampled_from([0.0, 0.0, 0.0, 300.0]),
)
states = st.builds(
    BedState,
    setups,
    st.one_of(st.just(float("nan")), st.floats(-0.2, 1.2), st.floats(0.5, 0.85)),
    moments,
    st.just(NOW.replace(hour=4)),
    st.just(NOW.replace(hour=20)),
    st.just(MIDNIGHT),
    memories,
    moments,
    moments,
    st.floats(0, 7000),
    st.floats(0, 3000),
    st.integers(0, 70),
    st.sampled_from([False, False, False, True]),
    st.one_of(st.none(), st.floats(0, 3000)),
    st.booleans(),
    st.floats(0, 40),
    st.sampled_from([0, 0, 0, 0, 1]),
    st.builds(Since, numbers, numbers, numbers, st.one_of(st.just(float("nan")), st.floats(0.3, 0.95))),
    numbers,
    st.one_of(st.just(float("nan")), st.floats(0, 800)),
    st.one_of(st.just(float("nan")), st.floats(0, 0.3)),
    st.booleans(),
    st.floats(0.5, 1.5),
    st.floats(0.5, 1.5),
    st.one_of(st.just(float("nan")), st.floats(0, 5000)),
    holds,
)
