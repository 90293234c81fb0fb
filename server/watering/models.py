from django.db import models
from django.db.models import Q

from accounts.models import User
from fitting.models import Actuator
from places.models import Bed, House, Site
from reedcore.reasons import Action, Why


class SharedProgramme(models.Model):
    """A published version of a programme that many beds follow, each with its own differences. Added, never edited."""

    site = models.ForeignKey(Site, models.PROTECT, related_name="shared_programmes")
    name = models.CharField(max_length=60)
    number = models.PositiveIntegerField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)
    body = models.JSONField(help_text="as reedcore.programme_json writes it")

    class Meta:
        ordering = ["site", "name", "number"]
        constraints = [models.UniqueConstraint(fields=["site", "name", "number"], name="shared_programme_number")]

    def __str__(self) -> str:
        return f"{self.name} {self.number}"


class ProgrammeVersion(models.Model):
    """A published programme of a bed, whole. Versions are added, never edited; low and high stand beside the body for the band."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="programmes")
    number = models.PositiveIntegerField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)
    body = models.JSONField(help_text="as reedcore.programme_json writes it")
    low = models.FloatField()
    high = models.FloatField()
    shared = models.ForeignKey(SharedProgramme, models.PROTECT, null=True, related_name="followers")

    class Meta:
        ordering = ["bed", "number"]
        constraints = [
            models.UniqueConstraint(fields=["bed", "number"], name="programme_number"),
            models.CheckConstraint(condition=Q(low__lt=models.F("high")), name="programme_low_under_high"),
        ]

    def __str__(self) -> str:
        return f"programme {self.number}"


class PlanKind(models.TextChoices):
    PROGRAMME = "programme", "a programme"
    HOLD = "hold", "nothing is given"


class PlanEntry(models.Model):
    """A line of the plan calendar: which shared programme, or a hold, on which days, for which beds.

    bed or house narrows it; growth_stage, where given, keeps it to beds in that stage. The newest entry that fits a day wins,
    a hold before a programme.
    """

    site = models.ForeignKey(Site, models.CASCADE, related_name="plan")
    kind = models.CharField(max_length=9, choices=PlanKind.choices)
    title = models.CharField(max_length=60)
    first_day = models.DateField()
    last_day = models.DateField()
    house = models.ForeignKey(House, models.CASCADE, null=True, blank=True)
    bed = models.ForeignKey(Bed, models.CASCADE, null=True, blank=True, related_name="plan")
    growth_stage = models.CharField(max_length=40, blank=True)
    shared = models.ForeignKey(SharedProgramme, models.PROTECT, null=True, blank=True)
    made_by = models.ForeignKey(User, models.PROTECT)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["first_day", "id"]
        constraints = [
            models.CheckConstraint(condition=Q(first_day__lte=models.F("last_day")), name="plan_days_in_order"),
            models.CheckConstraint(condition=Q(kind="hold") ^ Q(shared__isnull=False), name="plan_programme_or_hold"),
        ]


class ControlClock(models.Model):
    """The last control tick of a site. Its row lock makes two workers take turns."""

    site = models.OneToOneField(Site, models.CASCADE, primary_key=True, related_name="control_clock")
    last_tick = models.DateTimeField(null=True)


class ControlGap(models.Model):
    """A stretch in which no tick ran: the server was away. Decisions do not hold through it."""

    site = models.ForeignKey(Site, models.CASCADE, related_name="control_gaps")
    last_tick = models.DateTimeField()
    next_tick = models.DateTimeField()


class HouseSums(models.Model):
    """Running sums of a house's climate since its first tick: light inside [J/cm2], VPD by day and by night [kPa h].

    What a bed asks for since its last pulse is a difference of two of these, so a tick moves a row a house, not a row a bed.
    """

    house = models.OneToOneField(House, models.CASCADE, primary_key=True, related_name="sums")
    at = models.DateTimeField()
    light_j_cm2 = models.FloatField(default=0)
    vpd_day_kpa_h = models.FloatField(default=0)
    vpd_night_kpa_h = models.FloatField(default=0)


class BedControl(models.Model):
    """What a bed's decision remembers between ticks, and what people hold it by."""

    bed = models.OneToOneField(Bed, models.CASCADE, primary_key=True, related_name="control")
    latched = models.BooleanField(default=False)
    tries = models.PositiveSmallIntegerField(default=0)
    span = models.CharField(max_length=8, blank=True)
    span_since = models.DateTimeField(null=True)
    recharge_pulses = models.PositiveSmallIntegerField(default=0)
    evening_theta = models.FloatField(null=True)
    lost_since = models.DateTimeField(null=True)
    last_pulse_start = models.DateTimeField(null=True)
    last_pulse_end = models.DateTimeField(null=True)
    given_day = models.DateField(null=True)
    given_today_ml = models.FloatField(default=0)
    pulses_today = models.PositiveSmallIntegerField(default=0)
    peak = models.FloatField(null=True, help_text="highest θ since the last pulse [m3/m3]")
    light_at_pulse = models.FloatField(null=True, help_text="the house's sums at the last pulse")
    vpd_day_at_pulse = models.FloatField(null=True)
    vpd_night_at_pulse = models.FloatField(null=True)
    dose_factor = models.FloatField(default=1, help_text="of the drain feedback")
    gap_factor = models.FloatField(default=1)
    rain_credit_ml = models.FloatField(default=0)
    fault = models.CharField(max_length=30, blank=True)
    stopped = models.BooleanField(default=False)
    manual = models.BooleanField(default=False)
    paused_until = models.DateTimeField(null=True)
    locked_by = models.ForeignKey(User, models.PROTECT, null=True, related_name="+")
    locked_for = models.CharField(max_length=120, blank=True)
    locked_at = models.DateTimeField(null=True)
    last_why = models.CharField(max_length=20, blank=True)


class Decision(models.Model):
    """A decision that differs from the one before, with its reasons. It holds, tick by tick, until the bed's next row or
    a ControlGap: so a minute in a steady hour costs nothing, and every minute can still be explained."""

    bed = models.ForeignKey(Bed, models.PROTECT, related_name="decisions")
    tick_at = models.DateTimeField()
    action = models.CharField(max_length=10, choices=[(a.value, a.value) for a in Action])
    why = models.CharField(max_length=20, choices=[(w.value, w.value) for w in Why])
    reasons = models.JSONField()
    dose_ml_per_plant = models.FloatField(default=0)
    seconds = models.FloatField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "tick_at"], name="one_decision_per_tick")]


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
    flow_seen_l_min = models.FloatField(null=True, help_text="most flow at the pump while it ran; none: not measured")
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


class DrainSource(models.TextChoices):
    GAUGE = "gauge", "drain gauge"
    HAND = "hand", "measured by hand"


class DrainCorrection(models.Model):
    """What a day's drain share did to the next day's dose or gap."""

    bed = models.ForeignKey(Bed, models.CASCADE, related_name="drain_corrections")
    day = models.DateField()
    source = models.CharField(max_length=5, choices=DrainSource.choices)
    drain_ml = models.FloatField()
    dose_ml = models.FloatField()
    wanted = models.FloatField()
    before = models.FloatField()
    after = models.FloatField()
    moves = models.CharField(max_length=4)
    at = models.DateTimeField()
    by = models.ForeignKey(User, models.PROTECT, null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "day"], name="one_correction_per_day")]


class ForecastKept(models.Model):
    """A morning's forecast of a bed's day, and what came of it."""

    bed = models.ForeignKey(Bed, models.CASCADE, related_name="forecasts")
    day = models.DateField()
    made_at = models.DateTimeField()
    pulses = models.PositiveIntegerField()
    dose_ml = models.FloatField()
    drain_ml = models.FloatField()
    night_fall_points = models.FloatField(null=True)
    got_pulses = models.PositiveIntegerField(null=True)
    got_dose_ml = models.FloatField(null=True)
    got_drain_ml = models.FloatField(null=True)
    score = models.FloatField(null=True, help_text="0 to 1, as reedcore.forecast_score")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bed", "day"], name="one_forecast_per_day")]


class DeviceRule(models.Model):
    """A simple rule of a device that is not watering: settings as reedcore.device_rules reads them. Added, never edited."""

    actuator = models.ForeignKey(Actuator, models.PROTECT, related_name="rules")
    house = models.ForeignKey(House, models.PROTECT, related_name="device_rules")
    number = models.PositiveIntegerField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(User, models.PROTECT)
    kind = models.CharField(max_length=12)
    settings = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["actuator", "number"], name="device_rule_number")]


class DeviceControl(models.Model):
    """How a device stands: automatic or by hand until a moment, on or off since, and why."""

    actuator = models.OneToOneField(Actuator, models.CASCADE, primary_key=True, related_name="control")
    manual_until = models.DateTimeField(null=True)
    manual_on = models.BooleanField(default=False)
    manual_by = models.ForeignKey(User, models.PROTECT, null=True, related_name="+")
    on = models.BooleanField(default=False)
    since = models.DateTimeField(null=True)
    why = models.CharField(max_length=300, blank=True)
    stopped = models.BooleanField(default=False, help_text="by the emergency stop of its house, until that is resumed")


class DrillRun(models.Model):
    """A learner's run of a practice drill: what they looked at, in order, what they decided, and the score."""

    by = models.ForeignKey(User, models.CASCADE, related_name="drills")
    drill = models.CharField(max_length=30)
    seed = models.PositiveIntegerField()
    started_at = models.DateTimeField()
    looks = models.JSONField(default=list)
    answer = models.JSONField(default=dict)
    score = models.FloatField(null=True)
    ended_at = models.DateTimeField(null=True)
