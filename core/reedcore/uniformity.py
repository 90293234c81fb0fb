"""The dripper test: flow per dripper from catch cups, three measures of evenness with class words, what to clean."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .errors import OutOfRange, require_range

CLEAN_UNDER = 0.90
"""A dripper under this share of the median is to be cleaned. Starting value."""
SWAP_UNDER = 0.60
"""A dripper under this share of the median is to be swapped: cleaning seldom brings it back. Starting value."""
WORN_OVER = 1.15
"""A dripper over this share of the median is worn or leaks at its seat. Starting value."""


class Verdict(StrEnum):
    GOOD = "good"
    CLEAN = "clean"
    SWAP = "swap"
    WORN = "worn"


def _volumes(volumes_ml: FloatArray) -> FloatArray:
    v = np.asarray(volumes_ml, dtype=float)
    if v.ndim != 1 or len(v) < 4:
        raise OutOfRange("volumes_ml", len(np.atleast_1d(v)), "at least 4 cups")
    if not np.all(np.isfinite(v)) or np.any(v < 0) or np.any(v > 1e5):
        raise OutOfRange("volumes_ml", float(v[~((v >= 0) & (v <= 1e5))][0]), "0 to 100000 mL in each cup")
    if not v.sum() > 0:
        raise OutOfRange("volumes_ml", 0.0, "water in at least one cup")
    return v


def christiansen_uniformity(volumes_ml: FloatArray) -> float:
    """Christiansen's coefficient [%] of cup volumes [mL, shape (cups,), at least 4]: 100 (1 - Σ|v - mean|/(n mean)).

    Raises OutOfRange. Source: Christiansen 1942.
    """
    v = _volumes(volumes_ml)
    return float(100 * (1 - np.abs(v - v.mean()).sum() / (len(v) * v.mean())))


def low_quarter_uniformity(volumes_ml: FloatArray) -> float:
    """Distribution uniformity [%]: mean of the lowest quarter of the cups over the mean of all, at least one cup.

    Raises OutOfRange. Source: Merriam and Keller 1978.
    """
    v = np.sort(_volumes(volumes_ml))
    return float(100 * v[: max(1, round(len(v) / 4))].mean() / v.mean())


def emission_uniformity(volumes_ml: FloatArray, drippers_per_plant: float = 1.0) -> float:
    """Emission uniformity [%]: 100 (1 - 1.27 Cv/√e) smallest/mean, e drippers per plant [0.1 to 20].

    Raises OutOfRange. Source: Keller and Karmeli 1974, with the scatter found in the cups.
    """
    v = _volumes(volumes_ml)
    require_range("drippers_per_plant", drippers_per_plant, 0.1, 20, "drippers per plant")
    scatter = float(v.std(ddof=1) / v.mean())
    return float(max(0.0, 100 * (1 - 1.27 * scatter / np.sqrt(drippers_per_plant)) * v.min() / v.mean()))


CLASSES = ((90.0, "excellent"), (80.0, "good"), (70.0, "fair"), (60.0, "poor"))


def uniformity_class(uniformity_pct: float) -> str:
    """Word for a uniformity [%]: excellent from 90, good 80, fair 70, poor 60, else unacceptable. Source: ASAE EP458."""
    return next((word for least, word in CLASSES if uniformity_pct >= least), "unacceptable")


@dataclass(frozen=True)
class DripperTest:
    """Result: flows [mL/min, shape (cups,)], measures [%], verdict per dripper, mean flow [mL/min]."""

    flows_ml_min: FloatArray
    christiansen: float
    low_quarter: float
    emission: float
    verdicts: tuple[Verdict, ...]

    @property
    def mean_flow_ml_min(self) -> float:
        return float(self.flows_ml_min.mean())


def dripper_test(volumes_ml: FloatArray, minutes: float, drippers_per_plant: float = 1.0) -> DripperTest:
    """Judge a catch-cup test.

    Parameters
    ----------
    volumes_ml : cup volumes in bed order [mL, shape (cups,), at least 4, each 0 to 100000].
    minutes : time of catching [min, 0.2 to 240].
    drippers_per_plant : [0.1 to 20].

    Returns
    -------
    DripperTest with three measures and what to do with each dripper.

    Raises
    ------
    OutOfRange : too few cups, a negative volume, all cups empty, or a time outside its range.

    References
    ----------
    Christiansen 1942; Merriam and Keller 1978; Keller and Karmeli 1974. Limits per dripper are starting values.
    """
    require_range("minutes", minutes, 0.2, 240, "min")
    v = _volumes(volumes_ml)
    return DripperTest(
        v / minutes,
        christiansen_uniformity(v),
        low_quarter_uniformity(v),
        emission_uniformity(v, drippers_per_plant),
        tuple(_verdict(share) for share in (v / np.median(v[v > 0])).tolist()),
    )


def _verdict(share: float) -> Verdict:
    if share < SWAP_UNDER:
        return Verdict.SWAP
    if share < CLEAN_UNDER:
        return Verdict.CLEAN
    return Verdict.WORN if share > WORN_OVER else Verdict.GOOD
