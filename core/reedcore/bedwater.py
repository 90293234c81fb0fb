"""One water content for a bed that has several probes, by a rule the grower chooses, with its spread."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .sense import Trust


class Rule(StrEnum):
    """How several probes make one figure."""

    MEDIAN = "median"
    DRIEST = "driest"
    MEAN = "mean"
    NOT_NEAREST = "not_nearest"


RULE_WORDS = {
    Rule.MEDIAN: "the median: one odd probe does not move it",
    Rule.DRIEST: "the driest: no plant is left short, others may drain more",
    Rule.MEAN: "the mean: steady, and every probe counts",
    Rule.NOT_NEAREST: "the mean without the probe nearest to the dripper, which sees the drip before the roots do",
}


@dataclass(frozen=True)
class ProbeWater:
    """A probe's θ [m3/m3], its trust, its distance to the dripper [cm], whether it is calibrated only provisionally."""

    name: str
    theta: float
    trust: Trust = Trust.TRUSTED
    dripper_cm: float = 0.0
    provisional: bool = False


@dataclass(frozen=True)
class BedWaterContent:
    """θ [m3/m3], NaN where no probe may be used; spread between probes (highest - lowest); who counted and who did not."""

    theta: float
    spread: float
    used: tuple[str, ...]
    left_out: tuple[str, ...]


def combine(probes: Sequence[ProbeWater], rule: Rule) -> BedWaterContent:
    """A bed's water content.

    Probes not to be used, or without a value, are left out; doubtful or provisional ones count only where no sound one
    is there. With one probe every rule gives that probe.
    """
    there = [p for p in probes if math.isfinite(p.theta) and p.trust is not Trust.NOT_TO_BE_USED]
    sound = [p for p in there if p.trust is Trust.TRUSTED and not p.provisional]
    firm = [p for p in there if not p.provisional]
    used = sound or firm or there
    if rule is Rule.NOT_NEAREST and len(used) > 1:
        nearest = min(used, key=lambda p: p.dripper_cm)
        used = [p for p in used if p is not nearest]
    left_out = tuple(p.name for p in probes if p not in used)
    if not used:
        return BedWaterContent(float("nan"), float("nan"), (), left_out)
    if len(used) == 1:
        return BedWaterContent(used[0].theta, 0.0, (used[0].name,), left_out)
    values = np.array([p.theta for p in used])
    level = np.median(values) if rule is Rule.MEDIAN else values.min() if rule is Rule.DRIEST else values.mean()
    return BedWaterContent(float(level), float(np.ptp(values)), tuple(p.name for p in used), left_out)


def mixed_series(probes: Sequence[FloatArray], rule: Rule, count: int) -> FloatArray:
    """One θ series [m3/m3] of shape (count,) from those of several probes; NaN where none has a value.

    For drawings of the past: which probe was trusted then is not asked, and NOT_NEAREST counts as the mean.
    """
    rows = [p for p in probes if np.isfinite(p).any()]
    if not rows:
        return np.full(count, np.nan)
    if len(rows) == 1:
        return rows[0]
    stack = np.vstack(rows)
    out = np.full(count, np.nan)
    known = np.isfinite(stack).any(axis=0)
    level = np.nanmedian if rule is Rule.MEDIAN else np.nanmin if rule is Rule.DRIEST else np.nanmean
    out[known] = level(stack[:, known], axis=0)
    return out
