"""The water's way from source to drain, with everything that follows from it, computed."""

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from django.db.models import F, Prefetch, Sum

from common.figures import Figure, worked
from reedcore.dosing import bed_flow_l_min, seconds_from_dose
from reedcore.errors import ReedError
from reedcore.hydraulics import (
    STARTING_ROUGHNESS_C,
    STARTING_SHUTOFF_SHARE,
    HeadPart,
    Lateral,
    lateral_flow,
    line_volume_l,
)
from reedcore.lines import BedDemand, best_sequence, pump_load
from reedcore.programme import BedSetup, usual_dose_ml
from reedcore.tanks import Tank as CoreTank
from reedcore.tanks import TankShape, level_from_litres

from .beds import friction_m, main_loss_m, pump_flow_of, setup_of
from .models import Bed, Pump, Site, Tank

DOSE_SHARE = 0.03
"""Dose of a bed without a programme, as a share of its substrate. Starting value."""
DRAIN_AIM = 0.2
WATERING_HOURS = 12.0
"""Hours of a peak day in which pulses are given. Starting value."""


@dataclass
class BedLine:
    """A bed at its valve: flow, dose, seconds, head along its laterals, and what is wrong."""

    id: int
    name: str
    house: str
    flow: Figure
    dose_ml: float
    dose_source: str
    pulse_s: float
    lateral_loss: Figure
    spread_pct: float | None
    head_along_m: list[float]
    fill: Figure
    fill_used_s: float
    peak_day: Figure
    problems: list[str] = field(default_factory=list)


@dataclass
class GroupOut:
    beds: list[str]
    flow_l_min: float
    seconds: float


@dataclass
class HeadStep:
    name: str
    head_m: float


@dataclass
class PumpLine:
    """A pump, the head asked of it, its flow there, and the round over its beds."""

    id: int
    name: str
    flow: Figure
    flow_used_l_min: float
    heads: list[HeadStep]
    beds: list[BedLine]
    sequence: list[GroupOut]
    sequence_s: float
    together: bool
    load_share: float | None
    day_l: float
    sentence: str
    problems: list[str]


@dataclass
class TankLine:
    """A tank: litres, levels in cm for a drawing at scale, pumps, days it lasts."""

    id: int
    name: str
    shape: str
    full_l: float
    depth_cm: float | None
    levels_cm: dict[str, float]
    content_l: float | None
    days_peak: Figure
    days_now: Figure
    day_l: float
    pumps: list[PumpLine]


def plumbing_of(site: Site) -> list[TankLine]:
    """Every tank of a site with its pumps and beds."""
    beds = Prefetch(
        "beds", Bed.standing.select_related("house__site", "own_medium", "pump__tank").prefetch_related("programmes")
    )
    tanks = site.tanks.prefetch_related(
        "channels__latest", Prefetch("pumps", Pump.objects.order_by("id").prefetch_related(beds))
    )
    return [tank_line(t) for t in tanks.order_by("id")]


def core_tank(tank: Tank) -> CoreTank | None:
    """The tank by its sides; None where only its litres are known. Raises OutOfRange for a side that is missing."""
    if not tank.shape:
        return None
    sides = {s: getattr(tank, s) or 0.0 for s in ("length_cm", "width_cm", "diameter_cm", "height_cm")}
    return CoreTank(TankShape(tank.shape), **sides)


def tank_line(tank: Tank) -> TankLine:
    pumps = [pump_line(p) for p in tank.pumps.all()]
    day_l = sum(p.day_l for p in pumps)
    held = next(
        (
            c.latest.raw
            for c in tank.channels.all()
            if c.retired_at is None and hasattr(c, "latest") and c.quantity == "tank"
        ),
        None,
    )
    usable = max(0.0, (held if held is not None else tank.overfill_l or tank.capacity_l) - tank.empty_l)
    source = ("as it stands now" if held is not None else "from full") + ", at the use of a peak day"
    form = core_tank(tank)
    marks = {"empty": tank.empty_l, "warn": tank.warn_l, "overfill": tank.overfill_l or tank.capacity_l}
    levels = (
        {name: level_from_litres(form, min(litres, tank.capacity_l)) for name, litres in marks.items()} if form else {}
    )
    if form and held is not None:
        levels["now"] = level_from_litres(form, min(max(held, 0.0), tank.capacity_l))
    days = (
        worked("tank_days", {"usable_l": usable, "daily_use_l": day_l}, source)
        if day_l
        else Figure(None, "days", 1, "no bed yet")
    )
    days_now = _days_at_current_use(tank, usable)
    return TankLine(
        tank.pk,
        tank.name,
        tank.shape,
        tank.capacity_l,
        form.depth_cm if form else None,
        levels,
        held,
        days,
        days_now,
        day_l,
        pumps,
    )


def _days_at_current_use(tank: Tank, usable_l: float) -> Figure:
    """Days at the mean use of the last seven recorded days of the beds that draw from the tank."""
    from watering.models import DayFigure  # watering stands on places; only the record is asked for here

    rows = DayFigure.objects.filter(bed__pump__tank=tank, bed__retired_at=None, pulses__gt=0)
    days = list(rows.order_by("-day").values_list("day", flat=True).distinct()[:7])
    litres = rows.filter(day__in=days).aggregate(sum=Sum(F("dose_ml") * F("bed__plants")))["sum"] if days else None
    if not litres:
        return Figure(None, "days", 1, "no recorded day yet")
    return worked(
        "tank_days",
        {"usable_l": usable_l, "daily_use_l": litres / 1000 / len(days)},
        f"mean use of the last {len(days)} recorded days",
    )


def pump_line(pump: Pump) -> PumpLine:
    beds = [bed_line(b) for b in pump.beds.all()]
    heads, flow, used = _pump_flow(pump, list(pump.beds.all()))
    problems: list[str] = []
    groups: list[GroupOut] = []
    demands = [BedDemand(b.name, b.flow.value, b.pulse_s) for b in beds if b.flow.value and b.pulse_s > 0]
    seconds, together, share = 0.0, False, None
    day_l = sum(b.peak_day.value or 0.0 for b in beds)
    if demands:
        try:
            sequence = best_sequence(demands, used)
        except ReedError as error:
            problems.append(f"{pump.name} gives {used:.1f} L/min at this head: {error.expectation}.")
        else:
            groups = [GroupOut(list(g.beds), g.flow_l_min, g.seconds) for g in sequence.groups]
            seconds, together = sequence.seconds, sequence.all_together
            rounds = max((_rounds(b) for b in beds), default=0)
            share = pump_load(sequence, rounds, WATERING_HOURS * 60, day_l).share
    return PumpLine(
        pump.pk, pump.name, flow, used, heads, beds, groups, seconds, together, share, day_l,
        _say(pump, used, groups, seconds, share, len(beds)), problems,
    )  # fmt: skip


def _rounds(bed: BedLine) -> int:
    per_plant = (bed.peak_day.inputs.get("peak_use_ml_per_plant", 0.0)) / (1 - DRAIN_AIM)
    return min(200, round(per_plant / bed.dose_ml)) if bed.dose_ml else 0


def _pump_flow(pump: Pump, beds: list[Bed]) -> tuple[list[HeadStep], Figure, float]:
    if pump.rated_head_m is None:
        figure = Figure(
            pump.flow_l_min, "L/min", 1, "as entered, at the head of its beds; enter the rated head to have it computed"
        )
        return [], figure, pump.flow_l_min
    shutoff = pump.shutoff_head_m or STARTING_SHUTOFF_SHARE * pump.rated_head_m
    main, friction = main_loss_m(pump), friction_m(pump)
    dripper = max((b.dripper_head_m for b in beds), default=10.0)
    steps = [
        HeadPart("lift", pump.lift_m),
        HeadPart("main pipe", main),
        HeadPart("filter", pump.filter_loss_m),
        HeadPart("injector", pump.injector_loss_m),
        HeadPart("at the dripper", dripper),
    ]
    flow = pump_flow_of(pump, dripper)
    share = (flow / pump.flow_l_min) ** 1.852
    head = pump.lift_m + dripper + friction * share
    figure = worked(
        "pump_flow",
        {
            "head_m": head,
            "rated_flow_l_min": pump.flow_l_min,
            "rated_head_m": pump.rated_head_m,
            "shutoff_head_m": shutoff,
        },
        "where the pump's curve meets the line's"
        + ("" if pump.shutoff_head_m else "; head at no flow is a starting value"),
    )
    scaled = [HeadStep(p.name, p.head_m if p.name in ("lift", "at the dripper") else p.head_m * share) for p in steps]
    return scaled, figure, flow


def _say(pump: Pump, flow: float, groups: list[GroupOut], seconds: float, share: float | None, beds: int) -> str:
    if not groups:
        return f"{pump.name} has no bed yet." if not beds else f"{pump.name} cannot feed each of its beds; see below."
    if len(groups) == 1:
        all_beds = "its bed" if beds == 1 else "both its beds" if beds == 2 else f"all {beds} beds"
        text = f"{pump.name} feeds {all_beds}{' at once' if beds > 1 else ''}: {groups[0].flow_l_min:.1f} of {flow:.1f} L/min, {seconds / 60:.1f} min a round."
    else:
        order = ", then ".join(_and(sorted(g.beds)) for g in groups)
        text = f"{pump.name} feeds its beds in {len(groups)} groups: {order}; {seconds / 60:.1f} min a round."
    if share is None:
        return text
    due = " A second pump is due." if share > 0.85 else ""
    return f"{text} On a peak day it runs {100 * share:.0f} % of {WATERING_HOURS:.0f} watering hours.{due}"


def _and(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def bed_line(bed: Bed) -> BedLine:
    """A bed's part of the chain. Never raises: what cannot be computed stands in `problems`."""
    problems: list[str] = []
    setup = setup_of(bed)
    flow = bed_flow_l_min(bed.flow_ml_min, bed.plants)
    figure = worked(
        "bed_flow",
        {"flow_ml_min_per_plant": bed.flow_ml_min, "plants": bed.plants},
        "tested flow" if bed.tested_flow_ml_min else "rated flow, not tested yet",
    )
    programme = max(bed.programmes.all(), key=lambda p: p.number, default=None)
    dose = _dose_ml(programme, setup)
    source = f"programme {programme.number}" if programme else "3 % of the substrate, no programme yet"
    try:
        pulse_s = seconds_from_dose(dose, bed.flow_ml_min, bed.line_fill_s)
    except ReedError as error:
        pulse_s = 0.0
        problems.append(f"Bed {bed.name}: {error}.")
    loss, spread, heads = _lateral(bed, problems)
    return BedLine(
        bed.pk, bed.name, bed.house.name, figure, dose, source, pulse_s, loss, spread, heads, _fill(bed, flow), bed.line_fill_s,
        _peak(bed), problems,
    )  # fmt: skip


def _dose_ml(programme: Any, setup: BedSetup) -> float:
    from watering.state import programme_of  # watering stands on places; only the dose in use is asked for here

    if programme is None:
        return DOSE_SHARE * setup.volume_l_per_plant * 1000
    return usual_dose_ml(programme_of(programme), setup)


def _peak(bed: Bed) -> Figure:
    from watering.proposal import peak_use_ml  # watering stands on places; only this one figure looks the other way

    return worked(
        "peak_day",
        {"plants": bed.plants, "peak_use_ml_per_plant": peak_use_ml(bed), "drain_share": DRAIN_AIM},
        "modelled use of a hot clear midsummer day, 20 % drain",
    )


def lateral_of(bed: Bed) -> Lateral | None:
    """One dripper line of the bed; None where its pipe is not described. Raises OutOfRange for what cannot be."""
    if not (bed.laterals and bed.lateral_length_m and bed.lateral_diameter_mm):
        return None
    outlets = max(1, round(bed.plants * bed.drippers_per_plant / bed.laterals))
    rated = bed.rated_flow_ml_min / bed.drippers_per_plant * 60 / 1000
    return Lateral(
        outlets,
        bed.lateral_length_m / outlets,
        bed.lateral_diameter_mm,
        rated,
        bed.dripper_head_m,
        bed.dripper_exponent,
    )


# Beds alike are many; their lines are worked out once.
_run_lateral = lru_cache(maxsize=512)(lateral_flow)


def _lateral(bed: Bed, problems: list[str]) -> tuple[Figure, float | None, list[float]]:
    try:
        lateral = lateral_of(bed)
        if lateral is None:
            return Figure(None, "m", 2, "describe the dripper lines to have it computed"), None, []
        run = _run_lateral(lateral, bed.dripper_head_m)
    except ReedError as error:
        problems.append(f"Bed {bed.name}: {error}.")
        return Figure(None, "m", 2, str(error)), None, []
    if run.spread > 0.1:
        problems.append(
            f"Bed {bed.name}: the far drippers give {100 * run.spread:.0f} % less than the first; over 10 % is too much. "
            "Feed the line from its middle, or take a wider one."
        )
    figure = worked(
        "lateral_loss",
        {
            "outlets": lateral.outlets,
            "flow_l_min": lateral.outlets * lateral.rated_l_h / 60,
            "diameter_mm": lateral.diameter_mm,
            "length_m": bed.lateral_length_m or 0.0,
            "roughness_c": STARTING_ROUGHNESS_C,
        },
        "dripper lines as described",
    )
    step = max(1, lateral.outlets // 24)
    return figure, run.spread * 100, [round(float(h), 3) for h in run.head_m[::step]]


def _fill(bed: Bed, flow: float) -> Figure:
    # The valve holds the main full; only the dripper lines behind it run empty and fill anew.
    if not (bed.laterals and bed.lateral_length_m and bed.lateral_diameter_mm):
        return Figure(None, "s", 0, "describe the dripper lines to have it computed")
    litres = bed.laterals * line_volume_l(bed.lateral_diameter_mm, bed.lateral_length_m)
    return worked("line_fill", {"volume_l": litres, "flow_l_min": flow}, "dripper lines that ran empty")
