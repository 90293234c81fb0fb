"""Water content from the permittivity a dielectric probe reports."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .arrays import Series, like_input, require_series
from .curves import Curve, Form
from .fits import Fit, fit_points

TOPP = (-0.053, 0.0292, -5.5e-4, 4.3e-6)
"""Topp, Davis and Annan 1980, Water Resour. Res. 16, eq. 7: θ = a + b ε + c ε² + d ε³, mineral soil."""
LEDIEU_A, LEDIEU_B = 0.1138, 0.1758
"""Ledieu et al. 1986, J. Hydrol. 88: θ = a √ε - b, mineral soil; soilless media need their own."""
TOPP_RANGE = (3.0, 40.0)


def water_content_from_permittivity_topp(permittivity: Series) -> Series:
    """θ [m3/m3] of mineral soil from apparent permittivity [-, 1 to 90]. Raises OutOfRange. Source: Topp et al. 1980, eq. 7.

    Made on mineral soils between ε 3 and 40; in soilless media it is a starting value only.
    """
    e = require_series("permittivity", permittivity, 1, 90, "-")
    a, b, c, d = TOPP
    return like_input(a + b * e + c * e**2 + d * e**3, permittivity)


def topp_curve() -> Curve:
    """Topp's equation as a curve, valid from ε 3 to 40."""
    return Curve(Form.CUBIC, TOPP, *TOPP_RANGE)


def refractive_curve(a: float = LEDIEU_A, b: float = LEDIEU_B, low: float = 2.4, high: float = 80.0) -> Curve:
    """θ = a √ε - b as a curve, valid between two permittivities."""
    return Curve(Form.ROOT, (-b, a), low, high)


def fit_refractive(permittivity: Sequence[float], theta: Sequence[float]) -> Fit:
    """Own a and b from pairs of permittivity [-, 1 to 90] and θ [m3/m3, 0 to 1], at least two. Raises as fit_points."""
    require_series("permittivity", np.asarray(permittivity, float), 1, 90, "-")
    require_series("theta", np.asarray(theta, float), 0, 1, "m³/m³")
    return fit_points(permittivity, theta, Form.ROOT)
