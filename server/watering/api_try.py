"""Water, tried before it is trusted: simulated days and weeks, comparisons, replay."""

from dataclasses import dataclass
from datetime import date
from hashlib import sha256

from django.core.cache import cache
from rest_framework.request import Request

from accounts.access import reach
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure
from places.models import Bed
from reedcore.errors import OutOfRange
from reedcore.programme import Programme, usual_dose_ml
from reedcore.schools import NOTES, School

from .api_programme import Problem, problems_of, seconds_figure
from .proposal import proposal_of
from .state import SiteState, bed_state, gather
from .tryout import WEEK_STEP_MIN, Replayed, Tried, recorded_days, replay, tried, try_day, try_week


@dataclass
class TryIn:
    """weather: clear, mixed, dull, hot, or a recorded day as 2026-06-12; span: day or week."""

    body: Programme
    weather: str = "clear"
    span: str = "day"


@dataclass
class TryOut:
    """Problems are what publishing would refuse; the stretch is simulated where it can be."""

    tried: Tried | None
    problems: list[Problem]
    seconds: Figure


@endpoint("POST", takes=TryIn, gives=TryOut, operation="try_programme")
def try_programme(request: Request, data: TryIn, bed_id: int) -> TryOut:
    """A day or a week under a programme that is not published yet. Simulates what it can even where publishing would refuse."""
    bed = reach(request, Bed, bed_id)
    wanted, state = data.body, _state(bed)
    problems = problems_of(bed, wanted, state.now)
    setup = state.setups[bed.pk]
    try:
        dose = usual_dose_ml(wanted, setup)
    except OutOfRange:
        return TryOut(None, problems, seconds_figure(bed, None))
    return TryOut(_tried(bed, wanted, state, data.weather, data.span), problems, seconds_figure(bed, dose))


def _state(bed: Bed) -> SiteState:
    return gather(bed.house.site, site_now(bed.house.site), [bed.pk])


def _tried(bed: Bed, programme: Programme, state: SiteState, weather: str, span: str, why: bool = True) -> Tried:
    held = bed_state(state, bed, programme.stale_after_s)
    if span == "week":
        return tried(*try_week(bed, programme, held, state.now), programme, WEEK_STEP_MIN, why)
    if span != "day":
        raise OutOfRange("span", span, "day or week")
    return tried(*try_day(bed, programme, held, state.now, weather), programme, why=why)


@dataclass
class NamedProgramme:
    name: str
    body: Programme


@dataclass
class CompareIn:
    """Programmes by name; `schools` puts each school's starting programme beside them."""

    programmes: list[NamedProgramme]
    weather: str = "clear"
    span: str = "week"
    schools: bool = False


@dataclass
class Compared:
    name: str
    tried: Tried
    low: float
    high: float


@endpoint("POST", takes=CompareIn, gives=Compared, many=True, operation="compare_programmes")
def compare_programmes(request: Request, data: CompareIn, bed_id: int) -> list[Compared]:
    """Programmes side by side in the same weather: water, drain, time in band, salt at the end."""
    bed = reach(request, Bed, bed_id)
    programmes = {p.name: p.body for p in data.programmes}
    if data.schools:
        programmes |= {NOTES[s].name: proposal_of(bed, s).programme for s in School}
    if not 1 <= len(programmes) <= 5:
        raise OutOfRange("programmes", len(programmes), "1 to 5 programmes")
    state = _state(bed)
    return [Compared(n, _kept(bed, p, state, data.weather, data.span), p.low, p.high) for n, p in programmes.items()]


def _kept(bed: Bed, programme: Programme, state: SiteState, weather: str, span: str) -> Tried:
    """A run for a comparison, kept for five minutes: while one programme is edited the others stay as they are."""
    asked = repr((bed.pk, bed.version, programme, weather, span, state.today))
    key = "tried:" + sha256(asked.encode()).hexdigest()
    found: Tried | None = cache.get(key)
    if found is None:
        found = _tried(bed, programme, state, weather, span, False)
        cache.set(key, found, 300)
    return found


@dataclass
class ReplayIn:
    body: Programme
    day: date


@endpoint("POST", takes=ReplayIn, gives=Replayed, operation="replay_day")
def replay_day(request: Request, data: ReplayIn, bed_id: int) -> Replayed:
    """A recorded day as another programme would have made it; the bed model is fitted to that day first."""
    bed = reach(request, Bed, bed_id)
    wanted, state = data.body, _state(bed)
    return replay(bed, wanted, bed_state(state, bed, wanted.stale_after_s), data.day)


@dataclass
class RecordedDay:
    day: date
    pulses: int
    dose_ml: float
    light_j_cm2: float | None


@endpoint("GET", gives=RecordedDay, many=True)
def recorded(request: Request, bed_id: int) -> list[RecordedDay]:
    """Days of the record that can be replayed or used as weather."""
    bed = reach(request, Bed, bed_id)
    days = recorded_days(bed, site_now(bed.house.site))
    rows = {d.day: d for d in bed.day_figures.filter(day__in=days)}
    return [RecordedDay(d, rows[d].pulses, rows[d].dose_ml, rows[d].light_sum_j_cm2) for d in days]
