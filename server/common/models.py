from django.db import models


class Job(models.Model):
    """A long task in the background: how far it is, how it ended."""

    site = models.ForeignKey("places.Site", models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=120)
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    state = models.CharField(
        max_length=10,
        default="waiting",
        choices=[(s, s) for s in ("waiting", "running", "done", "failed", "cancelled")],
    )
    message = models.CharField(max_length=300, blank=True)
    created_at = models.DateTimeField()
    finished_at = models.DateTimeField(null=True)
