from django.conf import settings
from django.db import models

from places.models import Bed, House, Pump, Site, Tank
from reedcore.electrics import Load


class NodeKind(models.TextChoices):
    MODBUS_TCP = "modbus_tcp", "Modbus TCP"
    MODBUS_RTU = "modbus_rtu", "Modbus RTU over TCP"
    SDI12 = "sdi12", "SDI-12 over TCP"
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
    config_number = models.PositiveIntegerField(default=1, help_text="raised by every change the node must take")
    config_confirmed = models.PositiveIntegerField(default=0, help_text="what the node last said it runs by")
    health_register = models.PositiveIntegerField(
        null=True, blank=True, help_text="first of the eight health registers"
    )
    firmware = models.CharField(max_length=40, blank=True)
    restarts = models.PositiveIntegerField(default=0)
    uptime_s = models.FloatField(null=True, blank=True)
    clock_offset_s = models.FloatField(null=True, blank=True)
    supply_v = models.FloatField(null=True, blank=True)
    battery_v = models.FloatField(null=True, blank=True)
    baud = models.PositiveIntegerField(default=9600)
    cable_m = models.FloatField(null=True, blank=True)
    supply_needed_v = models.FloatField(default=12)
    retired_at = models.DateTimeField(null=True, blank=True)
    standin_slot = models.PositiveSmallIntegerField(
        null=True, blank=True, help_text="port of a stand-in node, from the base"
    )
    faults = models.JSONField(default=list, blank=True, help_text="faults set on a stand-in node, by name")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["site", "name"], name="node_name_per_site"),
            models.UniqueConstraint(fields=["standin_slot"], name="one_node_per_standin_slot"),
        ]

    @property
    def is_standin(self) -> bool:
        return self.standin_slot is not None

    @property
    def address(self) -> tuple[str, int | None]:
        """Host and port. A stand-in's port moves with each start, so it is worked out, not kept."""
        if self.standin_slot is not None:
            return "127.0.0.1", settings.STANDIN_PORT_BASE + self.standin_slot
        return self.host, self.port


class Probe(models.Model):
    """A substrate probe in a bed. span_raw: raw difference between air and water for its kind."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="probes")
    name = models.CharField(max_length=20)
    kind = models.CharField(max_length=60)
    span_raw = models.FloatField()
    sensor_kind = models.CharField(
        max_length=30, default="capacitive", help_text="code of the core's data/sensor_kinds"
    )
    depth_cm = models.FloatField()
    across_cm = models.FloatField(null=True, blank=True, help_text="from the middle of the container, right positive")
    plant = models.PositiveIntegerField(null=True, blank=True, help_text="number of the plant along the bed")
    dripper_distance_cm = models.FloatField()
    epsilon_dry = models.FloatField(
        null=True, blank=True, help_text="own ε0 of the pore-water formula; none: starting value"
    )
    fitted_at = models.DateTimeField()
    moved_at = models.DateTimeField(null=True, blank=True, help_text="readings before this were taken somewhere else")
    retired_at = models.DateTimeField(null=True, blank=True)


class Quantity(models.TextChoices):
    """Quantities that rules of the server ask for by name; all others stand in the core's data file."""

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
    LEVEL_SWITCH = "level_switch", "level switch"


class Input(models.TextChoices):
    """What comes over the wire for a channel, before it is a value."""

    NUMBER = "number", "number"
    COUNTS = "counts", "converter counts"
    MILLIVOLTS = "mv", "millivolts"
    LOOP = "loop", "4-20 mA"
    PULSE = "pulse", "pulse counter"
    SWITCH = "switch", "switch"


class Channel(models.Model):
    """One measured quantity: where it is read (register map) and what it belongs to."""

    node = models.ForeignKey(Node, models.PROTECT, related_name="channels")
    quantity = models.CharField(max_length=14, help_text="code of the core's data/quantities.json")
    sensor_kind = models.CharField(max_length=30, blank=True)
    key = models.CharField(max_length=60, blank=True, help_text="name under which a node posts it")
    place = models.CharField(max_length=80, blank=True)
    standin_place = models.CharField(
        max_length=12, default="bed", help_text="where a person has put a stand-in's sensor"
    )
    house = models.ForeignKey(House, models.PROTECT, null=True, blank=True, related_name="channels")
    bed = models.ForeignKey(Bed, models.PROTECT, null=True, blank=True, related_name="channels")
    probe = models.ForeignKey(Probe, models.PROTECT, null=True, blank=True, related_name="channels")
    tank = models.ForeignKey(Tank, models.PROTECT, null=True, blank=True, related_name="channels")
    pump = models.ForeignKey(Pump, models.PROTECT, null=True, blank=True, related_name="channels")
    register = models.PositiveIntegerField(null=True, blank=True)
    register_type = models.CharField(max_length=8, default="uint16")
    scale = models.FloatField(default=1.0)
    offset = models.FloatField(default=0.0)
    function = models.PositiveSmallIntegerField(default=3)
    word_order = models.CharField(max_length=4, default="abcd")
    input = models.CharField(max_length=8, choices=Input.choices, default=Input.NUMBER)
    input_settings = models.JSONField(default=dict, blank=True)
    retired_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["node", "key"],
                condition=~models.Q(key="") & models.Q(retired_at=None),
                name="channel_key_per_node",
            )
        ]


class ActuatorKind(models.TextChoices):
    VALVE = "valve", "valve"
    PUMP = "pump", "pump"
    CONTACT = "contact", "contact"
    DOSER = "doser", "doser"


class Actuator(models.Model):
    """A valve or pump: its coil and the registers that carry number and seconds of a command."""

    node = models.ForeignKey(Node, models.PROTECT, related_name="actuators")
    kind = models.CharField(max_length=8, choices=ActuatorKind.choices)
    name = models.CharField(max_length=40, blank=True)
    bed = models.OneToOneField(Bed, models.PROTECT, null=True, blank=True, related_name="valve")
    pump = models.OneToOneField(Pump, models.PROTECT, null=True, blank=True, related_name="actuator")
    coil = models.PositiveIntegerField()
    command_register = models.PositiveIntegerField(help_text="number (2 words), tenths of a second (1 word)")
    status_register = models.PositiveIntegerField(
        help_text="last number (2 words), tenths of a second left (1), mL per plant of the last run (1)"
    )


class NodeHealth(models.Model):
    """What a node said of itself, kept as it came: supply and battery [V], uptime [s], clock offset [s]."""

    node = models.ForeignKey(Node, models.CASCADE, related_name="health")
    at = models.DateTimeField()
    supply_v = models.FloatField(null=True)
    battery_v = models.FloatField(null=True)
    uptime_s = models.FloatField(null=True)
    clock_offset_s = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["node", "at"], name="one_health_per_moment")]


class BusState(models.TextChoices):
    QUEUED = "queued", "queued"
    DONE = "done", "answered"
    FAILED = "failed", "no answer"
    EXPIRED = "expired", "expired"


class BusRequest(models.Model):
    """Bytes to send to a bus from the frame bench, and what came back. Void after expires_at [real time]."""

    node = models.ForeignKey(Node, models.CASCADE, related_name="bus_requests")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    created_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    request = models.BinaryField()
    answer = models.BinaryField(default=bytes)
    state = models.CharField(max_length=8, choices=BusState.choices, default=BusState.QUEUED)
    problem = models.CharField(max_length=200, blank=True)
    elapsed_ms = models.FloatField(null=True)


class Outcome(models.TextChoices):
    OPEN = "open", "under way"
    PASS = "pass", "passed"
    RETRY = "retry", "to be tried again"
    FAIL = "fail", "failed"


class Proof(models.Model):
    """A guided test of a sensor. phases: [{"name", "at"}]; result as reedcore.response gives it; plot: [[s, raw], ...]."""

    channel = models.ForeignKey(Channel, models.PROTECT, related_name="proofs")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    outcome = models.CharField(max_length=6, choices=Outcome.choices, default=Outcome.OPEN)
    phases = models.JSONField(default=list)
    result = models.JSONField(default=dict)
    plot = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["channel"], condition=models.Q(outcome="open"), name="one_open_proof_per_channel"
            )
        ]


class ActuatorProof(models.Model):
    """A test of an actuator: {"runs", "flow", "stops", "level"} each true, false or null, with the figures seen."""

    actuator = models.ForeignKey(Actuator, models.PROTECT, related_name="proofs")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    outcome = models.CharField(max_length=6, choices=Outcome.choices, default=Outcome.OPEN)
    step = models.CharField(max_length=8, default="run")
    checks = models.JSONField(default=dict)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["actuator"], condition=models.Q(outcome="open"), name="one_open_actuator_proof"
            )
        ]


class ElectricSheet(models.Model):
    """A device as it is wired, as reedcore.electrics.DeviceSheet. One per actuator, one per node."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="electric_sheets")
    version = models.PositiveIntegerField(default=1)
    actuator = models.OneToOneField(Actuator, models.CASCADE, null=True, blank=True, related_name="electric_sheet")
    node = models.OneToOneField(Node, models.CASCADE, null=True, blank=True, related_name="electric_sheet")
    load = models.CharField(max_length=12, choices=[(x.value, x.value) for x in Load])
    power_w = models.FloatField()
    supply_v = models.FloatField()
    contact_a = models.FloatField()
    cable_m = models.FloatField()
    cable_mm2 = models.FloatField()
    normally_open = models.BooleanField(default=True)
    hours_a_day = models.FloatField(default=1)
    standby_w = models.FloatField(default=0)
    battery_ah = models.FloatField(default=0)
    panel_w = models.FloatField(default=0)
    sun_hours = models.FloatField(default=1)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(actuator=None) ^ models.Q(node=None), name="sheet_of_one_device")
        ]
