"""The bed model: water and salts of a bed per plant, for planning, forecasting and the stand-in's physics.

One step function serves single beds (plain floats) and many beds (numpy arrays) alike; only the
pair (smaller, larger) differs, since builtin min and max are far faster on floats.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from .arrays import FloatArray
from .constants import STARTING_BYPASS_SHARE, STARTING_UPTAKE_MS_CM
from .errors import Inconsistent, OutOfRange, require_range

Number = Any
"""A float for one bed or a float array of shape (beds,) for many."""

MAX_STEP_S = 60.0


@dataclass(frozen=True)
class BedPhysics:
    """Constants of a bed: floats, or arrays of shape (beds,).

    volume_l [L per plant], capacity, drain_onset, dry_limit [m3/m3], bypass_share [-] at capacity,
    uptake_ms_cm [mS/cm].
    """

    volume_l: Number
    capacity: Number
    drain_onset: Number
    dry_limit: Number
    bypass_share: Number = STARTING_BYPASS_SHARE
    uptake_ms_cm: Number = STARTING_UPTAKE_MS_CM

    def __post_init__(self) -> None:
        if np.any(np.asarray(self.volume_l) <= 0):
            raise OutOfRange("volume_l", self.volume_l, "above 0 L per plant")
        if np.any(np.asarray(self.drain_onset) >= np.asarray(self.capacity)):
            raise Inconsistent("drain_onset", self.drain_onset, f"below the capacity {self.capacity}")
        if np.any(np.asarray(self.dry_limit) >= np.asarray(self.drain_onset)):
            raise Inconsistent("dry_limit", self.dry_limit, f"below the drain onset {self.drain_onset}")

    @cached_property
    def litres(self) -> _Litres:
        """The constants as the step wants them, worked out once."""
        return _Litres.of(self)


DRAIN_ONSET_SHARE = 0.30
"""Drain begins this share of the way from capacity to the dry limit. Starting value until the record shows it."""
UPTAKE_SHARE = 0.85
"""Uptake concentration as a share of the feed's. Starting value until the record shows it."""


def starting_physics(volume_l: float, capacity: float, dry_limit: float, feed_ms_cm: float) -> BedPhysics:
    """Physics of a bed nothing has been learnt about yet: volume [L per plant], levels [m3/m3], feed [mS/cm]."""
    onset = capacity - DRAIN_ONSET_SHARE * (capacity - dry_limit)
    return BedPhysics(volume_l, capacity, onset, dry_limit, uptake_ms_cm=UPTAKE_SHARE * feed_ms_cm)


@dataclass(frozen=True)
class BedWater:
    """State of a bed: theta [m3/m3] and salt [mS/cm L per plant] = pore EC x water."""

    theta: Number
    salt: Number


@dataclass(frozen=True)
class StepFlows:
    """What left the bed in a step [mL per plant; salt in mS/cm L]."""

    uptake_ml: Number
    drain_ml: Number
    drain_salt: Number
    uptake_salt: Number


def water_at(theta: Number, pore_ec_ms_cm: Number, physics: BedPhysics) -> BedWater:
    """State from θ [m3/m3] and pore-water conductivity [mS/cm]."""
    return BedWater(theta, pore_ec_ms_cm * theta * physics.volume_l)


def pore_ec_of(water: BedWater, physics: BedPhysics) -> Number:
    """Pore-water conductivity [mS/cm] of a state."""
    return water.salt / (water.theta * physics.volume_l)


@dataclass(frozen=True)
class _Litres:
    """The constants of a bed as the step wants them: litres and ready-made reciprocals."""

    onset: Number
    above_onset: Number
    capacity: Number
    twice_per_dry: Number
    bypass_share: Number
    uptake_ms_cm: Number
    zero: Number
    one: Number

    @classmethod
    def of(cls, p: BedPhysics) -> _Litres:
        volume = p.volume_l
        return cls(
            p.drain_onset * volume,
            1 / ((p.capacity - p.drain_onset) * volume),
            p.capacity * volume,
            2 / (p.dry_limit * volume),
            p.bypass_share,
            p.uptake_ms_cm,
            volume * 0.0,
            volume * 0.0 + 1.0,
        )


def _step(
    held: Number,
    salt: Number,
    dose: Number,
    dose_salt: Number,
    demand: Number,
    k: _Litres,
    smaller: Callable[..., Number],
    larger: Callable[..., Number],
) -> tuple[Number, Number, Number, Number, Number, Number]:
    """Litres held and salt after a step, then uptake, drain, drained and taken-up salt; all per plant."""
    wetness = smaller(k.one, larger(k.zero, (held - k.onset) * k.above_onset))
    bypass = k.bypass_share * wetness * dose
    throttle = smaller(k.one, larger(k.zero, held * k.twice_per_dry - k.one))
    uptake = smaller(demand * throttle, 0.5 * held)
    mixed, water = salt + dose_salt, held + dose
    rest = water - uptake
    drain = bypass + larger(k.zero, rest - bypass - k.capacity)
    drain_salt = drain * mixed / water
    undrained = mixed - drain_salt
    uptake_salt = smaller(uptake * k.uptake_ms_cm, undrained)
    return rest - drain, undrained - uptake_salt, uptake, drain, drain_salt, uptake_salt


def advance(
    water: BedWater,
    physics: BedPhysics,
    dose_ml: Number,
    feed_ms_cm: Number,
    demand_ml: Number,
    smaller: Callable[..., Number] = min,
    larger: Callable[..., Number] = max,
) -> tuple[BedWater, StepFlows]:
    """One explicit step of at most 60 s.

    Parameters
    ----------
    water, physics : state and constants, floats or arrays of shape (beds,).
    dose_ml : water given in the step [mL per plant].
    feed_ms_cm : its conductivity [mS/cm].
    demand_ml : potential crop use in the step [mL per plant], throttled below the dry limit.
    smaller, larger : min and max for floats, numpy.minimum and numpy.maximum for arrays.

    Returns
    -------
    New state and what left. Water: dose = change + uptake + drain. Salt likewise.

    References
    ----------
    science.md, Bed model: θ' = (I - U - D)/V; salts Δ(σ θ V) = dose σf - uptake σu - drain σrz.
    """
    dose = dose_ml / 1000
    held, salt, uptake, drain, drain_salt, uptake_salt = _step(
        water.theta * physics.volume_l,
        water.salt,
        dose,
        dose * feed_ms_cm,
        demand_ml / 1000,
        physics.litres,
        smaller,
        larger,
    )
    return BedWater(held / physics.volume_l, salt), StepFlows(uptake * 1000, drain * 1000, drain_salt, uptake_salt)


@dataclass(frozen=True)
class BedRun:
    """A run of a bed: arrays of shape (steps,) or (steps, beds), values after each step."""

    theta: FloatArray
    pore_ec_ms_cm: FloatArray
    uptake_ml: FloatArray
    drain_ml: FloatArray
    drain_salt: FloatArray
    uptake_salt: FloatArray


def run_bed(
    start: BedWater,
    physics: BedPhysics,
    dose_ml: FloatArray,
    feed_ms_cm: float,
    demand_ml: FloatArray,
) -> BedRun:
    """Run the model over given doses and demand, shape (steps,) for one bed, (steps, beds) for many.

    Doses and demand [mL per plant per step, >= 0, finite]. Raises Inconsistent for shapes that differ and
    OutOfRange for negative or NaN input: a hole in the forcing has no meaning here.
    """
    dose, demand = np.asarray(dose_ml, float), np.asarray(demand_ml, float)
    if dose.shape != demand.shape:
        raise Inconsistent("demand_ml", demand.shape, f"the shape of dose_ml {dose.shape}")
    for name, values in (("dose_ml", dose), ("demand_ml", demand)):
        if not np.all(values >= 0) or not np.all(np.isfinite(values)):
            raise OutOfRange(name, float(np.min(values)), "finite values of at least 0 mL")
    many = dose.ndim == 2
    low, high = (np.minimum, np.maximum) if many else (min, max)
    constants, litres = physics.litres, dose / 1000
    columns = (litres, litres * feed_ms_cm, demand / 1000)
    rows: Any = zip(*(c if many else c.tolist() for c in columns), strict=True)
    held, salt = start.theta * physics.volume_l, start.salt
    out = np.empty((6, *dose.shape))
    held_rows, salt_rows, uptake_rows, drain_rows, drain_salt_rows, uptake_salt_rows = out
    for i, (given, given_salt, wanted) in enumerate(rows):
        result = _step(held, salt, given, given_salt, wanted, constants, low, high)
        if many:
            held_rows[i], salt_rows[i], uptake_rows[i], drain_rows[i], drain_salt_rows[i], uptake_salt_rows[i] = result
        else:
            out[:, i] = result
        held, salt = result[0], result[1]
    # In place: a season of a hundred beds is 140 MB per column.
    out[1] /= out[0]
    out[0] /= physics.volume_l
    out[2:4] *= 1000
    return BedRun(*out)


def sub_steps(seconds: float) -> list[float]:
    """Split a time [s, >= 0] into equal steps of at most 60 s."""
    require_range("seconds", seconds, 0, 366 * 86400, "s")
    count = int(np.ceil(seconds / MAX_STEP_S))
    return [seconds / count] * count if count else []
