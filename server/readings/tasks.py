"""Background jobs of readings."""

from django.conf import settings
from procrastinate.contrib.django import app

from common.clock import site_now
from common.models import Job
from reedcore.errors import ReedError

from .uploads import take_in


@app.task(name="import_readings", queue="default")
def import_readings(job_id: int, path: str) -> None:
    """Take a stored file in. A file that cannot be read at all fails the job with the reason; the file is removed."""
    job = Job.objects.select_related("site").get(pk=job_id)
    stored = settings.UPLOADS / path
    if not Job.objects.filter(pk=job_id, state="waiting").update(state="running"):
        stored.unlink(missing_ok=True)
        return
    try:
        take_in(job, stored)
    except ReedError as error:
        Job.objects.filter(pk=job_id).update(state="failed", message=str(error)[:300], finished_at=site_now(job.site))
    finally:
        stored.unlink(missing_ok=True)
