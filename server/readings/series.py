"""Series of readings for drawings: evenly bucketed means per channel."""

from datetime import datetime, timedelta

import numpy as np
from django.contrib.postgres.aggregates import RegrSlope
from django.db.models import Avg, DateTimeField, DurationField, ExpressionWrapper, F, FloatField, Func, Max, Value
from django.db.models.functions import Extract

from .models import Quality, Reading

NAN = float("nan")


def _bucket(start: datetime, step: timedelta) -> Func:
    return Func(
        Value(step, DurationField()),
        F("time"),
        Value(start, DateTimeField()),
        function="date_bin",
        output_field=DateTimeField(),
    )


def bucketed(
    channel_ids: list[int], start: datetime, end: datetime, step: timedelta, last_value: bool = False
) -> dict[int, np.ndarray]:
    """Mean (or, for counters, highest) raw per channel and bucket from `start` to `end`; NaN where there is none.

    Each array has shape (buckets,). Readings flagged out of range are left out.
    """
    count = max(1, int(np.ceil((end - start) / step)))
    out = {c: np.full(count, NAN) for c in channel_ids}
    rows = (
        Reading.objects.filter(channel__in=channel_ids, time__gte=start, time__lt=end, quality=Quality.GOOD)
        .annotate(bucket=_bucket(start, step))
        .values("channel_id", "bucket")
        .annotate(level=Max("raw") if last_value else Avg("raw"))
        .values_list("channel_id", "bucket", "level")
    )
    for channel, bucket, level in rows.order_by():
        out[channel][int((bucket - start) / step)] = level
    return out


def slopes_per_hour(channel_ids: list[int], start: datetime, end: datetime) -> dict[int, float]:
    """Least-squares slope of raw per hour per channel over a stretch of time."""
    seconds = ExpressionWrapper(Extract("time", "epoch"), output_field=FloatField())
    rows = (
        Reading.objects.filter(channel__in=channel_ids, time__gt=start, time__lte=end, quality=Quality.GOOD)
        .values("channel_id")
        .annotate(slope=RegrSlope("raw", seconds))
        .values_list("channel_id", "slope")
    )
    return {channel: slope * 3600 for channel, slope in rows.order_by() if slope is not None}
