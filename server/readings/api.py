"""The batch endpoint for nodes and gateways."""

from dataclasses import dataclass
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.models import Job
from places.models import Site

from .ingest import ingest
from .uploads import cancel, order_import, store


@dataclass
class ReadingIn:
    channel: int
    time: str
    raw: float


@dataclass
class Batch:
    readings: list[ReadingIn]


@dataclass
class RefusedReading:
    index: int
    field: str
    value: str
    expected: str
    message: str


@dataclass
class BatchOut:
    kept: int
    refused: list[RefusedReading]


@dataclass
class UploadOut:
    job: int


@endpoint("POST", gives=UploadOut, status=201, stream=True)
def readings_upload(request: Request, site_id: int) -> UploadOut:
    """Bring in a CSV of readings (header with time, channel, value), up to 50 MB, streamed; progress is the job's."""
    site = reach(request, Site, site_id, Role.GROWER)
    path = store(request._request, int(request.META.get("CONTENT_LENGTH") or 0))
    name = request.headers.get("X-File-Name", "")
    return UploadOut(order_import(site, path, name, request.user, site_now(site)).pk)


@endpoint("POST", status=204)
def job_cancel(request: Request, job_id: int) -> None:
    """Stop a background job; what it has done so far stays."""
    job = reach(request, Job, job_id, Role.GROWER)
    cancel(job, request.user, site_now(job.site))


@endpoint("POST", gives=BatchOut, by="node", documents=Batch)
def readings_batch(request: Request) -> Any:
    """Up to 10,000 readings. Good ones are kept, bad ones come back with their reason; sent twice changes nothing."""
    node = request.auth
    body = request.data
    rows = body.get("readings") if isinstance(body, dict) else body
    return ingest(node, rows, site_now(node.site))
