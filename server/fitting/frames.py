"""The frame bench: compose a read for any register, have the gateway send it, take the answer apart."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import transaction

from accounts.models import User
from common.clock import site_now
from common.events import tell
from logbook.services import record
from reedcore.errors import Inconsistent, OutOfRange, require_range
from reedcore.links.modbus import Frame, Framing, explain, framed, read_request
from reedcore.links.sdi12 import parse_values

from .models import BusRequest, BusState, Node, NodeKind

LIFE = timedelta(seconds=20)
MAX_ANSWER = 300
BUS_KINDS = (NodeKind.MODBUS_TCP, NodeKind.MODBUS_RTU)


@dataclass
class ReadPlan:
    """A read: function 1 to 4, first register counted from 0, count; or raw bytes to have a damaged frame taken apart."""

    function: int
    register: int
    count: int
    device_id: int


def framing_of(node: Node) -> Framing:
    return Framing.TCP if node.kind == NodeKind.MODBUS_TCP else Framing.RTU


def compose(node: Node, plan: ReadPlan) -> bytes:
    """Request bytes. Raises OutOfRange naming the field; Inconsistent for a node that has no bus."""
    if node.kind not in BUS_KINDS:
        raise Inconsistent("node", node.get_kind_display(), "a node on a Modbus bus")
    return read_request(plan.device_id, plan.function, plan.register, plan.count, framing_of(node))


def compose_address_change(node: Node, register: int, new_address: int) -> bytes:
    """Bytes that give a device another bus address: function 6 on the register its data sheet names."""
    require_range("new_address", new_address, 1, 247, "")
    require_range("register", register, 0, 65535, "")
    if node.kind not in BUS_KINDS:
        raise Inconsistent("node", node.get_kind_display(), "a node on a Modbus bus")
    pdu = bytes([6]) + register.to_bytes(2, "big") + new_address.to_bytes(2, "big")
    return framed(node.device_id, pdu, framing_of(node))


@transaction.atomic
def queue(node: Node, data: bytes, by: User, real_now: datetime, action: str = "asked the bus") -> BusRequest:
    """Put bytes in line for the gateway; void after 20 s, so that nothing old reaches a bus."""
    row = BusRequest.objects.create(node=node, by=by, created_at=real_now, expires_at=real_now + LIFE, request=data)
    record(node.site, site_now(node.site, real_now), by, action, node, None, {"bytes": data.hex(" ")})
    tell(node.site_id, "bus")
    return row


@transaction.atomic
def take_waiting(site_id: int, real_now: datetime) -> list[BusRequest]:
    """Requests the gateway is to send. Those it did not fetch in time expire."""
    waiting = BusRequest.objects.filter(node__site_id=site_id, state=BusState.QUEUED)
    waiting.filter(expires_at__lt=real_now).update(
        state=BusState.EXPIRED, problem="The gateway did not fetch it within 20 s: is it running?"
    )
    return list(waiting.filter(expires_at__gte=real_now).select_related("node").order_by("pk"))


@transaction.atomic
def answer(site_id: int, number: int, data: bytes, problem: str, elapsed_ms: float) -> BusRequest:
    """Keep what came back. Told twice, it changes nothing. Raises OutOfRange for an unknown number."""
    row = BusRequest.objects.select_for_update(of=("self",)).filter(node__site_id=site_id, pk=number).first()
    if row is None:
        raise OutOfRange("number", number, "the number of a request of this site")
    if row.state == BusState.QUEUED:
        row.answer, row.problem, row.elapsed_ms = data[:MAX_ANSWER], problem[:200], elapsed_ms
        row.state = BusState.DONE if data else BusState.FAILED
        row.save()
        tell(site_id, "bus")
    return row


def explained(node: Node, data: bytes, is_answer: bool) -> Frame:
    return explain(data, framing_of(node), is_answer)


def sdi12_values(line: str) -> list[float]:
    """Values of an SDI-12 answer. Raises OutOfRange naming the byte."""
    return list(parse_values(line).values)
