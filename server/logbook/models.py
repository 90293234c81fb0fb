from django.db import models

from accounts.models import User
from places.models import Bed, Site


class Note(models.Model):
    site = models.ForeignKey(Site, models.PROTECT, related_name="notes")
    bed = models.ForeignKey(Bed, models.PROTECT, null=True, blank=True, related_name="notes")
    at = models.DateTimeField()
    by = models.ForeignKey(User, models.PROTECT)
    text = models.CharField(max_length=1000)

    class Meta:
        indexes = [models.Index(fields=["site", "-at"])]


class AuditLine(models.Model):
    """Who changed what, from what to what. Written in the transaction of the change itself."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="audit")
    at = models.DateTimeField()
    by = models.ForeignKey(User, models.PROTECT, null=True)
    action = models.CharField(max_length=60)
    target = models.CharField(max_length=60)
    target_id = models.BigIntegerField()
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        indexes = [models.Index(fields=["site", "-at"])]
