"""Factors of things that count or measure by geometry: flow meter, doser, drain gauge, scale, light sensor, CO2, distance."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .curves import Curve, line_through, scaled_only, shifted_only, table_through
from .errors import Inconsistent, NotDetermined, require_range
from .tanks import Tank, litres_from_level

FRESH_AIR_CO2_PPM = 425.0
"""Open air [ppm]; a starting value that rises about 2.5 ppm a year. NOAA GML, global mean 2025."""


def flow_k_factor(pulses: float, litres: float) -> float:
    """Pulses per litre of a flow meter from a measured bucket: pulses [>= 20], litres [0.05 to 1e4]. Raises OutOfRange."""
    require_range("pulses", pulses, 20, 1e9, "pulses, so that one more or less is under 5 %")
    require_range("litres", litres, 0.05, 1e4, "L")
    return pulses / litres


def doser_ml_per_s(millilitres: Sequence[float], seconds: Sequence[float]) -> tuple[float, float]:
    """Doser flow [mL/s] and its scatter [% of it] from runs into a measuring cylinder, each at least 1 s and 1 mL.

    Raises Inconsistent for lengths that differ, OutOfRange for a run too short, NotDetermined without a run.
    """
    if len(millilitres) != len(seconds):
        raise Inconsistent("seconds", len(seconds), f"as many runs as volumes ({len(millilitres)})")
    if not millilitres:
        raise NotDetermined("runs", 0, "at least one run")
    for ml, s in zip(millilitres, seconds, strict=True):
        require_range("seconds", s, 1, 3600, "s")
        require_range("millilitres", ml, 1, 1e6, "mL")
    rates = np.asarray(millilitres, float) / np.asarray(seconds, float)
    mean = float(np.sum(millilitres) / np.sum(seconds))
    scatter = 100 * float(np.std(rates, ddof=1)) / mean if len(rates) > 1 else float("nan")
    return mean, scatter


def tip_ml(millilitres: float, tips: float) -> float:
    """mL per tip of a drain or rain gauge from a poured volume [10 to 1e5 mL] and its tips [>= 5]. Raises OutOfRange."""
    require_range("millilitres", millilitres, 10, 1e5, "mL")
    require_range("tips", tips, 5, 1e6, "tips, so that one more or less is under 20 %")
    return millilitres / tips


def scale_curve(read_zero_g: float, read_load_g: float, load_g: float) -> Curve:
    """A scale from its empty reading and a known load [g, >= 100]. Raises OutOfRange, NotDetermined."""
    require_range("load_g", load_g, 100, 1e6, "g")
    return line_through(read_zero_g, 0.0, read_load_g, load_g)


def light_factor(read: Sequence[float], reference: Sequence[float]) -> tuple[float, float]:
    """Factor of a light sensor against a reference and the scatter of single factors [% of it].

    Parameters
    ----------
    read, reference : same length, same unit, each above 5 % of the brightest, or the pair is left out.

    Raises
    ------
    Inconsistent : lengths differ. NotDetermined : no pair bright enough.

    References
    ----------
    Least squares through the origin.
    """
    r, t = np.asarray(read, float), np.asarray(reference, float)
    if r.shape != t.shape:
        raise Inconsistent("reference", len(t), f"as many values as readings ({len(r)})")
    bright = (r > 0) & (t > 0.05 * (t.max() if len(t) else 0))
    if not bright.any():
        raise NotDetermined("points", len(r), "at least one pair in good light")
    r, t = r[bright], t[bright]
    factor = float(r @ t / (r @ r))
    return factor, 100 * float(np.std(t / r)) / factor


def fresh_air_curve(read_ppm: float, true_ppm: float = FRESH_AIR_CO2_PPM) -> Curve:
    """Offset of a CO2 sensor from one fresh-air point [ppm]. Raises OutOfRange where it read further off than 300 ppm."""
    require_range("true_ppm", true_ppm, 380, 600, "ppm")
    require_range(
        "read_ppm", read_ppm, true_ppm - 300, true_ppm + 300, "ppm; in wind, away from people, vents and exhausts"
    )
    return shifted_only(true_ppm - read_ppm, 0, 5000)


def litres_from_distance_curve(tank: Tank, face_above_floor_cm: float, steps: int = 33) -> Curve:
    """Litres over the distance from a sensor's face down to the water, from the tank's sides.

    Parameters
    ----------
    tank : the tank. face_above_floor_cm : height of the sensor's face above the floor [cm], above the full level.

    Raises
    ------
    Inconsistent : a face below the full level.
    """
    if face_above_floor_cm < tank.depth_cm:
        raise Inconsistent(
            "face_above_floor_cm", face_above_floor_cm, f"at least the tank's depth of {tank.depth_cm:g} cm"
        )
    levels = np.linspace(0, tank.depth_cm, steps)
    return table_through([(face_above_floor_cm - float(h), float(litres_from_level(tank, float(h)))) for h in levels])


def litres_curve_from_fills(distance_cm: Sequence[float], litres: Sequence[float]) -> Curve:
    """Litres over distance from measured fills, at least two. Raises Inconsistent, NotDetermined."""
    if len(distance_cm) != len(litres):
        raise Inconsistent("litres", len(litres), f"as many values as distances ({len(distance_cm)})")
    return table_through(list(zip(distance_cm, litres, strict=True)))


def factor_curve(factor: float, high: float) -> Curve:
    """value = factor x count, for counters."""
    return scaled_only(factor, 0.0, high)


def suction_curve(read_zero: float, read_ref: float | None = None, ref_kpa: float | None = None) -> Curve:
    """A tensiometer from its reading in free water and, where given, at a known suction [kPa, 2 to 90].

    Raises OutOfRange: a zero further off than 5 kPa (air in the cup). Inconsistent : the second point half given.
    """
    require_range("read_zero", read_zero, -5, 5, "kPa in free water; more means air in the cup or a leaking seal")
    if (read_ref is None) != (ref_kpa is None):
        raise Inconsistent("ref_kpa", ref_kpa, "both the reading and the suction of the second point, or neither")
    if read_ref is None or ref_kpa is None:
        return shifted_only(-read_zero, -5, 90)
    require_range("ref_kpa", ref_kpa, 2, 90, "kPa")
    return line_through(read_zero, 0.0, read_ref, ref_kpa)


def temperature_curve(read_c: Sequence[float], true_c: Sequence[float]) -> Curve:
    """A thermometer from one point (offset) or two (offset and slope).

    Raises Inconsistent for lengths that differ or a correction beyond 10 K, NotDetermined without a point or with two
    closer than 5 K.
    """
    if len(read_c) != len(true_c):
        raise Inconsistent("true_c", len(true_c), f"as many values as readings ({len(read_c)})")
    if not read_c:
        raise NotDetermined("points", 0, "at least one point")
    for r, t in zip(read_c, true_c, strict=True):
        if abs(r - t) > 10:
            raise Inconsistent(
                "true_c", t, f"within 10 K of the reading {r:.1f} °C; a thermometer that far off is broken"
            )
    if len(read_c) == 1:
        return shifted_only(true_c[0] - read_c[0], -40, 80)
    if max(true_c) - min(true_c) < 5:
        raise NotDetermined("true_c", max(true_c), f"at least 5 K away from {min(true_c):.1f} °C")
    low, high = int(np.argmin(true_c)), int(np.argmax(true_c))
    return line_through(read_c[low], true_c[low], read_c[high], true_c[high])


def humidity_curve(read_pct: Sequence[float], true_pct: Sequence[float]) -> Curve:
    """A humidity sensor from one reference (offset) or two salts (offset and slope). Raises as temperature_curve, with
    20 % apart and 15 % off as limits."""
    if len(read_pct) != len(true_pct):
        raise Inconsistent("true_pct", len(true_pct), f"as many values as readings ({len(read_pct)})")
    if not read_pct:
        raise NotDetermined("points", 0, "at least one point")
    for r, t in zip(read_pct, true_pct, strict=True):
        if abs(r - t) > 15:
            raise Inconsistent("true_pct", t, f"within 15 % of the reading {r:.0f} %; replace the sensor")
    if len(read_pct) == 1:
        return shifted_only(true_pct[0] - read_pct[0], 0, 100)
    if max(true_pct) - min(true_pct) < 20:
        raise NotDetermined("true_pct", max(true_pct), f"at least 20 % away from {min(true_pct):.0f} %")
    low, high = int(np.argmin(true_pct)), int(np.argmax(true_pct))
    return line_through(read_pct[low], true_pct[low], read_pct[high], true_pct[high])
