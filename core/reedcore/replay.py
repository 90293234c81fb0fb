"""A recorded day under another programme: the bed model fitted to that day first, with the error of the fit."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares
from scipy.signal import lfilter

from .arrays import FloatArray
from .bedmodel import BedPhysics, run_bed, water_at
from .errors import Inconsistent, NotDetermined, require_range

STEP_S = 60.0
LEAST_KNOWN = 0.6
"""Share of a day's minutes that must have a reading, for a fit to mean something."""
USE_LIMITS, DELIVERED_LIMITS, ONSET_LIMITS = (0.2, 3.0), (0.05, 1.5), (0.05, 0.95)


@dataclass(frozen=True)
class DayFit:
    """The bed of one recorded day: factor on the modelled use, share of the doses that arrived, drain onset as a share of
    the way from the dry limit to capacity; error of θ [points], minutes it rests on, and the θ it starts from [m3/m3]."""

    use_factor: float
    delivered_share: float
    onset_share: float
    rmse_points: float
    minutes: int
    start_theta: float
    physics: BedPhysics


def probe_lag(theta: FloatArray, lag_s: float, step_s: float = STEP_S) -> FloatArray:
    """What a probe with a first-order lag [s] shows of θ, shape (steps,), starting settled."""
    require_range("lag_s", lag_s, 0, 3600, "s")
    keep = float(np.exp(-step_s / lag_s)) if lag_s > 0 else 0.0
    shown, _ = lfilter([1 - keep], [1, -keep], theta, zi=[keep * theta[0]])
    return np.asarray(shown)


def fit_day(
    seen: FloatArray,
    dose_ml: FloatArray,
    demand_ml: FloatArray,
    physics: BedPhysics,
    pore_ec_ms_cm: float,
    feed_ms_cm: float,
    lag_s: float = 150.0,
) -> DayFit:
    """Fit the bed model to a recorded day.

    Parameters
    ----------
    seen : θ as the probe showed it [m3/m3], one value a minute, NaN where there is none.
    dose_ml : water given in each minute [mL per plant].
    demand_ml : modelled use in each minute [mL per plant].
    physics : the bed's constants as they are taken before the fit.
    pore_ec_ms_cm, feed_ms_cm : conductivities at the start and of the feed [mS/cm].
    lag_s : lag of the probe [s].

    Returns
    -------
    DayFit by bounded least squares over use factor, delivered share and drain onset.

    Raises
    ------
    Inconsistent : arrays of different shapes. NotDetermined : readings for less than 60 % of the minutes.
    """
    seen = np.asarray(seen, float)
    if not seen.shape == np.shape(dose_ml) == np.shape(demand_ml):
        raise Inconsistent(
            "seen", seen.shape, f"the shape of dose_ml {np.shape(dose_ml)} and demand_ml {np.shape(demand_ml)}"
        )
    known = np.isfinite(seen)
    if known.mean() < LEAST_KNOWN:
        raise NotDetermined(
            "seen", f"{100 * known.mean():.0f} % of the minutes", f"readings for at least {100 * LEAST_KNOWN:.0f} %"
        )
    start = float(np.median(seen[known][:10]))
    start = min(max(start, 0.02), float(physics.capacity) - 1e-4)

    def run(parameters: FloatArray) -> FloatArray:
        use, delivered, onset = parameters
        fitted = _with_onset(physics, float(onset))
        begun = water_at(start, pore_ec_ms_cm, fitted)
        return probe_lag(run_bed(begun, fitted, dose_ml * delivered, feed_ms_cm, demand_ml * use).theta, lag_s)

    low, high = zip(USE_LIMITS, DELIVERED_LIMITS, ONSET_LIMITS, strict=True)
    first = np.array([1.0, 1.0, 0.7])
    found = least_squares(
        lambda p: (run(p) - seen)[known][::5] * 100, first, bounds=(low, high), diff_step=1e-3, max_nfev=40
    )
    error = (run(found.x) - seen)[known]
    use, delivered, onset = (float(v) for v in found.x)
    return DayFit(
        use,
        delivered,
        onset,
        float(100 * np.sqrt(np.mean(error**2))),
        int(known.sum()),
        start,
        _with_onset(physics, onset),
    )


def _with_onset(physics: BedPhysics, share: float) -> BedPhysics:
    return replace(physics, drain_onset=physics.dry_limit + share * (physics.capacity - physics.dry_limit))


def forecast_score(said_ml: float, got_ml: float, said_pulses: int, got_pulses: int) -> float:
    """How well a forecast day came true [0 to 1]: the mean of how close dose and pulses were, each as the smaller over the larger.

    Two days without a pulse agree fully. Raises OutOfRange for negative values.
    """
    require_range("said_ml", said_ml, 0, 1e6, "mL per plant")
    require_range("got_ml", got_ml, 0, 1e6, "mL per plant")

    def close(a: float, b: float) -> float:
        return 1.0 if a == b else min(a, b) / max(a, b)

    return 0.5 * (close(said_ml, got_ml) + close(float(said_pulses), float(got_pulses)))


@dataclass(frozen=True)
class DrainCorrection:
    """What a day's drain share does to dose and gap factors: the factor that is moved, before and after."""

    before: float
    after: float


FACTOR_LIMITS = (0.5, 1.6)
"""However many days push one way, dose and gap stay within these of what the programme says."""


def corrected_factor(
    before: float, wanted: float, measured: float, gain: float, bound: float, moves_gap: bool
) -> DrainCorrection:
    """Tomorrow's factor on dose or gap from a day's drain share.

    Parameters
    ----------
    before : today's factor [0.5 to 1.6].
    wanted, measured : drain shares [0 to 0.9, 0 to 1].
    gain, bound : how strongly, and how much at most in a day.
    moves_gap : too little drain makes the gap shorter instead of the dose larger.

    Returns
    -------
    DrainCorrection.

    References
    ----------
    science.md, Dosing: 1 + g (target - measured), bounded.
    """
    require_range("wanted", wanted, 0, 0.9, "")
    require_range("measured", measured, 0, 1, "")
    step = min(1 + bound, max(1 - bound, 1 + gain * (wanted - measured)))
    after = before / step if moves_gap else before * step
    return DrainCorrection(before, min(FACTOR_LIMITS[1], max(FACTOR_LIMITS[0], after)))
