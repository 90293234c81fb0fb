"""A bed as the core wants it, and the figures that follow from its description."""

from functools import lru_cache

from reedcore.bedmodel import BedPhysics, starting_physics
from reedcore.containers import SIDES, Outline, Shape, container_volume_l, outline
from reedcore.crop import Crop
from reedcore.hydraulics import head_loss_m, solve_operating_point
from reedcore.programme import BedSetup
from reedcore.substrate import capacity_from_height, volume_per_plant_l

from .models import Bed, Pump
from .substrates import medium_of


def sides_of(bed: Bed) -> dict[str, float | None]:
    """Sides of the bed's container by name, None where not given."""
    return {side: getattr(bed, side) for side in SIDES[Shape(bed.shape)]}


def container_l(bed: Bed) -> float:
    """Litres of medium in one container. Raises OutOfRange naming the dimension that is missing or off."""
    return container_volume_l(Shape(bed.shape), sides_of(bed))


def outline_of(bed: Bed) -> Outline:
    """The bed's container seen from its side [cm]. Raises OutOfRange as container_l."""
    return outline(Shape(bed.shape), sides_of(bed))


def volume_of(bed: Bed) -> float:
    """Litres of medium per plant."""
    return volume_per_plant_l(container_l(bed), bed.plants_per_container)


def capacity_of(bed: Bed) -> float:
    """Container capacity [m3/m3] from the medium's retention curve and the height."""
    return capacity_from_height(bed.height_cm, medium_of(bed))


def main_loss_m(pump: Pump) -> float:
    """Head lost in the pump's main pipe at its rated flow [m]; 0 where it is not described."""
    if not (pump.main_length_m and pump.main_diameter_mm):
        return 0.0
    return head_loss_m(pump.flow_l_min, pump.main_diameter_mm, pump.main_length_m)


def friction_m(pump: Pump) -> float:
    """Head lost between pump and valves at its rated flow [m]."""
    return main_loss_m(pump) + pump.filter_loss_m + pump.injector_loss_m


def pump_flow_of(pump: Pump, dripper_head_m: float) -> float:
    """What a pump gives at the head of its beds [L/min]; its entered flow where the rated head is not known."""
    if pump.rated_head_m is None:
        return pump.flow_l_min
    static = pump.lift_m + dripper_head_m
    return _operating_flow(pump.flow_l_min, pump.rated_head_m, pump.shutoff_head_m, static, friction_m(pump))


# Every tick asks it again for every bed with the same numbers.
_operating_flow = lru_cache(maxsize=1024)(solve_operating_point)


def setup_of(bed: Bed) -> BedSetup:
    """The bed with its line, pump and tank, for decide and for checks of a programme."""
    pump = bed.pump
    return BedSetup(
        volume_l_per_plant=volume_of(bed),
        plants=bed.plants,
        capacity=capacity_of(bed),
        dry_limit=bed.dry_limit,
        saturation=medium_of(bed).theta_s,
        flow_ml_min_per_plant=bed.flow_ml_min,
        line_fill_s=bed.line_fill_s,
        pump_flow_l_min=pump_flow_of(pump, bed.dripper_head_m) if pump else 0.0,
        tank_empty_l=pump.tank.empty_l if pump else 0.0,
        medium=medium_of(bed),
    )


def crop_of(bed: Bed) -> Crop:
    return Crop(bed.leaf_area_index, bed.plants_per_m2)


def physics_of(bed: Bed, setup: BedSetup) -> BedPhysics:
    """Bed model constants of a bed, starting values."""
    return starting_physics(setup.volume_l_per_plant, setup.capacity, setup.dry_limit, bed.feed_ec_ms_cm)
