"""A simulated dielectric probe: place, lag, raw curve, noise and the faults it can have."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .errors import require_range


class Fault(StrEnum):
    """Faults that can be set on a probe."""

    NONE = "none"
    STUCK = "stuck"
    DRIFT = "drift"
    LOST_CONTACT = "lost_contact"
    WRONG_SPAN = "wrong_span"
    DEAD = "dead"


class Place(StrEnum):
    """Where the probe is. BED is its real place, the others are for the bench."""

    BED = "bed"
    DRY_MIX = "dry_mix"
    DRAINED_MIX = "drained_mix"
    AIR = "air"
    WATER = "water"


@dataclass(frozen=True)
class RawCurve:
    """Raw value against water content: raw_air at θ = 0, raw_water at θ = 1, bent by `bend` [-0.5 to 0.5].

    raw = raw_air + (raw_water - raw_air) (θ + bend θ (1 - θ)). Either end may be the larger.
    """

    raw_air: float
    raw_water: float
    bend: float = 0.0

    def __post_init__(self) -> None:
        require_range("bend", self.bend, -0.5, 0.5, "")


@dataclass(frozen=True)
class Probe:
    """A probe: curve, noise sd [raw], lags [s] and fault with its onset size [raw or share].

    contact: response in the medium as a share of that in plain water with the same water content; it is
    why a calibration in air and water stretches the span.
    """

    curve: RawCurve
    noise_raw: float = 20.0
    lag_s: float = 150.0
    bench_lag_s: float = 14.0
    fault: Fault = Fault.NONE
    fault_size: float = 0.0
    contact: float = 1.0


AIR_PERMITTIVITY, WATER_PERMITTIVITY = 1.0, 80.3
REFRACTIVE_A, REFRACTIVE_B = 0.1138, 0.1758
"""Ledieu et al. 1986, J. Hydrol. 88; soilless media need their own."""


def raw_from_water_content(theta: float, curve: RawCurve) -> float:
    """Raw value at θ [m3/m3, 0 to 1] for a curve; θ outside is held at the ends, as a real rail does."""
    u = min(1.0, max(0.0, theta))
    return curve.raw_air + (curve.raw_water - curve.raw_air) * (u + curve.bend * u * (1 - u))


def permittivity_from_water_content(theta: float) -> float:
    """Apparent permittivity [-] from θ [m3/m3, 0 to 1]: refractive form of Ledieu et al. 1986 inverted."""
    return min(WATER_PERMITTIVITY, max(AIR_PERMITTIVITY, ((theta + REFRACTIVE_B) / REFRACTIVE_A) ** 2))


def follow(seen: float, truth: float, seconds: float, lag_s: float) -> float:
    """First-order lag: what the probe sees after `seconds` [s] on the way to `truth`."""
    return truth + (seen - truth) * math.exp(-seconds / lag_s) if lag_s > 0 else truth


def response_at(place: Place, probe: Probe, bed_theta: float, dry_mix: float, capacity: float) -> float:
    """What a probe would settle at in a place: water content times contact in media, 0 in air, 1 in water."""
    in_media = {Place.BED: bed_theta, Place.DRY_MIX: dry_mix, Place.DRAINED_MIX: capacity}
    if place in in_media:
        return in_media[place] * probe.contact
    return 1.0 if place is Place.WATER else 0.0


def read_raw(probe: Probe, seen: float, rng: np.random.Generator, previous_raw: float = float("nan")) -> float:
    """One raw reading of a response [0 in air to 1 in water] with noise and fault. NaN for a dead probe."""
    if probe.fault is Fault.DEAD:
        return float("nan")
    if probe.fault is Fault.STUCK and not math.isnan(previous_raw):
        return previous_raw
    response = 0.0 if probe.fault is Fault.LOST_CONTACT else seen
    if probe.fault is Fault.WRONG_SPAN:
        response = response * (1 + probe.fault_size)
    drift = probe.fault_size if probe.fault is Fault.DRIFT else 0.0
    raw = raw_from_water_content(response, probe.curve) + drift + float(rng.normal(0.0, probe.noise_raw))
    return float(round(min(65535.0, max(0.0, raw))))


def series_raw(
    probe: Probe, theta: np.ndarray, step_s: float, rng: np.random.Generator, start_seen: float | None = None
) -> np.ndarray:
    """Raw readings of a θ series [m3/m3] at even steps [s], with lag and noise but no fault; same shape."""
    decay = math.exp(-step_s / probe.lag_s) if probe.lag_s > 0 else 0.0
    seen, level = np.empty_like(theta), float(theta[0] if start_seen is None else start_seen)
    for i, value in enumerate(theta.tolist()):
        level = value + (level - value) * decay
        seen[i] = level
    u = np.clip(seen * probe.contact, 0, 1)
    c = probe.curve
    raw = c.raw_air + (c.raw_water - c.raw_air) * (u + c.bend * u * (1 - u)) + rng.normal(0, probe.noise_raw, len(u))
    return np.round(np.clip(raw, 0, 65535))
