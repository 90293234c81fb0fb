"""A view in one decorator: method, role, what goes in, what comes out, and the lines of the API document."""

from collections.abc import Callable
from typing import Any

from django.http.response import HttpResponseBase
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view
from rest_framework.parsers import BaseParser
from rest_framework.permissions import AllowAny, IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import CharField, Serializer
from rest_framework_dataclasses.serializers import DataclassSerializer

from .authentication import IsNode, NodeToken


class FormSerializer(DataclassSerializer):
    """A dataclass as it comes in: empty texts are for the services to judge, not for the parser."""

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for field in fields.values():
            if isinstance(field, CharField):
                field.allow_blank = True
        return fields


_made: dict[type, type[Serializer]] = {}


def serializer_of(kind: Any) -> Any:
    """The serializer of a dataclass, made once; serializers and None pass through."""
    if kind is None or (isinstance(kind, type) and issubclass(kind, Serializer)):
        return kind
    if kind not in _made:
        meta = type("Meta", (), {"dataclass": kind})
        _made[kind] = type(f"{kind.__name__}Serializer", (FormSerializer,), {"Meta": meta})
    return _made[kind]


class PlainText(BaseParser):
    """A body of any type as text; bytes that are no UTF-8 are replaced, for the line's own refusal to name."""

    media_type = "*/*"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> str:
        return stream.read().decode("utf-8", errors="replace")  # type: ignore[no-any-return]


class Untouched(BaseParser):
    """Accepts any type and reads nothing."""

    media_type = "*/*"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> None:
        return None


def endpoint(
    method: str,
    *,
    takes: Any = None,
    gives: Any = None,
    many: bool = False,
    status: int = 200,
    by: str = "person",
    operation: str = "",
    parameters: list[Any] | None = None,
    documents: Any = None,
    text: bool = False,
    stream: bool = False,
) -> Callable[[Callable[..., Any]], Any]:
    """Make an API view of a function (request, [data,] **path) that returns a dataclass, a list of them or None.

    `by` is person (session), node (token) or anyone. `documents` names what comes in for the API document
    where the function checks it row by row itself. `text` hands the body over as a text of any type. Errors take the one shape of common.errors.
    """
    serializer = serializer_of(takes)

    def wrap(function: Callable[..., Any]) -> Any:
        def view(request: Request, **path: Any) -> Response:
            if serializer is None:
                return _answer(function(request, **path), status)
            checked = serializer(data=request.data)
            checked.is_valid(raise_exception=True)
            return _answer(function(request, checked.validated_data, **path), status)

        view.__name__, view.__doc__, view.__module__ = function.__name__, function.__doc__, function.__module__
        made: Any = api_view([method])(view)
        if by == "node":
            made = _with(made, [NodeToken], [IsNode])
        elif by == "anyone":
            made = _with(made, None, [AllowAny])
        else:
            made = _with(made, None, [IsAuthenticated])
        if stream:
            made.cls.parser_classes = [Untouched]
        if text:
            made.cls.parser_classes = [PlainText]
        out = serializer_of(gives)
        responses = {status: out(many=many) if out is not None and many else out}
        return extend_schema(
            operation_id=operation or function.__name__,
            request=serializer or serializer_of(documents),
            responses=responses,
            parameters=parameters,
        )(made)

    return wrap


def _with(view: Any, authentication: Any, permissions: Any) -> Any:
    # api_view has built the class already; the attributes are where the decorators would have put them.
    if authentication is not None:
        view.cls.authentication_classes = authentication
    view.cls.permission_classes = permissions
    return view


def _answer(value: Any, status: int) -> Response:
    return value if isinstance(value, HttpResponseBase) else Response(value, status=status)
