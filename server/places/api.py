"""Lay out: site, houses, beds and the media to choose from."""

from dataclasses import asdict, dataclass, field
from datetime import date, datetime
from typing import Any

from django.db.models import Prefetch
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, worked
from reedcore.bedwater import Rule
from reedcore.formulas import formula
from reedcore.substrate import proposed_dry_limit

from .beds import capacity_of, container_l, sides_of, volume_of
from .models import GEAR, SCREENS, Bed, Cover, House, Shape, Site
from .services import (
    add_bed,
    add_beds,
    add_house,
    bed_faults,
    order_beds,
    retire_bed,
    save_bed,
    save_house,
    save_site,
)
from .substrates import all_media, medium_of


@dataclass
class SiteForm:
    name: str
    latitude: float
    longitude: float
    altitude_m: float
    time_zone: str
    version: int = 0


@dataclass
class HouseForm:
    name: str
    transmission: float
    drain_returned: bool
    cover: Cover = Cover.GLASS
    screens: list[str] = field(default_factory=list)
    gear: list[str] = field(default_factory=list)
    whitewashed_on: date | None = None
    version: int = 0


@dataclass
class BedForm:
    """Dimensions [cm] of the medium in one container; dry_limit [m3/m3]; flows [mL/min per plant]."""

    name: str
    crop: str
    plants: int
    plants_per_m2: float
    leaf_area_index: float
    shape: Shape
    height_cm: float
    plants_per_container: float
    medium: str
    rated_flow_ml_min: float
    line_fill_s: float
    feed_ec_ms_cm: float
    dry_limit: float
    growth_stage: str = ""
    length_cm: float | None = None
    width_cm: float | None = None
    base_width_cm: float | None = None
    top_diameter_cm: float | None = None
    base_diameter_cm: float | None = None
    top_side_cm: float | None = None
    base_side_cm: float | None = None
    fill_l: float | None = None
    tested_flow_ml_min: float | None = None
    drippers_per_plant: float = 1
    laterals: int | None = None
    lateral_length_m: float | None = None
    lateral_diameter_mm: float | None = None
    dripper_head_m: float = 10
    dripper_exponent: float = 0.5
    probe_rule: Rule = Rule.MEDIAN
    version: int = 0


@dataclass
class ManyBeds:
    """Beds alike, numbered from first_number."""

    like: BedForm
    count: int
    first_number: int


@dataclass
class RowOrder:
    beds: list[int]


@dataclass
class VersionOnly:
    version: int


@dataclass
class BedOut:
    id: int
    house: int
    form: BedForm
    medium_name: str
    figures: dict[str, Figure]


@dataclass
class HouseOut:
    id: int
    form: HouseForm
    beds: list[BedOut]


@dataclass
class MediumOut:
    code: str
    name: str
    origin: str


@dataclass
class Layout:
    """Plus the codes and words of screens and climate gear to tick."""

    id: int
    form: SiteForm
    houses: list[HouseOut]
    media: list[MediumOut]
    tanks: list[str]
    nodes: int
    screens: dict[str, str]
    gear: dict[str, str]


@dataclass
class BedProposal:
    """Figures that follow from a described bed, and proposals with their origin. Nothing is saved."""

    figures: dict[str, Figure]
    proposed: dict[str, float]
    origin: dict[str, str]
    problems: list[dict[str, str]] = field(default_factory=list)


def _form(kind: Any, row: Any) -> Any:
    return kind(**{f: getattr(row, f) for f in kind.__dataclass_fields__})


def bed_figures(bed: Bed, at: datetime | None = None) -> dict[str, Figure]:
    """Container, volume per plant, mL per point, capacity and bed flow, each with its formula."""
    m = medium_of(bed)
    code = f"{bed.shape}_volume"
    sides = {name: value for name, value in sides_of(bed).items() if name in formula(code).arguments}
    container = worked(code, sides, "from the dimensions", at)
    volume = volume_of(bed)
    flow_source = "tested flow" if bed.tested_flow_ml_min else "rated flow, not tested yet"
    return {
        "container": container,
        "volume": worked(
            "volume_per_plant",
            {"container_l": container_l(bed), "plants_per_container": bed.plants_per_container},
            "from the container",
            at,
        ),
        "ml_per_point": worked("ml_per_point", {"volume_l_per_plant": volume}, "from the volume", at),
        "capacity": worked(
            "capacity",
            {"height_cm": bed.height_cm, "theta_s": m.theta_s, "theta_r": m.theta_r, "alpha": m.alpha, "n": m.n},
            f"{m.name}, {m.origin}",
            at,
        ),
        "easily": worked(
            "easily_usable",
            {"volume_l_per_plant": volume, "theta_s": m.theta_s, "theta_r": m.theta_r, "alpha": m.alpha, "n": m.n},
            f"{m.name}, {m.origin}",
            at,
        ),
        "flow": worked("bed_flow", {"flow_ml_min_per_plant": bed.flow_ml_min, "plants": bed.plants}, flow_source, at),
    }


def bed_out(bed: Bed) -> BedOut:
    return BedOut(bed.pk, bed.house_id, _form(BedForm, bed), medium_of(bed).name, bed_figures(bed))


def _house_out(house: House) -> HouseOut:
    return HouseOut(house.pk, _form(HouseForm, house), [bed_out(b) for b in house.beds.all()])


@endpoint("GET", gives=Layout)
def layout(request: Request, site_id: int) -> Layout:
    """The whole holding as it is laid out."""
    site = reach(request, Site, site_id)
    standing = Prefetch("beds", Bed.standing.select_related("own_medium"))
    houses = [_house_out(h) for h in site.houses.prefetch_related(standing)]
    tanks = [
        f"{t.name}: {t.capacity_l:.0f} L, warning at {t.warn_l:.0f} L, empty at {t.empty_l:.0f} L"
        for t in site.tanks.all()
    ]
    choice = [MediumOut(m.code, m.name, m.origin) for m in all_media(site)]
    nodes = site.nodes.exclude(kind="gateway").filter(retired_at=None).count()
    return Layout(site.pk, _form(SiteForm, site), houses, choice, tanks, nodes, SCREENS, GEAR)


@endpoint("PUT", takes=SiteForm, gives=SiteForm)
def site_save(request: Request, data: SiteForm, site_id: int) -> SiteForm:
    """Change the site. `version` is the one that was read; 409 when someone saved first."""
    site = reach(request, Site, site_id, Role.OWNER)
    return _form(SiteForm, save_site(site.pk, asdict(data), data.version, request.user, site_now(site)))


@endpoint("PUT", takes=HouseForm, gives=HouseForm)
def house_save(request: Request, data: HouseForm, house_id: int) -> HouseForm:
    """Change a house."""
    house = reach(request, House, house_id, Role.GROWER)
    return _form(HouseForm, save_house(house.pk, asdict(data), data.version, request.user, site_now(house.site)))


@endpoint("POST", takes=HouseForm, gives=HouseOut, status=201)
def house_add(request: Request, data: HouseForm, site_id: int) -> HouseOut:
    """Add a house."""
    site = reach(request, Site, site_id, Role.OWNER)
    return _house_out(add_house(site, asdict(data), request.user, site_now(site)))


@endpoint("PUT", takes=BedForm, gives=BedOut)
def bed_save(request: Request, data: BedForm, bed_id: int) -> BedOut:
    """Change a bed."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    return bed_out(save_bed(bed.pk, asdict(data), data.version, request.user, site_now(bed.house.site)))


@endpoint("POST", takes=BedForm, gives=BedOut, status=201)
def bed_add(request: Request, data: BedForm, house_id: int) -> BedOut:
    """Add a bed to a house."""
    house = reach(request, House, house_id, Role.GROWER)
    return bed_out(add_bed(house, asdict(data), request.user, site_now(house.site)))


@endpoint("POST", takes=ManyBeds, gives=BedOut, many=True, status=201)
def beds_add(request: Request, data: ManyBeds, house_id: int) -> list[BedOut]:
    """Add many beds alike to a house."""
    house = reach(request, House, house_id, Role.GROWER)
    made = add_beds(house, asdict(data.like), data.count, data.first_number, request.user, site_now(house.site))
    return [bed_out(b) for b in made]


@endpoint("PUT", takes=RowOrder, status=204)
def beds_order(request: Request, data: RowOrder, house_id: int) -> None:
    """Put the beds of a house in a new row order."""
    house = reach(request, House, house_id, Role.GROWER)
    order_beds(house, data.beds, request.user, site_now(house.site))


@endpoint("POST", takes=VersionOnly, status=204)
def bed_retire(request: Request, data: VersionOnly, bed_id: int) -> None:
    """Retire a bed; its history stays."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    retire_bed(bed.pk, data.version, request.user, site_now(bed.house.site))


@endpoint("POST", takes=BedForm, gives=BedProposal)
def bed_propose(request: Request, data: BedForm, house_id: int) -> BedProposal:
    """What follows from a bed as described so far."""
    house = reach(request, House, house_id)
    values = {k: v for k, v in asdict(data).items() if k != "version"}
    bed = Bed(house=house, **values)
    faults = bed_faults(bed)
    problems = [{"field": f.field, "value": str(f.value), "expected": f.expectation} for f in faults]
    if any(f.field not in {"name", "dry_limit"} for f in faults):
        return BedProposal({}, {}, {}, problems)
    capacity = capacity_of(bed)
    proposed = {"dry_limit": round(proposed_dry_limit(capacity), 3), "dose_ml_per_plant": round(30 * volume_of(bed))}
    origin = {
        "dry_limit": f"60 % of the capacity of {100 * capacity:.1f} %, a starting value",
        "dose_ml_per_plant": "3 % of the substrate volume",
    }
    return BedProposal(bed_figures(bed), proposed, origin, problems)
