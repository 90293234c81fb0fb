"""Links that make people: the first owner of an installation, and people asked in by an owner."""

import os
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import transaction

from common.authentication import hash_token
from common.clock import site_now
from common.events import tell
from logbook.services import record
from places.models import Site
from reedcore.errors import Inconsistent, OutOfRange

from .models import Invitation, User
from .roles import Role
from .services import add_person

LIFE = timedelta(days=7)


@dataclass
class FirstSite:
    """The holding that the first owner describes."""

    name: str
    latitude: float
    longitude: float
    altitude_m: float
    time_zone: str


@transaction.atomic
def invite(site: Site | None, role: Role, by: User | None, real_now: datetime) -> str:
    """A new invitation; its token is given this once, only a digest is kept. Site None: the first owner."""
    token = secrets.token_urlsafe(24)
    row = Invitation.objects.create(
        token_hash=hash_token(token),
        site=site,
        role=role,
        created_at=real_now,
        expires_at=real_now + LIFE,
        created_by=by,
    )
    if site is not None:
        record(site, site_now(site, real_now), by, "invited", row, None, {"role": role.value})
    return token


def first_link(real_now: datetime) -> str | None:
    """A link's token for the first owner, or None when there is a person already. An older unused one ends."""
    if User.objects.exists():
        return None
    Invitation.objects.filter(site=None, used_at=None).delete()
    return invite(None, Role.OWNER, None, real_now)


def open_invitation(token: str, real_now: datetime) -> Invitation:
    """The invitation of a token. Raises OutOfRange for one that is unknown, used or too old."""
    row = Invitation.objects.select_related("site").filter(token_hash=hash_token(token)).first()
    if row is None or row.used_at is not None or row.expires_at < real_now:
        raise OutOfRange("token", "…", "a link that is still open; each works once and for 7 days. Ask for a new one")
    return row


@transaction.atomic
def accept(
    token: str, username: str, full_name: str, password: str, first: FirstSite | None, real_now: datetime
) -> User:
    """Make the person an invitation is for; the first owner's holding as well. Raises OutOfRange, Inconsistent, Refused."""
    found = open_invitation(token, real_now)
    row = Invitation.objects.select_for_update(of=("self",)).get(pk=found.pk)
    if row.used_at is not None:
        raise OutOfRange("token", "…", "a link that nobody has used yet")
    if not username.strip():
        raise OutOfRange("username", username, "a name to sign in with")
    site = row.site
    if site is None:
        if first is None:
            raise Inconsistent("site", None, "the holding, described")
        site = _first_site(first)
    user = add_person(site, username.strip(), password, Role(row.role), full_name.strip())
    row.used_at, row.used_by = real_now, user
    row.save()
    record(site, site_now(site, real_now), user, "joined", user, None, {"role": row.role})
    tell(site.pk, "places")
    return user


def _first_site(first: FirstSite) -> Site:
    from fitting.services import local_gateway
    from places.services import site_faults

    site = Site(**vars(first))
    site_faults(site)
    site.save()
    local_gateway(site, os.environ.get("GATEWAY_TOKEN", ""))
    return site
