"""The water content of beds from their probes, and the litres in tanks."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import NamedTuple

from calibration.models import CalibrationVersion, ChannelTrust
from calibration.queries import current_calibrations
from calibration.trust import doubted, trust_now
from fitting.models import Channel, Quantity
from places.models import Bed, Site
from readings.models import Quality
from reedcore.bedwater import ProbeWater, Rule, combine
from reedcore.curves import slope_of_curve, value_from_curve

FRESH_S = 900.0
WATER_QUANTITIES = (Quantity.RAW, Quantity.PERMITTIVITY)


class Seen(NamedTuple):
    """The newest reading of a water channel, with what the mixing of probes asks for. Plain rows: a tick reads thousands."""

    pk: int
    bed_id: int
    quantity: str
    probe: str
    dripper_distance_cm: float
    time: datetime
    raw: float
    quality: int


SEEN_FIELDS = (
    *("pk", "bed_id", "quantity", "probe__name", "probe__dripper_distance_cm"),
    *("latest__time", "latest__raw", "latest__quality"),
)


@dataclass
class WaterReading:
    """θ of a bed from its probes [m3/m3] with raw value, age and calibration of the first that counts; NaN when there is
    none. spread: between the probes that count; left_out: the others, each with its reason."""

    theta: float = float("nan")
    at: datetime | None = None
    raw: float = float("nan")
    version: CalibrationVersion | None = None
    probe_name: str = ""
    spread: float = float("nan")
    used: tuple[str, ...] = ()
    left_out: dict[str, str] = field(default_factory=dict)
    rule: Rule = Rule.MEDIAN

    @property
    def untrusted(self) -> int:
        """Calibrated probes that are left out for want of trust, where none is left to go by."""
        return len(self.left_out) if self.version is not None and not self.used and self.theta != self.theta else 0

    @property
    def slope(self) -> float:
        """Change of θ per raw count at the present reading."""
        return float(slope_of_curve(self.raw, self.version.curve)) if self.version else float("nan")


def waters_of(beds: list[Bed], now: datetime) -> dict[int, WaterReading]:
    """The water content of each bed: its calibrated probes, put together by the bed's own rule.

    What is not to be used, or not fresh while another probe is, is left out and named.
    """
    channels = Channel.objects.filter(
        bed__any_of=[b.pk for b in beds],
        quantity__in=WATER_QUANTITIES,
        retired_at=None,
        probe__retired_at=None,
        latest__isnull=False,
    ).exclude(probe=None)
    rows = [Seen(*row) for row in channels.order_by("pk").values_list(*SEEN_FIELDS)]
    versions = current_calibrations([c.pk for c in rows], now)
    doubts = {t.channel_id: t for t in doubted([c.pk for c in rows])}
    by_bed: dict[int, list[Seen]] = {}
    for c in rows:
        version = versions.get(c.pk)
        if c.quantity == Quantity.RAW or (version is not None and version.gives == "theta"):
            by_bed.setdefault(c.bed_id, []).append(c)
    return {b.pk: _bed_water(by_bed.get(b.pk, []), versions, doubts, Rule(b.probe_rule), now) for b in beds}


def _bed_water(
    channels: list[Seen],
    versions: dict[int, CalibrationVersion],
    doubts: dict[int, ChannelTrust],
    rule: Rule,
    now: datetime,
) -> WaterReading:
    newest = max(channels, key=lambda c: c.time, default=None)
    if newest is None:
        return WaterReading()
    sound: dict[str, Seen] = {}
    probes, why = [], {}
    for c in channels:
        version, name = versions.get(c.pk), c.probe
        old = (newest.time - c.time).total_seconds() > FRESH_S
        usable = version is not None and version.gives == "theta" and c.quality == Quality.GOOD and not old
        trust = trust_now(doubts.get(c.pk), now)
        if version is None or version.gives != "theta":
            why[name] = "not calibrated"
            continue
        why[name] = "not fresh" if not usable else trust.words
        theta = float(value_from_curve(c.raw, version.curve)) if usable else float("nan")
        probes.append(ProbeWater(name, theta, trust.trust, c.dripper_distance_cm, version.provisional))
        sound[name] = c
    mixed = combine(probes, rule)
    lead = sound[mixed.used[0]] if mixed.used else max(channels, key=lambda c: (c.pk in versions, c.time))
    at = min(sound[n].time for n in mixed.used) if mixed.used else lead.time
    version = versions.get(lead.pk)
    calibrated = version if version is not None and version.gives == "theta" else None
    left_out = {n: why.get(n, "") for n in (*mixed.left_out, *(n for n in why if n not in sound))}
    return WaterReading(
        mixed.theta,
        at,
        lead.raw,
        calibrated,
        lead.probe,
        mixed.spread,
        mixed.used,
        left_out,
        rule,
    )


def tank_levels(site: Site, now: datetime) -> dict[int, tuple[float, datetime]]:
    """Litres in each measured tank and when they were read: from a level sensor, or from a calibrated distance."""
    rows = Channel.objects.filter(
        node__site=site,
        quantity__in=(Quantity.TANK, "distance"),
        tank__isnull=False,
        latest__isnull=False,
        retired_at=None,
    ).select_related("latest")
    found = sorted(rows, key=lambda c: (c.quantity == Quantity.TANK, c.latest.time))
    versions = current_calibrations([c.pk for c in found if c.quantity == "distance"], now)
    out: dict[int, tuple[float, datetime]] = {}
    for c in found:
        version = versions.get(c.pk)
        if c.latest.quality != Quality.GOOD or (c.quantity == "distance" and version is None):
            continue
        litres = c.latest.raw if version is None else float(value_from_curve(c.latest.raw, version.curve))
        out[c.tank_id or 0] = (litres, c.latest.time)
    return out
