"""Sign in, sign out, who am I."""

from dataclasses import dataclass
from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, JsonResponse
from django.middleware.csrf import get_token
from rest_framework.exceptions import AuthenticationFailed, PermissionDenied
from rest_framework.request import Request
from rest_framework.response import Response

from common.endpoint import endpoint
from common.errors import error_row

from .models import Membership
from .roles import Role


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
class Me:
    name: str
    sites: list[SiteRole]
    csrf_token: str


def _me(request: Request) -> Me:
    rows = Membership.objects.filter(user_id=request.user.pk).select_related("site").order_by("site__name")
    sites = [SiteRole(m.site_id, m.site.name, Role(m.role)) for m in rows]
    return Me(str(request.user), sites, get_token(request._request))


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


@endpoint("POST", status=204, operation="sign_out")
def sign_out(request: Request) -> Response:
    """End the session."""
    logout(request._request)
    return Response(status=204)


def locked_out(request: HttpRequest, _credentials: Any, *_: Any, **__: Any) -> JsonResponse:
    """Answer of django-axes once there were too many wrong passwords."""
    message = "Too many wrong passwords from here. Wait 15 minutes and try again."
    return JsonResponse({"errors": [error_row("", None, "", message)]}, status=403)
