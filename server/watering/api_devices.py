"""Water: other devices by simple rules, and by hand for a while."""

from dataclasses import dataclass
from datetime import date

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from fitting.models import Actuator
from places.models import Bed, Site

from .api_programme import DrainLine
from .daily import enter_drain
from .devices import DeviceForm, Devices, by_hand, devices_of, hold_device, publish_rule, release_device


@endpoint("GET", gives=Devices)
def devices(request: Request, site_id: int) -> Devices:
    """Every contact with its rule, how it stands and why."""
    return devices_of(reach(request, Site, site_id))


@endpoint("POST", takes=DeviceForm, gives=Devices, status=201)
def device_publish(request: Request, data: DeviceForm, actuator_id: int) -> Devices:
    """Publish the rule of a device."""
    actuator = reach(request, Actuator, actuator_id, Role.GROWER)
    publish_rule(actuator, data, request.user, site_now(actuator.node.site))
    return devices_of(actuator.node.site)


@dataclass
class ByHandIn:
    """minutes: 0 gives it back to its rule."""

    on: bool
    minutes: float


@endpoint("POST", takes=ByHandIn, gives=Devices)
def device_by_hand(request: Request, data: ByHandIn, actuator_id: int) -> Devices:
    """Put a device on or off by hand; it goes back to its rule by itself."""
    actuator = reach(request, Actuator, actuator_id, Role.GROWER)
    by_hand(actuator, data.on, data.minutes, request.user, site_now(actuator.node.site))
    return devices_of(actuator.node.site)


@endpoint("POST", status=204)
def device_hold(request: Request, actuator_id: int) -> None:
    """Run a contact without a rule while a button is held: a few seconds more at each asking."""
    actuator = reach(request, Actuator, actuator_id, Role.GROWER)
    hold_device(actuator, request.user, site_now(actuator.node.site))


@endpoint("POST", status=204)
def device_release(request: Request, actuator_id: int) -> None:
    """The button was let go: off at once."""
    actuator = reach(request, Actuator, actuator_id, Role.GROWER)
    release_device(actuator, request.user, site_now(actuator.node.site))


@dataclass
class DrainIn:
    """Drain of a day measured by hand [mL per plant]."""

    day: date
    drain_ml: float


@endpoint("POST", takes=DrainIn, gives=DrainLine, status=201)
def drain_enter(request: Request, data: DrainIn, bed_id: int) -> DrainLine:
    """Enter a day's drain measured by hand; it moves the next dose or gap as a gauge would."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    c = enter_drain(bed, data.day, data.drain_ml, request.user, site_now(bed.house.site))
    return DrainLine(
        c.day.isoformat(), c.drain_ml / c.dose_ml, c.wanted, c.before, c.after, c.moves, c.get_source_display()
    )
