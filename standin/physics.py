"""The simulated world: beds, probes, valves, pumps and the tank, moved on by any number of site seconds."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from reedcore.bedmodel import BedWater, advance, pore_ec_of, sub_steps
from reedcore.conductivity import bulk_ec_from_pore
from reedcore.crop import water_use_ml_per_plant_min
from reedcore.probe import Place, follow, permittivity_from_water_content, read_raw, response_at

from .holding import BedTruth, Holding
from .sky import Sky


@dataclass
class Actuator:
    """A valve or pump as its node keeps it: it runs the seconds of a numbered command and ends by itself."""

    last_number: int = 0
    left_s: float = 0.0
    ran_s: float = 0.0
    delivered_ml: float = 0.0
    starts: int = 0

    @property
    def on(self) -> bool:
        return self.left_s > 0

    def command(self, number: int, seconds: float) -> bool:
        """Take a command once; a number that was taken before does nothing. Zero seconds closes at once."""
        if number == self.last_number:
            return False
        self.last_number = number
        # A pump that already runs for another bed is not cut short by a shorter order.
        self.left_s = max(self.left_s, seconds) if seconds > 0 else 0.0
        if seconds > 0:
            self.ran_s, self.delivered_ml, self.starts = 0.0, 0.0, self.starts + 1
        return True

    def off(self) -> None:
        self.left_s = 0.0

    def run(self, seconds: float) -> float:
        """Let time pass; seconds of it that the device was on."""
        ran = min(self.left_s, seconds)
        self.left_s -= ran
        self.ran_s += ran
        return ran


@dataclass
class BedNow:
    truth: BedTruth
    water: BedWater
    seen: float
    drain_ml: float
    valve: Actuator
    place: Place = Place.BED
    last_raw: float = float("nan")


class World:
    """Everything physical of the demo holding."""

    def __init__(self, holding: Holding, start: dict[str, Any]) -> None:
        self.holding, self.sky = holding, Sky(holding)
        self.rng = np.random.default_rng(start.get("seed", 1))
        self.now = datetime.fromisoformat(start["end"])
        self.tank_l, self.filling = float(start["tank_l"]), False
        self.pumps = {
            p["name"]: Actuator(**start.get("pumps", {}).get(p["name"], {})) for p in holding.definition["pumps"]
        }
        self.contacts = {
            c["name"]: Actuator(**start.get("contacts", {}).get(c["name"], {}))
            for c in holding.definition.get("contacts", [])
        }
        self.flow_l_min = dict.fromkeys(self.pumps, 0.0)
        self.beds: dict[str, BedNow] = {}
        for truth in holding.beds:
            b = start["beds"][truth.name]
            seen = b.get("seen", b["theta"] * truth.probe.contact)
            self.beds[truth.name] = BedNow(
                truth,
                BedWater(b["theta"], b["salt"]),
                seen,
                b["drain_ml"],
                Actuator(**b.get("valve", {})),
                Place(b.get("place", "bed")),
            )

    def as_record(self) -> dict[str, Any]:
        """The state to keep between starts, in the shape of history.json."""
        return {
            "end": self.now.isoformat(),
            "tank_l": self.tank_l,
            "seed": int(self.rng.integers(1 << 31)),
            "pumps": {n: vars(p) for n, p in self.pumps.items()},
            "contacts": {n: vars(c) for n, c in self.contacts.items()},
            "beds": {
                n: {
                    "theta": float(b.water.theta),
                    "salt": float(b.water.salt),
                    "seen": b.seen,
                    "drain_ml": b.drain_ml,
                    "valve": vars(b.valve),
                    "place": b.place.value,
                }
                for n, b in self.beds.items()
            },
        }

    def advance_to(self, now: datetime) -> None:
        """Move the world on. A clock set back moves nothing; hours of standstill are caught up in model steps."""
        seconds = (now - self.now).total_seconds()
        if seconds <= 0:
            return
        for step in sub_steps(min(seconds, 6 * 3600)):
            self._step(step)
            self.now += timedelta(seconds=step)
        self.now = now

    def _step(self, seconds: float) -> None:
        pumping = {name: pump.run(seconds) for name, pump in self.pumps.items()}
        open_s = {name: contact.run(seconds) for name, contact in self.contacts.items()}
        for contact in self.holding.definition.get("contacts", []):
            drained = contact.get("drains_l_min", 0.0) * open_s[contact["name"]] / 60
            self.tank_l = max(0.0, self.tank_l - drained)
        flow = dict.fromkeys(self.pumps, 0.0)
        for bed in self.beds.values():
            litres = self._step_bed(bed, seconds, pumping)
            flow[bed.truth.definition["pump"]] += litres
        for name, litres in flow.items():
            self.flow_l_min[name] = litres / seconds * 60
        self._step_tank(seconds, sum(flow.values()))

    def _step_bed(self, bed: BedNow, seconds: float, pumping: dict[str, float]) -> float:
        d = bed.truth.definition
        filled_before = min(bed.valve.ran_s, d["line_fill_s"])
        opened = bed.valve.run(seconds)
        # Water flows while valve and pump are both on; dripping begins once the line is full.
        wet = min(opened, pumping[d["pump"]]) if self.tank_l > 0 else 0.0
        dripping = max(0.0, wet - (d["line_fill_s"] - filled_before))
        share = self._delivered_share(bed.truth)
        rate = (d["tested_flow_ml_min"] or d["rated_flow_ml_min"]) / 60
        dose = dripping * rate * share
        bed.valve.delivered_ml += dose
        light, _, _, _, vpd = self.sky.climate_at(bed.truth.house, self.now)
        demand = float(water_use_ml_per_plant_min(bed.truth.crop, np.float64(light), np.float64(vpd))) * seconds / 60
        bed.water, flows = advance(bed.water, bed.truth.physics, dose, self._feed(bed.truth), demand)
        bed.drain_ml += flows.drain_ml
        self._step_probe(bed, seconds)
        return wet * rate * share * d["plants"] / 1000

    def _step_probe(self, bed: BedNow, seconds: float) -> None:
        probe = bed.truth.probe
        goal = response_at(bed.place, probe, bed.water.theta, bed.truth.medium.dry_mix_theta, bed.truth.capacity)
        # Moved between media the rods settle in seconds; in the bed the water itself takes minutes to reach them.
        far = abs(goal - bed.seen) > 0.12
        lag = probe.lag_s if bed.place is Place.BED and not far else probe.bench_lag_s
        bed.seen = follow(bed.seen, goal, seconds, lag)

    def _delivered_share(self, truth: BedTruth) -> float:
        return float(
            next((e["delivered_share"] for e in truth.definition.get("events", []) if "delivered_share" in e), 1.0)
        )

    def _feed(self, truth: BedTruth) -> float:
        events = truth.definition.get("events", [])
        return float(
            next((e["feed_ec_ms_cm"] for e in events if "feed_ec_ms_cm" in e), truth.definition["feed_ec_ms_cm"])
        )

    def _step_tank(self, seconds: float, drawn_l: float) -> None:
        d = self.holding.definition["tank"]
        self.filling = self.tank_l < d["refill_below_l"] or (self.filling and self.tank_l < d["refill_to_l"])
        refill = d["refill_l_min"] * seconds / 60 if self.filling else 0.0
        self.tank_l = min(d["capacity_l"], max(0.0, self.tank_l - drawn_l + refill))
        if self.tank_l <= 0:
            # The node's own level switch: no pump runs dry, whatever the server says.
            for pump in self.pumps.values():
                pump.off()

    def bed_values(self, name: str) -> dict[str, float]:
        """What a bed's probe and drain gauge read now."""
        bed = self.beds[name]
        bed.last_raw = read_raw(bed.truth.probe, bed.seen, self.rng, bed.last_raw)
        air = self.sky.climate_at(bed.truth.house, self.now)[1]
        epsilon = permittivity_from_water_content(bed.water.theta)
        bulk = float(bulk_ec_from_pore(float(pore_ec_of(bed.water, bed.truth.physics)), epsilon, air - 0.8))
        return {
            "raw": bed.last_raw if not math.isnan(bed.last_raw) else 65535.0,
            "permittivity": epsilon + self.rng.normal(0, 0.08),
            "bulk_ec": max(0.0, bulk + self.rng.normal(0, 0.004)),
            "medium_temp": air - 0.8,
            "drain": bed.drain_ml,
        }

    def house_values(self, name: str) -> dict[str, float]:
        light, air, humidity, leaf, _ = self.sky.climate_at(name, self.now)
        jitter = self.rng.normal(0, 0.04, 3)
        return {
            "air_temp": air + jitter[0],
            "humidity": min(100.0, max(0.0, humidity + 5 * jitter[1])),
            "leaf_temp": leaf + jitter[2],
            "radiation": light,
        }
