"""Proving a sensor: does it react, which way, how far, how fast, how noisy, is it stuck, does it come back."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .errors import Inconsistent, NotDetermined, OutOfRange


class Outcome(StrEnum):
    PASS = "pass"
    RETRY = "retry"
    FAIL = "fail"


@dataclass(frozen=True)
class ProofLimits:
    """Limits of a kind of sensor: span_raw between the two media [raw]; least reaction as a share of it; slowest
    settling and dead time [s]; noise and return difference as shares of the span found; rails [raw]."""

    span_raw: float
    least_reaction_share: float = 0.2
    settle_s: float = 120.0
    dead_s: float = 30.0
    noise_share: float = 0.01
    return_share: float = 0.05
    rail_low: float = 0.0
    rail_high: float = 65535.0


@dataclass(frozen=True)
class Check:
    """One figure against its limit; code names it in the interface."""

    code: str
    outcome: Outcome
    figure: float
    limit: float
    unit: str
    words: str


@dataclass(frozen=True)
class Proof:
    """Result of a guided test: figures (NaN where not determined), checks, and the outcome of all."""

    span_raw: float
    direction: int
    dead_s: float
    settle_s: float
    noise_raw: float
    resolution_points: float
    return_raw: float
    checks: tuple[Check, ...]

    @property
    def outcome(self) -> Outcome:
        outcomes = {c.outcome for c in self.checks}
        return (
            Outcome.FAIL if Outcome.FAIL in outcomes else Outcome.RETRY if Outcome.RETRY in outcomes else Outcome.PASS
        )


@dataclass(frozen=True)
class Phase:
    """Readings in one medium: seconds since the sensor was put there, shape (n,), and raw values, same shape."""

    seconds: FloatArray
    raw: FloatArray

    def __post_init__(self) -> None:
        if np.shape(self.seconds) != np.shape(self.raw):
            raise Inconsistent("raw", np.shape(self.raw), f"the shape of seconds {np.shape(self.seconds)}")


MIN_READINGS = 6
SETTLED_SHARE = 0.05
"""Settled when the reading stays within this share of the step of its final value."""


def _tail(phase: Phase) -> FloatArray:
    return phase.raw[-max(4, len(phase.raw) // 3) :]


def noise_of(phase: Phase) -> float:
    """Scatter [raw] of the last third of a phase about its own line. NaN under four readings."""
    y = _tail(phase)
    if len(y) < 4:
        return float("nan")
    x = np.arange(len(y), dtype=float)
    rest = y - np.polyval(np.polyfit(x, y, 1), x)
    return float(np.sqrt((rest**2).sum() / (len(y) - 2)))


def dead_and_settling_s(phase: Phase, before: float, after: float, noise: float) -> tuple[float, float]:
    """Dead time until the reading leaves `before`, and time until it stays near `after` [s]; NaN where it never does."""
    step = after - before
    if step == 0:
        return float("nan"), float("nan")
    moved = np.abs(phase.raw - before) > max(3 * noise, SETTLED_SHARE * abs(step))
    away = np.abs(phase.raw - after) > max(3 * noise, SETTLED_SHARE * abs(step))
    dead = float(phase.seconds[np.argmax(moved)]) if moved.any() else float("nan")
    if away[-1]:
        return dead, float("nan")
    last = int(np.nonzero(away)[0][-1]) + 1 if away.any() else 0
    return dead, float(phase.seconds[last])


def prove_sensor(first: Phase, wet: Phase, back: Phase, limits: ProofLimits, theta_step: float) -> Proof:
    """Judge a guided test in air, in wet medium, and back in air.

    Parameters
    ----------
    first, wet, back : the three phases, at least 6 finite readings each.
    limits : limits of the sensor's kind.
    theta_step : water content of the wet medium above that of air [m3/m3, 0.05 to 1].

    Returns
    -------
    Proof with a check for each figure.

    Raises
    ------
    NotDetermined : a phase with too few readings. OutOfRange : theta_step outside its range.

    References
    ----------
    needs.md F5; resolution = 2 sd(noise)/|slope| as in science.md.
    """
    for name, phase in (("first", first), ("wet", wet), ("back", back)):
        if int(np.isfinite(phase.raw).sum()) < MIN_READINGS:
            raise NotDetermined(
                name, int(np.isfinite(phase.raw).sum()), f"at least {MIN_READINGS} readings in this phase"
            )
    if not 0.05 <= theta_step <= 1:
        raise OutOfRange("theta_step", theta_step, "0.05 to 1 m³/m³")
    first, wet, back = (_finite(p) for p in (first, wet, back))
    before, after, again = (float(np.median(_tail(p))) for p in (first, wet, back))
    noise = float(np.nanmax([noise_of(first), noise_of(wet)]))
    span = after - before
    dead, settle = dead_and_settling_s(wet, before, after, noise)
    resolution = 100 * 2 * noise * theta_step / abs(span) if span else float("nan")
    everything = np.concatenate([first.raw, wet.raw, back.raw])
    checks = (
        *_alive_checks(everything, limits),
        _reaction(span, noise, limits),
        _at_most("dead", dead, limits.dead_s, "s", "dead time", span),
        _at_most("settle", settle, limits.settle_s, "s", "time to settle", span),
        _at_most("noise", noise, limits.noise_share * max(abs(span), 1e-9), "raw", "noise", span),
        _at_most(
            "return",
            abs(again - before),
            limits.return_share * max(abs(span), 1e-9),
            "raw",
            "difference on return",
            span,
        ),
    )
    return Proof(abs(span), int(np.sign(span)), dead, settle, noise, resolution, again - before, checks)


def _finite(phase: Phase) -> Phase:
    keep = np.isfinite(phase.raw)
    return Phase(np.asarray(phase.seconds, float)[keep], np.asarray(phase.raw, float)[keep])


def _alive_checks(raw: FloatArray, limits: ProofLimits) -> tuple[Check, Check]:
    distinct = len(np.unique(raw))
    stuck = distinct <= 1
    railed = float(np.mean((raw <= limits.rail_low) | (raw >= limits.rail_high)))
    return (
        Check(
            "stuck",
            Outcome.FAIL if stuck else Outcome.PASS,
            distinct,
            2,
            "values",
            "It never changed: stuck, or not connected." if stuck else "It is alive: the value moves.",
        ),
        Check(
            "rail",
            Outcome.FAIL if railed > 0.1 else Outcome.PASS,
            100 * railed,
            10,
            "%",
            "It sits at the end of its range: open, shorted or wired wrong."
            if railed > 0.1
            else "It is not at the end of its range.",
        ),
    )


def _reaction(span: float, noise: float, limits: ProofLimits) -> Check:
    least = max(limits.least_reaction_share * limits.span_raw, 5 * noise)
    way = "rises" if span > 0 else "falls"
    if abs(span) >= least:
        return Check("reaction", Outcome.PASS, abs(span), least, "raw", f"It reacts: raw {way} as water rises.")
    weak = abs(span) > 5 * noise
    words = (
        "It reacts too little: push it fully into the medium, with no air about it."
        if weak
        else "It does not react to water."
    )
    return Check("reaction", Outcome.RETRY if weak else Outcome.FAIL, abs(span), least, "raw", words)


def _at_most(code: str, figure: float, limit: float, unit: str, name: str, span: float) -> Check:
    if span == 0 or not np.isfinite(figure):
        return Check(
            code, Outcome.RETRY, float("nan"), limit, unit, f"The {name} could not be told; give it more time."
        )
    if figure <= limit:
        return Check(code, Outcome.PASS, figure, limit, unit, f"The {name} is within its limit.")
    near = figure <= 2 * limit
    words = f"The {name} is over its limit" + ("; try once more." if near else ".")
    return Check(code, Outcome.RETRY if near else Outcome.FAIL, figure, limit, unit, words)
