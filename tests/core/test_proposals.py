"""Whatever bed a grower describes, the proposed programme can be published, and simulated days under it stay safe."""

import itertools
from datetime import UTC, datetime, timedelta

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from reedcore.bedmodel import starting_physics, water_at
from reedcore.decide import Action, BedState, decide
from reedcore.programme import BedSetup, pulse_seconds
from reedcore.programme_checks import programme_faults
from reedcore.schools import propose_programme
from reedcore.simulate import Surroundings, simulate
from reedcore.substrate import capacity_from_height, media, proposed_dry_limit

MIDNIGHT = datetime(2026, 6, 18, tzinfo=UTC)
SUN = (MIDNIGHT + timedelta(hours=4), MIDNIGHT + timedelta(hours=20))


@st.composite
def described_beds(draw):
    """Beds as a grower might describe them: every medium, slab to tub, few plants to many."""
    m = draw(st.sampled_from(sorted(media().values(), key=lambda x: x.code)))
    height = draw(st.floats(5, 30))
    capacity = capacity_from_height(height, m)
    volume = draw(st.floats(0.8, 40))
    plants = draw(st.integers(10, 400))
    flow = draw(st.floats(max(15.0, 12 * volume), min(2000.0, max(30.0, 60 * volume))))
    setup = BedSetup(
        volume,
        plants,
        capacity,
        proposed_dry_limit(capacity),
        m.theta_s,
        flow,
        draw(st.floats(0, 15)),
        1.2 * flow * plants / 1000,
        240,
    )
    return setup, draw(st.floats(0.1, 0.9)) * volume * 1000


@settings(max_examples=150)
@given(described_beds())
def test_the_proposal_can_be_published(described):
    setup, peak_use = described
    programme = propose_programme(setup, peak_use).programme
    assert programme_faults(programme, setup) == []
    assert setup.dry_limit < programme.rescue < programme.low < programme.high < setup.capacity
    assert pulse_seconds(programme, setup) > setup.line_fill_s
    assert programme.daily_cap_ml_per_plant >= programme.dose.value


@settings(max_examples=25)
@given(described_beds(), st.integers(0, 10**6))
def test_a_random_day_never_passes_cap_capacity_or_soak(described, seed):
    setup, peak_use = described
    assume(peak_use < 0.5 * setup.volume_l_per_plant * 1000)
    programme = propose_programme(setup, peak_use).programme
    rng = np.random.default_rng(seed)
    shape = np.clip(np.sin((np.arange(1440) - 240) / 960 * np.pi), 0, None)
    demand = shape / shape.sum() * peak_use * rng.uniform(0.3, 1.1)
    physics = starting_physics(setup.volume_l_per_plant, setup.capacity, setup.dry_limit, 2.4)
    theta = setup.capacity - rng.uniform(0.05, 0.6) * (setup.capacity - setup.dry_limit)
    state = BedState(setup, theta, MIDNIGHT, *SUN, MIDNIGHT, tank_required=False)
    day = simulate(
        programme, state, water_at(theta, 3.0, physics), physics, Surroundings(MIDNIGHT, demand, [SUN, SUN], MIDNIGHT)
    )
    assert day.dose_ml <= programme.daily_cap_ml_per_plant + 1e-9
    assert day.theta.max() <= setup.capacity + 1e-9
    held = (day.end_water.theta - theta) * setup.volume_l_per_plant * 1000
    assert held <= day.dose_ml - day.drained_ml + 1e-6
    starts = [p.at for p in day.pulses]
    for before, after in itertools.pairwise(starts):
        assert after - before >= timedelta(minutes=programme.soak_min)


@given(described_beds(), st.floats(0.05, 0.95), st.integers(0, 1439))
def test_a_simulated_decision_is_the_live_decision(described, where, minute):
    """The same function, given the same state, whoever asks."""
    setup, peak_use = described
    programme = propose_programme(setup, peak_use).programme
    now = MIDNIGHT + timedelta(minutes=minute)
    theta = setup.dry_limit + where * (setup.capacity - setup.dry_limit)
    live = BedState(setup, theta, now, *SUN, MIDNIGHT, tank_l=2000.0)
    planned = BedState(setup, theta, now, *SUN, MIDNIGHT, tank_required=False)
    a, b = decide(programme, live, now), decide(programme, planned, now)
    assert (a.action, a.seconds, a.reasons) == (b.action, b.seconds, b.reasons)
    if a.action is Action.GIVE:
        assert theta < programme.low
