"""The demo's watering: programmes, the pulses and decisions of its history, shared programmes, plan and other devices."""

from collections.abc import Callable
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

from fitting.models import Actuator, ActuatorKind
from places.models import Bed, House
from places.sun import local_day
from reedcore.device_rules import PROPOSED, DeviceKind
from watering.models import (
    BedControl,
    Command,
    CommandState,
    Decision,
    DeviceRule,
    PlanEntry,
    PlanKind,
    ProgrammeVersion,
    Pulse,
    PulseState,
    SharedProgramme,
)


def water_record(work: Any, bed: Bed, d: dict[str, Any], record: dict[str, Any]) -> None:
    """Programme, pulses, decisions and control of one bed."""
    programme = _programme(work, bed, d, record)
    _pulses(bed, programme, record, work)
    _control(bed, record, work)


def share_and_plan(work: Any) -> None:
    """A programme that beds follow, and a day without water to come, as the definition names them."""
    for row in work.definition.get("shared", []):
        versions = list(
            ProgrammeVersion.objects.filter(bed__house__site=work.site, bed__name__in=row["beds"], number=1)
        )
        shared = SharedProgramme.objects.create(
            site=work.site,
            name=row["name"],
            number=1,
            published_at=work.start,
            published_by=work.owner,
            body=versions[0].body,
        )
        ProgrammeVersion.objects.filter(pk__in=[v.pk for v in versions]).update(shared=shared)
    today = local_day(work.site, work.end)
    for row in work.definition.get("plan", []):
        first = today + timedelta(days=row["in_days"])
        house = House.objects.get(site=work.site, name=row["house"])
        PlanEntry.objects.create(
            site=work.site,
            kind=PlanKind.HOLD,
            title=row["title"],
            first_day=first,
            last_day=first,
            house=house,
            made_by=work.owner,
            made_at=work.end,
        )


def contacts(work: Any, actuator: Callable[..., Actuator]) -> None:
    """Devices that hang on a contact, each with the usual rule of its kind."""
    for c in work.definition.get("contacts", []):
        device = actuator(work, ActuatorKind.CONTACT, c["node"], c["slot"], name=c["name"])
        if "kind" not in c:
            continue
        rule = {k: v for k, v in asdict(PROPOSED[DeviceKind(c["kind"])]).items() if k != "kind"}
        DeviceRule.objects.create(
            actuator=device, house=House.objects.get(site=work.site, name=c["house"]), number=1, published_at=work.start, published_by=work.owner,
            kind=c["kind"], settings=rule,
        )  # fmt: skip


def _programme(work: Any, bed: Bed, d: dict[str, Any], record: dict[str, Any]) -> ProgrammeVersion | None:
    if d["programme"].get("publish") is False:
        return None
    values = dict(record["programme"])
    if d["probe"].get("calibrated") == "air_water":
        # The band stands on the scale its probe shows, as the grower saw it when typing it in.
        values |= {k: round(values[k] * d["probe"]["truth"]["contact"], 3) for k in ("low", "high", "rescue")}
    return ProgrammeVersion.objects.create(
        bed=bed,
        number=1,
        published_at=work.start,
        published_by=work.owner,
        body=values,
        low=values["low"],
        high=values["high"],
    )


def _pulses(bed: Bed, programme: ProgrammeVersion | None, record: dict[str, Any], work: Any) -> None:
    by = None if programme else work.owner
    pulses = []
    for p in record["pulses"]:
        at = datetime.fromisoformat(p["at"])
        pulses.append(
            Pulse(
                bed=bed,
                programme=programme,
                ordered_at=at,
                seconds=p["seconds"],
                dose_ml=p["dose_ml"],
                by=by,
                state=PulseState.DONE,
                started_at=at,
                ended_at=at + timedelta(seconds=p["seconds"]),
                delivered_ml=p["dose_ml"],
            )
        )
    Pulse.objects.bulk_create(pulses)
    _commands(bed, pulses)
    Decision.objects.bulk_create(
        [
            Decision(
                bed=bed,
                tick_at=datetime.fromisoformat(d["at"]),
                action=d["action"],
                why=d["reasons"][0]["why"],
                reasons=d["reasons"],
                dose_ml_per_plant=d["dose_ml"],
                seconds=d["seconds"],
            )
            for d in record["decisions"]
        ],
        batch_size=2000,
    )


def _commands(bed: Bed, pulses: list[Pulse]) -> None:
    """The orders that valve and pump carried out for each pulse, so that starts and hours are counted from them."""
    devices = [d for d in (bed.valve, getattr(bed.pump, "actuator", None)) if d is not None]
    Command.objects.bulk_create(
        [
            Command(
                pulse=p, actuator=device, seconds=p.seconds, issued_at=p.ordered_at, expires_at=p.ordered_at + timedelta(minutes=5),
                state=CommandState.DONE, started_at=p.started_at, ended_at=p.ended_at,
            )
            for p in pulses
            for device in devices
        ],
        batch_size=2000,
    )  # fmt: skip


def _control(bed: Bed, record: dict[str, Any], work: Any) -> None:
    c = record["control"]
    times = {
        k: datetime.fromisoformat(c[k]) if c[k] else None for k in ("last_pulse_start", "last_pulse_end", "span_since")
    }
    last_why = record["decisions"][-1]["reasons"][0]["why"] if record["decisions"] else ""
    BedControl.objects.create(
        bed=bed,
        latched=c["latched"],
        tries=c["tries"],
        fault=c["fault"],
        span=c["span"],
        evening_theta=c["evening_theta"],
        pulses_today=c["pulses_today"],
        given_today_ml=c["given_today_ml"],
        given_day=local_day(work.site, work.end),
        last_why=last_why,
        **times,
    )
