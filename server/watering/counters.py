"""Starts and hours of a device, from the commands it carried out."""

from datetime import datetime

from .models import Command, CommandState


def counted(actuator: int, since: datetime | None) -> tuple[int, float]:
    """Starts and hours of a device, since a moment or ever. An order that followed on an open one is the same run."""
    rows = Command.objects.filter(
        actuator=actuator, seconds__gt=0, state__in=[CommandState.STARTED, CommandState.DONE], started_at__isnull=False
    )
    if since is not None:
        rows = rows.filter(started_at__gte=since)
    starts, seconds, until = 0, 0.0, None
    for began, ended, ordered in rows.order_by("started_at").values_list("started_at", "ended_at", "seconds"):
        length = min(ordered, (ended - began).total_seconds()) if ended is not None else ordered
        first = began.timestamp()
        if until is None or first > until + 1:
            starts += 1
            seconds += max(0.0, length)
            until = first + length
        elif first + length > until:
            seconds += first + length - until
            until = first + length
    return starts, seconds / 3600
