"""Fit: electrics sheets of nodes, valves and pumps."""

from dataclasses import asdict, dataclass
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure
from places.models import Site
from reedcore.electrics import Load

from . import electric
from .models import Actuator, Node


@dataclass
class SheetForm:
    """A device as it is wired."""

    load: Load
    power_w: float
    supply_v: float
    contact_a: float
    cable_m: float
    cable_mm2: float
    normally_open: bool = True
    hours_a_day: float = 1
    standby_w: float = 0
    battery_ah: float = 0
    panel_w: float = 0
    sun_hours: float = 1
    version: int = 0


@dataclass
class FindingOut:
    level: str
    field: str
    text: str


@dataclass
class DeviceOut:
    """A device with its sheet and what is to be said of it."""

    device: str
    id: int
    name: str
    kept: bool
    form: SheetForm
    figures: dict[str, Figure]
    findings: list[FindingOut]


def _device_out(row: electric.DeviceRow) -> DeviceOut:
    return DeviceOut(
        row.device, row.pk, row.name, row.kept, SheetForm(**asdict(row.sheet), version=row.version), row.figures,
        [FindingOut(**asdict(f)) for f in row.findings],
    )  # fmt: skip


@endpoint("GET", gives=DeviceOut, many=True)
def electrics(request: Request, site_id: int) -> list[DeviceOut]:
    """Every device of a site with its electrics sheet, kept or proposed."""
    return [_device_out(r) for r in electric.devices_of(reach(request, Site, site_id))]


@endpoint("PUT", takes=SheetForm, gives=DeviceOut)
def electrics_save(request: Request, data: SheetForm, device: str, device_id: int) -> DeviceOut:
    """Keep a device's sheet."""
    kind: Any = Actuator if device == "actuator" else Node
    row = reach(request, kind, device_id, Role.GROWER)
    site = row.node.site if device == "actuator" else row.site
    values = {k: v for k, v in asdict(data).items() if k != "version"}
    return _device_out(electric.save_sheet(site, row, values, data.version, request.user, site_now(site)))
