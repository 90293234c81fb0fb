"""Fit: proving sensors and actuators, the frame bench, electrics sheets."""

from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import real_now, site_now
from common.endpoint import endpoint
from common.figures import Figure
from places.models import Site
from reedcore.electrics import Load
from reedcore.errors import NotDetermined, OutOfRange
from reedcore.links.modbus import Encoding, Frame, Framing, WordOrder, explain, registers_of, value_from_registers

from . import actuating, electric, frames, proving, standins
from .api import name_of, where_of
from .models import Actuator, ActuatorProof, BusRequest, BusState, Channel, Node, Outcome, Proof


@dataclass
class CheckOut:
    code: str
    outcome: str
    figure: float | None
    limit: float | None
    unit: str
    words: str


@dataclass
class PhaseOut:
    name: str
    instruction: str
    since: datetime | None
    readings: int
    steady: bool
    why: str


@dataclass
class ProofOut:
    """A sensor's test: phases, the curve so far [s, raw], and the checks once all phases have come in."""

    id: int
    channel: int
    where: str
    quantity: str
    unit: str
    outcome: str
    by: str
    started_at: datetime
    ended_at: datetime | None
    phases: list[PhaseOut]
    plot: list[list[float]]
    starts_s: list[float]
    checks: list[CheckOut]
    figures: dict[str, float | None]
    waits_for: str
    standin: bool
    standin_place: str


def _proof_out(proof: Proof) -> ProofOut:
    result, waits = proof.result, ""
    if proof.outcome == Outcome.OPEN:
        try:
            result = proving.result_of(proving.judge(proof))
        except NotDetermined as error:
            result, waits = {"checks": []}, f"{error.field}: {error.expectation}"
    starts = [(datetime.fromisoformat(p["at"]) - proof.started_at).total_seconds() for p in proof.phases]
    figures = {k: result.get(k) for k in ("span", "dead_s", "settle_s", "noise", "resolution_points", "return")}
    return ProofOut(
        proof.pk, proof.channel_id, where_of(proof.channel), proof.channel.quantity, proving.unit_of(proof.channel), proof.outcome,
        str(proof.by), proof.started_at, proof.ended_at, [PhaseOut(**vars(p)) for p in proving.phases_now(proof)],
        proof.plot if proof.ended_at else proving.plot_of(proof), starts, [CheckOut(**c) for c in result.get("checks", [])], figures,
        waits, proof.channel.node.is_standin, proof.channel.standin_place,
    )  # fmt: skip


@endpoint("POST", gives=ProofOut, status=201)
def proof_start(request: Request, channel_id: int) -> ProofOut:
    """Begin the guided test of a sensor, or go on with the open one."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    return _proof_out(proving.start(channel, request.user, site_now(channel.node.site)))


@endpoint("GET", gives=ProofOut)
def proof_get(request: Request, proof_id: int) -> ProofOut:
    """A test as it stands."""
    return _proof_out(reach(request, Proof, proof_id))


@endpoint("POST", gives=ProofOut)
def proof_next(request: Request, proof_id: int) -> ProofOut:
    """The sensor has been moved: the next phase begins."""
    proof = reach(request, Proof, proof_id, Role.GROWER)
    return _proof_out(proving.next_phase(proof, site_now(proof.channel.node.site)))


@endpoint("POST", gives=ProofOut)
def proof_finish(request: Request, proof_id: int) -> ProofOut:
    """Judge and keep the test."""
    proof = reach(request, Proof, proof_id, Role.GROWER)
    return _proof_out(proving.finish(proof, request.user, site_now(proof.channel.node.site)))


@endpoint("POST", status=204)
def proof_give_up(request: Request, proof_id: int) -> None:
    """Forget an open test."""
    proving.give_up(reach(request, Proof, proof_id, Role.GROWER))


@dataclass
class StandinPlaceForm:
    place: str


@endpoint("POST", takes=StandinPlaceForm, status=204)
def standin_put(request: Request, data: StandinPlaceForm, channel_id: int) -> None:
    """Put a stand-in's sensor in one of its test's places, or back."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    standins.put_sensor(channel, data.place, request.user, site_now(channel.node.site))


@dataclass
class ActuatorProofOut:
    """A device's test: what it says now, and what the record shows; None where not tried or not measured."""

    id: int
    actuator: int
    name: str
    kind: str
    step: str
    outcome: str
    by: str
    started_at: datetime
    ended_at: datetime | None
    left_s: float
    held_s: float
    most_held_s: float
    flow_l_min: float | None
    flow_at: datetime | None
    flow_measured: bool
    level_empty: bool | None
    level_measured: bool
    runs: bool | None
    runs_flow_l_min: float | None
    stops: bool | None
    level: bool | None


def _actuator_out(proof: ActuatorProof, now: datetime) -> ActuatorProofOut:
    state = actuating.now_of(proof, now)
    checks = proof.checks if proof.ended_at else actuating.checks_of(proof, now)
    a = proof.actuator
    return ActuatorProofOut(
        proof.pk, a.pk, name_of(a), a.kind, proof.step, proof.outcome, str(proof.by), proof.started_at, proof.ended_at, state.left_s,
        checks["held_s"], actuating.MOST_HELD_S, state.flow_l_min, state.flow_at, actuating.flow_channel(a) is not None,
        state.level_empty, actuating.level_channel(a) is not None, checks["runs"], checks["flow_l_min"], checks["stops"], checks["level"],
    )  # fmt: skip


@dataclass
class StepForm:
    step: str


@dataclass
class SeenForm:
    """What the tester saw, where no sensor measures it."""

    runs: bool | None = None
    stops: bool | None = None
    level: bool | None = None


@endpoint("POST", gives=ActuatorProofOut, status=201)
def actuator_begin(request: Request, actuator_id: int) -> ActuatorProofOut:
    """Begin the test of a valve, pump, contact or doser."""
    actuator = reach(request, Actuator, actuator_id, Role.GROWER)
    now = site_now(actuator.node.site)
    return _actuator_out(actuating.begin(actuator, request.user, now), now)


@endpoint("GET", gives=ActuatorProofOut)
def actuator_proof(request: Request, proof_id: int) -> ActuatorProofOut:
    """The test as it stands."""
    proof = reach(request, ActuatorProof, proof_id)
    return _actuator_out(proof, site_now(proof.actuator.node.site))


@endpoint("POST", gives=ActuatorProofOut)
def actuator_hold(request: Request, proof_id: int) -> ActuatorProofOut:
    """Run for three seconds more; asked again while the button is held."""
    proof = reach(request, ActuatorProof, proof_id, Role.GROWER)
    now = site_now(proof.actuator.node.site)
    return _actuator_out(actuating.hold(proof, now), now)


@endpoint("POST", gives=ActuatorProofOut)
def actuator_release(request: Request, proof_id: int) -> ActuatorProofOut:
    """The button was let go: stop at once."""
    proof = reach(request, ActuatorProof, proof_id, Role.GROWER)
    now = site_now(proof.actuator.node.site)
    return _actuator_out(actuating.release(proof, now), now)


@endpoint("POST", takes=StepForm, gives=ActuatorProofOut)
def actuator_step(request: Request, data: StepForm, proof_id: int) -> ActuatorProofOut:
    """Go to a step of the test."""
    proof = reach(request, ActuatorProof, proof_id, Role.GROWER)
    return _actuator_out(actuating.set_step(proof, data.step), site_now(proof.actuator.node.site))


@endpoint("POST", takes=SeenForm, gives=ActuatorProofOut)
def actuator_finish(request: Request, data: SeenForm, proof_id: int) -> ActuatorProofOut:
    """Keep the result."""
    proof = reach(request, ActuatorProof, proof_id, Role.GROWER)
    now = site_now(proof.actuator.node.site)
    return _actuator_out(actuating.finish(proof, vars(data), request.user, now), now)


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


@dataclass
class SheetForm:
    """A device as it is wired."""

    load: Load
    power_w: float
    supply_v: float
    contact_a: float
    cable_m: float
    cable_mm2: float
    normally_open: bool = True
    hours_a_day: float = 1
    standby_w: float = 0
    battery_ah: float = 0
    panel_w: float = 0
    sun_hours: float = 1
    version: int = 0


@dataclass
class FindingOut:
    level: str
    field: str
    text: str


@dataclass
class DeviceOut:
    """A device with its sheet and what is to be said of it."""

    device: str
    id: int
    name: str
    kept: bool
    form: SheetForm
    figures: dict[str, Figure]
    findings: list[FindingOut]


def _device_out(row: electric.DeviceRow) -> DeviceOut:
    return DeviceOut(
        row.device, row.pk, row.name, row.kept, SheetForm(**asdict(row.sheet), version=row.version), row.figures,
        [FindingOut(**asdict(f)) for f in row.findings],
    )  # fmt: skip


@endpoint("GET", gives=DeviceOut, many=True)
def electrics(request: Request, site_id: int) -> list[DeviceOut]:
    """Every device of a site with its electrics sheet, kept or proposed."""
    return [_device_out(r) for r in electric.devices_of(reach(request, Site, site_id))]


@endpoint("PUT", takes=SheetForm, gives=DeviceOut)
def electrics_save(request: Request, data: SheetForm, device: str, device_id: int) -> DeviceOut:
    """Keep a device's sheet."""
    kind: Any = Actuator if device == "actuator" else Node
    row = reach(request, kind, device_id, Role.GROWER)
    site = row.node.site if device == "actuator" else row.site
    values = {k: v for k, v in asdict(data).items() if k != "version"}
    return _device_out(electric.save_sheet(site, row, values, data.version, request.user, site_now(site)))


@endpoint("GET", gives=ProofOut, many=True)
def channel_proofs(request: Request, channel_id: int) -> list[ProofOut]:
    """Tests of a channel, the newest first."""
    channel = reach(request, Channel, channel_id)
    return [_proof_out(p) for p in channel.proofs.order_by("-pk")[:10]]
