from django.db import models

from fitting.models import Channel


class Quality(models.IntegerChoices):
    GOOD = 0, "good"
    OUT_OF_RANGE = 1, "out of range"
    INPUT_FAULT = 2, "input at fault"


class Reading(models.Model):
    """A raw reading. Never changed, never deleted; (channel, time) is unique."""

    pk = models.CompositePrimaryKey("channel_id", "time")
    # No constraint in the database: ingest and import have just looked the channel up, channels are never deleted,
    # and the check per row would cost as much as the insert.
    channel = models.ForeignKey(Channel, models.PROTECT, db_index=False, db_constraint=False, related_name="readings")
    time = models.DateTimeField()
    raw = models.FloatField()
    quality = models.SmallIntegerField(choices=Quality.choices, default=Quality.GOOD)


class Arrival(models.Model):
    """What was odd about how readings came in, seen only then: late, doubled, or against the clock."""

    channel = models.ForeignKey(Channel, models.CASCADE, related_name="arrivals")
    kind = models.CharField(
        max_length=12, choices=[("late", "late"), ("duplicate", "duplicate"), ("clock_jump", "clock jump")]
    )
    start = models.DateTimeField()
    end = models.DateTimeField()
    readings = models.PositiveIntegerField()
    noticed_at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["channel", "end"])]


class Latest(models.Model):
    """The newest reading of a channel, kept beside the history so that a control tick needs one small query."""

    channel = models.OneToOneField(Channel, models.CASCADE, primary_key=True, related_name="latest")
    time = models.DateTimeField()
    raw = models.FloatField()
    quality = models.SmallIntegerField(choices=Quality.choices)
