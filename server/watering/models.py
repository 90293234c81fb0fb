from django.db import models
from django.db.models import Q

from accounts.models import User
from fitting.models import Actuator
from places.models import Bed, Site
from reedcore.decide import Action, Why


class ProgrammeVersion(models.Model):
    """A published programme of a bed. Versions are added, never edited; fields as in reedcore.programme."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="programmes")
    number = models.PositiveIntegerField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)
    start_after_sunrise_min = models.FloatField()
    stop_before_sunset_min = models.FloatField()
    low = models.FloatField()
    high = models.FloatField()
    rescue = models.FloatField()
    dose_ml_per_plant = models.FloatField()
    soak_min = models.FloatField()
    tries = models.PositiveSmallIntegerField()
    daily_cap_ml_per_plant = models.FloatField()
    stale_after_s = models.FloatField()

    class Meta:
        ordering = ["bed", "number"]
        constraints = [
            models.UniqueConstraint(fields=["bed", "number"], name="programme_number"),
            models.CheckConstraint(condition=Q(low__lt=models.F("high")), name="programme_low_under_high"),
        ]


class ControlClock(models.Model):
    """The last control tick of a site. Its row lock makes two workers take turns."""

    site = models.OneToOneField(Site, models.CASCADE, primary_key=True, related_name="control_clock")
    last_tick = models.DateTimeField(null=True)


class BedControl(models.Model):
    """Latch, tries and pulse times of a bed between ticks."""

    bed = models.OneToOneField(Bed, models.CASCADE, primary_key=True, related_name="control")
    latched = models.BooleanField(default=False)
    tries = models.PositiveSmallIntegerField(default=0)
    last_pulse_start = models.DateTimeField(null=True)
    last_pulse_end = models.DateTimeField(null=True)
    given_day = models.DateField(null=True)
    given_today_ml = models.FloatField(default=0)
    fault = models.CharField(max_length=30, blank=True)
    stopped = models.BooleanField(default=False)
    last_why = models.CharField(max_length=20, blank=True)


class Decision(models.Model):
    """What was decided for a bed at a tick, with its reasons. `changed`: differs from the tick before."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="decisions")
    tick_at = models.DateTimeField()
    action = models.CharField(max_length=10, choices=[(a.value, a.value) for a in Action])
    why = models.CharField(max_length=20, choices=[(w.value, w.value) for w in Why])
    reasons = models.JSONField()
    dose_ml_per_plant = models.FloatField(default=0)
    seconds = models.FloatField(default=0)
    changed = models.BooleanField(default=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "tick_at"], name="one_decision_per_tick")]
        indexes = [models.Index(fields=["bed", "-tick_at"], condition=Q(changed=True), name="decision_changes")]


class PulseState(models.TextChoices):
    ORDERED = "ordered", "ordered"
    RUNNING = "running", "running"
    DONE = "done", "done"
    NOT_GIVEN = "not_given", "not given"
    UNCONFIRMED = "unconfirmed", "sent, end not confirmed"


class Pulse(models.Model):
    """Water ordered for a bed and what became of it. Volumes in mL per plant."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="pulses")
    programme = models.ForeignKey(ProgrammeVersion, models.PROTECT, null=True)
    ordered_at = models.DateTimeField()
    seconds = models.FloatField()
    dose_ml = models.FloatField()
    by = models.ForeignKey(User, models.PROTECT, null=True)
    state = models.CharField(max_length=12, choices=PulseState.choices, default=PulseState.ORDERED)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    delivered_ml = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "ordered_at"], name="one_pulse_at_a_time")]


class CommandState(models.TextChoices):
    QUEUED = "queued", "queued"
    STARTED = "started", "started"
    DONE = "done", "done"
    EXPIRED = "expired", "expired"
    REFUSED = "refused", "refused by the node"


class Command(models.Model):
    """An order to one actuator. Its id is its number; a node runs a number once, for `seconds`, and ends by itself."""

    pulse = models.ForeignKey(Pulse, models.PROTECT, related_name="commands", null=True)
    actuator = models.ForeignKey(Actuator, models.PROTECT, related_name="commands")
    seconds = models.FloatField(help_text="0 closes at once")
    issued_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    state = models.CharField(max_length=8, choices=CommandState.choices, default=CommandState.QUEUED)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        indexes = [models.Index(fields=["state"], condition=Q(state__in=["queued", "started"]), name="open_commands")]


class DayFigure(models.Model):
    """Figures of a bed's civil day, worked out in the background and renewed when a calibration changes."""

    bed = models.ForeignKey(Bed, models.CASCADE, related_name="day_figures")
    day = models.DateField()
    pulses = models.PositiveIntegerField()
    dose_ml = models.FloatField()
    drain_ml = models.FloatField(null=True)
    peak = models.FloatField(null=True)
    lowest = models.FloatField(null=True)
    night_fall_points = models.FloatField(null=True)
    light_sum_j_cm2 = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "day"], name="one_figure_per_day")]
