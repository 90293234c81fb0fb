"""What a watering programme says, and what the bed it is for can take."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .dosing import bed_flow_l_min, dose_ml_from_share, seconds_from_dose
from .errors import OutOfRange
from .substrate import Medium


@dataclass(frozen=True)
class BedSetup:
    """The bed a programme waters.

    volume_l_per_plant [L], plants, capacity, dry_limit, saturation [m3/m3], flow_ml_min_per_plant [mL/min],
    line_fill_s [s], pump_flow_l_min [L/min at the bed's head], tank_empty_l [L]; medium: its retention curve,
    for the suction where no tensiometer stands in the bed.
    """

    volume_l_per_plant: float
    plants: int
    capacity: float
    dry_limit: float
    saturation: float
    flow_ml_min_per_plant: float
    line_fill_s: float
    pump_flow_l_min: float
    tank_empty_l: float
    medium: Medium | None = None

    @property
    def flow_l_min(self) -> float:
        return bed_flow_l_min(self.flow_ml_min_per_plant, self.plants)


class MomentKind(StrEnum):
    """How a start or a stop is found."""

    SUN = "sun"
    CLOCK = "clock"
    LIGHT = "light"
    FALL = "fall"


@dataclass(frozen=True)
class Moment:
    """A start or a stop of the watering hours.

    value by kind: sun [min after sunrise for a start, before sunset for a stop], clock [min of the local day],
    light [W/m2 inside, reached for a start, fallen below for a stop], fall [m3/m3: fallen since the evening for
    a start; wanted until the next start for a stop].
    """

    kind: MomentKind
    value: float


class DoseKind(StrEnum):
    ML = "ml"
    SHARE = "share"
    SECONDS = "seconds"
    TO_TOP = "to_top"


@dataclass(frozen=True)
class Dose:
    """Size of a pulse. value by kind: ml [mL per plant], share [of substrate volume], seconds [s of open valve], to_top [ignored]."""

    kind: DoseKind
    value: float = 0.0


class TriggerKind(StrEnum):
    """What asks for a pulse while the bed is held."""

    BELOW_LOW = "below_low"
    FALLEN = "fallen"
    SUCTION = "suction"
    LIGHT_SUM = "light_sum"
    VPD_HOURS = "vpd_hours"
    WATER_USE = "water_use"
    ELAPSED = "elapsed"
    CLOCK = "clock"


@dataclass(frozen=True)
class Trigger:
    """One trigger.

    value by kind: below_low [the programme's low; ignored], fallen [m3/m3 since the last peak], suction [kPa],
    light_sum [J/cm2 since the last pulse], vpd_hours [kPa h], water_use [mL per plant, modelled], elapsed [min];
    times: minutes of the local day, for clock.
    """

    kind: TriggerKind
    value: float = 0.0
    times: tuple[int, ...] = ()


class Match(StrEnum):
    ANY = "any"
    ALL = "all"


class Until(StrEnum):
    """What ends the recharge."""

    TOP = "top"
    DRAIN = "drain"
    PULSES = "pulses"


@dataclass(frozen=True)
class Recharge:
    """Small pulses after the start: dose, gap_min [min, 2 to 240], what ends them, and pulses [1 to 30] at most."""

    dose: Dose
    gap_min: float
    until: Until
    pulses: int


@dataclass(frozen=True)
class Fallback:
    """Without a reading to go by: share [0.2 to 1] of the usual day, by the clock, for hours [0 to 168], then nothing."""

    share: float = 0.6
    hours: float = 24.0


class Moves(StrEnum):
    DOSE = "dose"
    GAP = "gap"


@dataclass(frozen=True)
class DrainAim:
    """Wanted drain share [0 to 0.7]; what yesterday's measured share moves, with gain [0.05 to 2] and bound [0.02 to 0.5] a
    day; frozen: the correction stays as it is."""

    share: float
    moves: Moves = Moves.DOSE
    gain: float = 0.5
    bound: float = 0.15
    frozen: bool = False


@dataclass(frozen=True)
class RainRule:
    """For open beds: hold_min [min, 0 to 1440] after the last rain, and the share of it [0 to 1] that counts as given."""

    hold_min: float = 60.0
    credit_share: float = 0.7


class Lean(StrEnum):
    """Towards leaf, balance or fruit."""

    LEAFY = "leafy"
    BALANCED = "balanced"
    FRUITING = "fruiting"


@dataclass(frozen=True)
class Programme:
    """A day in three spans: recharge from the start, hold by triggers, dry down from the stop with nothing but a rescue.

    low, high, rescue [m3/m3], soak_min [min, 2 to 600], largest_gap_min [min, 0 for none], tries [pulses],
    pulses_per_day, daily and hourly cap [mL per plant], stale_after_s [s, 60 to 7200]. latch: once under the low,
    pulse on until the high.
    """

    start: Moment
    stop: Moment
    low: float
    high: float
    rescue: float
    dose: Dose
    soak_min: float
    tries: int
    daily_cap_ml_per_plant: float
    hourly_cap_ml_per_plant: float
    pulses_per_day: int = 96
    triggers: tuple[Trigger, ...] = (Trigger(TriggerKind.BELOW_LOW),)
    match: Match = Match.ANY
    latch: bool = True
    largest_gap_min: float = 0.0
    stale_after_s: float = 900.0
    recharge: Recharge | None = None
    fallback: Fallback | None = Fallback()
    drain: DrainAim | None = None
    rain: RainRule | None = None
    lean: Lean = Lean.BALANCED

    @property
    def asks_theta_besides_triggers(self) -> bool:
        """Do dose, recharge, start or stop ask for θ?"""
        tops = self.dose.kind is DoseKind.TO_TOP or (self.recharge is not None and self.recharge.until is Until.TOP)
        return tops or MomentKind.FALL in (self.start.kind, self.stop.kind)


LEAST_TO_TOP_ML = 1.0
MOST_SHARE = 0.25
"""No single pulse is more than a quarter of the substrate volume, whatever the settings say."""


def most_ml(setup: BedSetup) -> float:
    """The largest single pulse of a bed [mL per plant]."""
    return setup.volume_l_per_plant * 1000 * MOST_SHARE


def dose_ml_of(dose: Dose, setup: BedSetup, theta: float, high: float) -> float:
    """Millilitres per plant of a dose in a bed.

    theta [m3/m3] is asked only for 'back to the top of the band'; NaN there gives NaN. Raises OutOfRange as
    dose_ml_from_share, and for a dose of no water.
    """
    if dose.kind is DoseKind.ML:
        return dose.value
    if dose.kind is DoseKind.SHARE:
        return dose_ml_from_share(dose.value, setup.volume_l_per_plant)
    if dose.kind is DoseKind.SECONDS:
        return (dose.value - setup.line_fill_s) / 60 * setup.flow_ml_min_per_plant
    least = max(LEAST_TO_TOP_ML, setup.line_fill_s / 60 * setup.flow_ml_min_per_plant)
    wanted = (high - theta) * setup.volume_l_per_plant * 1000
    return wanted if wanted != wanted else min(most_ml(setup), max(least, wanted))


def usual_dose_ml(programme: Programme, setup: BedSetup) -> float:
    """The dose of the programme at its low [mL per plant], for figures that need one number."""
    return dose_ml_of(programme.dose, setup, programme.low, programme.high)


def pulse_seconds(programme: Programme, setup: BedSetup) -> float:
    """Seconds of one usual pulse of the programme in the bed. Raises OutOfRange as seconds_from_dose."""
    return seconds_of_ml(usual_dose_ml(programme, setup), setup)


def seconds_of_ml(dose_ml_per_plant: float, setup: BedSetup) -> float:
    """Seconds of an open valve for a dose in the bed. Raises OutOfRange as seconds_from_dose."""
    try:
        return seconds_from_dose(dose_ml_per_plant, setup.flow_ml_min_per_plant, setup.line_fill_s)
    except OutOfRange as error:
        raise OutOfRange(
            "dose.value" if error.field == "dose_ml_per_plant" else error.field, error.value, error.expectation
        ) from error
