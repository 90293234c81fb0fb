"""How near the benches come to a hidden truth: random probes, media and faults from one seed. Used by a test and by reed bench."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reedcore.bedmodel import run_bed, starting_physics, water_at
from reedcore.calibration import CalibrationPoint, steadiness, two_point_calibration
from reedcore.conductivity import bulk_ec_from_pore, pore_ec_from_bulk
from reedcore.curves import Curve, Form, value_from_curve
from reedcore.electrodes import cell_from_standards, fit_epsilon_dry
from reedcore.fits import compare_fits
from reedcore.flags import FlagRules
from reedcore.gain import GivenPulse
from reedcore.probe import Fault, Place, Probe, RawCurve, follow, raw_from_water_content, response_at, series_raw
from reedcore.sense import Judgement, Record, Sign, Trust, judge_record
from reedcore.standards import standard
from reedcore.substrate import Medium, capacity_from_height, media
from reedcore.weighing import mass_from_water_content, water_content_from_mass

SEED, PROBES, FAULTS = 20261125, 200, 200
EVERY_S = 5.0


@dataclass(frozen=True)
class Hidden:
    """What the bench does not know: the probe, its medium and what it truly holds when drained."""

    probe: Probe
    medium: Medium
    height_cm: float
    capacity: float
    span_raw: float


def hidden_probe(rng: np.random.Generator) -> Hidden:
    """Either sense, spans of 8,000 to 25,000 counts, curves bent by up to 20 %, contact 0.82 to 1, noise 0.02 to 0.2 % of
    the span, a medium of the library whose capacity is one point (sd) off the starting value."""
    span = float(rng.uniform(8000, 25000)) * float(rng.choice([-1, 1]))
    low_end = float(rng.uniform(1000, 9000))
    air = low_end if span > 0 else low_end - span
    curve = RawCurve(air, air + span, float(np.clip(rng.normal(0, 0.08), -0.2, 0.2)))
    probe = Probe(curve, noise_raw=abs(span) * float(rng.uniform(0.0002, 0.002)), contact=float(rng.uniform(0.82, 1.0)))
    medium = list(media().values())[int(rng.integers(len(media())))]
    height = float(rng.uniform(6, 25))
    capacity = capacity_from_height(height, medium) + float(rng.normal(0, 0.01))
    return Hidden(probe, medium, height, capacity, abs(span))


def capture(h: Hidden, response: float, rng: np.random.Generator, start: float = 0.0) -> tuple[float, float]:
    """Wait at the bench until the reading is judged steady; its mean and scatter."""
    times, raws, seen = [], [], start
    for k in range(240):
        seen = follow(seen, response, EVERY_S, h.probe.bench_lag_s)
        times.append(k * EVERY_S)
        raws.append(raw_from_water_content(seen, h.probe.curve) + float(rng.normal(0, h.probe.noise_raw)))
        if k >= 12 and k % 4 == 0:
            steady = steadiness(np.array(times[-40:]), np.array(raws[-40:]), h.span_raw)
            if steady.steady:
                return steady.mean, steady.noise
    raise AssertionError("never steady")


def two_point_errors(rng: np.random.Generator) -> np.ndarray:
    """Errors of θ [points] over the working range after the two-point bench, the wet point as proposed."""
    h = hidden_probe(rng)
    dry_theta = h.medium.dry_mix_theta
    dry = capture(h, response_at(Place.DRY_MIX, h.probe, 0, dry_theta, h.capacity), rng)
    wet = capture(h, response_at(Place.DRAINED_MIX, h.probe, 0, dry_theta, h.capacity), rng)
    proposed = capacity_from_height(h.height_cm, h.medium)
    line = two_point_calibration(CalibrationPoint(*dry, dry_theta), CalibrationPoint(*wet, proposed), h.span_raw)
    curve = Curve(Form.LINEAR, (line.intercept, line.slope), min(dry[0], wet[0]), max(dry[0], wet[0]))
    return errors_over_range(h, curve)


def errors_over_range(h: Hidden, curve: Curve) -> np.ndarray:
    theta = np.linspace(0.5 * h.capacity, h.capacity, 25)
    raw = np.array([raw_from_water_content(t * h.probe.contact, h.probe.curve) for t in theta])
    return 100 * (np.asarray(value_from_curve(raw, curve)) - theta)


def weighed_errors(rng: np.random.Generator) -> np.ndarray:
    """The same after a weighed series of seven: scale good to 2 g, volume known to 0.3 %."""
    h = hidden_probe(rng)
    volume, dry_g, tare = 4.0, 480.0, 320.0
    raws, thetas = [], []
    for truth in np.linspace(h.medium.dry_mix_theta, h.capacity, 7):
        raw, _ = capture(h, truth * h.probe.contact, rng)
        mass = mass_from_water_content(truth, dry_g, tare, volume) + float(rng.normal(0, 2))
        raws.append(raw)
        thetas.append(water_content_from_mass(mass, dry_g, tare, volume * (1 + float(rng.normal(0, 0.003)))))
    return errors_over_range(h, compare_fits(raws, thetas).best.curve)


def pore_errors(rng: np.random.Generator) -> float:
    """Error of pore-water conductivity [%] after two standards and one poured-through sample."""
    share, offset = float(rng.uniform(0.85, 1.15)), float(rng.uniform(-0.02, 0.02))
    epsilon_dry = 4.1 + float(rng.normal(0, 0.8))

    def reads(true: float) -> float:
        return (true - offset) / share * (1 + float(rng.normal(0, 0.004)))

    codes, temps = ("kcl_001", "kcl_01"), rng.uniform(16, 28, 2)
    true = [standard(c).at(float(t)) for c, t in zip(codes, temps, strict=True)]
    cell = cell_from_standards([reads(v) for v in true], true)

    def seen(pore: float, eps: float, temp: float) -> tuple[float, float]:
        bulk = float(bulk_ec_from_pore(pore, eps, temp, epsilon_dry))
        return float(value_from_curve(reads(bulk), cell.curve)), eps * (1 + float(rng.normal(0, 0.01)))

    pore, eps, temp = float(rng.uniform(2, 4)), float(rng.uniform(30, 48)), float(rng.uniform(17, 25))
    bulk, read_eps = seen(pore, eps, temp)
    own = fit_epsilon_dry(bulk, read_eps, temp, pore * (1 + float(rng.normal(0, 0.02))))
    pore, eps, temp = float(rng.uniform(1.5, 6)), float(rng.uniform(25, 50)), float(rng.uniform(16, 26))
    bulk, read_eps = seen(pore, eps, temp)
    return 100 * (float(pore_ec_from_bulk(bulk, read_eps, temp, own)) / pore - 1)


NAMES = {
    "stuck": {Sign.STUCK, Sign.NEVER_MOVES},
    "drift": {Sign.DRIFT_APART, Sign.OUTSIDE_SPAN, Sign.ABOVE_PORE_SPACE, Sign.BELOW_ZERO},
    "lost_contact": {Sign.LOST_CONTACT},
    "wrong_span": {Sign.GAIN, Sign.ABOVE_PORE_SPACE, Sign.OUTSIDE_SPAN, Sign.SPAN_TOO_WIDE, Sign.DRIFT_APART},
    "dead": {Sign.NO_DATA},
    "noisy": {Sign.NOISY, Sign.SPIKY},
    "spikes": {Sign.SPIKY},
    "rail": {Sign.RAILED},
}


def bed_day(rng: np.random.Generator, h: Hidden) -> tuple[np.ndarray, list[GivenPulse], float]:
    """θ of a bed over a day at one-minute steps under pulses, the pulses with what drained, and its volume."""
    volume = float(rng.uniform(2.5, 8))
    physics = starting_physics(volume, h.capacity, 0.55 * h.capacity, 2.4)
    minutes = np.arange(1440)
    light = np.maximum(0, np.sin((minutes - 330) / 900 * np.pi)) * (minutes > 330) * (minutes < 1230)
    demand = light * float(rng.uniform(0.45, 0.9)) * volume
    dose = np.zeros(1440)
    size, at = float(rng.uniform(0.025, 0.05)) * volume * 1000, int(rng.integers(440, 500))
    starts = []
    while at < 1090:
        dose[at : at + 3] = size / 3
        starts.append(at)
        at += int(rng.integers(45, 75))
    run = run_bed(water_at(h.capacity - 0.04, 2.8, physics), physics, dose, 2.4, demand)
    pulses = [GivenPulse(60.0 * (s + 3), size, float(run.drain_ml[s : s + 30].sum())) for s in starts]
    return run.theta, pulses, volume


def fault_of(rng: np.random.Generator, kind: str, h: Hidden, theta: np.ndarray) -> np.ndarray:
    """The day's raw readings of a probe with a fault that begins in its first half."""
    raw = series_raw(h.probe, theta, 60.0, rng)
    begin = int(rng.integers(300, 620))
    if kind == "stuck":
        raw[begin:] = raw[begin]
    elif kind == "drift":
        rise = float(rng.choice([-1, 1])) * float(rng.uniform(0.08, 0.2)) * h.span_raw
        raw[begin:] += np.linspace(0, rise, 1440 - begin)
    elif kind == "lost_contact":
        raw[begin:] = h.probe.curve.raw_air + rng.normal(0, h.probe.noise_raw, 1440 - begin)
    elif kind == "wrong_span":
        share = float(rng.choice([0.35, 0.45, 1.9, 2.4]))
        raw = h.probe.curve.raw_air + (raw - h.probe.curve.raw_air) * share
    elif kind == "dead":
        raw[begin:] = np.nan
    elif kind == "noisy":
        raw[begin:] += rng.normal(0, 12 * h.probe.noise_raw, 1440 - begin)
    elif kind == "spikes":
        where = rng.choice(np.arange(begin, 1440), 45, replace=False)
        raw[where] += rng.choice([-1, 1], 45) * 0.15 * h.span_raw
    elif kind == "rail":
        raw[begin:] = 65535.0
    return np.clip(raw, 0, 65535)


def judged_day(rng: np.random.Generator, kind: str | None) -> Judgement:
    """A day of a probe, healthy (None) or at fault, calibrated by the two-point bench, with a healthy neighbour."""
    h, neighbour = hidden_probe(rng), hidden_probe(rng)
    theta, pulses, volume = bed_day(rng, h)
    dry = capture(h, h.medium.dry_mix_theta * h.probe.contact, rng)
    wet = capture(h, h.capacity * h.probe.contact, rng)
    proposed = capacity_from_height(h.height_cm, h.medium)
    line = two_point_calibration(
        CalibrationPoint(*dry, h.medium.dry_mix_theta), CalibrationPoint(*wet, proposed), h.span_raw
    )
    curve = Curve(Form.LINEAR, (line.intercept, line.slope), min(dry[0], wet[0]), max(dry[0], wet[0]))
    raw = series_raw(h.probe, theta, 60.0, rng) if kind is None else fault_of(rng, kind, h, theta)
    bent = series_raw(neighbour.probe, theta, 60.0, rng)
    other = np.interp(bent, *_sorted(neighbour, theta)) + float(rng.normal(0, 0.02))
    record = Record(
        np.arange(1440) * 60.0,
        raw,
        1440 * 60.0,
        curve,
        max(dry[1], wet[1]),
        h.medium.theta_s,
        volume,
        tuple(pulses),
        other,
    )
    return judge_record(record, rules_of(h))


def _sorted(h: Hidden, theta: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The neighbour's raw to θ, as its own weighed calibration would have it."""
    grid = np.linspace(0, 1, 60)
    raw = np.array([raw_from_water_content(t * h.probe.contact, h.probe.curve) for t in grid])
    order = np.argsort(raw)
    return raw[order], grid[order]


def rules_of(h: Hidden) -> FlagRules:
    """The rules a capacitive rod gets from its span and its reading in air."""
    return FlagRules(
        0,
        65535,
        0.5,
        65534.5,
        0.2 * h.span_raw,
        0.06 * h.span_raw,
        3600,
        900,
        3600,
        h.probe.curve.raw_air,
        0.02 * h.span_raw,
    )


@dataclass(frozen=True)
class Accuracy:
    """Figures of docs/accuracy.md."""

    two_point_rmse: float
    two_point_95: float
    weighed_rmse: float
    weighed_95: float
    pore_rms_pct: float
    pore_95_pct: float
    named: dict[str, tuple[int, int]]
    healthy_doubted: int
    healthy: int

    @property
    def named_share(self) -> float:
        return sum(n for n, _ in self.named.values()) / sum(t for _, t in self.named.values())


def measure(probes: int = PROBES, faults: int = FAULTS, seed: int = SEED) -> Accuracy:
    """All figures from one seed."""
    rng = np.random.default_rng(seed)
    two = np.array([two_point_errors(rng) for _ in range(probes)])
    weighed = np.array([weighed_errors(rng) for _ in range(probes)])
    pore = np.array([pore_errors(rng) for _ in range(probes)])
    kinds = list(NAMES)
    named = {k: [0, 0] for k in kinds}
    for i in range(faults):
        kind = kinds[i % len(kinds)]
        judged = judged_day(rng, kind)
        named[kind][1] += 1
        named[kind][0] += judged.trust is not Trust.TRUSTED and any(f.sign in NAMES[kind] for f in judged.findings)
    healthy = [judged_day(rng, None).trust is not Trust.TRUSTED for _ in range(faults)]
    return Accuracy(
        rms(two), worst_95(two), rms(weighed), worst_95(weighed), rms(pore), float(np.quantile(np.abs(pore), 0.95)),
        {k: (v[0], v[1]) for k, v in named.items()}, sum(healthy), len(healthy),
    )  # fmt: skip


def rms(errors: np.ndarray) -> float:
    return float(np.sqrt(np.mean(errors**2)))


def worst_95(errors: np.ndarray) -> float:
    """95th percentile of the RMSE of single probes."""
    return float(np.quantile(np.sqrt(np.mean(errors**2, axis=1)), 0.95))


assert {f.value for f in (Fault.STUCK, Fault.DRIFT, Fault.LOST_CONTACT, Fault.WRONG_SPAN, Fault.DEAD)} <= set(NAMES)


if __name__ == "__main__":
    print(measure())
