"""Background jobs of the worker."""

from datetime import date, datetime, timedelta

from django.db import transaction
from procrastinate.contrib.django import app

from accounts.models import User
from common.clock import site_now
from common.events import tell
from common.models import Job
from places.models import Bed, Site
from places.sun import local_day

from .daily import due, run_daily
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


TITLES = {"close_day": "Yesterday worked out", "forecast": "This morning’s forecast"}


def order_daily(site: Site, now: datetime) -> None:
    """Order the jobs of the day that are due: yesterday's figures with its drain, this morning's forecast."""
    for kind, day in due(site, now):
        with transaction.atomic():
            job = Job.objects.create(site=site, kind=kind, title=TITLES[kind], total=1, created_at=now)
            daily_job.defer(job_id=job.pk, kind=kind, day=day.isoformat())


@app.task(name="daily_job", queue="default")
def daily_job(job_id: int, kind: str, day: str) -> None:
    """One of the day's jobs, for every bed of a site."""
    job = Job.objects.select_related("site").get(pk=job_id)
    _set(job, state="running")
    try:
        done = run_daily(job.site, kind, date.fromisoformat(day))
    except Exception as error:
        _set(job, state="failed", message=f"{type(error).__name__}: {error}"[:300], finished_at=site_now(job.site))
        raise
    _set(job, state="done", done=1, message=f"{done} beds.", finished_at=site_now(job.site))


def _set(job: Job, **values: object) -> None:
    Job.objects.filter(pk=job.pk).update(**values)
    tell(job.site_id, "jobs")
