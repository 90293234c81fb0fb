from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from django.db import models, transaction

from accounts.models import User
from common.events import tell
from places.models import Bed, Site
from reedcore.errors import OutOfRange

from .models import AuditLine, Note


def record(
    site: Site,
    at: datetime,
    by: User | None,
    action: str,
    target: models.Model,
    before: Mapping[str, Any] | None = None,
    after: Mapping[str, Any] | None = None,
) -> None:
    """Write an audit line. Called inside the transaction of the change it tells of."""
    AuditLine.objects.create(
        site=site,
        at=at,
        by=by,
        action=action,
        target=type(target).__name__,
        target_id=target.pk,
        before=_plain(before),
        after=_plain(after),
    )


def _plain(values: Mapping[str, Any] | None) -> dict[str, Any] | None:
    if values is None:
        return None
    return {k: v.isoformat() if isinstance(v, date) else v for k, v in values.items()}


@transaction.atomic
def write_note(site: Site, bed: Bed | None, text: str, by: User, now: datetime) -> Note:
    """Keep an observation. Raises OutOfRange for an empty or over-long text."""
    text = text.strip()
    if not 1 <= len(text) <= 1000:
        raise OutOfRange("text", f"{len(text)} characters", "1 to 1000 characters")
    note = Note.objects.create(site=site, bed=bed, at=now, by=by, text=text)
    record(site, now, by, "wrote a note", note, None, {"text": text})
    tell(site.pk, "notes")
    return note
