"""Water and salts close; many beds give what each gives alone."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.bedmodel import BedPhysics, pore_ec_of, run_bed, starting_physics, sub_steps, water_at
from reedcore.crop import Crop, water_use_ml_per_plant_min
from reedcore.errors import Inconsistent, OutOfRange


def random_day(seed, steps=1440):
    rng = np.random.default_rng(seed)
    dose = np.where(rng.random(steps) < 0.03, rng.uniform(20, 400, steps), 0.0)
    demand = rng.uniform(0, 6, steps) * (np.sin(np.linspace(0, np.pi, steps)) > rng.random() * 0.7)
    return dose, demand


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 10**6),
    st.floats(0.5, 30),
    st.floats(0.4, 0.95),
    st.floats(0.2, 6),
    st.floats(0.3, 12),
    st.floats(0.1, 0.99),
)
def test_water_and_salt_close(seed, volume, capacity, feed, start_ec, fill):
    physics = starting_physics(volume, capacity, 0.6 * capacity, feed)
    start = water_at(fill * capacity, start_ec, physics)
    dose, demand = random_day(seed)
    run = run_bed(start, physics, dose, feed, demand)
    dosed = max(dose.sum(), 1.0)
    held = (run.theta[-1] - start.theta) * volume * 1000
    assert abs(dose.sum() - held - run.uptake_ml.sum() - run.drain_ml.sum()) < 1e-9 * dosed
    salt_in = dose.sum() / 1000 * feed
    salt_held = run.pore_ec_ms_cm[-1] * run.theta[-1] * volume - start.salt
    assert abs(salt_in - salt_held - run.drain_salt.sum() - run.uptake_salt.sum()) < 1e-9 * max(
        salt_in, start.salt, 1.0
    )


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6))
def test_levels_stay_physical(seed):
    physics = starting_physics(4.0, 0.85, 0.5, 2.4)
    dose, demand = random_day(seed)
    run = run_bed(water_at(0.6, 3.0, physics), physics, dose * 3, 2.4, demand * 4)
    assert run.theta.max() <= 0.85 + 1e-9 and run.theta.min() > 0
    for flow in (run.uptake_ml, run.drain_ml, run.drain_salt, run.uptake_salt):
        assert flow.min() >= 0


def test_many_beds_give_what_each_gives_alone():
    volumes = np.array([3.75, 4.5, 24.0])
    capacity = np.array([0.9, 0.81, 0.59])
    many = BedPhysics(volumes, capacity, 0.9 * capacity, 0.6 * capacity)
    day = [random_day(s, 500) for s in (1, 2, 3)]
    dose, demand = (np.stack([d[i] for d in day], axis=1) for i in (0, 1))
    together = run_bed(water_at(0.8 * capacity, 3.0, many), many, dose, 2.4, demand)
    for i in range(3):
        one = BedPhysics(volumes[i], capacity[i], 0.9 * capacity[i], 0.6 * capacity[i])
        alone = run_bed(water_at(0.8 * capacity[i], 3.0, one), one, dose[:, i], 2.4, demand[:, i])
        np.testing.assert_allclose(together.theta[:, i], alone.theta, rtol=1e-12)
        np.testing.assert_allclose(together.drain_salt[:, i], alone.drain_salt, rtol=1e-9, atol=1e-15)


def test_drain_begins_at_its_onset_and_is_full_above_capacity():
    physics = starting_physics(4.0, 0.8, 0.48, 2.4)
    none = run_bed(water_at(physics.drain_onset - 0.05, 3, physics), physics, np.array([50.0]), 2.4, np.zeros(1))
    all_of_it = run_bed(water_at(0.8, 3, physics), physics, np.array([100.0]), 2.4, np.zeros(1))
    assert none.drain_ml[0] == 0
    assert all_of_it.drain_ml[0] == pytest.approx(100)


def test_crop_stops_drinking_in_a_dry_bed():
    physics = starting_physics(4.0, 0.8, 0.48, 2.4)
    dry = run_bed(water_at(0.24, 3, physics), physics, np.zeros(1), 2.4, np.array([5.0]))
    assert dry.uptake_ml[0] == pytest.approx(0, abs=1e-12)


def test_salts_concentrate_when_little_drains():
    physics = starting_physics(4.0, 0.8, 0.48, 2.4)
    run = run_bed(water_at(0.6, 2.4, physics), physics, np.full(3000, 1.0), 2.4, np.full(3000, 1.0))
    assert run.pore_ec_ms_cm[-1] > 2.4
    assert pore_ec_of(water_at(0.6, 2.4, physics), physics) == pytest.approx(2.4)


@pytest.mark.parametrize("dose,demand", [([np.nan], [1.0]), ([-1.0], [1.0]), ([1.0], [np.inf])])
def test_holes_in_the_forcing_are_refused(dose, demand):
    physics = starting_physics(4.0, 0.8, 0.48, 2.4)
    with pytest.raises(OutOfRange):
        run_bed(water_at(0.6, 3, physics), physics, np.array(dose), 2.4, np.array(demand))


def test_impossible_beds_are_refused():
    with pytest.raises(Inconsistent):
        BedPhysics(4.0, 0.8, 0.85, 0.4)
    with pytest.raises(OutOfRange):
        BedPhysics(0.0, 0.8, 0.7, 0.4)


def test_sub_steps_cover_the_time_in_steps_of_at_most_a_minute():
    assert sum(sub_steps(3601.0)) == pytest.approx(3601)
    assert max(sub_steps(3601.0)) <= 60 and sub_steps(0) == []


def test_water_use_follows_light_and_deficit():
    crop = Crop(2.5, 2.5)
    dark, bright = (water_use_ml_per_plant_min(crop, np.array([r]), np.array([1.0]))[0] for r in (0.0, 600.0))
    assert 0 < dark < bright
    # By hand: (0.6 (1 - exp(-1.6)) 600 + 12 x 2.5) W/m2 / 2.45e6 J/kg x 60 s x 1000 mL / 2.5 plants
    assert bright == pytest.approx((0.6 * (1 - np.exp(-1.6)) * 600 + 30) / 2.45e6 * 60000 / 2.5)
