"""Watch in words: what a bed does, and who in the house needs a person."""

from collections.abc import Sequence
from datetime import datetime
from typing import Protocol
from zoneinfo import ZoneInfo

from places.models import Bed, Site
from reedcore.words import duration, say_trend

from .state import SiteState


class BedInWords(Protocol):
    """What the site's sentence needs of a bed."""

    name: str
    status: str
    status_words: str
    urgent: int
    programme: int | None


def _clock(site: Site, at: datetime) -> str:
    return at.astimezone(ZoneInfo(site.time_zone)).strftime("%H:%M")


def _window_words(site: Site, window: tuple[datetime, datetime] | None) -> str:
    if window is None:
        return "no pulse is due before the next sunset"
    first, last = (_clock(site, t) for t in window)
    return f"next pulse about {first}" if first == last else f"next pulse {first} to {last}"


def say_bed(
    state: SiteState,
    bed: Bed,
    status: str,
    trend: float,
    window: tuple[datetime, datetime] | None,
    running: tuple[float, float] | None,
) -> tuple[str, str]:
    water, version, control = state.waters[bed.pk], state.programmes.get(bed.pk), state.controls[bed.pk]
    if status == "uncalibrated":
        return (
            "Its probe is not calibrated, so its water is not known.",
            f"Probe {water.probe_name} reads {water.raw:.0f} counts. Until it is calibrated the bed is not watered by Tall Reed.",
        )
    if status == "no_data":
        since = f"No reading since {_clock(state.site, water.at)}" if water.at else "No reading yet"
        return f"{since}; pulses are withheld.", "Check the node and the probe under Fit."
    if status == "not_to_be_used":
        why = "; ".join(f"probe {n} is out: {words}" for n, words in water.left_out.items())
        return "None of its probes is to be used; pulses are withheld.", (why[:1].upper() + why[1:])[
            :300
        ] or "See Calibrate."
    if status == "fault":
        return (
            f"Stopped after {control.tries} pulses that missed the target.",
            "Look for blocked drippers or a probe out of the wet zone, then clear the fault.",
        )
    if status == "stopped":
        return "Stopped by hand; no pulse until someone resumes it.", "Resume it under Water."
    if running:
        return f"Being watered: {running[0]:.0f} of {duration(running[1])}.", _now_words(bed, water.theta, trend)
    if version is None:
        return (
            f"At {100 * water.theta:.1f} %, {say_trend(trend)}; it has no programme.",
            "Open Water: a first programme is proposed.",
        )
    if status == "below":
        return f"{100 * (version.low - water.theta):.1f} points under its band, {say_trend(trend)}.", _window_words(
            state.site, window
        ) + "."
    if status == "above":
        return f"{100 * (water.theta - version.high):.1f} points above its band, {say_trend(trend)}.", _window_words(
            state.site, window
        ) + "."
    return f"In its band, {say_trend(trend)}; {_window_words(state.site, window)}.", ""


def _now_words(bed: Bed, theta: float, trend: float) -> str:
    return f"Water content {100 * theta:.1f} %, {say_trend(trend)}."


def say_silent(names: Sequence[str]) -> str:
    """Silent nodes in a sentence, empty when all speak."""
    if not names:
        return ""
    if len(names) == 1:
        return f" Node {names[0]} is silent: see Fit."
    return (
        f" {_number(len(names))} nodes are silent ({', '.join(names[:4])}{', …' if len(names) > 4 else ''}): see Fit."
    )


NAMED_BEDS = 6
"""Up to so many beds in need are named in the site's sentence; more are counted by what ails them."""


def _trouble(bed: BedInWords) -> str:
    return bed.status_words if bed.programme or bed.status != "in_band" else "no programme"


def _counted(needy: Sequence[BedInWords]) -> str:
    troubles: dict[str, list[str]] = {}
    for bed in sorted(needy, key=lambda b: -b.urgent):
        troubles.setdefault(_trouble(bed), []).append(bed.name)
    told = [
        f"{len(names)} with {trouble} (bed{'s' if len(names) > 1 else ''} {', '.join(names[:4])}{' …' if len(names) > 4 else ''})"
        for trouble, names in troubles.items()
    ]
    return "; ".join(told)


def say_site(beds: Sequence[BedInWords]) -> str:
    needy = [b for b in beds if b.urgent >= 2]
    if not beds:
        return "No beds yet. Lay out the first house and its beds."
    fine = len(beds) - len(needy)
    if not needy:
        return "All beds are as they should be."
    what = " and ".join(f"bed {b.name} ({_trouble(b)})" for b in needy) if len(needy) <= NAMED_BEDS else _counted(needy)
    count = "One bed needs" if len(needy) == 1 else f"{_number(len(needy))} beds need"
    rest = (
        ""
        if not fine
        else " The other one is as it should be."
        if fine == 1
        else f" The other {_number(fine).lower()} are as they should be."
    )
    return f"{count} you: {what}.{rest}"


def _number(n: int) -> str:
    words = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"]
    return words[n] if n < len(words) else str(n)
