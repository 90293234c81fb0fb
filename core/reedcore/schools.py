"""Starting programmes of the main schools, each number with its origin, and what each school costs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from .programme import (
    BedSetup,
    Dose,
    DoseKind,
    DrainAim,
    Lean,
    Moment,
    MomentKind,
    Programme,
    Trigger,
    TriggerKind,
)
from .programme_checks import pct


class School(StrEnum):
    """What a grower goes by."""

    THRESHOLD = "threshold"
    LIGHT = "light"
    CLOCK = "clock"


@dataclass(frozen=True)
class SchoolNote:
    """A school in words: what it goes by, when it suits, when it fails."""

    name: str
    goes_by: str
    suits: str
    fails: str


NOTES: dict[School, SchoolNote] = {
    School.THRESHOLD: SchoolNote(
        "by the probe",
        "the water content at the probe, between a low and a high",
        "a calibrated probe at a typical plant; follows weather and crop by itself",
        "where the probe sits in a dry corner or a wet pocket, drifts, or speaks for plants it does not stand by",
    ),
    School.LIGHT: SchoolNote(
        "by the light sum",
        "the radiation that has fallen since the last pulse",
        "a full crop in good light; reacts before the substrate dries, needs no probe",
        "on dull, warm, windy days and at night, when the crop drinks by VPD; and after the leaf area has changed",
    ),
    School.CLOCK: SchoolNote(
        "by the clock",
        "fixed times of the day",
        "rooting and young plants, steady weather, or until sensors are proven",
        "whenever today is not like yesterday: too much on dull days, too little on hot ones",
    ),
}


@dataclass(frozen=True)
class Proposal:
    """A proposed programme with the origin of each number, by path."""

    programme: Programme
    origin: dict[str, str]


PROPOSED_SOAK_MIN = 20.0
PEAK_MINUTES = 720.0
"""Daily use over the use in the sunniest minute of a clear day [min]. Starting value."""
DRAIN_WANTED = 0.2
CLEAR_DAY_J_CM2 = 1900.0
"""Light inside on a hot clear midsummer day, where none is given [J/cm2]. Starting value."""


def propose_programme(setup: BedSetup, peak_use_ml_per_plant: float) -> Proposal:
    """A first programme by the probe, from capacity, volume, tested flow and modelled peak use [mL per plant a day].

    The band sits high between dry limit and capacity; the dose is 3 % of the volume, more if the line
    needs it or the crop would drink it within the soak.
    """
    span = setup.capacity - setup.dry_limit
    low, high = round(setup.capacity - 0.28 * span, 3), round(setup.capacity - 0.12 * span, 3)
    least = setup.line_fill_s / 60 * setup.flow_ml_min_per_plant
    share = 0.03 * setup.volume_l_per_plant * 1000
    keeps_up = 1.9 * peak_use_ml_per_plant / PEAK_MINUTES * PROPOSED_SOAK_MIN
    dose = float(_round5(max(share, 1.1 * least, keeps_up)))
    cap = max(4 * dose, float(round(1.8 * peak_use_ml_per_plant / 50) * 50))
    hourly = float(_round5(dose * (1 + 60 / PROPOSED_SOAK_MIN)))
    rescue = round(setup.dry_limit + 0.15 * span, 3)
    programme = Programme(
        Moment(MomentKind.SUN, 120),
        Moment(MomentKind.SUN, 90),
        low,
        high,
        rescue,
        Dose(DoseKind.ML, dose),
        PROPOSED_SOAK_MIN,
        8,
        cap,
        hourly,
    )
    origin = {
        "start.value": "usual: the crop drinks little before",
        "stop.value": "usual: the bed dries down before the night",
        "low": f"28 % of the way from capacity {pct(setup.capacity)} down to the dry limit {pct(setup.dry_limit)}",
        "high": "12 % of the way down, where a part of each pulse drains",
        "rescue": "15 % of the way up from the dry limit",
        "dose.value": f"{dose / (10 * setup.volume_l_per_plant):.1f} % of {setup.volume_l_per_plant:.2f} L of "
        "substrate per plant: 3 %, or more where the crop would drink it all within the soak",
        "soak_min": "usual time for a pulse to spread and the probe to see it",
        "tries": "pulses without reaching the high before a person must look",
        "daily_cap_ml_per_plant": f"1.8 times the modelled use of a hot day, {peak_use_ml_per_plant:.0f} mL per plant",
        "hourly_cap_ml_per_plant": f"one pulse more than the soak of {PROPOSED_SOAK_MIN:.0f} min lets into an hour",
        "stale_after_s": "a reading older than this is not acted on",
        "fallback.share": "modest: a bed without a reading is better a little dry than flooded",
        "fallback.hours": "a day to mend the probe",
        "pulses_per_day": "more than any day asks for",
    }
    return Proposal(programme, origin)


def propose_school(
    school: School, setup: BedSetup, peak_use_ml_per_plant: float, clear_day_j_cm2: float = CLEAR_DAY_J_CM2
) -> Proposal:
    """A starting programme that is exactly one school's.

    Parameters
    ----------
    school : threshold, light or clock.
    setup : the bed.
    peak_use_ml_per_plant : modelled use of a hot clear day [mL per plant].
    clear_day_j_cm2 : light inside on that day [J/cm2, above 100].

    Returns
    -------
    Proposal. light: as much light between two pulses as makes the crop drink one dose less the wanted drain;
    clock: pulses spread over the day so that a usual day (70 % of the peak) is covered.
    """
    base = propose_programme(setup, peak_use_ml_per_plant)
    dose = base.programme.dose.value
    if school is School.THRESHOLD:
        return base
    if school is School.LIGHT:
        per_j = peak_use_ml_per_plant / clear_day_j_cm2
        light = float(max(5, round(dose * (1 - DRAIN_WANTED) / per_j)))
        programme = replace(
            base.programme,
            triggers=(Trigger(TriggerKind.LIGHT_SUM, light),),
            latch=False,
            soak_min=15.0,
            drain=DrainAim(DRAIN_WANTED),
        )
        said = f"{dose:.0f} mL less {100 * DRAIN_WANTED:.0f} % drain, at {per_j:.2f} mL per plant for each J/cm² (modelled hot day: {peak_use_ml_per_plant:.0f} mL in {clear_day_j_cm2:.0f} J/cm²)"
        return Proposal(
            programme,
            {
                **base.origin,
                "triggers.0.value": said,
                "drain.share": "usual for a slab; the measured drain corrects it",
            },
        )
    times = _clock_times(dose, peak_use_ml_per_plant)
    programme = replace(
        base.programme,
        triggers=(Trigger(TriggerKind.CLOCK, 0.0, times),),
        latch=False,
        drain=DrainAim(DRAIN_WANTED),
        start=Moment(MomentKind.CLOCK, 6 * 60),
        stop=Moment(MomentKind.CLOCK, 20 * 60),
    )
    said = f"{len(times)} pulses of {dose:.0f} mL cover 70 % of a hot day's use and {100 * DRAIN_WANTED:.0f} % drain, closest about noon"
    return Proposal(
        programme,
        {
            **base.origin,
            "triggers.0.times": said,
            "start.value": "before the first time",
            "stop.value": "after the last time",
            "drain.share": "usual for a slab; the measured drain corrects it",
        },
    )


def _clock_times(dose: float, peak_use: float) -> tuple[int, ...]:
    """Times of the day [min], closer together about noon: equal shares of a sine between 7 and 19 h."""
    from math import acos, pi

    count = int(min(24, max(2, round(0.7 * peak_use / (1 - DRAIN_WANTED) / dose))))
    shares = [(i + 0.5) / count for i in range(count)]
    return tuple(sorted({round((7 * 60 + 720 * acos(1 - 2 * s) / pi) / 5) * 5 for s in shares}))


@dataclass(frozen=True)
class LeanChange:
    """One setting that a lean moves: path, from, to, and why."""

    path: str
    before: float
    after: float
    why: str


_LEANS: dict[Lean, tuple[float, float, float, float, float]] = {
    # dose, soak, start, stop and band factor or minutes: small and often keeps a crop leafy, larger and rarer turns it to fruit
    Lean.LEAFY: (0.85, 0.85, -30, -30, 0.01),
    Lean.FRUITING: (1.15, 1.2, 30, 45, -0.02),
}


def lean_changes(programme: Programme, setup: BedSetup, lean: Lean) -> list[LeanChange]:
    """What a lean would move, with amounts and reasons; nothing for balance. Starting values, to be judged on the crop."""
    if lean is Lean.BALANCED:
        return []
    dose, soak, start, stop, band = _LEANS[lean]
    leafy = lean is Lean.LEAFY
    changes = []
    if programme.dose.kind is not DoseKind.TO_TOP:
        digits = 3 if programme.dose.kind is DoseKind.SHARE else 0
        least = (
            programme.dose.value
            if programme.dose.kind is not DoseKind.ML
            else setup.line_fill_s / 60 * setup.flow_ml_min_per_plant
        )
        after = max(
            round(programme.dose.value * dose, digits),
            round(least, digits) if leafy and programme.dose.kind is DoseKind.ML else 0,
        )
        changes.append(
            LeanChange(
                "dose.value",
                programme.dose.value,
                after,
                "smaller pulses keep the water even" if leafy else "larger pulses let the bed fall further between",
            )
        )
    changes.append(
        LeanChange(
            "soak_min",
            programme.soak_min,
            max(2.0, float(round(programme.soak_min * soak))),
            "pulses may come closer" if leafy else "longer between pulses",
        )
    )
    for path, moment, by in (("start.value", programme.start, start), ("stop.value", programme.stop, stop)):
        if moment.kind is MomentKind.SUN:
            changes.append(LeanChange(path, moment.value, moment.value + by, _when(path, leafy)))
        elif moment.kind is MomentKind.FALL:
            after = round(moment.value * (0.8 if leafy else 1.25), 3)
            changes.append(
                LeanChange(
                    path, moment.value, after, "a smaller fall overnight" if leafy else "a deeper fall overnight"
                )
            )
    top = setup.capacity - 0.005
    for path, value in (("low", programme.low), ("high", programme.high)):
        after = round(min(top if path == "high" else programme.high - 0.005 if leafy else top, value + band), 3)
        changes.append(
            LeanChange(
                path, value, after, "wetter: growth" if leafy else "drier, a deeper fall overnight: flower and fruit"
            )
        )
    return [c for c in changes if c.after != c.before]


def _when(path: str, leafy: bool) -> str:
    if path == "start.value":
        return "begin earlier" if leafy else "begin later, after the crop has begun to drink"
    return "stop later: a small fall overnight" if leafy else "stop earlier: a larger fall overnight"


def lean_programme(programme: Programme, setup: BedSetup, lean: Lean) -> Programme:
    """The programme with the changes of a lean taken."""
    values = {c.path: c.after for c in lean_changes(programme, setup, lean)}
    moved = replace(programme, lean=lean, **{k: v for k, v in values.items() if "." not in k})  # type: ignore[arg-type]
    for name in ("start", "stop"):
        if f"{name}.value" in values:
            moved = replace(moved, **{name: replace(getattr(moved, name), value=values[f"{name}.value"])})
    return replace(moved, dose=replace(moved.dose, value=values.get("dose.value", moved.dose.value)))


def _round5(value: float) -> int:
    return max(5, round(value / 5) * 5)
