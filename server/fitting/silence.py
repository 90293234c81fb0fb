"""When a node counts as silent: three of its own intervals without a word."""

from datetime import datetime, timedelta

from places.models import Site

from .models import Node, NodeKind

INTERVALS = 3
SLACK_S = 5.0
FASTEST_POLL_S = 1.0


def interval_s(node: Node, rate: float) -> float:
    """Check-in interval in seconds of the site's clock: a fast demo clock cannot be polled faster than once a real second."""
    return max(node.poll_s, FASTEST_POLL_S * rate)


def silent_since(node: Node, now: datetime, rate: float = 1.0) -> datetime | None:
    """The moment from which a node has been silent, or None while it speaks. A node never heard is silent from the start."""
    if node.last_seen is None:
        return datetime.min.replace(tzinfo=now.tzinfo)
    limit = timedelta(seconds=INTERVALS * interval_s(node, rate) + SLACK_S * max(1.0, rate))
    return node.last_seen + limit if now - node.last_seen > limit else None


def rate_of(site: Site) -> float:
    """Site seconds per real second: 1, or the demo clock's."""
    return site.demo_clock.rate if hasattr(site, "demo_clock") else 1.0


def silent_nodes(site: Site, now: datetime) -> list[Node]:
    """Nodes of a site that are silent now; one that was just added is given its three intervals."""
    rate = rate_of(site)
    nodes = site.nodes.exclude(kind=NodeKind.GATEWAY).filter(retired_at=None)
    return [n for n in nodes if silent_since(n, now, rate) is not None]
