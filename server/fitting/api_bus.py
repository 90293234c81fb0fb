"""Fit: the frame bench: compose, send, take apart, decode."""

from dataclasses import dataclass
from datetime import datetime

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import real_now
from common.endpoint import endpoint
from reedcore.errors import OutOfRange
from reedcore.links.modbus import Encoding, Frame, Framing, WordOrder, explain, registers_of, value_from_registers

from . import frames
from .models import BusRequest, BusState, Node


@dataclass
class ReadForm:
    function: int
    register: int
    count: int
    device_id: int


@dataclass
class AddressForm:
    """The register that holds the bus address, by the device's data sheet, and the new address."""

    register: int
    new_address: int


@dataclass
class FieldOut:
    at: int
    hex: str
    name: str
    meaning: str
    right: bool


@dataclass
class FrameOut:
    hex: str
    fields: list[FieldOut]
    problem: str
    words: list[int]
    bits: list[bool]


@dataclass
class BusOut:
    """A request of the frame bench and its answer, taken apart."""

    id: int
    state: BusState
    created_at: datetime
    by: str
    request: FrameOut
    answer: FrameOut | None
    problem: str
    elapsed_ms: float | None


@dataclass
class DecodeForm:
    words: list[int]
    register_type: Encoding
    word_order: WordOrder = WordOrder.ABCD
    scale: float = 1.0
    offset: float = 0.0


@dataclass
class DecodeOut:
    value: float | None
    registers: int


@dataclass
class ExplainForm:
    """Bytes as hexadecimal digits, from anywhere."""

    bytes: str
    framing: Framing = Framing.RTU
    answer: bool = True


def _frame_out(data: bytes, frame: Frame) -> FrameOut:
    fields = [FieldOut(f.at, f.hex, f.name, f.meaning, f.right) for f in frame.fields]
    return FrameOut(data.hex(" ").upper(), fields, frame.problem, list(frame.words), list(frame.bits))


def _bus_out(row: BusRequest) -> BusOut:
    sent, came = bytes(row.request), bytes(row.answer)
    answer = _frame_out(came, frames.explained(row.node, came, True)) if came else None
    return BusOut(
        row.pk, BusState(row.state), row.created_at, str(row.by), _frame_out(sent, frames.explained(row.node, sent, False)), answer,
        row.problem, row.elapsed_ms,
    )  # fmt: skip


@endpoint("POST", takes=ReadForm, gives=FrameOut)
def bus_compose(request: Request, data: ReadForm, node_id: int) -> FrameOut:
    """The bytes of a read, field by field; nothing is sent."""
    node = reach(request, Node, node_id)
    plan = frames.ReadPlan(**vars(data))
    sent = frames.compose(node, plan)
    return _frame_out(sent, frames.explained(node, sent, False))


@endpoint("POST", takes=ReadForm, gives=BusOut, status=201)
def bus_read(request: Request, data: ReadForm, node_id: int) -> BusOut:
    """Send a read to the bus through the gateway."""
    node = reach(request, Node, node_id, Role.GROWER)
    return _bus_out(frames.queue(node, frames.compose(node, frames.ReadPlan(**vars(data))), request.user, real_now()))


@endpoint("POST", takes=AddressForm, gives=BusOut, status=201)
def bus_address(request: Request, data: AddressForm, node_id: int) -> BusOut:
    """Give the device another bus address; have only this one device on the bus when you do."""
    node = reach(request, Node, node_id, Role.OWNER)
    sent = frames.compose_address_change(node, data.register, data.new_address)
    return _bus_out(frames.queue(node, sent, request.user, real_now(), "changed a bus address"))


@endpoint("GET", gives=BusOut)
def bus_get(request: Request, request_id: int) -> BusOut:
    """A request and what came back."""
    return _bus_out(reach(request, BusRequest, request_id))


@endpoint("POST", takes=DecodeForm, gives=DecodeOut, by="person")
def bus_decode(_request: Request, data: DecodeForm) -> DecodeOut:
    """A value from registers by type, order, scale and offset."""
    encoding = Encoding(data.register_type)
    value = value_from_registers(data.words, encoding, WordOrder(data.word_order), data.scale, data.offset)
    return DecodeOut(value if value == value and abs(value) < 1e300 else None, registers_of(encoding))


@endpoint("POST", takes=ExplainForm, gives=FrameOut, by="person")
def bus_explain(_request: Request, data: ExplainForm) -> FrameOut:
    """Any bytes taken apart as a Modbus frame."""
    try:
        came = bytes.fromhex(data.bytes.replace(",", " ").replace("0x", " "))
    except ValueError:
        raise OutOfRange(
            "bytes", data.bytes[:60], "hexadecimal digits in pairs, such as 01 03 00 00 00 03 05 CB"
        ) from None
    if len(came) > frames.MAX_ANSWER:
        raise OutOfRange("bytes", f"{len(came)} bytes", f"at most {frames.MAX_ANSWER} bytes")
    return _frame_out(came, explain(came, Framing(data.framing), data.answer))
