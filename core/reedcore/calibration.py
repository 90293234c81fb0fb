"""Two-point calibration in the substrate, its resolution, and the judgement whether a reading is steady."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .arrays import FloatArray, Series, like_input
from .errors import Inconsistent, NotDetermined, require_range

MIN_WINDOW_S = 60.0
MIN_READINGS = 10
SLOPE_LIMIT_SHARE_PER_MIN = 0.006
"""Steady when the slope stays under this share of the span per minute."""
SD_LIMIT_SHARE = 0.004
"""Steady when the scatter about the trend stays under this share of the span."""
MIN_POINT_SHARE = 0.05
"""Two capture points closer than this share of the probe's span do not determine a line."""


@dataclass(frozen=True)
class CalibrationPoint:
    """A captured reference: raw value, its scatter (sd, raw), water content [m3/m3]."""

    raw: float
    noise_raw: float
    theta: float


@dataclass(frozen=True)
class LinearCalibration:
    """theta = intercept + slope * raw; sign of the slope is found, never assumed."""

    slope: float
    intercept: float
    resolution_points: float

    @property
    def raw_falls_as_water_rises(self) -> bool:
        return self.slope < 0


def water_content_from_raw(raw: Series, slope: float, intercept: float) -> Series:
    """θ [m3/m3] from raw by a linear calibration. NaN in, NaN out; values outside 0 to 1 are given, not clamped."""
    return like_input(intercept + slope * np.asarray(raw, dtype=float), raw)


def two_point_water_content(raw: float, raw_dry: float, raw_wet: float, theta_dry: float, theta_wet: float) -> float:
    """θ [m3/m3] between two captured points: θd + (x-xd)/(xw-xd) (θw-θd). Raises NotDetermined for xd = xw."""
    if raw_dry == raw_wet:
        raise NotDetermined("raw_wet", raw_wet, "a raw value that differs from the dry point")
    return theta_dry + (raw - raw_dry) / (raw_wet - raw_dry) * (theta_wet - theta_dry)


def two_point_calibration(dry: CalibrationPoint, wet: CalibrationPoint, span_raw: float) -> LinearCalibration:
    """Line through a dry and a wet point captured in the very substrate.

    Parameters
    ----------
    dry, wet : captured points; θ [m3/m3, 0 to 1], wet above dry.
    span_raw : raw difference between air and water for this kind of probe [raw, > 0].

    Returns
    -------
    LinearCalibration with resolution = 2 sd(noise)/|slope| in points of water content.

    Raises
    ------
    OutOfRange : θ outside 0 to 1.
    Inconsistent : the wet θ is not above the dry θ by 5 points (points swapped).
    NotDetermined : raw values closer than 5 % of the span, so the line would be guesswork.

    References
    ----------
    science.md, Water in the substrate.
    """
    require_range("theta_dry", dry.theta, 0, 1, "m³/m³")
    require_range("theta_wet", wet.theta, 0, 1, "m³/m³")
    if wet.theta - dry.theta < 0.05:
        raise Inconsistent(
            "theta_wet",
            wet.theta,
            f"at least 5 points above the dry point's {100 * dry.theta:.1f} %; are the two points swapped?",
        )
    if abs(wet.raw - dry.raw) < MIN_POINT_SHARE * span_raw:
        raise NotDetermined(
            "raw_wet",
            wet.raw,
            f"at least {MIN_POINT_SHARE * span_raw:.0f} counts away from the dry point's {dry.raw:.0f}; "
            "did the probe move between the two mixes?",
        )
    slope = (wet.theta - dry.theta) / (wet.raw - dry.raw)
    noise = max(dry.noise_raw, wet.noise_raw)
    return LinearCalibration(slope, dry.theta - slope * dry.raw, 100 * 2 * noise * abs(slope))


@dataclass(frozen=True)
class Steadiness:
    """How still a reading is. Slope in raw per minute, scatter in raw, times in seconds."""

    steady: bool
    slope_per_min: float
    noise: float
    mean: float
    window_s: float
    readings: int
    still_for_s: float
    settled_after_s: float | None
    bubble: float
    """-1 (falling fast) to 1 (rising fast), 0 in the middle."""
    why: str


def steadiness(time_s: FloatArray, raw: FloatArray, span_raw: float, unit: str = "counts") -> Steadiness:
    """Judge whether the last readings are steady.

    Parameters
    ----------
    time_s : times, ascending [s].
    raw : readings of the same length; NaN are left out.
    span_raw : raw difference between air and water for this kind of probe [raw, > 0].
    unit : of the readings, for the words.

    Returns
    -------
    Steadiness over the last window of at least 60 s and 10 readings.

    Raises
    ------
    Inconsistent : lengths differ, or the span is not positive.

    References
    ----------
    science.md, Steady. Limits are shares of the span, SLOPE_LIMIT_SHARE_PER_MIN and SD_LIMIT_SHARE.
    """
    if len(time_s) != len(raw):
        raise Inconsistent("raw", len(raw), f"as many values as times ({len(time_s)})")
    if not span_raw > 0:
        raise Inconsistent("span_raw", span_raw, "a span above 0")
    keep = np.isfinite(raw)
    t, x = np.asarray(time_s, float)[keep], np.asarray(raw, float)[keep]
    if len(t) < MIN_READINGS or t[-1] - t[0] < MIN_WINDOW_S:
        spread = float(np.std(x)) if len(x) else float("nan")
        have = f"{len(t)} readings over {t[-1] - t[0] if len(t) else 0:.0f} s so far"
        mean = float(x.mean()) if len(x) else float("nan")
        return Steadiness(
            False,
            float("nan"),
            spread,
            mean,
            0.0,
            len(t),
            0.0,
            None,
            _early_bubble(t, x, span_raw),
            f"{have}; {MIN_READINGS} readings over {MIN_WINDOW_S:.0f} s are needed",
        )
    ends = range(MIN_READINGS - 1, len(t))
    windows = [_window(t, x, end) for end in ends]
    flags = [w is not None and _is_steady(w, span_raw) for w in windows]
    last = windows[-1]
    assert last is not None
    slope, noise, mean, width, count = last
    still, settled = _runs(t[MIN_READINGS - 1 :], flags)
    bubble = float(np.clip(slope / span_raw / (3 * SLOPE_LIMIT_SHARE_PER_MIN), -1, 1))
    return Steadiness(
        flags[-1],
        slope,
        noise,
        mean,
        width,
        count,
        still,
        settled,
        bubble,
        _say_steadiness(slope, noise, span_raw, unit),
    )


def _early_bubble(t: FloatArray, x: FloatArray, span_raw: float) -> float:
    if len(t) < 3 or t[-1] == t[0]:
        return 0.0
    slope = (x[-1] - x[0]) / (t[-1] - t[0]) * 60
    return float(np.clip(slope / span_raw / (3 * SLOPE_LIMIT_SHARE_PER_MIN), -1, 1))


def _window(t: FloatArray, x: FloatArray, end: int) -> tuple[float, float, float, float, int] | None:
    start = min(int(np.searchsorted(t, t[end] - MIN_WINDOW_S, side="right")) - 1, end - MIN_READINGS + 1)
    if start < 0:
        return None
    tw, xw = t[start : end + 1], x[start : end + 1]
    centred = (tw - tw.mean()) / 60
    slope = float(centred @ (xw - xw.mean()) / (centred @ centred))
    rest = xw - xw.mean() - slope * centred
    return slope, float(np.sqrt(rest @ rest / (len(rest) - 2))), float(xw.mean()), float(tw[-1] - tw[0]), len(tw)


def _is_steady(window: tuple[float, float, float, float, int], span_raw: float) -> bool:
    return abs(window[0]) <= SLOPE_LIMIT_SHARE_PER_MIN * span_raw and window[1] <= SD_LIMIT_SHARE * span_raw


def _runs(t: FloatArray, flags: list[bool]) -> tuple[float, float | None]:
    """Seconds the trailing steady run has lasted, and seconds the unsteady run before it took."""
    if not flags[-1]:
        return 0.0, None
    first = len(flags) - 1
    while first > 0 and flags[first - 1]:
        first -= 1
    before = first
    while before > 0 and not flags[before - 1]:
        before -= 1
    return float(t[-1] - t[first]), float(t[first] - t[before]) if before < first else None


def _say_steadiness(slope: float, noise: float, span_raw: float, unit: str) -> str:
    digits = 0 if span_raw > 200 else 3
    most = SLOPE_LIMIT_SHARE_PER_MIN * span_raw
    if abs(slope) > most:
        way = "rising" if slope > 0 else "falling"
        return f"still {way}: {abs(slope):.{digits}f} {unit} a minute, {most:.{digits}f} allowed"
    if noise > SD_LIMIT_SHARE * span_raw:
        return f"too restless: scatter {noise:.{digits}f} {unit}, {SD_LIMIT_SHARE * span_raw:.{digits}f} allowed"
    return "steady"
