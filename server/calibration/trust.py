"""Checks that run by themselves: flags beside the readings, sense checks, the trust mark of every channel."""

from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta

import numpy as np
from django.db import transaction
from django.db.models import Sum

from accounts.models import User
from common.events import tell
from fitting.models import Channel
from logbook.services import record
from places.beds import capacity_of, volume_of
from places.models import Site
from places.substrates import medium_of
from reedcore.errors import Inconsistent, OutOfRange, require_range
from reedcore.flags import FLAG_WORDS, NOT_FOR_CONTROL, FlagRules, flag_series, spans_of
from reedcore.gain import Evidence, GivenPulse, RankedCause, rank_causes
from reedcore.sense import Judgement, Record, Trust, judge_record
from reedcore.sensors import quantity

from .history import read_raw
from .models import CalibrationVersion, ChannelTrust, FlagRule, FlagSpan, HourValue
from .queries import current_calibrations, in_force, water_content_series

WINDOW = timedelta(hours=24)
RECENT = timedelta(minutes=40)
NO_RULES = frozenset({"motion", "level_switch", "tank", "distance", "par", "radiation", "flow"})
"""What may well stand still for a night, or for weeks."""
COUNTERS = frozenset({"drain", "pulses", "drain_tips", "rain_tips"})
RULE_FIELDS = tuple(FlagRules.__dataclass_fields__)
RULE_UNITS = {"flat_s": "s", "gap_s": "s", "late_s": "s"}


def rules_of(channel: Channel, version: CalibrationVersion | None = None) -> FlagRules:
    """The limits of a channel's flags: from its quantity and probe, then what a person changed."""
    q = quantity(channel.quantity)
    interval = max(1.0, channel.node.poll_s)
    rules = FlagRules(q.low, q.high, gap_s=max(900.0, 5 * interval), flat_s=14 * 3600.0)
    nan = float("nan")
    if channel.quantity in COUNTERS or channel.quantity in NO_RULES:
        rules = replace(rules, flat_s=nan)
    if channel.quantity == "raw" and channel.probe is not None:
        span = channel.probe.span_raw
        rules = replace(
            rules,
            rail_low=0.5,
            rail_high=65534.5,
            step=0.25 * span,
            spike=0.06 * span,
            flat_s=3600.0,
            air_near=0.02 * span,
        )
        air = _air_of(channel)
        rules = rules if air is None else replace(rules, air=air)
    held = FlagRule.objects.filter(channel=channel).first()
    return replace(rules, **{k: (nan if v is None else v) for k, v in held.limits.items()}) if held else rules


def _air_of(channel: Channel) -> float | None:
    """Raw in air where a check in air and water has shown it."""
    row = channel.calibrations.filter(method="air_water").order_by("-number").first()
    found = next((p["x"] for p in row.points if p["kind"] == "dry"), None) if row else None
    return float(found) if found is not None else None


@transaction.atomic
def set_rules(channel: Channel, limits: dict[str, float | None], by: User, now: datetime) -> FlagRule:
    """Change limits of a channel's flags; None switches a rule off. The number rises, older flags stay readable."""
    for name, value in limits.items():
        if name not in RULE_FIELDS:
            raise OutOfRange(name, value, "one of " + ", ".join(RULE_FIELDS))
        if value is not None and name in RULE_UNITS:
            require_range(name, value, 10, 30 * 86400, RULE_UNITS[name])
    row, made = FlagRule.objects.select_for_update().get_or_create(channel=channel)
    before = dict(row.limits)
    row.limits = {**row.limits, **limits}
    low, high = row.limits.get("low"), row.limits.get("high")
    if low is not None and high is not None and low >= high:
        raise Inconsistent("low", low, f"less than high, {high:g}")
    row.number += 0 if made else 1
    row.save()
    site = channel.node.site
    record(site, now, by, f"changed the flag limits of channel {channel.pk}", row, before, row.limits)
    return row


def record_of(channel: Channel, now: datetime) -> Record:
    """A channel's last day with everything it is judged against."""
    times, raw = read_raw(channel, now - WINDOW, now + timedelta(seconds=1))
    version = current_calibrations([channel.pk], now).get(channel.pk)
    is_water = version is not None and version.gives == "theta"
    held = Record(
        times, raw, now.timestamp(), version.curve if version else None, version.noise_raw if version else float("nan"),
        is_water=is_water, silent_after_s=max(1800.0, 6 * channel.node.poll_s),
    )  # fmt: skip
    bed = channel.bed
    if bed is None or not is_water:
        temp = _neighbour_temperature(channel, times, now) if channel.quantity in ("bulk_ec", "feed_ec") else None
        return replace(held, temp_c=temp)
    return replace(
        held, pore_space=medium_of(bed).theta_s, volume_l=volume_of(bed), pulses=tuple(pulses_of(channel, now)),
        other=_other_probe(channel, times, now),
        week_outside=_week_outside(channel, now),
    )  # fmt: skip


def _week_outside(channel: Channel, now: datetime) -> float:
    """Share of the last week's readings beyond the captured range, by the hours worked out so far; NaN without any."""
    hours = HourValue.objects.filter(channel=channel, hour__gte=now - timedelta(days=7), hour__lte=now)
    sums = hours.aggregate(outside=Sum("outside"), readings=Sum("readings"))
    return sums["outside"] / sums["readings"] if sums["readings"] else float("nan")


def _aligned(
    channel: Channel, times: np.ndarray, now: datetime, versions: list[CalibrationVersion] | None
) -> np.ndarray:
    """Another channel's values at the times of this one; NaN where it had nothing within ten minutes."""
    t, raw = read_raw(channel, now - WINDOW, now + timedelta(seconds=1))
    value = raw if versions is None else water_content_series(t, raw, versions)
    keep = np.isfinite(value)
    t, value = t[keep], value[keep]
    if len(t) < 2 or not len(times):
        return np.full(len(times), np.nan)
    near = np.clip(np.searchsorted(t, times), 1, len(t) - 1)
    gap = np.minimum(np.abs(times - t[near]), np.abs(times - t[near - 1]))
    return np.where(gap < 600, np.interp(times, t, value), np.nan)


def _other_probe(channel: Channel, times: np.ndarray, now: datetime) -> np.ndarray | None:
    others = Channel.objects.filter(bed=channel.bed, quantity=channel.quantity, retired_at=None, probe__retired_at=None)
    others = others.exclude(pk=channel.pk).exclude(probe=None).select_related("node")
    versions = in_force([c.pk for c in others])
    sound = [c for c in others if versions.get(c.pk)]
    return _aligned(sound[0], times, now, versions[sound[0].pk]) if sound else None


def _neighbour_temperature(channel: Channel, times: np.ndarray, now: datetime) -> np.ndarray | None:
    temp = (
        Channel.objects.filter(probe=channel.probe, quantity="medium_temp", retired_at=None).exclude(probe=None).first()
    )
    return _aligned(temp, times, now, None) if temp else None


def pulses_of(channel: Channel, now: datetime) -> list[GivenPulse]:
    """Pulses of the channel's bed over the window, with what drained of each where it is measured."""
    from watering.models import Pulse, PulseState  # watering stands on calibration; only its record is asked for here

    rows = Pulse.objects.filter(
        bed=channel.bed, ordered_at__gte=now - WINDOW, ordered_at__lt=now, state=PulseState.DONE
    )
    gauge = Channel.objects.filter(bed=channel.bed, quantity="drain", retired_at=None).first()
    t, total = read_raw(gauge, now - WINDOW, now) if gauge else (np.zeros(0), np.zeros(0))
    out = []
    for p in rows.order_by("ordered_at"):
        start = (p.started_at or p.ordered_at).timestamp()
        drained = 0.0
        if len(t) > 1:
            before, after = np.interp([start, start + p.seconds + 1800], t, total)
            drained = max(0.0, float(after - before))
        dose = p.delivered_ml if p.delivered_ml is not None else p.dose_ml
        out.append(GivenPulse(start + p.seconds, dose, min(drained, dose)))
    return out


def evidence_of(channel: Channel, judged: Judgement, held: Record, now: datetime) -> Evidence:
    """What else the record says about a gain that is far from 1."""
    from watering.models import Pulse, PulseState

    bed = channel.bed
    assert bed is not None
    others = ChannelTrust.objects.filter(channel__bed=bed).exclude(channel=channel).exclude(gain={})
    gains = [row.gain["median"] for row in others if row.gain.get("n", 0) >= 3]
    given = list(
        Pulse.objects.filter(bed=bed, ordered_at__gte=now - WINDOW, state=PulseState.DONE, delivered_ml__isnull=False)
    )
    ordered = sum(p.dose_ml for p in given)
    test = bed.dripper_tests.order_by("-at").first()
    dose = sum(p.dose_ml for p in held.pulses)
    drained = sum(p.drained_ml for p in held.pulses)
    version = current_calibrations([channel.pk], now).get(channel.pk)
    off = None
    if version is not None and dose > 0 and drained > 0.05 * dose and len(held.raw):
        theta = water_content_series(held.time_s, held.raw, [version])
        off = float(np.nanquantile(theta, 0.97)) - capacity_of(bed) if np.isfinite(theta).any() else None
    return Evidence(
        gains[0] if gains else None, sum(p.delivered_ml or 0 for p in given) / ordered if ordered else None,
        test.low_quarter if test else None, (now - test.at).total_seconds() / 86400 if test else None,
        drained / dose if dose else None, off, bool(version and version.provisional),
    )  # fmt: skip


@transaction.atomic
def judge_channel(channel: Channel, now: datetime) -> ChannelTrust:
    """Judge a channel's last day: flags are kept beside the data, the trust mark with its reasons."""
    held = record_of(channel, now)
    rules = rules_of(channel)
    judged = judge_record(held, rules)
    _keep_flags(channel, held, rules, now)
    causes: list[RankedCause] = []
    if judged.gain is not None and judged.gain.doubtful:
        causes = rank_causes(judged.gain.median, evidence_of(channel, judged, held, now))
    gain = {} if judged.gain is None or not judged.gain.n else {
        "median": judged.gain.median, "low": _or_none(judged.gain.low), "high": _or_none(judged.gain.high), "n": judged.gain.n,
    }  # fmt: skip
    row, _ = ChannelTrust.objects.update_or_create(
        channel=channel,
        defaults={
            "trust": judged.trust.value,
            "words": judged.words[:600],
            "findings": [
                {"sign": f.sign.value, "figure": _or_none(f.figure), "limit": f.limit, "words": f.words}
                for f in judged.findings
            ],
            "gain": gain,
            "causes": [{**asdict(c), "cause": c.cause.value} for c in causes],
            "judged_at": now,
        },
    )
    return row


def _or_none(value: float) -> float | None:
    return value if value == value else None


def _keep_flags(channel: Channel, held: Record, rules: FlagRules, now: datetime) -> None:
    flags = flag_series(held.time_s, held.raw, rules)
    FlagSpan.objects.filter(channel=channel, superseded=False, end__gte=now - WINDOW, start__lte=now).update(
        superseded=True
    )
    number = FlagRule.objects.filter(channel=channel).values_list("number", flat=True).first() or 0
    zone = now.tzinfo
    FlagSpan.objects.bulk_create(
        [
            FlagSpan(
                channel=channel, flag=flag.value, start=datetime.fromtimestamp(a, zone), end=datetime.fromtimestamp(b, zone),
                readings=n, rules_number=number, judged_at=now,
            )
            for flag, mask in flags.items()
            for a, b, n in spans_of(held.time_s, mask)
        ]
    )  # fmt: skip


def watch_recent(site: Site, now: datetime) -> int:
    """Flag the newest reading of every bed probe; what is flagged keeps from control until a sound reading comes.

    Returns how many are flagged.
    """
    channels = list(
        Channel.objects.filter(
            bed__house__site=site, bed__retired_at=None, probe__retired_at=None, quantity="raw", retired_at=None
        )
        .exclude(probe=None)
        .select_related("node", "probe", "trust")
    )
    flagged = 0
    for channel in channels:
        times, raw = read_raw(channel, now - RECENT, now + timedelta(seconds=1))
        flag = ""
        if len(raw):
            flags = flag_series(times, raw, rules_of(channel))
            flag = next((f.value for f, mask in flags.items() if f in NOT_FOR_CONTROL and mask[-1]), "")
        flagged += bool(flag)
        held = getattr(channel, "trust", None)
        if held is None and flag:
            ChannelTrust.objects.create(
                channel=channel, words=f"Its newest reading is {FLAG_WORDS_BY[flag]}.", judged_at=now, now_flag=flag
            )
        elif held is not None and held.now_flag != flag:
            ChannelTrust.objects.filter(channel=channel).update(now_flag=flag)
            tell(site.pk, "calibration")
    return flagged


FLAG_WORDS_BY = {f.value: words for f, words in FLAG_WORDS.items()}


@dataclass
class TrustNow:
    """How far a channel may be used now, and why."""

    trust: Trust
    words: str


def doubted(channel_ids: list[int]) -> list[ChannelTrust]:
    """Rows of channels that are not simply trusted: few, so that a tick reads few."""
    rows = ChannelTrust.objects.filter(channel__any_of=channel_ids).exclude(
        trust=Trust.TRUSTED, now_flag="", override=""
    )
    return list(rows.select_related("override_by"))


def trust_now(row: ChannelTrust | None, now: datetime) -> TrustNow:
    """A person's word for its time, else a flag on the newest reading, else the last judgement; a channel never judged is trusted."""
    if row is None:
        return TrustNow(Trust.TRUSTED, "not judged yet")
    if row.override and row.override_until and row.override_until > now:
        return TrustNow(Trust(row.override), f"set by {row.override_by}: {row.override_why}")
    if row.now_flag:
        return TrustNow(Trust.NOT_TO_BE_USED, f"its newest reading is {FLAG_WORDS_BY[row.now_flag]}")
    return TrustNow(Trust(row.trust), row.words)


@transaction.atomic
def set_trust(channel: Channel, trust: str, hours: float, why: str, by: User, now: datetime) -> ChannelTrust:
    """A person's word over a channel for a time; an empty one takes it back."""
    if trust and trust not in [t.value for t in Trust]:
        raise OutOfRange("trust", trust, "one of " + ", ".join(t.value for t in Trust))
    if trust:
        require_range("hours", hours, 1, 24 * 30, "h")
        if not 3 <= len(why.strip()) <= 200:
            raise OutOfRange("why", why, "a reason of 3 to 200 characters")
    row, _ = ChannelTrust.objects.select_for_update().get_or_create(
        channel=channel, defaults={"words": "not judged yet", "judged_at": now}
    )
    before = {"override": row.override}
    row.override, row.override_why, row.override_by = trust, why.strip(), by
    row.override_until = now + timedelta(hours=hours) if trust else None
    row.save()
    site = channel.node.site
    record(
        site,
        now,
        by,
        f"set channel {channel.pk} {trust or 'back to its own record'}",
        row,
        before,
        {"override": trust, "why": why},
    )
    tell(site.pk, "calibration", "readings")
    return row
