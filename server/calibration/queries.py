"""Which calibration applies to a raw value, and what value it gives."""

from collections.abc import Iterable
from datetime import datetime

import numpy as np

from common.figures import Figure, worked
from reedcore.curves import Curve, Form, extrapolated, value_from_curve
from reedcore.sensors import quantity

from .models import CalibrationVersion


def in_force(channel_ids: Iterable[int]) -> dict[int, list[CalibrationVersion]]:
    """The versions that were not reverted, by channel, in the order of their numbers."""
    out: dict[int, list[CalibrationVersion]] = {}
    rows = CalibrationVersion.objects.filter(channel__in=list(channel_ids), reverted_at=None).order_by(
        "channel_id", "number"
    )
    for row in rows:
        if row.channel_id is not None:
            out.setdefault(row.channel_id, []).append(row)
    return out


def current_calibrations(channel_ids: Iterable[int], at: datetime) -> dict[int, CalibrationVersion]:
    """The version in force of each channel at a moment: the highest number that begins by then."""
    rows = (
        CalibrationVersion.objects.filter(channel__any_of=list(channel_ids), valid_from__lte=at, reverted_at=None)
        .order_by("channel_id", "-number")
        .distinct("channel_id")
    )
    newest = dict(rows.values_list("channel_id", "pk"))
    missing = [pk for pk in newest.values() if pk not in _held]
    if missing:
        if len(_held) > MOST_HELD:
            _held.clear()
            missing = list(newest.values())
        _held.update(CalibrationVersion.objects.in_bulk(missing))
    return {channel: _held[pk] for channel, pk in newest.items() if channel is not None}


_held: dict[int, CalibrationVersion] = {}
"""Published versions as they were read. What a curve is never changes; whether it is in force is asked each time."""
MOST_HELD = 5000


def values_of(times_s: np.ndarray, raw: np.ndarray, versions: list[CalibrationVersion]) -> np.ndarray:
    """Values of raw readings at epoch seconds, each by the version in force then; NaN before the first.

    A later number takes over from its moment on, also over numbers that begin after it.
    """
    value = np.full(len(raw), np.nan)
    for version in sorted(versions, key=lambda v: v.number):
        since = times_s >= version.valid_from.timestamp()
        value[since] = value_from_curve(raw[since], version.curve)
    return value


def corrected(times_s: np.ndarray, raw: np.ndarray, versions: list[CalibrationVersion]) -> np.ndarray:
    """The same for a quantity that means something without a calibration too: before the first version raw stands."""
    value = values_of(times_s, raw, versions)
    return np.where(np.isnan(value), raw, value) if versions else raw


def corrected_value(version: CalibrationVersion | None, raw: float) -> float:
    """One value by its version; raw itself for a channel without one."""
    return raw if version is None else float(value_from_curve(raw, version.curve))


def water_content_series(times_s: np.ndarray, raw: np.ndarray, versions: list[CalibrationVersion]) -> np.ndarray:
    """θ [m3/m3] of raw values at epoch seconds by the versions that give θ; NaN before the first."""
    return values_of(times_s, raw, [v for v in versions if v.gives == "theta"])


def told(version: CalibrationVersion) -> str:
    """A version in words, for the source of a figure."""
    return f"calibration {version.number}, {version.method_name}" + (", provisional" if version.provisional else "")


UNITS = {"theta": "% v/v", "litres": "L", "millilitres": "mL", "tank": "L"}


def unit_of(gives: str) -> str:
    """Unit of what a calibration gives."""
    return UNITS.get(gives) or quantity(gives).unit


_TERMS = ("a", "b", "c", "d")


def figure_of(version: CalibrationVersion, raw: float, source: str, at: datetime | None) -> Figure:
    """A converted value with the arithmetic of its curve."""
    figure = _worked(version, raw, source, at)
    figure.unit = unit_of(version.gives)
    return figure


def _worked(version: CalibrationVersion, raw: float, source: str, at: datetime | None) -> Figure:
    curve, theta = version.curve, version.gives == "theta"
    beyond = ", outside the captured range: extrapolated" if extrapolated(raw, curve) == 1 else ""
    source = f"{source}, {told(version)}{beyond}"
    if theta and version.form == Form.LINEAR and len(version.points) == 2:
        first, second = sorted(version.points, key=lambda p: p["y"])
        ends = {"raw_dry": first["x"], "raw_wet": second["x"], "theta_dry": first["y"], "theta_wet": second["y"]}
        return worked("two_point", {"raw": raw, **ends}, source, at)
    if version.form == Form.TABLE:
        return worked("table_between", {"raw": raw, **_bracket(curve, raw)}, source, at)
    code = {Form.ROOT: "curve_root", Form.POWER10: "curve_power10", Form.LOGLOG: "curve_loglog"}.get(
        Form(version.form), "curve"
    )
    terms = dict(zip(_TERMS, (*curve.coefficients, 0.0, 0.0), strict=False))
    wanted = ("a", "b", "c", "d") if code == "curve" else ("a", "b")
    suffix = "_theta" if theta and code in ("curve", "curve_root") else ""
    return worked(code + suffix, {"raw": raw, **{t: terms[t] for t in wanted}}, source, at)


def _bracket(curve: Curve, raw: float) -> dict[str, float]:
    xs, ys = curve.coefficients[::2], curve.coefficients[1::2]
    i = int(np.clip(np.searchsorted(xs, raw), 1, len(xs) - 1))
    return {"x1": xs[i - 1], "y1": ys[i - 1], "x2": xs[i], "y2": ys[i]}
