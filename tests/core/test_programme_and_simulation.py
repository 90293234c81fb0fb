import itertools
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from reedcore.bedmodel import starting_physics, water_at
from reedcore.crop import Crop, water_use_ml_per_plant_min
from reedcore.decide import BedState, Why
from reedcore.dosing import bed_flow_l_min, drain_share, require_pump_can_feed, seconds_from_dose
from reedcore.errors import Inconsistent, OutOfRange
from reedcore.formulas import FORMULAS, work_out
from reedcore.probe import Fault, Place, Probe, RawCurve, follow, read_raw, response_at, series_raw
from reedcore.programme import BedSetup, Dose, DoseKind, Moment, MomentKind
from reedcore.programme_checks import programme_faults, ranges_of
from reedcore.schools import propose_programme
from reedcore.simulate import Surroundings, simulate
from reedcore.weather import SunDay, Weather, clear_sky_radiation, cloud_factor, house_climate

SETUP = BedSetup(4.5, 180, 0.81, 0.486, 0.92, 35.1, 12, 22, 240)
GOOD = propose_programme(SETUP, 2300).programme


def test_the_proposal_can_be_published_and_names_its_origins():
    proposal = propose_programme(SETUP, 2300)
    assert programme_faults(proposal.programme, SETUP) == []
    numbers = {path for path, _ in ranges_of(proposal.programme)} - {"largest_gap_min"}
    assert numbers <= set(proposal.origin)


BAD = [
    ({"low": 0.79}, "low"),
    ({"high": 0.85}, "high"),
    ({"rescue": 0.75}, "rescue"),
    ({"dose": Dose(DoseKind.ML, 6000.0)}, "dose.value"),
    ({"dose": Dose(DoseKind.ML, 4.0)}, "dose.value"),
    ({"soak_min": 0.0}, "soak_min"),
    ({"tries": 0}, "tries"),
    ({"start": Moment(MomentKind.SUN, 900.0)}, "start.value"),
]


@pytest.mark.parametrize("change,field", BAD, ids=lambda b: str(b))
def test_each_bad_number_is_told_at_its_field(change, field):
    faults = programme_faults(replace(GOOD, **change), SETUP)
    assert field in [f.field for f in faults]
    assert all(f.expectation for f in faults)


def test_every_fault_is_told_at_once():
    faults = programme_faults(replace(GOOD, low=0.9, high=0.7, dose=Dose(DoseKind.ML, 9000.0), tries=0), SETUP)
    assert {"low", "dose.value", "tries"} <= {f.field for f in faults}


def test_a_pump_that_cannot_feed_the_bed_is_told_with_its_figures():
    faults = programme_faults(GOOD, replace(SETUP, pump_flow_l_min=5.0))
    assert any(f.field == "pump_flow_l_min" and "6.3" in f.expectation for f in faults)
    with pytest.raises(Inconsistent, match="others"):
        require_pump_can_feed(6.3, 17.0, 22.0)
    assert require_pump_can_feed(6.3, 6.0, 22.0) == pytest.approx(9.7)


def test_a_pulse_shorter_than_the_line_takes_to_fill_is_refused_with_the_figures():
    with pytest.raises(OutOfRange, match="30 s the line takes"):
        seconds_from_dose(10, 40, 30)
    assert bed_flow_l_min(40.2, 156) == pytest.approx(6.27, abs=0.01)
    assert np.isnan(drain_share(0, 0))


def day(programme=GOOD, kind=Weather.CLEAR, delivered=1.0, start_theta=0.75, hours=24):
    midnight = datetime(2026, 6, 18, tzinfo=UTC)
    sunrise, sunset = midnight + timedelta(hours=4), midnight + timedelta(hours=20)
    minutes = hours * 60
    radiation = clear_sky_radiation(np.arange(minutes) * 60.0, SunDay(4 * 3600, 20 * 3600, 60)) * cloud_factor(
        minutes, kind, np.random.default_rng(1)
    )
    climate = house_climate(radiation, 0.68, 0.0)
    demand = water_use_ml_per_plant_min(Crop(2.9, 2.6), climate.radiation_w_m2, climate.vpd_kpa)
    physics = starting_physics(4.5, 0.81, 0.486, 2.4)
    state = BedState(SETUP, start_theta, midnight, sunrise, sunset, midnight, tank_required=False)
    around = Surroundings(midnight, demand, [(sunrise, sunset), (sunrise, sunset)], midnight)
    return simulate(programme, state, water_at(start_theta, 3.0, physics), physics, around, delivered)


def test_a_clear_day_stays_near_its_band_and_pulses_keep_the_soak():
    result = day()
    assert not result.fault and 8 <= len(result.pulses) <= 40
    inside = result.theta[6 * 60 : 18 * 60]
    assert inside.min() > GOOD.low - 0.03 and inside.max() < 0.81 + 1e-9
    starts = [p.at for p in result.pulses]
    assert min((b - a).total_seconds() for a, b in itertools.pairwise(starts)) >= 60 * GOOD.soak_min
    assert result.dose_ml <= GOOD.daily_cap_ml_per_plant
    first = result.pulses[0].at
    assert first >= result.times[0] + timedelta(hours=6)


def test_a_dull_day_needs_less():
    assert day(kind=Weather.DULL).dose_ml < 0.7 * day().dose_ml


def test_blocked_drippers_end_in_a_fault_not_in_a_flood():
    result = day(delivered=0.15)
    assert result.fault == "missed_target" and len(result.pulses) == GOOD.tries
    assert any(d.reasons[0].why is Why.MISSED_TARGET for _, d in result.changes)


def test_the_water_given_is_the_water_the_bed_got():
    result = day(hours=30)
    assert sum(p.dose_ml for p in result.pulses) == pytest.approx(result.dose_ml)
    assert result.drained_ml < 0.4 * result.dose_ml


def test_simulation_wants_sun_times_for_every_day():
    with pytest.raises(Inconsistent, match="2 days"):
        midnight = datetime(2026, 6, 18, tzinfo=UTC)
        state = BedState(SETUP, 0.7, midnight, midnight, midnight, midnight)
        physics = starting_physics(4.5, 0.81, 0.486, 2.4)
        simulate(
            GOOD,
            state,
            water_at(0.7, 3, physics),
            physics,
            Surroundings(midnight, np.zeros(1500), [(midnight, midnight)], midnight),
        )


def test_probe_lags_behind_the_water_and_its_faults_show():
    rng = np.random.default_rng(5)
    probe = Probe(RawCurve(33000, 11500, 0.05), noise_raw=10)
    assert follow(0.2, 0.8, 150, 150) == pytest.approx(0.8 - 0.6 * np.exp(-1))
    assert read_raw(replace(probe, fault=Fault.DEAD), 0.5, rng) != read_raw(probe, 0.5, rng)
    assert np.isnan(read_raw(replace(probe, fault=Fault.DEAD), 0.5, rng))
    assert read_raw(replace(probe, fault=Fault.STUCK), 0.5, rng, 20123.0) == 20123.0
    assert read_raw(replace(probe, fault=Fault.LOST_CONTACT), 0.8, rng) == pytest.approx(33000, abs=60)
    assert read_raw(replace(probe, fault=Fault.DRIFT, fault_size=900), 0.5, rng) > read_raw(probe, 0.5, rng) + 800
    assert read_raw(replace(probe, fault=Fault.WRONG_SPAN, fault_size=0.3), 0.5, rng) < read_raw(probe, 0.5, rng) - 1000
    step = series_raw(probe, np.concatenate([np.full(5, 0.3), np.full(30, 0.7)]), 60, rng)
    assert step[4] > step[5] > step[7] > step[-1]


def test_air_and_water_stretch_the_span():
    probe = Probe(RawCurve(33000, 11500), contact=0.86)
    settled = {place: response_at(place, probe, 0.75, 0.06, 0.81) for place in Place}
    assert settled[Place.AIR] == 0 and settled[Place.WATER] == 1
    assert settled[Place.BED] == pytest.approx(0.75 * 0.86)
    assert settled[Place.DRY_MIX] < settled[Place.BED] < settled[Place.DRAINED_MIX] < settled[Place.WATER]


@pytest.mark.parametrize("code", sorted(FORMULAS))
def test_every_formula_names_its_arguments_unit_and_source(code):
    f = FORMULAS[code]
    assert f.source and f.unit and "=" in f.expression
    for argument in f.arguments.values():
        assert argument.meaning and argument.unit


def test_a_formula_refuses_missing_and_unknown_inputs():
    with pytest.raises(OutOfRange):
        work_out("ml_per_point", {})
    with pytest.raises(OutOfRange):
        work_out("ml_per_point", {"volume_l_per_plant": 3.0, "colour": 1.0})
    with pytest.raises(OutOfRange, match="air_vpd"):
        work_out("no_such", {})
