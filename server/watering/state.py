"""The state of beds as the decision wants it, gathered in a handful of queries for any number of beds."""

from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

from django.db.models import Avg, Sum

from common.clock import midnight_of
from fitting.silence import rate_of, silent_since
from places.beds import setup_of
from places.models import Bed, Site
from places.sun import local_day, sun_times
from reedcore.decide import BedState, Memory
from reedcore.errors import ReedError
from reedcore.programme import BedSetup, Programme, Until
from reedcore.programme_json import programme_from_json
from reedcore.reasons import Holds, Since, Span, Why

from .models import BedControl, DayFigure, Decision, HouseSums, PlanEntry, PlanKind, ProgrammeVersion, Pulse, PulseState
from .sensed import Sensed, drain_seen, sense
from .sums import since_last_pulse
from .waters import FRESH_S, WaterReading, tank_levels, waters_of

__all__ = ["FRESH_S", "SiteState", "WaterReading", "bed_state", "gather", "programme_of", "waters_of"]

SHARED = ("house__site", "pump__tank", "pump__actuator", "own_medium", "valve__node")
"""What many beds share is made once, not once a bed."""
NORMAL_DAYS = 7
NAN = float("nan")


@dataclass
class SiteState:
    """Everything a tick needs to know of a site. programmes: the one that acts today, by plan or the newest published."""

    site: Site
    now: datetime
    beds: list[Bed]
    setups: dict[int, BedSetup]
    controls: dict[int, BedControl]
    programmes: dict[int, ProgrammeVersion]
    waters: dict[int, WaterReading]
    tanks: dict[int, tuple[float, datetime]]
    sums: dict[int, HouseSums]
    sensed: Sensed
    today: date
    midnight: datetime
    sun: tuple[datetime, datetime]
    rate: float
    hour_ml: dict[int, float] = field(default_factory=dict)
    normal_ml: dict[int, float] = field(default_factory=dict)
    plan: dict[int, PlanEntry] = field(default_factory=dict)
    drained: set[int] = field(default_factory=set)
    touched: set[int] = field(default_factory=set)
    waiting_since: dict[int, datetime] = field(default_factory=dict)
    busy_l_min: dict[int, float] = field(default_factory=dict)


_read: dict[tuple[int, int, datetime, float, float], Programme] = {}


def programme_of(version: ProgrammeVersion) -> Programme:
    """The core's programme of a published version. A version never changes, so it is read once a process."""
    key = (version.pk or 0, version.shared_id or 0, version.published_at, version.low, version.high)
    found = _read.get(key)
    if found is None:
        if len(_read) > 20000:
            _read.clear()
        found = _read[key] = programme_from_json(version.body)
    return found


def gather(site: Site, now: datetime, bed_ids: list[int] | None = None) -> SiteState:
    """Read the state of a site's beds (or some of them) at a moment."""
    beds = Bed.standing.filter(house__site=site).select_related("valve").prefetch_related(*SHARED)
    beds = list(beds if bed_ids is None else beds.filter(pk__in=bed_ids))
    setups = {}
    for bed in beds:
        try:
            setups[bed.pk] = setup_of(bed)
        except ReedError:
            continue  # a bed whose description is not complete waters nothing
    ids = [b.pk for b in beds]
    controls = {c.bed_id: c for c in BedControl.objects.filter(bed__any_of=ids).select_related("locked_by")}
    today = local_day(site, now)
    state = SiteState(
        site,
        now,
        beds,
        setups,
        {i: controls.get(i) or BedControl(bed_id=i) for i in ids},
        {},
        waters_of(beds, now),
        tank_levels(site, now),
        {s.house_id: s for s in HouseSums.objects.filter(house__site=site)},
        sense(site, now),
        today,
        midnight_of(now, site.time_zone),
        sun_times(site, today),
        rate_of(site),
    )
    _programmes(state, ids)
    _amounts(state, ids)
    for bed in beds:
        control = state.controls[bed.pk]
        if bed.pump_id and control.last_pulse_end and control.last_pulse_end > now and bed.pk in setups:
            state.busy_l_min[bed.pump_id] = state.busy_l_min.get(bed.pump_id, 0.0) + setups[bed.pk].flow_l_min
    return state


def _programmes(state: SiteState, ids: list[int]) -> None:
    newest = ProgrammeVersion.objects.filter(bed__any_of=ids).order_by("bed_id", "-number").distinct("bed_id")
    state.programmes = _versions(dict(newest.values_list("bed_id", "pk")))
    entries = list(
        PlanEntry.objects.filter(site=state.site, first_day__lte=state.today, last_day__gte=state.today).select_related(
            "shared"
        )
    )
    if not entries:
        return
    for bed in state.beds:
        entry = plan_for(bed, entries)
        if entry is None:
            continue
        state.plan[bed.pk] = entry
        if entry.shared is not None:
            state.programmes[bed.pk] = planned_version(bed, entry)


_held: dict[int, ProgrammeVersion] = {}


def _versions(newest: dict[int, int]) -> dict[int, ProgrammeVersion]:
    """Published versions by bed. A version never changes, so each is read once a process."""
    missing = [pk for pk in newest.values() if pk not in _held]
    if missing:
        if len(_held) > 20000:
            _held.clear()
            missing = list(newest.values())
        _held.update(ProgrammeVersion.objects.in_bulk(missing))
    return {bed: _held[pk] for bed, pk in newest.items()}


def plan_for(bed: Bed, entries: list[PlanEntry]) -> PlanEntry | None:
    """The entry that rules a bed among those of a day: a hold before a programme, then the newest."""
    fitting = [
        e
        for e in entries
        if (e.bed_id in (None, bed.pk))
        and (e.house_id in (None, bed.house_id))
        and (not e.growth_stage or e.growth_stage == bed.growth_stage)
    ]
    return max(fitting, key=lambda e: (e.kind == PlanKind.HOLD, e.pk), default=None)


def planned_version(bed: Bed, entry: PlanEntry) -> ProgrammeVersion:
    """A shared programme as it acts on a bed by the calendar; not saved, for it is the calendar that says it."""
    shared = entry.shared
    assert shared is not None
    body = shared.body
    return ProgrammeVersion(
        bed=bed, number=shared.number, published_at=shared.published_at, published_by_id=shared.published_by_id, body=body,
        low=body["low"], high=body["high"], shared=shared,
    )  # fmt: skip


def _amounts(state: SiteState, ids: list[int]) -> None:
    """What was given in the last hour; the usual day of beds without a reading; drain of beds whose recharge waits for it."""
    rows = Pulse.objects.filter(bed__any_of=ids, ordered_at__gt=state.now - timedelta(hours=1)).exclude(
        state=PulseState.NOT_GIVEN
    )
    state.hour_ml = dict(rows.values("bed").annotate(ml=Sum("dose_ml")).values_list("bed", "ml").order_by())
    blind = [i for i in ids if state.waters[i].theta != state.waters[i].theta or _old(state, i)]
    if blind:
        days = DayFigure.objects.filter(
            bed__in=blind, day__gte=state.today - timedelta(days=NORMAL_DAYS), day__lt=state.today, pulses__gt=0
        )
        state.normal_ml = dict(days.values("bed").annotate(ml=Avg("dose_ml")).values_list("bed", "ml").order_by())
    queued = [i for i in ids if state.controls[i].last_why == Why.PUMP_BUSY.value]
    if queued:
        newest = Decision.objects.filter(bed__in=queued).order_by("bed_id", "-tick_at").distinct("bed_id")
        state.waiting_since = dict(newest.values_list("bed_id", "tick_at"))
    waiting = [
        i
        for i, v in state.programmes.items()
        if (v.body.get("recharge") or {}).get("until") == Until.DRAIN.value
        and state.controls[i].span == Span.RECHARGE.value
    ]
    if waiting:
        state.drained = drain_seen(waiting, state.midnight, state.now)


def _old(state: SiteState, bed_id: int) -> bool:
    at = state.waters[bed_id].at
    return at is None or (state.now - at).total_seconds() > FRESH_S


def memory_of(control: BedControl) -> Memory:
    """What the last decision of a bed handed on."""
    return Memory(
        control.latched,
        control.tries,
        control.fault,
        Span(control.span) if control.span else None,
        control.span_since,
        control.recharge_pulses,
        NAN if control.evening_theta is None else control.evening_theta,
        control.lost_since,
    )


def bed_state(state: SiteState, bed: Bed, stale_after_s: float) -> BedState:
    """The core's state of one bed."""
    control, water = state.controls[bed.pk], state.waters[bed.pk]
    tank_l = None
    if bed.pump and bed.pump.tank_id in state.tanks:
        litres, at = state.tanks[bed.pump.tank_id]
        tank_l = litres if (state.now - at).total_seconds() <= stale_after_s else None
    counted = control.given_day == state.today
    return BedState(
        setup=state.setups[bed.pk],
        theta=water.theta,
        theta_at=water.at if water.version else None,
        sunrise=state.sun[0],
        sunset=state.sun[1],
        midnight=state.midnight,
        memory=memory_of(control),
        last_pulse_start=control.last_pulse_start,
        last_pulse_end=control.last_pulse_end,
        given_today_ml=control.given_today_ml if counted else 0.0,
        given_hour_ml=state.hour_ml.get(bed.pk, 0.0),
        pulses_today=control.pulses_today if counted else 0,
        stopped=control.stopped,
        tank_l=tank_l,
        busy_flow_l_min=state.busy_l_min.get(bed.pump_id or 0, 0.0),
        untrusted=water.untrusted,
        since=_since(state, bed, control),
        suction_kpa=state.sensed.suction.get(bed.pk, NAN),
        radiation_w_m2=state.sensed.radiation.get(bed.house_id, NAN),
        fall_ahead=_fall_ahead(state, bed),
        drain_seen=bed.pk in state.drained,
        dose_factor=control.dose_factor,
        gap_factor=control.gap_factor,
        normal_day_ml=state.normal_ml.get(bed.pk, NAN),
        holds=_holds(state, bed, control),
    )


def _since(state: SiteState, bed: Bed, control: BedControl) -> Since:
    sums, radiation = state.sums.get(bed.house_id), state.sensed.radiation.get(bed.house_id)
    vpd = state.sensed.vpd.get(bed.house_id)
    since = since_last_pulse(bed, control, sums)
    return replace(
        since,
        light_j_cm2=NAN if radiation is None else since.light_j_cm2,
        vpd_kpa_h=NAN if vpd is None else since.vpd_kpa_h,
        use_ml=NAN if radiation is None or vpd is None else since.use_ml,
    )


def _fall_ahead(state: SiteState, bed: Bed) -> float:
    """Expected fall of θ until the next start, asked for by programmes that stop by it; NaN for others."""
    version = state.programmes.get(bed.pk)
    if version is None or version.body["stop"]["kind"] != "fall":
        return NAN
    from .forecast import fall_until_morning  # the forecast stands on this module

    return fall_until_morning(bed, state)


def _holds(state: SiteState, bed: Bed, control: BedControl) -> Holds:
    entry = state.plan.get(bed.pk)
    pump = bed.pump_id or 0
    tank = bed.pump.tank_id if bed.pump else 0
    valve = getattr(bed, "valve", None)
    silent = silent_since(valve.node, state.now, state.rate) if valve is not None and valve.node.last_seen else None
    lower, upper = 0.5 * bed.feed_ec_ms_cm, 1.5 * bed.feed_ec_ms_cm
    return Holds(
        locked=str(control.locked_by) if control.locked_by else "",
        manual=control.manual,
        paused_until=control.paused_until,
        exception=entry.title if entry is not None and entry.kind == PlanKind.HOLD else "",
        node_silent_s=NAN if silent is None or valve is None else (state.now - valve.node.last_seen).total_seconds(),
        stray_flow_l_min=state.sensed.stray(pump, state.busy_l_min.get(pump, 0.0), state.now),
        feed_ec=state.sensed.feed("feed_ec", pump, tank or 0, lower, upper),
        feed_ph=state.sensed.feed("ph", pump, tank or 0, *PH_LIMITS),
        rain_left_min=_rain_left(state, bed),
        rain_credit_ml=control.rain_credit_ml,
    )


PH_LIMITS = (4.0, 7.5)
"""Feed outside these is not given. Starting values; the crop's own band belongs to the recipe."""


def _rain_left(state: SiteState, bed: Bed) -> float:
    version, last = state.programmes.get(bed.pk), state.sensed.last_rain
    rule = version.body.get("rain") if version is not None else None
    if not rule or last is None:
        return 0.0
    return max(0.0, float(rule["hold_min"]) - (state.now - last).total_seconds() / 60)
