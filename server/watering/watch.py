"""Watch: every bed in a line with its sentence, the air of each house, the tank; and the reed row."""

from dataclasses import dataclass
from datetime import datetime

from django.core.cache import cache

from common.clock import site_now
from common.figures import Figure, measured
from fitting.silence import silent_nodes
from places.models import Bed, Site
from places.sun import local_day, sun_times
from reedcore.programme import usual_dose_ml

from .forecast import next_pulse_window, rest_of_day
from .models import Pulse, PulseState
from .state import SiteState, bed_state, gather, programme_of
from .watch_figures import FRESH_S, Air, Extra, TankNow, air_of, drain_figure, pore_figure, tanks_of, water_figures
from .watch_words import say_bed, say_silent, say_site


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
    extra = Extra(state)
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
        [air_of(h, extra, now) for h in site.houses.all()],
        tanks_of(site, state),
        jobs,
    )


def _bed_now(state: SiteState, bed: Bed, extra: Extra) -> BedNow:
    now, water, control = state.now, state.waters[bed.pk], state.controls[bed.pk]
    setup, version = state.setups[bed.pk], state.programmes.get(bed.pk)
    stale = water.at is None or (now - water.at).total_seconds() > (
        programme_of(version).stale_after_s if version else FRESH_S
    )
    theta, held, relative = water_figures(state, bed, stale)
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
        pore_figure(extra, bed, now, water.theta),
        drain_figure(extra, bed, given, now),
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
