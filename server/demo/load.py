"""Load Heron Quay Glass: the holding from its definition, and the history the stand-in has made for it."""

import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from django.db import transaction

from accounts.models import User
from accounts.roles import Role
from accounts.services import add_person
from calibration.models import CalibrationVersion
from common.clock import real_now
from fitting.models import Actuator, ActuatorKind, Channel, Node, NodeKind, Probe
from fitting.services import set_token
from logbook.models import Note
from places.models import Bed, DripperTest, House, Pump, Site, Tank, WaterSource
from places.sun import local_day
from readings.bulk import copy_rows
from readings.models import Latest, Quality, Reading
from reedcore.calibration import CalibrationPoint, two_point_calibration
from reedcore.probe import RawCurve, raw_from_water_content
from reedcore.uniformity import dripper_test
from watering.days import renew_day

from .models import ProbePlace
from .services import set_clock
from .water_record import contacts, share_and_plan, water_record

BED_KEYS = (
    "crop",
    "medium",
    "shape",
    "length_cm",
    "width_cm",
    "top_diameter_cm",
    "base_diameter_cm",
    "height_cm",
    "plants_per_container",
    "plants",
    "plants_per_m2",
    "leaf_area_index",
    "rated_flow_ml_min",
    "tested_flow_ml_min",
    "line_fill_s",
    "feed_ec_ms_cm",
)


@dataclass
class Loading:
    """What is being built, by name."""

    definition: dict[str, Any]
    record: dict[str, Any]
    tracks: Any
    port_base: int
    site: Site = field(default_factory=Site)
    owner: User = field(default_factory=User)
    nodes: dict[str, Node] = field(default_factory=dict)
    pumps: dict[str, Pump] = field(default_factory=dict)
    copies: list[tuple[Channel, str, datetime, datetime]] = field(default_factory=list)

    @property
    def start(self) -> datetime:
        return datetime.fromisoformat(self.record["start"]).astimezone(UTC)

    @property
    def end(self) -> datetime:
        return datetime.fromisoformat(self.record["end"]).astimezone(UTC)

    def local(self, text: str) -> datetime:
        return (
            datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(self.definition["site"]["time_zone"])).astimezone(UTC)
        )


@transaction.atomic
def load_demo(definition: Path, history: Path, port_base: int, gateway_token: str) -> Site:
    """Load the demo holding once, in one transaction. Channels, people and programmes come with fourteen days of record."""
    tracks = np.load(history / "tracks.npz")
    work = Loading(
        json.loads(definition.read_text()), json.loads((history / "history.json").read_text()), tracks, port_base
    )
    _site_and_people(work)
    _nodes_and_water(work, gateway_token)
    for order, house in enumerate(work.definition["houses"]):
        _house(work, house, order)
    contacts(work, _actuator)
    share_and_plan(work)
    _copy_readings(work)
    _notes(work)
    set_clock(work.site, work.end, real_now(), 1.0)
    return work.site


def _site_and_people(work: Loading) -> None:
    work.site = Site.objects.create(**work.definition["site"])
    for person in work.definition["people"]:
        user = add_person(work.site, person["username"], person["password"], Role(person["role"]), person["name"])
        if person["role"] == "owner":
            work.owner = user


def _nodes_and_water(work: Loading, gateway_token: str) -> None:
    d = work.definition
    for n in d["nodes"]:
        work.nodes[n["name"]] = Node.objects.create(
            site=work.site,
            name=n["name"],
            kind=NodeKind.MODBUS_TCP,
            host="127.0.0.1",
            port=work.port_base + n["port_offset"],
            last_seen=work.end,
        )
    gateway = Node.objects.create(site=work.site, name="Gateway", kind=NodeKind.GATEWAY, last_seen=work.end)
    set_token(gateway, gateway_token)
    t = d["tank"]
    source = WaterSource.objects.create(site=work.site, **d["water_source"])
    tank = Tank.objects.create(
        site=work.site,
        source=source,
        name=t["name"],
        capacity_l=t["capacity_l"],
        warn_l=t["warn_l"],
        empty_l=t["empty_l"],
        **t["form"],
    )
    _channels(work, "tank", t["node"], t["slot"], {"tank": tank}, "tank:{q}")
    for p in d["pumps"]:
        pump = Pump.objects.create(tank=tank, name=p["name"], **p["line"])
        work.pumps[p["name"]] = pump
        _channels(work, "pump", p["node"], p["slot"], {"pump": pump}, f"pump:{p['name']}:{{q}}")
        _actuator(work, ActuatorKind.PUMP, p["node"], p["slot"], pump=pump)


def _actuator(work: Loading, kind: ActuatorKind, node: str, slot: int, **owner: Any) -> Actuator:
    r = work.definition["registers"]
    return Actuator.objects.create(
        node=work.nodes[node],
        kind=kind,
        coil=slot,
        command_register=r["command"]["base"] + r["command"]["stride"] * slot,
        status_register=r["status"]["base"] + r["status"]["stride"] * slot,
        **owner,
    )


def _channels(
    work: Loading,
    section: str,
    node: str,
    slot: int,
    owner: dict[str, Any],
    key: str,
    only: set[str] | None = None,
    since: datetime | None = None,
    until: datetime | None = None,
) -> None:
    """Channels of one owner by the register map, with their history queued for copying."""
    s = work.definition["registers"][section]
    for quantity, (offset, kind, scale) in s["map"].items():
        if only is not None and quantity not in only:
            continue
        channel = Channel.objects.create(
            node=work.nodes[node],
            quantity=quantity,
            register=s["base"] + s["stride"] * slot + offset,
            register_type=kind,
            scale=scale,
            retired_at=until,
            **owner,
        )
        work.copies.append((channel, key.format(q=quantity), since or work.start, until or work.end))


def _house(work: Loading, d: dict[str, Any], order: int) -> None:
    wash = d.get("whitewash")
    house = House.objects.create(
        site=work.site,
        name=d["name"],
        order=order,
        drain_returned=d["drain_returned"],
        transmission=wash["transmission"] if wash else d["transmission"],
        whitewashed_on=work.start.date() + timedelta(days=wash["from_days"]) if wash else None,
        **d.get("climate", {}),
    )
    _channels(work, "house", d["node"], d["slot"], {"house": house}, f"house:{d['name']}:{{q}}")
    for bed_order, bed in enumerate(d["beds"]):
        _bed(work, house, bed, bed_order)


def _bed(work: Loading, house: House, d: dict[str, Any], order: int) -> None:
    record = work.record["beds"][d["name"]]
    values = {k: d[k] for k in BED_KEYS if k in d} | d["lines"]
    bed = Bed.objects.create(
        house=house, order=order, name=d["name"], pump=work.pumps[d["pump"]], dry_limit=record["dry_limit"], **values
    )
    _channels(work, "bed", d["node"], d["slot"], {"bed": bed}, f"bed:{d['name']}:{{q}}", only={"drain"})
    _actuator(work, ActuatorKind.VALVE, d["node"], d["slot"], bed=bed)
    for definition in (d.get("old_probe"), d["probe"]):
        if definition:
            _probe(work, bed, d, definition, record)
    if "cups" in d:
        _cups(work, bed, d["cups"])
    water_record(work, bed, d, record)


def _cups(work: Loading, bed: Bed, cups: dict[str, Any]) -> None:
    judged = dripper_test(np.array(cups["volumes_ml"], float), cups["minutes"], bed.drippers_per_plant)
    DripperTest.objects.create(
        bed=bed,
        at=work.local(cups["local"]),
        by=work.owner,
        minutes=cups["minutes"],
        volumes_ml=cups["volumes_ml"],
        drippers_per_plant=bed.drippers_per_plant,
        christiansen=judged.christiansen,
        low_quarter=judged.low_quarter,
        emission=judged.emission,
        flow_before_ml_min=bed.rated_flow_ml_min,
        flow_after_ml_min=judged.mean_flow_ml_min,
    )


def _probe(work: Loading, bed: Bed, d: dict[str, Any], p: dict[str, Any], record: dict[str, Any]) -> None:
    fitted = work.local(p["fitted_local"]) if "fitted_local" in p else work.start
    retired = work.local(p["retired_local"]) if "retired_local" in p else None
    probe = Probe.objects.create(
        bed=bed,
        name=p["name"],
        kind=p["kind"],
        span_raw=p["span_raw"],
        depth_cm=p["depth_cm"],
        dripper_distance_cm=p["dripper_distance_cm"],
        fitted_at=fitted,
        retired_at=retired,
    )
    _channels(
        work,
        "bed",
        d["node"],
        d["slot"],
        {"bed": bed, "probe": probe},
        f"probe:{p['name']}:{{q}}",
        only={"raw", "permittivity", "bulk_ec", "medium_temp"},
        since=fitted,
        until=retired,
    )
    if retired is None:
        ProbePlace.objects.create(probe=probe)
    if p.get("calibrated") != "no":
        _calibration(work, probe, p, record, air_water=p.get("calibrated") == "air_water")


def _calibration(work: Loading, probe: Probe, p: dict[str, Any], record: dict[str, Any], air_water: bool) -> None:
    t = p["truth"]
    curve = RawCurve(t["raw_air"], t["raw_water"], t["bend"])
    dry, wet = (0.0, 1.0) if air_water else (record["dry_mix"], record["capacity"])
    contact = 1.0 if air_water else t["contact"]
    points = [
        CalibrationPoint(round(raw_from_water_content(theta * contact, curve)), t["noise"], theta)
        for theta in (dry, wet)
    ]
    line = two_point_calibration(points[0], points[1], probe.span_raw)
    by = {"at": work.start.isoformat(), "by": str(work.owner), "inputs": {}, "residual": 0.0}
    rows = zip(("dry", "wet"), points, strict=True)
    CalibrationVersion.objects.create(
        channel=Channel.objects.get(probe=probe, quantity="raw"),
        number=1,
        method="air_water" if air_water else "two_point",
        gives="theta",
        form="linear",
        coefficients=[line.intercept, line.slope],
        low=min(p.raw for p in points),
        high=max(p.raw for p in points),
        points=[{"kind": k, "x": p.raw, "y": p.theta, "noise": p.noise_raw, **by} for k, p in rows],
        words=f"Raw {'falls' if line.slope < 0 else 'rises'} as water rises; one point of water is {abs(0.01 / line.slope):.0f} counts.",
        noise_raw=t["noise"],
        resolution=line.resolution_points,
        provisional=air_water,
        valid_from=work.start,
        published_at=work.start,
        published_by=work.owner,
    )


def _copy_readings(work: Loading) -> None:
    """Readings by COPY, in order of time within each channel, and the newest of each beside them."""
    gap = work.definition["trouble"]["node_gap"]
    gap_start = work.local(gap["from_local"])
    gap_end = gap_start + timedelta(minutes=gap["minutes"])
    times = [work.start + timedelta(minutes=i) for i in range(work.record["minutes"])]
    newest: list[Latest] = []

    def rows() -> Iterator[tuple[Any, ...]]:
        for channel, key, since, until in work.copies:
            silent = channel.node_id == work.nodes[gap["node"]].pk
            values = np.round(work.tracks[key], 4).tolist()
            last: tuple[datetime, float] | None = None
            for time, value in zip(times, values, strict=True):
                if time < since or time >= until or (silent and gap_start <= time < gap_end):
                    continue
                last = (time, value)
                yield channel.pk, time, value, 0
            if last:
                newest.append(Latest(channel=channel, time=last[0], raw=last[1], quality=Quality.GOOD))

    copy_rows(Reading, ["channel_id", "time", "raw", "quality"], rows(), fresh=True)
    Latest.objects.bulk_create(newest)


def _notes(work: Loading) -> None:
    for note in work.definition["notes"]:
        bed = Bed.objects.get(house__site=work.site, name=note["bed"])
        Note.objects.create(site=work.site, bed=bed, at=work.local(note["local"]), by=work.owner, text=note["text"])


def work_out_days(site: Site, days: int = 14) -> None:
    """Day figures of the loaded history."""
    today = local_day(site, site.demo_clock.anchor_site)
    for bed in Bed.objects.filter(house__site=site).select_related("house__site"):
        for back in range(days):
            renew_day(bed, today - timedelta(days=back))
