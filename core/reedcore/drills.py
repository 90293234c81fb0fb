"""Practice: stand-in beds with a hidden fault. The learner looks, decides, and the reasoning is scored.

What each look shows is computed by the bed model with the fault in it, never typed.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .bedmodel import BedPhysics, run_bed, starting_physics, water_at
from .errors import OutOfRange


class Cause(StrEnum):
    BLOCKED = "blocked"
    DRY_CORNER = "dry_corner"
    SALT = "salt"
    WRONG_SPAN = "wrong_span"
    LEAK = "leak"
    DEAD_PUMP = "dead_pump"


CAUSES: dict[Cause, str] = {
    Cause.BLOCKED: "drippers are blocked",
    Cause.DRY_CORNER: "the probe stands in a dry corner",
    Cause.SALT: "salts have built up",
    Cause.WRONG_SPAN: "the probe's span is wrong",
    Cause.LEAK: "water is lost on the way",
    Cause.DEAD_PUMP: "the pump gives nothing",
}


class Remedy(StrEnum):
    CLEAN = "clean"
    MOVE = "move"
    LEACH = "leach"
    CALIBRATE = "calibrate"
    MEND_LINE = "mend_line"
    MEND_PUMP = "mend_pump"
    MORE_WATER = "more_water"


REMEDIES: dict[Remedy, str] = {
    Remedy.CLEAN: "clean or change drippers, then clear the fault",
    Remedy.MOVE: "set the probe at a typical place, and calibrate it there",
    Remedy.LEACH: "raise the wanted drain until drain and feed come together",
    Remedy.CALIBRATE: "calibrate it in its own substrate",
    Remedy.MEND_LINE: "shut the line, mend it, pressure off first",
    Remedy.MEND_PUMP: "keep the bed stopped, isolate the pump, have it mended",
    Remedy.MORE_WATER: "give more water until the probe shows its band",
}
RIGHT: dict[Cause, Remedy] = {
    Cause.BLOCKED: Remedy.CLEAN,
    Cause.DRY_CORNER: Remedy.MOVE,
    Cause.SALT: Remedy.LEACH,
    Cause.WRONG_SPAN: Remedy.CALIBRATE,
    Cause.LEAK: Remedy.MEND_LINE,
    Cause.DEAD_PUMP: Remedy.MEND_PUMP,
}


class Look(StrEnum):
    CUPS = "cups"
    WEIGH = "weigh"
    DRAIN = "drain"
    PORE = "pore"
    FLOW = "flow"
    TANK = "tank"
    SPAN = "span"
    NEIGHBOUR = "neighbour"


LOOKS: dict[Look, tuple[str, int]] = {
    Look.CUPS: ("catch cups under ten drippers for two minutes", 10),
    Look.WEIGH: ("weigh a container and work out its water", 10),
    Look.DRAIN: ("measure the drain of yesterday", 5),
    Look.PORE: ("squeeze a sample and measure its conductivity", 10),
    Look.FLOW: ("read the flow meter during the last pulse", 2),
    Look.TANK: ("compare what left the tank with what was dosed", 3),
    Look.SPAN: ("put the probe into drained mix of its own substrate", 20),
    Look.NEIGHBOUR: ("look at the bed beside it", 2),
}
"""What one can look at, and the minutes it takes."""
TELLING: dict[Cause, tuple[Look, ...]] = {
    Cause.BLOCKED: (Look.CUPS, Look.WEIGH),
    Cause.DRY_CORNER: (Look.WEIGH, Look.SPAN),
    Cause.SALT: (Look.PORE, Look.DRAIN),
    Cause.WRONG_SPAN: (Look.SPAN, Look.WEIGH),
    Cause.LEAK: (Look.TANK, Look.CUPS),
    Cause.DEAD_PUMP: (Look.FLOW, Look.TANK),
}
"""The looks that tell a fault from the others; either one of a pair narrows it, both settle it."""


@dataclass(frozen=True)
class DrillCase:
    """A bed with its hidden fault: story, θ as the probe shows it and θ as it is, a value every ten minutes of two days;
    pulses [minute, mL per plant]; low and high; what each look shows."""

    code: str
    cause: Cause
    story: str
    start: datetime
    seen: list[float]
    true: list[float]
    pulses: list[tuple[int, float]]
    low: float
    high: float
    evidence: dict[Look, str]
    record: str


STEP_MIN = 10
DOSE_ML = 120.0
FLOW_L_MIN = 6.3
LOW, HIGH = 0.72, 0.77
_STORIES = {
    Cause.BLOCKED: "The bed took all its tries this morning and is still under its low. A missed target is latched.",
    Cause.DRY_CORNER: "The probe has shown this bed far under its low since it was moved on Monday, however much it gets; the plants look well.",
    Cause.SALT: "The water content keeps to its band, yet the leaves are dark and small and growth has slowed for a week.",
    Cause.WRONG_SPAN: "The bed hangs in mid-scale: pulses move it by a point where four are expected, and it never comes to its high.",
    Cause.LEAK: "The bed dries faster than its neighbours, and the tank has to be filled more often since Tuesday.",
    Cause.DEAD_PUMP: "Pulses are ordered and confirmed by the node, and the bed falls all the same.",
}


def drill_codes() -> list[str]:
    """Codes of the drills; the code does not tell the fault."""
    return [f"drill-{i + 1}" for i in range(len(Cause))]


def cause_of(code: str, seed: int) -> Cause:
    """The fault behind a code: with another seed the order is another one. Raises OutOfRange."""
    codes = drill_codes()
    if code not in codes:
        raise OutOfRange("drill", code, "one of " + ", ".join(codes))
    order = np.random.default_rng(seed).permutation(len(Cause))
    return list(Cause)[int(order[codes.index(code)])]


def make_drill(code: str, seed: int) -> DrillCase:
    """A drill with its record and what each look would show. The same code and seed give the same drill."""
    cause = cause_of(code, seed)
    rng = np.random.default_rng([seed, list(Cause).index(cause)])
    physics = starting_physics(4.5, 0.81, 0.486, 2.4)
    minutes = 2880
    sound = float(rng.uniform(0.92, 1.0))
    delivered = {Cause.BLOCKED: 0.2, Cause.LEAK: 0.5, Cause.DEAD_PUMP: 0.0}.get(cause, 1.0) * sound
    arriving = np.where(np.arange(minutes) < 1440, sound, delivered)
    demand = _demand(minutes) * float(rng.uniform(0.9, 1.1))
    dose, pulses = _given(cause, physics, demand, arriving)
    feed = 3.4 if cause is Cause.SALT else 2.4
    start_theta, pore = 0.75, (5.2 if cause is Cause.SALT else 2.9)
    run = run_bed(water_at(start_theta, pore, physics), physics, dose * arriving, feed, demand)
    seen = _shown(cause, run.theta, rng)
    dosed, drained = float(dose[1440:].sum()), float(run.drain_ml[1440:].sum())
    drain_share = drained / dosed if dosed else 0.0
    evidence = _evidence(cause, delivered, run.theta, seen, drain_share, float(run.pore_ec_ms_cm[-1]), dosed, feed, rng)
    start = datetime(2026, 6, 16, tzinfo=UTC)
    every = slice(None, None, STEP_MIN)
    return DrillCase(
        code, cause, _STORIES[cause], start, [round(float(v), 4) for v in seen[every]], [round(float(v), 4) for v in run.theta[every]],
        pulses, LOW, HIGH, evidence, _record(cause, seen, pulses),
    )  # fmt: skip


def _demand(minutes: int) -> FloatArray:
    hour = (np.arange(minutes) / 60) % 24
    light = np.clip(np.sin(np.pi * (hour - 4.5) / 15.5), 0, None) * ((hour > 4.5) & (hour < 20))
    return 0.05 + 1.5 * light


def _given(
    cause: Cause, physics: BedPhysics, demand: FloatArray, arriving: FloatArray
) -> tuple[FloatArray, list[tuple[int, float]]]:
    """Doses of a bed that is watered by what a sound probe would show, with at most eight in a row."""
    theta, tries, soak = 0.75, 0, 0
    dose, pulses = np.zeros(len(demand)), []
    water = water_at(theta, 2.9, physics)
    latched = False
    for i in range(0, len(demand), STEP_MIN):
        hour = (i / 60) % 24
        tries = 0 if i % 1440 == 0 else tries
        shown = float(water.theta) if cause not in (Cause.DRY_CORNER, Cause.WRONG_SPAN) else 0.71
        latched = shown < LOW or (latched and shown < HIGH)
        limit = {Cause.DRY_CORNER: 13, Cause.WRONG_SPAN: 13}.get(
            cause, 8 if cause in (Cause.BLOCKED, Cause.DEAD_PUMP) else 60
        )
        if 6.5 < hour < 19 and latched and soak <= 0 and tries < limit:
            dose[i : i + 4] += DOSE_ML / 4
            pulses.append((i, DOSE_ML))
            tries, soak = tries + 1, 2
        soak -= 1
        if not latched:
            tries = 0
        part = run_bed(
            water, physics, dose[i : i + STEP_MIN] * arriving[i : i + STEP_MIN], 2.4, demand[i : i + STEP_MIN]
        )
        water = water_at(float(part.theta[-1]), 2.9, physics)
    return dose, pulses


def _shown(cause: Cause, theta: FloatArray, rng: np.random.Generator) -> FloatArray:
    noise = rng.normal(0, 0.0015, len(theta))
    if cause is Cause.DRY_CORNER:
        return 0.58 + 0.12 * (theta - 0.75) + noise
    if cause is Cause.WRONG_SPAN:
        return 0.71 + 0.25 * (theta - 0.75) + noise
    return theta + noise


def _evidence(
    cause: Cause,
    delivered: float,
    theta: FloatArray,
    seen: FloatArray,
    drain_share: float,
    pore: float,
    dosed: float,
    feed: float,
    rng: np.random.Generator,
) -> dict[Look, str]:
    rated = 80.0
    spread = 0.35 if cause is Cause.BLOCKED else 0.05
    cups = np.clip(rated * delivered * (1 + rng.normal(0, spread, 10)), 0, rated * 1.1)
    # A burst line gives the pump an easier way: more flows than the drippers ever took.
    through = {Cause.DEAD_PUMP: 0.0, Cause.BLOCKED: delivered, Cause.LEAK: 1.25}.get(cause, 1.0)
    left_tank, flow = dosed * through, FLOW_L_MIN * through
    true_now, seen_now = float(theta[-1]), float(np.mean(seen[-20:]))
    wet_mix = 0.81
    in_mix = {Cause.WRONG_SPAN: 0.71 + 0.25 * (wet_mix - 0.75)}.get(cause, wet_mix)
    return {
        Look.CUPS: "Cups: "
        + ", ".join(f"{v:.0f}" for v in cups)
        + f" mL; {rated:.0f} mL expected, mean {cups.mean():.0f}.",
        Look.WEIGH: f"By weight the container holds {100 * true_now:.1f} % v/v; the probe shows {100 * seen_now:.1f} %.",
        Look.DRAIN: f"Drain was {100 * drain_share:.0f} % of the dose, its conductivity {pore * 1.05:.1f} mS/cm; the feed has {feed:.1f}.",
        Look.PORE: f"The squeezed sample has {pore:.1f} mS/cm; the feed has {feed:.1f}.",
        Look.FLOW: f"During the last pulse {flow:.1f} L/min flowed; {FLOW_L_MIN:.1f} are expected.",
        Look.TANK: f"{dosed:.0f} mL per plant were dosed yesterday; {left_tank:.0f} left the tank.",
        Look.SPAN: f"In drained mix that holds {100 * wet_mix:.0f} % by weight the probe shows {100 * in_mix:.1f} %.",
        Look.NEIGHBOUR: "The bed beside it, on the same pump, "
        + (
            "falls as well, with every pulse confirmed."
            if cause is Cause.DEAD_PUMP
            else "keeps to its band on the same programme."
        ),
    }


def _record(cause: Cause, seen: FloatArray, pulses: list[tuple[int, float]]) -> str:
    """What the record alone would have told."""
    late = [i for i, _ in pulses if i >= 1440]
    rises = [float(np.mean(seen[i + 10 : i + 16]) - np.mean(seen[max(0, i - 5) : i + 1])) for i in late]
    expected = DOSE_ML / 4500
    gain = float(np.median(rises)) / expected if rises else float("nan")
    head = (
        f"Its {len(late)} pulses of the second day raised the reading by {gain:.2f} of what they should have (median)."
        if rises
        else "No pulse stands in the record."
    )
    tail = {
        Cause.BLOCKED: "A gain that small, with a reading that falls with the sun, means water does not arrive: drippers, line or pump. The meter's flow, low but not nothing, leaves the drippers.",
        Cause.DRY_CORNER: "A level that hardly moves, by day or night, and never comes near the band is a place the water does not reach; the sound span says it is the place, not the curve.",
        Cause.SALT: "Water was never the matter: the drain's conductivity stood far over the feed's for days.",
        Cause.WRONG_SPAN: "Every rise and every fall is too small by the same factor: the scale is stretched, as air and water do it.",
        Cause.LEAK: "More left the tank than reached the drippers, and every pulse counted less.",
        Cause.DEAD_PUMP: "Confirmed commands and no flow: the valve opened, and the pump gave nothing. A guard latches this by itself where a flow meter stands.",
    }[cause]
    return f"{head} {tail}"


@dataclass(frozen=True)
class DrillScore:
    """Points of 100: cause [50], remedy [30], looks [20]; what was good and what to mind, in sentences."""

    points: int
    cause: int
    remedy: int
    looks: int
    words: list[str]


def score_drill(case: DrillCase, cause: Cause, remedy: Remedy, looks: list[Look]) -> DrillScore:
    """Score an answer.

    Parameters
    ----------
    case : the drill. cause, remedy : the answer. looks : what was looked at, in order.

    Returns
    -------
    DrillScore. A right cause found without a telling look is a guess and counts half; more water as the remedy costs all
    remedy points, since it is what floods a crop.
    """
    telling = [x for x in dict.fromkeys(looks) if x in TELLING[case.cause]]
    wasted = [x for x in dict.fromkeys(looks) if x not in TELLING[case.cause]]
    words = []
    right = cause is case.cause
    cause_points = 50 if right and telling else 25 if right else 0
    words.append(f"It was so: {CAUSES[case.cause]}." if right else f"It was not that: {CAUSES[case.cause]}.")
    if right and not telling:
        words.append("Nothing you looked at could tell it from the others: that was a guess.")
    fits = remedy is RIGHT[case.cause]
    words.append("The remedy fits." if fits else f"What it needs: {REMEDIES[RIGHT[case.cause]]}.")
    if remedy is Remedy.MORE_WATER:
        words.append("More water on an unexplained reading is how a crop is flooded.")
    look_points = max(0, min(20, 10 * len(telling)) - 3 * max(0, len(wasted) - 1))
    missing = [LOOKS[x][0] for x in TELLING[case.cause] if x not in looks]
    if missing:
        words.append(f"It would have helped to {' and to '.join(missing)}.")
    if len(wasted) > 1:
        words.append(f"{len(wasted)} looks could not tell anything here.")
    remedy_points = 30 if fits else 0
    return DrillScore(cause_points + remedy_points + look_points, cause_points, remedy_points, look_points, words)
