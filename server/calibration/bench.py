"""The calibration bench of a probe: live raw value, steadiness, captures so far, and what they would give."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from common.figures import Figure
from fitting.models import Probe, Quantity
from places.beds import capacity_of
from places.substrates import medium_of
from readings.models import Reading
from reedcore.calibration import MIN_POINT_SHARE, CalibrationPoint, Steadiness, steadiness, two_point_calibration
from reedcore.errors import ReedError

from .models import CalibrationVersion, Capture, PointKind

WINDOW = timedelta(minutes=6)


@dataclass
class BenchPoint:
    kind: PointKind
    title: str
    instruction: str
    proposed_theta: float
    origin: str
    theta: float | None
    raw: float | None
    noise_raw: float | None
    taken_at: datetime | None
    taken_by: str


@dataclass
class BenchResult:
    slope_counts_per_point: float
    resolution_points: float
    raw_falls: bool
    theta_now: float


@dataclass
class VersionOut:
    number: int
    method: str
    provisional: bool
    valid_from: datetime
    published_by: str
    raw_dry: float
    raw_wet: float
    theta_dry: float
    theta_wet: float
    resolution_points: float
    raw_falls: bool


@dataclass
class Bench:
    probe: int
    probe_name: str
    probe_kind: str
    bed: int
    bed_name: str
    span_raw: float
    raw: float | None
    at: datetime | None
    steady: bool
    bubble: float
    why: str
    slope_per_min: float | None
    noise: float | None
    still_for_s: float
    settled_after_s: float | None
    times: list[datetime]
    raws: list[float]
    points: list[BenchPoint]
    result: BenchResult | None
    problem: str
    problem_field: str
    versions: list[VersionOut]
    ml_per_point: Figure
    theta: Figure
    water: Figure


def recent_raw(probe: Probe, now: datetime, window: timedelta = WINDOW) -> tuple[list[datetime], np.ndarray]:
    """Times and raw readings of the probe's raw channel over the last `window`, and at least the last 30 readings."""
    readings = Reading.objects.filter(channel__probe=probe, channel__quantity=Quantity.RAW, time__lte=now)
    rows = list(readings.filter(time__gt=now - window).order_by("-time").values_list("time", "raw")[:600])
    if len(rows) < 30:
        # A fast demo clock leaves few readings in the window: the judgement needs ten.
        rows = list(
            readings.filter(time__gt=now - timedelta(hours=2)).order_by("-time").values_list("time", "raw")[:30]
        )
    rows.reverse()
    return [t for t, _ in rows], np.array([r for _, r in rows], dtype=float)


def judge(probe: Probe, now: datetime) -> tuple[list[datetime], np.ndarray, Steadiness]:
    """Recent readings and whether they are steady. Readings from before the probe was moved, or from before the
    last capture, do not count: the next point lies somewhere else."""
    times, raws = recent_raw(probe, now)
    moments = [probe.moved_at, *probe.captures.filter(superseded=False).values_list("taken_at", flat=True)]
    since = max((m for m in moments if m is not None), default=None)
    first = next((i for i, t in enumerate(times) if since is None or t > since), len(times))
    seconds = np.array([t.timestamp() for t in times[first:]])
    return times, raws, steadiness(seconds, raws[first:], probe.span_raw)


def open_captures(probe: Probe) -> dict[str, Capture]:
    return {c.kind: c for c in probe.captures.filter(superseded=False).select_related("taken_by")}


def not_moved(probe: Probe, kind: str, raw: float) -> CalibrationPoint | None:
    """The other captured point, where the reading has not left it: the probe is still in the same mix."""
    for other, capture in open_captures(probe).items():
        if other != kind and abs(capture.raw - raw) < MIN_POINT_SHARE * probe.span_raw:
            return point_of(capture)
    return None


def point_of(capture: Capture) -> CalibrationPoint:
    return CalibrationPoint(capture.raw, capture.noise_raw, capture.theta)


def bench_points(probe: Probe, captures: dict[str, Capture]) -> list[BenchPoint]:
    """The two cards: what to do, which θ is proposed and why, and what has been captured."""
    bed, m = probe.bed, medium_of(probe.bed)
    capacity = capacity_of(bed)
    return [
        _point(
            PointKind.DRY,
            "Dry mix",
            f"Put the probe in air-dried {m.name}, pressed as in the bed.",
            m.dry_mix_theta,
            f"air-dried {m.name}, {m.origin}",
            captures,
        ),
        _point(
            PointKind.WET,
            "Soaked and drained",
            f"Soak the {m.name}, let it drain until it stops dripping, put the probe in.",
            capacity,
            f"{m.name} capacity at {bed.height_cm:g} cm, {m.origin}",
            captures,
        ),
    ]


def _point(
    kind: PointKind, title: str, instruction: str, theta: float, origin: str, captures: dict[str, Capture]
) -> BenchPoint:
    c = captures.get(kind)
    return BenchPoint(
        kind,
        title,
        instruction,
        round(theta, 3),
        origin,
        c.theta if c else None,
        c.raw if c else None,
        c.noise_raw if c else None,
        c.taken_at if c else None,
        str(c.taken_by) if c else "",
    )


def bench_result(probe: Probe, captures: dict[str, Capture], raw_now: float) -> tuple[BenchResult | None, str, str]:
    """What the captured points give, or why they give nothing and at which field."""
    if PointKind.DRY not in captures or PointKind.WET not in captures:
        return None, "", ""
    try:
        line = two_point_calibration(
            point_of(captures[PointKind.DRY]), point_of(captures[PointKind.WET]), probe.span_raw
        )
    except ReedError as error:
        return None, f"{error.field.replace('_', ' ')} is {error.value:g}; expected {error.expectation}", error.field
    theta_now = line.intercept + line.slope * raw_now
    return BenchResult(0.01 / line.slope, line.resolution_points, line.raw_falls_as_water_rises, theta_now), "", ""


def version_out(v: CalibrationVersion) -> VersionOut:
    return VersionOut(
        v.number,
        v.get_method_display(),
        v.provisional,
        v.valid_from,
        str(v.published_by),
        v.raw_dry,
        v.raw_wet,
        v.theta_dry,
        v.theta_wet,
        v.resolution_points,
        v.slope < 0,
    )
