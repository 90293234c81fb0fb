"""The test of a valve, pump, contact or doser: run while held, stop verified, level switch blocks the pump."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.apps import apps
from django.db import IntegrityError, transaction

from accounts.models import User
from common.events import tell
from logbook.services import record
from readings.models import Latest, Reading
from reedcore.errors import Inconsistent, OutOfRange

from .models import Actuator, ActuatorKind, ActuatorProof, Channel, Outcome
from .silence import rate_of

HOLD_S = 3.0
"""One hold runs at most this long; the page asks again while the button is held. Closed page: it ends by itself."""
MOST_HELD_S = 90.0
LIFE_S = 6.0
FLOWS_OVER_L_MIN = 0.3
STOP_WITHIN_S = 12.0
STEPS = ("run", "stop", "level")


@dataclass
class ActuatorNow:
    """What the devices say now: seconds left, flow, level switch; None where nothing measures it."""

    left_s: float
    flow_l_min: float | None
    flow_at: datetime | None
    level_empty: bool | None


def _commands() -> Any:
    # watering stands on fitting; its table of commands is asked for by name, so that neither imports the other.
    return apps.get_model("watering", "Command").objects


@transaction.atomic
def begin(actuator: Actuator, by: User, now: datetime) -> ActuatorProof:
    """Begin a test; an open one is gone on with."""
    held = ActuatorProof.objects.filter(actuator=actuator, outcome=Outcome.OPEN).first()
    if held is not None:
        return held
    try:
        with transaction.atomic():
            proof = ActuatorProof.objects.create(
                actuator=actuator, by=by, started_at=now, checks={"held_s": 0.0, "runs": []}
            )
    except IntegrityError:
        return ActuatorProof.objects.get(actuator=actuator, outcome=Outcome.OPEN)
    record(actuator.node.site, now, by, "began proving an actuator", proof)
    return proof


def partners(actuator: Actuator) -> list[Actuator]:
    """What runs with it: a valve needs its pump, else nothing flows."""
    pump = actuator.bed.pump if actuator.bed else None
    mate = getattr(pump, "actuator", None) if pump else None
    return [actuator] if mate is None else [actuator, mate]


def flow_channel(actuator: Actuator) -> Channel | None:
    pump = actuator.pump or (actuator.bed.pump if actuator.bed else None)
    if pump is None:
        return None
    return Channel.objects.filter(pump=pump, quantity__in=["flow"], retired_at=None).order_by("pk").first()


def level_channel(actuator: Actuator) -> Channel | None:
    pump = actuator.pump or (actuator.bed.pump if actuator.bed else None)
    if pump is None:
        return None
    return Channel.objects.filter(tank=pump.tank, quantity="level_switch", retired_at=None).order_by("pk").first()


@transaction.atomic
def hold(proof: ActuatorProof, now: datetime) -> ActuatorProof:
    """Run on for a few seconds. Raises Inconsistent while a pulse waters, or when it has been held long enough."""
    row = ActuatorProof.objects.select_for_update(of=("self",)).get(pk=proof.pk)
    if row.outcome != Outcome.OPEN:
        raise Inconsistent("test", row.get_outcome_display(), "an open test; begin a new one")
    devices = partners(row.actuator)
    busy = _commands().filter(actuator__in=devices, state__in=["queued", "started"], pulse__isnull=False)
    if busy.exists():
        raise Inconsistent(
            "actuator",
            str(row.actuator.get_kind_display()),
            "one that waters no bed just now; wait until its pulse has ended",
        )
    if row.checks["held_s"] >= MOST_HELD_S:
        raise Inconsistent("held_s", row.checks["held_s"], f"at most {MOST_HELD_S:.0f} s of running in one test")
    rate = max(1.0, rate_of(row.actuator.node.site))
    _order(devices, HOLD_S * rate, now, rate)
    runs = row.checks["runs"]
    if runs and datetime.fromisoformat(runs[-1]["until"]) >= now and runs[-1]["step"] == row.step:
        runs[-1]["until"] = (now + timedelta(seconds=HOLD_S * rate)).isoformat()
    else:
        runs.append(
            {"step": row.step, "from": now.isoformat(), "until": (now + timedelta(seconds=HOLD_S * rate)).isoformat()}
        )
    row.checks = {**row.checks, "held_s": row.checks["held_s"] + 1.0, "runs": runs, "released": None}
    row.save(update_fields=["checks"])
    tell(row.actuator.node.site_id, "watering")
    return row


def _order(devices: list[Actuator], seconds: float, now: datetime, rate: float) -> None:
    expires = now + timedelta(seconds=LIFE_S * rate)
    _commands().filter(actuator__in=devices, state="queued", pulse__isnull=True).update(
        state="expired", note="a newer one took its place"
    )
    _commands().bulk_create(
        [_commands().model(actuator=d, seconds=seconds, issued_at=now, expires_at=expires) for d in devices]
    )


@transaction.atomic
def release(proof: ActuatorProof, now: datetime) -> ActuatorProof:
    """Stop at once: the button was let go."""
    row = ActuatorProof.objects.select_for_update(of=("self",)).get(pk=proof.pk)
    if row.outcome == Outcome.OPEN and row.checks["runs"] and not row.checks.get("released"):
        rate = max(1.0, rate_of(row.actuator.node.site))
        _order(partners(row.actuator), 0.0, now, rate)
        row.checks["runs"][-1]["until"] = min(row.checks["runs"][-1]["until"], now.isoformat())
        row.checks = {**row.checks, "released": now.isoformat()}
        row.save(update_fields=["checks"])
        tell(row.actuator.node.site_id, "watering")
    return row


@transaction.atomic
def set_step(proof: ActuatorProof, step: str) -> ActuatorProof:
    """Go to a step: run, stop or level. Raises OutOfRange."""
    if step not in STEPS:
        raise OutOfRange("step", step, "one of " + ", ".join(STEPS))
    row = ActuatorProof.objects.select_for_update(of=("self",)).get(pk=proof.pk)
    if row.outcome == Outcome.OPEN:
        row.step = step
        row.save(update_fields=["step"])
    return row


def now_of(proof: ActuatorProof, now: datetime) -> ActuatorNow:
    """What the devices say now."""
    running = _commands().filter(actuator__in=partners(proof.actuator), state="started", seconds__gt=0)
    left = max((c.seconds - (now - c.started_at).total_seconds() for c in running), default=0.0)
    flow, level = flow_channel(proof.actuator), level_channel(proof.actuator)
    latest = {row.channel_id: row for row in Latest.objects.filter(channel__in=[c.pk for c in (flow, level) if c])}
    f, s = latest.get(flow.pk if flow else 0), latest.get(level.pk if level else 0)
    return ActuatorNow(max(0.0, left), f.raw if f else None, f.time if f else None, bool(s.raw) if s else None)


def _flow_between(channel: Channel, start: datetime, end: datetime) -> list[float]:
    return list(Reading.objects.filter(channel=channel, time__gte=start, time__lte=end).values_list("raw", flat=True))


def checks_of(proof: ActuatorProof, now: datetime) -> dict[str, Any]:
    """What the record shows so far: runs (flow or confirmed), stops, level; None where not tried or not measurable."""
    flow = flow_channel(proof.actuator)
    runs = proof.checks["runs"]
    out: dict[str, Any] = {
        "runs": None,
        "flow_l_min": None,
        "stops": None,
        "stop_flow_l_min": None,
        "level": None,
        "held_s": proof.checks["held_s"],
    }
    confirmed = _commands().filter(
        actuator=proof.actuator,
        pulse__isnull=True,
        issued_at__gte=proof.started_at,
        state__in=["started", "done"],
        seconds__gt=0,
    )
    plain = [r for r in runs if r["step"] in ("run", "stop")]
    if plain and confirmed.exists():
        if flow is None:
            out["runs"] = True
        else:
            seen = [
                v
                for r in plain
                for v in _flow_between(
                    flow, datetime.fromisoformat(r["from"]), datetime.fromisoformat(r["until"]) + timedelta(seconds=2)
                )
            ]
            out["flow_l_min"] = max(seen) if seen else None
            out["runs"] = out["flow_l_min"] > FLOWS_OVER_L_MIN if seen else None
    if proof.checks.get("released"):
        out |= _stop_check(proof, flow, now)
    blocked = [r for r in runs if r["step"] == "level"]
    if blocked and flow is not None:
        seen = [
            v
            for r in blocked
            for v in _flow_between(
                flow, datetime.fromisoformat(r["from"]) + timedelta(seconds=1), datetime.fromisoformat(r["until"])
            )
        ]
        out["level"] = max(seen) <= FLOWS_OVER_L_MIN if len(seen) >= 2 else None
    return out


def _stop_check(proof: ActuatorProof, flow: Channel | None, now: datetime) -> dict[str, Any]:
    released = datetime.fromisoformat(proof.checks["released"])
    rate = max(1.0, rate_of(proof.actuator.node.site))
    still = _commands().filter(actuator__in=partners(proof.actuator), state__in=["queued", "started"]).exists()
    if flow is None:
        return {"stops": not still if not still or (now - released).total_seconds() > STOP_WITHIN_S * rate else None}
    after = _flow_between(flow, released + timedelta(seconds=2 * rate), now)
    if not after:
        return {"stops": None}
    if after[-1] <= FLOWS_OVER_L_MIN and not still:
        return {"stops": True, "stop_flow_l_min": after[-1]}
    late = (now - released).total_seconds() > STOP_WITHIN_S * rate
    return {"stops": False if late else None, "stop_flow_l_min": after[-1]}


@transaction.atomic
def finish(proof: ActuatorProof, seen: dict[str, bool | None], by: User, now: datetime) -> ActuatorProof:
    """Keep the result. What no sensor measures, the person says: `seen` may hold runs, stops and level."""
    row = ActuatorProof.objects.select_for_update(of=("self",)).select_related("actuator__node__site").get(pk=proof.pk)
    if row.outcome != Outcome.OPEN:
        return row
    release(row, now)
    row.refresh_from_db()
    checks = checks_of(row, now)
    for name in ("runs", "stops", "level"):
        if checks[name] is None and seen.get(name) is not None:
            checks[name], checks[f"{name}_by"] = seen[name], "seen by the tester"
    wanted = ["runs", "stops"] + (["level"] if row.actuator.kind == ActuatorKind.PUMP else [])
    results = [checks[name] for name in wanted]
    row.outcome = Outcome.FAIL if False in results else Outcome.RETRY if None in results else Outcome.PASS
    row.checks = {**row.checks, **checks}
    row.ended_at, row.by = now, by
    row.save()
    record(row.actuator.node.site, now, by, "proved an actuator", row, None, {"outcome": row.outcome})
    tell(row.actuator.node.site_id, "fitting")
    return row
