from django.db import models
from django.db.models import Q

from accounts.models import User
from fitting.models import Probe


class PointKind(models.TextChoices):
    DRY = "dry", "dry mix"
    WET = "wet", "soaked and drained mix"


class Method(models.TextChoices):
    TWO_POINT = "two_point", "two points in the substrate"
    AIR_WATER = "air_water", "air and water, quick check only"


class Capture(models.Model):
    """A steady reading taken as a reference. Captures wait here until a calibration is published."""

    probe = models.ForeignKey(Probe, models.PROTECT, related_name="captures")
    kind = models.CharField(max_length=4, choices=PointKind.choices)
    theta = models.FloatField(help_text="m3/m3")
    raw = models.FloatField()
    noise_raw = models.FloatField()
    readings = models.PositiveIntegerField()
    taken_at = models.DateTimeField()
    taken_by = models.ForeignKey(User, models.PROTECT)
    superseded = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["probe", "kind"], condition=Q(superseded=False), name="one_open_capture"),
        ]


class CalibrationVersion(models.Model):
    """theta = intercept + slope * raw, valid from a moment on. Versions are added, never edited."""

    probe = models.ForeignKey(Probe, models.PROTECT, related_name="calibrations")
    number = models.PositiveIntegerField()
    method = models.CharField(max_length=10, choices=Method.choices)
    valid_from = models.DateTimeField()
    slope = models.FloatField()
    intercept = models.FloatField()
    resolution_points = models.FloatField()
    raw_dry = models.FloatField()
    raw_wet = models.FloatField()
    theta_dry = models.FloatField()
    theta_wet = models.FloatField()
    provisional = models.BooleanField(default=False)
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)

    class Meta:
        ordering = ["probe", "number"]
        constraints = [models.UniqueConstraint(fields=["probe", "number"], name="calibration_number")]
        indexes = [models.Index(fields=["probe", "-valid_from"])]
