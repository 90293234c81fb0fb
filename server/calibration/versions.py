"""Two versions over the same raw data: what differs, where the step is, and what thresholds mean on the other scale."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from fitting.models import Channel
from readings.series import bucketed
from reedcore.curves import Curve, extrapolated, value_from_curve, x_from_value
from reedcore.errors import ReedError

from .models import CalibrationVersion

BUCKETS = 240


@dataclass
class ThresholdRow:
    """A threshold of the bed's programme on the old scale, and the number that means the same water on the new one."""

    field: str
    name: str
    old: float
    new: float | None
    why_not: str


@dataclass
class ScaleComparison:
    """Values of the same raw readings by two curves; None where nothing was read. step: mean of b - a."""

    start: datetime
    end: datetime
    step_min: float
    raw: list[float | None]
    a: list[float | None]
    b: list[float | None]
    step: float | None
    step_now: float | None
    outside_share: float
    thresholds: list[ThresholdRow]
    programme: int | None
    bed: int | None


def compare(channel: Channel, a: Curve | None, b: Curve, now: datetime, days: float, is_water: bool) -> ScaleComparison:
    """Lay two curves over the last days of a channel."""
    start = now - timedelta(days=days)
    width = timedelta(days=days) / BUCKETS
    raw = bucketed([channel.pk], start, now, width)[channel.pk]
    new = np.asarray(value_from_curve(raw, b))
    old = np.asarray(value_from_curve(raw, a)) if a is not None else np.full(len(raw), np.nan)
    both = np.isfinite(new) & np.isfinite(old)
    last = np.flatnonzero(both)
    known = np.isfinite(raw)
    outside = float(np.mean(np.asarray(extrapolated(raw[known], b)))) if known.any() else 0.0
    programme, rows = thresholds(channel, a, b) if is_water else (None, [])
    return ScaleComparison(
        start, now, width.total_seconds() / 60, raw.tolist(), old.tolist(), new.tolist(),
        float((new - old)[both].mean()) if both.any() else None, float((new - old)[last[-1]]) if len(last) else None, outside, rows,
        programme, channel.bed_id,
    )  # fmt: skip


THRESHOLDS = {"low": "gives water below", "high": "stops at", "rescue": "rescues at night below"}


def thresholds(channel: Channel, a: Curve | None, b: Curve) -> tuple[int | None, list[ThresholdRow]]:
    """The programme of the channel's bed, each threshold in the same water on the new scale."""
    from watering.models import ProgrammeVersion  # watering stands on calibration; only its record is asked for here

    row = ProgrammeVersion.objects.filter(bed=channel.bed_id).order_by("-number").first() if channel.bed_id else None
    if row is None or a is None:
        return None, []
    out = []
    for name, words in THRESHOLDS.items():
        old = float(row.body[name])
        try:
            out.append(ThresholdRow(name, words, old, float(value_from_curve(x_from_value(old, a), b)), ""))
        except ReedError as error:
            out.append(
                ThresholdRow(name, words, old, None, f"no raw value of the old scale gives it: {error.expectation}")
            )
    return row.number, out


def curve_before(version: CalibrationVersion) -> Curve | None:
    """The curve that held before a version took over."""
    rows = CalibrationVersion.objects.filter(channel=version.channel, number__lt=version.number, reverted_at=None)
    last = rows.filter(valid_from__lte=version.valid_from).order_by("-number").first()
    return last.curve if last else None
