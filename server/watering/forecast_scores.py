"""How kept forecasts came true."""

from dataclasses import dataclass
from datetime import date

from places.models import Bed

from .models import ForecastKept


@dataclass
class ForecastScore:
    """Yesterday's forecast against the day, and the mean score of the last days [0 to 1]."""

    day: date
    said_pulses: int
    got_pulses: int
    said_ml: float
    got_ml: float
    score: float
    mean_score: float
    days: int


def last_score(bed: Bed) -> ForecastScore | None:
    """The newest scored forecast of a bed; None before the first."""
    rows = list(ForecastKept.objects.filter(bed=bed, score__isnull=False).order_by("-day")[:14])
    if not rows:
        return None
    k, scores = rows[0], [r.score or 0.0 for r in rows]
    return ForecastScore(
        k.day,
        k.pulses,
        k.got_pulses or 0,
        k.dose_ml,
        k.got_dose_ml or 0.0,
        k.score or 0.0,
        sum(scores) / len(scores),
        len(rows),
    )
