"""The curve of a calibration: from what a sensor gives to what it means, one small family for every kind of sensor."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray, Series, like_input
from .errors import Inconsistent, NotDetermined, OutOfRange

ENDS_SHARE = 0.02
"""A value this share of the captured range outside it still counts as inside: captures scatter."""


class Form(StrEnum):
    """Shapes of curves; x is what the sensor gives, y what it means."""

    LINEAR = "linear"
    QUADRATIC = "quadratic"
    CUBIC = "cubic"
    ROOT = "root"
    POWER10 = "power10"
    LOGLOG = "loglog"
    TABLE = "table"


EXPRESSIONS = {
    Form.LINEAR: "y = a + b x",
    Form.QUADRATIC: "y = a + b x + c x²",
    Form.CUBIC: "y = a + b x + c x² + d x³",
    Form.ROOT: "y = a + b √x",
    Form.POWER10: "y = 10^(a + b x)",
    Form.LOGLOG: "y = 10^(a + b log10 x)",
    Form.TABLE: "straight lines between the points",
}
COUNTS = {Form.LINEAR: 2, Form.QUADRATIC: 3, Form.CUBIC: 4, Form.ROOT: 2, Form.POWER10: 2, Form.LOGLOG: 2}


@dataclass(frozen=True)
class Curve:
    """y of x. coefficients in the order of the expression; a table's are x1, y1, x2, y2, ... with x ascending.

    low, high: x between which the curve was captured; outside it extrapolates.
    """

    form: Form
    coefficients: tuple[float, ...]
    low: float
    high: float

    def __post_init__(self) -> None:
        if self.form is Form.TABLE:
            x = self.coefficients[::2]
            if (
                len(self.coefficients) < 4
                or len(self.coefficients) % 2
                or any(b <= a for a, b in itertools.pairwise(x))
            ):
                raise Inconsistent("coefficients", len(self.coefficients), "at least two pairs, x ascending")
        elif len(self.coefficients) != COUNTS[self.form]:
            raise Inconsistent(
                "coefficients", len(self.coefficients), f"{COUNTS[self.form]} coefficients for {self.form.value}"
            )
        if not self.low < self.high:
            raise NotDetermined("high", self.high, f"an end above {self.low:g}: the points lie at one place")


def value_from_curve(x: Series, curve: Curve) -> Series:
    """What x means: y in the curve's own unit, same shape. NaN in, NaN out; no clamping, extrapolation is told apart
    by `extrapolated`. x a curve cannot take (below 0 under a root, not above 0 under a logarithm) gives NaN."""
    c = curve.coefficients
    if curve.form is Form.LINEAR and isinstance(x, float):
        return c[0] + c[1] * x  # a control tick asks this of every probe
    v = np.asarray(x, dtype=float)
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        if curve.form is Form.TABLE:
            y = _along_table(v, np.array(c[::2]), np.array(c[1::2]))
        elif curve.form is Form.ROOT:
            y = c[0] + c[1] * np.sqrt(np.where(v >= 0, v, np.nan))
        elif curve.form is Form.POWER10:
            y = 10 ** (c[0] + c[1] * v)
        elif curve.form is Form.LOGLOG:
            y = 10 ** (c[0] + c[1] * np.log10(np.where(v > 0, v, np.nan)))
        else:
            y = np.polynomial.polynomial.polyval(v, np.array(c))
    return like_input(np.where(np.isfinite(y), y, np.nan), x)


def _along_table(v: FloatArray, xs: FloatArray, ys: FloatArray) -> FloatArray:
    y = np.interp(v, xs, ys)
    first, last = (ys[1] - ys[0]) / (xs[1] - xs[0]), (ys[-1] - ys[-2]) / (xs[-1] - xs[-2])
    y = np.where(v < xs[0], ys[0] + first * (v - xs[0]), y)
    y = np.where(v > xs[-1], ys[-1] + last * (v - xs[-1]), y)
    return np.where(np.isnan(v), np.nan, y)


def slope_of_curve(x: Series, curve: Curve) -> Series:
    """dy/dx at x, by central difference over a millionth of the captured range; exact to rounding for the smooth forms."""
    step = 1e-6 * (curve.high - curve.low)
    v = np.asarray(x, dtype=float)
    upper, lower = np.asarray(value_from_curve(v + step, curve)), np.asarray(value_from_curve(v - step, curve))
    return like_input((upper - lower) / (2 * step), x)


def extrapolated(x: Series, curve: Curve) -> Series:
    """1 where x lies outside the captured range by more than 2 % of it, 0 inside, NaN where x is NaN."""
    margin = ENDS_SHARE * (curve.high - curve.low)
    v = np.asarray(x, dtype=float)
    outside = ((v < curve.low - margin) | (v > curve.high + margin)).astype(float)
    return like_input(np.where(np.isnan(v), np.nan, outside), x)


def is_monotonic(curve: Curve, points: int = 257) -> bool:
    """Whether y only rises or only falls over the captured range."""
    y = np.asarray(value_from_curve(np.linspace(curve.low, curve.high, points), curve))
    steps = np.diff(y)
    return bool(np.all(np.isfinite(y)) and (np.all(steps > 0) or np.all(steps < 0)))


def x_from_value(y: float, curve: Curve) -> float:
    """The x that gives y, within the captured range and its margin. Raises OutOfRange outside, NotDetermined where the
    curve turns back. Bisection to a billionth of the range."""
    if not is_monotonic(curve):
        raise NotDetermined("curve", curve.form.value, "a curve that only rises or only falls over its range")
    margin = ENDS_SHARE * (curve.high - curve.low)
    low, high = curve.low - margin, curve.high + margin
    at_low, at_high = float(value_from_curve(low, curve)), float(value_from_curve(high, curve))
    if not min(at_low, at_high) <= y <= max(at_low, at_high):
        raise OutOfRange("value", y, f"{min(at_low, at_high):.4g} to {max(at_low, at_high):.4g}, what the curve covers")
    rising = at_high > at_low
    for _ in range(60):
        middle = (low + high) / 2
        if (float(value_from_curve(middle, curve)) < y) == rising:
            low = middle
        else:
            high = middle
    return (low + high) / 2


def line_through(x1: float, y1: float, x2: float, y2: float) -> Curve:
    """The straight line through two points. Raises NotDetermined for x1 = x2."""
    if x1 == x2:
        raise NotDetermined("x", x2, f"a reading that differs from the first point's {x1:g}")
    slope = (y2 - y1) / (x2 - x1)
    return Curve(Form.LINEAR, (y1 - slope * x1, slope), min(x1, x2), max(x1, x2))


def scaled_only(factor: float, low: float, high: float) -> Curve:
    """y = factor x. Raises NotDetermined for a factor of 0 or one that is not finite."""
    if not np.isfinite(factor) or factor == 0:
        raise NotDetermined("factor", factor, "a factor that is not 0")
    return Curve(Form.LINEAR, (0.0, factor), low, high)


def shifted_only(offset: float, low: float, high: float) -> Curve:
    """y = x + offset."""
    return Curve(Form.LINEAR, (offset, 1.0), low, high)


def table_through(pairs: Sequence[tuple[float, float]]) -> Curve:
    """Straight lines between points in any order. Raises NotDetermined for equal x or points that turn back."""
    rows = sorted(pairs)
    if len(rows) < 2:
        raise NotDetermined("points", len(rows), "at least two points")
    for (x1, _), (x2, _) in itertools.pairwise(rows):
        if x1 == x2:
            raise NotDetermined("x", x2, "points at different readings")
    steps = np.diff([y for _, y in rows])
    if not (np.all(steps > 0) or np.all(steps < 0)):
        raise NotDetermined(
            "points", [round(y, 3) for _, y in rows], "values that only rise or only fall with the reading"
        )
    return Curve(Form.TABLE, tuple(v for row in rows for v in row), rows[0][0], rows[-1][0])
