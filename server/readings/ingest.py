"""A batch of readings from a node: each bad one refused by name, the good ones kept, none twice."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from common.errors import error_row
from common.events import tell
from fitting.convert import Convert, converter
from fitting.models import Channel, Node, NodeKind
from places.models import Site
from reedcore.errors import OutOfRange
from reedcore.sensors import quantity as quantity_of

from .models import Arrival, Latest, Quality, Reading

MAX_BATCH = 10_000
AHEAD_S = 600
"""A reading further ahead of the site's clock than this is refused: its node's clock is wrong."""


@dataclass
class Outcome:
    kept: int
    refused: list[dict[str, Any]]


def ingest(node: Node, rows: list[Any], now: datetime) -> Outcome:
    """Keep a batch of {"channel", "time", "raw"}. A batch sent twice changes nothing.

    Raises OutOfRange for more than 10,000 rows or a body that is not a list. Bad rows come back in `refused`
    with index, field, value and expectation; the rest are kept.
    """
    if not isinstance(rows, list):
        raise OutOfRange("readings", type(rows).__name__, "a list of readings")
    if not 1 <= len(rows) <= MAX_BATCH:
        raise OutOfRange("readings", f"{len(rows)} readings", f"1 to {MAX_BATCH} readings a request")
    known = _channels_of(node)
    good, refused = _sort_out(rows, known, now + timedelta(seconds=AHEAD_S))
    if good:
        _keep(good, now)
        tell(node.site_id, "readings")
    return Outcome(len(good), refused)


def take_rows(site: Site, rows: list[dict[str, Any]], now: datetime) -> Outcome:
    """Keep rows of any channel of a site, as a file brings them; refused ones come back by their place."""
    mine = Channel.objects.filter(node__site=site)
    good, refused = _sort_out(rows, _rules(mine), now + timedelta(seconds=AHEAD_S))
    if good:
        _keep(good)
    return Outcome(len(good), refused)


Rule = tuple[float, float, Convert | None]
"""What a channel's reading can be, and how it becomes a value."""


def _channels_of(node: Node) -> dict[int, Rule]:
    return _rules(
        Channel.objects.filter(node__site_id=node.site_id) if node.kind == NodeKind.GATEWAY else node.channels
    )


def _rules(mine: Any) -> dict[int, Rule]:
    known: dict[int, Rule] = {}
    for pk, code, kind, inputs in mine.values_list("pk", "quantity", "input", "input_settings"):
        q = quantity_of(code)
        known[pk] = (q.low, q.high, converter(kind, inputs))
    return known


def _sort_out(rows: list[Any], known: dict[int, Rule], latest: datetime) -> tuple[list[Reading], list[dict[str, Any]]]:
    good: list[Reading] = []
    refused: list[dict[str, Any]] = []
    for index, row in enumerate(rows):
        try:
            good.append(_checked(row, known, latest))
        except OutOfRange as error:
            refused.append({"index": index, **error_row(error.field, error.value, error.expectation)})
    return good, refused


def _checked(row: Any, known: dict[int, Rule], latest: datetime) -> Reading:
    if not isinstance(row, dict):
        raise OutOfRange("reading", str(row)[:60], "an object with channel, time and raw")
    channel, raw = row.get("channel"), row.get("raw")
    if not isinstance(channel, int) or channel not in known:
        raise OutOfRange("channel", channel, "the number of a channel of this node")
    if isinstance(raw, bool) or not isinstance(raw, int | float) or not math.isfinite(raw):
        raise OutOfRange("raw", raw, "a finite number")
    low, high, convert = known[channel]
    sound = True
    if convert is not None:
        raw, sound = convert(raw)
    quality = Quality.GOOD if sound and low <= raw <= high else Quality.OUT_OF_RANGE if sound else Quality.INPUT_FAULT
    # The bare int skips the enum's descriptor, which costs as much as the rest of this function.
    return Reading(channel_id=channel, time=_time_of(row.get("time"), latest), raw=raw, quality=int(quality))


def _time_of(value: Any, latest: datetime) -> datetime:
    try:
        time = datetime.fromisoformat(value)
    except (TypeError, ValueError):
        raise OutOfRange("time", str(value)[:60], "a time such as 2026-06-18T06:30:00+00:00") from None
    if time.tzinfo is None:
        raise OutOfRange("time", value, "a time with its offset from UTC")
    if time > latest:
        raise OutOfRange(
            "time", value, f"a time not after {latest.isoformat(timespec='seconds')}: check the node's clock"
        )
    return time


LATE = timedelta(hours=1)
BACK = timedelta(minutes=1)


def odd_arrivals(good: list[Reading], now: datetime) -> list[Arrival]:
    """Late, doubled and backward readings of a batch in the order of arrival, one row a channel and kind."""
    late_before = now - LATE
    newest: dict[int, datetime] = {}
    found: dict[tuple[int, str], list[datetime]] = {}
    for r in good:
        channel, time = r.channel_id, r.time
        before = newest.get(channel)
        if time < late_before:
            found.setdefault((channel, "late"), []).append(time)
        if before is None or time > before:
            newest[channel] = time
        elif time == before:
            found.setdefault((channel, "duplicate"), []).append(time)
        elif before - time > BACK:
            found.setdefault((channel, "clock_jump"), []).append(time)
    return [
        Arrival(channel_id=c, kind=kind, start=min(times), end=max(times), readings=len(times), noticed_at=now)
        for (c, kind), times in found.items()
    ]


@transaction.atomic
def _keep(good: list[Reading], now: datetime | None = None) -> None:
    if now is not None and (odd := odd_arrivals(good, now)):
        Arrival.objects.bulk_create(odd)
    # In order of key: two batches with the same rows in different order would deadlock on each other's fresh keys.
    good.sort(key=lambda r: (r.channel_id, r.time))
    Reading.objects.bulk_create(good, ignore_conflicts=True, batch_size=5000)
    newest: dict[int, Reading] = {}
    for reading in good:
        held = newest.get(reading.channel_id)
        if held is None or reading.time > held.time:
            newest[reading.channel_id] = reading
    _renew_latest(newest)


def _renew_latest(newest: dict[int, Reading]) -> None:
    # Rows are locked in order of channel so that two batches at once cannot deadlock.
    held = {
        row.channel_id: row for row in Latest.objects.select_for_update().filter(channel__in=newest).order_by("channel")
    }
    newer = [
        Latest(channel_id=c, time=r.time, raw=r.raw, quality=r.quality)
        for c, r in sorted(newest.items())
        if c not in held or r.time > held[c].time
    ]
    Latest.objects.bulk_create(
        newer, update_conflicts=True, unique_fields=["channel"], update_fields=["time", "raw", "quality"]
    )
