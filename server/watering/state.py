"""The state of beds as the decision wants it, gathered in a handful of queries for any number of beds."""

from dataclasses import dataclass, field
from datetime import datetime

from calibration.models import CalibrationVersion
from calibration.queries import current_calibrations
from fitting.models import Channel, Quantity
from places.beds import setup_of
from places.models import Bed, Site
from places.sun import local_day, sun_times
from readings.models import Quality
from reedcore.calibration import water_content_from_raw
from reedcore.decide import BedState
from reedcore.errors import ReedError
from reedcore.programme import BedSetup, Programme

from .models import BedControl, ProgrammeVersion

PROGRAMME_FIELDS = tuple(Programme.__dataclass_fields__)


@dataclass
class WaterReading:
    """θ of a bed from its probe [m3/m3] with raw value, age and the calibration used; NaN when there is none."""

    theta: float = float("nan")
    at: datetime | None = None
    raw: float = float("nan")
    version: CalibrationVersion | None = None
    probe_name: str = ""


@dataclass
class SiteState:
    """Everything a tick needs to know of a site."""

    site: Site
    now: datetime
    beds: list[Bed]
    setups: dict[int, BedSetup]
    controls: dict[int, BedControl]
    programmes: dict[int, ProgrammeVersion]
    waters: dict[int, WaterReading]
    tanks: dict[int, tuple[float, datetime]]
    busy_l_min: dict[int, float] = field(default_factory=dict)


def programme_of(version: ProgrammeVersion) -> Programme:
    """The core's programme of a published version."""
    return Programme(**{f: getattr(version, f) for f in PROGRAMME_FIELDS})


def gather(site: Site, now: datetime, bed_ids: list[int] | None = None) -> SiteState:
    """Read the state of a site's beds (or some of them) at a moment."""
    beds = Bed.standing.filter(house__site=site).select_related("house__site", "pump__tank", "valve", "own_medium")
    beds = list(beds if bed_ids is None else beds.filter(pk__in=bed_ids))
    setups = {}
    for bed in beds:
        try:
            setups[bed.pk] = setup_of(bed)
        except ReedError:
            continue  # a bed whose description is not complete waters nothing
    ids = [b.pk for b in beds]
    controls = {c.bed_id: c for c in BedControl.objects.filter(bed__in=ids)}
    programmes = ProgrammeVersion.objects.filter(bed__in=ids).order_by("bed_id", "-number").distinct("bed_id")
    state = SiteState(
        site,
        now,
        beds,
        setups,
        {i: controls.get(i) or BedControl(bed_id=i) for i in ids},
        {p.bed_id: p for p in programmes},
        waters_of(ids, now),
        tank_levels(site),
    )
    for bed in beds:
        control = state.controls[bed.pk]
        if bed.pump_id and control.last_pulse_end and control.last_pulse_end > now and bed.pk in setups:
            state.busy_l_min[bed.pump_id] = state.busy_l_min.get(bed.pump_id, 0.0) + setups[bed.pk].flow_l_min
    return state


def waters_of(bed_ids: list[int], now: datetime) -> dict[int, WaterReading]:
    """The newest θ of each bed: its freshest calibrated probe, provisional ones last."""
    channels = Channel.objects.filter(
        bed__in=bed_ids,
        quantity=Quantity.RAW,
        retired_at=None,
        probe__retired_at=None,
        latest__isnull=False,
    ).select_related("latest", "probe")
    rows = list(channels)
    versions = current_calibrations([c.probe_id for c in rows if c.probe_id], now)
    out: dict[int, WaterReading] = {i: WaterReading() for i in bed_ids}
    for c in sorted(rows, key=lambda c: c.latest.time):
        version = versions.get(c.probe_id or 0)
        if c.bed_id is None or c.probe is None:
            continue
        if version is None or c.latest.quality != Quality.GOOD:
            if out[c.bed_id].version is None:
                out[c.bed_id] = WaterReading(at=c.latest.time, raw=c.latest.raw, probe_name=c.probe.name)
            continue
        held = out[c.bed_id].version
        if held is not None and version.provisional and not held.provisional:
            continue
        theta = water_content_from_raw(c.latest.raw, version.slope, version.intercept)
        out[c.bed_id] = WaterReading(theta, c.latest.time, c.latest.raw, version, c.probe.name)
    return out


def tank_levels(site: Site) -> dict[int, tuple[float, datetime]]:
    """Litres in each measured tank and when they were read."""
    rows = Channel.objects.filter(node__site=site, quantity=Quantity.TANK, latest__isnull=False, retired_at=None)
    return {c.tank_id: (c.latest.raw, c.latest.time) for c in rows.select_related("latest") if c.tank_id}


def bed_state(state: SiteState, bed: Bed, stale_after_s: float) -> BedState:
    """The core's state of one bed."""
    control, water = state.controls[bed.pk], state.waters[bed.pk]
    today = local_day(state.site, state.now)
    sunrise, sunset = sun_times(state.site, today)
    tank_l = None
    if bed.pump and bed.pump.tank_id in state.tanks:
        litres, at = state.tanks[bed.pump.tank_id]
        tank_l = litres if (state.now - at).total_seconds() <= stale_after_s else None
    return BedState(
        setup=state.setups[bed.pk],
        theta=water.theta,
        theta_at=water.at if water.version else None,
        sunrise=sunrise,
        sunset=sunset,
        latched=control.latched,
        tries=control.tries,
        last_pulse_start=control.last_pulse_start,
        last_pulse_end=control.last_pulse_end,
        given_today_ml=control.given_today_ml if control.given_day == today else 0.0,
        fault=control.fault,
        stopped=control.stopped,
        tank_l=tank_l,
        busy_flow_l_min=state.busy_l_min.get(bed.pump_id or 0, 0.0),
    )
