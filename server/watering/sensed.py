"""What a tick reads besides water content and tanks: suction, light, feed, flow, rain. Newest values, fresh ones only."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from django.db.models import F

from calibration.queries import corrected_value, current_calibrations
from fitting.models import Channel, Quantity
from places.models import Site
from readings.models import Latest, Quality, Reading
from readings.series import bucketed
from reedcore.reasons import Band

from .models import Command, CommandState
from .sums import climate_now, vpd_of

FRESH_S = 900.0
STRAY_L_MIN = 0.5
"""Flow under this is a meter's noise. Starting value."""
FLOW_GRACE = timedelta(seconds=60)
"""After a valve has closed, water may run on in the lines so long before it counts as stray."""
DRAIN_SEEN_ML = 2.0
FEED = ("feed_ec", "ph")


@dataclass
class Sensed:
    """By bed: suction [kPa]; by house: radiation [W/m2], VPD [kPa], climate; by pump: flow [L/min] with its time; feed by
    (quantity, pump or tank); open: pumps whose valves are open or have just closed; last_rain."""

    suction: dict[int, float] = field(default_factory=dict)
    radiation: dict[int, float] = field(default_factory=dict)
    vpd: dict[int, float] = field(default_factory=dict)
    climate: dict[int, dict[str, float]] = field(default_factory=dict)
    flow: dict[int, tuple[float, datetime]] = field(default_factory=dict)
    feeds: dict[tuple[str, str, int], float] = field(default_factory=dict)
    ordered: set[int] = field(default_factory=set)
    last_rain: datetime | None = None

    def stray(self, pump: int, busy_l_min: float, now: datetime) -> float:
        """Flow at a pump that nobody ordered [L/min], 0 for none."""
        flow = self.flow.get(pump)
        if flow is None or busy_l_min > 0 or pump in self.ordered or flow[1] < now - timedelta(seconds=FRESH_S):
            return 0.0
        return flow[0] if flow[0] > STRAY_L_MIN else 0.0

    def feed(self, quantity: str, pump: int, tank: int, low: float, high: float) -> Band:
        """A feed value with its limits; NaN where no sensor stands at the pump or its tank."""
        value = self.feeds.get((quantity, "pump", pump), self.feeds.get((quantity, "tank", tank), float("nan")))
        return Band(value, low, high)


def sense(site: Site, now: datetime) -> Sensed:
    """Read the newest values of a site that decisions ask for."""
    climate = climate_now(site, now, FRESH_S)
    out = Sensed(climate=climate)
    out.radiation = {h: c[Quantity.RADIATION] for h, c in climate.items() if Quantity.RADIATION in c}
    out.vpd = {h: v for h, c in climate.items() if (v := vpd_of(c)) is not None}
    rows = list(
        Latest.objects.filter(
            channel__node__site=site,
            channel__quantity__in=("suction", Quantity.FLOW, *FEED),
            channel__retired_at=None,
            quality=Quality.GOOD,
            time__gt=now - timedelta(seconds=FRESH_S),
        ).annotate(
            quantity=F("channel__quantity"), bed=F("channel__bed"), pump=F("channel__pump"), tank=F("channel__tank")
        )
    )
    versions = current_calibrations([r.channel_id for r in rows], now)
    for row in rows:
        value = corrected_value(versions.get(row.channel_id), row.raw)
        if row.quantity == "suction" and row.bed:
            out.suction[row.bed] = value
        elif row.quantity == Quantity.FLOW and row.pump:
            out.flow[row.pump] = (value, row.time)
        elif row.quantity in FEED:
            place, pk = ("pump", row.pump) if row.pump else ("tank", row.tank or 0)
            out.feeds[(row.quantity, place, pk)] = value
    if out.flow:
        out.ordered = _ordered(site, now)
    out.last_rain = _last_rain(site, now)
    return out


def _ordered(site: Site, now: datetime) -> set[int]:
    """Pumps for which any command is open, or ended within the grace."""
    live = Command.objects.filter(actuator__node__site=site, seconds__gt=0)
    pumps: set[int] = set()
    for rows in (
        live.filter(state__in=[CommandState.QUEUED, CommandState.STARTED]),
        live.filter(state=CommandState.DONE, ended_at__gt=now - FLOW_GRACE),
    ):
        for pump, bed_pump in rows.values_list("actuator__pump", "actuator__bed__pump"):
            pumps |= {p for p in (pump, bed_pump) if p}
    return pumps


def _last_rain(site: Site, now: datetime) -> datetime | None:
    """When the site's rain gauge last tipped within a day; None without one."""
    gauges = list(
        Channel.objects.filter(node__site=site, quantity="rain_tips", retired_at=None).values_list("pk", flat=True)
    )
    if not gauges:
        return None
    rows = Reading.objects.filter(channel__in=gauges, time__gt=now - timedelta(days=1), time__lte=now).order_by(
        "channel", "time"
    )
    last, before = None, {}
    for channel, time, tips in rows.values_list("channel_id", "time", "raw"):
        if channel in before and tips > before[channel]:
            last = time if last is None or time > last else last
        before[channel] = tips
    return last


def drain_seen(bed_ids: list[int], midnight: datetime, now: datetime) -> set[int]:
    """Beds whose drain counter has risen since midnight."""
    channels = dict(
        Channel.objects.filter(bed__in=bed_ids, quantity=Quantity.DRAIN, retired_at=None).values_list("pk", "bed_id")
    )
    marks = bucketed(list(channels), midnight - timedelta(minutes=30), midnight, timedelta(minutes=30), True)
    newest = dict(
        Latest.objects.filter(channel__in=channels, time__gt=midnight, time__lte=now).values_list("channel_id", "raw")
    )
    return {channels[c] for c, v in newest.items() if v - float(marks[c][0]) > DRAIN_SEEN_ML}
