"""Fit: proving sensors and actuators."""

from dataclasses import dataclass
from datetime import datetime

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from reedcore.errors import NotDetermined

from . import actuating, proving, standins
from .api import name_of, where_of
from .models import Actuator, ActuatorProof, Channel, Outcome, Proof


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


@endpoint("GET", gives=ProofOut, many=True)
def channel_proofs(request: Request, channel_id: int) -> list[ProofOut]:
    """Tests of a channel, the newest first."""
    channel = reach(request, Channel, channel_id)
    return [_proof_out(p) for p in channel.proofs.order_by("-pk")[:10]]
