"""Fourteen days of one-minute history of the demo holding, made by the bed model. Deterministic."""

from __future__ import annotations

import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from reedcore.bedmodel import BedWater, water_at
from reedcore.conductivity import bulk_ec_from_pore
from reedcore.crop import water_use_ml_per_plant_min
from reedcore.probe import REFRACTIVE_A, REFRACTIVE_B, Probe, series_raw
from reedcore.programme import BedSetup, Programme
from reedcore.programme_json import programme_as_json, with_paths
from reedcore.reasons import BedState
from reedcore.schools import propose_programme
from reedcore.simulate import SimulatedDay, Surroundings, simulate

from .holding import BedTruth, Holding, probe_of
from .sky import Sky


@dataclass
class BedHistory:
    """A bed's record: arrays of shape (minutes,), pulses, decisions, and the state it ends in."""

    programme: Programme
    theta: np.ndarray
    pore_ec: np.ndarray
    drain_ml: np.ndarray
    pulses: list[dict[str, Any]] = field(default_factory=list)
    decisions: list[dict[str, Any]] = field(default_factory=list)
    water: BedWater = field(default_factory=lambda: BedWater(0.0, 0.0))
    state: BedState | None = None


class HistoryMaker:
    def __init__(self, holding: Holding) -> None:
        self.holding = holding
        self.sky = Sky(holding)
        self.end = holding.start
        self.start = self.sky.midnight((self.end - timedelta(days=holding.definition["history_days"])).date())
        self.minutes = int((self.end - self.start).total_seconds() // 60)
        self.rng = np.random.default_rng(holding.definition["seed"])

    def climate(self, house: str) -> dict[str, np.ndarray]:
        """Climate of a house over the whole history, one value a minute."""
        days = [
            self.sky.climate_of_day(house, (self.start + timedelta(days=i)).date())
            for i in range(self.holding.definition["history_days"] + 1)
        ]
        return {
            name: np.concatenate([getattr(c, name) for c in days])[: self.minutes]
            for name in ("radiation_w_m2", "air_temp_c", "humidity_pct", "leaf_temp_c", "vpd_kpa")
        }

    def bed(self, bed: BedTruth, climate: dict[str, np.ndarray]) -> BedHistory:
        """Run a bed through its history, segment by segment between the events set on it."""
        d = self.holding.definition
        setup = bed.setup(self.holding.pump(bed.definition["pump"])["flow_l_min"], d["tank"]["empty_l"])
        demand = water_use_ml_per_plant_min(bed.crop, climate["radiation_w_m2"], climate["vpd_kpa"])
        peak = float(max(demand[i : i + 1440].sum() for i in range(0, self.minutes - 1440, 1440)))
        programme = propose_programme(setup, peak * 1.15).programme
        programme = with_paths(programme, {k: v for k, v in bed.definition["programme"].items() if k != "publish"})
        theta = programme.high - 0.01
        water = water_at(theta, bed.definition["feed_ec_ms_cm"] * 1.3, bed.physics)
        sunrise, sunset = self.sky.sun_times(self.start.date())
        state = BedState(setup, theta, self.start, sunrise, sunset, self.start, tank_l=1e6)
        parts: list[SimulatedDay] = []
        for first, last, event in self._segments(bed):
            state = replace(state, stopped=bool(event.get("stopped", False)))
            part = self._run(bed, programme, setup, state, water, demand, first, last, event)
            parts.append(part)
            water, state = part.end_water, part.end_state
        return _joined(programme, parts, bool(bed.definition["programme"].get("publish", True)))

    def _run(
        self,
        bed: BedTruth,
        programme: Programme,
        setup: BedSetup,
        state: BedState,
        water: BedWater,
        demand: np.ndarray,
        first: int,
        last: int,
        event: dict[str, Any],
    ) -> SimulatedDay:
        begin = self.start + timedelta(minutes=first)
        midnight = self.sky.midnight(begin.date())
        days = (self.end - midnight).days + 2
        sun = [self.sky.sun_times((midnight + timedelta(days=i, hours=12)).date()) for i in range(days)]
        around = Surroundings(
            begin, demand[first:last], sun, midnight, event.get("feed_ec_ms_cm", bed.definition["feed_ec_ms_cm"])
        )
        return simulate(programme, state, water, bed.physics, around, event.get("delivered_share", 1.0))

    def _segments(self, bed: BedTruth) -> list[tuple[int, int, dict[str, Any]]]:
        cuts: list[tuple[int, dict[str, Any]]] = [(0, {})]
        for event in bed.definition.get("events", []):
            at = self._event_time(event)
            cuts.append((int((at - self.start).total_seconds() // 60), event))
        ends = [c[0] for c in cuts[1:]] + [self.minutes]
        return [(c[0], e, c[1]) for c, e in zip(cuts, ends, strict=True)]

    def _event_time(self, event: dict[str, Any]) -> datetime:
        if "from_local" in event:
            return self.holding.local(event["from_local"])
        return self.end - timedelta(days=event["from_days"])

    def probe_tracks(
        self, bed: BedTruth, history: BedHistory, climate: dict[str, np.ndarray], probe: Probe
    ) -> dict[str, np.ndarray]:
        """Raw counts, permittivity, bulk conductivity and temperature as the probe reports them."""
        raw = series_raw(probe, history.theta, 60, self.rng)
        temp = _smooth(climate["air_temp_c"], 90) - 0.8 + self.rng.normal(0, 0.03, self.minutes)
        epsilon = ((history.theta + REFRACTIVE_B) / REFRACTIVE_A) ** 2
        bulk = bulk_ec_from_pore(history.pore_ec, epsilon, temp)
        return {
            "raw": raw,
            "permittivity": epsilon + self.rng.normal(0, 0.08, self.minutes),
            "bulk_ec": np.clip(bulk + self.rng.normal(0, 0.004, self.minutes), 0, None),
            "medium_temp": temp,
        }


def _smooth(values: np.ndarray, steps: int) -> np.ndarray:
    padded = np.concatenate([np.full(steps - 1, values[0]), values])
    return np.convolve(padded, np.ones(steps) / steps, mode="valid")


def _joined(programme: Programme, parts: list[SimulatedDay], automatic: bool) -> BedHistory:
    history = BedHistory(
        programme, *(np.concatenate([getattr(p, n) for p in parts]) for n in ("theta", "pore_ec_ms_cm", "drain_ml"))
    )
    for part in parts:
        for p in part.pulses:
            history.pulses.append({"at": p.at.isoformat(), "seconds": p.seconds, "dose_ml": p.dose_ml})
        for at, decision in part.changes if automatic else []:
            reasons = [{"why": r.why.value, "numbers": _known(r.numbers), "text": r.text} for r in decision.reasons]
            history.decisions.append(
                {
                    "at": at.isoformat(),
                    "action": decision.action.value,
                    "reasons": reasons,
                    "dose_ml": decision.dose_ml_per_plant,
                    "seconds": decision.seconds,
                }
            )
    history.water, history.state = parts[-1].end_water, parts[-1].end_state
    return history


def _known(numbers: dict[str, float]) -> dict[str, float | None]:
    return {k: v if -1e300 < v < 1e300 else None for k, v in numbers.items()}


def _with_trouble(maker: HistoryMaker, name: str, climate: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
    """The air shield in one-sided sun reads too warm in the morning, and so too dry."""
    shield = maker.holding.definition["trouble"]["air_shield"]
    if shield["house"] != name:
        return climate
    minute = np.arange(maker.minutes)
    hour = (minute % 1440) / 60
    wrong = (
        (hour >= shield["from_hour"]) & (hour < shield["to_hour"]) & (minute > maker.minutes - 1440 * shield["days"])
    )
    air = climate["air_temp_c"] + np.where(wrong & (climate["radiation_w_m2"] > 150), shield["bias_c"], 0.0)
    humidity = np.clip(climate["humidity_pct"] - np.where(wrong, 3.0 * shield["bias_c"], 0.0), 20, 100)
    return {**climate, "air_temp_c": air, "humidity_pct": humidity}


def tank_track(maker: HistoryMaker, drawn_l: np.ndarray) -> np.ndarray:
    """Litres in the day tank: drawn by the pulses, refilled by its float valve between two levels."""
    d = maker.holding.definition["tank"]
    level, filling = float(d["refill_to_l"]) - 500, False
    out = np.empty(maker.minutes)
    for i, drawn in enumerate(drawn_l.tolist()):
        filling = level < d["refill_below_l"] or (filling and level < d["refill_to_l"])
        level = max(0.0, level - drawn + (d["refill_l_min"] if filling else 0.0))
        out[i] = level
    return out


def pulse_flow(maker: HistoryMaker, bed: BedTruth, history: BedHistory) -> np.ndarray:
    """Litres a minute that a bed drew."""
    flow = np.zeros(maker.minutes + 60)
    setup_flow = (
        (bed.definition["tested_flow_ml_min"] or bed.definition["rated_flow_ml_min"]) * bed.definition["plants"] / 1000
    )
    for p in history.pulses:
        first = int((datetime.fromisoformat(p["at"]) - maker.start).total_seconds() // 60)
        left = p["seconds"] / 60
        while left > 0:
            flow[first] += setup_flow * min(1.0, left)
            first, left = first + 1, left - 1
    return flow[: maker.minutes]


def write_history(holding: Holding, folder: Path) -> None:
    """Make the history and write tracks.npz (arrays per channel) and history.json (pulses, decisions, end state)."""
    maker = HistoryMaker(holding)
    climates = {h["name"]: maker.climate(h["name"]) for h in holding.definition["houses"]}
    tracks: dict[str, np.ndarray] = {}
    beds: dict[str, Any] = {}
    flows = {p["name"]: np.zeros(maker.minutes) for p in holding.definition["pumps"]}
    with ProcessPoolExecutor(max_workers=2) as pool:
        histories = list(pool.map(_run_bed, [holding] * len(holding.beds), range(len(holding.beds))))
    for bed, history in zip(holding.beds, histories, strict=True):
        climate = climates[bed.house]
        for definition in (bed.definition["probe"], bed.definition.get("old_probe")):
            if definition:
                for quantity, values in maker.probe_tracks(bed, history, climate, probe_of(definition)).items():
                    tracks[f"probe:{definition['name']}:{quantity}"] = values
        drain = np.cumsum(history.drain_ml)
        tracks[f"bed:{bed.name}:drain"] = drain
        flows[bed.definition["pump"]] += pulse_flow(maker, bed, history)
        beds[bed.name] = _bed_record(bed, history, float(drain[-1]))
    for name, climate in climates.items():
        seen = _with_trouble(maker, name, climate)
        for quantity, column in (
            ("air_temp", "air_temp_c"),
            ("humidity", "humidity_pct"),
            ("leaf_temp", "leaf_temp_c"),
            ("radiation", "radiation_w_m2"),
        ):
            tracks[f"house:{name}:{quantity}"] = seen[column]
    for name, flow in flows.items():
        tracks[f"pump:{name}:flow"] = flow
    tank = tank_track(maker, sum(flows.values(), np.zeros(maker.minutes)))
    tracks["tank:tank"] = tank
    folder.mkdir(parents=True, exist_ok=True)
    np.savez(folder / "tracks.npz", **{k: v.astype(np.float64) for k, v in tracks.items()})
    record = {
        "start": maker.start.isoformat(),
        "end": maker.end.isoformat(),
        "minutes": maker.minutes,
        "beds": beds,
        "tank_l": float(tank[-1]),
    }
    (folder / "history.json").write_text(json.dumps(record))


def _run_bed(holding: Holding, index: int) -> BedHistory:
    maker = HistoryMaker(holding)
    bed = holding.beds[index]
    return maker.bed(bed, maker.climate(bed.house))


def _bed_record(bed: BedTruth, history: BedHistory, drain_ml: float) -> dict[str, Any]:
    assert history.state is not None
    state = history.state
    return {
        "programme": programme_as_json(history.programme),
        "pulses": history.pulses,
        "decisions": history.decisions,
        "dry_limit": bed.dry_limit,
        "capacity": bed.capacity,
        "dry_mix": bed.medium.dry_mix_theta,
        "theta": float(history.water.theta),
        "salt": float(history.water.salt),
        "drain_ml": drain_ml,
        "control": {
            "latched": state.memory.latched,
            "tries": state.memory.tries,
            "fault": state.memory.fault,
            "span": state.memory.span.value if state.memory.span else "",
            "span_since": state.memory.span_since.isoformat() if state.memory.span_since else None,
            "evening_theta": _known({"t": state.memory.evening_theta})["t"],
            "pulses_today": state.pulses_today,
            "given_today_ml": state.given_today_ml,
            "last_pulse_start": state.last_pulse_start.isoformat() if state.last_pulse_start else None,
            "last_pulse_end": state.last_pulse_end.isoformat() if state.last_pulse_end else None,
        },
    }
