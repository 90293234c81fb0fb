"""The line of each pump today: which bed ran when, what waits for it, and in what order it would go."""

from dataclasses import dataclass
from datetime import datetime

from common.clock import site_now
from places.models import Pump, Site

from .control import need_of
from .counters import counted
from .models import Pulse, PulseState
from .state import SiteState, gather


@dataclass
class Run:
    bed: int
    name: str
    start: datetime
    seconds: float
    flow_l_min: float
    state: str


@dataclass
class Waiting:
    """A bed that wants water and waits: how far under its low [points, negative above], and since when."""

    bed: int
    name: str
    under_points: float | None
    since: datetime | None
    flow_l_min: float


@dataclass
class LineDay:
    pump: int
    name: str
    flow_l_min: float
    busy_l_min: float
    start: datetime
    now: datetime
    runs: list[Run]
    waiting: list[Waiting]
    starts: int
    hours: float
    starts_ever: int
    hours_ever: float


def pump_lines(site: Site) -> list[LineDay]:
    """Every pump of a site with its day."""
    now = site_now(site)
    state = gather(site, now)
    pumps = Pump.objects.filter(tank__site=site).order_by("id").select_related("actuator")
    rows = Pulse.objects.filter(bed__house__site=site, ordered_at__gte=state.midnight).exclude(
        state=PulseState.NOT_GIVEN
    )
    pulses = list(rows.select_related("bed").order_by("ordered_at"))
    return [_line(p, state, [x for x in pulses if x.bed.pump_id == p.pk], now) for p in pumps]


def _line(pump: Pump, state: SiteState, pulses: list[Pulse], now: datetime) -> LineDay:
    beds = {b.pk: b for b in state.beds if b.pump_id == pump.pk and b.pk in state.setups}
    flow = max((state.setups[i].pump_flow_l_min for i in beds), default=pump.flow_l_min)
    runs = [
        Run(p.bed_id, p.bed.name, p.started_at or p.ordered_at, p.seconds, state.setups[p.bed_id].flow_l_min, p.state)
        for p in pulses
        if p.bed_id in beds
    ]
    actuator = getattr(pump, "actuator", None)
    today, ever = counted(actuator.pk if actuator else 0, state.midnight), counted(actuator.pk if actuator else 0, None)
    return LineDay(
        pump.pk, pump.name, flow, state.busy_l_min.get(pump.pk, 0.0), state.midnight, now, runs, _waiting(state, beds), *today, *ever
    )  # fmt: skip


def _waiting(state: SiteState, beds: dict[int, object]) -> list[Waiting]:
    held = [
        b
        for b in state.beds
        if b.pk in beds and b.pk in state.programmes and state.controls[b.pk].last_why == "pump_busy"
    ]
    out = []
    for bed in sorted(held, key=lambda b: need_of(state, b)):
        under = 100 * (state.programmes[bed.pk].low - state.waters[bed.pk].theta)
        out.append(
            Waiting(
                bed.pk,
                bed.name,
                None if under != under else under,
                state.waiting_since.get(bed.pk),
                state.setups[bed.pk].flow_l_min,
            )
        )
    return out
