"""From a wanted rise to millilitres, from millilitres to seconds of an open valve."""

from __future__ import annotations

from functools import lru_cache

from .constants import STARTING_FEEDBACK_GAIN
from .errors import Inconsistent, OutOfRange, require_range


def dose_ml_from_rise(rise: float, volume_l_per_plant: float, drain_share: float = 0.0) -> float:
    """Dose [mL per plant] that raises θ by `rise` [m3/m3, 0 to 0.6] at a drain share [0 to 0.9].

    Raises OutOfRange. Source: science.md, Dosing: Δθ V 1000/(1-drain share).
    """
    require_range("rise", rise, 0, 0.6, "m³/m³")
    require_range("drain_share", drain_share, 0, 0.9, "")
    require_range("volume_l_per_plant", volume_l_per_plant, 0.05, 500, "L per plant")
    return rise * volume_l_per_plant * 1000 / (1 - drain_share)


def dose_ml_from_share(share: float, volume_l_per_plant: float) -> float:
    """Dose [mL per plant] as a share of substrate volume [0.001 to 0.2, usual 0.01 to 0.06]. Raises OutOfRange."""
    require_range("share", share, 0.001, 0.2, "of the volume")
    require_range("volume_l_per_plant", volume_l_per_plant, 0.05, 500, "L per plant")
    return share * volume_l_per_plant * 1000


@lru_cache(maxsize=4096)  # asked again at every tick with the same numbers
def seconds_from_dose(dose_ml_per_plant: float, flow_ml_min_per_plant: float, line_fill_s: float = 0.0) -> float:
    """Seconds a valve stays open for a dose.

    Parameters
    ----------
    dose_ml_per_plant : dose [mL per plant, 1 to 20000].
    flow_ml_min_per_plant : tested, else rated, dripper flow [mL/min per plant, 1 to 2000].
    line_fill_s : time to fill the line before drippers run [s, 0 to 900].

    Returns
    -------
    Seconds = mL/(mL/min) 60 + line fill.

    Raises
    ------
    OutOfRange : an argument outside its range, or a watering time shorter than the line's filling
        time: the far drippers would hardly run.

    References
    ----------
    science.md, Dosing.
    """
    require_range("dose_ml_per_plant", dose_ml_per_plant, 1, 20000, "mL per plant")
    require_range("flow_ml_min_per_plant", flow_ml_min_per_plant, 1, 2000, "mL/min per plant")
    require_range("line_fill_s", line_fill_s, 0, 900, "s")
    watering = dose_ml_per_plant / flow_ml_min_per_plant * 60
    if watering < line_fill_s:
        least = line_fill_s / 60 * flow_ml_min_per_plant
        raise OutOfRange(
            "dose_ml_per_plant",
            dose_ml_per_plant,
            f"at least {least:.0f} mL per plant: this dose waters for {watering:.0f} s, "
            f"less than the {line_fill_s:.0f} s the line takes to fill",
        )
    return watering + line_fill_s


def bed_flow_l_min(flow_ml_min_per_plant: float, plants: int) -> float:
    """Flow of a whole bed [L/min] from the flow per plant and the plants [1 to 100000]."""
    require_range("plants", plants, 1, 100000, "plants")
    return flow_ml_min_per_plant * plants / 1000


def require_pump_can_feed(bed_l_min: float, busy_l_min: float, pump_l_min: float) -> float:
    """Return the flow left for others [L/min]. Raises Inconsistent when the pump cannot feed the bed as well."""
    left = pump_l_min - busy_l_min - bed_l_min
    if left < -1e-9:
        raise Inconsistent(
            "pump_flow_l_min",
            pump_l_min,
            f"at least {bed_l_min + busy_l_min:.1f} L/min: this bed takes {bed_l_min:.1f} and others {busy_l_min:.1f}",
        )
    return left


def drain_share(drain_ml: float, dose_ml: float) -> float:
    """Drain over dose [-]; NaN when nothing was dosed. Raises OutOfRange for negative volumes."""
    require_range("drain_ml", drain_ml, 0, 1e9, "mL")
    require_range("dose_ml", dose_ml, 0, 1e9, "mL")
    return drain_ml / dose_ml if dose_ml > 0 else float("nan")


def drain_feedback_factor(target: float, measured: float, gain: float = STARTING_FEEDBACK_GAIN) -> float:
    """Tomorrow's dose factor, bounded to 0.85-1.15. Source: science.md, 1 + g (target - measured)."""
    require_range("target", target, 0, 0.9, "")
    require_range("measured", measured, 0, 1, "")
    return min(1.15, max(0.85, 1 + gain * (target - measured)))
