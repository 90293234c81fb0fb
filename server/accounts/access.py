"""The one gate: which site a thing belongs to, and whether this person's role reaches."""

from typing import Any, TypeVar

from django.db.models import Model
from django.http import Http404
from rest_framework.exceptions import PermissionDenied
from rest_framework.request import Request

from .models import Membership
from .roles import Role, at_least

SITE_PATH: dict[str, str | tuple[str, str]] = {
    "Site": "pk",
    "House": "site_id",
    "Bed": "house__site_id",
    "Tank": "site_id",
    "Pump": "tank__site_id",
    "Node": "site_id",
    "Channel": "node__site_id",
    "Probe": "bed__house__site_id",
    "Job": "site_id",
    "Note": "site_id",
    "Pulse": "bed__house__site_id",
    "WaterSource": "site_id",
    "OwnMedium": "site_id",
    "Actuator": "node__site_id",
    "PlanEntry": "site_id",
    "BusRequest": "node__site_id",
    "Proof": "channel__node__site_id",
    "ActuatorProof": "actuator__node__site_id",
    "CalibrationVersion": ("channel__node__site_id", "actuator__node__site_id"),
    "Capture": ("session__channel__node__site_id", "session__actuator__node__site_id"),
}
Found = TypeVar("Found", bound=Model)


def reach(request: Request, kind: type[Found], pk: int, role: Role = Role.VIEWER) -> Found:
    """The row with `pk` if the person has at least `role` on its site.

    404 when it is not there or the person is not a member, 403 when the role is too small.
    """
    path = SITE_PATH[kind.__name__]
    manager: Any = kind._default_manager
    row = manager.filter(pk=pk).values_list(*((path,) if isinstance(path, str) else path)).first()
    if row is None:
        raise Http404
    require_role(request, next(site for site in row if site is not None), role)
    return manager.get(pk=pk)  # type: ignore[no-any-return]


def require_role(request: Request, site_id: int, role: Role) -> None:
    have = Membership.objects.filter(user_id=request.user.pk, site_id=site_id).values_list("role", flat=True).first()
    if have is None:
        raise Http404
    if not at_least(have, role):
        raise PermissionDenied(f"This needs the role {role.label}; yours here is {have}.")
