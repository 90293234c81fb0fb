from datetime import timedelta
from functools import cached_property

from django.db import models
from django.db.models import Q

from accounts.models import User
from fitting.models import Actuator, Channel
from reedcore.curves import Curve, Form
from reedcore.flags import FLAG_WORDS, Flag
from reedcore.methods import method
from reedcore.sense import TRUST_WORDS, Trust


class BenchSession(models.Model):
    """A calibration under way at the bench: one per channel (or doser) and method, open until published or put away, so that
    it can be gone on with on another device. settings: what is asked once, such as tare, dry mass and volume."""

    channel = models.ForeignKey(Channel, models.PROTECT, null=True, blank=True, related_name="benches")
    actuator = models.ForeignKey(Actuator, models.PROTECT, null=True, blank=True, related_name="benches")
    method = models.CharField(max_length=16)
    settings = models.JSONField(default=dict, blank=True)
    opened_at = models.DateTimeField()
    opened_by = models.ForeignKey(User, models.PROTECT)
    closed_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(channel=None, actuator__isnull=False) | Q(channel__isnull=False, actuator=None),
                name="bench_of_a_channel_or_a_doser",
            ),
            models.UniqueConstraint(
                fields=["channel", "method"], condition=Q(closed_at=None), name="one_open_bench_per_channel"
            ),
            models.UniqueConstraint(
                fields=["actuator", "method"], condition=Q(closed_at=None), name="one_open_bench_per_actuator"
            ),
        ]


class Capture(models.Model):
    """A reading taken as a reference at a bench. reference: what it is worth, in the unit of the result; inputs: what was
    typed with it (mass, standard, temperature)."""

    session = models.ForeignKey(BenchSession, models.CASCADE, related_name="captures")
    kind = models.CharField(max_length=12)
    inputs = models.JSONField(default=dict, blank=True)
    reference = models.FloatField(null=True)
    raw = models.FloatField()
    noise_raw = models.FloatField()
    readings = models.PositiveIntegerField()
    taken_at = models.DateTimeField()
    taken_by = models.ForeignKey(User, models.PROTECT)
    superseded = models.BooleanField(default=False)

    class Meta:
        ordering = ["pk"]


class CalibrationVersion(models.Model):
    """A published curve of a channel or doser, in force from a moment until a later number takes over. Versions are added;
    only a revert changes one, and it stays readable.

    gives: quantity of the result. points: [{x, y, noise, kind, at, by, inputs, residual}]. figures: what the method found
    (slope, cell constant, ...).
    """

    channel = models.ForeignKey(Channel, models.PROTECT, null=True, blank=True, related_name="calibrations")
    actuator = models.ForeignKey(Actuator, models.PROTECT, null=True, blank=True, related_name="calibrations")
    number = models.PositiveIntegerField()
    method = models.CharField(max_length=16)
    gives = models.CharField(max_length=14)
    form = models.CharField(max_length=10, choices=[(f.value, f.value) for f in Form])
    coefficients = models.JSONField()
    low = models.FloatField(help_text="raw from which the curve was captured")
    high = models.FloatField(help_text="raw up to which the curve was captured")
    points = models.JSONField(default=list)
    figures = models.JSONField(default=dict)
    words = models.CharField(max_length=400, blank=True)
    rmse = models.FloatField(null=True)
    loo_rmse = models.FloatField(null=True)
    noise_raw = models.FloatField(default=0)
    resolution = models.FloatField(null=True, help_text="2 sd of noise in the unit of the result; points for water")
    provisional = models.BooleanField(default=False)
    valid_from = models.DateTimeField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)
    reverted_at = models.DateTimeField(null=True, blank=True)
    reverted_by = models.ForeignKey(User, models.PROTECT, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ["channel", "number"]
        constraints = [
            models.UniqueConstraint(fields=["channel", "number"], name="calibration_number_of_channel"),
            models.UniqueConstraint(fields=["actuator", "number"], name="calibration_number_of_actuator"),
        ]
        indexes = [
            models.Index(fields=["channel", "-number"], condition=Q(reverted_at=None), name="calibration_in_force")
        ]

    @cached_property
    def curve(self) -> Curve:
        return Curve(Form(self.form), tuple(self.coefficients), self.low, self.high)

    @property
    def method_name(self) -> str:
        return method(self.method).name

    @property
    def due_at(self) -> object:
        return self.published_at + timedelta(days=method(self.method).due_days)


class ChannelTrust(models.Model):
    """How far a channel is to be trusted, as last judged, and what a person set over it for a time."""

    channel = models.OneToOneField(Channel, models.CASCADE, primary_key=True, related_name="trust")
    trust = models.CharField(
        max_length=16, choices=[(t.value, TRUST_WORDS[t]) for t in Trust], default=Trust.TRUSTED.value
    )
    words = models.CharField(max_length=600)
    findings = models.JSONField(default=list)
    gain = models.JSONField(default=dict)
    causes = models.JSONField(default=list)
    judged_at = models.DateTimeField()
    now_flag = models.CharField(
        max_length=14, blank=True, help_text="flag of the newest reading that keeps it from control"
    )
    override = models.CharField(max_length=16, blank=True, choices=[(t.value, TRUST_WORDS[t]) for t in Trust])
    override_until = models.DateTimeField(null=True, blank=True)
    override_by = models.ForeignKey(User, models.PROTECT, null=True, blank=True, related_name="+")
    override_why = models.CharField(max_length=200, blank=True)


class FlagRule(models.Model):
    """Limits of a channel's flags that a person changed; those not named follow the channel's kind. number: version."""

    channel = models.OneToOneField(Channel, models.CASCADE, primary_key=True, related_name="flag_rule")
    number = models.PositiveIntegerField(default=1)
    limits = models.JSONField(default=dict)


class FlagSpan(models.Model):
    """A run of readings with a flag, found by a judging under the rules of a number. A later judging of the same time
    supersedes it; it stays readable."""

    channel = models.ForeignKey(Channel, models.CASCADE, related_name="flag_spans")
    flag = models.CharField(max_length=14, choices=[(f.value, FLAG_WORDS[f]) for f in Flag])
    start = models.DateTimeField()
    end = models.DateTimeField()
    readings = models.PositiveIntegerField()
    rules_number = models.PositiveIntegerField(default=0)
    judged_at = models.DateTimeField()
    superseded = models.BooleanField(default=False)

    class Meta:
        indexes = [
            models.Index(fields=["channel", "start"], condition=Q(superseded=False), name="flags_in_force"),
        ]


class HourValue(models.Model):
    """A channel's converted values by the hour, worked out in the background and anew when a calibration changes."""

    pk = models.CompositePrimaryKey("channel_id", "hour")
    channel = models.ForeignKey(Channel, models.CASCADE, db_index=False, related_name="hour_values")
    hour = models.DateTimeField()
    low = models.FloatField()
    mean = models.FloatField()
    high = models.FloatField()
    readings = models.PositiveIntegerField()
    outside = models.PositiveIntegerField(default=0, help_text="readings outside the captured range")
