"""Rain on open beds: what fell since the last tick counts, by a share, as given."""

import itertools
from datetime import datetime

from calibration.queries import current_calibrations
from fitting.models import Channel
from places.models import Bed, Cover
from readings.models import Quality, Reading
from reedcore.curves import slope_of_curve

from .state import SiteState

MM_PER_TIP = 0.2
"""A usual tipping gauge, until the gauge's own factor is published. Starting value."""
COLLECTOR_CM2 = 200.0
"""A usual collector, unless the channel's settings say otherwise (`collector_cm2`). Starting value."""
MOST_MM = 100.0


def rain_mm(site_pk: int, since: datetime, now: datetime) -> float:
    """Rain of a stretch [mm] by the site's gauge; the first of several. A counter that went back began anew."""
    gauge = Channel.objects.filter(node__site=site_pk, quantity="rain_tips", retired_at=None).order_by("pk").first()
    if gauge is None:
        return 0.0
    rows = Reading.objects.filter(channel=gauge, time__gt=since, time__lte=now, quality=Quality.GOOD).order_by("time")
    tips = [float(v) for v in rows.values_list("raw", flat=True)]
    before = (
        Reading.objects.filter(channel=gauge, time__lte=since, quality=Quality.GOOD)
        .order_by("-time")
        .values_list("raw", flat=True)
        .first()
    )
    counts = ([float(before)] if before is not None else []) + tips
    risen = sum(b - a if b >= a else b for a, b in itertools.pairwise(counts))
    version = current_calibrations([gauge.pk], now).get(gauge.pk)
    # The bench of a gauge gives mL per tip; over the collector's area they are mm.
    collector_cm2 = float(gauge.input_settings.get("collector_cm2", COLLECTOR_CM2))
    factor = MM_PER_TIP if version is None else 10 * float(slope_of_curve(0.0, version.curve)) / collector_cm2
    return min(MOST_MM, risen * factor)


def credit_rain(state: SiteState, since: datetime | None, now: datetime) -> None:
    """Add the rain since the last tick to the credit of every open bed whose programme counts it."""
    beds = [
        b
        for b in state.beds
        if b.house.cover == Cover.OPEN and b.pk in state.programmes and state.programmes[b.pk].body.get("rain")
    ]
    if not beds or since is None:
        return
    fallen = rain_mm(state.site.pk, since, now)
    if fallen <= 0:
        return
    for bed in beds:
        state.controls[bed.pk].rain_credit_ml += fallen * share_of(state, bed) * 1000 / bed.plants_per_m2
        state.touched.add(bed.pk)


def share_of(state: SiteState, bed: Bed) -> float:
    """How much of the rain counts as given."""
    return float(state.programmes[bed.pk].body["rain"]["credit_share"])
