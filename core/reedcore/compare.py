"""Side by side: two sensors that should agree, what they differ by, when, and what that means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from .arrays import FloatArray
from .curves import Curve, Form
from .errors import Inconsistent, NotDetermined
from .fits import fit_points

LEAST_SHARED = 12
"""Fewer common steps than this say nothing about two sensors."""
BINS = 15


@dataclass(frozen=True)
class Comparison:
    """Differences a - b in the sensors' unit, over the steps both have (n); a_alone and b_alone count the others.

    a_mean, b_mean: over the shared steps; a_all, b_all: over each one's own. limits: 95 % limits of agreement.
    edges (BINS + 1), shares (BINS): histogram. by_hour, by_hour_n (24): mean difference and count by hour of the site's
    day; NaN where there is none. slope: of a on b, with its standard error; by_hour_sloped, sd_sloped: by hour, and the spread, once that is taken out.
    """

    n: int
    a_alone: int
    b_alone: int
    a_mean: float
    b_mean: float
    a_all: float
    b_all: float
    bias: float
    mae: float
    rmse: float
    sd: float
    limits: tuple[float, float]
    within: float
    tolerance: float
    edges: tuple[float, ...]
    shares: tuple[float, ...]
    by_hour: tuple[float, ...]
    by_hour_n: tuple[int, ...]
    slope: float
    slope_error: float
    by_hour_sloped: tuple[float, ...]
    sd_sloped: float


def on_grid(time_s: FloatArray, value: FloatArray, start_s: float, step_s: float, steps: int) -> FloatArray:
    """Means of a series on an even grid, shape (steps,); NaN where a step holds no reading. NaN readings are left out."""
    t, v = np.asarray(time_s, float), np.asarray(value, float)
    keep = np.isfinite(v) & (t >= start_s) & (t < start_s + steps * step_s)
    place = ((t[keep] - start_s) // step_s).astype(int)
    sums, counts = np.bincount(place, v[keep], steps), np.bincount(place, minlength=steps)
    return np.where(counts > 0, sums / np.maximum(counts, 1), np.nan)


def compare_series(a: FloatArray, b: FloatArray, hour: FloatArray, tolerance: float) -> Comparison:
    """Compare two series on one grid.

    Parameters
    ----------
    a, b : values, shape (n,), NaN where there is none.
    hour : hour of the site's day of each step [0 to 24), shape (n,).
    tolerance : largest difference that does not matter, same unit, > 0.

    Returns
    -------
    Comparison.

    Raises
    ------
    Inconsistent : shapes differ, or no tolerance. NotDetermined : fewer than 12 common steps.

    References
    ----------
    Bland and Altman 1986, Lancet 327: limits of agreement, bias ± 1.96 sd.
    """
    a, b, hour = np.asarray(a, float), np.asarray(b, float), np.asarray(hour, float)
    if a.shape != b.shape or a.shape != hour.shape:
        raise Inconsistent("b", len(b), f"as many steps as a ({len(a)})")
    if not tolerance > 0:
        raise Inconsistent("tolerance", tolerance, "a tolerance above 0")
    both = np.isfinite(a) & np.isfinite(b)
    n = int(both.sum())
    if n < LEAST_SHARED:
        raise NotDetermined(
            "period", f"{n} common steps", f"a period in which both sensors gave at least {LEAST_SHARED} readings"
        )
    d = a[both] - b[both]
    bias, sd = float(d.mean()), float(d.std(ddof=1))
    reach = max(float(np.abs(d).max()), tolerance) * 1.0001
    counts, edges = np.histogram(d, BINS, (-reach, reach))
    by_hour, by_n = _by_hour(d, hour[both])
    slope, error = _slope(a[both], b[both])
    sloped = d - (slope - 1) * (b[both] - b[both].mean()) if slope == slope else d
    return Comparison(
        n, int((np.isfinite(a) & ~both).sum()), int((np.isfinite(b) & ~both).sum()),
        float(a[both].mean()), float(b[both].mean()), float(np.nanmean(a)), float(np.nanmean(b)),
        bias, float(np.abs(d).mean()), float(np.sqrt(np.mean(d**2))), sd, (bias - 1.96 * sd, bias + 1.96 * sd),
        float(np.mean(np.abs(d) <= tolerance)), tolerance, tuple(edges.tolist()), tuple((counts / n).tolist()),
        by_hour, by_n, slope, error, _by_hour(sloped, hour[both])[0], float(sloped.std(ddof=1)),
    )  # fmt: skip


def _by_hour(d: FloatArray, hour: FloatArray) -> tuple[tuple[float, ...], tuple[int, ...]]:
    place = hour.astype(int) % 24
    sums, counts = np.bincount(place, d, 24), np.bincount(place, minlength=24)
    means = np.where(counts > 0, sums / np.maximum(counts, 1), np.nan)
    return tuple(means.tolist()), tuple(int(c) for c in counts)


def _slope(a: FloatArray, b: FloatArray) -> tuple[float, float]:
    spread = float(((b - b.mean()) ** 2).sum())
    if spread == 0:
        return float("nan"), float("nan")
    slope = float(((a - a.mean()) * (b - b.mean())).sum()) / spread
    rest = a - a.mean() - slope * (b - b.mean())
    return slope, float(np.sqrt(rest @ rest / max(1, len(a) - 2) / spread))


@dataclass(frozen=True)
class HoursApart:
    """A run of hours in which the difference stands apart from the rest of the day, by `by` in the sensors' unit."""

    first: int
    after: int
    by: float


def hours_apart(c: Comparison) -> HoursApart | None:
    """The strongest run of hours whose mean difference lies more than the tolerance, and than four standard errors, away
    from the day's median. A run may cross midnight; None where there is none, or where it takes in more than 12 hours (then it is not a time of day)."""
    profile = np.array(c.by_hour)
    if np.isfinite(profile).sum() < 12:
        return None
    rest = profile - float(np.nanmedian(profile))
    best: HoursApart | None = None
    scatter = 4 * c.sd / np.sqrt(np.maximum(1, np.array(c.by_hour_n)))
    for sign in (1, -1):
        out = [bool(sign * r > max(c.tolerance, s)) for r, s in zip(rest, scatter, strict=True)]
        for start in range(24):
            if not out[start] or out[start - 1]:
                continue
            length = next((k for k in range(1, 24) if not out[(start + k) % 24]), 24)
            if length > 12:
                continue
            by = float(np.mean([rest[(start + k) % 24] for k in range(length)]))
            if best is None or abs(by) * length > abs(best.by) * ((best.after - best.first) % 24):
                best = HoursApart(start, (start + length) % 24, by)
    return best


def verdict_of(c: Comparison, unit: str, sun: tuple[float, ...] | None = None, air: bool = False) -> str:
    """What a comparison means, in one or two sentences.

    Parameters
    ----------
    c : the comparison, a against b. unit : of both. sun : mean solar elevation by hour of day [degrees], 24 values.
    air : whether these are air sensors in shields.
    """
    high = "high" if c.bias > 0 else "low"
    grows = c.slope == c.slope and abs(c.slope - 1) > max(0.03, 3 * c.slope_error)
    sloped = np.array(c.by_hour_sloped)
    even = bool(np.nanmax(np.abs(sloped - np.nanmedian(sloped))) <= c.tolerance)
    apart = hours_apart(c)
    if apart is not None and not (grows and even):
        return _told_apart(c, apart, unit, sun, air)
    if c.within >= 0.95 and abs(c.bias) <= c.tolerance / 2:
        return f"They agree: {100 * c.within:.0f} % of readings lie within {c.tolerance:g} {unit}. No correction is needed."
    if c.sd_sloped > c.tolerance:
        return (
            f"They scatter by {c.sd:.2g} {unit} about each other, more than the {c.tolerance:g} {unit} that matters. "
            "No offset mends that: look for a loose probe, another place, or a fault first."
        )
    if grows:
        return (
            f"The first reads {abs(c.bias):.2g} {unit} {high} on average, and the difference grows with the value "
            f"(slope {c.slope:.3f} ± {c.slope_error:.3f}). A slope correction suits it."
        )
    return (
        f"The first reads {abs(c.bias):.2g} {unit} {high} at all hours; the rest is scatter of {c.sd:.2g} {unit}. "
        "An offset correction suits it."
    )


def _told_apart(c: Comparison, apart: HoursApart, unit: str, sun: tuple[float, ...] | None, air: bool) -> str:
    hours = [(apart.first + k) % 24 for k in range((apart.after - apart.first) % 24)]
    told = (
        f"The first reads {abs(apart.by):.1f} {unit} {'high' if apart.by > 0 else 'low'} between "
        f"{apart.first:02d}:00 and {apart.after:02d}:00 against the rest of the day"
    )
    if sun is None or not air:
        return f"{told}. Find what is different then before trusting a correction."
    lit = [h for h in hours if sun[h] > 0]
    if len(lit) == len(hours):
        shield = "first" if apart.by > 0 else "second"
        return f"{told}: the shield of the {shield} stands in the sun; move it before trusting a correction."
    if not lit:
        return f"{told}, without sun: one of them may stand near a heater, a vent or a wet surface; move it before trusting a correction."
    return f"{told}. Find what is different then before trusting a correction."


def correction_curve(a: FloatArray, b: FloatArray, with_slope: bool) -> tuple[Curve, float]:
    """The correction that brings a to b over the steps both have: offset, or offset and slope; and the RMSE left.

    Raises NotDetermined with fewer than 12 common steps, or where a does not vary enough for a slope.
    """
    both = np.isfinite(a) & np.isfinite(b)
    x, y = np.asarray(a, float)[both], np.asarray(b, float)[both]
    if len(x) < LEAST_SHARED:
        raise NotDetermined("period", f"{len(x)} common steps", f"at least {LEAST_SHARED}")
    if with_slope:
        fit = fit_points(x.tolist(), y.tolist(), Form.LINEAR)
        if not 0.2 < fit.curve.coefficients[1] < 5:
            raise NotDetermined(
                "slope", round(fit.curve.coefficients[1], 3), "a slope of 0.2 to 5: the period holds too little change"
            )
        return fit.curve, fit.rmse
    offset = float((y - x).mean())
    low, high = float(x.min()), float(x.max())
    curve = Curve(Form.LINEAR, (offset, 1.0), low, high if high > low else low + 1.0)
    return curve, float(np.sqrt(np.mean((y - x - offset) ** 2)))


def interval_95(values: FloatArray) -> tuple[float, float]:
    """95 % interval of a mean by Student's t; NaN for fewer than two values."""
    v = np.asarray(values, float)
    v = v[np.isfinite(v)]
    if len(v) < 2:
        return float("nan"), float("nan")
    half = float(stdtrit(len(v) - 1, 0.975)) * float(v.std(ddof=1)) / np.sqrt(len(v))
    return float(v.mean() - half), float(v.mean() + half)
