"""The edge where time enters. A real site has the real clock; the demo holding has its own."""

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo


def real_now() -> datetime:
    """The machine's clock, UTC. The only place the server reads it."""
    return datetime.now(UTC)


def site_now(site: Any, real: datetime | None = None) -> datetime:
    """The site's time now: of its demo clock where it has one, else the real time."""
    at = real or real_now()
    # hasattr is False as well where the reverse one-to-one row does not exist.
    if not hasattr(site, "demo_clock"):
        return at
    clock = site.demo_clock
    return clock.anchor_site + timedelta(seconds=(at - clock.anchor_real).total_seconds() * clock.rate)


def midnight_of(at: datetime, zone: str) -> datetime:
    """Start of the civil day of `at` in a zone, as UTC."""
    local = at.astimezone(ZoneInfo(zone))
    return local.replace(hour=0, minute=0, second=0, microsecond=0).astimezone(UTC)
