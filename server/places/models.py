from typing import TYPE_CHECKING

from django.db import models
from django.db.models import F, Q

from common.versioned import Versioned

if TYPE_CHECKING:
    from demo.models import DemoClock


class Site(Versioned):
    """A holding: position, time zone."""

    name = models.CharField(max_length=80)
    latitude = models.FloatField(help_text="degrees north")
    longitude = models.FloatField(help_text="degrees east")
    altitude_m = models.FloatField(default=0)
    time_zone = models.CharField(max_length=60, default="UTC")
    if TYPE_CHECKING:
        demo_clock: "DemoClock"

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(latitude__range=(-90, 90)), name="site_latitude"),
            models.CheckConstraint(condition=Q(longitude__range=(-180, 180)), name="site_longitude"),
        ]


class House(Versioned):
    site = models.ForeignKey(Site, models.PROTECT, related_name="houses")
    name = models.CharField(max_length=60)
    order = models.PositiveSmallIntegerField(default=0)
    transmission = models.FloatField(default=0.68, help_text="share of outside light that comes through the roof")
    drain_returned = models.BooleanField(default=False)

    class Meta:
        ordering = ["order", "id"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="house_name_per_site")]


class Tank(models.Model):
    site = models.ForeignKey(Site, models.PROTECT, related_name="tanks")
    name = models.CharField(max_length=60)
    capacity_l = models.FloatField()
    warn_l = models.FloatField()
    empty_l = models.FloatField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(empty_l__gte=0) & Q(empty_l__lt=F("warn_l")) & Q(warn_l__lt=F("capacity_l")),
                name="tank_levels_in_order",
            ),
        ]


class Pump(models.Model):
    tank = models.ForeignKey(Tank, models.PROTECT, related_name="pumps")
    name = models.CharField(max_length=60)
    flow_l_min = models.FloatField(help_text="at the head of its beds")


class Shape(models.TextChoices):
    SLAB = "slab", "slab or trough"
    POT = "pot", "round pot"


class Bed(Versioned):
    """A bed in its row. Dimensions are of the medium in one container [cm]."""

    house = models.ForeignKey(House, models.PROTECT, related_name="beds")
    pump = models.ForeignKey(Pump, models.PROTECT, related_name="beds", null=True, blank=True)
    order = models.PositiveSmallIntegerField(default=0)
    name = models.CharField(max_length=20)
    crop = models.CharField(max_length=60)
    plants = models.PositiveIntegerField()
    plants_per_m2 = models.FloatField()
    leaf_area_index = models.FloatField(default=2.5)
    shape = models.CharField(max_length=8, choices=Shape.choices)
    length_cm = models.FloatField(null=True, blank=True)
    width_cm = models.FloatField(null=True, blank=True)
    top_diameter_cm = models.FloatField(null=True, blank=True)
    base_diameter_cm = models.FloatField(null=True, blank=True)
    height_cm = models.FloatField()
    plants_per_container = models.FloatField()
    medium = models.CharField(max_length=20)
    dry_limit = models.FloatField(help_text="m3/m3")
    rated_flow_ml_min = models.FloatField(help_text="dripper flow per plant")
    tested_flow_ml_min = models.FloatField(null=True, blank=True)
    line_fill_s = models.FloatField(default=8)
    feed_ec_ms_cm = models.FloatField(default=2.4)

    class Meta:
        ordering = ["house__order", "order", "id"]
        constraints = [models.UniqueConstraint(fields=["house", "name"], name="bed_name_per_house")]

    @property
    def flow_ml_min(self) -> float:
        return self.tested_flow_ml_min or self.rated_flow_ml_min
