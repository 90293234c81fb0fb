"""JSON with NaN as null: a reading that is not there is not a number on screen either. Dataclasses go out as objects."""

from typing import Any

import orjson
from django.db.models import QuerySet
from django.utils.functional import Promise
from rest_framework.renderers import BaseRenderer

OPTIONS = orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS | orjson.OPT_UTC_Z


class CompactJson(BaseRenderer):
    media_type = "application/json"
    format = "json"
    charset = None

    def render(self, data: Any, accepted_media_type: Any = None, renderer_context: Any = None) -> bytes:
        return b"" if data is None else orjson.dumps(data, default=_other, option=OPTIONS)


def _other(value: Any) -> Any:
    """What the encoder does not know: the framework's own lists, dictionaries and lazy texts."""
    if isinstance(value, dict):
        return dict(value)
    if isinstance(value, list | tuple | set | QuerySet):
        return list(value)
    if isinstance(value, Promise | str):
        return str(value)
    raise TypeError(f"{type(value).__name__} has no place in an answer")
