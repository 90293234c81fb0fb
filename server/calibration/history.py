"""Converted values by the hour: worked out from raw readings, anew from a moment on when a calibration changes."""

from collections.abc import Callable
from datetime import datetime, timedelta

import numpy as np
from django.db import transaction
from django.db.models import FloatField, Min
from django.db.models.functions import Cast, Extract

from fitting.models import Channel
from readings.bulk import copy_rows
from readings.models import Quality, Reading
from reedcore.curves import extrapolated

from .models import CalibrationVersion, HourValue
from .queries import in_force, values_of

CHUNK = timedelta(days=30)
HOUR_S = 3600
COLUMNS = ["channel_id", "hour", "low", "mean", "high", "readings", "outside"]


def read_raw(channel: Channel, start: datetime, end: datetime) -> tuple[np.ndarray, np.ndarray]:
    """Times [epoch s] and raw values of a channel, ascending, readings out of range left out; each of shape (n,)."""
    rows = (
        Reading.objects.filter(channel=channel, time__gte=start, time__lt=end, quality=Quality.GOOD)
        .order_by("time")
        .annotate(seconds=Cast(Extract("time", "epoch"), FloatField()))
        .values_list("seconds", "raw")
    )
    table = np.fromiter((v for row in rows.iterator(20_000) for v in row), float)
    return table[::2], table[1::2]


def first_reading(channel: Channel) -> datetime | None:
    found: datetime | None = Reading.objects.filter(channel=channel).aggregate(first=Min("time"))["first"]
    return found


def recompute(channel: Channel, start: datetime, now: datetime, go_on: Callable[[int, int], bool]) -> bool:
    """Work the hours from `start` to now out anew, a month a transaction.

    `go_on(done, total)` is told how far it is and answers whether to go on; False leaves the rest as it was.
    """
    start = start.replace(minute=0, second=0, microsecond=0)
    versions = in_force([channel.pk]).get(channel.pk, [])
    total = max(1, int(np.ceil((now - start) / CHUNK)))
    for done in range(total):
        begin = start + done * CHUNK
        _renew(channel, versions, begin, min(begin + CHUNK, now + timedelta(hours=1)))
        if not go_on(done + 1, total):
            return False
    return True


@transaction.atomic
def _renew(channel: Channel, versions: list[CalibrationVersion], start: datetime, end: datetime) -> None:
    times, raw = read_raw(channel, start, end)
    HourValue.objects.filter(channel=channel, hour__gte=start, hour__lt=end).delete()
    value = values_of(times, raw, versions) if versions else np.full(len(raw), np.nan)
    if channel.quantity != "raw":
        value = np.where(np.isnan(value), raw, value)
    outside = np.zeros(len(raw))
    for v in sorted(versions, key=lambda v: v.number):
        since = times >= v.valid_from.timestamp()
        outside[since] = np.asarray(extrapolated(raw[since], v.curve))
    keep = np.isfinite(value)
    if keep.any():
        copy_rows(HourValue, COLUMNS, _hours(channel.pk, times[keep], value[keep], outside[keep]), fresh=True)


def _hours(channel: int, times: np.ndarray, value: np.ndarray, outside: np.ndarray) -> list[tuple[object, ...]]:
    hours = (times // HOUR_S).astype(np.int64)
    starts = np.flatnonzero(np.concatenate([[True], np.diff(hours) != 0]))
    counts = np.diff(np.concatenate([starts, [len(hours)]]))
    low, high = np.minimum.reduceat(value, starts), np.maximum.reduceat(value, starts)
    mean, out = np.add.reduceat(value, starts) / counts, np.add.reduceat(outside, starts)
    zero = datetime.fromisoformat("1970-01-01T00:00:00+00:00")
    return [
        (channel, zero + timedelta(hours=int(h)), float(a), float(m), float(b), int(n), int(o))
        for h, a, m, b, n, o in zip(hours[starts], low, mean, high, counts, out, strict=True)
    ]
