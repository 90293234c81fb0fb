"""The slip: the last decisions as plain sentences, pulses that were not carried out, and the notes."""

from dataclasses import dataclass
from datetime import datetime

from logbook.models import Note
from places.models import Site
from reedcore.reasons import Action, Memory, Reason, Why
from reedcore.reasons import Decision as CoreDecision
from reedcore.words import duration, litres, say_decision

from .models import Decision, Pulse, PulseState

MOST = 30


@dataclass
class SlipLine:
    at: datetime
    bed: int | None
    bed_name: str
    kind: str
    heading: str
    body: str


def core_decision(row: Decision) -> CoreDecision:
    """The core's decision of a stored row."""
    reasons = tuple(Reason(Why(r["why"]), _numbers(r["numbers"]), r.get("text", "")) for r in row.reasons)
    return CoreDecision(Action(row.action), reasons, Memory(), row.dose_ml_per_plant, row.seconds)


def _numbers(stored: dict[str, float | None]) -> dict[str, float]:
    return {k: float("nan") if v is None else v for k, v in stored.items()}


def slip_of(site: Site, bed_id: int | None) -> list[SlipLine]:
    """The newest lines for a site or one of its beds, newest first."""
    changes = Decision.objects.filter(bed__house__site=site).select_related("bed")
    pulses = Pulse.objects.filter(bed__house__site=site).select_related("bed", "by")
    notes = Note.objects.filter(site=site).select_related("by", "bed")
    if not bed_id:
        # Over the whole house the steps between pulses say nothing new; a bed's own slip has them all.
        changes = changes.exclude(why__in=[Why.IN_BAND.value, Why.RUNNING.value, Why.SOAKING.value, Why.NOT_YET.value])
    if bed_id:
        changes, pulses, notes = changes.filter(bed=bed_id), pulses.filter(bed=bed_id), notes.filter(bed=bed_id)
    lines = [_decision_line(d) for d in changes.order_by("-tick_at")[:MOST]]
    lines += [_pulse_line(p) for p in pulses.filter(state=PulseState.NOT_GIVEN).order_by("-ordered_at")[:8]]
    lines += [_hand_line(p) for p in pulses.filter(by__isnull=False).order_by("-ordered_at")[:4]]
    lines += [
        SlipLine(n.at, n.bed_id, n.bed.name if n.bed else "", "note", str(n.by), n.text)
        for n in notes.order_by("-at")[:10]
    ]
    return sorted(lines, key=lambda line: line.at, reverse=True)[:MOST]


def _decision_line(row: Decision) -> SlipLine:
    sentence = say_decision(core_decision(row))
    held = sentence.heading == "Held."
    kind = "given" if row.action == Action.GIVE else "held" if held else "withheld"
    return SlipLine(row.tick_at, row.bed_id, row.bed.name, kind, sentence.heading, sentence.body)


def _pulse_line(p: Pulse) -> SlipLine:
    return SlipLine(
        p.ended_at or p.ordered_at,
        p.bed_id,
        p.bed.name,
        "withheld",
        "Not given after all.",
        f"The pulse of {litres(p.dose_ml)} per plant was not carried out: no node started it in time.",
    )


def _hand_line(p: Pulse) -> SlipLine:
    return SlipLine(
        p.ordered_at,
        p.bed_id,
        p.bed.name,
        "given",
        f"{litres(p.dose_ml)} per plant by hand, {duration(p.seconds)}.",
        f"{p.by} ordered it; the valve closes by itself.",
    )
