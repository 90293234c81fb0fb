"""A small holding with a frozen clock: one house, two beds on one pump, a node, and people of each role."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import pytest
from django.test import Client

from accounts.models import User
from accounts.roles import Role
from accounts.services import add_person
from calibration.models import CalibrationVersion
from demo.models import DemoClock
from fitting.models import Actuator, ActuatorKind, Channel, Node, NodeKind, Probe
from fitting.services import set_token
from places.models import Bed, House, Pump, Site, Tank
from readings.models import Latest, Reading

NOW = datetime(2026, 6, 18, 9, 0, 20, tzinfo=UTC)
PASSWORD = "a-long-password"
TOKEN = "node-token-for-tests"
BED = {
    "crop": "pepper",
    "plants": 180,
    "plants_per_m2": 2.6,
    "leaf_area_index": 2.9,
    "shape": "slab",
    "length_cm": 100.0,
    "width_cm": 18.0,
    "height_cm": 10.0,
    "plants_per_container": 4.0,
    "medium": "coir",
    "dry_limit": 0.486,
    "rated_flow_ml_min": 36.0,
    "tested_flow_ml_min": 35.1,
    "line_fill_s": 12.0,
    "feed_ec_ms_cm": 2.4,
}
BODY = {
    "start": {"kind": "sun", "value": 120.0},
    "stop": {"kind": "sun", "value": 90.0},
    "low": 0.72,
    "high": 0.77,
    "rescue": 0.53,
    "dose": {"kind": "ml", "value": 140.0},
    "soak_min": 20.0,
    "tries": 8,
    "daily_cap_ml_per_plant": 4750.0,
    "hourly_cap_ml_per_plant": 600.0,
    "stale_after_s": 900.0,
}
PROGRAMME = {"body": BODY, "low": BODY["low"], "high": BODY["high"]}
"""Fields of a published version."""


def form(number: int = 0, **change) -> dict:
    """What publishing and trying take: the body, with changes, and the version edited from."""
    return {"body": {**BODY, **change}, "number": number}


@dataclass
class Holding:
    site: Site
    house: House
    beds: list[Bed]
    node: Node
    gateway: Node
    raw: list[Channel]
    tank: Channel
    people: dict[str, User]

    def set_raw(self, bed: int, raw: float, at: datetime = NOW) -> None:
        """A reading of a bed's probe, as if it had just come in."""
        Reading.objects.bulk_create([Reading(channel=self.raw[bed], time=at, raw=raw)], ignore_conflicts=True)
        Latest.objects.update_or_create(channel=self.raw[bed], defaults={"time": at, "raw": raw, "quality": 0})

    def set_tank(self, litres: float, at: datetime = NOW) -> None:
        Latest.objects.update_or_create(channel=self.tank, defaults={"time": at, "raw": litres, "quality": 0})

    def set_now(self, at: datetime) -> None:
        DemoClock.objects.filter(site=self.site).update(anchor_site=at)
        self.site = Site.objects.get(pk=self.site.pk)

    def calibrate(self, bed: int) -> None:
        """raw 30000 reads 0 and raw 10000 reads 100 %."""
        CalibrationVersion.objects.create(**straight_line(self.raw[bed], self.people["owner"]))


def straight_line(channel: Channel, by: User, **more) -> dict:
    """Fields of a version that reads raw 30000 as 0 and raw 10000 as 100 %."""
    point = {"noise": 30.0, "at": NOW.isoformat(), "by": str(by), "inputs": {}, "residual": 0.0}
    return {
        "channel": channel,
        "number": 1,
        "method": "two_point",
        "gives": "theta",
        "form": "linear",
        "coefficients": [1.5, -1 / 20000],
        "low": 10000,
        "high": 30000,
        "points": [{"kind": "dry", "x": 30000.0, "y": 0.0, **point}, {"kind": "wet", "x": 10000.0, "y": 1.0, **point}],
        "resolution": 0.3,
        "noise_raw": 30,
        "valid_from": NOW - timedelta(days=2),
        "published_at": NOW,
        "published_by": by,
        **more,
    }


def raw_of(theta: float) -> float:
    return 30000 - 20000 * theta


def make_holding(beds: int = 2, name: str = "Test Quay") -> Holding:
    site = Site.objects.create(name=name, latitude=53.2, longitude=0.3, altitude_m=4, time_zone="Europe/London")
    DemoClock.objects.create(site=site, anchor_real=NOW, anchor_site=NOW, rate=0.0)
    people = {role.value: add_person(site, f"{role.value}-{site.pk}", PASSWORD, role) for role in Role}
    house = House.objects.create(site=site, name="House North", order=1)
    tank = Tank.objects.create(site=site, name="Day tank", capacity_l=3000, warn_l=600, empty_l=240)
    pump = Pump.objects.create(tank=tank, name="Pump", flow_l_min=10)
    node = Node.objects.create(site=site, name="North 1", kind=NodeKind.MODBUS_TCP, host="127.0.0.1", port=1502)
    set_token(node, f"{TOKEN}-{site.pk}")
    gateway = Node.objects.create(site=site, name="Gateway", kind=NodeKind.GATEWAY)
    set_token(gateway, f"gateway-{TOKEN}-{site.pk}")
    level = Channel.objects.create(
        node=node, quantity="tank", tank=tank, register=120, register_type="uint32", scale=0.1
    )
    Actuator.objects.create(
        node=node, kind=ActuatorKind.PUMP, pump=pump, coil=9, command_register=290, status_register=390
    )
    made, raw = [], []
    for i in range(beds):
        bed = Bed.objects.create(house=house, pump=pump, order=i, name=str(i + 1), **BED)
        probe = Probe.objects.create(
            bed=bed, name=f"{i + 1}A", kind="rod", span_raw=20000, depth_cm=6, dripper_distance_cm=7, fitted_at=NOW
        )
        raw.append(Channel.objects.create(node=node, quantity="raw", bed=bed, probe=probe, register=10 * i))
        Actuator.objects.create(
            node=node,
            kind=ActuatorKind.VALVE,
            bed=bed,
            coil=i,
            command_register=200 + 10 * i,
            status_register=300 + 10 * i,
        )
        made.append(bed)
    return Holding(site, house, made, node, gateway, raw, level, people)


@pytest.fixture(autouse=True)
def quick_passwords(settings):
    """Argon2 is slow on purpose; three people per test would make it the whole suite. test_settings.py checks the real one."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def holding(db) -> Holding:
    return make_holding()


@pytest.fixture
def client_of(holding):
    """Signed-in client by role."""

    def make(role: str) -> Client:
        client = Client()
        client.force_login(holding.people[role], backend="django.contrib.auth.backends.ModelBackend")
        return client

    return make


@pytest.fixture
def grower(client_of) -> Client:
    return client_of("grower")


def send(client: Client, method: str, path: str, body=None, **headers):
    return getattr(client, method)(f"/api/{path}", data=body, content_type="application/json", **headers)


def node_headers(holding: Holding, gateway: bool = False) -> dict[str, str]:
    token = f"gateway-{TOKEN}-{holding.site.pk}" if gateway else f"{TOKEN}-{holding.site.pk}"
    return {"HTTP_AUTHORIZATION": f"Node {token}"}


def fields_of(response) -> list[str]:
    return [e["field"] for e in response.json()["errors"]]
