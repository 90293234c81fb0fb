"""The day ribbon of a bed: water, feed and air tracks on one axis from sunset to sunset, with the forecast."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from calibration.models import CalibrationVersion
from calibration.pore import epsilon_of
from calibration.queries import corrected, in_force, water_content_series
from calibration.versions import curve_before
from common.clock import site_now
from fitting.models import Channel, Quantity
from places.beds import setup_of
from places.models import Bed
from readings.series import bucketed
from reedcore.bedwater import Rule, mixed_series
from reedcore.climate import air_vpd_from_humidity
from reedcore.conductivity import pore_ec_from_bulk
from reedcore.constants import STARTING_EPSILON_DRY
from reedcore.curves import value_from_curve
from reedcore.programme import TriggerKind
from reedcore.triggers import trigger_measure

from .forecast import Span, next_pulse_window, night_fall_points, rest_of_day, span_around
from .forecast_scores import ForecastScore, last_score
from .models import Pulse, PulseState
from .state import SiteState, bed_state, gather, programme_of

STEP = timedelta(minutes=3)
MIN_DRAIN_ML = 0.5
TRIGGER_UNITS: dict[TriggerKind, tuple[str, float]] = {
    TriggerKind.FALLEN: ("points", 100.0),
    TriggerKind.SUCTION: ("kPa", 1.0),
    TriggerKind.LIGHT_SUM: ("J/cm²", 1.0),
    TriggerKind.VPD_HOURS: ("kPa h", 1.0),
    TriggerKind.WATER_USE: ("mL per plant", 1.0),
    TriggerKind.ELAPSED: ("min", 1.0),
}
"""How what a trigger sees is shown: unit, and shown value per unit inside."""
CAUGHT = ("drain_tips", "drain_weight")
"""Drain caught under a part of a bed, where no counter gives it per plant."""


@dataclass
class Peg:
    at: datetime
    ml: float
    seconds: float
    state: str
    delivered_ml: float | None


@dataclass
class Drop:
    at: datetime
    ml: float


@dataclass
class RibbonForecast:
    start: datetime
    step_min: int
    theta: list[float | None]
    pulses: list[Peg]
    next_from: datetime | None
    next_to: datetime | None
    evening_theta: float | None
    dose_ml: float
    drain_ml: float
    night_fall_points: float


@dataclass
class CalibrationMark:
    at: datetime
    number: int
    probe: str
    step_points: float | None


@dataclass
class TriggerNow:
    """What a trigger of the acting programme sees now, against the value at which it fires, in `unit`."""

    kind: TriggerKind
    value: float | None
    limit: float
    unit: str


@dataclass
class Ribbon:
    """Arrays have one value per step from `start`; None where nothing was read. θ as m3/m3."""

    start: datetime
    sunrise: datetime
    end: datetime
    now: datetime
    step_min: int
    low: float | None
    high: float | None
    capacity: float
    dry_limit: float
    feed_ec_ms_cm: float
    theta: list[float | None]
    pore_ec_ms_cm: list[float | None]
    vpd_kpa: list[float | None]
    radiation_w_m2: list[float | None]
    pulses: list[Peg]
    drops: list[Drop]
    calibrations: list[CalibrationMark]
    forecast: RibbonForecast | None
    scored: ForecastScore | None
    triggers: list[TriggerNow]


@dataclass
class Tracks:
    theta: np.ndarray
    pore_ec: np.ndarray
    vpd: np.ndarray
    radiation: np.ndarray
    drain: np.ndarray


def read_tracks(bed: Bed, start: datetime, end: datetime, step: timedelta) -> Tracks:
    """Bucketed tracks of a bed and its house from `start` to `end`."""
    channels = list(Channel.objects.filter(bed=bed)) + list(Channel.objects.filter(house_id=bed.house_id))
    drain = {c.pk for c in channels if c.quantity in (Quantity.DRAIN, *CAUGHT)}
    data = bucketed([c.pk for c in channels if c.pk not in drain], start, end, step)
    data |= bucketed(sorted(drain), start, end, step, last_value=True)
    count = len(next(iter(data.values()))) if data else max(1, int((end - start) / step))
    times = start.timestamp() + (np.arange(count) + 0.5) * step.total_seconds()
    versions = in_force([c.pk for c in channels])
    probes = [
        water_content_series(times, data[c.pk], versions.get(c.pk, []))
        for c in channels
        if c.quantity in (Quantity.RAW, Quantity.PERMITTIVITY) and c.probe_id
    ]
    theta = mixed_series(probes, Rule(bed.probe_rule), count)

    def track(quantity: str) -> np.ndarray:
        merged = np.full(count, np.nan)
        for c in channels:
            if c.quantity == quantity:
                value = corrected(times, data[c.pk], versions.get(c.pk, []))
                merged = np.where(np.isnan(value), merged, value)
        return merged

    pore = pore_ec_from_bulk(
        track("bulk_ec"),
        track("permittivity"),
        track("medium_temp"),
        epsilon_of([bed.pk]).get(bed.pk, STARTING_EPSILON_DRY),
    )
    # Below a fifth of water by volume the probe's permittivity says more about contact than about salts.
    pore = np.where(theta > 0.2, pore, np.nan)
    vpd = air_vpd_from_humidity(track("air_temp"), track("humidity"))
    drained = (
        track("drain")
        if any(c.quantity == Quantity.DRAIN for c in channels)
        else _caught(bed, channels, versions, times, data)
    )
    return Tracks(theta, pore, vpd, track("radiation"), drained)


def _caught(
    bed: Bed,
    channels: list[Channel],
    versions: dict[int, list[CalibrationVersion]],
    times: np.ndarray,
    data: dict[int, np.ndarray],
) -> np.ndarray:
    """Drain in mL per plant from a tipping gauge or a scale under part of the bed.

    Tips count once the gauge's mL per tip is published; a gram is a millilitre. The catch is of one container's plants,
    unless the channel's settings say of how many (`plants`).
    """
    merged = np.full(len(times), np.nan)
    for c in channels:
        if c.quantity not in CAUGHT or (c.quantity == "drain_tips" and not versions.get(c.pk)):
            continue
        value = corrected(times, data[c.pk], versions.get(c.pk, [])) / float(
            c.input_settings.get("plants", bed.plants_per_container)
        )
        merged = np.where(np.isnan(value), merged, value)
    return merged


def drops_of(drain: np.ndarray, start: datetime, step: timedelta) -> list[Drop]:
    """Drain events from a counter [mL per plant]; a counter that fell has restarted and counts from zero."""
    out: list[Drop] = []
    last = np.nan
    for i, value in enumerate(drain.tolist()):
        if value != value:
            continue
        more = value - last if value >= last else (value if last == last else 0.0)
        if more > MIN_DRAIN_ML:
            out.append(Drop(start + (i + 0.5) * step, more))
        last = value
    return out


def ribbon_of(bed: Bed, at: datetime | None = None) -> Ribbon:
    """The ribbon of the day that holds `at` (default: now)."""
    site = bed.house.site
    now = site_now(site)
    span = span_around(site, at or now)
    until = min(span.end, now)
    tracks = read_tracks(bed, span.start, max(until, span.start + STEP), STEP)
    state = gather(site, now, [bed.pk])
    version = state.programmes.get(bed.pk)
    pulses = Pulse.objects.filter(bed=bed, ordered_at__gte=span.start, ordered_at__lt=span.end).order_by("ordered_at")
    marks = CalibrationVersion.objects.filter(
        channel__bed=bed, gives="theta", reverted_at=None, valid_from__gte=span.start, valid_from__lt=span.end
    ).select_related("channel__probe")
    setup = setup_of(bed)
    return Ribbon(
        span.start,
        span.sunrise,
        span.end,
        now,
        int(STEP.total_seconds() // 60),
        version.low if version else None,
        version.high if version else None,
        setup.capacity,
        setup.dry_limit,
        bed.feed_ec_ms_cm,
        tracks.theta.tolist(),
        tracks.pore_ec.tolist(),
        tracks.vpd.tolist(),
        tracks.radiation.tolist(),
        [_peg(p) for p in pulses],
        drops_of(tracks.drain, span.start, STEP),
        [_mark(m) for m in marks],
        _forecast(bed, state, span, tracks.pore_ec) if span.start <= now < span.end else None,
        last_score(bed),
        _triggers(bed, state),
    )


def _triggers(bed: Bed, state: SiteState) -> list[TriggerNow]:
    version = state.programmes.get(bed.pk)
    if version is None or bed.pk not in state.setups:
        return []
    programme = programme_of(version)
    held = bed_state(state, bed, programme.stale_after_s)
    out = []
    for t in programme.triggers:
        if t.kind in TRIGGER_UNITS:
            unit, scale = TRIGGER_UNITS[t.kind]
            value = trigger_measure(t.kind, held, state.now) * scale
            out.append(TriggerNow(t.kind, value if -1e9 < value < 1e9 else None, t.value * scale, unit))
    return out


def _mark(v: CalibrationVersion) -> CalibrationMark:
    before, step = curve_before(v), None
    if before is not None and v.channel is not None and hasattr(v.channel, "latest"):
        raw = v.channel.latest.raw
        step = 100 * float(value_from_curve(raw, v.curve) - value_from_curve(raw, before))
    return CalibrationMark(v.valid_from, v.number, v.channel.probe.name if v.channel and v.channel.probe else "", step)


def _peg(p: Pulse) -> Peg:
    return Peg(p.started_at or p.ordered_at, p.dose_ml, p.seconds, PulseState(p.state).value, p.delivered_ml)


def _forecast(bed: Bed, state: SiteState, span: Span, pore: np.ndarray) -> RibbonForecast | None:
    version = state.programmes.get(bed.pk)
    if version is None or state.waters[bed.pk].version is None:
        return None
    programme = programme_of(version)
    known = pore[np.isfinite(pore)]
    held = bed_state(state, bed, programme.stale_after_s)
    day = rest_of_day(bed, programme, held, state.now, float(known[-1]) if len(known) else bed.feed_ec_ms_cm)
    if day is None:
        return None
    window = next_pulse_window(day, state.now)
    step = int(STEP.total_seconds() // 60)
    pegs = [Peg(p.at, p.dose_ml, p.seconds, "forecast", None) for p in day.pulses]
    return RibbonForecast(
        state.now,
        step,
        day.seen[::step].tolist(),
        pegs,
        window[0] if window else None,
        window[1] if window else None,
        float(day.seen[-1]),
        day.dose_ml,
        day.drained_ml,
        night_fall_points(bed, state.setups[bed.pk].volume_l_per_plant, span),
    )
