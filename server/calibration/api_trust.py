"""Trust: flags, findings, gain and causes of a channel; versions compared; certificates; side-by-side trials."""

from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from fitting.models import Channel, Probe
from places.models import Site
from places.substrates import medium_of
from readings.series import bucketed
from reedcore.curves import EXPRESSIONS, Form, extrapolated
from reedcore.flags import FLAG_WORDS, NOT_FOR_CONTROL, Flag, spans_of
from reedcore.methods import method
from reedcore.retention_fit import suction_kpa_from_theta, theta_from_suction_kpa

from . import services, versions
from .api import Published, after_publishing
from .bench import VersionOut, fresh_session, open_captures, session_of, version_out
from .hands import Weighed, weigh
from .models import CalibrationVersion, ChannelTrust, FlagSpan
from .pore import Pore, pore_of, set_epsilon
from .queries import corrected, current_calibrations, in_force
from .results import draft_of
from .retention import RetentionOut, fit_pair, keep_medium
from .services import name_of, now_of
from .tasks import order_check
from .trial import Trial, held_throughout, laid_over, run_trial
from .trust import judge_channel, rules_of, set_rules, set_trust, trust_now

BEYOND = "beyond the captured range: extrapolated"


@dataclass
class FlagOut:
    flag: str
    words: str
    start: datetime
    end: datetime
    readings: int
    keeps_from_control: bool


@dataclass
class VersionMark:
    number: int
    at: datetime
    step: float | None


@dataclass
class TrustOut:
    """How far a channel is to be trusted, why, and what flags it has. limits: of the flags, None where a rule is off."""

    channel: int
    name: str
    trust: str
    words: str
    judged_at: datetime | None
    override_until: datetime | None
    findings: list[dict[str, Any]]
    gain: dict[str, float | None]
    causes: list[dict[str, Any]]
    limits: dict[str, float | None]
    changed: list[str]
    flags: list[FlagOut]


def _flag(s: FlagSpan) -> FlagOut:
    return FlagOut(s.flag, FLAG_WORDS[Flag(s.flag)], s.start, s.end, s.readings, Flag(s.flag) in NOT_FOR_CONTROL)


def _arrivals(channel: Channel, since: datetime) -> list[FlagOut]:
    """What was odd about how readings came in; they stay in use, since they are true."""
    rows = channel.arrivals.filter(end__gte=since).order_by("-end")[:30]
    return [FlagOut(a.kind, FLAG_WORDS[Flag(a.kind)], a.start, a.end, a.readings, False) for a in rows]


def _trust(channel: Channel) -> TrustOut:
    now = now_of(channel)
    row = ChannelTrust.objects.filter(channel=channel).select_related("override_by").first()
    held = trust_now(row, now)
    spans = FlagSpan.objects.filter(channel=channel, superseded=False, end__gte=now - timedelta(days=7)).order_by(
        "-start"
    )[:60]
    limits = {k: (None if v != v else v) for k, v in asdict(rules_of(channel)).items()}
    changed = getattr(channel, "flag_rule", None)
    return TrustOut(
        channel.pk, name_of(channel), held.trust.value, held.words, row.judged_at if row else None,
        row.override_until if row and row.override else None, row.findings if row else [], row.gain if row else {},
        row.causes if row else [], limits, list(changed.limits) if changed else [],
        [*(_flag(s) for s in spans), *_arrivals(channel, now - timedelta(days=7))],
    )  # fmt: skip


@endpoint("GET", gives=TrustOut)
def trust(request: Request, channel_id: int) -> TrustOut:
    """The trust mark of a channel with its reasons."""
    return _trust(reach(request, Channel, channel_id))


@endpoint("POST", gives=TrustOut)
def judge(request: Request, channel_id: int) -> TrustOut:
    """Judge the last day of a channel now."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    judge_channel(channel, now_of(channel))
    return _trust(channel)


@dataclass
class TrustForm:
    """A person's word for some hours; an empty trust takes it back."""

    trust: str
    hours: float = 24
    why: str = ""


@endpoint("PUT", takes=TrustForm, gives=TrustOut)
def trust_set(request: Request, data: TrustForm, channel_id: int) -> TrustOut:
    """Set a channel trusted, doubtful or not to be used for a time, with a reason."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    set_trust(channel, data.trust, data.hours, data.why, request.user, now_of(channel))
    return _trust(channel)


@dataclass
class LimitsForm:
    """Limits of the flags in the channel's raw unit and seconds; None switches one off."""

    limits: dict[str, float | None]


@endpoint("PUT", takes=LimitsForm, gives=TrustOut)
def flag_limits(request: Request, data: LimitsForm, channel_id: int) -> TrustOut:
    """Change limits of a channel's flags, and judge it by them."""
    channel = reach(request, Channel, channel_id, Role.GROWER)
    now = now_of(channel)
    set_rules(channel, dict(data.limits), request.user, now)
    judge_channel(channel, now)
    return _trust(channel)


@dataclass
class CheckOrdered:
    job: int


@endpoint("POST", gives=CheckOrdered, status=201)
def check_now(request: Request, site_id: int) -> CheckOrdered:
    """Judge every channel of a site, in the background."""
    site = reach(request, Site, site_id, Role.GROWER)
    return CheckOrdered(order_check(site).pk)


@dataclass
class RecordOut:
    """A channel's record in even steps: raw, value, and flags and versions on it. suction_kpa: of θ, and theta_by_retention:
    of a suction, by the retention curve of the bed's medium; empty elsewhere."""

    start: datetime
    step_min: float
    raw: list[float | None]
    value: list[float | None]
    suction_kpa: list[float | None]
    theta_by_retention: list[float | None]
    unit: str
    flags: list[FlagOut]
    versions: list[VersionMark]


@endpoint("GET", gives=RecordOut, parameters=[OpenApiParameter("days", float), OpenApiParameter("hide", str)])
def record(request: Request, channel_id: int) -> RecordOut:
    """The last days of a channel (?days=1 to 120), flagged readings left out with ?hide=1."""
    channel = reach(request, Channel, channel_id)
    now = now_of(channel)
    days = min(120.0, max(0.1, float(request.query_params.get("days") or 1)))
    start, width = now - timedelta(days=days), timedelta(days=days) / versions.BUCKETS
    raw = bucketed([channel.pk], start, now, width)[channel.pk]
    spans = list(FlagSpan.objects.filter(channel=channel, superseded=False, end__gte=start).order_by("start")[:200])
    if request.query_params.get("hide"):
        for s in spans:
            if Flag(s.flag) in NOT_FOR_CONTROL:
                first, last = ((t - start) / width for t in (s.start, s.end))
                raw[max(0, int(first)) : int(last) + 1] = np.nan
    times = start.timestamp() + (np.arange(len(raw)) + 0.5) * width.total_seconds()
    held = in_force([channel.pk]).get(channel.pk, [])
    value = corrected(times, raw, held) if channel.quantity != "raw" or held else np.full(len(raw), np.nan)
    current = held[-1] if held else None
    theta = current is not None and current.gives == "theta"
    if theta:
        value = np.where(times >= min(v.valid_from for v in held).timestamp(), value, np.nan)
    suction, water = [], []
    if channel.quantity == "suction" and channel.bed is not None:
        m = medium_of(channel.bed)
        water = [theta_from_suction_kpa(float(np.clip(v, 0, 1000)), m) if v == v else None for v in value]
    if theta and channel.bed is not None:
        m = medium_of(channel.bed)
        suction = [suction_kpa_from_theta(float(v), m) if v == v else None for v in value]
    marks = [_mark(v, channel) for v in held if v.valid_from >= start]
    flags = [*(_flag(s) for s in spans), *_arrivals(channel, start)]
    if current is not None:
        beyond = np.asarray(extrapolated(raw, current.curve)) == 1
        zone = now.tzinfo
        flags += [
            FlagOut("extrapolated", BEYOND, datetime.fromtimestamp(a, zone), datetime.fromtimestamp(b, zone), n, False)
            for a, b, n in spans_of(times, beyond)
        ]
    unit = "% v/v" if theta else ""
    return RecordOut(
        start, width.total_seconds() / 60, raw.tolist(), value.tolist(), suction, water, unit, flags, marks
    )


def _mark(v: CalibrationVersion, channel: Channel) -> VersionMark:
    before = versions.curve_before(v)
    latest = getattr(channel, "latest", None)
    if before is None or latest is None:
        return VersionMark(v.number, v.valid_from, None)
    found = versions.compare(channel, before, v.curve, now_of(channel), 1.0, False)
    return VersionMark(v.number, v.valid_from, found.step_now)


@dataclass
class CompareForm:
    """b: a version number, or none for the draft of a method. a: a version number, or none for the one in force."""

    a: int | None = None
    b: int | None = None
    method: str = ""
    form: str = ""
    days: float = 3


@endpoint("POST", takes=CompareForm, gives=versions.ScaleComparison)
def compare(request: Request, data: CompareForm, channel_id: int) -> versions.ScaleComparison:
    """Two curves over the same raw data, the step between them, and what the programme's thresholds mean on the new one."""
    channel = reach(request, Channel, channel_id)
    now = now_of(channel)
    held = channel.calibrations.order_by("-number")
    old = held.get(number=data.a) if data.a else current_calibrations([channel.pk], now).get(channel.pk)
    if data.b:
        chosen = held.get(number=data.b)
        curve, gives = chosen.curve, chosen.gives
    else:
        session = session_of(channel, data.method) or fresh_session(channel, data.method)
        draft = draft_of(session, open_captures(session), data.form)
        if draft is None:
            raise services.NotDetermined("b", "no draft", "captures that give a calibration")
        curve, gives = draft.curve, draft.gives
    days = min(30.0, max(0.05, data.days))
    return versions.compare(channel, old.curve if old else None, curve, now, days, gives == "theta")


@endpoint("POST", gives=Published)
def version_revert(request: Request, version_id: int) -> Published:
    """Take a version out of force; history from its beginning is worked out anew."""
    version = reach(request, CalibrationVersion, version_id, Role.GROWER)
    target = version.channel or version.actuator
    assert target is not None
    return after_publishing(services.revert(version, request.user, now_of(target)), request)


@dataclass
class Certificate:
    """Everything a version stands on, to print."""

    channel: int | None
    name: str
    where: str
    site: str
    quantity: str
    version: VersionOut
    expression: str
    coefficients: list[float]
    figures: dict[str, float]
    loo_rmse: float | None
    noise_raw: float
    in_force: bool
    due_at: datetime
    cautions: list[str]
    why: str
    now: datetime


@endpoint("GET", gives=Certificate)
def certificate(request: Request, version_id: int) -> Certificate:
    """The certificate of a version."""
    v = reach(request, CalibrationVersion, version_id)
    target = v.channel or v.actuator
    assert target is not None
    now, way = now_of(target), method(v.method)
    bed = v.channel.bed if v.channel else None
    current = current_calibrations([v.channel_id], now).get(v.channel_id) if v.channel_id else v
    where = f"bed {bed.name}, {bed.crop}" if bed else target.node.name
    return Certificate(
        v.channel_id, name_of(target), where, services.site_of(target).name, v.channel.quantity if v.channel else "doser", version_out(v),
        EXPRESSIONS[Form(v.form)], list(v.coefficients), v.figures, v.loo_rmse, v.noise_raw, current is not None and current.pk == v.pk,
        v.due_at, list(way.cautions), way.why, now,
    )  # fmt: skip


@dataclass
class TrialForm:
    """Two channels and a period, laid on a grid of step_s; tolerance: largest difference that does not matter."""

    a: int
    b: int
    start: datetime
    end: datetime
    step_s: float = 600
    tolerance: float | None = None


@dataclass
class AdoptForm(TrialForm):
    """with_slope: offset and slope, else offset only. number: what the person saw as the next version of a."""

    with_slope: bool = False
    number: int = 1


def _pair(request: Request, site: Site, data: TrialForm, role: Role = Role.VIEWER) -> tuple[Channel, Channel]:
    pair = reach(request, Channel, data.a, role), reach(request, Channel, data.b, role)
    if any(c.node.site_id != site.pk for c in pair):
        raise services.Inconsistent("b", data.b, "two channels of this site")
    return pair


@endpoint("POST", takes=TrialForm, gives=Trial)
def trial(request: Request, data: TrialForm, site_id: int) -> Trial:
    """Compare two channels over a period."""
    site = reach(request, Site, site_id)
    a, b = _pair(request, site, data)
    return run_trial(site, a, b, data.start, data.end, data.step_s, data.tolerance)


@endpoint("POST", takes=AdoptForm, gives=Published, status=201)
def trial_adopt(request: Request, data: AdoptForm, site_id: int) -> Published:
    """Adopt the offset, or offset and slope, that brings the first channel to the second, as its next version."""
    site = reach(request, Site, site_id, Role.GROWER)
    a, b = _pair(request, site, data, Role.GROWER)
    found = run_trial(site, a, b, data.start, data.end, data.step_s, data.tolerance)
    curve, rmse = (found.slope, found.slope_rmse) if data.with_slope else (found.offset, found.offset_rmse)
    if curve is None or rmse is None:
        raise services.NotDetermined("with_slope", True, "a period with enough change for a slope")
    held = held_throughout(a, data.start, data.end)
    figures = {"offset": curve.coefficients[0], "slope": curve.coefficients[1], "steps": float(found.result.n)}
    words = f"Against {name_of(b)}, {found.result.n} steps: {found.verdict}"
    version = services.adopt(
        a,
        laid_over(curve, held.curve if held else None),
        words,
        figures,
        rmse,
        data.number,
        request.user,
        site_now(site),
    )
    return after_publishing(version, request)


@dataclass
class PoreForm:
    """sample_ec: of a poured-through or squeezed sample, at 25 °C; else epsilon_dry by hand; neither: the starting value."""

    epsilon_dry: float | None = None
    sample_ec: float | None = None


@endpoint("PUT", takes=PoreForm, gives=Pore)
def pore_set(request: Request, data: PoreForm, probe_id: int) -> Pore | None:
    """Set or fit ε0 of a probe."""
    probe = reach(request, Probe, probe_id, Role.GROWER)
    now = site_now(probe.bed.house.site)
    return pore_of(set_epsilon(probe, data.epsilon_dry, data.sample_ec, request.user, now), now)


@dataclass
class RetentionForm:
    """A tensiometer and a probe of one bed, and a period; name: keep the fit as an own medium under it."""

    suction: int
    theta: int
    start: datetime
    end: datetime
    step_s: float = 600
    name: str = ""


@endpoint("POST", takes=RetentionForm, gives=RetentionOut)
def retention(request: Request, data: RetentionForm, site_id: int) -> RetentionOut:
    """Fit a retention curve to paired suction and water content."""
    site = reach(request, Site, site_id, Role.GROWER if data.name else Role.VIEWER)
    suction, theta = (reach(request, Channel, pk) for pk in (data.suction, data.theta))
    found = fit_pair(suction, theta, data.start, data.end, data.step_s)
    if data.name and suction.bed is not None:
        keep_medium(site, data.name, medium_of(suction.bed), found.fit, request.user, site_now(site))
    return found


@endpoint("GET", gives=Weighed)
def scale(request: Request, channel_id: int) -> Weighed:
    """What the stand-in's scale shows."""
    return weigh(reach(request, Channel, channel_id))
