"""Notes and the audit trail."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from places.models import Bed, Site

from .models import AuditLine, Note
from .services import write_note


@dataclass
class NoteIn:
    text: str
    bed: int | None = None


@dataclass
class NoteOut:
    id: int
    at: datetime
    by: str
    bed: int | None
    text: str


@dataclass
class AuditOut:
    at: datetime
    by: str
    action: str
    target: str
    target_id: int
    before: dict[str, Any] | None
    after: dict[str, Any] | None


def _note(note: Note) -> NoteOut:
    return NoteOut(note.pk, note.at, str(note.by), note.bed_id, note.text)


@endpoint("POST", takes=NoteIn, gives=NoteOut, status=201)
def notes_write(request: Request, data: NoteIn, site_id: int) -> NoteOut:
    """Write a note for the site or one of its beds."""
    site = reach(request, Site, site_id, Role.GROWER)
    bed = reach(request, Bed, data.bed, Role.GROWER) if data.bed else None
    return _note(write_note(site, bed, data.text, request.user, site_now(site)))


@endpoint("GET", gives=NoteOut, many=True)
def notes_list(request: Request, site_id: int) -> list[NoteOut]:
    """The newest 50 notes of a site."""
    site = reach(request, Site, site_id)
    return [_note(n) for n in Note.objects.filter(site=site).select_related("by").order_by("-at")[:50]]


@endpoint("GET", gives=AuditOut, many=True)
def audit(request: Request, site_id: int) -> list[AuditOut]:
    """The newest 100 audit lines of a site."""
    site = reach(request, Site, site_id)
    lines = AuditLine.objects.filter(site=site).select_related("by").order_by("-at", "-id")[:100]
    return [AuditOut(a.at, str(a.by or "Tall Reed"), a.action, a.target, a.target_id, a.before, a.after) for a in lines]
