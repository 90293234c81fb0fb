from django.db import models

from fitting.models import Probe
from places.models import Site
from reedcore.probe import Place


class DemoClock(models.Model):
    """The demo holding's own time: anchor_site at anchor_real, then `rate` site seconds per real second."""

    site = models.OneToOneField(Site, models.CASCADE, primary_key=True, related_name="demo_clock")
    anchor_real = models.DateTimeField()
    anchor_site = models.DateTimeField()
    rate = models.FloatField(default=1.0)
    seen_site = models.DateTimeField(
        null=True, help_text="the clock as the worker last saw it, so that it never goes back over a stop"
    )


class ProbePlace(models.Model):
    """Where the stand-in's bench control has put a probe."""

    probe = models.OneToOneField(Probe, models.CASCADE, primary_key=True, related_name="demo_place")
    place = models.CharField(max_length=12, choices=[(p.value, p.value) for p in Place], default=Place.BED.value)
