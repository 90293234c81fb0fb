"""Background jobs of the worker."""

from datetime import date, timedelta

from django.db import transaction
from procrastinate.contrib.django import app

from accounts.models import User
from common.clock import site_now
from common.events import tell
from common.models import Job
from places.models import Bed
from places.sun import local_day

from .days import renew_day

BACK_DAYS = 14


def order_day_figures(bed: Bed, by: User | None, days: int = BACK_DAYS) -> Job:
    """Queue the renewal of a bed's day figures; the job row carries its progress."""
    site = bed.house.site
    with transaction.atomic():
        job = Job.objects.create(
            site=site, kind="day_figures", title=f"Day figures of bed {bed.name}", total=days, created_at=site_now(site)
        )
        renew_day_figures.defer(
            job_id=job.pk, bed_id=bed.pk, today=local_day(site, site_now(site)).isoformat(), days=days
        )
    return job


@app.task(name="renew_day_figures", queue="default")
def renew_day_figures(job_id: int, bed_id: int, today: str, days: int) -> None:
    """Work out the last days of a bed anew, one transaction a day, telling how far it is."""
    job = Job.objects.select_related("site").get(pk=job_id)
    bed = Bed.objects.select_related("house__site").get(pk=bed_id)
    _set(job, state="running")
    try:
        for done in range(days):
            renew_day(bed, date.fromisoformat(today) - timedelta(days=done))
            _set(job, done=done + 1)
    except Exception as error:
        _set(job, state="failed", message=f"{type(error).__name__}: {error}"[:300], finished_at=site_now(job.site))
        raise
    _set(job, state="done", finished_at=site_now(job.site))


def _set(job: Job, **values: object) -> None:
    Job.objects.filter(pk=job.pk).update(**values)
    tell(job.site_id, "jobs")
