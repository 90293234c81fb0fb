"""Commands against measured flow: a valve that was opened and gives no water is closed, and its bed latched."""

from datetime import datetime, timedelta

from django.db.models import Count, Max

from calibration.models import CalibrationVersion
from calibration.queries import corrected_value, current_calibrations
from common.events import tell
from fitting.models import Channel, Quantity
from places.models import Bed, Site
from readings.models import Quality, Reading
from reedcore.reasons import Why

from .closing import close_now
from .models import BedControl, Pulse, PulseState

NO_FLOW_AFTER = timedelta(seconds=45)
"""A valve that has been open so long without flow is dry. Starting value; lines fill while water flows already."""
SETTLE = timedelta(seconds=10)
LEAST_SHARE = 0.15
"""Of the bed's own flow: under this share it counts as none."""


def watch_flow(site: Site, now: datetime) -> int:
    """Look at every running pulse whose pump has a flow meter. Returns how many were stopped for want of water.

    Called within the tick's transaction, under its lock.
    """
    running = Pulse.objects.filter(bed__house__site=site, state=PulseState.RUNNING, started_at__lt=now - NO_FLOW_AFTER)
    pulses = list(running.select_related("bed__house__site", "bed__pump"))
    if not pulses:
        return 0
    meters = dict(
        Channel.objects.filter(
            pump__in={p.bed.pump_id for p in pulses if p.bed.pump_id}, quantity=Quantity.FLOW, retired_at=None
        ).values_list("pump_id", "pk")
    )
    versions = current_calibrations(meters.values(), now)
    return sum(_judge(p, meters, versions, now) for p in pulses if p.bed.pump_id in meters)


def _judge(pulse: Pulse, meters: dict[int, int], versions: dict[int, CalibrationVersion], now: datetime) -> bool:
    assert pulse.started_at is not None
    channel = meters[pulse.bed.pump_id or 0]
    until = min(now, pulse.started_at + timedelta(seconds=pulse.seconds))
    rows = Reading.objects.filter(
        channel=channel, time__gte=pulse.started_at + SETTLE, time__lte=until, quality=Quality.GOOD
    ).aggregate(most=Max("raw"), count=Count("*"), newest=Max("time"))
    # Without a reading late enough nothing is known: a silent meter is another guard's matter.
    if not rows["count"] or rows["newest"] < pulse.started_at + NO_FLOW_AFTER:
        return False
    flow = corrected_value(versions.get(channel), rows["most"])
    Pulse.objects.filter(pk=pulse.pk).update(flow_seen_l_min=flow)
    if flow >= LEAST_SHARE * bed_flow(pulse.bed):
        return False
    control = BedControl.objects.select_for_update(of=("self",)).get(bed=pulse.bed)
    if control.fault:
        return False
    control.fault = Why.NO_FLOW.value
    control.save(update_fields=["fault"])
    close_now(pulse.bed, control, now, "no water flowed")
    tell(pulse.bed.house.site_id, "watering")
    return True


def bed_flow(bed: Bed) -> float:
    """What a bed draws while its valve is open [L/min]."""
    return bed.flow_ml_min * bed.plants / 1000
