"""Changes at the bench: settings, captures, publishing, reverting, adopting a correction."""

from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max, Min

from accounts.models import User
from common.clock import site_now
from common.events import tell
from fitting.models import Actuator, Channel
from logbook.services import record
from places.models import Site
from readings.models import Reading
from reedcore.curves import Curve
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange, require_range
from reedcore.methods import method
from reedcore.sensors import quantity

from .bench import fresh_session, judge, not_moved, open_captures, session_of, way_of
from .models import BenchSession, CalibrationVersion, Capture
from .results import Draft, draft_of, reference_of

Target = Channel | Actuator
SETTINGS = {
    "container_g": (0, 1e6, "g"),
    "dry_g": (0.1, 1e6, "g"),
    "volume_l": (0.05, 500, "L"),
    "temp_c": (0, 60, "°C"),
    "second_ec": (0.001, 100, "mS/cm"),
    "second_temp_c": (0, 60, "°C"),
    "reads_mv": (0, 1, "0 or 1"),
}


def site_of(target: Target) -> Site:
    return target.node.site


def name_of(target: Target) -> str:
    """A channel or doser in words."""
    if isinstance(target, Actuator):
        return f"doser {target.name}".strip()
    if target.probe is not None:
        return f"probe {target.probe.name}" + (
            "" if target.quantity == "raw" else f", {quantity(target.quantity).name}"
        )
    return f"{quantity(target.quantity).name} of {target.node.name}"


def _lock(target: Target) -> None:
    type(target)._default_manager.select_for_update(of=("self",)).get(pk=target.pk)


def _open(target: Target, code: str, by: User, now: datetime) -> BenchSession:
    way_of(target, code)
    session = session_of(target, code)
    if session is None:
        session = fresh_session(target, code)
        session.opened_at, session.opened_by = now, by
        session.save()
    return session


@transaction.atomic
def set_bench(target: Target, code: str, settings: dict[str, float | None], by: User, now: datetime) -> BenchSession:
    """Keep what a bench is asked once: tare, dry mass, volume. Raises OutOfRange at the field that cannot be right."""
    _lock(target)
    for name, value in settings.items():
        if name not in SETTINGS:
            raise OutOfRange(name, value, "one of " + ", ".join(SETTINGS))
        if value is not None:
            require_range(name, value, *SETTINGS[name])
    session = _open(target, code, by, now)
    before = dict(session.settings)
    session.settings = {**session.settings, **{k: v for k, v in settings.items() if v is not None}}
    session.save(update_fields=["settings"])
    site = site_of(target)
    record(site, now, by, f"set the bench of {name_of(target)}", session, before, session.settings)
    tell(site.pk, "calibration")
    return session


@transaction.atomic
def capture(target: Target, code: str, kind: str, inputs: dict[str, Any], by: User, now: datetime) -> Capture:
    """Take the reading as a reference point.

    Raises Inconsistent while it is not steady, or where the sensor has not left another point; OutOfRange for what was
    typed with it.
    """
    _lock(target)
    session = _open(target, code, by, now)
    card = method(code).card(kind)
    raw, noise, count = _reading(session, kind, inputs, now)
    reference = reference_of(session, kind, inputs, raw)
    if card.once:
        session.captures.filter(kind=kind, superseded=False).update(superseded=True)
    row = Capture.objects.create(
        session=session,
        kind=kind,
        inputs=inputs,
        reference=reference,
        raw=raw,
        noise_raw=noise,
        readings=count,
        taken_at=now,
        taken_by=by,
    )
    site = site_of(target)
    record(
        site,
        now,
        by,
        f"captured {card.title.lower()} of {name_of(target)}",
        row,
        None,
        {"raw": raw, "reference": reference},
    )
    tell(site.pk, "calibration")
    return row


def _reading(session: BenchSession, kind: str, inputs: dict[str, Any], now: datetime) -> tuple[float, float, int]:
    way = method(session.method)
    if session.channel is None:
        seconds = inputs.get("seconds")
        if not isinstance(seconds, int | float) or isinstance(seconds, bool):
            raise OutOfRange("seconds", seconds, "how long the doser ran")
        return require_range("seconds", float(seconds), 1, 3600, "s"), 0.0, 1
    _, raws, steady = judge(session, now)
    if not way.steady:
        if not len(raws):
            raise NotDetermined("raw", None, "a reading of this channel")
        return float(raws[-1]), 0.0, 1
    if not steady.steady:
        raise Inconsistent("raw", steady.why, "a steady reading; wait for the bubble to come to the middle")
    other = not_moved(session, kind, steady.mean) if way.card(kind).once else None
    if other is not None:
        raise Inconsistent(
            "raw",
            round(steady.mean),
            f"a reading away from the other point's {other.raw:.0f} counts; is the probe still in the same mix?",
        )
    return steady.mean, steady.noise, steady.readings


@transaction.atomic
def drop_capture(row: Capture, by: User, now: datetime) -> None:
    """Leave a capture out; it stays in the record."""
    row.superseded = True
    row.save(update_fields=["superseded"])
    target = row.session.channel or row.session.actuator
    assert target is not None
    site = site_of(target)
    record(site, now, by, f"left out a capture of {name_of(target)}", row, {"raw": row.raw}, None)
    tell(site.pk, "calibration")


@transaction.atomic
def publish(
    target: Target,
    code: str,
    expected_number: int,
    by: User,
    now: datetime,
    valid_from: datetime | None = None,
    form: str = "",
) -> CalibrationVersion:
    """Publish what a bench gives as the next version, from now or from a past moment.

    Raises NotDetermined without enough captures, Inconsistent when someone published first, OutOfRange for a moment in the
    future or before the first reading, and whatever the method refuses.
    """
    _lock(target)
    session = session_of(target, code) or fresh_session(target, way_of(target, code).code)
    captures = open_captures(session)
    draft = draft_of(session, captures, form)
    if draft is None:
        missing = [c.title.lower() for c in method(code).cards if c.kind not in {p.kind for p in captures}]
        raise NotDetermined(
            "points", f"no {' and no '.join(missing)}" if missing else "too few", "the captures this method needs"
        )
    version = _publish(target, code, draft, points_of(captures, draft), expected_number, by, now, valid_from)
    if session.pk:
        session.closed_at = now
        session.save(update_fields=["closed_at"])
    return version


def points_of(captures: list[Capture], draft: Draft) -> list[dict[str, Any]]:
    """Captures as they are kept with a version."""
    residuals = draft.residuals if len(draft.residuals) == len(captures) else [0.0] * len(captures)
    return [
        {
            "x": c.raw, "y": c.reference, "noise": c.noise_raw, "kind": c.kind, "at": c.taken_at.isoformat(), "by": str(c.taken_by),
            "inputs": c.inputs, "residual": r,
        }
        for c, r in zip(captures, residuals, strict=True)
    ]  # fmt: skip


def _publish(
    target: Target, code: str, draft: Draft, points: list[dict[str, Any]], expected_number: int, by: User, now: datetime,
    valid_from: datetime | None,
) -> CalibrationVersion:  # fmt: skip
    number = (target.calibrations.aggregate(last=Max("number"))["last"] or 0) + 1
    if number != expected_number:
        raise Inconsistent(
            "number", expected_number, f"{number}: someone published version {number - 1} meanwhile, reload"
        )
    since = _since(target, valid_from, now)
    key = {"channel": target} if isinstance(target, Channel) else {"actuator": target}
    version = CalibrationVersion.objects.create(
        **key, number=number, method=code, gives=draft.gives, form=draft.curve.form.value, coefficients=list(draft.curve.coefficients),
        low=draft.curve.low, high=draft.curve.high, points=points, figures={k: v for k, v in draft.figures.items() if v == v},
        words=draft.words[:400], rmse=draft.rmse, loo_rmse=None if draft.loo_rmse != draft.loo_rmse else draft.loo_rmse,
        noise_raw=draft.noise_raw, resolution=draft.resolution, provisional=draft.provisional, valid_from=since, published_at=now,
        published_by=by,
    )  # fmt: skip
    site = site_of(target)
    told = {"form": version.form, "coefficients": version.coefficients, "valid_from": since.isoformat()}
    record(site, now, by, f"published calibration {number} of {name_of(target)}", version, None, told)
    tell(site.pk, "calibration", "readings")
    return version


def _since(target: Target, valid_from: datetime | None, now: datetime) -> datetime:
    if isinstance(target, Actuator):
        return now
    first = Reading.objects.filter(channel=target).aggregate(first=Min("time"))["first"]
    if first is None and method(way_of(target, "").code).steady:
        raise NotDetermined("valid_from", None, "a channel that has readings; it has none yet")
    if valid_from is None:
        return now
    if valid_from > now:
        raise OutOfRange("valid_from", valid_from.isoformat(timespec="minutes"), "now or a past moment")
    if first is not None and valid_from < first:
        raise OutOfRange(
            "valid_from",
            valid_from.isoformat(timespec="minutes"),
            f"not before the first reading, {first.isoformat(timespec='minutes')}",
        )
    return valid_from


@transaction.atomic
def adopt(
    channel: Channel,
    correction: Curve,
    words: str,
    figures: dict[str, float],
    rmse: float,
    expected_number: int,
    by: User,
    now: datetime,
) -> CalibrationVersion:
    """Publish a correction found side by side: it is laid over the calibration in force, from now on."""
    _lock(channel)
    draft = Draft(correction, channel.quantity, [], 0.0, None, rmse=rmse, words=words, figures=figures)
    last = channel.calibrations.filter(reverted_at=None).order_by("-number").first()
    if last is not None:
        draft.gives = last.gives
    return _publish(channel, "against", draft, [], expected_number, by, now, None)


@transaction.atomic
def revert(version: CalibrationVersion, by: User, now: datetime) -> CalibrationVersion:
    """Take a version out of force: the numbers before it hold again. It stays readable. Raises Inconsistent when it is out already."""
    row = CalibrationVersion.objects.select_for_update(of=("self",)).get(pk=version.pk)
    if row.reverted_at is not None:
        raise Inconsistent("version", row.number, "a version that is in force; this one was reverted already")
    row.reverted_at, row.reverted_by = now, by
    row.save(update_fields=["reverted_at", "reverted_by"])
    target = row.channel or row.actuator
    assert target is not None
    site = site_of(target)
    record(
        site,
        now,
        by,
        f"reverted calibration {row.number} of {name_of(target)}",
        row,
        {"in_force": True},
        {"in_force": False},
    )
    tell(site.pk, "calibration", "readings")
    return row


def now_of(target: Target) -> datetime:
    return site_now(site_of(target))
