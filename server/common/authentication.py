"""Who is asking: a person by session, or a node by its token."""

import hashlib
from typing import Any

from django.contrib.auth.models import AnonymousUser
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication, SessionAuthentication, get_authorization_header
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import BasePermission
from rest_framework.request import Request


class Session(SessionAuthentication):
    """Session sign-in; answers 401 instead of 403 so that the page knows to ask for the password again."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"


def hash_token(token: str) -> str:
    """Stored form of a node's token. Tokens are 256 random bits, so a plain digest cannot be guessed back."""
    return hashlib.sha256(token.encode()).hexdigest()


class NodeToken(BaseAuthentication):
    """`Authorization: Node <token>`. Sets request.auth to the Node."""

    def authenticate(self, request: Request) -> tuple[AnonymousUser, Any] | None:
        from fitting.models import Node

        parts = get_authorization_header(request).decode(errors="replace").split()
        if len(parts) != 2 or parts[0].lower() != "node":
            raise AuthenticationFailed("Expected the header 'Authorization: Node <token>'.")
        node = Node.objects.select_related("site").filter(token_hash=hash_token(parts[1])).first()
        if node is None:
            raise AuthenticationFailed("This node token is not known. Make a new one under Fit.")
        return AnonymousUser(), node

    def authenticate_header(self, request: Request) -> str:
        return "Node"


class IsNode(BasePermission):
    def has_permission(self, request: Request, view: Any) -> bool:
        return request.auth is not None and not isinstance(request.auth, str)


class SessionScheme(OpenApiAuthenticationExtension):
    target_class = "common.authentication.Session"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


class NodeTokenScheme(OpenApiAuthenticationExtension):
    target_class = "common.authentication.NodeToken"
    name = "node"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "header", "name": "Authorization", "description": "Node <token>"}
