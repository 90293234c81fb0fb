"""From what comes over the wire to a channel's value: numbers, converter counts, millivolts, loops, pulses, switches."""

from collections.abc import Callable, Mapping
from typing import Any

from reedcore.errors import OutOfRange, ReedError
from reedcore.links.analogue import LOOP_HIGH_MA, LOOP_LOW_MA, millivolts_from_counts, value_from_millivolts

from .models import Input

Convert = Callable[[float], tuple[float, bool]]
"""Value, and whether the input was sound: a loop outside 3.6 to 21 mA is kept and flagged, never used."""

NEEDED: dict[str, tuple[str, ...]] = {
    Input.NUMBER: (),
    Input.COUNTS: ("bits", "reference_mv", "mv_low", "mv_high", "low", "high"),
    Input.MILLIVOLTS: ("mv_low", "mv_high", "low", "high"),
    Input.LOOP: ("low", "high"),
    Input.PULSE: (),
    Input.SWITCH: (),
}
DEFAULTS = {"bits": 12.0, "reference_mv": 3300.0, "mv_low": 0.0, "mv_high": 3300.0}


def settings_of(kind: str, given: Mapping[str, Any]) -> dict[str, float]:
    """Settings of an input, complete. Raises OutOfRange naming the one that is missing or no number."""
    out: dict[str, float] = {}
    for name in NEEDED[kind]:
        value = given.get(name, DEFAULTS.get(name))
        if isinstance(value, bool) or not isinstance(value, int | float) or value != value:
            raise OutOfRange(f"input_settings.{name}", value, f"a number, for {Input(kind).label}")
        out[name] = float(value)
    if kind == Input.SWITCH:
        out["normally_closed"] = 1.0 if given.get("normally_closed") else 0.0
        out["debounce_s"] = float(given.get("debounce_s", 2.0))
    if "low" in out and out["low"] == out["high"]:
        raise OutOfRange("input_settings.high", out["high"], "different from low")
    if "mv_low" in out and out["mv_low"] == out["mv_high"]:
        raise OutOfRange("input_settings.mv_high", out["mv_high"], "different from mv_low")
    return out


def converter(kind: str, s: Mapping[str, float]) -> Convert | None:
    """The conversion of a channel; None where the number is the value."""
    if kind == Input.LOOP:
        return lambda ma: (s["low"] + (ma - 4) / 16 * (s["high"] - s["low"]), LOOP_LOW_MA <= ma <= LOOP_HIGH_MA)
    if kind == Input.MILLIVOLTS:
        return lambda mv: (value_from_millivolts(mv, s["mv_low"], s["mv_high"], s["low"], s["high"]), True)
    if kind == Input.COUNTS:
        return lambda counts: _from_counts(counts, s)
    if kind == Input.SWITCH and s.get("normally_closed"):
        return lambda closed: (0.0 if closed else 1.0, True)
    return None


def _from_counts(counts: float, s: Mapping[str, float]) -> tuple[float, bool]:
    try:
        mv = millivolts_from_counts(counts, int(s["bits"]), s["reference_mv"])
    except ReedError:
        return s["low"], False
    return value_from_millivolts(mv, s["mv_low"], s["mv_high"], s["low"], s["high"]), True
