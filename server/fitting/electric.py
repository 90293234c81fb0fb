"""Electrics sheets of a site's devices: proposed, kept, judged."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from accounts.models import User
from common.errors import Conflict
from common.events import tell
from common.figures import Figure, worked
from logbook.services import record
from places.models import Site
from reedcore.electrics import (
    STARTING_BATTERY_USABLE_SHARE,
    SURGE,
    DeviceSheet,
    Finding,
    Load,
    daily_energy_wh,
    judge_device,
    load_current_a,
)

from .models import Actuator, ActuatorKind, ElectricSheet, Node, NodeKind

FIELDS = tuple(DeviceSheet.__dataclass_fields__)
PROPOSED: dict[str, DeviceSheet] = {
    ActuatorKind.VALVE: DeviceSheet(Load.SOLENOID, 6, 24, 2, 30, 1.5),
    ActuatorKind.PUMP: DeviceSheet(Load.MOTOR, 550, 230, 25, 15, 1.5, hours_a_day=3),
    ActuatorKind.CONTACT: DeviceSheet(Load.RESISTIVE, 20, 24, 2, 20, 1.0),
    ActuatorKind.DOSER: DeviceSheet(Load.MOTOR, 30, 24, 10, 5, 1.0),
    "node": DeviceSheet(Load.ELECTRONIC, 1.2, 12, 5, 20, 0.75, hours_a_day=24),
}
"""Usual devices, as a first proposal until the plate of the real one is read. Starting values."""


@dataclass
class DeviceRow:
    device: str
    pk: int
    name: str
    kept: bool
    version: int
    sheet: DeviceSheet
    figures: dict[str, Figure]
    findings: list[Finding]


def core_sheet(row: ElectricSheet) -> DeviceSheet:
    return DeviceSheet(**{**{f: getattr(row, f) for f in FIELDS}, "load": Load(row.load)})


def _row(device: str, pk: int, name: str, kept: ElectricSheet | None, proposed: DeviceSheet) -> DeviceRow:
    sheet = core_sheet(kept) if kept else proposed
    source = "as entered" if kept else "a usual device; read the plate of yours"
    current = load_current_a(sheet.power_w, sheet.supply_v)
    figures = {
        "contact": worked("contact", {"current_a": current, "surge_factor": SURGE[sheet.load]}, source),
        "drop": worked(
            "cable_drop", {"length_m": sheet.cable_m, "current_a": current, "area_mm2": sheet.cable_mm2}, source
        ),
    }
    if sheet.battery_ah > 0:
        daily = daily_energy_wh(sheet.power_w, sheet.hours_a_day, sheet.standby_w)
        inputs = {
            "battery_ah": sheet.battery_ah, "battery_v": sheet.supply_v, "usable_share": STARTING_BATTERY_USABLE_SHARE, "daily_wh": daily,
        }  # fmt: skip
        figures["battery"] = worked("battery_days", inputs, source)
    return DeviceRow(
        device, pk, name, kept is not None, kept.version if kept else 0, sheet, figures, judge_device(sheet)
    )


def devices_of(site: Site) -> list[DeviceRow]:
    """Actuators, then nodes of a site."""
    from .api import name_of

    actuators = Actuator.objects.filter(node__site=site, node__retired_at=None).select_related(
        "bed", "pump", "electric_sheet"
    )
    nodes = site.nodes.exclude(kind=NodeKind.GATEWAY).filter(retired_at=None).select_related("electric_sheet")
    rows = [
        _row("actuator", a.pk, name_of(a), getattr(a, "electric_sheet", None), PROPOSED[a.kind])
        for a in actuators.order_by("pk")
    ]
    return rows + [
        _row("node", n.pk, f"node {n.name}", getattr(n, "electric_sheet", None), PROPOSED["node"])
        for n in nodes.order_by("pk")
    ]


@transaction.atomic
def save_sheet(
    site: Site, owner: Actuator | Node, values: Mapping[str, Any], version: int, by: User, now: datetime
) -> DeviceRow:
    """Keep a device's sheet. Raises OutOfRange for a value that cannot be, Conflict when someone saved first."""
    from .api import name_of

    sheet = DeviceSheet(**{**{f: values[f] for f in FIELDS}, "load": Load(values["load"])})
    judge_device(sheet)
    is_actuator = isinstance(owner, Actuator)
    key: dict[str, Any] = {"actuator": owner} if is_actuator else {"node": owner}
    held = ElectricSheet.objects.select_for_update(of=("self",)).filter(**key).first()
    if held is not None and held.version != version:
        raise Conflict(
            "version", f"Someone saved this sheet while you were editing (version {held.version}, you had {version})."
        )
    row = held or ElectricSheet(site=site, version=0, **key)
    before = {f: getattr(row, f) for f in FIELDS} if held else None
    for f in FIELDS:
        setattr(row, f, values[f])
    row.load, row.version = sheet.load.value, row.version + 1
    row.save()
    record(site, now, by, "changed" if held else "added", row, before, {f: getattr(row, f) for f in FIELDS})
    tell(site.pk, "fitting")
    name = name_of(owner) if isinstance(owner, Actuator) else f"node {owner.name}"
    return _row("actuator" if is_actuator else "node", owner.pk, name, row, sheet)
