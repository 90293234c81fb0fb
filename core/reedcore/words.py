"""Sentences: why a pulse was given or withheld, and how a programme reads. Durations only, so no time zone is needed."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from .decide import Action, Decision, Reason, Why

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
    return (
        f"{since}pulse {n['try']:.0f} of at most {n['tries']:.0f} towards the high; "
        f"{litres(n['given_ml'])} of {litres(n['cap_ml'])} per plant today"
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
    Why.DAILY_CAP: lambda n: (
        f"{litres(n['given_ml'])} given today and {litres(n['dose_ml'])} more would pass the "
        f"daily cap of {litres(n['cap_ml'])} per plant"
    ),
    Why.MISSED_TARGET: lambda n: (
        f"{n['tries']:.0f} pulses did not bring it from {pct(n['theta'])} to {pct(n['high'])}: "
        "look for blocked drippers or a probe out of the wet zone, then clear the fault"
    ),
    Why.FAULT: lambda n: (
        f"a fault is latched after {n['tries']:.0f} pulses that missed the target; a person must clear it"
    ),
    Why.STOPPED: lambda _: "the bed was stopped by hand",
    Why.CANNOT_DOSE: lambda n: (
        f"a pulse of {n['dose_ml']:.0f} mL is shorter than the {n['line_fill_s']:.0f} s the line takes to fill"
    ),
    Why.AMOUNTS: _amounts,
}


def say_reason(reason: Reason) -> str:
    """One reason as a clause without a capital or full stop."""
    return _SAY[reason.why](reason.numbers)


@dataclass(frozen=True)
class Sentence:
    """A decision in words: a short heading and the reasons."""

    heading: str
    body: str


_HELD = frozenset({Why.IN_BAND, Why.TARGET_REACHED, Why.SOAKING, Why.OUTSIDE_HOURS, Why.RUNNING})


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
