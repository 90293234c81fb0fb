"""Background jobs of calibration: history worked out anew, and every channel judged."""

from datetime import datetime, timedelta

from django.db import transaction
from procrastinate.contrib.django import app

from common.clock import midnight_of, site_now
from common.events import tell
from common.models import Job
from fitting.models import Channel
from places.models import Site

from .history import first_reading, recompute
from .trust import judge_channel

CHECK = "check_channels"
ROLL_UP = timedelta(days=2)
"""How far back the night's check works the hours out anew, so that they are whole by morning."""
NIGHTLY_AFTER = timedelta(hours=3)


def order_recompute(channel: Channel, since: datetime) -> Job:
    """Queue the working out of a channel's hours from a moment on; the job carries its progress and can be cancelled."""
    site = channel.node.site
    with transaction.atomic():
        name = f"probe {channel.probe.name}" if channel.probe else channel.quantity.replace("_", " ")
        job = Job.objects.create(
            site=site, kind="recompute", title=f"History of {name}"[:120], total=1, created_at=site_now(site)
        )
        recompute_channel.defer(job_id=job.pk, channel_id=channel.pk, since=since.isoformat())
    return job


@app.task(name="recompute_channel", queue="default")
def recompute_channel(job_id: int, channel_id: int, since: str) -> None:
    """Work the hours of a channel out anew. A cancelled job stops between months; what it has done stays."""
    job = Job.objects.select_related("site").get(pk=job_id)
    channel = Channel.objects.select_related("node").get(pk=channel_id)
    if not _go_on(job, 0, 1, start=True):
        return
    start = max(datetime.fromisoformat(since), first_reading(channel) or datetime.fromisoformat(since))
    if recompute(channel, start, site_now(job.site), lambda done, total: _go_on(job, done, total)):
        _end(job, "")


def order_check(site: Site, title: str = "Every channel judged") -> Job:
    """Queue the judging of every channel of a site."""
    with transaction.atomic():
        job = Job.objects.create(site=site, kind=CHECK, title=title, total=1, created_at=site_now(site))
        check_channels.defer(job_id=job.pk)
    return job


@app.task(name="check_channels", queue="default")
def check_channels(job_id: int) -> None:
    """Work the last hours of every channel of a site out, and judge its last day."""
    job = Job.objects.select_related("site").get(pk=job_id)
    channels = Channel.objects.filter(node__site=job.site, retired_at=None, node__retired_at=None)
    rows = list(channels.select_related("node__site", "bed__house__site", "bed__own_medium", "probe").order_by("pk"))
    if not _go_on(job, 0, max(1, len(rows)), start=True):
        return
    now = site_now(job.site)
    for done, channel in enumerate(rows):
        first = first_reading(channel)
        if first is not None:
            recompute(channel, max(first, now - ROLL_UP), now, lambda _done, _total: True)
        judge_channel(channel, now)
        if done % 10 == 9 and not _go_on(job, done + 1, len(rows)):
            return
    _end(job, f"{len(rows)} channels judged.")


def nightly(site: Site, now: datetime) -> Job | None:
    """Order the night's check once it is past three, if it has not been ordered since."""
    due = midnight_of(now, site.time_zone) + NIGHTLY_AFTER
    if now < due or Job.objects.filter(site=site, kind=CHECK, created_at__gte=due).exists():
        return None
    return order_check(site, "Nightly check of every channel")


def _go_on(job: Job, done: int, total: int, start: bool = False) -> bool:
    rows = Job.objects.filter(pk=job.pk, state="waiting" if start else "running")
    left = rows.update(done=done, total=total, state="running")
    tell(job.site_id, "jobs")
    return bool(left)


def _end(job: Job, message: str) -> None:
    Job.objects.filter(pk=job.pk, state="running").update(
        state="done", message=message[:300], finished_at=site_now(job.site)
    )
    tell(job.site_id, "jobs", "calibration")
