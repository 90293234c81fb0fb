"""Curves and fits: forms, inverse, what is refused, and fits against an independent computation."""

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from reedcore import curves, fits
from reedcore.curves import Curve, Form
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange

SHAPES = [
    (Form.LINEAR, (1.5, -5e-5), 20000.0, 0.5),
    (Form.QUADRATIC, (1.0, -2e-5, -1e-10), 20000.0, 0.56),
    (Form.CUBIC, (-0.053, 0.0292, -5.5e-4, 4.3e-6), 20.0, 0.3454),
    (Form.ROOT, (-0.1758, 0.1138), 40.0, 0.54393),
    (Form.POWER10, (2.0, -0.01), 100.0, 10.0),
    (Form.LOGLOG, (0.5, 1.5), 4.0, 25.298),
    (Form.TABLE, (0.0, 10.0, 5.0, 20.0, 10.0, 60.0), 7.5, 40.0),
]


@pytest.mark.parametrize(("form", "coefficients", "x", "y"), SHAPES, ids=[s[0].value for s in SHAPES])
def test_a_form_gives_its_value_and_takes_nan(form, coefficients, x, y):
    curve = Curve(form, coefficients, 0.0, 30000.0)
    assert curves.value_from_curve(x, curve) == pytest.approx(y, rel=1e-3)
    series = curves.value_from_curve(np.array([x, np.nan]), curve)
    assert series[0] == pytest.approx(y, rel=1e-3) and np.isnan(series[1])
    assert isinstance(curves.value_from_curve(x, curve), float)


def test_what_a_curve_cannot_take_is_nan_and_not_an_error():
    root, log = Curve(Form.ROOT, (0, 1), 1, 9), Curve(Form.LOGLOG, (0, 1), 1, 9)
    assert np.isnan(curves.value_from_curve(-4.0, root)) and np.isnan(curves.value_from_curve(0.0, log))


@pytest.mark.parametrize(
    ("form", "coefficients"), [(Form.LINEAR, (1.0,)), (Form.ROOT, (1.0, 2.0, 3.0)), (Form.TABLE, (2.0, 1.0, 1.0, 2.0))]
)
def test_a_curve_with_wrong_coefficients_is_refused(form, coefficients):
    with pytest.raises(Inconsistent) as caught:
        Curve(form, coefficients, 0, 1)
    assert caught.value.field == "coefficients"


def test_points_at_one_place_make_no_curve():
    for make in (
        lambda: Curve(Form.LINEAR, (0, 1), 5, 5),
        lambda: curves.line_through(5, 0, 5, 1),
        lambda: curves.table_through([(5, 0), (5, 1)]),
    ):
        with pytest.raises(NotDetermined):
            make()
    with pytest.raises(NotDetermined, match="rise or only fall"):
        curves.table_through([(0, 0), (1, 5), (2, 3)])


def test_extrapolation_is_told_with_a_margin_for_scatter():
    curve = Curve(Form.LINEAR, (0, 1), 0, 100)
    flags = curves.extrapolated(np.array([-10.0, -1.0, 50.0, 101.0, 110.0, np.nan]), curve)
    assert flags[:5].tolist() == [1, 0, 0, 0, 1] and np.isnan(flags[5])


@given(st.floats(-5, 5), st.floats(0.01, 3), st.sampled_from([-1, 1]), st.floats(0, 1))
def test_a_monotonic_curve_goes_there_and_back(a, b, sign, share):
    curve = Curve(Form.QUADRATIC, (a, sign * b, sign * b * 0.02), 1.0, 20.0)
    assume(curves.is_monotonic(curve))
    x = 1 + share * 19
    assert curves.x_from_value(float(curves.value_from_curve(x, curve)), curve) == pytest.approx(x, abs=1e-6)


def test_a_curve_that_turns_back_has_no_inverse():
    curve = Curve(Form.QUADRATIC, (0, 4, -1), 0, 10)
    assert not curves.is_monotonic(curve)
    with pytest.raises(NotDetermined):
        curves.x_from_value(3, curve)
    with pytest.raises(OutOfRange) as caught:
        curves.x_from_value(500, Curve(Form.LINEAR, (0, 1), 0, 100))
    assert caught.value.field == "value"


@given(st.floats(-2, 2), st.floats(0.1, 2), st.floats(2, 50))
def test_the_slope_is_the_derivative(a, b, x):
    assert curves.slope_of_curve(x, Curve(Form.QUADRATIC, (a, 1, b), 1, 60)) == pytest.approx(1 + 2 * b * x, rel=1e-5)


X = [8000, 11000, 15000, 19000, 24000, 30000]
Y = [0.82, 0.71, 0.55, 0.41, 0.24, 0.06]


@pytest.mark.parametrize(("form", "degree"), [(Form.LINEAR, 1), (Form.QUADRATIC, 2), (Form.CUBIC, 3)])
def test_fits_agree_with_an_independent_least_squares(form, degree):
    fit = fits.fit_points(X, Y, form)
    expected = np.polynomial.Polynomial.fit(X, Y, degree).convert().coef
    assert fit.curve.coefficients == pytest.approx(expected, rel=1e-6)
    assert fit.rmse == pytest.approx(
        np.sqrt(np.mean((np.polynomial.Polynomial(expected)(np.array(X)) - Y) ** 2)), rel=1e-6
    )


def test_leave_one_out_is_what_leaving_out_gives():
    fit = fits.fit_points(X, Y, Form.QUADRATIC)
    missed = []
    for i in range(len(X)):
        xs, ys = np.delete(X, i), np.delete(Y, i)
        missed.append(np.polynomial.Polynomial.fit(xs, ys, 2)(X[i]) - Y[i])
    assert fit.loo_rmse == pytest.approx(np.sqrt(np.mean(np.square(missed))), rel=1e-6)


def test_the_band_covers_the_line_it_was_drawn_from_about_19_times_in_20():
    rng, inside = np.random.default_rng(4), 0
    x = np.linspace(0, 10, 9)
    for _ in range(400):
        fit = fits.fit_points(x.tolist(), (2 + 3 * x + rng.normal(0, 1, 9)).tolist(), Form.LINEAR)
        low, high = fits.band_95(fit, [5.0])
        inside += low[0] <= 17 <= high[0]
    assert 0.92 <= inside / 400 <= 0.98


def test_without_a_point_left_over_the_band_is_open():
    low, high = fits.band_95(fits.fit_points([0, 1], [0, 1], Form.LINEAR), [0.5])
    assert np.isinf(low[0]) and np.isinf(high[0])


def test_the_simplest_curve_that_foretells_as_well_is_chosen():
    rng = np.random.default_rng(2)
    x = np.linspace(8000, 30000, 7)
    straight = fits.compare_fits(x.tolist(), (1.1 - x / 30000 + rng.normal(0, 0.002, 7)).tolist())
    assert straight.chosen in (Form.LINEAR, Form.ROOT) and "foretells" in straight.why
    bent = fits.compare_fits(x.tolist(), (1.1 - 2e-5 * x - 5e-10 * x**2).tolist())
    assert bent.chosen is Form.QUADRATIC and bent.best.curve.form is Form.QUADRATIC


def test_points_that_turn_back_are_refused_and_two_points_give_a_line():
    with pytest.raises(NotDetermined) as caught:
        fits.compare_fits([1, 2, 3, 4, 5], [0, 5, 8, 5, 0], [Form.QUADRATIC])
    assert caught.value.field == "points" and "capture it again" in caught.value.expectation
    assert fits.compare_fits([1, 2], [0, 1]).chosen is Form.LINEAR
    with pytest.raises(NotDetermined):
        fits.compare_fits([1, 1, 1], [0, 1, 2])
    with pytest.raises(Inconsistent):
        fits.fit_points([1, 2, float("nan")], [1, 2, 3], Form.LINEAR)


@given(st.lists(st.floats(0, 1), min_size=4, max_size=9, unique=True), st.floats(0.01, 3), st.floats(-1, 1))
def test_a_fit_through_exact_points_misses_none(xs, slope, start):
    assume(max(xs) - min(xs) > 0.1 and len({round(x, 3) for x in xs}) == len(xs))
    fit = fits.fit_points(xs, [start + slope * x for x in xs], Form.LINEAR)
    assert fit.rmse < 1e-9 and fit.monotonic
