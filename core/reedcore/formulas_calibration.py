"""Formulas of calibration: curves, weighing, electrodes, the gain of a pulse."""

from __future__ import annotations

from . import curves, electrodes, gain, weighing
from .curves import Curve, Form
from .formula_types import Argument, Formula

OWN = "in its own unit"
"""A curve gives what it was captured for; the figure that carries it names the unit."""
_X = Argument("x", "what the sensor gives", "as it comes", 1, 2)
_A = Argument("a", "constant", "-", 1, 6)
_B = Argument("b", "per unit of x", "-", 1, 9)
_C = Argument("c", "per square of x", "-", 1, 12)
_D = Argument("d", "per cube of x", "-", 1, 15)
_FIT = "the calibration's own points, by least squares"
_POLYNOMIAL = {"raw": _X, "a": _A, "b": _B, "c": _C, "d": _D}
_PAIR = {"raw": _X, "a": _A, "b": _B}


def _polynomial(raw: float, a: float, b: float, c: float, d: float) -> float:
    return a + raw * (b + raw * (c + raw * d))


def _form(form: Form, raw: float, a: float, b: float) -> float:
    return float(curves.value_from_curve(raw, Curve(form, (a, b), 0.0, 1.0)))


def _root(raw: float, a: float, b: float) -> float:
    return _form(Form.ROOT, raw, a, b)


def _power10(raw: float, a: float, b: float) -> float:
    return _form(Form.POWER10, raw, a, b)


def _loglog(raw: float, a: float, b: float) -> float:
    return _form(Form.LOGLOG, raw, a, b)


def _between(raw: float, x1: float, y1: float, x2: float, y2: float) -> float:
    return y1 + (raw - x1) / (x2 - x1) * (y2 - y1)


def _gain(observed: float, dose_ml: float, drained_ml: float, volume_l_per_plant: float) -> float:
    return observed / gain.expected_rise(gain.GivenPulse(0.0, dose_ml, drained_ml), volume_l_per_plant)


CALIBRATION_FORMULAS: tuple[Formula, ...] = (
    Formula("curve", "Value by its calibration", "y = a + b x + c x² + d x³", _polynomial, _POLYNOMIAL, OWN, _FIT),
    Formula("curve_theta", "Water content by its calibration", "θ = a + b x + c x² + d x³", _polynomial, _POLYNOMIAL, "% v/v", _FIT, 100, 1),
    Formula("curve_root", "Value by its calibration", "y = a + b √x", _root, _PAIR, OWN, _FIT),
    Formula("curve_root_theta", "Water content by its calibration", "θ = a + b √x", _root, _PAIR, "% v/v", _FIT, 100, 1,
            note="With permittivity as x this is the refractive form of Ledieu et al. 1986."),
    Formula("curve_power10", "Value by its calibration", "y = 10^(a + b x)", _power10, _PAIR, OWN, _FIT, digits=1),
    Formula("curve_loglog", "Value by its calibration", "y = 10^(a + b log10 x)", _loglog, _PAIR, OWN, _FIT, digits=1),
    Formula(
        "table_between", "Value between two points", "y = y1 + (x - x1)/(x2 - x1) (y2 - y1)", _between,
        {"raw": _X, "x1": Argument("x1", "point below", "as it comes", 1, 2), "y1": Argument("y1", "its value", "as it comes", 1, 2),
         "x2": Argument("x2", "point above", "as it comes", 1, 2), "y2": Argument("y2", "its value", "as it comes", 1, 2)},
        OWN, "straight lines between measured points", digits=1,
    ),
    Formula(
        "weighed_theta", "Water content by weight", "θ = (m - md - mc)/(ρ V)", weighing.water_content_from_mass,
        {"wet_g": Argument("m", "on the scale", "g", 1, 0), "dry_g": Argument("md", "dry medium", "g", 1, 0),
         "container_g": Argument("mc", "pot, probe and cable", "g", 1, 0), "volume_l": Argument("V", "volume of the medium", "L", 1, 2),
         "temp_c": Argument("T", "temperature, for the density ρ in g/L", "°C", 1, 1)},
        "% v/v", "weighing; density of water: Kell 1975", 100, 1,
    ),
    Formula(
        "pulse_gain", "Observed over expected rise", "gain = Δθ 1000 V/(dose - drain)", _gain,
        {"observed": Argument("Δθ", "rise seen by the probe", "points", 100, 2), "dose_ml": Argument("dose", "given", "mL per plant", 1, 0),
         "drained_ml": Argument("drain", "drained of it", "mL per plant", 1, 0), "volume_l_per_plant": Argument("V", "substrate per plant", "L", 1, 2)},
        "-", "science.md, gain check",
    ),
    Formula(
        "ideal_slope", "Ideal slope of an electrode", "S = 1000 R T ln10/(z F)", electrodes.ideal_slope_mv,
        {"temp_c": Argument("T", "temperature, taken in kelvin", "°C", 1, 1), "charge": Argument("z", "charge of the ion", "-", 1, 0)},
        "mV", "Nernst equation", digits=2,
    ),
)  # fmt: skip
