"""Electrodes and cells: conductivity from standards, pH from buffers, ions from their standards."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .constants import KELVIN_OFFSET, STARTING_EC_TEMPERATURE_COEFFICIENT
from .curves import Curve, Form, line_through, scaled_only
from .errors import Inconsistent, NotDetermined, require_range
from .fits import Fit, fit_points

GAS_CONSTANT = 8.314462618
"""Molar gas constant [J/mol/K]. CODATA 2018."""
FARADAY = 96485.33212
"""Faraday constant [C/mol]. CODATA 2018."""
SLOPE_PASS_PCT = (92.0, 102.0)
"""Slope of a sound pH electrode, in % of the ideal one."""
ASYMMETRY_PASS_MV = 30.0
"""Largest reading of a sound pH electrode at pH 7 [mV]. Starting value."""


def ideal_slope_mv(temp_c: float, charge: int = 1) -> float:
    """Millivolts of an ideal electrode per tenfold concentration.

    Parameters
    ----------
    temp_c : temperature [°C, 0 to 60].
    charge : of the ion, -2 to 2, not 0; a pH electrode counts as 1.

    Returns
    -------
    Slope [mV], of the sign of the charge: 59.16 at 25 °C for 1.

    Raises
    ------
    OutOfRange, Inconsistent.

    References
    ----------
    Nernst equation, 1000 R T ln 10/(z F).
    """
    require_range("temp_c", temp_c, 0, 60, "°C")
    if charge == 0:
        raise Inconsistent("charge", charge, "a charge that is not 0")
    return 1000 * GAS_CONSTANT * (temp_c + KELVIN_OFFSET) * math.log(10) / (charge * FARADAY)


@dataclass(frozen=True)
class CellCalibration:
    """A conductivity cell against its standards: true = offset + slope x reading, both at the same temperature.

    cell_share: slope, the factor on the cell constant it was set to. fit: None for one standard.
    """

    curve: Curve
    cell_share: float
    offset_ms_cm: float
    fit: Fit | None


def cell_from_standards(read_ms_cm: Sequence[float], true_ms_cm: Sequence[float]) -> CellCalibration:
    """Correction of a conductivity cell from one or more standards.

    Parameters
    ----------
    read_ms_cm : what the cell read [mS/cm, 0 to 100].
    true_ms_cm : what the standard is worth at its temperature [mS/cm, > 0], same length.

    Returns
    -------
    CellCalibration. One standard gives a factor only, two or more an offset and a slope.

    Raises
    ------
    Inconsistent : lengths differ, or a factor outside 0.3 to 3 (a wrong standard, or the cell not covered).
    NotDetermined : no standard, equal readings, or readings that fall while the standards rise.
    """
    if len(read_ms_cm) != len(true_ms_cm):
        raise Inconsistent("points", len(read_ms_cm), f"as many as standards ({len(true_ms_cm)})")
    if not read_ms_cm:
        raise NotDetermined("points", 0, "at least one standard")
    if len(read_ms_cm) == 1:
        if read_ms_cm[0] <= 0:
            raise NotDetermined("reading", read_ms_cm[0], "a reading above 0; is the cell covered?")
        share = true_ms_cm[0] / read_ms_cm[0]
        curve = scaled_only(_sound_share(share), 0.0, 2 * read_ms_cm[0])
        return CellCalibration(curve, share, 0.0, None)
    fit = fit_points(read_ms_cm, true_ms_cm, Form.LINEAR)
    offset, share = fit.curve.coefficients
    return CellCalibration(fit.curve, _sound_share(share), offset, fit)


def _sound_share(share: float) -> float:
    if not 0.3 <= share <= 3:
        raise Inconsistent(
            "reading", round(share, 3), "a factor of 0.3 to 3; another standard than named, or the cell not covered?"
        )
    return share


def temperature_coefficient(ec_1: float, temp_1: float, ec_2: float, temp_2: float) -> float:
    """Coefficient [1/K] about 25 °C from one solution read at two temperatures, without compensation.

    Parameters
    ----------
    ec_1, ec_2 : conductivities [mS/cm, > 0]. temp_1, temp_2 : temperatures [°C, 0 to 60], at least 5 K apart.

    Raises
    ------
    NotDetermined : temperatures closer than 5 K. Inconsistent : a coefficient outside 0.005 to 0.04.

    References
    ----------
    σ25 = σT/(1 + α (T - 25)) written twice and solved for α.
    """
    require_range("temp_1", temp_1, 0, 60, "°C")
    require_range("temp_2", temp_2, 0, 60, "°C")
    if abs(temp_1 - temp_2) < 5:
        raise NotDetermined("temp_2", temp_2, f"at least 5 K away from {temp_1:g} °C")
    under = ec_1 * (temp_2 - 25) - ec_2 * (temp_1 - 25)
    if under == 0:
        raise NotDetermined("ec_2", ec_2, "readings that determine a coefficient")
    alpha = (ec_2 - ec_1) / under
    if not 0.005 <= alpha <= 0.04:
        raise Inconsistent(
            "ec_2",
            ec_2,
            f"a coefficient of 0.005 to 0.04 per K, as water has; this gives {alpha:.3f}"
            f" (starting value {STARTING_EC_TEMPERATURE_COEFFICIENT:g}). Is temperature compensation switched off?",
        )
    return alpha


def fit_epsilon_dry(bulk_ec: float, permittivity: float, temp_c: float, pore_ec: float) -> float:
    """ε0 of the pore-water formula from a poured-through or squeezed sample.

    Parameters
    ----------
    bulk_ec : bulk conductivity read beside the sample [mS/cm, > 0]. permittivity : read there [-].
    temp_c : [°C, 0 to 60]. pore_ec : conductivity of the sample at 25 °C [mS/cm, > 0].

    Returns
    -------
    ε0 = εb - εp σb/σp [-].

    Raises
    ------
    Inconsistent : a result outside -5 to 15: the sample and the probe did not see the same water.

    References
    ----------
    Hilhorst 2000, Soil Sci. Soc. Am. J. 64, eq. 9 solved for ε0.
    """
    require_range("pore_ec", pore_ec, 0.05, 50, "mS/cm")
    require_range("bulk_ec", bulk_ec, 0.001, 20, "mS/cm")
    require_range("temp_c", temp_c, 0, 60, "°C")
    epsilon = permittivity - (80.3 - 0.37 * (temp_c - 20)) * bulk_ec / pore_ec
    if not -5 <= epsilon <= 15:
        raise Inconsistent(
            "pore_ec", pore_ec, f"a sample that fits the probe; this one gives ε0 {epsilon:.1f}, usual is 1 to 8"
        )
    return epsilon


@dataclass(frozen=True)
class ElectrodeCalibration:
    """A pH or ion electrode: its curve, slope in % of the ideal, asymmetry (reading at pH 7) [mV; NaN for ions], and
    what that means."""

    curve: Curve
    slope_pct: float
    asymmetry_mv: float
    passed: bool
    words: str


def ph_from_buffers(
    read: Sequence[float], buffer_ph: Sequence[float], temp_c: float, reads_mv: bool
) -> ElectrodeCalibration:
    """Slope and asymmetry of a pH electrode from two or three buffers.

    Parameters
    ----------
    read : what the channel gave: mV, or pH by an ideal electrode.
    buffer_ph : what the buffers are at their temperature, same length, at least two, at least 2 pH apart.
    temp_c : their temperature [°C, 0 to 60].
    reads_mv : whether `read` is in mV.

    Raises
    ------
    Inconsistent : lengths differ. NotDetermined : one buffer only, or buffers closer than 2 pH.

    References
    ----------
    Nernst slope; limits 92 to 102 % and 30 mV.
    """
    if len(read) != len(buffer_ph):
        raise Inconsistent("points", len(read), f"as many as buffers ({len(buffer_ph)})")
    if len(read) < 2 or max(buffer_ph) - min(buffer_ph) < 2:
        raise NotDetermined("points", len(read), "at least two buffers 2 pH apart")
    fit = fit_points(buffer_ph, read, Form.LINEAR)
    zero, per_ph = fit.curve.coefficients
    ideal = ideal_slope_mv(temp_c)
    slope = 100 * (per_ph / -ideal if reads_mv else per_ph)
    at_seven = zero + 7 * per_ph
    asymmetry = at_seven if reads_mv else (7 - at_seven) * ideal
    if slope <= 0:
        raise Inconsistent("points", round(slope), "a slope above 0 %; were the buffers swapped?")
    worst = max(abs(r) for r in fit.residuals) / (ideal if reads_mv else 1)
    passed = SLOPE_PASS_PCT[0] <= slope <= SLOPE_PASS_PCT[1] and abs(asymmetry) <= ASYMMETRY_PASS_MV and worst < 0.1
    low, high = min(read), max(read)
    curve = line_through(low, (low - zero) / per_ph, high, (high - zero) / per_ph)
    return ElectrodeCalibration(curve, slope, asymmetry, passed, _ph_words(slope, asymmetry, worst))


def _ph_words(slope: float, asymmetry: float, worst: float) -> str:
    told = f"slope {slope:.1f} % of the ideal, {asymmetry:.0f} mV at pH 7"
    if worst >= 0.1:
        return f"{told}: the buffers contradict each other by {worst:.2f} pH; one is spent or was not rinsed off"
    if slope < SLOPE_PASS_PCT[0]:
        return f"{told}: too flat, {SLOPE_PASS_PCT[0]:g} % are needed; clean the glass, and replace the electrode if that does not help"
    if slope > SLOPE_PASS_PCT[1]:
        return f"{told}: steeper than can be ({SLOPE_PASS_PCT[1]:g} % at most); a buffer is wrong or its temperature is"
    if abs(asymmetry) > ASYMMETRY_PASS_MV:
        return f"{told}: too far from 0 at pH 7 ({ASYMMETRY_PASS_MV:g} mV allowed); the reference is spent"
    return f"{told}: sound"


def ion_from_standards(
    read: Sequence[float], standard_mg_l: Sequence[float], temp_c: float, charge: int, reads_mv: bool
) -> ElectrodeCalibration:
    """Log slope of an ion-selective electrode from two or three standards.

    Parameters
    ----------
    read : what the channel gave: mV, or mg/L by its own factory curve (> 0).
    standard_mg_l : the standards [mg/L, > 0], same length, at least two, at least threefold apart.
    temp_c : [°C, 0 to 60]. charge : of the ion (-1 nitrate, 1 potassium). reads_mv : whether `read` is in mV.

    Returns
    -------
    ElectrodeCalibration; passed where the slope is 80 to 110 % of the ideal one.

    Raises
    ------
    Inconsistent, NotDetermined as ph_from_buffers.

    References
    ----------
    Nernst equation; IUPAC 1994, Pure Appl. Chem. 66, 2527.
    """
    if len(read) != len(standard_mg_l) or any(v <= 0 for v in standard_mg_l):
        raise Inconsistent("points", len(read), f"as many readings as standards above 0 mg/L ({len(standard_mg_l)})")
    if len(read) < 2 or max(standard_mg_l) / min(standard_mg_l) < 3:
        raise NotDetermined("points", len(read), "at least two standards, threefold apart")
    decades = np.log10(np.asarray(standard_mg_l, float))
    if reads_mv:
        signal = np.asarray(read, float)
        ideal = ideal_slope_mv(temp_c, charge)
    else:
        if any(r <= 0 for r in read):
            raise Inconsistent("reading", min(read), "readings above 0 mg/L")
        signal, ideal = np.log10(np.asarray(read, float)), 1.0
    fit = fit_points(decades.tolist(), signal.tolist(), Form.LINEAR)
    zero, per_decade = fit.curve.coefficients
    slope = 100 * per_decade / ideal
    if slope <= 0:
        raise Inconsistent(
            "points", round(slope), "a slope above 0 %; were the standards swapped, or is the ion's charge wrong?"
        )
    form = Form.POWER10 if reads_mv else Form.LOGLOG
    curve = Curve(form, (-zero / per_decade, 1 / per_decade), float(min(read)), float(max(read)))
    passed = 80 <= slope <= 110
    words = f"{slope:.0f} % of the ideal slope: " + (
        "sound" if passed else "outside 80 to 110 %; renew the membrane or the standards"
    )
    return ElectrodeCalibration(curve, slope, float("nan"), passed, words)
