"""Does a channel make sense: a day's data against its calibration, its bed and its neighbour; and whether to trust it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from .arrays import FloatArray
from .curves import Curve, slope_of_curve, value_from_curve
from .flags import FLAG_WORDS, Flag, FlagRules, flag_series, usable
from .gain import Gain, GivenPulse, gain_of

DAY_S = 86400.0
WEEK_OUTSIDE = 0.05
"""Share of a week's readings that may lie beyond the captured span."""


class Trust(StrEnum):
    """What a channel is good for."""

    TRUSTED = "trusted"
    DOUBTFUL = "doubtful"
    NOT_TO_BE_USED = "not_to_be_used"


TRUST_WORDS = {
    Trust.TRUSTED: "trusted",
    Trust.DOUBTFUL: "doubtful",
    Trust.NOT_TO_BE_USED: "not to be used",
}


class Sign(StrEnum):
    """What a sense check can find."""

    NO_DATA = "no_data"
    RAILED = "railed"
    STUCK = "stuck"
    SPIKY = "spiky"
    LOST_CONTACT = "lost_contact"
    NOISY = "noisy"
    OUTSIDE_SPAN = "outside_span"
    SPAN_TOO_WIDE = "span_too_wide"
    BELOW_ZERO = "below_zero"
    ABOVE_PORE_SPACE = "above_pore_space"
    NEVER_MOVES = "never_moves"
    GAIN = "gain"
    DRIFT_APART = "drift_apart"
    TEMPERATURE_SWING = "temperature_swing"
    CLOCK = "clock"
    GAPS = "gaps"


SEVERE = frozenset({Sign.NO_DATA, Sign.RAILED, Sign.STUCK, Sign.LOST_CONTACT, Sign.BELOW_ZERO, Sign.ABOVE_PORE_SPACE})


@dataclass(frozen=True)
class Finding:
    """One thing that does not make sense: how much, its limit, and a sentence with the figures."""

    sign: Sign
    figure: float
    limit: float
    words: str


@dataclass(frozen=True)
class Record:
    """A channel's recent readings with what they are judged against.

    time_s, raw : shape (n,), ascending [s, raw]. now_s : the moment of judging. curve : of the calibration in force, None
    without one. noise_raw : scatter seen at calibration [raw]. pore_space : [m3/m3]. volume_l : per plant, None where the
    channel is not a bed's. pulses : in order. other : θ of another probe of the bed on the same times, NaN where none.
    temp_c : temperature on the same times. is_water : the curve gives θ. week_outside : share of the week's readings beyond the
    captured range.
    """

    time_s: FloatArray
    raw: FloatArray
    now_s: float
    curve: Curve | None = None
    noise_raw: float = float("nan")
    pore_space: float = 0.97
    volume_l: float | None = None
    pulses: tuple[GivenPulse, ...] = ()
    other: FloatArray | None = None
    temp_c: FloatArray | None = None
    is_water: bool = True
    silent_after_s: float = 1800.0
    week_outside: float = float("nan")


@dataclass(frozen=True)
class Judgement:
    """Findings, worst first, the gain where pulses were given, and the trust mark with its sentence."""

    findings: tuple[Finding, ...]
    gain: Gain | None
    trust: Trust
    words: str
    flagged: dict[Flag, int] = field(default_factory=dict)


def judge_record(r: Record, rules: FlagRules) -> Judgement:
    """Judge a channel by its recent record.

    Parameters
    ----------
    r : the record, usually of the last day. rules : of its flags.

    Returns
    -------
    Judgement. One severe finding, or three others, and the channel is not to be used; any other finding makes it doubtful.
    """
    flags = flag_series(r.time_s, r.raw, rules)
    counts = {flag: int(mask.sum()) for flag, mask in flags.items() if mask.any()}
    found = [*_from_flags(r, flags), *_silence(r)]
    gain = None
    good = usable(flags) & np.isfinite(r.raw)
    if r.curve is not None and good.sum() >= 20:
        theta = np.where(good, np.asarray(value_from_curve(r.raw, r.curve)), np.nan)
        stuck = any(f.sign in (Sign.STUCK, Sign.LOST_CONTACT, Sign.NO_DATA) for f in found)
        if not stuck:
            found += _noise(r, good)
        if r.is_water:
            found += _range(r, theta)
            if not stuck:
                moved, gain = _moves(r, theta)
                found += moved + _span(r, good, gain) + _drift(r, theta)
        elif r.temp_c is not None:
            found += _swing(theta, r.temp_c)
    found.sort(key=lambda f: (f.sign not in SEVERE, -abs(f.figure / f.limit) if f.limit else 0))
    trust = _trust(found)
    return Judgement(tuple(found), gain, trust, _say(trust, found), counts)


def _trust(found: Sequence[Finding]) -> Trust:
    if any(f.sign in SEVERE for f in found) or len(found) >= 3:
        return Trust.NOT_TO_BE_USED
    return Trust.DOUBTFUL if found else Trust.TRUSTED


def _say(trust: Trust, found: Sequence[Finding]) -> str:
    if not found:
        return "Trusted: nothing in its record speaks against it."
    told = "; ".join(f.words for f in found[:3])
    return f"{TRUST_WORDS[trust].capitalize()}: {told}."


def _silence(r: Record) -> list[Finding]:
    there = np.isfinite(r.raw)
    since = r.now_s - (float(r.time_s[there][-1]) if there.any() else r.now_s - DAY_S)
    if since <= r.silent_after_s:
        return []
    words = f"no reading for {since / 60:.0f} min" if there.any() else "no reading in the whole period"
    return [Finding(Sign.NO_DATA, since, r.silent_after_s, words)]


def _from_flags(r: Record, flags: dict[Flag, np.ndarray]) -> list[Finding]:
    out = []
    n = max(1, int(np.isfinite(r.raw).sum()))

    def add(flag: Flag, sign: Sign, limit: int, also: str = "") -> None:
        count = int(flags[flag].sum())
        if count >= limit:
            out.append(Finding(sign, count, limit, f"{count} readings are {FLAG_WORDS[flag]}{also}"))

    add(Flag.RAIL, Sign.RAILED, max(3, n // 200))
    add(Flag.FLAT, Sign.STUCK, 3)
    add(Flag.LOST_CONTACT, Sign.LOST_CONTACT, 2)
    add(Flag.CLOCK_JUMP, Sign.CLOCK, 1)
    add(Flag.GAP, Sign.GAPS, 4)
    if (spikes := int(flags[Flag.SPIKE].sum())) >= max(5, n // 100):
        out.append(
            Finding(
                Sign.SPIKY,
                spikes,
                max(5, n // 100),
                f"{spikes} single readings stand away from their neighbours: look for a loose plug",
            )
        )
    return out


def _noise(r: Record, good: np.ndarray) -> list[Finding]:
    """Scatter about the three-point line, against that of calibration. Pulses bend a series, noise jags it. The worst
    fifth of the hours counts, since a contact may have come loose only lately."""
    x = r.raw[good]
    if not r.noise_raw > 0 or len(x) < 60:
        return []
    jag = x[1:-1] - (x[:-2] + x[2:]) / 2
    hours = [h for h in np.array_split(jag, max(1, len(jag) // 60)) if len(h) >= 30]
    by_hour = [1.4826 * float(np.median(np.abs(h - np.median(h)))) / np.sqrt(1.5) for h in hours]
    scatter = float(np.quantile(by_hour, 0.8))
    limit = 4 * r.noise_raw
    if scatter <= limit:
        return []
    return [
        Finding(
            Sign.NOISY,
            scatter,
            limit,
            f"it scatters by {scatter:.0f} counts, {scatter / r.noise_raw:.1f} times what it did at calibration",
        )
    ]


def _range(r: Record, theta: FloatArray) -> list[Finding]:
    known = theta[np.isfinite(theta)]
    if not len(known):
        return []
    out = []
    low, high = float(np.quantile(known, 0.02)), float(np.quantile(known, 0.98))
    if low < -0.01:
        out.append(Finding(Sign.BELOW_ZERO, low, -0.01, f"it reads {100 * low:.1f} % v/v, below none at all"))
    if high > r.pore_space + 0.02:
        words = f"it reads {100 * high:.0f} % v/v, more than the pore space of {100 * r.pore_space:.0f} %"
        out.append(Finding(Sign.ABOVE_PORE_SPACE, high, r.pore_space + 0.02, words))
    return out


def _moves(r: Record, theta: FloatArray) -> tuple[list[Finding], Gain | None]:
    if r.volume_l is None or not r.pulses:
        return [], None
    gain = gain_of(r.time_s, theta, r.pulses, r.volume_l)
    known = theta[np.isfinite(theta)]
    swing = float(np.quantile(known, 0.98) - np.quantile(known, 0.02))
    given = sum(max(0.0, p.dose_ml - p.drained_ml) for p in r.pulses) / 1000 / r.volume_l
    if len(r.pulses) >= 3 and given > 0.03 and swing < 0.004:
        words = f"it moved {100 * swing:.1f} points while pulses worth {100 * given:.0f} points were given"
        return [Finding(Sign.NEVER_MOVES, swing, 0.004, words)], gain
    if not gain.doubtful:
        return [], gain
    words = (
        f"pulses raise it {gain.median:.2f} times as much as their water should "
        f"({gain.low:.2f} to {gain.high:.2f} over {gain.n} pulses)"
    )
    return [Finding(Sign.GAIN, gain.median, 0.6 if gain.median < 1 else 1.5, words)], gain


def _span(r: Record, good: np.ndarray, gain: Gain | None) -> list[Finding]:
    assert r.curve is not None
    x, width = r.raw[good], r.curve.high - r.curve.low
    low, high = float(np.quantile(x, 0.01)), float(np.quantile(x, 0.99))
    over = max(r.curve.low - low, high - r.curve.high)
    out = []
    if r.week_outside > WEEK_OUTSIDE:
        words = f"{100 * r.week_outside:.0f} % of the week's readings lie beyond the captured span"
        out.append(Finding(Sign.OUTSIDE_SPAN, r.week_outside, WEEK_OUTSIDE, words))
    elif over > 0.1 * width:
        words = f"readings go {100 * over / width:.0f} % of the captured span beyond it"
        out.append(Finding(Sign.OUTSIDE_SPAN, over, 0.1 * width, words))
    if gain is not None and gain.doubtful and gain.median < 1 and (high - low) < 0.06 * width:
        words = f"a day's readings take {100 * (high - low) / width:.0f} % of the span it was calibrated over: the span is too wide"
        out.append(Finding(Sign.SPAN_TOO_WIDE, (high - low) / width, 0.06, words))
    return out


def _drift(r: Record, theta: FloatArray) -> list[Finding]:
    """Two probes of a bed: their difference must not wander over the day, whatever it is."""
    if r.other is None:
        return []
    d = theta - r.other
    known = np.isfinite(d)
    if known.sum() < 60 or float(np.ptp(r.time_s[known])) < DAY_S / 4:
        return []
    t, v = r.time_s[known], d[known]
    third = max(1, len(v) // 4)
    change = float(np.median(v[-third:]) - np.median(v[:third]))
    limit = 0.04
    if abs(change) <= limit:
        return []
    hours = float(t[-1] - t[0]) / 3600
    words = f"it moved {100 * change:+.1f} points against the bed's other probe in {hours:.0f} h"
    return [Finding(Sign.DRIFT_APART, change, limit, words)]


def _swing(value: FloatArray, temp_c: FloatArray) -> list[Finding]:
    """A conductivity that breathes with temperature lacks its compensation, or has too much of it."""
    both = np.isfinite(value) & np.isfinite(temp_c)
    if both.sum() < 60 or float(np.ptp(temp_c[both])) < 3:
        return []
    v, t = value[both], temp_c[both]
    tie = float(np.corrcoef(v, t)[0, 1])
    per_k = tie * float(v.std()) / float(t.std()) / max(1e-9, float(abs(v.mean())))
    if abs(tie) < 0.85 or abs(per_k) < 0.01:
        return []
    words = f"it moves {100 * per_k:+.1f} % per degree with the temperature: set its compensation"
    return [Finding(Sign.TEMPERATURE_SWING, per_k, 0.01, words)]


def resolution_points(noise_raw: float, curve: Curve, at_raw: float) -> float:
    """Smallest difference a probe resolves at a raw value [points of water content]: 2 sd(noise) |dθ/dx|."""
    return 100 * 2 * noise_raw * abs(float(slope_of_curve(at_raw, curve)))
