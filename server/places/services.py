"""Changes to site, houses and beds. One transaction each, with an audit line."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import available_timezones

from django.db import IntegrityError, transaction
from django.db.models import Max

from accounts.models import User
from common.errors import Refused
from common.events import tell
from common.versioned import lock_version
from logbook.models import AuditLine
from logbook.services import record
from reedcore.errors import Inconsistent, OutOfRange, ReedError, require_range

from .beds import capacity_of, volume_of
from .models import GEAR, SCREENS, Bed, House, Pump, Shape, Site
from .substrates import choose_medium

SITE_FIELDS = ("name", "latitude", "longitude", "altitude_m", "time_zone")
HOUSE_FIELDS = ("name", "transmission", "drain_returned", "cover", "screens", "gear", "whitewashed_on")
BED_FIELDS = (
    "name",
    "crop",
    "plants",
    "plants_per_m2",
    "leaf_area_index",
    "growth_stage",
    "shape",
    "length_cm",
    "width_cm",
    "base_width_cm",
    "top_diameter_cm",
    "base_diameter_cm",
    "top_side_cm",
    "base_side_cm",
    "fill_l",
    "height_cm",
    "plants_per_container",
    "medium",
    "dry_limit",
    "rated_flow_ml_min",
    "tested_flow_ml_min",
    "line_fill_s",
    "feed_ec_ms_cm",
    "drippers_per_plant",
    "laterals",
    "lateral_length_m",
    "lateral_diameter_mm",
    "dripper_head_m",
    "dripper_exponent",
    "probe_rule",
)
BED_RANGES = {
    "plants": (1, 100000, "plants"),
    "plants_per_m2": (0.1, 200, "plants/m²"),
    "leaf_area_index": (0.05, 10, "m²/m²"),
    "dry_limit": (0.01, 0.95, "m³/m³"),
    "rated_flow_ml_min": (1, 2000, "mL/min per plant"),
    "line_fill_s": (0, 900, "s"),
    "feed_ec_ms_cm": (0, 20, "mS/cm"),
    "drippers_per_plant": (0.1, 20, "drippers per plant"),
    "dripper_head_m": (1, 60, "m"),
    "dripper_exponent": (0, 1, ""),
}
BED_OPTIONAL_RANGES = {
    "tested_flow_ml_min": (1, 2000, "mL/min per plant"),
    "laterals": (1, 500, "lines"),
    "lateral_length_m": (0.5, 500, "m"),
    "lateral_diameter_mm": (2, 100, "mm"),
}
MANY_AT_ONCE = 200


def last_saver(target: str, target_id: int) -> str:
    line = AuditLine.objects.filter(target=target, target_id=target_id).select_related("by").order_by("-id").first()
    return str(line.by) if line and line.by else "Someone"


@transaction.atomic
def save_site(site_id: int, values: Mapping[str, Any], version: int, by: User, now: datetime) -> Site:
    """Change a site. Raises Conflict when someone saved first, Refused naming every bad field."""
    site = lock_version(Site, site_id, version, last_saver("Site", site_id))
    before = _assign(site, values, SITE_FIELDS)
    site_faults(site)
    site.save()
    return _saved(site, site, now, by, before, SITE_FIELDS)


def site_faults(site: Site) -> None:
    """Refuse a site whose description cannot be right, naming every bad field."""
    ranges = {
        "latitude": (-90, 90, "degrees north"),
        "longitude": (-180, 180, "degrees east"),
        "altitude_m": (-430, 9000, "m"),
    }
    faults = _range_faults(site, ranges)
    if site.time_zone not in available_timezones():
        faults.append(OutOfRange("time_zone", site.time_zone, "a zone such as Europe/London"))
    _refuse(faults + _name_faults(site))


def house_faults(house: House) -> list[ReedError]:
    """Everything that cannot be right about a house."""
    faults = _range_faults(house, {"transmission": (0.1, 1, "share of the light outside")}) + _name_faults(house)
    for field, known in (("screens", SCREENS), ("gear", GEAR)):
        faults += [
            OutOfRange(field, code, "one of " + ", ".join(known)) for code in getattr(house, field) if code not in known
        ]
    return faults


@transaction.atomic
def save_house(house_id: int, values: Mapping[str, Any], version: int, by: User, now: datetime) -> House:
    """Change a house. Raises as save_site."""
    house = lock_version(House, house_id, version, last_saver("House", house_id))
    before = _assign(house, values, HOUSE_FIELDS)
    _refuse(house_faults(house))
    _save_unique(house, "name", "a name no other house has")
    return _saved(house, house.site, now, by, before, HOUSE_FIELDS)


@transaction.atomic
def add_house(site: Site, values: Mapping[str, Any], by: User, now: datetime) -> House:
    """Add a house at the end of the row. Raises Refused."""
    order = (site.houses.aggregate(last=Max("order"))["last"] or 0) + 1
    house = House(site=site, order=order)
    _assign(house, values, HOUSE_FIELDS)
    _refuse(house_faults(house))
    _save_unique(house, "name", "a name no other house has")
    return _saved(house, site, now, by, None, HOUSE_FIELDS)


@transaction.atomic
def save_bed(bed_id: int, values: Mapping[str, Any], version: int, by: User, now: datetime) -> Bed:
    """Change a bed. Raises Conflict when someone saved first, Refused naming every bad field."""
    bed = lock_version(Bed, bed_id, version, last_saver("Bed", bed_id))
    before = _assign(bed, values, BED_FIELDS)
    _refuse(bed_faults(bed))
    _save_unique(bed, "name", "a name no other bed in this house has")
    return _saved(bed, bed.house.site, now, by, before, BED_FIELDS)


@transaction.atomic
def add_bed(house: House, values: Mapping[str, Any], by: User, now: datetime) -> Bed:
    """Add a bed at the end of its house's row, on the pump of its neighbours. Raises Refused."""
    order = (house.beds.aggregate(last=Max("order"))["last"] or 0) + 1
    bed = Bed(house=house, order=order, pump=_pump_of_neighbours(house))
    _assign(bed, values, BED_FIELDS)
    _refuse(bed_faults(bed))
    _save_unique(bed, "name", "a name no other bed in this house has")
    return _saved(bed, house.site, now, by, None, BED_FIELDS)


def _pump_of_neighbours(house: House) -> Pump | None:
    neighbour = house.beds.exclude(pump=None).first()
    return neighbour.pump if neighbour else Pump.objects.filter(tank__site=house.site).order_by("id").first()


@transaction.atomic
def add_beds(
    house: House, values: Mapping[str, Any], count: int, first_number: int, by: User, now: datetime
) -> list[Bed]:
    """Add many beds alike, numbered from `first_number`; all of them or none. Raises Refused."""
    if not 1 <= count <= MANY_AT_ONCE:
        raise OutOfRange("count", count, f"1 to {MANY_AT_ONCE} beds at once")
    if not 0 <= first_number <= 99999:
        raise OutOfRange("first_number", first_number, "0 to 99999")
    House.objects.select_for_update().get(pk=house.pk)
    names = [str(first_number + i) for i in range(count)]
    taken = Bed.standing.filter(house=house, name__in=names).values_list("name", flat=True)
    if taken:
        raise OutOfRange(
            "first_number", first_number, f"numbers no bed here has: {', '.join(sorted(taken)[:5])} stand already"
        )
    return [add_bed(house, {**values, "name": name}, by, now) for name in names]


@transaction.atomic
def order_beds(house: House, bed_ids: list[int], by: User, now: datetime) -> None:
    """Put the house's beds in a new row order. Raises OutOfRange unless every standing bed is named once."""
    beds = {b.pk: b for b in Bed.standing.select_for_update(of=("self",)).filter(house=house)}
    if sorted(bed_ids) != sorted(beds):
        raise OutOfRange(
            "beds", len(bed_ids), f"each of the {len(beds)} beds of this house once; reload, someone changed the row"
        )
    before = [b.name for b in sorted(beds.values(), key=lambda b: (b.order, b.pk))]
    for order, pk in enumerate(bed_ids):
        beds[pk].order = order
    Bed.objects.bulk_update(beds.values(), ["order"])
    record(house.site, now, by, "put in order", house, {"beds": before}, {"beds": [beds[pk].name for pk in bed_ids]})
    tell(house.site_id, "places")


@transaction.atomic
def retire_bed(bed_id: int, version: int, by: User, now: datetime) -> Bed:
    """Take a bed out of the row. Its record stays; its channels, probes and programme end. Raises Conflict, Inconsistent."""
    bed: Bed = lock_version(Bed, bed_id, version, last_saver("Bed", bed_id))
    if bed.retired_at is not None:
        raise Inconsistent("bed", bed.name, "a bed that is not retired yet")
    running = bed.pulses.filter(state__in=["ordered", "running"]).exists()
    if running:
        raise Inconsistent(
            "bed", bed.name, "no pulse ordered or running: stop the bed first, and wait for its valve to close"
        )
    bed.retired_at = now
    bed.save()
    bed.channels.filter(retired_at=None).update(retired_at=now)
    bed.probes.filter(retired_at=None).update(retired_at=now)
    record(bed.house.site, now, by, "retired", bed)
    tell(bed.house.site_id, "places", "watering")
    return bed


def bed_faults(bed: Bed) -> list[ReedError]:
    """Every reason why a bed's description cannot be right."""
    faults = _range_faults(bed, BED_RANGES) + _name_faults(bed)
    faults += _range_faults(bed, {f: r for f, r in BED_OPTIONAL_RANGES.items() if getattr(bed, f) is not None})
    if bed.shape not in Shape.values:
        return [*faults, OutOfRange("shape", bed.shape, " or ".join(Shape.values))]
    try:
        choose_medium(bed, bed.house.site)
        volume_of(bed)
        capacity = capacity_of(bed)
    except ReedError as error:
        return [*faults, error]
    if not any(f.field == "dry_limit" for f in faults) and bed.dry_limit >= capacity - 0.02:
        faults.append(Inconsistent("dry_limit", bed.dry_limit, f"under the capacity of {100 * capacity:.1f} %"))
    return faults


def _name_faults(row: Any) -> list[ReedError]:
    row.name = (row.name or "").strip()
    return [] if row.name else [OutOfRange("name", row.name, "a name")]


def _range_faults(row: Any, ranges: Mapping[str, tuple[float, float, str]]) -> list[ReedError]:
    faults: list[ReedError] = []
    for field, (low, high, unit) in ranges.items():
        value = getattr(row, field)
        try:
            require_range(field, float("nan") if value is None else value, low, high, unit)
        except OutOfRange as error:
            faults.append(error)
    return faults


def _assign(row: Any, values: Mapping[str, Any], fields: tuple[str, ...]) -> dict[str, Any]:
    before = {f: getattr(row, f) for f in fields}
    for field in fields:
        if field in values:
            setattr(row, field, values[field])
    return before


def _refuse(faults: list[ReedError]) -> None:
    if faults:
        raise Refused(faults)


def _save_unique(row: Any, field: str, expectation: str) -> None:
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise Refused([OutOfRange(field, getattr(row, field), expectation)]) from None


def _saved(
    row: Any, site: Site, now: datetime, by: User, before: dict[str, Any] | None, fields: tuple[str, ...]
) -> Any:
    after = {f: getattr(row, f) for f in fields}
    if before is not None:
        changed = [f for f in fields if before[f] != after[f]]
        before, after = {f: before[f] for f in changed}, {f: after[f] for f in changed}
    record(site, now, by, "changed" if before is not None else "added", row, before, after)
    tell(site.pk, "places")
    return row
