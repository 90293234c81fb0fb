"""A bed as the core wants it, and the figures that follow from its description."""

from reedcore.bedmodel import BedPhysics, starting_physics
from reedcore.crop import Crop
from reedcore.errors import OutOfRange
from reedcore.programme import BedSetup
from reedcore.substrate import capacity_from_height, medium, pot_volume_l, slab_volume_l, volume_per_plant_l

from .models import Bed, Shape


def container_l(bed: Bed) -> float:
    """Litres of medium in one container. Raises OutOfRange naming the dimension that is missing or off."""
    if bed.shape == Shape.SLAB:
        return slab_volume_l(_given(bed, "length_cm"), _given(bed, "width_cm"), bed.height_cm)
    return pot_volume_l(_given(bed, "top_diameter_cm"), _given(bed, "base_diameter_cm"), bed.height_cm)


def _given(bed: Bed, field: str) -> float:
    value = getattr(bed, field)
    if value is None:
        raise OutOfRange(field, None, f"a length in cm for a {Shape(bed.shape).label}")
    return float(value)


def volume_of(bed: Bed) -> float:
    """Litres of medium per plant."""
    return volume_per_plant_l(container_l(bed), bed.plants_per_container)


def capacity_of(bed: Bed) -> float:
    """Container capacity [m3/m3] from the medium's retention curve and the height."""
    return capacity_from_height(bed.height_cm, medium(bed.medium))


def setup_of(bed: Bed) -> BedSetup:
    """The bed with its line, pump and tank, for decide and for checks of a programme."""
    pump = bed.pump
    return BedSetup(
        volume_l_per_plant=volume_of(bed),
        plants=bed.plants,
        capacity=capacity_of(bed),
        dry_limit=bed.dry_limit,
        saturation=medium(bed.medium).theta_s,
        flow_ml_min_per_plant=bed.flow_ml_min,
        line_fill_s=bed.line_fill_s,
        pump_flow_l_min=pump.flow_l_min if pump else 0.0,
        tank_empty_l=pump.tank.empty_l if pump else 0.0,
    )


def crop_of(bed: Bed) -> Crop:
    return Crop(bed.leaf_area_index, bed.plants_per_m2)


def physics_of(bed: Bed, setup: BedSetup) -> BedPhysics:
    """Bed model constants of a bed, starting values."""
    return starting_physics(setup.volume_l_per_plant, setup.capacity, setup.dry_limit, bed.feed_ec_ms_cm)
