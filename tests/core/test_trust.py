"""Flags, gain, sense, trials and the rule of several probes: each sees what it should, and keeps quiet about the rest."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.bedwater import ProbeWater, Rule, combine, mixed_series
from reedcore.compare import compare_series, correction_curve, hours_apart, on_grid, verdict_of
from reedcore.curves import Curve, Form, value_from_curve
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange
from reedcore.flags import Flag, FlagRules, flag_series, spans_of, usable
from reedcore.gain import Cause, Evidence, GivenPulse, expected_rise, gain_of, rank_causes
from reedcore.sense import Record, Sign, Trust, judge_record, resolution_points

RULES = FlagRules(0, 65535, 0.5, 65534.5, 2500, 400, 3600, 900, 3600, 27000, 300)
N = 600


def series(seed=1, n=N):
    rng = np.random.default_rng(seed)
    return np.arange(n) * 60.0, 20000 + 800 * np.sin(np.arange(n) / 90) + rng.normal(0, 15, n)


def flagged(t, x, received=None):
    return {f.value: spans_of(t, m) for f, m in flag_series(t, x, RULES, received).items() if m.any()}


def test_a_sound_series_has_no_flag():
    assert flagged(*series()) == {}


def test_each_trouble_gets_its_own_flag():
    t, x = series()
    x[50] = 65535.0
    x[80] += 3000
    x[150:250] = x[150]
    x[300:340] = 27000 + np.random.default_rng(2).normal(0, 8, 40)
    x[400:] += 4000
    got = flagged(t, x)
    assert got["rail"] == [(3000.0, 3000.0, 1)]
    assert [s[0] / 60 for s in got["spike"]] == [50, 80]
    assert got["flat"][0][1] == 249 * 60 and got["flat"][0][2] == 39
    assert got["lost_contact"] == [(18000.0, 339 * 60.0, 40)]
    assert got["step"] == [(24000.0, 24000.0, 1)]


def test_gaps_duplicates_clock_jumps_and_late_ones():
    t, x = series(n=100)
    t[40:] += 3600
    t[70] = t[69]
    t[80:83] -= 7200
    received = t + 5
    received[90] += 7200
    got = flagged(t, x, received)
    assert len(got["gap"]) == 2 and got["duplicate"][0][0] == t[69]
    assert got["clock_jump"][0][2] == 3 and got["late"] == [(t[90], t[90], 1)]


def test_drying_out_to_the_air_value_is_no_lost_contact():
    t = np.arange(N) * 60.0
    assert "lost_contact" not in flagged(t, np.linspace(20000, 27000, N))


def test_rules_that_are_nan_are_off_and_nan_is_never_flagged():
    t, x = series(n=50)
    x[10:20] = np.nan
    nan = float("nan")
    off = flag_series(t, x, FlagRules(nan, nan, nan, nan, nan, nan, nan, nan, nan, nan, nan))
    assert not any(m.any() for m in off.values())
    assert not any(m[10:20].any() for m in flag_series(t, x, RULES).values())
    with pytest.raises(Inconsistent):
        flag_series(t, x[:-1], RULES)
    assert all(len(m) == 0 for m in flag_series(np.zeros(0), np.zeros(0), RULES).values())


@given(st.lists(st.floats(-1e6, 1e6) | st.just(float("nan")), max_size=40))
def test_flags_never_crash_and_keep_the_shape(values):
    x = np.array(values, float)
    flags = flag_series(np.arange(len(x)) * 60.0, x, RULES)
    assert all(m.shape == x.shape for m in flags.values()) and usable(flags).shape == x.shape


def test_gaps_and_late_ones_may_still_water():
    t, x = series(n=60)
    t[30:] += 3600
    assert usable(flag_series(t, x, RULES)).all()


def pulsed(gain=1.0, volume=4.0, drained=0.0, seed=1):
    """θ of a day of pulses of 120 mL, each raising it by its water times `gain`."""
    rng = np.random.default_rng(seed)
    t, theta = np.arange(1440) * 60.0, np.full(1440, 0.7)
    ends = [60.0 * m for m in range(480, 1080, 60)]
    for end in ends:
        since = np.clip((t - end) / 600, 0, 1)
        theta += gain * (0.12 - drained / 1000) / volume * since * np.exp(-np.maximum(0, t - end) / 90000)
    return t, theta + rng.normal(0, 0.0006, 1440), tuple(GivenPulse(e, 120.0, drained) for e in ends), volume


@pytest.mark.parametrize("gain", [0.3, 1.0, 2.2])
def test_the_gain_of_pulses_is_seen_with_its_interval(gain):
    t, theta, pulses, volume = pulsed(gain)
    found = gain_of(t, theta, pulses, volume)
    assert found.median == pytest.approx(gain, rel=0.2) and found.low <= found.median <= found.high and found.n == 10
    assert found.doubtful is (gain != 1.0)


def test_what_drained_is_not_expected_to_stay():
    assert expected_rise(GivenPulse(0, 120, 40), 4) == pytest.approx(0.02)
    t, theta, pulses, volume = pulsed(1.0, drained=40.0)
    assert gain_of(t, theta, pulses, volume).median == pytest.approx(1.0, rel=0.2)


def test_without_readings_there_is_no_gain():
    t, theta, pulses, volume = pulsed()
    assert gain_of(t, np.full_like(theta, np.nan), pulses, volume).n == 0
    assert not gain_of(t[:500], theta[:500], pulses[:1], volume).doubtful
    with pytest.raises(OutOfRange):
        gain_of(t, theta, pulses, 0.0)


CAUSES = [
    (0.3, Evidence(provisional=True), Cause.SPAN),
    (0.3, Evidence(dripper_low_quarter=60, other_gain=1.0), Cause.DRIPPER),
    (0.3, Evidence(flow_share=0.5, other_gain=0.35), Cause.FLOW),
    (0.3, Evidence(flow_share=1.4, other_gain=0.35), Cause.LEAK),
    (0.3, Evidence(drain_share=0.7, other_gain=1.0, dripper_low_quarter=96), Cause.PLACEMENT),
    (0.3, Evidence(capacity_off=0.12, dripper_low_quarter=95), Cause.SPAN),
    (2.4, Evidence(other_gain=1.0), Cause.PLACEMENT),
]


@pytest.mark.parametrize(("gain", "evidence", "first"), CAUSES, ids=range(len(CAUSES)))
def test_evidence_ranks_the_causes(gain, evidence, first):
    ranked = rank_causes(gain, evidence)
    assert ranked[0].cause is first and ranked[0].because and ranked[0].test
    assert sum(r.weight for r in ranked) == pytest.approx(1) and {r.cause for r in ranked} == set(Cause)


@given(
    st.floats(-0.5, 5), st.none() | st.floats(0, 3), st.none() | st.floats(0, 2), st.none() | st.floats(0, 100),
    st.none() | st.floats(0, 1), st.booleans(),
)  # fmt: skip
def test_any_evidence_gives_weights_that_add_up(gain, other, flow, low_quarter, drain, provisional):
    evidence = Evidence(other, flow, low_quarter, 10, drain, None, provisional)
    assert sum(r.weight for r in rank_causes(gain, evidence)) == pytest.approx(1)


LINE = Curve(Form.LINEAR, (1.5, -5e-5), 12000, 30000)


def record(theta, pulses=(), volume=None, **more):
    t = np.arange(len(theta)) * 60.0
    rng = np.random.default_rng(3)
    raw = (1.5 - theta) / 5e-5 + rng.normal(0, 12, len(theta))
    return Record(t, raw, t[-1], LINE, 12.0, 0.95, volume, pulses, **more)


def signs(r):
    return {f.sign for f in judge_record(r, RULES).findings}


def test_a_sound_day_is_trusted():
    _, theta, pulses, volume = pulsed()
    judged = judge_record(record(theta, pulses, volume), RULES)
    assert judged.trust is Trust.TRUSTED and judged.gain.n == 10 and "nothing in its record" in judged.words


def test_a_wrong_span_shows_in_what_pulses_do():
    _, theta, pulses, volume = pulsed(0.25)
    judged = judge_record(record(theta, pulses, volume), RULES)
    assert judged.trust is Trust.DOUBTFUL and Sign.GAIN in {f.sign for f in judged.findings} and "0.2" in judged.words


def test_impossible_water_is_not_to_be_used():
    for theta, sign in ((np.full(1440, -0.05), Sign.BELOW_ZERO), (np.full(1440, 1.05), Sign.ABOVE_PORE_SPACE)):
        judged = judge_record(record(theta), RULES)
        assert sign in {f.sign for f in judged.findings} and judged.trust is Trust.NOT_TO_BE_USED


def test_a_level_that_never_moves_while_water_is_given():
    _, _, pulses, volume = pulsed()
    assert Sign.NEVER_MOVES in signs(record(np.full(1440, 0.7), pulses, volume))


def test_two_probes_that_drift_apart():
    _, theta, _, _ = pulsed()
    assert Sign.DRIFT_APART in signs(record(theta + np.linspace(0, 0.08, 1440), other=theta))
    assert Sign.DRIFT_APART not in signs(record(theta + 0.08, other=theta))


def test_silence_is_a_finding_and_words_say_how_long():
    _, theta, _, _ = pulsed()
    silent = record(theta)
    later = Record(**{**vars(silent), "now_s": silent.time_s[-1] + 7200})
    judged = judge_record(later, RULES)
    assert judged.findings[0].sign is Sign.NO_DATA and "120 min" in judged.words


def test_conductivity_that_breathes_with_temperature():
    t = np.arange(1440) * 60.0
    temp = 20 + 5 * np.sin(t / 13750)
    rng = np.random.default_rng(1)
    ec = 2.0 * (1 + 0.02 * (temp - 20)) + rng.normal(0, 0.004, 1440)
    straight = Curve(Form.LINEAR, (0.0, 1.0), 0, 20)
    rules = FlagRules(0, 20)
    found = judge_record(Record(t, ec, t[-1], straight, 0.01, is_water=False, temp_c=temp), rules)
    assert found.findings[0].sign is Sign.TEMPERATURE_SWING
    steady = judge_record(
        Record(t, 2 + rng.normal(0, 0.004, 1440), t[-1], straight, 0.01, is_water=False, temp_c=temp), rules
    )
    assert steady.trust is Trust.TRUSTED


def test_resolution_is_twice_the_noise_through_the_slope():
    assert resolution_points(20, LINE, 20000) == pytest.approx(0.2)


def test_a_grid_takes_means_and_leaves_holes():
    grid = on_grid(np.array([0, 30, 90, 400.0]), np.array([1, 3, 5, np.nan]), 0, 60, 7)
    assert grid[:2].tolist() == [2, 5] and np.isnan(grid[2:]).all()


def day(bias=0.0, sun=0.0, slope=1.0, noise=0.05, n=1440):
    hour = np.arange(n) * 24 / n
    truth = 20 + 5 * np.sin((hour - 8) / 24 * 2 * np.pi)
    rng = np.random.default_rng(7)
    morning = sun * ((hour > 7) & (hour < 11))
    return 20 + slope * (truth - 20) + bias + morning + rng.normal(0, noise, n), truth + rng.normal(0, noise, n), hour


SUN = tuple(float(v) for v in 50 * np.sin((np.arange(24) + 0.5 - 5) / 16 * np.pi))


@pytest.mark.parametrize(
    ("made", "says"),
    [
        ({}, "They agree"),
        ({"bias": 1.2}, "An offset correction suits"),
        ({"slope": 1.3}, "A slope correction suits"),
        ({"noise": 1.5}, "No offset mends that"),
        (
            {"sun": 2.0},
            "between 07:00 and 11:00 against the rest of the day: the shield of the first stands in the sun",
        ),
    ],
)
def test_the_verdict_names_what_is_different(made, says):
    c = compare_series(*day(**made), 0.5)
    assert says in verdict_of(c, "°C", SUN, air=True)


def test_figures_of_a_comparison_against_their_definitions():
    a, b, hour = day(bias=0.4)
    a[:200], b[100:300] = np.nan, np.nan
    c = compare_series(a, b, hour, 0.5)
    d = (a - b)[np.isfinite(a - b)]
    assert (c.n, c.a_alone, c.b_alone) == (len(d), 100, 100)
    assert (c.bias, c.sd, c.rmse) == pytest.approx((d.mean(), d.std(ddof=1), np.sqrt((d**2).mean())))
    assert c.limits == pytest.approx((d.mean() - 1.96 * d.std(ddof=1), d.mean() + 1.96 * d.std(ddof=1)))
    assert sum(c.shares) == pytest.approx(1) and c.a_all == pytest.approx(np.nanmean(a)) and c.by_hour_n[12] == 60


def test_a_night_apart_is_not_blamed_on_the_sun():
    a, b, hour = day()
    a = a + 2.0 * ((hour >= 22) | (hour < 3))
    c = compare_series(a, b, hour, 0.5)
    assert (hours_apart(c).first, hours_apart(c).after) == (22, 3)
    assert "without sun" in verdict_of(c, "°C", SUN, air=True) and "shield" not in verdict_of(c, "°C", SUN, air=False)


def test_corrections_bring_the_first_to_the_second():
    a, b, _ = day(bias=1.2, slope=1.2)
    offset, left = correction_curve(a, b, with_slope=False)
    both, less = correction_curve(a, b, with_slope=True)
    assert less < left and np.sqrt(np.mean((value_from_curve(a, both) - b) ** 2)) == pytest.approx(less)
    assert np.mean(value_from_curve(a, offset) - b) == pytest.approx(0, abs=1e-9)


def test_a_trial_without_overlap_is_refused():
    a, b, hour = day()
    with pytest.raises(NotDetermined) as caught:
        compare_series(np.where(hour < 12, a, np.nan), np.where(hour >= 12, b, np.nan), hour, 0.5)
    assert caught.value.field == "period"
    for bad in (lambda: compare_series(a, b[:-1], hour, 0.5), lambda: compare_series(a, b, hour, 0)):
        with pytest.raises(Inconsistent):
            bad()
    with pytest.raises(NotDetermined):
        correction_curve(np.full(50, np.nan), b[:50], False)


PROBES = [
    ProbeWater("A", 0.60, dripper_cm=3),
    ProbeWater("B", 0.55, dripper_cm=8),
    ProbeWater("C", 0.50, dripper_cm=12),
    ProbeWater("D", 0.20, Trust.NOT_TO_BE_USED),
    ProbeWater("E", float("nan")),
]


@pytest.mark.parametrize(
    ("rule", "theta"), [(Rule.MEDIAN, 0.55), (Rule.DRIEST, 0.50), (Rule.MEAN, 0.55), (Rule.NOT_NEAREST, 0.525)]
)
def test_several_probes_make_one_figure_by_the_rule(rule, theta):
    mixed = combine(PROBES, rule)
    assert mixed.theta == pytest.approx(theta) and {"D", "E"} <= set(mixed.left_out)
    assert mixed.spread == pytest.approx(0.05 if rule is Rule.NOT_NEAREST else 0.10)


def test_doubtful_probes_count_only_where_no_sound_one_is():
    doubtful = ProbeWater("X", 0.3, Trust.DOUBTFUL)
    assert combine([doubtful, PROBES[0]], Rule.MEAN).used == ("A",)
    assert combine([doubtful, PROBES[3]], Rule.MEAN).used == ("X",)
    nothing = combine([PROBES[3], PROBES[4]], Rule.MEAN)
    assert np.isnan(nothing.theta) and nothing.used == ()
    assert combine([ProbeWater("P", 0.3, provisional=True), PROBES[1]], Rule.DRIEST).theta == 0.55


@given(st.lists(st.floats(0, 1), min_size=1, max_size=6), st.sampled_from(list(Rule)))
def test_the_figure_lies_between_its_probes(values, rule):
    mixed = combine([ProbeWater(str(i), v, dripper_cm=i) for i, v in enumerate(values)], rule)
    assert min(values) - 1e-12 <= mixed.theta <= max(values) + 1e-12


def test_series_of_several_probes_are_mixed_step_by_step():
    a, b = np.array([0.5, np.nan, 0.7]), np.array([0.6, np.nan, np.nan])
    assert mixed_series([a, b], Rule.DRIEST, 3)[[0, 2]].tolist() == [0.5, 0.7]
    assert np.isnan(mixed_series([a, b], Rule.MEAN, 3)[1]) and np.isnan(mixed_series([], Rule.MEAN, 3)).all()


def test_flags_are_all_in_words():
    from reedcore.flags import FLAG_WORDS

    assert set(FLAG_WORDS) == set(Flag)
