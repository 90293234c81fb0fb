"""A medium's retention curve from the grower's own pairs of suction and water content."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .arrays import FloatArray, require_series
from .constants import CM_WATER_PER_KPA
from .errors import Inconsistent, NotDetermined
from .substrate import Medium, suction_from_water_content, water_content_from_suction

LEAST_PAIRS = 5
LEAST_SPREAD = 0.1
"""Pairs must span this much θ, else any curve would do."""


@dataclass(frozen=True)
class RetentionFit:
    """A fitted van Genuchten curve with the error of θ about it [m3/m3] and the suctions it rests on [cm]."""

    theta_s: float
    theta_r: float
    alpha: float
    n: float
    rmse: float
    low_cm: float
    high_cm: float

    def medium(self, code: str, name: str, dry_mix_theta: float) -> Medium:
        """As a medium of the grower's own."""
        return Medium(code, name, self.theta_s, self.theta_r, self.alpha, self.n, dry_mix_theta, "fitted to own pairs")


def fit_retention(suction_cm: Sequence[float], theta: Sequence[float], theta_s: float | None = None) -> RetentionFit:
    """Fit van Genuchten parameters to pairs.

    Parameters
    ----------
    suction_cm : suctions [cm of water, 0 to 2000], at least 5 pairs.
    theta : water contents [m3/m3, 0 to 1], same length, spanning at least 0.1.
    theta_s : saturated water content where it is known (total pore space), else it is fitted.

    Returns
    -------
    RetentionFit; theta_r and theta_s stay within 0 to 0.5 and the largest θ to 1.

    Raises
    ------
    Inconsistent : lengths differ. NotDetermined : too few pairs, too narrow a span, or θ that rises with suction.

    References
    ----------
    van Genuchten 1980, Soil Sci. Soc. Am. J. 44, eq. 3; bounded least squares (scipy.optimize.least_squares).
    """
    from scipy.optimize import least_squares  # 30 MB that only this bench needs

    h = require_series("suction_cm", np.asarray(suction_cm, float), 0, 2000, "cm")
    t = require_series("theta", np.asarray(theta, float), 0, 1, "m³/m³")
    if h.shape != t.shape:
        raise Inconsistent("theta", len(t), f"as many values as suctions ({len(h)})")
    if len(h) < LEAST_PAIRS or float(np.ptp(t)) < LEAST_SPREAD:
        raise NotDetermined(
            "pairs", len(h), f"at least {LEAST_PAIRS} pairs that span {100 * LEAST_SPREAD:.0f} points of water content"
        )
    if float(np.corrcoef(h, t)[0, 1]) > 0:
        raise NotDetermined("theta", "rises with suction", "water content that falls as suction rises")
    top = theta_s if theta_s is not None else min(1.0, float(t.max()) + 0.05)

    def misses(p: FloatArray) -> FloatArray:
        return np.asarray(_theta(h, *_parameters(p, theta_s))) - t

    start = [0.5 * float(t.min()), np.log(0.08), np.log(0.8)] + ([] if theta_s is not None else [top])
    low = [0.0, np.log(0.002), np.log(0.05)] + ([] if theta_s is not None else [float(t.max()) * 0.97])
    high = [min(0.5, float(t.min()) + 1e-6), np.log(1.5), np.log(8.0)] + ([] if theta_s is not None else [1.0])
    found = least_squares(misses, np.clip(start, np.array(low) + 1e-9, np.array(high) - 1e-9), bounds=(low, high))
    s, r, alpha, n = _parameters(found.x, theta_s)
    return RetentionFit(s, r, alpha, n, float(np.sqrt(np.mean(found.fun**2))), float(h.min()), float(h.max()))


def _parameters(p: FloatArray, theta_s: float | None) -> tuple[float, float, float, float]:
    return (float(p[3]) if theta_s is None else theta_s), float(p[0]), float(np.exp(p[1])), 1 + float(np.exp(p[2]))


def _theta(h: FloatArray, s: float, r: float, alpha: float, n: float) -> FloatArray:
    return r + (s - r) * (1 + (alpha * h) ** n) ** -(1 - 1 / n)


def suction_kpa_from_theta(theta: float, m: Medium) -> float:
    """Suction [kPa] that goes with θ [m3/m3] in a medium; 0 at or above saturation, NaN at or below the residual water."""
    if not theta > m.theta_r + 1e-6:
        return float("nan")
    return 0.0 if theta >= m.theta_s else float(suction_from_water_content(theta, m)) / CM_WATER_PER_KPA


def theta_from_suction_kpa(suction_kpa: float, m: Medium) -> float:
    """θ [m3/m3] that goes with a suction [kPa, 0 to 1000] in a medium; a slight pressure below 0 counts as 0. NaN in, NaN out."""
    if suction_kpa != suction_kpa:
        return float("nan")
    require_series("suction_kpa", suction_kpa, -5, 1000, "kPa")
    return float(water_content_from_suction(max(0.0, suction_kpa) * CM_WATER_PER_KPA, m))
