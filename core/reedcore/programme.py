"""What a watering programme says, what the bed it is for can take, and whether the two fit."""

from __future__ import annotations

from dataclasses import dataclass

from .dosing import bed_flow_l_min, require_pump_can_feed, seconds_from_dose
from .errors import Inconsistent, OutOfRange, ReedError, require_range


@dataclass(frozen=True)
class BedSetup:
    """The bed a programme waters.

    volume_l_per_plant [L], plants, capacity, dry_limit, saturation [m3/m3], flow_ml_min_per_plant [mL/min],
    line_fill_s [s], pump_flow_l_min [L/min at the bed's head], tank_empty_l [L].
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

    @property
    def flow_l_min(self) -> float:
        return bed_flow_l_min(self.flow_ml_min_per_plant, self.plants)


@dataclass(frozen=True)
class Programme:
    """Pulse and soak between two levels, within hours tied to the sun.

    start_after_sunrise_min, stop_before_sunset_min [min, -240 to 720], low, high, rescue [m3/m3],
    dose_ml_per_plant [mL], soak_min [min, 2 to 600], tries [pulses], daily_cap_ml_per_plant [mL],
    stale_after_s [s, 60 to 7200].
    """

    start_after_sunrise_min: float
    stop_before_sunset_min: float
    low: float
    high: float
    rescue: float
    dose_ml_per_plant: float
    soak_min: float
    tries: int
    daily_cap_ml_per_plant: float
    stale_after_s: float = 900.0


def pulse_seconds(programme: Programme, setup: BedSetup) -> float:
    """Seconds of one pulse of the programme in the bed. Raises OutOfRange as seconds_from_dose."""
    return seconds_from_dose(programme.dose_ml_per_plant, setup.flow_ml_min_per_plant, setup.line_fill_s)


def programme_faults(programme: Programme, setup: BedSetup) -> list[ReedError]:
    """Every reason why the programme cannot be published for the bed; empty when it can.

    All are returned, not the first one only, so that each can stand at its field.
    """
    faults: list[ReedError] = []
    for check in (_check_ranges, _check_levels, _check_amounts):
        faults.extend(check(programme, setup))
    return faults


RANGES: dict[str, tuple[float, float, str]] = {
    "start_after_sunrise_min": (-240, 720, "minutes after sunrise"),
    "stop_before_sunset_min": (-240, 720, "minutes before sunset"),
    "low": (0.01, 1, "m³/m³"),
    "high": (0.01, 1, "m³/m³"),
    "rescue": (0.0, 1, "m³/m³"),
    "dose_ml_per_plant": (1, 20000, "mL per plant"),
    "soak_min": (2, 600, "minutes"),
    "tries": (1, 50, "pulses"),
    "daily_cap_ml_per_plant": (1, 200000, "mL per plant"),
    "stale_after_s": (60, 7200, "s"),
}


def _check_ranges(programme: Programme, _setup: BedSetup) -> list[ReedError]:
    faults: list[ReedError] = []
    for field, (low, high, unit) in RANGES.items():
        try:
            require_range(field, getattr(programme, field), low, high, unit)
        except OutOfRange as error:
            faults.append(error)
    return faults


def _check_levels(programme: Programme, setup: BedSetup) -> list[ReedError]:
    faults: list[ReedError] = []
    if programme.low >= programme.high:
        faults.append(Inconsistent("low", programme.low, f"below the high of {_pct(programme.high)}"))
    for field in ("low", "high"):
        if getattr(programme, field) > setup.capacity:
            faults.append(
                Inconsistent(
                    field,
                    getattr(programme, field),
                    f"at most the bed's capacity of {_pct(setup.capacity)}, or it would run to drain and never arrive",
                )
            )
    if programme.rescue >= programme.low:
        faults.append(Inconsistent("rescue", programme.rescue, f"below the low of {_pct(programme.low)}"))
    return faults


def _check_amounts(programme: Programme, setup: BedSetup) -> list[ReedError]:
    faults: list[ReedError] = []
    dose, cap = programme.dose_ml_per_plant, programme.daily_cap_ml_per_plant
    if dose > cap:
        faults.append(Inconsistent("dose_ml_per_plant", dose, f"at most the daily cap of {cap:.0f} mL per plant"))
    most = setup.volume_l_per_plant * 1000 * 0.25
    if dose > most:
        faults.append(
            OutOfRange("dose_ml_per_plant", dose, f"at most {most:.0f} mL, a quarter of the substrate volume")
        )
    try:
        pulse_seconds(programme, setup)
    except OutOfRange as error:
        faults.append(error)
    try:
        require_pump_can_feed(setup.flow_l_min, 0.0, setup.pump_flow_l_min)
    except Inconsistent as error:
        faults.append(error)
    return [
        f
        for i, f in enumerate(faults)
        if (f.field, f.expectation) not in {(g.field, g.expectation) for g in faults[:i]}
    ]


def _pct(theta: float) -> str:
    return f"{100 * theta:.1f} %"


@dataclass(frozen=True)
class Proposal:
    """A proposed programme with the origin of each number, by field."""

    programme: Programme
    origin: dict[str, str]


PROPOSED_SOAK_MIN = 20.0
PEAK_MINUTES = 720.0
"""Daily use over the use in the sunniest minute of a clear day [min]. Starting value."""


def propose_programme(setup: BedSetup, peak_use_ml_per_plant: float) -> Proposal:
    """A first programme for a bed from its capacity, volume, tested flow and modelled peak use [mL per plant a day].

    The band sits high between dry limit and capacity; the dose is 3 % of the volume, more if the line
    needs it or the crop would drink it within the soak.
    """
    span = setup.capacity - setup.dry_limit
    low, high = _round3(setup.capacity - 0.28 * span), _round3(setup.capacity - 0.12 * span)
    least = setup.line_fill_s / 60 * setup.flow_ml_min_per_plant
    share = 0.03 * setup.volume_l_per_plant * 1000
    keeps_up = 1.9 * peak_use_ml_per_plant / PEAK_MINUTES * PROPOSED_SOAK_MIN
    dose = float(_round5(max(share, 1.1 * least, keeps_up)))
    cap = max(4 * dose, float(round(1.8 * peak_use_ml_per_plant / 50) * 50))
    rescue = _round3(setup.dry_limit + 0.15 * span)
    programme = Programme(120, 90, low, high, rescue, dose, PROPOSED_SOAK_MIN, 8, cap)
    origin = {
        "start_after_sunrise_min": "usual: the crop drinks little before",
        "stop_before_sunset_min": "usual: the bed dries down before the night",
        "low": f"28 % of the way from capacity {_pct(setup.capacity)} down to the dry limit {_pct(setup.dry_limit)}",
        "high": "12 % of the way down, where a part of each pulse drains",
        "rescue": "15 % of the way up from the dry limit",
        "dose_ml_per_plant": f"{100 * dose / (10 * setup.volume_l_per_plant) / 100:.1f} % of {setup.volume_l_per_plant:.2f} L of "
        "substrate per plant: 3 %, or more where the crop would drink it all within the soak",
        "soak_min": "usual time for a pulse to spread and the probe to see it",
        "tries": "pulses without reaching the high before a person must look",
        "daily_cap_ml_per_plant": f"1.8 times the modelled use of a hot day, {peak_use_ml_per_plant:.0f} mL per plant",
        "stale_after_s": "a reading older than this is not acted on",
    }
    return Proposal(programme, origin)


def _round3(value: float) -> float:
    return round(value, 3)


def _round5(value: float) -> int:
    return max(5, round(value / 5) * 5)
