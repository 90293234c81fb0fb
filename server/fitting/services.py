import secrets
from datetime import datetime

from django.db import transaction

from accounts.models import User
from common.authentication import hash_token
from logbook.services import record
from places.models import Site

from .models import Node, NodeKind


@transaction.atomic
def make_token(node: Node, by: User | None, now: datetime) -> str:
    """A new token for a node; only its digest is kept."""
    token = secrets.token_urlsafe(32)
    set_token(node, token)
    record(node.site, now, by, "made a token", node)
    return token


def set_token(node: Node, token: str) -> None:
    node.token_hash = hash_token(token)
    node.save(update_fields=["token_hash"])


@transaction.atomic
def note_contact(site: Site, contacts: list[tuple[int, bool, str]], now: datetime) -> None:
    """Keep when each node last answered and what is wrong with those that did not."""
    for node_id, ok, problem in contacts:
        rows = Node.objects.filter(site=site, pk=node_id)
        if ok:
            rows.update(last_seen=now, last_problem="")
        else:
            rows.update(last_problem=problem[:200])


def local_gateway(site: Site, token: str) -> None:
    """The gateway that `reed start` runs beside the server, known to the site by its token; none without a token."""
    if token:
        node = Node.objects.create(site=site, name="Gateway", kind=NodeKind.GATEWAY)
        set_token(node, token)


def note_seen(node: Node, now: datetime) -> None:
    """A node that posts by itself has been heard."""
    Node.objects.filter(pk=node.pk).update(last_seen=now, last_problem="")
