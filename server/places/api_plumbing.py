"""Lay out, the water: sources, own media with their profile, tanks, pumps, and the chain that follows."""

from dataclasses import asdict, dataclass
from datetime import date
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from reedcore.containers import usable_water, water_profile
from reedcore.errors import OutOfRange
from reedcore.substrate import capacity_from_height, medium
from reedcore.tanks import TankShape

from .models import Bed, OwnMedium, Pump, Site, Tank, WaterSource
from .plumbing import TankLine, plumbing_of
from .plumbing_services import save_medium, save_pump, save_source, save_tank
from .substrates import OWN, all_media, core_medium


@dataclass
class SourceForm:
    """Analysis in mg/L, bicarbonate in mmol/L, conductivity in mS/cm; None where not analysed."""

    name: str
    kind: str
    sampled_on: date | None = None
    ec_ms_cm: float | None = None
    ph: float | None = None
    bicarbonate_mmol_l: float | None = None
    calcium_mg_l: float | None = None
    magnesium_mg_l: float | None = None
    sodium_mg_l: float | None = None
    chloride_mg_l: float | None = None
    sulphate_mg_l: float | None = None
    nitrate_mg_l: float | None = None
    iron_mg_l: float | None = None
    version: int = 0


@dataclass
class MediumForm:
    """van Genuchten parameters: theta_s, theta_r, dry_mix_theta [m3/m3], alpha [1/cm], n."""

    name: str
    theta_s: float
    theta_r: float
    alpha: float
    n: float
    dry_mix_theta: float
    origin: str = ""
    version: int = 0


@dataclass
class TankForm:
    """Sides [cm] by the shape; with a shape capacity_l follows from them."""

    name: str
    capacity_l: float
    warn_l: float
    empty_l: float
    overfill_l: float | None = None
    shape: TankShape | None = None
    length_cm: float | None = None
    width_cm: float | None = None
    diameter_cm: float | None = None
    height_cm: float | None = None
    sensor_height_cm: float | None = None
    source: int | None = None
    version: int = 0


@dataclass
class PumpForm:
    """flow_l_min at rated_head_m; losses in m of water; beds by number."""

    name: str
    tank: int
    flow_l_min: float
    beds: list[int]
    rated_head_m: float | None = None
    shutoff_head_m: float | None = None
    lift_m: float = 0
    filter_loss_m: float = 0
    injector_loss_m: float = 0
    injector_ratio_pct: float | None = None
    main_length_m: float | None = None
    main_diameter_mm: float | None = None
    version: int = 0


@dataclass
class SourceOut:
    id: int
    form: SourceForm


@dataclass
class TankOut:
    id: int
    form: TankForm


@dataclass
class PumpOut:
    id: int
    form: PumpForm


@dataclass
class WaterWay:
    """The chain as described and as computed."""

    sources: list[SourceOut]
    tanks: list[TankOut]
    pumps: list[PumpOut]
    chain: list[TankLine]


@dataclass
class MediumRow:
    code: str
    id: int | None
    form: MediumForm
    beds: list[str]


@dataclass
class Column:
    """Water over height in one container: heights above the floor [cm], θ [m3/m3]."""

    height_cm: float
    heights_cm: list[float]
    theta: list[float]
    capacity: float


@dataclass
class Profile:
    """The same medium at several heights, and the usable water of one plant [L]."""

    medium: str
    columns: list[Column]
    volume_l: float | None
    at_capacity_l: float | None
    easily_l: float | None
    buffer_l: float | None
    sentence: str


@dataclass
class ProfileRequest:
    medium: str
    heights_cm: list[float]
    volume_l: float | None = None


def _form(kind: Any, row: Any, **more: Any) -> Any:
    names = [f for f in kind.__dataclass_fields__ if f not in more]
    return kind(**{f: getattr(row, f) for f in names}, **more)


def _source_out(row: WaterSource) -> SourceOut:
    return SourceOut(row.pk, _form(SourceForm, row))


def _tank_out(row: Tank) -> TankOut:
    shape = TankShape(row.shape) if row.shape else None
    return TankOut(row.pk, _form(TankForm, row, shape=shape, source=row.source_id))


def _pump_out(row: Pump) -> PumpOut:
    beds = [b.pk for b in Bed.standing.filter(pump=row)]
    return PumpOut(row.pk, _form(PumpForm, row, tank=row.tank_id, beds=beds))


@endpoint("GET", gives=WaterWay)
def plumbing(request: Request, site_id: int) -> WaterWay:
    """Sources, tanks and pumps of a site, and everything that follows from them."""
    site = reach(request, Site, site_id)
    pumps = Pump.objects.filter(tank__site=site).order_by("id")
    return WaterWay(
        [_source_out(s) for s in site.water_sources.all()],
        [_tank_out(t) for t in site.tanks.order_by("id")],
        [_pump_out(p) for p in pumps],
        plumbing_of(site),
    )


@endpoint("POST", takes=SourceForm, gives=SourceOut, status=201)
def source_add(request: Request, data: SourceForm, site_id: int) -> SourceOut:
    """Add a water source."""
    site = reach(request, Site, site_id, Role.GROWER)
    return _source_out(save_source(site, None, asdict(data), 0, request.user, site_now(site)))


@endpoint("PUT", takes=SourceForm, gives=SourceOut)
def source_save(request: Request, data: SourceForm, source_id: int) -> SourceOut:
    """Change a water source."""
    row = reach(request, WaterSource, source_id, Role.GROWER)
    return _source_out(save_source(row.site, row.pk, asdict(data), data.version, request.user, site_now(row.site)))


@endpoint("POST", takes=TankForm, gives=TankOut, status=201)
def tank_add(request: Request, data: TankForm, site_id: int) -> TankOut:
    """Add a tank."""
    site = reach(request, Site, site_id, Role.GROWER)
    return _tank_out(save_tank(site, None, _tank_values(data), 0, request.user, site_now(site)))


@endpoint("PUT", takes=TankForm, gives=TankOut)
def tank_save(request: Request, data: TankForm, tank_id: int) -> TankOut:
    """Change a tank."""
    row = reach(request, Tank, tank_id, Role.GROWER)
    return _tank_out(save_tank(row.site, row.pk, _tank_values(data), data.version, request.user, site_now(row.site)))


def _tank_values(data: TankForm) -> dict[str, Any]:
    return {**asdict(data), "shape": TankShape(data.shape).value if data.shape else ""}


@endpoint("POST", takes=PumpForm, gives=PumpOut, status=201)
def pump_add(request: Request, data: PumpForm, site_id: int) -> PumpOut:
    """Add a pump with its line and beds."""
    site = reach(request, Site, site_id, Role.GROWER)
    return _pump_out(save_pump(site, None, asdict(data), data.beds, 0, request.user, site_now(site)))


@endpoint("PUT", takes=PumpForm, gives=PumpOut)
def pump_save(request: Request, data: PumpForm, pump_id: int) -> PumpOut:
    """Change a pump, its line or its beds."""
    row = reach(request, Pump, pump_id, Role.GROWER)
    site = row.tank.site
    return _pump_out(save_pump(site, row.pk, asdict(data), data.beds, data.version, request.user, site_now(site)))


@endpoint("GET", gives=MediumRow, many=True)
def media_list(request: Request, site_id: int) -> list[MediumRow]:
    """Media of the library and of the site, with the beds that stand on each."""
    site = reach(request, Site, site_id)
    used: dict[str, list[str]] = {}
    for code, name in Bed.standing.filter(house__site=site).values_list("medium", "name"):
        used.setdefault(code, []).append(name)
    versions = dict(site.own_media.values_list("pk", "version"))
    rows = []
    for m in all_media(site):
        pk = int(m.code.removeprefix(OWN)) if m.code.startswith(OWN) else None
        form = MediumForm(
            m.name, m.theta_s, m.theta_r, m.alpha, m.n, m.dry_mix_theta, m.origin, versions.get(pk or 0, 0)
        )
        rows.append(MediumRow(m.code, pk, form, used.get(m.code, [])))
    return rows


def _medium_row(row: OwnMedium) -> MediumRow:
    return MediumRow(
        f"{OWN}{row.pk}", row.pk, _form(MediumForm, row), [b.name for b in Bed.standing.filter(own_medium=row)]
    )


@endpoint("POST", takes=MediumForm, gives=MediumRow, status=201)
def medium_add(request: Request, data: MediumForm, site_id: int) -> MediumRow:
    """Add an own medium."""
    site = reach(request, Site, site_id, Role.GROWER)
    return _medium_row(save_medium(site, None, asdict(data), 0, request.user, site_now(site)))


@endpoint("PUT", takes=MediumForm, gives=MediumRow)
def medium_save(request: Request, data: MediumForm, medium_id: int) -> MediumRow:
    """Change an own medium."""
    row = reach(request, OwnMedium, medium_id, Role.GROWER)
    return _medium_row(save_medium(row.site, row.pk, asdict(data), data.version, request.user, site_now(row.site)))


@endpoint("POST", takes=ProfileRequest, gives=Profile)
def medium_profile(request: Request, data: ProfileRequest, site_id: int) -> Profile:
    """How water stands over the height of a drained container, at several heights of the same medium."""
    site = reach(request, Site, site_id)
    if not 1 <= len(data.heights_cm) <= 6:
        raise OutOfRange("heights_cm", len(data.heights_cm), "1 to 6 heights")
    if data.medium.startswith(OWN):
        own = (
            site.own_media.filter(pk=data.medium.removeprefix(OWN) or 0).first() if data.medium[4:].isdigit() else None
        )
        if own is None:
            raise OutOfRange("medium", data.medium, "a medium of the library or of this site")
        m = core_medium(own)
    else:
        m = medium(data.medium)
    columns = []
    for height in data.heights_cm:
        p = water_profile(height, m)
        columns.append(Column(height, p.height_cm.tolist(), p.theta.tolist(), p.capacity))
    usable = usable_water(data.volume_l, data.heights_cm[0], m) if data.volume_l else None
    low, high = min(data.heights_cm), max(data.heights_cm)
    wet, dry = (100 * capacity_from_height(h, m) for h in (low, high))
    sentence = f"{m.name}: {low:g} cm high it holds {wet:.1f} % after draining"
    if high > low:
        sentence += f", {high:g} cm high {dry:.1f} %: the taller it is, the further its top stands above the wet foot, and the more air it holds"
    return Profile(
        m.name, columns, data.volume_l,
        usable.at_capacity_l if usable else None, usable.easily_l if usable else None, usable.buffer_l if usable else None,
        sentence + ".",
    )  # fmt: skip
