"""Least-squares fits of calibration points, compared by how well each point is foretold by the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from .arrays import FloatArray
from .curves import Curve, Form, is_monotonic, value_from_curve
from .errors import Inconsistent, NotDetermined

BETTER_BY = 0.9
"""A curve with more terms must foretell the left-out points this much better (share of the simpler one's error)."""
PREFERRED = (Form.LINEAR, Form.ROOT, Form.QUADRATIC)


@dataclass(frozen=True)
class Fit:
    """A fitted curve. Errors in the unit of y; leave-one-out NaN where one point less would not determine the curve.

    residuals: y minus curve, in the order of the points. dof: degrees of freedom. scale: (X'X)^-1, for the band.
    """

    curve: Curve
    residuals: tuple[float, ...]
    rmse: float
    loo_rmse: float
    residual_sd: float
    dof: int
    scale: tuple[tuple[float, ...], ...]
    monotonic: bool


@dataclass(frozen=True)
class Choice:
    """Every curve that could be fitted, the chosen one first in words."""

    fits: tuple[Fit, ...]
    chosen: Form
    why: str

    @property
    def best(self) -> Fit:
        return next(f for f in self.fits if f.curve.form is self.chosen)


def design_of(form: Form, x: FloatArray) -> FloatArray:
    """Design matrix, shape (n, terms), of the forms that are linear in their coefficients."""
    one = np.ones_like(x)
    columns = {
        Form.LINEAR: [one, x],
        Form.QUADRATIC: [one, x, x**2],
        Form.CUBIC: [one, x, x**2, x**3],
        Form.ROOT: [one, np.sqrt(np.maximum(x, 0))],
    }
    if form not in columns:
        raise Inconsistent("form", form.value, "linear, quadratic, cubic or root")
    return np.column_stack(columns[form])


def fit_points(x: Sequence[float], y: Sequence[float], form: Form) -> Fit:
    """Fit one form by least squares.

    Parameters
    ----------
    x, y : points, same length, at least as many different x as the form has terms.
    form : linear, quadratic, cubic or root.

    Returns
    -------
    Fit with residuals, RMSE (over n), residual sd (over n - terms) and leave-one-out RMSE.

    Raises
    ------
    Inconsistent : lengths differ or a value is not finite. NotDetermined : too few different x.

    References
    ----------
    Ordinary least squares; leave-one-out by the hat matrix, Allen 1974, Technometrics 16 (PRESS).
    """
    xs, ys = np.asarray(x, float), np.asarray(y, float)
    if xs.shape != ys.shape or not np.all(np.isfinite(xs)) or not np.all(np.isfinite(ys)):
        raise Inconsistent("points", len(xs), "pairs of finite numbers")
    middle, width = _frame(xs)
    scaled = (xs - middle) / width if form is not Form.ROOT else xs
    matrix = design_of(form, scaled)
    terms = matrix.shape[1]
    if len(np.unique(xs)) < terms:
        raise NotDetermined(
            "points", len(np.unique(xs)), f"at least {terms} points at different readings for {form.value}"
        )
    solution = np.linalg.lstsq(matrix, ys, rcond=None)[0]
    residuals = ys - matrix @ solution
    inverse = np.linalg.pinv(matrix.T @ matrix)
    leverage = np.einsum("ij,jk,ik->i", matrix, inverse, matrix)
    dof = len(xs) - terms
    left_out = residuals / np.maximum(1 - leverage, 1e-12)
    curve = Curve(form, _unframed(solution, middle, width, form), float(xs.min()), float(xs.max()))
    return Fit(
        curve,
        tuple(residuals.tolist()),
        float(np.sqrt(np.mean(residuals**2))),
        float(np.sqrt(np.mean(left_out**2))) if dof > 0 else float("nan"),
        float(np.sqrt(residuals @ residuals / dof)) if dof > 0 else float("nan"),
        dof,
        tuple(tuple(row) for row in inverse.tolist()),
        is_monotonic(curve),
    )


def _frame(xs: FloatArray) -> tuple[float, float]:
    """Centre and half width: raw counts cubed would lose digits."""
    width = float(np.ptp(xs)) / 2
    return float(xs.min() + width), width or 1.0


def _unframed(solution: FloatArray, middle: float, width: float, form: Form) -> tuple[float, ...]:
    if form is Form.ROOT:
        return tuple(solution.tolist())
    inner = np.polynomial.Polynomial([-middle / width, 1 / width])
    whole = np.polynomial.Polynomial(solution)(inner)
    coefficients = whole.coef.tolist()
    return tuple(coefficients + [0.0] * (len(solution) - len(coefficients)))


def band_95(fit: Fit, x: Sequence[float]) -> tuple[FloatArray, FloatArray]:
    """95 % confidence band of the curve: lower and upper y at x, each of shape (n,). Infinite where nothing is left over
    to judge by (no degree of freedom). Source: Draper and Smith 1998, Applied Regression Analysis, ch. 8."""
    xs = np.asarray(x, float)
    y = np.asarray(value_from_curve(xs, fit.curve))
    if fit.dof < 1:
        return y - np.inf, y + np.inf
    middle, width = (fit.curve.low + fit.curve.high) / 2, (fit.curve.high - fit.curve.low) / 2
    matrix = design_of(fit.curve.form, xs if fit.curve.form is Form.ROOT else (xs - middle) / width)
    spread = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", matrix, np.array(fit.scale), matrix), 0))
    half = float(stdtrit(fit.dof, 0.975)) * fit.residual_sd * spread
    return y - half, y + half


def compare_fits(x: Sequence[float], y: Sequence[float], forms: Sequence[Form] = PREFERRED) -> Choice:
    """Fit several forms and choose: the simplest that foretells left-out points best and does not turn back.

    Raises NotDetermined where no form only rises or only falls, or too few points. Same units as fit_points.
    """
    fits = []
    for form in forms:
        try:
            fits.append(fit_points(x, y, form))
        except NotDetermined:
            continue
    if not fits:
        raise NotDetermined("points", len(set(x)), "at least two points at different readings")
    sound = [f for f in fits if f.monotonic]
    if not sound:
        raise NotDetermined(
            "points",
            len(x),
            "points whose curve only rises or only falls; one of them was taken in another state, capture it again",
        )
    judged = [f for f in sound if np.isfinite(f.loo_rmse)]
    if not judged:
        return Choice(tuple(fits), sound[0].curve.form, "two points give a straight line; a third would show its error")
    chosen = judged[0]
    for fit in judged[1:]:
        if fit.loo_rmse < BETTER_BY * chosen.loo_rmse:
            chosen = fit
    others = [f for f in judged if f is not chosen]
    why = f"{chosen.curve.form.value} foretells a left-out point to {100 * chosen.loo_rmse:.2g}"
    if others:
        why += "; " + ", ".join(f"{f.curve.form.value} to {100 * f.loo_rmse:.2g}" for f in others)
    turned = [f.curve.form.value for f in fits if not f.monotonic]
    why += f"; {' and '.join(turned)} turns back and is refused" if turned else ""
    return Choice(tuple(fits), chosen.curve.form, why)
