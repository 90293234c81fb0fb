"""Which calibration applies to a raw value, and what θ it gives."""

from collections.abc import Iterable
from datetime import datetime

import numpy as np

from reedcore.calibration import water_content_from_raw

from .models import CalibrationVersion


def current_calibrations(probe_ids: Iterable[int], at: datetime) -> dict[int, CalibrationVersion]:
    """The version in force of each probe at a moment, by probe."""
    rows = (
        CalibrationVersion.objects.filter(probe__in=list(probe_ids), valid_from__lte=at)
        .order_by("probe_id", "-valid_from", "-number")
        .distinct("probe_id")
    )
    return {row.probe_id: row for row in rows}


def water_content_series(times_s: np.ndarray, raw: np.ndarray, versions: list[CalibrationVersion]) -> np.ndarray:
    """θ [m3/m3] of raw values at epoch seconds, each by the version in force then; NaN before the first."""
    theta = np.full(len(raw), np.nan)
    for version in sorted(versions, key=lambda v: (v.valid_from, v.number)):
        since = times_s >= version.valid_from.timestamp()
        theta[since] = water_content_from_raw(raw[since], version.slope, version.intercept)
    return theta
