"""The hands of a stand-in: where its sensor can be put at the bench, and what the stand-in's scale shows."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.http import Http404

from common.clock import site_now
from fitting.models import Channel
from places.beds import capacity_of, volume_of
from places.substrates import medium_of
from reedcore.methods import CalibrationMethod
from reedcore.standards import standards
from reedcore.weighing import mass_from_water_content

TARE_G, DENSITY_G_L = 340.0, 120.0
"""The stand-in's bench pot, and what a litre of its dry medium weighs."""
BENCH_C = 20.0


@dataclass
class PlaceChoice:
    place: str
    label: str


@dataclass
class Hands:
    """Where a stand-in's sensor is and can be put."""

    channel: int
    place: str
    choices: list[PlaceChoice]
    scale: bool


def hands_of(channel: Channel, way: CalibrationMethod) -> Hands | None:
    """The places that suit a method; None for a real sensor. Probes of the demo have their own bench control."""
    if not channel.node.is_standin:
        return None
    return Hands(
        channel.pk,
        channel.standin_place,
        [*_choices(channel, way), PlaceChoice("bed", "back in its place")],
        way.code == "weighed",
    )


def _choices(channel: Channel, way: CalibrationMethod) -> list[PlaceChoice]:
    if way.code in ("weighed", "refractive"):
        top = capacity_of(channel.bed) if channel.bed else 0.8
        dry = medium_of(channel.bed).dry_mix_theta if channel.bed else 0.05
        steps = np.linspace(dry, top, 6)
        return [PlaceChoice(f"pot {t:.3f}", f"in the pot, {k} of 5 cans of water") for k, t in enumerate(steps)]
    if way.code == "air_water":
        return [PlaceChoice("first", "in air"), PlaceChoice("water", "in water")]
    if channel.quantity in ("raw", "permittivity"):
        return [PlaceChoice("dry_mix", "in dry mix"), PlaceChoice("drained_mix", "in soaked and drained mix")]
    family = {"feed_ec": "ec", "bulk_ec": "ec", "ph": "ph", "humidity": "humidity"}.get(channel.quantity)
    if family is not None:
        known = [s for s in standards().values() if s.family == family]
        return [PlaceChoice(f"std {s.at(BENCH_C):g}", f"in {s.name}, {BENCH_C:g} °C") for s in known]
    values = {
        "medium_temp": (0, 25), "air_temp": (0, 25), "leaf_temp": (0, 25), "co2": (425,), "nitrate": (100, 1000), "potassium": (50, 500),
        "par": (200, 800), "radiation": (150, 600), "suction": (0, 20), "distance": (40, 90), "drain_weight": (0, 2000),
    }  # fmt: skip
    return [PlaceChoice(f"std {v}", f"where it truly is {v}") for v in values.get(channel.quantity, ())]


@dataclass
class Weighed:
    grams: float
    at: datetime
    container_g: float
    dry_g: float
    volume_l: float


def weigh(channel: Channel) -> Weighed:
    """What the stand-in's scale shows under the bench pot, good to 2 g; and the pot's own figures. 404 for a real sensor."""
    if not channel.node.is_standin or not channel.standin_place.startswith("pot "):
        raise Http404
    theta = float(channel.standin_place.split()[1])
    volume = min(5.0, volume_of(channel.bed)) if channel.bed else 4.0
    dry = round(DENSITY_G_L * volume)
    mass = mass_from_water_content(theta, dry, TARE_G, volume, BENCH_C)
    wobble = np.random.default_rng(int(theta * 1000) + channel.pk).normal(0, 2)
    return Weighed(round(mass + float(wobble)), site_now(channel.node.site), TARE_G, dry, volume)
