"""Replay, drain feedback, forecast scores and practice drills."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.bedmodel import run_bed, starting_physics, water_at
from reedcore.drills import RIGHT, TELLING, Cause, Look, Remedy, cause_of, drill_codes, make_drill, score_drill
from reedcore.errors import NotDetermined, OutOfRange, ReedError
from reedcore.replay import corrected_factor, fit_day, forecast_score, probe_lag


def test_a_recorded_day_is_fitted_back_to_what_made_it():
    physics = starting_physics(4.5, 0.81, 0.486, 2.4)
    hour = np.arange(1440) / 60
    demand = 0.1 + 2.2 * np.clip(np.sin(np.pi * (hour - 4) / 16), 0, None)
    dose = np.zeros(1440)
    dose[400:1100:50] = 130.0
    truth = run_bed(water_at(0.74, 3.0, physics), physics, dose * 0.7, 2.4, demand * 1.25)
    seen = probe_lag(truth.theta, 150.0) + np.random.default_rng(3).normal(0, 0.001, 1440)
    seen[200:260] = np.nan
    fit = fit_day(seen, dose, demand, physics, 3.0, 2.4)
    assert fit.use_factor == pytest.approx(1.25, abs=0.08) and fit.delivered_share == pytest.approx(0.7, abs=0.06)
    assert fit.rmse_points < 0.3 and fit.minutes == 1380
    with pytest.raises(NotDetermined):
        fit_day(np.where(hour < 12, np.nan, seen), dose, demand, physics, 3.0, 2.4)
    with pytest.raises(ReedError):
        fit_day(seen[:-1], dose, demand, physics, 3.0, 2.4)


@pytest.mark.parametrize(
    ("wanted", "measured", "gap", "after"),
    [(0.2, 0.1, False, 1.05), (0.2, 0.9, False, 0.85), (0.2, 0.1, True, 1 / 1.05), (0.2, 0.2, False, 1.0)],
)
def test_drain_feedback_is_bounded_a_day(wanted, measured, gap, after):
    assert corrected_factor(1.0, wanted, measured, 0.5, 0.15, gap).after == pytest.approx(after)


@given(st.lists(st.floats(0, 1), max_size=60), st.booleans())
def test_drain_feedback_never_runs_away(shares, gap):
    factor = 1.0
    for share in shares:
        factor = corrected_factor(factor, 0.2, share, 2.0, 0.5, gap).after
        assert 0.5 <= factor <= 1.6


def test_forecast_scores():
    assert forecast_score(1000, 1000, 10, 10) == 1 and forecast_score(0, 0, 0, 0) == 1
    assert forecast_score(1000, 500, 10, 5) == 0.5 and forecast_score(100, 0, 1, 0) == 0
    with pytest.raises(OutOfRange):
        forecast_score(-1, 0, 0, 0)


@pytest.mark.parametrize("seed", [1, 2])
def test_drills_hide_each_fault_once_and_tell_it_to_who_looks(seed):
    codes = drill_codes()
    assert {cause_of(c, seed) for c in codes} == set(Cause)
    for code in codes:
        case = make_drill(code, seed)
        assert make_drill(code, seed) == case
        best = score_drill(case, case.cause, RIGHT[case.cause], list(TELLING[case.cause]))
        assert best.points == 100
        guess = score_drill(case, case.cause, RIGHT[case.cause], [])
        assert guess.cause == 25 and guess.points < best.points
        flood = score_drill(case, case.cause, Remedy.MORE_WATER, list(TELLING[case.cause]))
        assert flood.remedy == 0 and any("flooded" in w for w in flood.words)
        everything = score_drill(case, case.cause, RIGHT[case.cause], list(Look))
        assert everything.looks < best.looks


def test_what_a_look_shows_comes_from_the_fault():
    cases = {make_drill(c, 5).cause: make_drill(c, 5) for c in drill_codes()}
    assert "0.0 L/min" in cases[Cause.DEAD_PUMP].evidence[Look.FLOW]
    assert "6.3 L/min flowed" in cases[Cause.SALT].evidence[Look.FLOW]
    assert abs(cases[Cause.DRY_CORNER].true[-1] - cases[Cause.DRY_CORNER].seen[-1]) > 0.1
    assert abs(cases[Cause.BLOCKED].true[-1] - cases[Cause.BLOCKED].seen[-1]) < 0.02
    with pytest.raises(OutOfRange):
        cause_of("drill-99", 1)
