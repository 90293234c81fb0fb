"""Many channels at one bench: captured together, published together, each told its own outcome."""

from dataclasses import dataclass
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.endpoint import endpoint
from fitting.models import Channel
from places.models import Site
from reedcore.errors import ReedError
from reedcore.methods import method

from . import services
from .api import CaptureForm, after_publishing
from .bench import DraftOut, Live, cards_of, draft_out, fresh_session, live_of, session_of
from .hands import Hands, hands_of
from .services import name_of, now_of


@dataclass
class BatchRow:
    """A channel in a batch: its reading, whether it is steady, what was captured, what it would give."""

    channel: int
    name: str
    bed_name: str
    live: Live
    captured: dict[str, float]
    proposed: dict[str, float]
    draft: DraftOut | None
    problem: str
    next_number: int
    hands: Hands | None


@dataclass
class BatchForm:
    """One act for many channels."""

    channels: list[int]
    method: str
    kind: str = ""
    theta: float | None = None
    value: float | None = None
    standard: str = ""
    temp_c: float | None = None


@dataclass
class BatchOutcome:
    channel: int
    name: str
    done: bool
    message: str
    job: int | None = None


@dataclass
class BatchDone:
    rows: list[BatchOutcome]


def _batch_channels(request: Request, site_id: int, numbers: list[int], code: str, role: Role) -> list[Channel]:
    site = reach(request, Site, site_id, role)
    rows = list(
        Channel.objects.filter(pk__in=numbers, node__site=site, retired_at=None)
        .select_related("node__site", "bed", "probe")
        .order_by("pk")
    )
    return [c for c in rows if c.quantity in method(code).quantities]


@endpoint("POST", takes=BatchForm, gives=BatchRow, many=True)
def batch(request: Request, data: BatchForm, site_id: int) -> list[BatchRow]:
    """Several channels at one bench: each one's reading and what it has so far."""
    return [
        _batch_row(c, data.method) for c in _batch_channels(request, site_id, data.channels, data.method, Role.VIEWER)
    ]


def _batch_row(c: Channel, code: str) -> BatchRow:
    now = now_of(c)
    session = session_of(c, code) or fresh_session(c, code)
    live = live_of(session, now, plot=False)
    draft, problem, _ = draft_out(session, "", live.raw)
    cards = cards_of(session)
    held = {p.kind: p.raw for card in cards for p in card.points}
    proposed = {card.kind: card.proposed for card in cards if card.proposed is not None}
    last = c.calibrations.order_by("-number").first()
    number = (last.number if last else 0) + 1
    return BatchRow(
        c.pk,
        name_of(c),
        c.bed.name if c.bed else "",
        live,
        held,
        proposed,
        draft,
        problem,
        number,
        hands_of(c, method(code)),
    )


@endpoint("POST", takes=BatchForm, gives=BatchDone)
def batch_capture(request: Request, data: BatchForm, site_id: int) -> BatchDone:
    """Capture one card on every channel that is steady; the others are told why not."""
    inputs = CaptureForm(data.method, data.kind, data.theta, None, data.value, data.standard, data.temp_c).inputs
    return BatchDone(
        [
            _tried(c, lambda c=c: _captured(c, data, inputs, request))
            for c in _batch_channels(request, site_id, data.channels, data.method, Role.GROWER)
        ]
    )


def _captured(c: Channel, data: BatchForm, inputs: dict[str, Any], request: Request) -> tuple[str, int | None]:
    row = services.capture(c, data.method, data.kind, inputs, request.user, now_of(c))
    return f"{row.raw:.0f} captured", None


@endpoint("POST", takes=BatchForm, gives=BatchDone)
def batch_publish(request: Request, data: BatchForm, site_id: int) -> BatchDone:
    """Publish every channel whose captures are complete, each as its own next version."""
    return BatchDone(
        [
            _tried(c, lambda c=c: _published(c, data, request))
            for c in _batch_channels(request, site_id, data.channels, data.method, Role.GROWER)
        ]
    )


def _published(c: Channel, data: BatchForm, request: Request) -> tuple[str, int | None]:
    last = c.calibrations.order_by("-number").first()
    version = services.publish(c, data.method, (last.number if last else 0) + 1, request.user, now_of(c))
    return f"version {version.number} published", after_publishing(version, request).job


def _tried(c: Channel, act: Any) -> BatchOutcome:
    try:
        message, job = act()
    except ReedError as error:
        return BatchOutcome(c.pk, name_of(c), False, f"{error.value}; expected {error.expectation}")
    return BatchOutcome(c.pk, name_of(c), True, message, job)
