"""Day figures of a bed: worked out from the record, kept, and renewed when a calibration changes."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from django.db import transaction

from places.models import Bed
from places.sun import sun_times
from reedcore.climate import light_sum_from_radiation

from .models import DayFigure, Pulse, PulseState
from .ribbon import drops_of, read_tracks

STEP = timedelta(minutes=5)
FIELDS = ("pulses", "dose_ml", "drain_ml", "peak", "lowest", "night_fall_points", "light_sum_j_cm2")


@dataclass
class DayOut:
    day: date
    pulses: int
    dose_ml: float
    drain_share: float | None
    peak: float | None
    lowest: float | None
    night_fall_points: float | None
    light_sum_j_cm2: float | None


def day_start(bed: Bed, day: date) -> datetime:
    zone = ZoneInfo(bed.house.site.time_zone)
    return datetime(day.year, day.month, day.day, tzinfo=zone)


@transaction.atomic
def renew_day(bed: Bed, day: date) -> DayFigure | None:
    """Work out a civil day of a bed anew. None when nothing was read that day."""
    start, end = day_start(bed, day), day_start(bed, day + timedelta(days=1))
    tracks = read_tracks(bed, start, end, STEP)
    pulses = Pulse.objects.filter(bed=bed, ordered_at__gte=start, ordered_at__lt=end).exclude(
        state=PulseState.NOT_GIVEN
    )
    doses = [p.dose_ml for p in pulses]
    drops = drops_of(tracks.drain, start, STEP)
    if np.all(np.isnan(tracks.theta)) and np.all(np.isnan(tracks.radiation)) and not doses:
        return None
    known = tracks.theta[np.isfinite(tracks.theta)]
    values = {
        "pulses": len(doses),
        "dose_ml": sum(doses),
        "drain_ml": sum(d.ml for d in drops) if np.any(np.isfinite(tracks.drain)) else None,
        "peak": float(known.max()) if len(known) else None,
        "lowest": float(known.min()) if len(known) else None,
        "night_fall_points": _night_fall(bed, day, tracks.theta, start),
        "light_sum_j_cm2": _light(tracks.radiation),
    }
    row, _ = DayFigure.objects.update_or_create(bed=bed, day=day, defaults=values)
    return row


def _light(radiation: np.ndarray) -> float | None:
    filled = radiation[np.isfinite(radiation)]
    # A gap of a few buckets is filled by the mean of the rest; a day that is half missing has no sum.
    if len(filled) < 0.9 * len(radiation):
        return None
    return light_sum_from_radiation(np.full(len(radiation), filled.mean()), STEP.total_seconds())


def _night_fall(bed: Bed, day: date, theta: np.ndarray, start: datetime) -> float | None:
    """Points lost from midnight to sunrise, by medians of half an hour at both ends."""
    sunrise = sun_times(bed.house.site, day)[0]
    end = int((sunrise - start) / STEP)
    first, last = theta[:6], theta[max(0, end - 6) : max(1, end)]
    if np.all(np.isnan(first)) or np.all(np.isnan(last)):
        return None
    return float(100 * (np.nanmedian(first) - np.nanmedian(last)))


def days_of(bed: Bed) -> list[DayOut]:
    """The last fourteen day figures, newest first."""
    return [
        DayOut(
            d.day,
            d.pulses,
            d.dose_ml,
            d.drain_ml / d.dose_ml if d.drain_ml is not None and d.dose_ml > 0 else None,
            d.peak,
            d.lowest,
            d.night_fall_points,
            d.light_sum_j_cm2,
        )
        for d in bed.day_figures.order_by("-day")[:14]
    ]
