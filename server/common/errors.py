"""One shape for every refusal: {"errors": [{"field", "value", "expected", "message"}]}."""

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import exception_handler

from reedcore.errors import ReedError


class Refused(Exception):
    """Several refusals at once, each for its own field."""

    def __init__(self, errors: list[ReedError], status: int = 422) -> None:
        self.errors = errors
        self.status = status
        super().__init__("; ".join(str(e) for e in errors))


class Conflict(Exception):
    """Someone else saved first. Carries who and when, so that the second person can be told."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        self.message = message
        super().__init__(message)


def error_row(field: str, value: Any, expected: str, message: str = "") -> dict[str, Any]:
    shown = value if isinstance(value, int | float | str | bool | None) and value == value else str(value)
    return {"field": field, "value": shown, "expected": expected, "message": message or _say(field, shown, expected)}


def _say(field: str, value: Any, expected: str) -> str:
    shown = f"{value:g}" if isinstance(value, float) else value
    return f"{field.replace('_', ' ')} is {shown}; expected {expected}"


def answer_with_errors(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler: typed refusals to 422, conflicts to 409, the rest in the same shape."""
    if isinstance(error, ReedError):
        error = Refused([error])
    if isinstance(error, Refused):
        rows = [error_row(e.field, e.value, e.expectation) for e in error.errors]
        return Response({"errors": rows}, status=error.status)
    if isinstance(error, Conflict):
        return Response({"errors": [error_row(error.field, None, "the latest version", error.message)]}, status=409)
    if isinstance(error, exceptions.ValidationError):
        data = getattr(context.get("request"), "data", {})
        return Response({"errors": _validation_rows(error.detail, data)}, status=422)
    response = exception_handler(error, context)
    if response is not None:
        response.data = {"errors": [error_row("", None, "", _plain(error, response))]}
    return response


def _plain(error: Exception, response: Response) -> str:
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return (
            "Sign in first; your session has ended."
            if isinstance(error, exceptions.NotAuthenticated)
            else str(error.detail)
        )
    if isinstance(error, Http404 | exceptions.NotFound):
        return "This is not here, or not yours to see."
    if isinstance(error, PermissionDenied | exceptions.PermissionDenied):
        return str(getattr(error, "detail", "")) or "Your role does not allow this."
    return str(getattr(error, "detail", response.status_text))


def _validation_rows(detail: Any, data: Any, prefix: str = "") -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = []
    if isinstance(detail, dict):
        for field, inner in detail.items():
            value = data.get(field) if isinstance(data, dict) else None
            if isinstance(inner, dict) or (isinstance(inner, list) and inner and isinstance(inner[0], dict)):
                rows.extend(_validation_rows(inner, value, f"{prefix}{field}."))
            else:
                rows.extend(error_row(f"{prefix}{field}", value, str(m)) for m in inner)
    elif isinstance(detail, list):
        for i, inner in enumerate(detail):
            if isinstance(inner, dict):
                value = data[i] if isinstance(data, list) and i < len(data) else None
                rows.extend(_validation_rows(inner, value, f"{prefix}{i}."))
            else:
                rows.append(error_row(prefix.rstrip("."), None, str(inner)))
    return rows
