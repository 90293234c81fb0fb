"""JSON with NaN as null: a reading that is not there is not a number on screen either."""

import json
import math
from typing import Any

from rest_framework.renderers import JSONRenderer
from rest_framework.utils.encoders import JSONEncoder


def without_nan(value: Any) -> Any:
    """The same structure with NaN and infinities as None."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {k: without_nan(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [without_nan(v) for v in value]
    return value


class CompactJson(JSONRenderer):
    def render(self, data: Any, accepted_media_type: Any = None, renderer_context: Any = None) -> bytes:
        if data is None:
            return b""
        return json.dumps(without_nan(data), cls=JSONEncoder, ensure_ascii=False, separators=(",", ":")).encode()
