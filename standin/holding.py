"""The demo holding as the stand-in knows it: beds, and the truth behind probes and drippers."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from reedcore.bedmodel import BedPhysics, starting_physics
from reedcore.crop import Crop
from reedcore.probe import Probe, RawCurve
from reedcore.programme import BedSetup
from reedcore.substrate import Medium, capacity_from_height, medium, pot_volume_l, proposed_dry_limit, slab_volume_l

DEFINITION = Path(__file__).resolve().parent.parent / "data" / "heron_quay_glass.json"


@dataclass(frozen=True)
class BedTruth:
    """A bed as it really is."""

    name: str
    house: str
    definition: dict[str, Any]
    medium: Medium
    volume_l: float
    capacity: float
    dry_limit: float
    crop: Crop
    probe: Probe

    @property
    def physics(self) -> BedPhysics:
        return starting_physics(self.volume_l, self.capacity, self.dry_limit, self.definition["feed_ec_ms_cm"])

    def setup(self, pump_flow_l_min: float, tank_empty_l: float) -> BedSetup:
        d = self.definition
        flow = d["tested_flow_ml_min"] or d["rated_flow_ml_min"]
        return BedSetup(
            self.volume_l,
            d["plants"],
            self.capacity,
            self.dry_limit,
            self.medium.theta_s,
            flow,
            d["line_fill_s"],
            pump_flow_l_min,
            tank_empty_l,
        )


class Holding:
    """The definition file, read once."""

    def __init__(self, path: Path = DEFINITION) -> None:
        self.definition: dict[str, Any] = json.loads(path.read_text())
        self.zone = ZoneInfo(self.definition["site"]["time_zone"])
        self.beds = [_bed(house["name"], bed) for house in self.definition["houses"] for bed in house["beds"]]

    @property
    def start(self) -> datetime:
        """The demo clock's first moment."""
        return self.local(self.definition["start_local"])

    def local(self, text: str) -> datetime:
        """A local time of the definition as an aware one."""
        return datetime.fromisoformat(text).replace(tzinfo=self.zone)

    def house(self, name: str) -> dict[str, Any]:
        return next(h for h in self.definition["houses"] if h["name"] == name)

    def pump(self, name: str) -> dict[str, Any]:
        return next(p for p in self.definition["pumps"] if p["name"] == name)


def probe_of(definition: dict[str, Any]) -> Probe:
    """A probe's truth from its definition."""
    t = definition["truth"]
    return Probe(RawCurve(t["raw_air"], t["raw_water"], t["bend"]), t["noise"], contact=t["contact"])


def _bed(house: str, d: dict[str, Any]) -> BedTruth:
    m = medium(d["medium"])
    if d["shape"] == "slab":
        container = slab_volume_l(d["length_cm"], d["width_cm"], d["height_cm"])
    else:
        container = pot_volume_l(d["top_diameter_cm"], d["base_diameter_cm"], d["height_cm"])
    capacity = capacity_from_height(d["height_cm"], m)
    return BedTruth(
        d["name"],
        house,
        d,
        m,
        container / d["plants_per_container"],
        capacity,
        round(proposed_dry_limit(capacity), 3),
        Crop(d["leaf_area_index"], d["plants_per_m2"]),
        probe_of(d["probe"]),
    )
