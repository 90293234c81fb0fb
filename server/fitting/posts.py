"""Readings that nodes post by themselves: plain JSON by name, SenML, CSV lines; one way in for all."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

from common.errors import error_row
from readings.ingest import Outcome, ingest
from reedcore.errors import OutOfRange
from reedcore.links.csvlines import CsvReading, parse_csv
from reedcore.links.senml import Refusal, parse_senml

from .models import Channel, Node, NodeHealth

MOST = 10_000


def names_of(node: Node) -> dict[str, int]:
    """Channels of a node by the names it may post under: its key, and its number as text."""
    rows = Channel.objects.filter(node=node, retired_at=None).values_list("pk", "key")
    return {**{str(pk): pk for pk, _ in rows}, **{key: pk for pk, key in rows if key}}


def _refused(r: Refusal) -> dict[str, Any]:
    return {"index": r.index, **error_row(r.field, r.value, r.expected)}


def _keep(node: Node, found: list[dict[str, Any]], refused: list[dict[str, Any]], now: datetime) -> Outcome:
    if len(found) > MOST:
        raise OutOfRange("readings", f"{len(found)} readings", f"at most {MOST} readings a request; send them in parts")
    if not found:
        return Outcome(0, refused)
    kept = ingest(node, [{k: v for k, v in f.items() if k != "index"} for f in found], now)
    moved = [{**r, "index": found[r["index"]]["index"]} for r in kept.refused]
    return Outcome(kept.kept, sorted([*refused, *moved], key=lambda r: r["index"]))


def post_senml(node: Node, text: str, now: datetime) -> Outcome:
    """Keep a SenML pack. Raises OutOfRange for what is not a pack; single records come back refused by index."""
    good, bad = parse_senml(text, now.timestamp())
    names, found, refused = names_of(node), [], [_refused(r) for r in bad]
    for index, m in enumerate(good):
        if m.name not in names:
            refused.append({"index": index, **error_row("n", m.name, "the name of a channel of this node")})
            continue
        found.append(
            {
                "index": index,
                "channel": names[m.name],
                "time": datetime.fromtimestamp(m.time_s, UTC).isoformat(),
                "raw": m.value,
            }
        )
    return _keep(node, found, refused, now)


def rows_of_csv(node_names: dict[str, int], lines: Iterable[str]) -> Iterable[dict[str, Any] | Refusal]:
    """Lines of a CSV as readings by channel number, or refusals by line."""
    for row in parse_csv(lines):
        if not isinstance(row, CsvReading):
            yield row
        elif row.channel not in node_names:
            yield Refusal(row.line, "channel", row.channel, "the name or number of a channel here")
        else:
            yield {
                "index": row.line,
                "channel": node_names[row.channel],
                "time": row.time.isoformat(),
                "raw": row.value,
            }


def post_csv(node: Node, text: str, now: datetime) -> Outcome:
    """Keep CSV lines with a header of time, channel and value. Refusals carry the line as their index."""
    found, refused = [], []
    for row in rows_of_csv(names_of(node), text.splitlines()):
        if isinstance(row, Refusal):
            refused.append(_refused(row))
        else:
            found.append(row)
    return _keep(node, found, refused, now)


def post_named(node: Node, values: Any, time: Any, now: datetime) -> Outcome:
    """Keep {"name": number} of one moment, the moment of reception where none is given."""
    if not isinstance(values, dict) or not values:
        raise OutOfRange("values", type(values).__name__, "an object of name and number")
    names, found, refused = names_of(node), [], []
    for index, (name, value) in enumerate(values.items()):
        if name not in names:
            refused.append({"index": index, **error_row("name", name, "the name of a channel of this node")})
            continue
        found.append({"index": index, "channel": names[name], "time": time or now.isoformat(), "raw": value})
    return _keep(node, found, refused, now)


HEALTH = {"supply_v": (0, 400), "battery_v": (0, 60), "uptime_s": (0, 4e9), "clock_offset_s": (-4e9, 4e9)}


def note_health(node: Node, said: dict[str, Any], now: datetime) -> None:
    """Keep what a node says of itself; a value that cannot be is passed over. Restarts are counted where uptime falls."""
    values: dict[str, float] = {}
    for name, (low, high) in HEALTH.items():
        value = said.get(name)
        if isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high:
            values[name] = float(value)
    uptime = values.get("uptime_s")
    # A hundred seconds of slack: readings of one node may overtake each other.
    if uptime is not None and node.uptime_s is not None and uptime < node.uptime_s - 100:
        node.restarts += 1
    for name, value in values.items():
        setattr(node, name, value)
    if isinstance(said.get("firmware"), str):
        node.firmware = said["firmware"][:40]
    if isinstance(said.get("config"), int) and not isinstance(said["config"], bool) and 0 <= said["config"] < 2**31:
        node.config_confirmed = said["config"]
    node.save(update_fields=[*values, "restarts", "firmware", "config_confirmed"])
    last = node.health.order_by("-at").values_list("at", flat=True).first()
    if values and (last is None or (now - last).total_seconds() >= 300):
        NodeHealth.objects.get_or_create(node=node, at=now, defaults=values)
