"""Simple rules of devices that are not watering: heater, fan, vent, circulation, misting, lamp, CO2.

decide_device is pure and total like decide: on or off, with the reason in words. A value that is not measured means off.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from .errors import OutOfRange, ReedError


class DeviceKind(StrEnum):
    HEATER = "heater"
    FAN = "fan"
    VENT = "vent"
    CIRCULATION = "circulation"
    MISTING = "misting"
    LAMP = "lamp"
    CO2 = "co2"


@dataclass(frozen=True)
class DeviceSettings:
    """Settings of one device.

    day, night: set points in the kind's unit (SET_POINTS); dead_band: full width about the set point, same unit;
    min_on_min, min_off_min [min, 0 to 240]: no switching sooner; on_min of every_min [min] for circulation;
    from_min, until_min [min of the local day] for lamps; target_mol [mol/m2/d, 0 for none]: a lamp stops once the day's
    light has come to it; above_w_m2: a lamp stays off in more light than this inside [W/m2].
    """

    kind: DeviceKind
    day: float = 0.0
    night: float = 0.0
    dead_band: float = 1.0
    min_on_min: float = 5.0
    min_off_min: float = 5.0
    on_min: float = 10.0
    every_min: float = 30.0
    from_min: float = 240.0
    until_min: float = 1200.0
    target_mol: float = 0.0
    above_w_m2: float = 250.0


SET_POINTS: dict[DeviceKind, tuple[str, float, float]] = {
    DeviceKind.HEATER: ("°C", 2, 40),
    DeviceKind.FAN: ("°C", 2, 45),
    DeviceKind.VENT: ("°C", 2, 45),
    DeviceKind.MISTING: ("kPa", 0.2, 5),
    DeviceKind.CO2: ("ppm", 300, 2000),
}
"""Unit and range of the set points of each kind that has one. 2,000 ppm is far under what harms, and more helps no crop."""

PROPOSED: dict[DeviceKind, DeviceSettings] = {
    DeviceKind.HEATER: DeviceSettings(DeviceKind.HEATER, 18, 16, 1.0, 10, 10),
    DeviceKind.FAN: DeviceSettings(DeviceKind.FAN, 28, 28, 2.0, 5, 5),
    DeviceKind.VENT: DeviceSettings(DeviceKind.VENT, 24, 22, 1.5, 5, 5),
    DeviceKind.CIRCULATION: DeviceSettings(DeviceKind.CIRCULATION, min_on_min=5, min_off_min=5),
    DeviceKind.MISTING: DeviceSettings(DeviceKind.MISTING, 1.6, 1.6, 0.3, 1, 5),
    DeviceKind.LAMP: DeviceSettings(DeviceKind.LAMP, min_on_min=20, min_off_min=20, target_mol=14),
    DeviceKind.CO2: DeviceSettings(DeviceKind.CO2, 700, 0, 80, 2, 5),
}
"""Usual settings to begin with. Starting values."""


@dataclass(frozen=True)
class DeviceState:
    """What is known at a moment; NaN where it is not measured.

    air_temp_c, vpd_kpa, co2_ppm, radiation_w_m2 inside, light_mol: PAR of this day so far [mol/m2]; sunrise, sunset,
    midnight; vents_open, heating: does another device of the house stand so; on since; manual: a person's order while it lasts;
    locked: why nothing may run it, in words.
    """

    sunrise: datetime
    sunset: datetime
    midnight: datetime
    air_temp_c: float = math.nan
    vpd_kpa: float = math.nan
    co2_ppm: float = math.nan
    radiation_w_m2: float = math.nan
    light_mol: float = math.nan
    vents_open: bool = False
    heating: bool = False
    on: bool = False
    since: datetime | None = None
    manual: bool | None = None
    locked: str = ""


@dataclass(frozen=True)
class DeviceDecision:
    """On or off, and why in one sentence."""

    on: bool
    why: str


def device_faults(s: DeviceSettings) -> list[ReedError]:
    """Every reason why the settings cannot be published; empty when they can."""
    faults: list[ReedError] = []
    limits = {"min_on_min": (0.0, 240.0, "minutes"), "min_off_min": (0.0, 240.0, "minutes")}
    if s.kind in SET_POINTS:
        unit, low, high = SET_POINTS[s.kind]
        limits |= {
            "day": (low, high, unit),
            "dead_band": (0.05 if unit != "ppm" else 10, 10 if unit != "ppm" else 400, unit),
        }
        if s.kind not in (DeviceKind.CO2, DeviceKind.MISTING):
            limits["night"] = (low, high, unit)
    if s.kind is DeviceKind.CIRCULATION:
        limits |= {"on_min": (1.0, 1440.0, "minutes"), "every_min": (2.0, 1440.0, "minutes")}
    if s.kind is DeviceKind.LAMP:
        limits |= {
            "from_min": (0.0, 1439.0, "minutes of the day"),
            "until_min": (0.0, 1439.0, "minutes of the day"),
            "target_mol": (0.0, 80.0, "mol/m²/d"),
            "above_w_m2": (5.0, 1000.0, "W/m²"),
        }
    for name, (low, high, unit) in limits.items():
        value = getattr(s, name)
        if not low <= value <= high:
            faults.append(OutOfRange(name, value, f"{low:g} to {high:g} {unit}"))
    if s.kind is DeviceKind.CIRCULATION and s.on_min > s.every_min:
        faults.append(OutOfRange("on_min", s.on_min, f"at most the {s.every_min:g} minutes it comes round in"))
    if s.kind is DeviceKind.LAMP and s.until_min <= s.from_min:
        faults.append(OutOfRange("until_min", s.until_min, "later in the day than the lamps come on"))
    return faults


def conflicts(rules: dict[str, DeviceSettings]) -> list[str]:
    """Rules of one house, by device name, that would work against each other."""
    found = []
    heaters = {n: s for n, s in rules.items() if s.kind is DeviceKind.HEATER}
    coolers = {n: s for n, s in rules.items() if s.kind in (DeviceKind.VENT, DeviceKind.FAN)}
    for h, heat in heaters.items():
        for c, cool in coolers.items():
            for time, a, b in (("day", heat.day, cool.day), ("night", heat.night, cool.night)):
                top, foot = a + heat.dead_band / 2, b - cool.dead_band / 2
                if top > foot:
                    found.append(
                        f"By {time} {h} heats up to {top:g} °C while {c} cools down to {foot:g} °C: they would run against each other."
                    )
    return found


def decide_device(s: DeviceSettings, state: DeviceState, now: datetime) -> DeviceDecision:
    """On or off for a device now.

    Parameters
    ----------
    s : its settings. state : what is known. now : timezone-aware.

    Returns
    -------
    DeviceDecision, for every input. A lock goes before a person's order, that before the rule; the rule keeps its minimum
    times unless what it needs is not measured or forbids it: then it is off at once.
    """
    if state.locked:
        return DeviceDecision(False, f"Off: {state.locked}.")
    if state.manual is not None:
        return DeviceDecision(state.manual, f"By hand: {'on' if state.manual else 'off'} until its time is over.")
    forbidden, wanted, why = _RULES[s.kind](s, state, now)
    if forbidden:
        return DeviceDecision(False, why)
    if wanted != state.on and state.since is not None:
        held = (now - state.since).total_seconds() / 60
        least = s.min_on_min if state.on else s.min_off_min
        if 0 <= held < least:
            stays = "on" if state.on else "off"
            return DeviceDecision(
                state.on, f"It stays {stays}: {held:.0f} of at least {least:g} min have passed. {why}"
            )
    return DeviceDecision(wanted, why)


def _by_day(state: DeviceState, now: datetime) -> bool:
    return state.sunrise <= now < state.sunset


def _about(on: bool, value: float, start: float, stop: float, rising: bool) -> bool:
    """A switch with a dead-band: starts beyond `start`, stops beyond `stop`, stays in between."""
    if rising:
        return value > start or (on and value > stop)
    return value < start or (on and value < stop)


_Judged = tuple[bool, bool, str]


def _missing(name: str) -> _Judged:
    return True, False, f"Off: {name} is not measured."


def _heater(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    if math.isnan(state.air_temp_c):
        return _missing("the air temperature")
    if state.vents_open:
        return True, False, "Off: the vents are open, and it would heat the sky."
    point, half = s.day if _by_day(state, now) else s.night, s.dead_band / 2
    on = _about(state.on, state.air_temp_c, point - half, point + half, rising=False)
    return False, on, f"{state.air_temp_c:.1f} °C against {point:g} °C, {half:g} either way."


def _cool(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    if math.isnan(state.air_temp_c):
        return _missing("the air temperature")
    if s.kind is DeviceKind.VENT and state.heating:
        return True, False, "Shut: the heater runs."
    point, half = s.day if _by_day(state, now) else s.night, s.dead_band / 2
    on = _about(state.on, state.air_temp_c, point + half, point - half, rising=True)
    return False, on, f"{state.air_temp_c:.1f} °C against {point:g} °C, {half:g} either way."


def _misting(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    if math.isnan(state.vpd_kpa):
        return _missing("the VPD")
    if not _by_day(state, now):
        return True, False, "Off: leaves stay dry overnight."
    half = s.dead_band / 2
    on = _about(state.on, state.vpd_kpa, s.day + half, s.day - half, rising=True)
    return False, on, f"VPD {state.vpd_kpa:.2f} kPa against {s.day:g}, {half:g} either way."


def _circulation(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    passed = (now - state.midnight).total_seconds() / 60 % s.every_min
    on = passed < s.on_min
    return False, on, f"{s.on_min:g} min of every {s.every_min:g} min; minute {passed:.0f} now."


def _lamp(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    minute = (now - state.midnight).total_seconds() / 60
    if not s.from_min <= minute < s.until_min:
        return True, False, "Off: outside its hours; the crop has its night."
    if s.target_mol > 0 and state.light_mol >= s.target_mol:
        return True, False, f"Off: {state.light_mol:.1f} of {s.target_mol:g} mol/m² have come together today."
    if math.isnan(state.radiation_w_m2):
        return _missing("the light")
    bright = state.radiation_w_m2 > s.above_w_m2
    if bright:
        return False, False, f"Off: {state.radiation_w_m2:.0f} W/m² come in, over {s.above_w_m2:g}."
    missing = (
        f"{s.target_mol - state.light_mol:.1f} mol/m² are still missing today"
        if s.target_mol > 0 and not math.isnan(state.light_mol)
        else "within its hours"
    )
    return False, True, f"On: {state.radiation_w_m2:.0f} W/m² come in, under {s.above_w_m2:g}; {missing}."


def _co2(s: DeviceSettings, state: DeviceState, now: datetime) -> _Judged:
    if math.isnan(state.co2_ppm):
        return _missing("CO₂")
    if not _by_day(state, now):
        return True, False, "Off: at night the crop takes none."
    if state.vents_open:
        return True, False, "Off: the vents are open, and it would blow away."
    half = s.dead_band / 2
    on = _about(state.on, state.co2_ppm, s.day - half, s.day + half, rising=False)
    return False, on, f"CO₂ {state.co2_ppm:.0f} ppm against {s.day:g}, {half:g} either way."


_RULES: dict[DeviceKind, Callable[[DeviceSettings, DeviceState, datetime], _Judged]] = {
    DeviceKind.HEATER: _heater,
    DeviceKind.FAN: _cool,
    DeviceKind.VENT: _cool,
    DeviceKind.CIRCULATION: _circulation,
    DeviceKind.MISTING: _misting,
    DeviceKind.LAMP: _lamp,
    DeviceKind.CO2: _co2,
}

CAUTIONS: dict[DeviceKind, str] = {
    DeviceKind.HEATER: "Mains or flame: a thermostat of its own and a licensed fitter stay in charge.",
    DeviceKind.FAN: "Guards on before it can start by itself; isolate before you reach in.",
    DeviceKind.VENT: "It moves without warning: guards on, hands out, end switches wired hard.",
    DeviceKind.CIRCULATION: "Guards on before it can start by itself.",
    DeviceKind.MISTING: "Electrics out of the mist; water treated against germs.",
    DeviceKind.LAMP: "Eyes and heat: do not look in, keep the distance the maker gives.",
    DeviceKind.CO2: "Asphyxiation: a fixed monitor with alarm that shuts the supply by itself, warning signs, local limits for rooms.",
}
