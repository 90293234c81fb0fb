"""Watch: every bed in a line with its sentence, the air of each house, the tank; and the reed row."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.core.cache import cache
from django.db.models import F

from calibration.pore import epsilon_of
from calibration.queries import current_calibrations, figure_of, told
from common.clock import midnight_of, site_now
from common.figures import Figure, measured, worked
from fitting.models import Channel, Quantity
from fitting.silence import silent_nodes
from places.models import Bed, House, Site
from places.sun import local_day, sun_times
from readings.models import Latest
from readings.series import bucketed, slopes_per_hour
from reedcore.constants import STARTING_EPSILON_DRY
from reedcore.programme import usual_dose_ml

from .forecast import next_pulse_window, rest_of_day
from .models import Pulse, PulseState
from .state import SiteState, WaterReading, bed_state, gather, programme_of
from .watch_words import say_bed, say_silent, say_site

FRESH_S = 900.0


@dataclass
class BedNow:
    """A bed at a glance. status: in_band, below, above, no_data, uncalibrated, not_to_be_used, fault, stopped."""

    id: int
    name: str
    crop: str
    substrate: str
    house: int
    status: str
    status_words: str
    trend: float
    theta: Figure
    raw: Figure
    water: Figure
    relative: Figure
    pore_ec: Figure
    drain: Figure
    given: Figure
    pulses_today: int
    low: float | None
    high: float | None
    capacity: float
    dry_limit: float
    running_s: float | None
    running_of_s: float | None
    heading: str
    detail: str
    urgent: int
    todo: str
    todo_stage: str
    programme: int | None
    provisional: bool
    fault: str
    stopped: bool
    next_from: datetime | None
    next_to: datetime | None


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


@dataclass
class Watch:
    site: int
    name: str
    now: datetime
    time_zone: str
    sunrise: datetime
    sunset: datetime
    demo: bool
    rate: float
    sentence: str
    beds: list[BedNow]
    air: list[Air]
    tanks: list[TankNow]
    jobs: dict[str, int]


def watch_of(site: Site) -> Watch:
    """Everything the frame and the house list show."""
    now = site_now(site)
    state = gather(site, now)
    sunrise, sunset = sun_times(site, local_day(site, now))
    extra = _Extra(state)
    beds = [_bed_now(state, bed, extra) for bed in state.beds]
    rate = site.demo_clock.rate if hasattr(site, "demo_clock") else 1.0
    silent = [n.name for n in silent_nodes(site, now)]
    jobs = {
        "calibrate": sum(b.todo_stage == "calibrate" for b in beds),
        "water": sum(b.todo_stage == "water" for b in beds),
        "watch": sum(b.urgent > 1 for b in beds),
        "fit": sum(b.todo_stage == "fit" for b in beds) + len(silent),
    }
    return Watch(
        site.pk,
        site.name,
        now,
        site.time_zone,
        sunrise,
        sunset,
        hasattr(site, "demo_clock"),
        rate,
        say_site(beds) + say_silent(silent),
        beds,
        [_air(h, extra, now) for h in site.houses.all()],
        _tanks(site, state),
        jobs,
    )


class _Extra:
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


def _bed_now(state: SiteState, bed: Bed, extra: _Extra) -> BedNow:
    now, water, control = state.now, state.waters[bed.pk], state.controls[bed.pk]
    setup, version = state.setups[bed.pk], state.programmes.get(bed.pk)
    stale = water.at is None or (now - water.at).total_seconds() > (
        programme_of(version).stale_after_s if version else FRESH_S
    )
    theta, held, relative = _water_figures(state, bed, stale)
    slope = extra.slopes.get(bed.pk, float("nan"))
    trend = slope * water.slope * 100
    pulses = [p for p in extra.pulses.get(bed.pk, []) if p.state != PulseState.NOT_GIVEN]
    given = sum(p.dose_ml for p in pulses)
    status = _status(state, bed, stale)
    running = _running(pulses, now)
    window = None if status in ("fault", "stopped", "no_data", "uncalibrated", "not_to_be_used") else _next(state, bed)
    heading, detail = say_bed(state, bed, status, trend, window, running)
    urgent, todo, stage = _todo(state, bed, status)
    return BedNow(
        bed.pk,
        bed.name,
        bed.crop,
        bed.medium.replace("_", " "),
        bed.house_id,
        status,
        _STATUS_WORDS[status],
        trend,
        theta,
        measured(water.raw, "counts", 0, f"probe {water.probe_name}", water.at),
        held,
        relative,
        _pore(extra, bed, now, water.theta),
        _drain(extra, bed, given, now),
        measured(given, "mL per plant", 0, f"{len(pulses)} pulses since midnight", now),
        len(pulses),
        version.low if version else None,
        version.high if version else None,
        setup.capacity,
        setup.dry_limit,
        running[0] if running else None,
        running[1] if running else None,
        heading,
        detail,
        urgent,
        todo,
        stage,
        version.number if version else None,
        bool(water.version and water.version.provisional),
        control.fault,
        control.stopped,
        window[0] if window else None,
        window[1] if window else None,
    )


def _water_figures(state: SiteState, bed: Bed, stale: bool) -> tuple[Figure, Figure, Figure]:
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


_STATUS_WORDS = {
    "in_band": "in its band",
    "below": "under its band",
    "above": "above its band",
    "no_data": "no fresh reading",
    "not_to_be_used": "no probe to be trusted",
    "uncalibrated": "probe not calibrated",
    "fault": "fault, needs a person",
    "stopped": "stopped by hand",
}


def _unfit(water: WaterReading) -> str:
    """Which calibrated probes are left out, each with its reason; empty where one counts."""
    return (
        ""
        if water.used or water.version is None
        else "; ".join(f"probe {n}: {why}" for n, why in water.left_out.items())
    )


def _status(state: SiteState, bed: Bed, stale: bool) -> str:
    control, water, version = state.controls[bed.pk], state.waters[bed.pk], state.programmes.get(bed.pk)
    if control.fault:
        return "fault"
    if control.stopped:
        return "stopped"
    if water.version is None:
        return "uncalibrated" if water.at and not stale else "no_data"
    if stale:
        return "no_data"
    if water.theta != water.theta:
        return "not_to_be_used"
    setup = state.setups[bed.pk]
    low = version.low if version else setup.dry_limit
    one_pulse = usual_dose_ml(programme_of(version), setup) / (1000 * setup.volume_l_per_plant) if version else 0.0
    if water.theta < low:
        return "below"
    return "above" if water.theta > (version.high + one_pulse if version else setup.capacity) else "in_band"


def _running(pulses: list[Pulse], now: datetime) -> tuple[float, float] | None:
    for p in pulses:
        start = p.started_at or p.ordered_at
        done = (now - start).total_seconds()
        if p.state in (PulseState.ORDERED, PulseState.RUNNING) and done < p.seconds:
            return max(0.0, done), p.seconds
    return None


def _next(state: SiteState, bed: Bed) -> tuple[datetime, datetime] | None:
    """Likely window of the next pulse; kept for five minutes of the site's time, or until a pulse changes it."""
    version = state.programmes.get(bed.pk)
    if version is None:
        return None
    control = state.controls[bed.pk]
    ended = control.last_pulse_end.timestamp() if control.last_pulse_end else 0
    key = f"next:{bed.pk}:{version.pk}:{int(state.now.timestamp() // 300)}:{ended:.0f}"
    found = cache.get(key)
    if found is None:
        programme = programme_of(version)
        day = rest_of_day(bed, programme, bed_state(state, bed, programme.stale_after_s), state.now, bed.feed_ec_ms_cm)
        found = (next_pulse_window(day, state.now),)
        cache.set(key, found, 120)
    return found[0]


def _todo(state: SiteState, bed: Bed, status: str) -> tuple[int, str, str]:
    """How urgent, what to do, and in which stage."""
    water = state.waters[bed.pk]
    if status == "fault":
        return 4, "Check drippers, clear fault", "water"
    if status == "no_data":
        return 3, "Check node and probe", "fit"
    if status == "not_to_be_used":
        return 3, f"Look at probe {water.probe_name}", "calibrate"
    if status == "uncalibrated":
        return 3, f"Calibrate probe {water.probe_name}", "calibrate"
    if status == "stopped":
        return 2, "Resume when ready", "water"
    if bed.pk not in state.programmes:
        return 2, "Publish a programme", "water"
    if water.version is not None and water.version.provisional:
        return 1, f"Calibrate probe {water.probe_name} in its substrate", "calibrate"
    return (1, "", "") if status in ("below", "above") else (0, "", "")


def _pore(extra: _Extra, bed: Bed, now: datetime, theta: float) -> Figure:
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


def _drain(extra: _Extra, bed: Bed, given_ml: float, now: datetime) -> Figure:
    counter = extra.figure("bed", bed.pk, "drain", "mL per plant", 0, now)
    start = extra.drain_at_midnight.get(bed.pk, float("nan"))
    if counter.value is None or start != start or given_ml <= 0:
        return Figure(None, "%", 0, "no drain measured today")
    return worked(
        "drain_share", {"drain_ml": max(0.0, counter.value - start), "dose_ml": given_ml}, "drain gauge", counter.at
    )


def _air(house: House, extra: _Extra, now: datetime) -> Air:
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


def _tanks(site: Site, state: SiteState) -> list[TankNow]:
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
