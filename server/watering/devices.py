"""Other devices of a house by their rules: decided every tick, ordered for three ticks at a time, so that each order ends by itself."""

from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from accounts.models import User
from common.clock import midnight_of, site_now
from common.errors import Conflict, Refused
from common.events import tell
from fitting.actuating import HOLD_S, LIFE_S
from fitting.models import Actuator, ActuatorKind, Channel, Quantity
from fitting.silence import rate_of
from logbook.services import record
from places.models import House, Site
from readings.models import Latest, Quality
from readings.series import bucketed
from reedcore.constants import STARTING_PAR_UMOL_PER_J
from reedcore.device_rules import (
    CAUTIONS,
    PROPOSED,
    SET_POINTS,
    DeviceKind,
    DeviceSettings,
    DeviceState,
    conflicts,
    decide_device,
    device_faults,
)
from reedcore.errors import OutOfRange

from .closing import COMMAND_LIFE_S
from .counters import counted
from .models import Command, CommandState, DeviceControl, DeviceRule
from .state import SiteState
from .sums import vpd_of
from .ticklock import hold_off_tick

ORDER_S = 180.0
"""One order of a device runs so long; while it is to stay on it is ordered anew every second tick. A dead server means off."""
MOST_BY_HAND = timedelta(hours=12)
FRESH = timedelta(seconds=900)


def settings_of(rule: DeviceRule) -> DeviceSettings:
    """The core's settings of a published rule."""
    return DeviceSettings(kind=DeviceKind(rule.kind), **{k: float(v) for k, v in rule.settings.items()})


def rules_of(site: Site) -> list[DeviceRule]:
    """The newest rule of every device of a site."""
    rows = (
        DeviceRule.objects.filter(house__site=site, actuator__node__retired_at=None)
        .order_by("actuator_id", "-number")
        .distinct("actuator_id")
    )
    return list(rows.select_related("actuator__node", "house"))


def tick_devices(state: SiteState) -> int:
    """Decide for every device of the site. Called within the tick's transaction. Returns how many orders went out."""
    rules = rules_of(state.site)
    if not rules:
        return 0
    controls = {
        c.actuator_id: c
        for c in DeviceControl.objects.filter(actuator__in=[r.actuator_id for r in rules]).select_related("manual_by")
    }
    for rule in rules:
        controls.setdefault(rule.actuator_id, DeviceControl(actuator=rule.actuator))
    extra = _measured(state, rules)
    orders: list[Command] = []
    for rule in rules:
        orders += _decide_one(state, rule, rules, controls, extra)
    DeviceControl.objects.bulk_create(
        controls.values(),
        update_conflicts=True,
        unique_fields=["actuator"],
        update_fields=["manual_until", "on", "since", "why"],
    )
    Command.objects.bulk_create(orders)
    return len(orders)


def _decide_one(
    state: SiteState,
    rule: DeviceRule,
    rules: list[DeviceRule],
    controls: dict[int, DeviceControl],
    extra: dict[int, dict[str, float]],
) -> list[Command]:
    control, now = controls[rule.actuator_id], state.now
    if control.manual_until is not None and control.manual_until <= now:
        control.manual_until = None
    mates = [
        (r, controls[r.actuator_id]) for r in rules if r.house_id == rule.house_id and r.actuator_id != rule.actuator_id
    ]
    climate, more = state.sensed.climate.get(rule.house_id, {}), extra.get(rule.house_id, {})
    nan = float("nan")
    vpd = vpd_of(climate)
    held = DeviceState(
        *state.sun,
        state.midnight,
        climate.get(Quantity.AIR_TEMP, nan),
        nan if vpd is None else vpd,
        more.get("co2", nan),
        climate.get(Quantity.RADIATION, nan),
        more.get("light_mol", nan),
        any(r.kind == DeviceKind.VENT and c.on for r, c in mates),
        any(r.kind == DeviceKind.HEATER and c.on for r, c in mates),
        control.on,
        control.since,
        control.manual_on if control.manual_until is not None else None,
        "the house is stopped" if control.stopped else "",
    )
    decision = decide_device(settings_of(rule), held, now)
    turned = decision.on != control.on
    if turned or control.since is None:
        control.on, control.since = decision.on, now
    control.why = decision.why[:300]
    if not turned and not (decision.on and _to_renew(control, now)):
        return []
    Command.objects.filter(actuator=rule.actuator, state=CommandState.QUEUED).update(
        state=CommandState.EXPIRED, note="a newer one took its place"
    )
    seconds = ORDER_S * max(1.0, state.rate / 20) if decision.on else 0.0
    return [
        Command(
            actuator=rule.actuator, seconds=seconds, issued_at=now, expires_at=now + timedelta(seconds=COMMAND_LIFE_S)
        )
    ]


def _to_renew(control: DeviceControl, now: datetime) -> bool:
    """Every second tick: an order outlives one that is missed, and a year of them stays a small table."""
    return control.since is not None and int((now - control.since).total_seconds() // 60) % 2 == 0


def _measured(state: SiteState, rules: list[DeviceRule]) -> dict[int, dict[str, float]]:
    """CO2 and the day's light of the houses whose devices ask for them."""
    out: dict[int, dict[str, float]] = {}
    houses = {r.house_id for r in rules if r.kind == DeviceKind.CO2}
    rows = Latest.objects.filter(
        channel__house__in=houses,
        channel__quantity="co2",
        channel__retired_at=None,
        quality=Quality.GOOD,
        time__gt=state.now - FRESH,
    )
    for row in rows.select_related("channel"):
        out.setdefault(row.channel.house_id or 0, {})["co2"] = row.raw
    lit = {r.house_id for r in rules if r.kind == DeviceKind.LAMP}
    channels = dict(
        Channel.objects.filter(house__in=lit, quantity=Quantity.RADIATION, retired_at=None).values_list(
            "pk", "house_id"
        )
    )
    step = timedelta(minutes=10)
    for pk, values in bucketed(list(channels), state.midnight, state.now, step).items():
        joules = sum(v for v in values.tolist() if v == v and v > 0) * step.total_seconds()
        out.setdefault(channels[pk] or 0, {})["light_mol"] = joules * STARTING_PAR_UMOL_PER_J / 1e6
    return out


def stop_devices(house: House, now: datetime) -> list[str]:
    """Put every ruled device of a house off and hold it; their names. Within the caller's transaction and tick lock."""
    names = []
    for rule in (r for r in rules_of(house.site) if r.house_id == house.pk):
        DeviceControl.objects.update_or_create(
            actuator=rule.actuator,
            defaults={"stopped": True, "on": False, "since": now, "why": "Off: the house is stopped."},
        )
        Command.objects.filter(actuator=rule.actuator, state=CommandState.QUEUED).update(
            state=CommandState.EXPIRED, note="emergency stop"
        )
        Command.objects.create(
            actuator=rule.actuator, seconds=0, issued_at=now, expires_at=now + timedelta(seconds=COMMAND_LIFE_S)
        )
        names.append(rule.actuator.name)
    return names


def resume_devices(house: House) -> int:
    """Let the stopped devices of a house go by their rules again; how many."""
    return DeviceControl.objects.filter(actuator__rules__house=house, stopped=True).update(stopped=False)


@transaction.atomic
def hold_device(actuator: Actuator, by: User, now: datetime) -> None:
    """Run a contact for a few seconds more: a hand holds the button, and letting go, or anything that fails, ends it.

    For what has no rule, such as the drain valve of an overfull tank. Raises OutOfRange for anything else.
    """
    if actuator.kind != ActuatorKind.CONTACT or actuator.rules.exists():
        raise OutOfRange(
            "actuator",
            actuator.name or str(actuator.get_kind_display()),
            "a contact without a rule; others run by rule or programme",
        )
    rate = max(1.0, rate_of(actuator.node.site))
    lately = Command.objects.filter(
        actuator=actuator, seconds__gt=0, issued_at__gt=now - timedelta(seconds=2 * HOLD_S * rate)
    )
    if not lately.exists():
        record(actuator.node.site, now, by, f"ran {actuator.name or actuator} by holding", actuator)
    _hold(actuator, HOLD_S * rate, now, rate)


@transaction.atomic
def release_device(actuator: Actuator, by: User, now: datetime) -> None:
    """The button was let go: off at once."""
    _hold(actuator, 0.0, now, max(1.0, rate_of(actuator.node.site)))
    record(actuator.node.site, now, by, f"let go of {actuator.name or actuator}", actuator)


def _hold(actuator: Actuator, seconds: float, now: datetime, rate: float) -> None:
    Command.objects.filter(actuator=actuator, state=CommandState.QUEUED).update(
        state=CommandState.EXPIRED, note="a newer one took its place"
    )
    Command.objects.create(
        actuator=actuator, seconds=seconds, issued_at=now, expires_at=now + timedelta(seconds=LIFE_S * rate)
    )
    tell(actuator.node.site_id, "watering")


@dataclass
class DeviceForm:
    """As reedcore.device_rules.DeviceSettings; `number` is the version edited from."""

    house: int
    settings: DeviceSettings
    number: int = 0


@dataclass
class KindCard:
    kind: DeviceKind
    unit: str
    low: float
    high: float
    proposed: DeviceSettings
    caution: str


@dataclass
class DeviceLine:
    actuator: int
    name: str
    node: str
    house: int | None
    house_name: str
    settings: DeviceSettings | None
    number: int
    published_by: str
    on: bool
    since: datetime | None
    why: str
    manual_until: datetime | None
    manual_by: str
    starts_today: int
    hours_today: float
    starts_ever: int
    hours_ever: float


@dataclass
class Devices:
    devices: list[DeviceLine]
    kinds: list[KindCard]
    conflicts: list[str]


def devices_of(site: Site) -> Devices:
    """Every contact of a site with its rule, how it stands and why."""
    now = site_now(site)
    rules = {r.actuator_id: r for r in rules_of(site)}
    contacts = (
        Actuator.objects.filter(node__site=site, node__retired_at=None, kind=ActuatorKind.CONTACT)
        .select_related("node", "control__manual_by")
        .order_by("pk")
    )
    midnight = midnight_of(now, site.time_zone)
    lines = [_line(a, rules.get(a.pk), midnight, now) for a in contacts]
    cards = [KindCard(k, *SET_POINTS.get(k, ("", 0.0, 0.0)), PROPOSED[k], CAUTIONS[k]) for k in DeviceKind]
    found = []
    for house in {r.house_id for r in rules.values()}:
        found += conflicts(
            {str(r.actuator.name or r.kind): settings_of(r) for r in rules.values() if r.house_id == house}
        )
    return Devices(lines, cards, found)


def _line(a: Actuator, rule: DeviceRule | None, midnight: datetime, now: datetime) -> DeviceLine:
    c = getattr(a, "control", None)
    by_hand = c is not None and c.manual_until is not None and c.manual_until > now
    return DeviceLine(
        a.pk, a.name or f"contact {a.coil}", a.node.name, rule.house_id if rule else None, rule.house.name if rule else "", settings_of(rule) if rule else None,
        rule.number if rule else 0, str(rule.published_by) if rule else "", bool(c and c.on), c.since if c else None, c.why if c else "",
        c.manual_until if c is not None and by_hand else None, str(c.manual_by) if c is not None and by_hand and c.manual_by else "",
        *counted(a.pk, midnight), *counted(a.pk, None),
    )  # fmt: skip


@transaction.atomic
def publish_rule(actuator: Actuator, form: DeviceForm, by: User, now: datetime) -> DeviceRule:
    """Publish a device's rule. Raises Refused with every fault, and with what would work against it in the same house."""
    site = actuator.node.site
    hold_off_tick(site)
    house = House.objects.filter(site=site, pk=form.house).first()
    if house is None:
        raise OutOfRange("house", form.house, "a house of this site")
    if actuator.kind != ActuatorKind.CONTACT:
        raise OutOfRange("actuator", str(actuator.get_kind_display()), "a contact: valves and pumps go by programmes")
    latest = actuator.rules.order_by("-number").first()
    if (latest.number if latest else 0) != form.number:
        raise Conflict(
            "number",
            f"{latest.published_by if latest else 'Someone'} published a rule while you were editing. Your numbers are still here.",
        )
    faults = list(device_faults(form.settings))
    others = {
        r.actuator.name or r.kind: settings_of(r)
        for r in rules_of(site)
        if r.house_id == house.pk and r.actuator_id != actuator.pk
    }
    against = [
        c
        for c in conflicts({**others, actuator.name or form.settings.kind.value: form.settings})
        if c not in conflicts(others)
    ]
    if faults or against:
        raise Refused([*faults, *(OutOfRange("day", form.settings.day, c) for c in against)])
    values: dict[str, Any] = {k: v for k, v in asdict(form.settings).items() if k != "kind"}
    rule = DeviceRule.objects.create(
        actuator=actuator,
        house=house,
        number=form.number + 1,
        published_at=now,
        published_by=by,
        kind=form.settings.kind.value,
        settings=values,
    )
    record(
        site,
        now,
        by,
        f"published the rule of {actuator.name or actuator}",
        rule,
        latest.settings if latest else None,
        values,
    )
    tell(site.pk, "watering")
    return rule


@transaction.atomic
def by_hand(actuator: Actuator, on: bool, minutes: float, by: User, now: datetime) -> DeviceControl:
    """Put a device on or off by hand for a while (0 minutes: back to its rule). Raises OutOfRange."""
    if not 0 <= minutes <= MOST_BY_HAND.total_seconds() / 60:
        raise OutOfRange("minutes", minutes, "0 to give it back to its rule, up to 720 minutes")
    if not actuator.rules.exists():
        raise OutOfRange(
            "actuator",
            actuator.name or str(actuator.pk),
            "a device with a rule: publish one first, so that it has somewhere to go back to",
        )
    hold_off_tick(actuator.node.site)
    control, _ = DeviceControl.objects.get_or_create(actuator=actuator)
    control.manual_until = now + timedelta(minutes=minutes) if minutes else None
    control.manual_on, control.manual_by = on, by
    control.save(update_fields=["manual_until", "manual_on", "manual_by"])
    what = (
        f"put {actuator.name or actuator} {'on' if on else 'off'} for {minutes:.0f} min"
        if minutes
        else f"gave {actuator.name or actuator} back to its rule"
    )
    record(actuator.node.site, now, by, what, actuator)
    tell(actuator.node.site_id, "watering")
    return control
