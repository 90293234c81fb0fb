"""A site of 12 houses, 240 beds and 900 channels, for the figures and for looking at every screen with it."""

from datetime import UTC, datetime

from accounts.models import Membership, User
from accounts.roles import Role
from fitting.models import Actuator, ActuatorKind, Channel, Node, NodeKind, Probe
from places.models import Bed, House, Pump, Site, Tank
from readings.models import Latest
from watering.models import ProgrammeVersion

NOW = datetime(2026, 6, 18, 9, 0, 20, tzinfo=UTC)
HOUSES, BEDS_EACH, EXTRA_CHANNELS = 12, 20, 180
BED = {
    "crop": "pepper", "plants": 180, "plants_per_m2": 2.6, "leaf_area_index": 2.9, "shape": "slab", "length_cm": 100.0, "width_cm": 18.0,
    "height_cm": 10.0, "plants_per_container": 4.0, "medium": "coir", "dry_limit": 0.486, "rated_flow_ml_min": 36.0, "line_fill_s": 12.0,
    "laterals": 2, "lateral_length_m": 45.0, "lateral_diameter_mm": 13.6,
}  # fmt: skip
BODY = {
    "start": {"kind": "sun", "value": 120.0}, "stop": {"kind": "sun", "value": 90.0}, "low": 0.72, "high": 0.77, "rescue": 0.53,
    "dose": {"kind": "ml", "value": 140.0}, "soak_min": 20.0, "tries": 8, "daily_cap_ml_per_plant": 4750.0, "hourly_cap_ml_per_plant": 600.0,
}  # fmt: skip
PROGRAMME = {"body": BODY, "low": BODY["low"], "high": BODY["high"]}


def make_large_site(owner: User, name: str = "Wide Quay") -> Site:
    """The large site, owned by `owner`, every channel with a newest reading."""
    site = Site.objects.create(name=name, latitude=53.2, longitude=0.3, altitude_m=4, time_zone="Europe/London")
    Membership.objects.create(user=owner, site=site, role=Role.OWNER)
    tank = Tank.objects.create(site=site, name="Main tank", capacity_l=60000, warn_l=9000, empty_l=3000)
    beds: list[Bed] = []
    for h in range(HOUSES):
        house = House.objects.create(site=site, name=f"House {h + 1}", order=h)
        pump = Pump.objects.create(tank=tank, name=f"Pump {h + 1}", flow_l_min=40)
        rows = [Bed(house=house, pump=pump, order=i, name=str(h * BEDS_EACH + i + 1), **BED) for i in range(BEDS_EACH)]
        beds += Bed.objects.bulk_create(rows)
    _fit(site, beds, owner)
    return site


def _fit(site: Site, beds: list[Bed], owner: User) -> None:
    count = len(beds) // 8
    rows = [
        Node(site=site, name=f"Node {i + 1}", kind=NodeKind.MODBUS_TCP, host="10.0.0.1", port=502, last_seen=NOW)
        for i in range(count)
    ]
    nodes = Node.objects.bulk_create(rows)
    probes = Probe.objects.bulk_create(
        [
            Probe(
                bed=b, name=f"{b.name}A", kind="rod", span_raw=20000, depth_cm=6, dripper_distance_cm=7, fitted_at=NOW
            )
            for b in beds
        ]
    )
    channels = [
        Channel(node=nodes[i // 8], quantity=q, bed=bed, probe=probe, register=8 * (i % 8) + k)
        for i, (bed, probe) in enumerate(zip(beds, probes, strict=True))
        for k, q in enumerate(("raw", "bulk_ec", "medium_temp"))
    ]
    channels += [
        Channel(node=nodes[i % count], quantity="co2", house=beds[i % len(beds)].house, register=100 + i)
        for i in range(EXTRA_CHANNELS)
    ]
    made = Channel.objects.bulk_create(channels)
    Latest.objects.bulk_create(
        [Latest(channel=c, time=NOW, raw=16000 if c.quantity == "raw" else 2, quality=0) for c in made]
    )
    Actuator.objects.bulk_create(
        [
            Actuator(
                node=nodes[i // 8],
                kind=ActuatorKind.VALVE,
                bed=b,
                coil=i % 8,
                command_register=200,
                status_register=300,
            )
            for i, b in enumerate(beds)
        ]
    )
    ProgrammeVersion.objects.bulk_create(
        [ProgrammeVersion(bed=b, number=1, published_at=NOW, published_by=owner, **PROGRAMME) for b in beds]
    )
