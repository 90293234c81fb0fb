"""Flags on readings: what is wrong with each, vectorised. Flags stand beside the data; nothing is deleted."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from .arrays import FloatArray
from .errors import Inconsistent

Mask = npt.NDArray[np.bool_]
HAMPEL_SIDE = 3
"""Neighbours on each side that a spike is judged against."""
SCALE_MAD = 1.4826
"""Median absolute deviation to standard deviation, normal scatter."""


class Flag(StrEnum):
    """What can be wrong with a reading."""

    RANGE = "range"
    RAIL = "rail"
    STEP = "step"
    SPIKE = "spike"
    FLAT = "flat"
    GAP = "gap"
    DUPLICATE = "duplicate"
    LATE = "late"
    CLOCK_JUMP = "clock_jump"
    LOST_CONTACT = "lost_contact"


FLAG_WORDS = {
    Flag.RANGE: "outside what the sensor can read",
    Flag.RAIL: "at the end of the converter",
    Flag.STEP: "a jump no watering makes",
    Flag.SPIKE: "a single reading away from its neighbours",
    Flag.FLAT: "the very same value for too long",
    Flag.GAP: "the first reading after a gap",
    Flag.DUPLICATE: "the same moment twice",
    Flag.LATE: "arrived long after it was taken",
    Flag.CLOCK_JUMP: "the node's clock jumped",
    Flag.LOST_CONTACT: "dropped at once to the value in air",
}
NOT_FOR_CONTROL = frozenset(
    {Flag.RANGE, Flag.RAIL, Flag.SPIKE, Flag.FLAT, Flag.LOST_CONTACT, Flag.CLOCK_JUMP, Flag.STEP}
)
"""Readings a controller must not act on. A gap's first reading and a late one are true, only not fresh."""


@dataclass(frozen=True)
class FlagRules:
    """Limits of the flags, in the channel's raw unit and seconds; NaN switches a rule off.

    low, high: range. rail_low, rail_high: ends of the converter. step: largest change between neighbours. spike: least
    distance of a spike from the median of its neighbours, which must also be 5 scatters. flat_s: longest time without any
    change. gap_s: longest time between neighbours. late_s: longest way. air: the value in air, air_near: what counts as it.
    """

    low: float = float("nan")
    high: float = float("nan")
    rail_low: float = float("nan")
    rail_high: float = float("nan")
    step: float = float("nan")
    spike: float = float("nan")
    flat_s: float = 3600.0
    gap_s: float = 900.0
    late_s: float = 3600.0
    air: float = float("nan")
    air_near: float = float("nan")


def flag_series(
    time_s: FloatArray, raw: FloatArray, rules: FlagRules, received_s: FloatArray | None = None
) -> dict[Flag, Mask]:
    """Judge every reading of a channel.

    Parameters
    ----------
    time_s : when each was taken [s], in the order of arrival, shape (n,).
    raw : readings, same shape; NaN where the sensor gave none, never flagged.
    rules : limits. received_s : when each arrived [s], same shape, if known.

    Returns
    -------
    A mask of shape (n,) for every flag.

    Raises
    ------
    Inconsistent : shapes differ.

    References
    ----------
    Spikes: Hampel identifier, Pearson 2002, IEEE Trans. Control Syst. Technol. 10; the others by their definition.
    """
    t, x = np.asarray(time_s, float), np.asarray(raw, float)
    if t.shape != x.shape or (received_s is not None and np.shape(received_s) != t.shape):
        raise Inconsistent("raw", len(x), f"as many readings as times ({len(t)})")
    there = np.isfinite(x)
    none = np.zeros(len(x), bool)
    spikes = _spikes(x, rules.spike) if len(x) else none
    rail = (x <= rules.rail_low) | (x >= rules.rail_high)
    lost = _lost_contact(x, rules)
    flags = {
        Flag.RANGE: ((x < rules.low) | (x > rules.high)) & ~rail,
        Flag.RAIL: rail,
        Flag.STEP: _steps(x, spikes | lost, rules.step),
        Flag.SPIKE: spikes,
        Flag.FLAT: _flat(t, x, rules.flat_s),
        Flag.GAP: _after(np.diff(t) > rules.gap_s, len(t)),
        Flag.DUPLICATE: _after(np.diff(t) == 0, len(t)),
        Flag.LATE: none if received_s is None else np.asarray(received_s, float) - t > rules.late_s,
        Flag.CLOCK_JUMP: _clock_jumps(t),
        Flag.LOST_CONTACT: lost,
    }
    return {flag: mask & there for flag, mask in flags.items()}


def _after(hit: Mask, n: int) -> Mask:
    return np.concatenate([np.zeros(min(1, n), bool), hit])


def _clock_jumps(t: FloatArray) -> Mask:
    """Readings taken before one that had arrived already, up to where time has caught up."""
    if not len(t):
        return np.zeros(0, bool)
    return np.asarray(t < np.maximum.accumulate(t))


def _spikes(x: FloatArray, least: float) -> Mask:
    n, side = len(x), HAMPEL_SIDE
    if n < 2 * side + 1 or least != least:
        return np.zeros(n, bool)
    # Only readings that leave both neighbours can be spikes: the medians are then worked out for few.
    before, after = np.abs(np.diff(x, prepend=np.nan)), np.abs(np.diff(x, append=np.nan))
    maybe = np.flatnonzero((before > least / 2) & (after > least / 2))
    maybe = maybe[(maybe >= 1) & (maybe < n - 1)]
    out = np.zeros(n, bool)
    if not len(maybe):
        return out
    offsets = np.concatenate([np.arange(-side, 0), np.arange(1, side + 1)])
    around = x[np.clip(maybe[:, None] + offsets, 0, n - 1)]
    middle = np.nanmedian(around, axis=1)
    scatter = SCALE_MAD * np.nanmedian(np.abs(around - middle[:, None]), axis=1)
    away = np.abs(x[maybe] - middle)
    out[maybe[(away > least) & (away > 5 * scatter)]] = True
    return out


def _steps(x: FloatArray, left_out: Mask, limit: float) -> Mask:
    if limit != limit or len(x) < 2:
        return np.zeros(len(x), bool)
    sound = np.flatnonzero(np.isfinite(x) & ~left_out)
    out = np.zeros(len(x), bool)
    out[sound[1:][np.abs(np.diff(x[sound])) > limit]] = True
    return out


def _flat(t: FloatArray, x: FloatArray, longest_s: float) -> Mask:
    if longest_s != longest_s or len(x) < 2:
        return np.zeros(len(x), bool)
    starts = np.concatenate([[True], np.diff(x) != 0])
    run = np.cumsum(starts) - 1
    first = np.flatnonzero(starts)
    since = t - t[first][run]
    return np.asarray(since > longest_s)


def _lost_contact(x: FloatArray, rules: FlagRules) -> Mask:
    """Runs at the value in air that began with a jump to it: drying out gets there slowly."""
    if rules.air != rules.air or rules.air_near != rules.air_near or len(x) < 2:
        return np.zeros(len(x), bool)
    near = np.abs(x - rules.air) <= rules.air_near
    jump = _after(np.abs(np.diff(x)) > 2 * rules.air_near, len(x))
    begins = near & jump & ~np.concatenate([[False], near[:-1]])
    run = np.cumsum(np.concatenate([[True], np.diff(near.astype(int)) != 0])) - 1
    bad = np.zeros(int(run[-1]) + 1, bool)
    bad[run[begins]] = True
    return np.asarray(near & bad[run])


def spans_of(time_s: FloatArray, mask: Mask) -> list[tuple[float, float, int]]:
    """Runs of flagged readings as (first time, last time, how many), in order."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(int)))
    return [(float(time_s[a]), float(time_s[b - 1]), int(b - a)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def usable(flags: dict[Flag, Mask]) -> Mask:
    """Readings a controller may act on."""
    masks = [m for f, m in flags.items() if f in NOT_FOR_CONTROL]
    return ~np.logical_or.reduce(masks)
