"""Sentences: why a pulse was given or withheld, and how a programme reads. Durations only, so no time zone is needed."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from .reasons import Action, Decision, Reason, Why

Numbers = Mapping[str, Any]


def pct(theta: float) -> str:
    """Water content in words, '84.9 %'."""
    return f"{100 * theta:.1f} %"


def duration(seconds: float) -> str:
    """A time span in words, '45 s', '12 min', '3 h 20 min'."""
    seconds = max(0.0, seconds)
    if seconds < 120:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    if minutes < 120:
        return f"{minutes} min"
    return f"{minutes // 60} h" + (f" {minutes % 60} min" if minutes % 60 else "")


def litres(ml: float) -> str:
    """A volume in words: mL under a litre, else L."""
    return f"{ml:.0f} mL" if ml < 1000 else f"{ml / 1000:.2f} L"


def _amounts(n: Numbers) -> str:
    since = f"{duration(60 * n['since_last_min'])} since the last; " if "since_last_min" in n else ""
    tries = f"pulse {n['try']:.0f} of at most {n['tries']:.0f} towards the target; " if "try" in n else ""
    factor = f"dose times {n['factor']:.2f} for the drain; " if "factor" in n else ""
    return f"{since}{tries}{factor}{litres(n['given_ml'])} of {litres(n['cap_ml'])} per plant today"


def _clock(minute: float) -> str:
    """A minute of the day as 07:05; a dash where there is none."""
    return f"{int(minute) // 60:02d}:{int(minute) % 60:02d}" if minute == minute else "–"


def _cap(name: str) -> Callable[[Numbers], str]:
    return lambda n: (
        f"{litres(n['given_ml'])} given {name} and {litres(n['dose_ml'])} more would pass the "
        f"{'daily' if name == 'today' else 'hourly'} cap of {litres(n['cap_ml'])} per plant"
    )


def _feed(name: str, unit: str) -> Callable[[Numbers], str]:
    def say(n: Numbers) -> str:
        edge = f"under {n['low']:.1f}" if n["value"] < n["low"] else f"over {n['high']:.1f}"
        return f"the feed's {name} is {n['value']:.1f}{unit}, {edge}{unit}: check doser, stock and probe"

    return say


_TRIGGER_WORDS = {
    "fallen": ("the fall since the last peak", 100.0, " points", 1),
    "suction": ("the suction", 1.0, " kPa", 1),
    "light_sum": ("the light since the last pulse", 1.0, " J/cm²", 0),
    "vpd_hours": ("the dryness of the air since the last pulse", 1.0, " kPa h", 1),
    "water_use": ("the modelled use since the last pulse", 1.0, " mL per plant", 0),
    "elapsed": ("the time since the last pulse", 1.0, " min", 0),
}


def _reached(kind: str) -> Callable[[Numbers], str]:
    name, scale, unit, digits = _TRIGGER_WORDS[kind]

    def say(n: Numbers) -> str:
        if n["value"] > 1e6:
            return f"{name} is longer than any limit"
        return f"{name} is {n['value'] * scale:.{digits}f} of {n['limit'] * scale:.{digits}f}{unit}"

    return say


def _not_yet(reason: Reason) -> str:
    n, kind = reason.numbers, reason.text
    if kind in _TRIGGER_WORDS and n.get("value", float("nan")) == n.get("value"):
        return _reached(kind)(n)
    if kind == "clock_time":
        return f"the next clock time is {_clock(n['clock_min'])}"
    return "no trigger is reached" if kind not in _TRIGGER_WORDS else f"{_TRIGGER_WORDS[kind][0]} is not measured"


_RECHARGE_UNTIL = {"top": "until the top of the band", "drain": "until the first drain", "pulses": ""}


def _recharge(reason: Reason) -> str:
    n = reason.numbers
    until = _RECHARGE_UNTIL.get(reason.text, "")
    return f"recharge, pulse {n['pulse']:.0f} of at most {n['pulses']:.0f}" + (f", {until}" if until else "")


def _fault(reason: Reason) -> str:
    if reason.text == "no_flow":
        return (
            "a fault is latched: the valve was opened and no water flowed; check pump, filter and valve, then clear it"
        )
    return (
        f"a fault is latched after {reason.numbers.get('tries', 0):.0f} pulses that missed the target; "
        "look for blocked drippers or a probe out of the wet zone, then clear it"
    )


def _outside_hours(n: Numbers) -> str:
    to_start = n["to_start_min"]
    when = (
        f"the watering hours begin in {duration(60 * to_start)}"
        if to_start > 0
        else "the watering hours are over for today"
    )
    return f"{when}; {pct(n['theta'])} is above the rescue level of {pct(n['rescue'])}"


_SAY: dict[Why, Callable[[Numbers], str]] = {
    Why.BELOW_LOW: lambda n: f"{pct(n['theta'])} is under the low of {pct(n['low'])}",
    Why.TOWARDS_HIGH: lambda n: f"{pct(n['theta'])} is on its way from {pct(n['low'])} up to {pct(n['high'])}",
    Why.RESCUE: lambda n: (
        f"{pct(n['theta'])} is under the rescue level of {pct(n['rescue'])}, outside the watering hours"
    ),
    Why.IN_BAND: lambda n: f"{pct(n['theta'])} is above the low of {pct(n['low'])}",
    Why.TARGET_REACHED: lambda n: f"{pct(n['theta'])} has reached the high of {pct(n['high'])}",
    Why.OUTSIDE_HOURS: _outside_hours,
    Why.FALLEN: _reached("fallen"),
    Why.SUCTION: _reached("suction"),
    Why.LIGHT_SUM: _reached("light_sum"),
    Why.VPD_HOURS: _reached("vpd_hours"),
    Why.WATER_USE: _reached("water_use"),
    Why.ELAPSED: _reached("elapsed"),
    Why.CLOCK_TIME: lambda n: f"it is time: {_clock(n['clock_min'])}",
    Why.LARGEST_GAP: lambda n: f"{n['gap_min']:.0f} min have passed, {n['largest_min']:.0f} min is the longest gap",
    Why.FALLBACK: lambda n: (
        f"without a reading it goes by the clock: {100 * n['share']:.0f} % of the usual {litres(n['normal_ml'])} a day, "
        f"a pulse every {n['gap_min']:.0f} min, for {n['left_h']:.1f} h more, then nothing"
    ),
    Why.SOAKING: lambda n: f"only {duration(60 * n['passed_min'])} of the {n['soak_min']:.0f} min soak have passed",
    Why.RUNNING: lambda n: f"a pulse is running, {duration(n['left_s'])} left",
    Why.NO_READING: lambda _: "there is no water content for this bed: fit and calibrate its probe",
    Why.NOT_TRUSTED: lambda n: (
        f"{'its probe is not' if n['probes'] == 1 else 'none of its probes is'} to be used: see Calibrate, Can I trust it"
    ),
    Why.STALE: lambda n: (
        f"the last reading is {duration(n['age_s'])} old, {duration(n['limit_s'])} allowed: check node and probe"
    ),
    Why.IMPLAUSIBLE: lambda n: (
        f"{pct(n['theta'])} cannot be, the pore space is {pct(n['saturation'])}: check the calibration"
    ),
    Why.CLOCK: lambda n: f"a reading or pulse lies {duration(n['ahead_s'])} in the future: check the clocks",
    Why.TANK_EMPTY: lambda n: (
        f"the tank holds {n['tank_l']:.0f} L, at or under its empty level of {n['empty_l']:.0f} L"
    ),
    Why.TANK_UNKNOWN: lambda _: "the tank level is not known, and the pump must not run dry: check the level sensor",
    Why.PUMP_BUSY: lambda n: (
        f"the pump gives {n['pump_l_min']:.1f} L/min, other beds take {n['busy_l_min']:.1f} "
        f"and this one needs {n['needs_l_min']:.1f}"
    ),
    Why.DAILY_CAP: _cap("today"),
    Why.HOURLY_CAP: _cap("within the hour"),
    Why.PULSES_CAP: lambda n: f"{n['pulses']:.0f} pulses were given today, {n['cap']:.0f} are allowed",
    Why.NODE_SILENT: lambda n: (
        f"the node of its valve has been silent for {duration(n['silent_s'])}: check power and network"
    ),
    Why.STRAY_FLOW: lambda n: (
        f"{n['flow_l_min']:.1f} L/min flow though nobody ordered water: look for a leak or a stuck valve"
    ),
    Why.FEED_EC: _feed("conductivity", " mS/cm"),
    Why.FEED_PH: _feed("pH", ""),
    Why.RAIN_HOLD: lambda n: f"it rained; {n['left_min']:.0f} min of the rain hold are left",
    Why.RAIN_CREDIT: lambda n: (
        f"{litres(n['credit_ml'])} per plant of rain count as given, this pulse of {litres(n['dose_ml'])} is among them"
    ),
    Why.PAUSED: lambda n: f"it is paused for {duration(n['left_s'])} more",
    Why.MANUAL: lambda _: "its valve stands on manual: the programme may not move it",
    Why.MISSED_TARGET: lambda n: (
        f"{n['tries']:.0f} pulses did not bring it from {pct(n['theta'])} to {pct(n['high'])}: "
        "look for blocked drippers or a probe out of the wet zone, then clear the fault"
    ),
    Why.STOPPED: lambda _: "the bed was stopped by hand",
    Why.CANNOT_DOSE: lambda n: (
        f"a pulse of {n['dose_ml']:.0f} mL is over a quarter of the substrate, {n['most_ml']:.0f} mL"
        if n["dose_ml"] > n.get("most_ml", float("inf"))
        else f"a pulse of {n['dose_ml']:.0f} mL is shorter than the {n['line_fill_s']:.0f} s the line takes to fill"
    ),
    Why.AMOUNTS: _amounts,
}


_SAY_WHOLE: dict[Why, Callable[[Reason], str]] = {
    Why.NOT_YET: _not_yet,
    Why.RECHARGE: _recharge,
    Why.FAULT: _fault,
    Why.NO_FLOW: _fault,
    Why.LOCKED: lambda r: f"{r.text} has locked it out for work; only they take the lock off",
    Why.EXCEPTION: lambda r: f"the calendar holds it: {r.text}",
    Why.NOT_MEASURED: lambda r: (
        f"{_TRIGGER_WORDS[r.text][0]} is not measured: check its sensor"
        if r.text in _TRIGGER_WORDS
        else "nothing it goes by is measured"
    ),
}


def say_reason(reason: Reason) -> str:
    """One reason as a clause without a capital or full stop."""
    whole = _SAY_WHOLE.get(reason.why)
    return whole(reason) if whole is not None else _SAY[reason.why](reason.numbers)


@dataclass(frozen=True)
class Sentence:
    """A decision in words: a short heading and the reasons."""

    heading: str
    body: str


_HELD = frozenset(
    {
        *(Why.IN_BAND, Why.TARGET_REACHED, Why.SOAKING, Why.OUTSIDE_HOURS, Why.RUNNING, Why.NOT_YET),
        *(Why.RAIN_HOLD, Why.RAIN_CREDIT, Why.PAUSED, Why.EXCEPTION),
    }
)


def say_decision(decision: Decision) -> Sentence:
    """A decision as a sentence with its numbers, for slip, log and screen reader alike."""
    clauses = "; ".join(say_reason(r) for r in decision.reasons)
    body = clauses[:1].upper() + clauses[1:] + "."
    if decision.action is Action.GIVE:
        heading = f"{litres(decision.dose_ml_per_plant)} per plant given, {duration(decision.seconds)}."
    elif decision.reasons[0].why in _HELD:
        heading = "Held."
    elif decision.reasons[0].why is Why.MISSED_TARGET:
        heading = "Stopped: target missed."
    else:
        heading = "Withheld."
    return Sentence(heading, body)


def say_trend(points_per_hour: float) -> str:
    """'falling 0.7 points an hour', 'steady', 'rising ...'; NaN reads as 'trend not known yet'."""
    if math.isnan(points_per_hour):
        return "trend not known yet"
    if abs(points_per_hour) < 0.2:
        return "steady"
    return f"{'rising' if points_per_hour > 0 else 'falling'} {abs(points_per_hour):.1f} points an hour"
