"""Whether a programme can be published for a bed: every fault at its own word, with the nearest setting that would work."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from .errors import OutOfRange, ReedError
from .programme import (
    BedSetup,
    Dose,
    DoseKind,
    Match,
    Moment,
    MomentKind,
    Programme,
    TriggerKind,
    dose_ml_of,
    most_ml,
    seconds_of_ml,
)

RANGES: dict[str, tuple[float, float, str]] = {
    "low": (0.01, 1, "m³/m³"),
    "high": (0.01, 1, "m³/m³"),
    "rescue": (0.0, 1, "m³/m³"),
    "soak_min": (2, 600, "minutes"),
    "largest_gap_min": (0, 1440, "minutes"),
    "tries": (1, 50, "pulses"),
    "pulses_per_day": (1, 400, "pulses"),
    "daily_cap_ml_per_plant": (1, 200000, "mL per plant"),
    "hourly_cap_ml_per_plant": (1, 50000, "mL per plant"),
    "stale_after_s": (60, 7200, "s"),
    "recharge.gap_min": (2, 240, "minutes"),
    "recharge.pulses": (1, 30, "pulses"),
    "fallback.share": (0.2, 1, "of the usual day"),
    "fallback.hours": (0, 168, "hours"),
    "drain.share": (0, 0.7, "of the dose"),
    "drain.gain": (0.05, 2, ""),
    "drain.bound": (0.02, 0.5, "of the dose a day"),
    "rain.hold_min": (0, 1440, "minutes"),
    "rain.credit_share": (0, 1, "of the rain"),
}
MOMENT_RANGES: dict[tuple[str, MomentKind], tuple[float, float, str]] = {
    ("start", MomentKind.SUN): (-240, 720, "minutes after sunrise"),
    ("stop", MomentKind.SUN): (-240, 720, "minutes before sunset"),
    ("start", MomentKind.CLOCK): (0, 1439, "minutes of the day"),
    ("stop", MomentKind.CLOCK): (0, 1439, "minutes of the day"),
    ("start", MomentKind.LIGHT): (5, 800, "W/m²"),
    ("stop", MomentKind.LIGHT): (5, 800, "W/m²"),
    ("start", MomentKind.FALL): (0.002, 0.4, "m³/m³"),
    ("stop", MomentKind.FALL): (0.002, 0.4, "m³/m³"),
}
DOSE_RANGES: dict[DoseKind, tuple[float, float, str]] = {
    DoseKind.ML: (1, 20000, "mL per plant"),
    DoseKind.SHARE: (0.001, 0.2, "of the substrate volume"),
    DoseKind.SECONDS: (1, 7200, "s"),
    DoseKind.TO_TOP: (0, 1, ""),
}
TRIGGER_RANGES: dict[TriggerKind, tuple[float, float, str]] = {
    TriggerKind.FALLEN: (0.002, 0.4, "m³/m³"),
    TriggerKind.SUCTION: (0.2, 80, "kPa"),
    TriggerKind.LIGHT_SUM: (5, 3000, "J/cm²"),
    TriggerKind.VPD_HOURS: (0.1, 60, "kPa h"),
    TriggerKind.WATER_USE: (5, 20000, "mL per plant"),
    TriggerKind.ELAPSED: (5, 1440, "minutes"),
}
CHECK_DAYS = ((4.0, 20.3), (8.2, 15.8))
"""Sunrise and sunset [h] of the longest and the shortest day the contradiction checks look at, where none is given."""


class SettingFault(ReedError):
    """A setting that cannot be published, with the nearest one that could, where there is one."""

    def __init__(self, field: str, value: Any, expectation: str, nearest: float | None = None) -> None:
        super().__init__(field, value, expectation)
        self.nearest = nearest


def programme_faults(
    programme: Programme, setup: BedSetup, days: tuple[tuple[float, float], ...] = CHECK_DAYS
) -> list[SettingFault]:
    """Every reason why the programme cannot be published for the bed; empty when it can.

    All are returned, not the first one only, so that each can stand at its word. days: sunrise and sunset [h of the
    local day] to hold start and stop against.
    """
    faults: list[SettingFault] = []
    for check in (_ranges, _levels, _doses, _caps, _triggers):
        faults.extend(check(programme, setup))
    if not faults:
        faults.extend(_hours(programme, setup, days))
    return faults


def field_of(programme: Programme, path: str) -> Any:
    """The value at a dotted path of a programme; None where a part is switched off."""
    value: Any = programme
    for name in path.split("."):
        if value is None:
            return None
        value = value[int(name)] if name.isdigit() else getattr(value, name)
    return value


def ranges_of(programme: Programme) -> Iterator[tuple[str, tuple[float, float, str]]]:
    """Every number of a programme that has a range, by its path."""
    yield from ((path, limits) for path, limits in RANGES.items() if field_of(programme, path) is not None)
    for name in ("start", "stop"):
        yield f"{name}.value", MOMENT_RANGES[(name, getattr(programme, name).kind)]
    yield "dose.value", DOSE_RANGES[programme.dose.kind]
    if programme.recharge is not None:
        yield "recharge.dose.value", DOSE_RANGES[programme.recharge.dose.kind]
    for i, trigger in enumerate(programme.triggers):
        if trigger.kind in TRIGGER_RANGES:
            yield f"triggers.{i}.value", TRIGGER_RANGES[trigger.kind]


def _ranges(programme: Programme, _setup: BedSetup) -> Iterator[SettingFault]:
    for path, (low, high, unit) in ranges_of(programme):
        value = field_of(programme, path)
        if not low <= value <= high:
            nearest = None if value != value else min(max(value, low), high)
            yield SettingFault(path, value, f"{low:g} to {high:g} {unit}".rstrip(), nearest)


def _levels(programme: Programme, setup: BedSetup) -> Iterator[SettingFault]:
    top = _down(setup.capacity)
    for path in ("low", "high"):
        value = getattr(programme, path)
        if value > setup.capacity:
            yield SettingFault(
                path, value, f"at most the bed's capacity of {pct(setup.capacity)}, or it would run to drain and never arrive",
                top if path == "high" else _down(min(programme.high, top) - 0.01),
            )  # fmt: skip
    if programme.low >= programme.high:
        yield SettingFault(
            "low", programme.low, f"below the high of {pct(programme.high)}", _down(programme.high - 0.01)
        )
    if programme.rescue >= programme.low:
        yield SettingFault(
            "rescue", programme.rescue, f"below the low of {pct(programme.low)}", _down(programme.low - 0.01)
        )


def _doses(programme: Programme, setup: BedSetup) -> Iterator[SettingFault]:
    doses = [("dose", programme.dose)]
    if programme.recharge is not None:
        doses.append(("recharge.dose", programme.recharge.dose))
    for path, dose in doses:
        yield from _dose(f"{path}.value", dose, programme, setup)
    if setup.flow_l_min > setup.pump_flow_l_min + 1e-9:
        yield SettingFault(
            "pump_flow_l_min", setup.pump_flow_l_min, f"at least {setup.flow_l_min:.1f} L/min, what this bed takes"
        )


def _dose(path: str, dose: Dose, programme: Programme, setup: BedSetup) -> Iterator[SettingFault]:
    try:
        dose_ml = dose_ml_of(dose, setup, programme.low, programme.high)
    except ReedError:
        return  # its range has been told already
    most = most_ml(setup)
    if dose_ml > most:
        yield SettingFault(
            path, dose.value, f"at most {most:.0f} mL, a quarter of the substrate volume", _as(dose, most, setup)
        )
        return
    try:
        seconds_of_ml(dose_ml, setup)
    except OutOfRange as error:
        least = setup.line_fill_s / 60 * setup.flow_ml_min_per_plant
        yield SettingFault(path, dose.value, error.expectation, _as(dose, least, setup))


def _as(dose: Dose, ml: float, setup: BedSetup) -> float | None:
    """Millilitres in the unit of a dose."""
    if dose.kind is DoseKind.ML:
        return round(ml + 0.49)
    if dose.kind is DoseKind.SHARE:
        return round(ml / setup.volume_l_per_plant / 1000, 3)
    return round(ml / setup.flow_ml_min_per_plant * 60 + setup.line_fill_s) if dose.kind is DoseKind.SECONDS else None


def _caps(programme: Programme, setup: BedSetup) -> Iterator[SettingFault]:
    try:
        dose_ml = dose_ml_of(programme.dose, setup, programme.low, programme.high)
    except ReedError:
        return
    for path, name in (("daily_cap_ml_per_plant", "daily"), ("hourly_cap_ml_per_plant", "hourly")):
        cap = getattr(programme, path)
        if dose_ml > cap:
            yield SettingFault(
                path,
                cap,
                f"at least one pulse of {dose_ml:.0f} mL, or no pulse fits the {name} cap",
                round(dose_ml + 0.49),
            )
    if programme.largest_gap_min and programme.largest_gap_min < programme.soak_min:
        yield SettingFault(
            "largest_gap_min", programme.largest_gap_min, f"at least the soak of {programme.soak_min:.0f} min, or 0 for none", programme.soak_min
        )  # fmt: skip


def _triggers(programme: Programme, _setup: BedSetup) -> Iterator[SettingFault]:
    if not programme.triggers and not programme.largest_gap_min:
        yield SettingFault("triggers", "none", "at least one trigger or a largest gap, or nothing is ever given")
    for i, trigger in enumerate(programme.triggers):
        if trigger.kind is TriggerKind.CLOCK:
            if not trigger.times or any(not 0 <= t < 1440 for t in trigger.times):
                yield SettingFault(
                    f"triggers.{i}.times", list(trigger.times), "at least one time of the day, 00:00 to 23:59"
                )
            elif list(trigger.times) != sorted(set(trigger.times)):
                yield SettingFault(
                    f"triggers.{i}.times", list(trigger.times), "each time once, in the order of the day"
                )
        elif trigger.kind is TriggerKind.ELAPSED and trigger.value < programme.soak_min:
            yield SettingFault(
                f"triggers.{i}.value",
                trigger.value,
                f"at least the soak of {programme.soak_min:.0f} min",
                programme.soak_min,
            )
    kinds = [t.kind for t in programme.triggers]
    for kind in {k for k in kinds if kinds.count(k) > 1}:
        yield SettingFault(
            f"triggers.{len(kinds) - 1 - kinds[::-1].index(kind)}.value", kind.value, "each trigger once"
        )
    if programme.match is Match.ALL and TriggerKind.CLOCK in kinds and TriggerKind.ELAPSED in kinds:
        yield SettingFault(
            "match", "all", "any: a clock time and a time since the last pulse hardly ever fall together"
        )


def _hours(programme: Programme, setup: BedSetup, days: tuple[tuple[float, float], ...]) -> Iterator[SettingFault]:
    for sunrise, sunset in days:
        start, stop = _hour(programme.start, sunrise, 1), _hour(programme.stop, sunset, -1)
        if start is None or stop is None:
            continue
        span_min = (stop - start) * 60
        if span_min <= 0:
            nearest = _shifted(programme.stop, span_min - programme.soak_min)
            yield SettingFault(
                "stop.value",
                programme.stop.value,
                f"after the start: with sunrise at {_clock(sunrise)} and sunset at {_clock(sunset)} it comes {-span_min:.0f} min before",
                nearest,
            )
            return
        seconds = seconds_of_ml(dose_ml_of(programme.dose, setup, programme.low, programme.high), setup)
        if seconds / 60 > span_min:
            yield SettingFault(
                "dose.value",
                programme.dose.value,
                f"a pulse that ends before the stop: it takes {seconds / 60:.0f} min, the hours are {span_min:.0f} min",
            )
            return
        if programme.recharge is not None and programme.recharge.gap_min > span_min:
            yield SettingFault(
                "recharge.gap_min",
                programme.recharge.gap_min,
                f"less than the {span_min:.0f} min between start and stop",
                round(span_min / 2),
            )
            return


def _hour(moment: Moment, sun_h: float, sign: int) -> float | None:
    if moment.kind is MomentKind.SUN:
        return sun_h + sign * moment.value / 60
    return moment.value / 60 if moment.kind is MomentKind.CLOCK else None


def _shifted(stop: Moment, minutes: float) -> float:
    return round(stop.value + minutes) if stop.kind is MomentKind.SUN else round(stop.value - minutes)


def _clock(hour: float) -> str:
    minutes = round(hour * 60)
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


def pct(theta: float) -> str:
    """Water content in words, '84.9 %'."""
    return f"{100 * theta:.1f} %"


def _down(value: float) -> float:
    return int(max(0.0, value) * 1000) / 1000
