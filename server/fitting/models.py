from django.db import models

from places.models import Bed, House, Pump, Site, Tank


class NodeKind(models.TextChoices):
    MODBUS_TCP = "modbus_tcp", "Modbus TCP"
    HTTP = "http", "posts by itself"
    GATEWAY = "gateway", "gateway"


class Node(models.Model):
    """A box in the house, or the gateway that speaks for the boxes."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="nodes")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=12, choices=NodeKind.choices)
    host = models.CharField(max_length=120, blank=True)
    port = models.PositiveIntegerField(null=True, blank=True)
    device_id = models.PositiveSmallIntegerField(default=1)
    poll_s = models.FloatField(default=5.0)
    token_hash = models.CharField(max_length=64, blank=True, db_index=True)
    last_seen = models.DateTimeField(null=True, blank=True)
    last_problem = models.CharField(max_length=200, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="node_name_per_site")]


class Probe(models.Model):
    """A substrate probe in a bed. span_raw: raw difference between air and water for its kind."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="probes")
    name = models.CharField(max_length=20)
    kind = models.CharField(max_length=60)
    span_raw = models.FloatField()
    depth_cm = models.FloatField()
    dripper_distance_cm = models.FloatField()
    fitted_at = models.DateTimeField()
    moved_at = models.DateTimeField(null=True, blank=True, help_text="readings before this were taken somewhere else")
    retired_at = models.DateTimeField(null=True, blank=True)


class Quantity(models.TextChoices):
    RAW = "raw", "raw count"
    PERMITTIVITY = "permittivity", "permittivity"
    BULK_EC = "bulk_ec", "bulk conductivity"
    MEDIUM_TEMP = "medium_temp", "substrate temperature"
    DRAIN = "drain", "drain counter"
    AIR_TEMP = "air_temp", "air temperature"
    HUMIDITY = "humidity", "relative humidity"
    LEAF_TEMP = "leaf_temp", "leaf temperature"
    RADIATION = "radiation", "global radiation"
    TANK = "tank", "tank content"
    FLOW = "flow", "flow"


UNIT = {
    "raw": "counts",
    "permittivity": "-",
    "bulk_ec": "mS/cm",
    "medium_temp": "°C",
    "drain": "mL per plant",
    "air_temp": "°C",
    "humidity": "%",
    "leaf_temp": "°C",
    "radiation": "W/m²",
    "tank": "L",
    "flow": "L/min",
}
"""Unit of each quantity's readings as stored."""

PLAUSIBLE = {
    "raw": (0, 65535),
    "permittivity": (1, 90),
    "bulk_ec": (0, 20),
    "medium_temp": (-20, 60),
    "drain": (0, 1e9),
    "air_temp": (-40, 80),
    "humidity": (0, 100),
    "leaf_temp": (-40, 80),
    "radiation": (0, 1500),
    "tank": (0, 1e7),
    "flow": (0, 10000),
}
"""What a reading of each quantity can be; outside it the reading is kept and flagged, not used."""


class Channel(models.Model):
    """One measured quantity: where it is read (register map) and what it belongs to."""

    node = models.ForeignKey(Node, models.PROTECT, related_name="channels")
    quantity = models.CharField(max_length=14, choices=Quantity.choices)
    house = models.ForeignKey(House, models.PROTECT, null=True, blank=True, related_name="channels")
    bed = models.ForeignKey(Bed, models.PROTECT, null=True, blank=True, related_name="channels")
    probe = models.ForeignKey(Probe, models.PROTECT, null=True, blank=True, related_name="channels")
    tank = models.ForeignKey(Tank, models.PROTECT, null=True, blank=True, related_name="channels")
    pump = models.ForeignKey(Pump, models.PROTECT, null=True, blank=True, related_name="channels")
    register = models.PositiveIntegerField(null=True, blank=True)
    register_type = models.CharField(max_length=8, default="uint16")
    scale = models.FloatField(default=1.0)
    offset = models.FloatField(default=0.0)
    retired_at = models.DateTimeField(null=True, blank=True)


class ActuatorKind(models.TextChoices):
    VALVE = "valve", "valve"
    PUMP = "pump", "pump"


class Actuator(models.Model):
    """A valve or pump: its coil and the registers that carry number and seconds of a command."""

    node = models.ForeignKey(Node, models.PROTECT, related_name="actuators")
    kind = models.CharField(max_length=6, choices=ActuatorKind.choices)
    bed = models.OneToOneField(Bed, models.PROTECT, null=True, blank=True, related_name="valve")
    pump = models.OneToOneField(Pump, models.PROTECT, null=True, blank=True, related_name="actuator")
    coil = models.PositiveIntegerField()
    command_register = models.PositiveIntegerField(help_text="number (2 words), tenths of a second (1 word)")
    status_register = models.PositiveIntegerField(
        help_text="last number (2 words), tenths of a second left (1), mL per plant of the last run (1)"
    )
