"""The figures of Watch: water, salts, drain of beds; the air of houses; tanks. Each with unit, age, source and arithmetic."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import F

from calibration.pore import epsilon_of
from calibration.queries import current_calibrations, figure_of, told
from common.clock import midnight_of
from common.figures import Figure, measured, worked
from fitting.models import Channel, Quantity
from places.models import Bed, House, Site
from readings.models import Latest
from readings.series import bucketed, slopes_per_hour
from reedcore.constants import STARTING_EPSILON_DRY

from .models import Pulse
from .state import SiteState, WaterReading

FRESH_S = 900.0


@dataclass
class Air:
    house: int
    name: str
    drain_returned: bool
    air_temp: Figure
    humidity: Figure
    vpd: Figure
    leaf_vpd: Figure
    radiation: Figure


@dataclass
class TankNow:
    name: str
    content: Figure
    capacity_l: float
    warn_l: float
    empty_l: float
    words: str


class Extra:
    """What the lines need beyond the decision's state, read for all beds at once."""

    def __init__(self, state: SiteState) -> None:
        self.latest: dict[tuple[str, int, str], Latest] = {}
        ids = [b.pk for b in state.beds]
        rows = Latest.objects.filter(channel__node__site=state.site, channel__retired_at=None).annotate(
            bed=F("channel__bed"), house=F("channel__house"), quantity=F("channel__quantity")
        )
        for row in rows:
            owner, pk = ("bed", row.bed) if row.bed else ("house", row.house or 0)
            self.latest[(owner, pk, row.quantity)] = row
        raw = dict(
            Channel.objects.filter(bed__in=ids, quantity=Quantity.RAW, retired_at=None).values_list("pk", "bed_id")
        )
        slopes = slopes_per_hour(list(raw), state.now - timedelta(minutes=20), state.now)
        self.slopes = {raw[c]: s for c, s in slopes.items()}
        self.epsilon = epsilon_of(ids)
        self.versions = current_calibrations([r.channel_id for r in self.latest.values()], state.now)
        self.midnight = midnight_of(state.now, state.site.time_zone)
        self.pulses: dict[int, list[Pulse]] = {}
        for p in Pulse.objects.filter(bed__in=ids, ordered_at__gte=self.midnight).order_by("ordered_at"):
            self.pulses.setdefault(p.bed_id, []).append(p)
        drains = {c.pk: c.bed_id for c in Channel.objects.filter(bed__in=ids, quantity=Quantity.DRAIN)}
        marks = bucketed(
            list(drains), self.midnight - timedelta(minutes=30), self.midnight, timedelta(minutes=30), True
        )
        self.drain_at_midnight = {drains[c]: float(v[0]) for c, v in marks.items()}

    def figure(self, owner: str, pk: int, quantity: str, unit: str, digits: int, now: datetime) -> Figure:
        row = self.latest.get((owner, pk, quantity))
        fresh = row is not None and (now - row.time).total_seconds() <= FRESH_S and row.quality == 0
        source = f"{quantity.replace('_', ' ')} sensor"
        version = self.versions.get(row.channel_id) if row else None
        if row is not None and fresh and version is not None and quantity != Quantity.RAW:
            figure = figure_of(version, row.raw, source, row.time)
            figure.unit, figure.digits = unit, digits
            return figure
        return measured(row.raw if row and fresh else None, unit, digits, source, row.time if row else None)


def water_figures(state: SiteState, bed: Bed, stale: bool) -> tuple[Figure, Figure, Figure]:
    """Water content, water held and share of the usable water of a bed."""
    water, setup, v = state.waters[bed.pk], state.setups[bed.pk], state.waters[bed.pk].version
    if v is None or stale or water.theta != water.theta:
        source = (
            _unfit(water)
            if v is not None and not stale
            else "no calibration yet"
            if v is None
            else f"probe {water.probe_name} is silent"
        )
        return tuple(Figure(None, u, d, source, water.at) for u, d in (("% v/v", 1), ("L per plant", 2), ("%", 0)))  # type: ignore[return-value]
    source = f"probe {water.probe_name}, {told(v)}"
    theta = figure_of(v, water.raw, f"probe {water.probe_name}", water.at)
    if len(water.used) > 1:
        source = f"{water.rule.value.replace('_', ' ')} of probes {', '.join(water.used)}, {100 * water.spread:.1f} points apart"
        theta = Figure(100 * water.theta, "% v/v", 1, source, water.at)
    held = worked("water_l", {"theta": water.theta, "volume_l_per_plant": setup.volume_l_per_plant}, source, water.at)
    relative = worked(
        "relative_water",
        {"theta": water.theta, "dry_limit": setup.dry_limit, "capacity": setup.capacity},
        source,
        water.at,
    )
    return theta, held, relative


def pore_figure(extra: Extra, bed: Bed, now: datetime, theta: float) -> Figure:
    """Pore-water conductivity of a bed."""
    parts = {q: extra.figure("bed", bed.pk, q, "", 2, now) for q in ("bulk_ec", "permittivity", "medium_temp")}
    nan = float("nan")
    if theta != theta:
        return Figure(None, "mS/cm", 1, "water content not known")
    inputs = {
        "bulk_ec_ms_cm": parts["bulk_ec"].value,
        "permittivity": parts["permittivity"].value,
        "temp_c": parts["medium_temp"].value,
        "epsilon_dry": extra.epsilon.get(bed.pk, STARTING_EPSILON_DRY),
    }
    figure = worked(
        "pore_ec", {k: nan if v is None else v for k, v in inputs.items()}, "dielectric probe", parts["bulk_ec"].at
    )
    figure.digits = 1
    return figure


def drain_figure(extra: Extra, bed: Bed, given_ml: float, now: datetime) -> Figure:
    """Drain share of a bed since midnight."""
    counter = extra.figure("bed", bed.pk, "drain", "mL per plant", 0, now)
    start = extra.drain_at_midnight.get(bed.pk, float("nan"))
    if counter.value is None or start != start or given_ml <= 0:
        return Figure(None, "%", 0, "no drain measured today")
    return worked(
        "drain_share", {"drain_ml": max(0.0, counter.value - start), "dose_ml": given_ml}, "drain gauge", counter.at
    )


def air_of(house: House, extra: Extra, now: datetime) -> Air:
    """The air of a house."""

    def read(q: str, unit: str, digits: int) -> Figure:
        return extra.figure("house", house.pk, q, unit, digits, now)

    temp, rh, leaf = read("air_temp", "°C", 1), read("humidity", "%", 0), read("leaf_temp", "°C", 1)
    nan = float("nan")
    air = {
        "air_temp_c": nan if temp.value is None else temp.value,
        "humidity_pct": nan if rh.value is None else rh.value,
    }
    return Air(
        house.pk,
        house.name,
        house.drain_returned,
        temp,
        rh,
        worked("air_vpd", air, "air sensor", temp.at),
        worked(
            "leaf_vpd",
            {"leaf_temp_c": nan if leaf.value is None else leaf.value, **air},
            "leaf and air sensors",
            leaf.at,
        ),
        read("radiation", "W/m²", 0),
    )


def tanks_of(site: Site, state: SiteState) -> list[TankNow]:
    """The tanks of a site with what their level means."""
    out = []
    for t in site.tanks.all():
        level = state.tanks.get(t.pk)
        content = measured(level[0] if level else None, "L", 0, "level sensor", level[1] if level else None)
        words = "level not known"
        if level:
            words = (
                "empty: pumps held"
                if level[0] <= t.empty_l
                else "low"
                if level[0] <= t.warn_l
                else f"{100 * level[0] / t.capacity_l:.0f} % full"
            )
        out.append(TankNow(t.name, content, t.capacity_l, t.warn_l, t.empty_l, words))
    return out


def _unfit(water: WaterReading) -> str:
    """Which calibrated probes are left out, each with its reason; empty where one counts."""
    return (
        ""
        if water.used or water.version is None
        else "; ".join(f"probe {n}: {why}" for n, why in water.left_out.items())
    )
