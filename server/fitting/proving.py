"""The guided test of a sensor: three phases, judged by the core, kept as a record."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from django.db import IntegrityError, transaction

from accounts.models import User
from common.events import tell
from logbook.services import record
from places.beds import capacity_of
from readings.models import Reading
from reedcore.calibration import steadiness
from reedcore.errors import Inconsistent
from reedcore.response import MIN_READINGS, Phase, ProofLimits, prove_sensor
from reedcore.response import Proof as CoreProof
from reedcore.sensors import SensorKind, quantity, sensor_kinds

from .models import Channel, Outcome, Proof

PHASES = ("first", "changed", "back")
MOST_PLOT = 400
LONGEST_READINGS = 3000


@dataclass
class PhaseNow:
    """One phase: what to do, since when, how many readings, steady or why not."""

    name: str
    instruction: str
    since: datetime | None
    readings: int
    steady: bool
    why: str


def kind_of(channel: Channel) -> SensorKind:
    """The kind of a channel's sensor; one that was made from a bare register is tested as its quantity usually is."""
    kinds = sensor_kinds()
    if channel.sensor_kind in kinds:
        return kinds[channel.sensor_kind]
    fitting = [k for k in kinds.values() if any(c.quantity == channel.quantity for c in k.channels)]
    return fitting[0] if fitting else kinds["supply"]


def limits_of(channel: Channel) -> ProofLimits:
    """Limits of the test; the span is the probe's own where it has one."""
    limits = kind_of(channel).limits
    if channel.probe is not None and channel.quantity == "raw":
        return ProofLimits(
            channel.probe.span_raw, limits.least_reaction_share, limits.settle_s, limits.dead_s, limits.noise_share,
            limits.return_share, limits.rail_low, limits.rail_high,
        )  # fmt: skip
    return limits


@transaction.atomic
def start(channel: Channel, by: User, now: datetime) -> Proof:
    """Begin a test; an open one of the same channel is gone on with."""
    held = Proof.objects.select_for_update().filter(channel=channel, outcome=Outcome.OPEN).first()
    if held is not None:
        return held
    try:
        with transaction.atomic():
            proof = Proof.objects.create(
                channel=channel, by=by, started_at=now, phases=[{"name": PHASES[0], "at": now.isoformat()}]
            )
    except IntegrityError:
        return Proof.objects.get(channel=channel, outcome=Outcome.OPEN)
    record(channel.node.site, now, by, "began proving a sensor", proof)
    tell(channel.node.site_id, "fitting")
    return proof


@transaction.atomic
def next_phase(proof: Proof, now: datetime) -> Proof:
    """Go to the next phase. Raises Inconsistent when there is none, or too few readings in this one."""
    row = Proof.objects.select_for_update(of=("self",)).get(pk=proof.pk)
    if row.outcome != Outcome.OPEN or len(row.phases) >= len(PHASES):
        raise Inconsistent("phase", row.phases[-1]["name"], "a test with a phase still to come")
    current = _phases(row)[-1]
    if len(current.raw) < MIN_READINGS:
        raise Inconsistent(
            "phase", f"{len(current.raw)} readings", f"at least {MIN_READINGS} readings in this phase; wait a little"
        )
    row.phases = [*row.phases, {"name": PHASES[len(row.phases)], "at": now.isoformat()}]
    row.save(update_fields=["phases"])
    tell(row.channel.node.site_id, "fitting")
    return row


@transaction.atomic
def finish(proof: Proof, by: User, now: datetime) -> Proof:
    """Judge the test and keep it. Raises NotDetermined where a phase is missing or too short."""
    row = Proof.objects.select_for_update(of=("self",)).get(pk=proof.pk)
    if row.outcome != Outcome.OPEN:
        return row
    judged = judge(row)
    row.outcome, row.ended_at, row.by = judged.outcome.value, now, by
    row.result, row.plot = result_of(judged), plot_of(row)
    row.save()
    site = row.channel.node.site
    record(site, now, by, "proved a sensor", row, None, {"outcome": row.outcome})
    tell(site.pk, "fitting")
    return row


@transaction.atomic
def give_up(proof: Proof) -> None:
    """Forget an open test; finished ones stay."""
    Proof.objects.filter(pk=proof.pk, outcome=Outcome.OPEN).delete()


def readings_of(proof: Proof) -> list[tuple[datetime, float]]:
    rows = Reading.objects.filter(channel=proof.channel_id, time__gte=proof.started_at)
    if proof.ended_at:
        rows = rows.filter(time__lte=proof.ended_at)
    return list(rows.order_by("time").values_list("time", "raw")[:LONGEST_READINGS])


def _phases(proof: Proof, rows: list[tuple[datetime, float]] | None = None) -> list[Phase]:
    rows = readings_of(proof) if rows is None else rows
    starts = [datetime.fromisoformat(p["at"]) for p in proof.phases]
    ends = [*starts[1:], None]
    out = []
    for begin, end in zip(starts, ends, strict=True):
        mine = [((t - begin).total_seconds(), raw) for t, raw in rows if t >= begin and (end is None or t < end)]
        out.append(Phase(np.array([s for s, _ in mine], float), np.array([r for _, r in mine], float)))
    return out


def judge(proof: Proof) -> CoreProof:
    """The core's judgement of what has come in. Raises NotDetermined naming the phase that is too short."""
    phases = _phases(proof)
    empty = Phase(np.array([]), np.array([]))
    first, changed, back = (*phases, *[empty] * (3 - len(phases)))
    probe = proof.channel.probe
    step = capacity_of(probe.bed) if probe is not None and proof.channel.quantity == "raw" else 1.0
    return prove_sensor(first, changed, back, limits_of(proof.channel), min(1.0, step))


def result_of(judged: CoreProof) -> dict[str, Any]:
    def plain(value: float) -> float | None:
        return float(value) if np.isfinite(value) else None

    return {
        "span": plain(judged.span_raw),
        "direction": judged.direction,
        "dead_s": plain(judged.dead_s),
        "settle_s": plain(judged.settle_s),
        "noise": plain(judged.noise_raw),
        "resolution_points": plain(judged.resolution_points),
        "return": plain(judged.return_raw),
        "checks": [
            {
                "code": c.code,
                "outcome": c.outcome.value,
                "figure": plain(c.figure),
                "limit": plain(c.limit),
                "unit": c.unit,
                "words": c.words,
            }
            for c in judged.checks
        ],
    }


def plot_of(proof: Proof) -> list[list[float]]:
    """The test as a curve: seconds since its start and raw, at most 400 points."""
    rows = readings_of(proof)
    step = max(1, len(rows) // MOST_PLOT)
    return [[round((t - proof.started_at).total_seconds(), 1), raw] for t, raw in rows[::step]]


def phases_now(proof: Proof) -> list[PhaseNow]:
    """Every phase with its instruction and how far it is."""
    kind, data = kind_of(proof.channel), _phases(proof)
    span = limits_of(proof.channel).span_raw
    out = []
    for i, name in enumerate(PHASES):
        since = datetime.fromisoformat(proof.phases[i]["at"]) if i < len(proof.phases) else None
        count = len(data[i].raw) if i < len(data) else 0
        steady, why = False, "not begun"
        if since is not None and proof.outcome == Outcome.OPEN:
            judged = steadiness(data[i].seconds, data[i].raw, span)
            steady, why = judged.steady, "steady" if judged.steady else judged.why
        out.append(PhaseNow(name, str(kind.proof[name]), since, count, steady, why))
    return out


def unit_of(channel: Channel) -> str:
    return quantity(channel.quantity).unit
