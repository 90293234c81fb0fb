"""The batch endpoint for nodes and gateways."""

from dataclasses import dataclass
from typing import Any

from rest_framework.request import Request

from common.clock import site_now
from common.endpoint import endpoint

from .ingest import ingest


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


@endpoint("POST", gives=BatchOut, by="node", documents=Batch)
def readings_batch(request: Request) -> Any:
    """Up to 10,000 readings. Good ones are kept, bad ones come back with their reason; sent twice changes nothing."""
    node = request.auth
    body = request.data
    rows = body.get("readings") if isinstance(body, dict) else body
    return ingest(node, rows, site_now(node.site))
