"""Why a bed was watered or not at any minute of the record."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from common.clock import site_now
from places.models import Bed
from reedcore.words import say_decision

from .models import ControlClock, ControlGap, Decision, ProgrammeVersion
from .ribbon import read_tracks
from .slip import core_decision

SILENT = timedelta(minutes=3)
"""A decision holds so long after the last tick; after that nobody knows."""


@dataclass
class Explained:
    """The decision that held at a minute: since when, in words; theta then [m3/m3]; programme: the version that acted."""

    at: datetime
    since: datetime | None
    heading: str
    body: str
    theta: float | None
    programme: int | None


def explain(bed: Bed, at: datetime) -> Explained:
    """The decision that held at a moment, or why there is none."""
    version = ProgrammeVersion.objects.filter(bed=bed, published_at__lte=at).order_by("-number").first()
    number = version.number if version else None
    if at > site_now(bed.house.site):
        return Explained(at, None, "Not yet.", "That minute is still to come.", None, number)
    theta = _theta(bed, at)
    row = Decision.objects.filter(bed=bed, tick_at__lte=at).order_by("-tick_at").first()
    gap = ControlGap.objects.filter(site=bed.house.site, last_tick__lt=at, next_tick__gt=at).first()
    if gap is not None:
        minutes = (gap.next_tick - gap.last_tick).total_seconds() / 60
        body = f"The server did not run for {minutes:.0f} minutes around it: nothing was decided. Valves that were open closed by themselves."
        return Explained(at, gap.last_tick, "No decision.", body, theta, number)
    clock = ControlClock.objects.filter(site=bed.house.site).first()
    silent = clock is not None and clock.last_tick is not None and at > clock.last_tick + SILENT
    if row is None or silent:
        body = "No decision is on record for that minute: the bed had no programme, or control did not run."
        return Explained(at, None, "No decision.", body, theta, number)
    sentence = say_decision(core_decision(row))
    return Explained(at, row.tick_at, sentence.heading, sentence.body, theta, number)


def _theta(bed: Bed, at: datetime) -> float | None:
    tracks = read_tracks(bed, at - timedelta(minutes=5), at + timedelta(seconds=1), timedelta(minutes=5))
    known = tracks.theta[tracks.theta == tracks.theta]
    return float(known[-1]) if len(known) else None
