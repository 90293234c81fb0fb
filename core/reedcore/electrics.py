"""Loads, contacts, cables, batteries: what a device needs before it is switched. Licensed practice and local code decide."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .errors import OutOfRange, require_range

COPPER_OHM_MM2_PER_M = 0.0175
"""Resistivity of copper at 20 °C [ohm mm2/m]. IEC 60028, rounded up."""
STARTING_BATTERY_USABLE_SHARE = 0.5
"""Usable share of a lead battery [-]. Starting value."""
STARTING_SOLAR_EFFICIENCY = 0.65
"""Share of a panel's rating times sun hours that reaches the battery [-]. Starting value."""
DROP_WARN_SHARE = 0.05
"""A drop over this share of the supply is warned of, over twice of it refused. Starting value."""


class Load(StrEnum):
    """Kinds of load with their starting surge."""

    RESISTIVE = "resistive"
    SOLENOID = "solenoid"
    ELECTRONIC = "electronic"
    MOTOR = "motor"
    LAMP = "lamp"


SURGE: dict[Load, float] = {
    Load.RESISTIVE: 1.0,
    Load.SOLENOID: 3.0,
    Load.ELECTRONIC: 10.0,
    Load.MOTOR: 6.0,
    Load.LAMP: 10.0,
}
"""Starting current over running current [-]. Motors 6; the others starting values for contact choice."""


def load_current_a(power_w: float, supply_v: float) -> float:
    """Running current [A] of a load [W, 0 to 100000] at a supply [V, 1 to 1000]. Source: I = P/U."""
    require_range("power_w", power_w, 0, 100000, "W")
    require_range("supply_v", supply_v, 1, 1000, "V")
    return power_w / supply_v


def required_contact_a(current_a: float, surge_factor: float) -> float:
    """Least contact rating [A]: running current [A, 0 to 2000] × starting surge [1 to 20]. Raises OutOfRange."""
    require_range("current_a", current_a, 0, 2000, "A")
    require_range("surge_factor", surge_factor, 1, 20, "")
    return current_a * surge_factor


def cable_drop_v(length_m: float, current_a: float, area_mm2: float) -> float:
    """Voltage lost there and back in a copper cable.

    Parameters
    ----------
    length_m : one way [m, 0 to 5000]. current_a : [A, 0 to 2000]. area_mm2 : conductor [mm2, 0.05 to 400].

    Returns
    -------
    Drop [V] = 2 L I ρ/A.

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    science.md, Pipes, pumps, tanks, power.
    """
    require_range("length_m", length_m, 0, 5000, "m")
    require_range("current_a", current_a, 0, 2000, "A")
    require_range("area_mm2", area_mm2, 0.05, 400, "mm²")
    return 2 * length_m * current_a * COPPER_OHM_MM2_PER_M / area_mm2


def daily_energy_wh(power_w: float, hours_a_day: float, standby_w: float = 0.0) -> float:
    """Energy a day [Wh]: running power [W] over its hours [0 to 24] and standby power [W] the rest."""
    require_range("hours_a_day", hours_a_day, 0, 24, "h")
    require_range("standby_w", standby_w, 0, 1000, "W")
    return power_w * hours_a_day + standby_w * (24 - hours_a_day)


def battery_days(
    battery_ah: float, battery_v: float, daily_wh: float, usable_share: float = STARTING_BATTERY_USABLE_SHARE
) -> float:
    """Days without sun: usable Wh over daily Wh. Battery [Ah, 0.1 to 5000], [V, 1 to 100], daily [Wh, > 0]. Raises OutOfRange."""
    require_range("battery_ah", battery_ah, 0.1, 5000, "Ah")
    require_range("battery_v", battery_v, 1, 100, "V")
    require_range("usable_share", usable_share, 0.05, 1, "")
    if not daily_wh > 0:
        raise OutOfRange("daily_wh", daily_wh, "above 0 Wh a day")
    return battery_ah * battery_v * usable_share / daily_wh


def solar_share(
    panel_w: float, sun_hours: float, daily_wh: float, efficiency: float = STARTING_SOLAR_EFFICIENCY
) -> float:
    """Share of a day's need that a panel covers [-, over 1 is more than needed]. Panel [W, 0 to 10000], full-sun hours
    of the dullest month [h, 0 to 12], daily [Wh, > 0]. Raises OutOfRange."""
    require_range("panel_w", panel_w, 0, 10000, "W")
    require_range("sun_hours", sun_hours, 0, 12, "h")
    require_range("efficiency", efficiency, 0.1, 1, "")
    if not daily_wh > 0:
        raise OutOfRange("daily_wh", daily_wh, "above 0 Wh a day")
    return panel_w * sun_hours * efficiency / daily_wh


@dataclass(frozen=True)
class DeviceSheet:
    """A device as it is wired: load kind and power [W], supply [V], contact rating [A], cable one way [m] and [mm2],
    hours a day, standby [W]; battery [Ah] and panel [W] with sun hours for a remote node, 0 without."""

    load: Load
    power_w: float
    supply_v: float
    contact_a: float
    cable_m: float
    cable_mm2: float
    normally_open: bool = True
    hours_a_day: float = 1.0
    standby_w: float = 0.0
    battery_ah: float = 0.0
    panel_w: float = 0.0
    sun_hours: float = 1.0

    @property
    def mains(self) -> bool:
        """Over 50 V AC or 75 V DC touch is dangerous; the lower limit is taken. Source: IEC 61140 bands."""
        return self.supply_v > 50


@dataclass(frozen=True)
class Finding:
    """A judgement of a sheet: level is ok, warn or refuse."""

    level: str
    field: str
    text: str


def judge_device(sheet: DeviceSheet) -> list[Finding]:
    """What is right, doubtful or wrong with a device's sheet, with the figures. Raises OutOfRange for a bad value."""
    current = load_current_a(sheet.power_w, sheet.supply_v)
    least = required_contact_a(current, SURGE[sheet.load])
    drop = cable_drop_v(sheet.cable_m, current, sheet.cable_mm2)
    found = [_contact(sheet, least), _drop(sheet, drop)]
    if sheet.normally_open:
        found.append(
            Finding("ok", "normally_open", "Normally open: a dead controller means a closed valve and a still pump.")
        )
    else:
        found.append(
            Finding(
                "warn",
                "normally_open",
                "Normally closed: a dead controller leaves it running. Use the normally-open contact.",
            )
        )
    if sheet.mains:
        found.append(
            Finding(
                "warn",
                "supply_v",
                f"{sheet.supply_v:g} V beside water: residual-current protection, isolation before opening, a licensed "
                "electrician; local code decides.",
            )
        )
    if sheet.battery_ah > 0:
        found.append(_battery(sheet))
    return found


def _contact(sheet: DeviceSheet, least: float) -> Finding:
    figures = f"{load_current_a(sheet.power_w, sheet.supply_v):.2f} A running × {SURGE[sheet.load]:g} at the start = {least:.1f} A"
    if sheet.contact_a < least:
        return Finding(
            "refuse",
            "contact_a",
            f"{figures}, more than the contact's {sheet.contact_a:g} A: it would weld shut. Use a contactor.",
        )
    return Finding("ok", "contact_a", f"{figures}, within the contact's {sheet.contact_a:g} A.")


def _drop(sheet: DeviceSheet, drop: float) -> Finding:
    left, share = sheet.supply_v - drop, drop / sheet.supply_v
    text = f"{drop:.2f} V lost over {sheet.cable_m:g} m, {left:.1f} V ({100 * (1 - share):.0f} %) at the device."
    if share > 2 * DROP_WARN_SHARE:
        return Finding("refuse", "cable_mm2", text + " Too little: a thicker cable, or the supply nearer.")
    return Finding("warn" if share > DROP_WARN_SHARE else "ok", "cable_mm2", text)


def _battery(sheet: DeviceSheet) -> Finding:
    daily = daily_energy_wh(sheet.power_w, sheet.hours_a_day, sheet.standby_w)
    days = battery_days(sheet.battery_ah, sheet.supply_v, daily)
    sun = solar_share(sheet.panel_w, sheet.sun_hours, daily)
    text = f"{daily:.1f} Wh a day: {days:.1f} days without sun; the panel brings {100 * sun:.0f} % of a day in the dullest month."
    level = "refuse" if days < 1 and sun < 1 else "warn" if days < 3 or (sheet.panel_w > 0 and sun < 1) else "ok"
    return Finding(level, "battery_ah", text)
