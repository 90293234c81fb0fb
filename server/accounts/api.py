"""Sign in, sign out, who am I."""

import math
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, JsonResponse
from django.middleware.csrf import get_token
from rest_framework.exceptions import AuthenticationFailed, PermissionDenied
from rest_framework.request import Request
from rest_framework.response import Response

from common.clock import real_now
from common.endpoint import endpoint
from common.errors import error_row
from places.models import Site
from reedcore.units import UNITS

from .access import reach
from .invitations import LIFE, FirstSite, accept, invite, open_invitation
from .models import Membership
from .roles import Role
from .services import WATER_VIEWS, choose_units


@dataclass
class SignIn:
    username: str
    password: str


@dataclass
class SiteRole:
    id: int
    name: str
    role: Role


@dataclass
class UnitChoice:
    """A unit a person may read in: shown = inside * factor + offset. `inside` is how the API labels the quantity."""

    quantity: str
    code: str
    label: str
    inside: str
    factor: float
    offset: float
    fewer_digits: int
    chosen: bool


@dataclass
class Me:
    name: str
    sites: list[SiteRole]
    csrf_token: str
    units: list[UnitChoice]


@dataclass
class UnitsForm:
    """Quantity to code."""

    units: dict[str, str]


CHOSEN_QUANTITIES = ("temperature", "pressure", "conductivity", "length")


def unit_choices(chosen: dict[str, str]) -> list[UnitChoice]:
    """Every unit to choose from; the inside one stands first in its quantity and is chosen unless another is."""
    out = []
    for quantity in CHOSEN_QUANTITIES:
        rows = [u for u in UNITS.values() if u.quantity == quantity]
        wanted = chosen.get(quantity, rows[0].code)
        out += [
            UnitChoice(
                quantity,
                u.code,
                u.label,
                rows[0].label,
                u.factor,
                u.offset,
                round(math.log10(u.factor)),
                u.code == wanted,
            )
            for u in rows
        ]
    view = chosen.get("water", "theta")
    return out + [
        UnitChoice("water", code, label, "", 1.0, 0.0, 0, code == view) for code, label in WATER_VIEWS.items()
    ]


def _me(request: Request) -> Me:
    rows = Membership.objects.filter(user_id=request.user.pk).select_related("site").order_by("site__name")
    sites = [SiteRole(m.site_id, m.site.name, Role(m.role)) for m in rows]
    return Me(str(request.user), sites, get_token(request._request), unit_choices(request.user.units))


@endpoint("POST", takes=SignIn, gives=Me, by="anyone", operation="sign_in")
def sign_in(request: Request, data: SignIn) -> Me:
    """Sign in with name and password; starts a session."""
    user = authenticate(request._request, username=data.username, password=data.password)
    if getattr(request._request, "axes_locked_out", False):
        raise PermissionDenied("Too many wrong passwords from here. Wait 15 minutes and try again.")
    if user is None:
        raise AuthenticationFailed("Name or password is not right.")
    login(request._request, user)
    request.user = user
    return _me(request)


@endpoint("GET", gives=Me, operation="me")
def me(request: Request) -> Me:
    """Who is signed in, with the sites and roles."""
    return _me(request)


@endpoint("PUT", takes=UnitsForm, gives=Me, operation="units_choose")
def units_choose(request: Request, data: UnitsForm) -> Me:
    """Choose the units to read in; they follow the person, not the holding."""
    choose_units(request.user, data.units)
    return _me(request)


@endpoint("POST", status=204, operation="sign_out")
def sign_out(request: Request) -> Response:
    """End the session."""
    logout(request._request)
    return Response(status=204)


@dataclass
class InviteForm:
    role: Role


@dataclass
class InviteOut:
    """The link's path, shown this once."""

    path: str
    expires_at: datetime


@dataclass
class PersonOut:
    name: str
    username: str
    role: Role
    last_login: datetime | None


@dataclass
class WelcomeOut:
    role: Role
    first: bool
    site: str


@dataclass
class WelcomeForm:
    """`site` only for the first owner."""

    username: str
    full_name: str
    password: str
    site: FirstSite | None = None


@endpoint("GET", gives=PersonOut, many=True, operation="people")
def people(request: Request, site_id: int) -> list[PersonOut]:
    """People of a site with their roles."""
    site = reach(request, Site, site_id)
    rows = site.memberships.select_related("user").order_by("user__username")
    return [PersonOut(str(m.user), m.user.username, Role(m.role), m.user.last_login) for m in rows]


@endpoint("POST", takes=InviteForm, gives=InviteOut, status=201, operation="invite")
def invite_person(request: Request, data: InviteForm, site_id: int) -> InviteOut:
    """A link for one more person, good once and for seven days."""
    site = reach(request, Site, site_id, Role.OWNER)
    token = invite(site, Role(data.role), request.user, real_now())
    return InviteOut(f"/welcome/{token}", real_now() + LIFE)


@endpoint("GET", gives=WelcomeOut, by="anyone", operation="welcome")
def welcome(request: Request, token: str) -> WelcomeOut:
    """What an invitation is for."""
    row = open_invitation(token, real_now())
    return WelcomeOut(Role(row.role), row.site is None, row.site.name if row.site else "")


@endpoint("POST", takes=WelcomeForm, gives=Me, by="anyone", status=201, operation="welcome_accept")
def welcome_accept(request: Request, data: WelcomeForm, token: str) -> Me:
    """Set name and password, and be signed in."""
    user = accept(token, data.username, data.full_name, data.password, data.site, real_now())
    login(request._request, user, backend="django.contrib.auth.backends.ModelBackend")
    request.user = user
    return _me(request)


def locked_out(request: HttpRequest, _credentials: Any, *_: Any, **__: Any) -> JsonResponse:
    """Answer of django-axes once there were too many wrong passwords."""
    message = "Too many wrong passwords from here. Wait 15 minutes and try again."
    return JsonResponse({"errors": [error_row("", None, "", message)]}, status=403)
