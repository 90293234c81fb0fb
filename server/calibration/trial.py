"""Side-by-side trial of two channels: common grid, what they differ by, when, and the correction that would mend it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from fitting.models import Channel
from places.models import Site
from places.sun import elevation_at
from reedcore.compare import Comparison, compare_series, correction_curve, on_grid, verdict_of
from reedcore.curves import Curve, Form, table_through, value_from_curve
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange, ReedError
from reedcore.sensors import quantity

from .history import read_raw
from .models import CalibrationVersion
from .queries import corrected, current_calibrations, in_force

MOST_STEPS = 20_000
TOLERANCE = {
    "air_temp": 0.5,
    "leaf_temp": 0.5,
    "medium_temp": 0.5,
    "humidity": 3,
    "co2": 50,
    "par": 25,
    "radiation": 15,
    "feed_ec": 0.1,
}
TOLERANCE |= {"bulk_ec": 0.1, "ph": 0.1, "suction": 0.5, "theta": 0.02}
AIR = ("air_temp", "humidity", "leaf_temp")


@dataclass
class Trial:
    """Series of both on the grid, the comparison, its verdict, and what each correction would leave."""

    step_s: float
    unit: str
    a: list[float | None]
    b: list[float | None]
    result: Comparison
    sun: list[float]
    verdict: str
    offset: Curve
    offset_rmse: float
    slope: Curve | None
    slope_rmse: float | None


def gives_of(channel: Channel, now: datetime) -> str:
    version = current_calibrations([channel.pk], now).get(channel.pk)
    return version.gives if version else channel.quantity


def series_of(channel: Channel, start: datetime, end: datetime) -> tuple[np.ndarray, np.ndarray]:
    """Converted values of a channel over a period."""
    times, raw = read_raw(channel, start, end)
    return times, corrected(times, raw, in_force([channel.pk]).get(channel.pk, []))


def run_trial(
    site: Site, a: Channel, b: Channel, start: datetime, end: datetime, step_s: float, tolerance: float | None
) -> Trial:
    """Compare two channels. Raises OutOfRange, Inconsistent or NotDetermined at the field that is wrong."""
    kind = gives_of(a, end)
    if a.pk == b.pk:
        raise Inconsistent("b", b.pk, "another channel than the first")
    if gives_of(b, end) != kind:
        raise Inconsistent(
            "b", quantity_name(gives_of(b, end)), f"a channel that gives {quantity_name(kind)} too; calibrate it first"
        )
    if not start < end:
        raise Inconsistent("end", end.isoformat(timespec="minutes"), f"after {start.isoformat(timespec='minutes')}")
    steps = int((end - start).total_seconds() // step_s)
    if not 12 <= steps <= MOST_STEPS:
        raise OutOfRange("step_s", step_s, f"12 to {MOST_STEPS} steps in the period, not {steps}")
    left, right = (on_grid(*series_of(c, start, end), start.timestamp(), step_s, steps) for c in (a, b))
    if not (np.isfinite(left) & np.isfinite(right)).any():
        raise NotDetermined("period", "no common reading", "a period in which both channels gave readings")
    zone = ZoneInfo(site.time_zone)
    moments = [start + timedelta(seconds=(i + 0.5) * step_s) for i in range(steps)]
    local = [m.astimezone(zone) for m in moments]
    hour = np.array([m.hour + m.minute / 60 for m in local])
    within = tolerance if tolerance is not None else float(TOLERANCE.get(kind, 1.0))
    result = compare_series(left, right, hour, within)
    sun = sun_by_hour(site, start, end)
    unit = "" if kind == "theta" else quantity(kind).unit
    offset, offset_rmse = correction_curve(left, right, with_slope=False)
    try:
        slope, slope_rmse = correction_curve(left, right, with_slope=True)
    except ReedError:
        slope, slope_rmse = None, None
    verdict = verdict_of(result, unit, tuple(sun), kind in AIR and a.house_id == b.house_id)
    return Trial(
        step_s, unit, left.tolist(), right.tolist(), result, sun, verdict, offset, offset_rmse, slope, slope_rmse
    )


def quantity_name(code: str) -> str:
    return "water content" if code == "theta" else quantity(code).name


def sun_by_hour(site: Site, start: datetime, end: datetime) -> list[float]:
    """Solar elevation at the middle of each hour of the site's day, half-way through the period [degrees]."""
    zone = ZoneInfo(site.time_zone)
    day = (start + (end - start) / 2).astimezone(zone)
    return [elevation_at(site, day.replace(hour=h, minute=30, second=0, microsecond=0)) for h in range(24)]


def held_throughout(channel: Channel, start: datetime, end: datetime) -> CalibrationVersion | None:
    """The calibration the trial's values of a channel stand on. Raises NotDetermined where it changed within the period."""
    before = current_calibrations([channel.pk], start).get(channel.pk)
    after = current_calibrations([channel.pk], end - timedelta(seconds=1)).get(channel.pk)
    if (before and before.pk) != (after and after.pk):
        raise NotDetermined("period", "a calibration changed within it", "a period under one calibration")
    return after


def laid_over(correction: Curve, held: Curve | None) -> Curve:
    """The curve from raw to the corrected value: a correction (linear) laid over the curve in force."""
    if held is None:
        return correction
    a, b = correction.coefficients
    if held.form in (Form.LINEAR, Form.QUADRATIC, Form.CUBIC, Form.ROOT):
        first, *rest = held.coefficients
        return Curve(held.form, (a + b * first, *(b * c for c in rest)), held.low, held.high)
    x = np.linspace(held.low, held.high, 33) if held.form is not Form.TABLE else np.array(held.coefficients[::2])
    y = a + b * np.asarray(value_from_curve(x, held))
    return table_through(list(zip(x.tolist(), y.tolist(), strict=True)))
