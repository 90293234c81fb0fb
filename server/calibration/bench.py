"""The calibration bench of a channel: live reading, steadiness, cards, captures so far, and what they would give."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from fitting.models import Actuator, Channel
from readings.models import Reading
from reedcore.calibration import MIN_POINT_SHARE, Steadiness, steadiness
from reedcore.curves import value_from_curve
from reedcore.errors import OutOfRange, ReedError
from reedcore.methods import CalibrationMethod, method, methods_for
from reedcore.sensors import quantity

from .models import BenchSession, CalibrationVersion, Capture
from .results import Draft, FitRow, draft_of, proposed_theta, span_of

WINDOW = timedelta(minutes=6)


@dataclass
class Point:
    """A captured reference."""

    id: int
    kind: str
    raw: float
    noise_raw: float
    reference: float | None
    inputs: dict[str, Any]
    taken_at: datetime
    taken_by: str


@dataclass
class CardOut:
    """What to do, what is asked with it, what is proposed and why, and what was captured."""

    kind: str
    title: str
    text: str
    asks: str
    once: bool
    proposed: float | None
    origin: str
    points: list[Point]


@dataclass
class DraftOut:
    """What the captures would give. x, y: the curve; band_low, band_high: its 95 % band, empty where nothing judges it."""

    form: str
    gives: str
    coefficients: list[float]
    low: float
    high: float
    rmse: float | None
    loo_rmse: float | None
    resolution: float | None
    words: str
    passed: bool
    provisional: bool
    figures: dict[str, float]
    fits: list[FitRow]
    residuals: list[float]
    x: list[float]
    y: list[float]
    band_low: list[float]
    band_high: list[float]
    value_now: float | None


@dataclass
class Live:
    """The reading now and how steady it is."""

    raw: float | None
    at: datetime | None
    steady: bool
    bubble: float
    why: str
    slope_per_min: float | None
    noise: float | None
    still_for_s: float
    settled_after_s: float | None
    span_raw: float
    times: list[datetime]
    raws: list[float]


def session_of(target: Channel | Actuator, code: str) -> BenchSession | None:
    """The open bench of a channel or doser by a method, if there is one."""
    return target.benches.filter(method=code, closed_at=None).first()


def fresh_session(target: Channel | Actuator, code: str) -> BenchSession:
    """A bench not kept yet: looking at it changes nothing."""
    key = {"channel": target} if isinstance(target, Channel) else {"actuator": target}
    return BenchSession(method=code, **key)


def quantity_of(target: Channel | Actuator) -> str:
    return target.quantity if isinstance(target, Channel) else "doser"


def ways_of(target: Channel | Actuator) -> list[CalibrationMethod]:
    """The methods offered for a channel or doser. Raises OutOfRange where nothing calibrates it."""
    ways = [m for m in methods_for(quantity_of(target)) if m.code != "against"]
    if not ways or (isinstance(target, Actuator) and target.kind != "doser"):
        raise OutOfRange("channel", quantity_of(target), "something that is calibrated at a bench")
    return ways


def way_of(target: Channel | Actuator, code: str) -> CalibrationMethod:
    """The method asked for, else the one with an open bench, else the first offered."""
    ways = ways_of(target)
    if code:
        found = next((m for m in ways if m.code == code), None)
        if found is None:
            raise OutOfRange("method", code, "one of " + ", ".join(m.code for m in ways))
        return found
    opened = set(target.benches.filter(closed_at=None).values_list("method", flat=True))
    return next((m for m in ways if m.code in opened), ways[0])


def recent_raw(channel: Channel, now: datetime, window: timedelta = WINDOW) -> tuple[list[datetime], np.ndarray]:
    """Times and raw readings over the last `window`, and at least the last 30 readings of two hours."""
    readings = Reading.objects.filter(channel=channel, time__lte=now)
    rows = list(readings.filter(time__gt=now - window).order_by("-time").values_list("time", "raw")[:600])
    if len(rows) < 30:
        # A fast demo clock leaves few readings in the window: the judgement needs ten.
        rows = list(
            readings.filter(time__gt=now - timedelta(hours=2)).order_by("-time").values_list("time", "raw")[:30]
        )
    rows.reverse()
    return [t for t, _ in rows], np.array([r for _, r in rows], dtype=float)


def judge(session: BenchSession, now: datetime) -> tuple[list[datetime], np.ndarray, Steadiness]:
    """Recent readings and whether they are steady. Readings from before the probe was moved, or from before the last
    capture, do not count: the next point lies somewhere else."""
    channel = session.channel
    assert channel is not None
    times, raws = recent_raw(channel, now)
    moments = [channel.probe.moved_at] if channel.probe else []
    moments += list(open_captures(session, "taken_at"))
    since = max((m for m in moments if m is not None), default=None)
    first = next((i for i, t in enumerate(times) if since is None or t > since), len(times))
    seconds = np.array([t.timestamp() for t in times[first:]])
    return times, raws, steadiness(seconds, raws[first:], span_of(session), quantity(channel.quantity).unit)


def open_captures(session: BenchSession, only: str = "") -> Any:
    """Captures of a bench that count, oldest first; or one column of them."""
    if session.pk is None:
        return []
    rows = session.captures.filter(superseded=False)
    return rows.values_list(only, flat=True) if only else list(rows.select_related("taken_by"))


def not_moved(session: BenchSession, kind: str, raw: float) -> Capture | None:
    """Another point the reading has not left: the sensor is still in the same place."""
    return next(
        (c for c in open_captures(session) if c.kind != kind and abs(c.raw - raw) < MIN_POINT_SHARE * span_of(session)),
        None,
    )


def live_of(session: BenchSession, now: datetime, plot: bool = True) -> Live:
    """The reading now; a doser has none."""
    if session.channel is None:
        return Live(None, None, True, 0.0, "", None, None, 0.0, None, 1.0, [], [])
    times, raws, s = judge(session, now)
    step = max(1, len(raws) // 240)

    def known(value: float) -> float | None:
        return value if value == value else None

    return Live(
        float(raws[-1]) if len(raws) else None, times[-1] if times else None, s.steady or not method(session.method).steady,
        s.bubble, s.why, known(s.slope_per_min), known(s.noise), s.still_for_s, s.settled_after_s, span_of(session),
        times[::step] if plot else [], raws[::step].tolist() if plot else [],
    )  # fmt: skip


def cards_of(session: BenchSession) -> list[CardOut]:
    """The cards of a method with what was captured on each."""
    held = open_captures(session)
    out = []
    for card in method(session.method).cards:
        proposal = proposed_theta(session, card.kind) if card.asks == "theta" else None
        value, origin = proposal or (None, "")
        points = [_point(c) for c in held if c.kind == card.kind]
        out.append(CardOut(card.kind, card.title, card.text, card.asks, card.once, value, origin, points))
    return out


def _point(c: Capture) -> Point:
    return Point(c.pk, c.kind, c.raw, c.noise_raw, c.reference, c.inputs, c.taken_at, str(c.taken_by))


def draft_out(session: BenchSession, form: str, raw_now: float | None) -> tuple[DraftOut | None, str, str]:
    """The draft, or why there is none and at which field."""
    try:
        draft = draft_of(session, open_captures(session), form)
    except ReedError as error:
        return (
            None,
            f"{error.field.replace('_', ' ')} is {_plain(error.value)}; expected {error.expectation}",
            error.field,
        )
    if draft is None:
        return None, "", ""
    return shown(draft, raw_now), "", ""


def shown(d: Draft, raw_now: float | None) -> DraftOut:
    x, y, low, high = d.line()
    value = None if raw_now is None else float(value_from_curve(raw_now, d.curve))
    return DraftOut(
        d.curve.form.value, d.gives, list(d.curve.coefficients), d.curve.low, d.curve.high, d.rmse, d.loo_rmse, d.resolution,
        d.words, d.passed, d.provisional, d.figures, d.fits, d.residuals, x, y, low, high, value,
    )  # fmt: skip


def _plain(value: object) -> str:
    return f"{value:g}" if isinstance(value, int | float) else str(value)


@dataclass
class VersionOut:
    """A published calibration as it is listed."""

    id: int
    number: int
    method: str
    method_name: str
    gives: str
    form: str
    provisional: bool
    valid_from: datetime
    published_at: datetime
    published_by: str
    reverted_at: datetime | None
    low: float
    high: float
    rmse: float | None
    resolution: float | None
    words: str
    points: list[dict[str, Any]]
    x: list[float]
    y: list[float]
    due_at: datetime


def version_out(v: CalibrationVersion) -> VersionOut:
    x = np.linspace(v.low, v.high, 41)
    return VersionOut(
        v.pk, v.number, v.method, v.method_name, v.gives, v.form, v.provisional, v.valid_from, v.published_at, str(v.published_by),
        v.reverted_at, v.low, v.high, v.rmse, v.resolution, v.words, v.points, x.tolist(),
        np.asarray(value_from_curve(x, v.curve)).tolist(), v.due_at,
    )  # fmt: skip
