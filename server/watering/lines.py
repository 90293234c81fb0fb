"""The small ribbons of the house list: each bed's day so far in quarter hours."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from calibration.queries import in_force, water_content_series
from common.clock import site_now
from fitting.models import Channel, Quantity
from places.models import Bed, Site
from readings.series import bucketed
from reedcore.bedwater import Rule, mixed_series

from .forecast import span_around
from .models import Pulse, PulseState

LINE_STEP = timedelta(minutes=15)


@dataclass
class Line:
    """A bed's day so far in quarter hours for the house list; θ as m3/m3."""

    bed: int
    theta: list[float | None]
    pulses: list[float]


@dataclass
class Lines:
    start: datetime
    sunrise: datetime
    end: datetime
    step_min: int
    lines: list[Line]


def lines_of(site: Site) -> Lines:
    """The small ribbons of the house list."""
    now = site_now(site)
    span = span_around(site, now)
    channels = list(
        Channel.objects.filter(
            bed__house__site=site, quantity__in=(Quantity.RAW, Quantity.PERMITTIVITY)
        ).select_related("bed")
    )
    data = bucketed([c.pk for c in channels], span.start, max(now, span.start + LINE_STEP), LINE_STEP)
    count = len(next(iter(data.values()))) if data else 0
    times = span.start.timestamp() + (np.arange(count) + 0.5) * LINE_STEP.total_seconds()
    versions = in_force([c.pk for c in channels])
    probes: dict[Bed, list[np.ndarray]] = {}
    for c in channels:
        if c.bed is not None:
            probes.setdefault(c.bed, []).append(water_content_series(times, data[c.pk], versions.get(c.pk, [])))
    theta = {bed.pk: mixed_series(rows, Rule(bed.probe_rule), count) for bed, rows in probes.items()}
    pulses: dict[int, list[float]] = {}
    given = Pulse.objects.filter(bed__house__site=site, ordered_at__gte=span.start).exclude(state=PulseState.NOT_GIVEN)
    for p in given:
        pulses.setdefault(p.bed_id, []).append((p.ordered_at - span.start).total_seconds() / 60)
    lines = [Line(b, t.tolist(), pulses.get(b, [])) for b, t in theta.items()]
    return Lines(span.start, span.sunrise, span.end, int(LINE_STEP.total_seconds() // 60), lines)
