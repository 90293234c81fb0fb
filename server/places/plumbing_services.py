"""Changes to water sources, own media, tanks and pumps. One transaction each, with an audit line."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Model

from accounts.models import User
from common.versioned import lock_version
from reedcore.errors import Inconsistent, OutOfRange, ReedError, require_range
from reedcore.tanks import require_levels, tank_litres

from .models import Bed, OwnMedium, Pump, Site, Tank, WaterKind, WaterSource
from .plumbing import core_tank
from .services import _assign, _name_faults, _range_faults, _refuse, _save_unique, _saved, last_saver
from .substrates import core_medium

ANALYSIS = {
    "ec_ms_cm": (0, 20, "mS/cm"),
    "ph": (2, 12, ""),
    "bicarbonate_mmol_l": (0, 30, "mmol/L"),
    "calcium_mg_l": (0, 2000, "mg/L"),
    "magnesium_mg_l": (0, 2000, "mg/L"),
    "sodium_mg_l": (0, 20000, "mg/L"),
    "chloride_mg_l": (0, 30000, "mg/L"),
    "sulphate_mg_l": (0, 5000, "mg/L"),
    "nitrate_mg_l": (0, 2000, "mg/L"),
    "iron_mg_l": (0, 100, "mg/L"),
}
SOURCE_FIELDS = ("name", "kind", "sampled_on", *ANALYSIS)
MEDIUM_FIELDS = ("name", "theta_s", "theta_r", "alpha", "n", "dry_mix_theta", "origin")
TANK_FIELDS = (
    "name", "shape", "length_cm", "width_cm", "diameter_cm", "height_cm", "sensor_height_cm", "capacity_l", "overfill_l",
    "warn_l", "empty_l",
)  # fmt: skip
PUMP_FIELDS = (
    "name", "flow_l_min", "rated_head_m", "shutoff_head_m", "lift_m", "filter_loss_m", "injector_loss_m", "injector_ratio_pct",
    "main_length_m", "main_diameter_mm",
)  # fmt: skip
PUMP_RANGES = {
    "flow_l_min": (0.1, 20000, "L/min"),
    "lift_m": (-50, 100, "m"),
    "filter_loss_m": (0, 50, "m"),
    "injector_loss_m": (0, 50, "m"),
}
PUMP_OPTIONAL = {
    "rated_head_m": (0.5, 200, "m"),
    "shutoff_head_m": (0.5, 250, "m"),
    "injector_ratio_pct": (0.05, 20, "%"),
    "main_length_m": (0.5, 5000, "m"),
    "main_diameter_mm": (2, 500, "mm"),
}


def _row(kind: Any, pk: int | None, version: int, make: dict[str, Any]) -> tuple[Any, bool]:
    if pk is None:
        return kind(**make), True
    return lock_version(kind, pk, version, last_saver(kind.__name__, pk)), False


def _optional(row: Model, ranges: Mapping[str, tuple[float, float, str]]) -> list[ReedError]:
    return _range_faults(row, {f: r for f, r in ranges.items() if getattr(row, f) is not None})


@transaction.atomic
def save_source(
    site: Site, pk: int | None, values: Mapping[str, Any], version: int, by: User, now: datetime
) -> WaterSource:
    """Add (pk None) or change a water source. Raises Conflict, Refused naming every bad field."""
    row, new = _row(WaterSource, pk, version, {"site": site})
    before = _assign(row, values, SOURCE_FIELDS)
    faults = _name_faults(row) + _optional(row, ANALYSIS)
    if row.kind not in WaterKind.values:
        faults.append(OutOfRange("kind", row.kind, "one of " + ", ".join(WaterKind.values)))
    _refuse(faults)
    _save_unique(row, "name", "a name no other water source has")
    return _saved(row, site, now, by, None if new else before, SOURCE_FIELDS)  # type: ignore[no-any-return]


@transaction.atomic
def save_medium(
    site: Site, pk: int | None, values: Mapping[str, Any], version: int, by: User, now: datetime
) -> OwnMedium:
    """Add or change an own medium. A change moves the capacity of every bed on it. Raises Conflict, Refused."""
    row, new = _row(OwnMedium, pk, version, {"site": site})
    before = _assign(row, values, MEDIUM_FIELDS)
    faults = _name_faults(row) + _range_faults(row, {"dry_mix_theta": (0, 0.5, "m³/m³")})
    row.origin = (row.origin or "").strip() or "own values"
    try:
        core_medium(row)
    except ReedError as error:
        faults.append(error)
    _refuse(faults)
    _save_unique(row, "name", "a name no other medium has")
    return _saved(row, site, now, by, None if new else before, MEDIUM_FIELDS)  # type: ignore[no-any-return]


def _tank_faults(tank: Tank) -> list[ReedError]:
    faults = _name_faults(tank)
    try:
        form = core_tank(tank)
        if form is not None:
            tank.capacity_l = round(tank_litres(form), 1)
        require_range("capacity_l", tank.capacity_l, 1, 1e7, "L")
        require_levels(tank.empty_l, tank.warn_l, tank.overfill_l or tank.capacity_l, tank.capacity_l)
        if form is not None and tank.sensor_height_cm is not None and tank.sensor_height_cm < form.depth_cm:
            raise Inconsistent(
                "sensor_height_cm", tank.sensor_height_cm, f"at least the tank's depth of {form.depth_cm:g} cm"
            )
    except ReedError as error:
        faults.append(error)
    return faults


@transaction.atomic
def save_tank(site: Site, pk: int | None, values: Mapping[str, Any], version: int, by: User, now: datetime) -> Tank:
    """Add or change a tank; with a shape its litres follow from its sides. Raises Conflict, Refused."""
    row, new = _row(Tank, pk, version, {"site": site})
    before = _assign(row, values, TANK_FIELDS)
    source = values.get("source")
    if source is not None and not WaterSource.objects.filter(site=site, pk=source).exists():
        raise OutOfRange("source", source, "a water source of this site")
    row.source_id = source
    _refuse(_tank_faults(row))
    row.save()
    return _saved(row, site, now, by, None if new else before, TANK_FIELDS)  # type: ignore[no-any-return]


@transaction.atomic
def save_pump(
    site: Site, pk: int | None, values: Mapping[str, Any], beds: list[int], version: int, by: User, now: datetime
) -> Pump:
    """Add or change a pump, its line and the beds it feeds. Raises Conflict, Refused."""
    row, new = _row(Pump, pk, version, {})
    tank = Tank.objects.filter(site=site, pk=values.get("tank")).first()
    if tank is None:
        raise OutOfRange("tank", values.get("tank"), "a tank of this site")
    row.tank = tank
    before = _assign(row, values, PUMP_FIELDS)
    faults = _name_faults(row) + _range_faults(row, PUMP_RANGES) + _optional(row, PUMP_OPTIONAL)
    if row.rated_head_m and row.shutoff_head_m and row.shutoff_head_m <= row.rated_head_m:
        faults.append(
            Inconsistent("shutoff_head_m", row.shutoff_head_m, f"above the rated head of {row.rated_head_m:g} m")
        )
    if bool(row.main_length_m) != bool(row.main_diameter_mm):
        faults.append(Inconsistent("main_diameter_mm", row.main_diameter_mm, "given together with the main's length"))
    known = set(Bed.standing.filter(house__site=site, pk__in=beds).values_list("pk", flat=True))
    if known != set(beds):
        faults.append(OutOfRange("beds", len(beds), "beds of this site"))
    _refuse(faults)
    row.save()
    Bed.objects.filter(pump=row).exclude(pk__in=beds).update(pump=None)
    Bed.objects.filter(pk__in=beds).update(pump=row)
    return _saved(row, site, now, by, None if new else before, PUMP_FIELDS)  # type: ignore[no-any-return]
