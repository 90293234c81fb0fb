from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from common.versioned import Versioned
from reedcore.bedwater import RULE_WORDS, Rule
from reedcore.tanks import TankShape

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


class Cover(models.TextChoices):
    GLASS = "glass", "glass"
    DIFFUSE_GLASS = "diffuse_glass", "diffuse glass"
    FILM = "film", "plastic film"
    DOUBLE_FILM = "double_film", "double film, inflated"
    SHEET = "sheet", "twin-wall sheet"
    NET = "net", "net"
    OPEN = "open", "open air"


SCREENS = {"shade": "shade screen", "energy": "energy screen", "blackout": "blackout screen", "insect": "insect net"}
GEAR = {
    "vents": "vents",
    "fans": "fans",
    "circulation": "circulation fans",
    "heaters": "heaters",
    "lamps": "lamps",
    "misting": "misting",
    "co2": "CO2 dosing",
}


class House(Versioned):
    """A house: what covers it, which screens and climate gear it has (codes of SCREENS and GEAR)."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="houses")
    name = models.CharField(max_length=60)
    order = models.PositiveSmallIntegerField(default=0)
    transmission = models.FloatField(default=0.68, help_text="share of outside light that comes through the roof")
    drain_returned = models.BooleanField(default=False)
    cover = models.CharField(max_length=14, choices=Cover.choices, default=Cover.GLASS)
    screens = models.JSONField(default=list, blank=True)
    gear = models.JSONField(default=list, blank=True)
    whitewashed_on = models.DateField(null=True, blank=True, help_text="none when the roof is clean")

    class Meta:
        ordering = ["order", "id"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="house_name_per_site")]


class WaterKind(models.TextChoices):
    MAINS = "mains", "mains"
    WELL = "well", "well"
    RAIN = "rain", "rain"
    SURFACE = "surface", "surface water"
    OSMOSIS = "osmosis", "reverse osmosis"


class WaterSource(Versioned):
    """Where the water comes from, with its analysis [mg/L, bicarbonate in mmol/L]; None where not analysed."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="water_sources")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=8, choices=WaterKind.choices, default=WaterKind.MAINS)
    sampled_on = models.DateField(null=True, blank=True)
    ec_ms_cm = models.FloatField(null=True, blank=True)
    ph = models.FloatField(null=True, blank=True)
    bicarbonate_mmol_l = models.FloatField(null=True, blank=True)
    calcium_mg_l = models.FloatField(null=True, blank=True)
    magnesium_mg_l = models.FloatField(null=True, blank=True)
    sodium_mg_l = models.FloatField(null=True, blank=True)
    chloride_mg_l = models.FloatField(null=True, blank=True)
    sulphate_mg_l = models.FloatField(null=True, blank=True)
    nitrate_mg_l = models.FloatField(null=True, blank=True)
    iron_mg_l = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="water_source_name_per_site")]


class OwnMedium(Versioned):
    """A medium of the grower's own, with van Genuchten parameters as in reedcore.substrate.Medium."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="own_media")
    name = models.CharField(max_length=60)
    theta_s = models.FloatField()
    theta_r = models.FloatField()
    alpha = models.FloatField()
    n = models.FloatField()
    dry_mix_theta = models.FloatField()
    origin = models.CharField(max_length=120)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="medium_name_per_site")]


class Tank(Versioned):
    """A tank. Sides in cm by its shape; without a shape only its litres are known."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="tanks")
    source = models.ForeignKey(WaterSource, models.PROTECT, null=True, blank=True, related_name="tanks")
    name = models.CharField(max_length=60)
    shape = models.CharField(max_length=8, blank=True, choices=[(s.value, s.value) for s in TankShape])
    length_cm = models.FloatField(null=True, blank=True)
    width_cm = models.FloatField(null=True, blank=True)
    diameter_cm = models.FloatField(null=True, blank=True)
    height_cm = models.FloatField(null=True, blank=True)
    sensor_height_cm = models.FloatField(null=True, blank=True, help_text="face of a distance sensor above the floor")
    capacity_l = models.FloatField()
    overfill_l = models.FloatField(null=True, blank=True)
    warn_l = models.FloatField()
    empty_l = models.FloatField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(empty_l__gte=0) & Q(empty_l__lt=F("warn_l")) & Q(warn_l__lt=F("capacity_l")),
                name="tank_levels_in_order",
            ),
        ]


class Pump(Versioned):
    """A pump with the line up to its beds' valves. Without a rated head its flow is taken as given at the beds."""

    tank = models.ForeignKey(Tank, models.PROTECT, related_name="pumps")
    name = models.CharField(max_length=60)
    flow_l_min = models.FloatField(help_text="rated; without a rated head, at the head of its beds")
    rated_head_m = models.FloatField(null=True, blank=True)
    shutoff_head_m = models.FloatField(null=True, blank=True)
    lift_m = models.FloatField(default=0, help_text="drippers above the lowest water in the tank")
    filter_loss_m = models.FloatField(default=0)
    injector_loss_m = models.FloatField(default=0)
    injector_ratio_pct = models.FloatField(null=True, blank=True, help_text="stock per water; none without an injector")
    main_length_m = models.FloatField(null=True, blank=True)
    main_diameter_mm = models.FloatField(null=True, blank=True)


class Shape(models.TextChoices):
    SLAB = "slab", "slab"
    TROUGH = "trough", "trough"
    POT = "pot", "round pot"
    SQUARE_POT = "square_pot", "square pot"
    BAG = "bag", "filled bag"


class StandingBeds(models.Manager["Bed"]):
    """Beds that are not retired."""

    def get_queryset(self) -> models.QuerySet["Bed"]:
        return super().get_queryset().filter(retired_at=None)


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
    growth_stage = models.CharField(max_length=40, blank=True)
    shape = models.CharField(max_length=10, choices=Shape.choices)
    length_cm = models.FloatField(null=True, blank=True)
    width_cm = models.FloatField(null=True, blank=True)
    base_width_cm = models.FloatField(null=True, blank=True)
    top_diameter_cm = models.FloatField(null=True, blank=True)
    base_diameter_cm = models.FloatField(null=True, blank=True)
    top_side_cm = models.FloatField(null=True, blank=True)
    base_side_cm = models.FloatField(null=True, blank=True)
    fill_l = models.FloatField(null=True, blank=True, help_text="litres a bag was filled with")
    height_cm = models.FloatField()
    plants_per_container = models.FloatField()
    medium = models.CharField(max_length=20, help_text="code of the library, or own-<number> of an own medium")
    own_medium = models.ForeignKey(OwnMedium, models.PROTECT, null=True, blank=True, related_name="beds")
    dry_limit = models.FloatField(help_text="m3/m3")
    rated_flow_ml_min = models.FloatField(help_text="dripper flow per plant")
    tested_flow_ml_min = models.FloatField(null=True, blank=True)
    line_fill_s = models.FloatField(default=8)
    feed_ec_ms_cm = models.FloatField(default=2.4)
    drippers_per_plant = models.FloatField(default=1)
    laterals = models.PositiveSmallIntegerField(null=True, blank=True, help_text="dripper lines in the bed")
    lateral_length_m = models.FloatField(null=True, blank=True)
    lateral_diameter_mm = models.FloatField(null=True, blank=True)
    dripper_head_m = models.FloatField(default=10, help_text="head at which the rated flow holds")
    dripper_exponent = models.FloatField(default=0.5, help_text="x of q = k h^x; 0 for a pressure compensating dripper")
    probe_rule = models.CharField(
        max_length=12, choices=[(r.value, words) for r, words in RULE_WORDS.items()], default=Rule.MEDIAN.value
    )
    retired_at = models.DateTimeField(null=True, blank=True)

    objects = models.Manager()
    standing = StandingBeds()

    class Meta:
        ordering = ["house__order", "order", "id"]
        base_manager_name = "objects"
        constraints = [
            models.UniqueConstraint(fields=["house", "name"], condition=Q(retired_at=None), name="bed_name_per_house")
        ]

    @property
    def flow_ml_min(self) -> float:
        return self.tested_flow_ml_min or self.rated_flow_ml_min


class DripperTest(models.Model):
    """A catch-cup test: volumes [mL] in bed order, minutes; the bed's tested flow follows from it, from `at` on."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="dripper_tests")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    minutes = models.FloatField()
    volumes_ml = models.JSONField()
    drippers_per_plant = models.FloatField()
    christiansen = models.FloatField()
    low_quarter = models.FloatField()
    emission = models.FloatField()
    flow_before_ml_min = models.FloatField()
    flow_after_ml_min = models.FloatField()

    class Meta:
        ordering = ["-at", "-id"]


class PaybackSheet(Versioned):
    """The assumptions of a payback, as kept for a site: {field: [low, likely, high]}."""

    site = models.OneToOneField(Site, models.CASCADE, primary_key=True, related_name="payback")
    currency = models.CharField(max_length=8, default="€")
    assumptions = models.JSONField(default=dict)
