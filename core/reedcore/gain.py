"""What a pulse should have done to the water content, and what it did: the gain of a probe in its bed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .errors import require_range

LOOK_BEFORE_S, LOOK_AFTER_S = 600.0, 2700.0
"""Rise: from the level just before a pulse to the highest level within 45 min after it."""
LEAST_EXPECTED = 0.004
"""A pulse expected to raise θ by less than this is lost in scatter and passage of time."""
NEAR_ONE = (0.6, 1.5)
"""A median gain within these needs no explanation: θ is one place of a container, not its mean."""


@dataclass(frozen=True)
class GivenPulse:
    """A pulse: end [s], dose and what of it drained [mL per plant]."""

    end_s: float
    dose_ml: float
    drained_ml: float = 0.0


@dataclass(frozen=True)
class Gain:
    """Observed over expected rise: per pulse (NaN where it could not be seen), median and its 95 % interval."""

    ratios: tuple[float, ...]
    median: float
    low: float
    high: float
    n: int

    @property
    def doubtful(self) -> bool:
        """The whole interval lies outside what needs no explanation, over at least three pulses."""
        return self.n >= 3 and (self.high < NEAR_ONE[0] or self.low > NEAR_ONE[1])


def expected_rise(pulse: GivenPulse, volume_l_per_plant: float) -> float:
    """Rise of θ [m3/m3] a pulse should make: (dose - drained)/V, volume [L per plant, 0.05 to 500]. Raises OutOfRange."""
    require_range("volume_l_per_plant", volume_l_per_plant, 0.05, 500, "L per plant")
    return max(0.0, pulse.dose_ml - pulse.drained_ml) / 1000 / volume_l_per_plant


def observed_rises(time_s: FloatArray, theta: FloatArray, ends_s: Sequence[float]) -> FloatArray:
    """Rise of θ after each pulse, shape (pulses,): highest within 45 min, at most to the next pulse, less the mean of the
    10 min before. NaN where either stretch holds no reading."""
    t, x = np.asarray(time_s, float), np.asarray(theta, float)
    out = np.full(len(ends_s), np.nan)
    for i, end in enumerate(ends_s):
        until = min(end + LOOK_AFTER_S, ends_s[i + 1] if i + 1 < len(ends_s) else np.inf)
        before = x[(t > end - LOOK_BEFORE_S - 240) & (t <= end - 240)]
        after = x[(t > end) & (t <= until)]
        if np.isfinite(before).sum() >= 2 and np.isfinite(after).sum() >= 2:
            out[i] = np.nanmax(_smooth(after)) - np.nanmean(before)
    return out


def _smooth(x: FloatArray) -> FloatArray:
    """Running median of three: a single spike is no rise."""
    if len(x) < 3:
        return x
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(x, 3), axis=1))


def gain_of(time_s: FloatArray, theta: FloatArray, pulses: Sequence[GivenPulse], volume_l_per_plant: float) -> Gain:
    """Gain over a series of pulses.

    Parameters
    ----------
    time_s, theta : the series [s; m3/m3], ascending in time. pulses : in order of their ends.
    volume_l_per_plant : [L, 0.05 to 500].

    Returns
    -------
    Gain; the interval of the median by order statistics, NaN under three pulses.

    Raises
    ------
    OutOfRange : volume.

    References
    ----------
    science.md, Gain check; interval: Conover 1999, Practical Nonparametric Statistics, ch. 3.2.
    """
    expected = np.array([expected_rise(p, volume_l_per_plant) for p in pulses])
    seen = observed_rises(time_s, theta, [p.end_s for p in pulses])
    ratios = np.where(expected >= LEAST_EXPECTED, seen / np.maximum(expected, 1e-9), np.nan)
    known = np.sort(ratios[np.isfinite(ratios)])
    n = len(known)
    if n == 0:
        return Gain(tuple(ratios.tolist()), float("nan"), float("nan"), float("nan"), 0)
    low, high = _median_interval(known)
    return Gain(tuple(ratios.tolist()), float(np.median(known)), low, high, n)


def _median_interval(known: FloatArray) -> tuple[float, float]:
    n = len(known)
    if n < 3:
        return float("nan"), float("nan")
    side = max(0, int(np.floor(n / 2 - 0.98 * np.sqrt(n))))
    return float(known[side]), float(known[n - 1 - side])


class Cause(StrEnum):
    """Why pulses and readings may not fit together."""

    SPAN = "span"
    PLACEMENT = "placement"
    DRIPPER = "dripper"
    FLOW = "flow"
    LEAK = "leak"
    VOLUME = "volume"


@dataclass(frozen=True)
class Evidence:
    """What else the record says; None where nothing is known.

    other_gain: median gain of another probe of the bed. flow_share: measured over ordered flow. dripper_low_quarter: of
    the last dripper test [%], dripper_age_days. drain_share: drained over given. capacity_off: level after drain minus
    container capacity [m3/m3]. provisional: calibrated in air and water.
    """

    other_gain: float | None = None
    flow_share: float | None = None
    dripper_low_quarter: float | None = None
    dripper_age_days: float | None = None
    drain_share: float | None = None
    capacity_off: float | None = None
    provisional: bool = False


@dataclass(frozen=True)
class RankedCause:
    """A cause with its weight (0 to 1, all together 1), why it is weighed so, and the test that would settle it."""

    cause: Cause
    weight: float
    because: str
    test: str


TESTS = {
    Cause.SPAN: "calibrate the probe in its own substrate, dry and soaked, and see whether the gain comes to 1",
    Cause.PLACEMENT: "put a second probe half-way between dripper and the first, give one dose, compare the rises",
    Cause.DRIPPER: "put a cup under this plant's dripper for two minutes and compare with the others",
    Cause.FLOW: "catch the flow of one dripper for a minute while the bed runs, and read the pump's pressure",
    Cause.LEAK: "walk the bed while it runs; look for a loose hose, a lifted dripper, water on the floor",
    Cause.VOLUME: "measure the container and count its plants again; weigh a slab before and after a dose",
}


def rank_causes(gain: float, e: Evidence) -> list[RankedCause]:
    """Order the causes of a gain far from 1 by what the other evidence says, likeliest first.

    Parameters
    ----------
    gain : median observed over expected rise [-, > -1]. e : evidence.

    Returns
    -------
    All causes with weights that add up to 1.

    Raises
    ------
    OutOfRange : a gain that is no number or below -1.
    """
    require_range("gain", gain, -1, 100, "")
    scales = _Scales(gain < 1)
    for look in (_calibration, _neighbour, _meter, _drippers, _drain):
        look(scales, e)
    if not scales.low:
        for cause in (Cause.DRIPPER, Cause.FLOW, Cause.LEAK):
            scales.weigh(cause, 0.3, "it would make the rise smaller, not larger")
        scales.weigh(Cause.PLACEMENT, 2, "a probe right under the drip rises more than the container")
    total = sum(scales.weights.values())
    rows = [RankedCause(c, w / total, scales.because[c], TESTS[c]) for c, w in scales.weights.items()]
    return sorted(rows, key=lambda r: -r.weight)


class _Scales:
    """Weights of the causes while the evidence is laid on; `low`: the rise was too small."""

    def __init__(self, low: bool) -> None:
        self.low = low
        self.weights = dict.fromkeys(Cause, 0.5)
        self.because = dict.fromkeys(Cause, "nothing speaks for or against it yet")

    def weigh(self, cause: Cause, factor: float, why: str) -> None:
        self.weights[cause] *= factor
        self.because[cause] = why


def _calibration(s: _Scales, e: Evidence) -> None:
    if e.provisional:
        s.weigh(Cause.SPAN, 6 if s.low else 1.5, "the probe was calibrated in air and water, which stretches the span")
    if e.capacity_off is not None and abs(e.capacity_off) > 0.06:
        points = 100 * e.capacity_off
        s.weigh(Cause.SPAN, 4, f"the level after drainage stands {points:+.0f} points off the container's capacity")


def _neighbour(s: _Scales, e: Evidence) -> None:
    if e.other_gain is None:
        return
    if NEAR_ONE[0] <= e.other_gain <= NEAR_ONE[1]:
        why = f"the bed's other probe rises as it should (gain {e.other_gain:.2f})"
        for cause in (Cause.FLOW, Cause.LEAK, Cause.VOLUME):
            s.weigh(cause, 0.2, why)
        s.weigh(Cause.PLACEMENT, 2, why)
    elif (e.other_gain < 1) == s.low:
        for cause in (Cause.FLOW, Cause.LEAK):
            s.weigh(cause, 3, f"the bed's other probe shows the same (gain {e.other_gain:.2f})")


def _meter(s: _Scales, e: Evidence) -> None:
    if e.flow_share is None:
        return
    seen = f"the flow meter saw {100 * e.flow_share:.0f} % of what was ordered"
    s.weigh(Cause.FLOW, 8 if e.flow_share < 0.85 and s.low else 0.15, seen)
    if e.flow_share > 1.15 and s.low:
        s.weigh(Cause.LEAK, 6, f"{seen}: more leaves the pump than the drippers give")


def _drippers(s: _Scales, e: Evidence) -> None:
    if e.dripper_low_quarter is None:
        if s.low:
            s.weigh(Cause.DRIPPER, 1.5, "the drippers have not been tested")
        return
    bad = e.dripper_low_quarter < 85
    age = "" if e.dripper_age_days is None else f", {e.dripper_age_days:.0f} days ago"
    why = f"the last dripper test gave {e.dripper_low_quarter:.0f} % low quarter{age}"
    s.weigh(Cause.DRIPPER, 5 if bad and s.low else 0.4, why)


def _drain(s: _Scales, e: Evidence) -> None:
    if e.drain_share is not None and s.low and e.drain_share > 0.5:
        s.weigh(Cause.PLACEMENT, 3, f"{100 * e.drain_share:.0f} % drained: water runs past the probe")
