"""Files of readings: streamed to disk, taken in by the worker line by line, with progress, and stopped on request."""

import os
import uuid
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from accounts.models import User
from common.clock import site_now
from common.events import tell
from common.models import Job
from fitting.models import Channel
from fitting.posts import rows_of_csv
from logbook.services import record
from places.models import Site
from reedcore.errors import OutOfRange
from reedcore.links.senml import Refusal

from .ingest import take_rows

MOST_BYTES = 50 * 1024 * 1024
CHUNK = 256 * 1024
BATCH = 5000
KIND = "import_readings"


def store(stream: Any, length: int) -> Path:
    """Write a body to disk in chunks. Raises OutOfRange for an empty one or one over 50 MB; nothing is left then."""
    if not 0 < length <= MOST_BYTES:
        raise OutOfRange(
            "file", f"{length} bytes", f"1 to {MOST_BYTES // 1024 // 1024} MB; split a larger file by month"
        )
    settings.UPLOADS.mkdir(parents=True, exist_ok=True)
    path: Path = settings.UPLOADS / f"{uuid.uuid4().hex}.csv"
    written = 0
    with path.open("wb") as file:
        while chunk := stream.read(CHUNK):
            written += len(chunk)
            if written > MOST_BYTES:
                break
            file.write(chunk)
        file.flush()
        os.fsync(file.fileno())
    if written > MOST_BYTES or written < length:
        path.unlink()
        raise OutOfRange(
            "file", f"{written} bytes", f"the whole file of {length} bytes, at most {MOST_BYTES // 1024 // 1024} MB"
        )
    return path


@transaction.atomic
def order_import(site: Site, path: Path, name: str, by: User, now: datetime) -> Job:
    """Queue the taking in of a stored file; the job carries its progress in kilobytes."""
    from .tasks import import_readings

    size = max(1, path.stat().st_size // 1024)
    job = Job.objects.create(
        site=site, kind=KIND, title=f"Readings of {name or 'a file'}"[:120], total=size, created_at=now
    )
    import_readings.defer(job_id=job.pk, path=path.name)
    record(site, now, by, "brought in a file", job, None, {"file": name[:80], "kilobytes": size})
    return job


@transaction.atomic
def cancel(job: Job, by: User, now: datetime) -> None:
    """Ask a job to stop; what it has kept so far stays. A job that has ended is left as it is."""
    row = Job.objects.select_for_update(of=("self",)).get(pk=job.pk)
    if row.state in ("waiting", "running"):
        row.state, row.finished_at = "cancelled", now
        row.save(update_fields=["state", "finished_at"])
        record(row.site, now, by, "cancelled", row)
        tell(row.site_id, "jobs")


def _lines(path: Path, read: list[int]) -> Iterator[str]:
    """Text lines of a file; `read` holds how many bytes have been taken."""
    with path.open("rb") as file:
        for raw in file:
            read[0] += len(raw)
            yield raw.decode("utf-8", errors="replace").rstrip("\r\n")


def names_of_site(site: Site) -> dict[str, int]:
    """Channels by number, and by key where only one node of the site uses it."""
    rows = list(Channel.objects.filter(node__site=site).values_list("pk", "key"))
    keys = [key for _, key in rows if key]
    return {**{str(pk): pk for pk, _ in rows}, **{key: pk for pk, key in rows if key and keys.count(key) == 1}}


def take_in(job: Job, path: Path) -> None:
    """Take a stored file in, a batch a transaction, until its end or until the job is cancelled."""
    site, read, kept = job.site, [0], 0
    refused: list[str] = []
    count_refused = 0
    batch: list[dict[str, Any]] = []

    def flush() -> bool:
        nonlocal kept, count_refused
        outcome = take_rows(site, batch, site_now(site))
        kept += outcome.kept
        for r in outcome.refused:
            count_refused += 1
            refused.append(f"line {batch[r['index']]['index']}: {r['message']}")
        batch.clear()
        del refused[5:]
        left = Job.objects.filter(pk=job.pk, state="running").update(done=min(job.total, read[0] // 1024))
        tell(site.pk, "jobs", "readings")
        return bool(left)

    for row in rows_of_csv(names_of_site(site), _lines(path, read)):
        if isinstance(row, Refusal):
            count_refused += 1
            if len(refused) < 5:
                refused.append(f"line {row.index}: {row.field} is {row.value}; expected {row.expected}")
            continue
        batch.append(row)
        if len(batch) >= BATCH and not flush():
            return
    flush()
    told = f"{kept} readings kept, {count_refused} lines refused." + (" " + "; ".join(refused[:2]) if refused else "")
    Job.objects.filter(pk=job.pk, state="running").update(
        state="done", done=job.total, message=told[:300], finished_at=site_now(site)
    )
    tell(site.pk, "jobs", "readings")
