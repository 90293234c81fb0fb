"""The one policy for series: NaN in, NaN out; anything else outside the range is refused by name."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from .errors import OutOfRange

FloatArray = npt.NDArray[np.float64]
Series = TypeVar("Series", float, FloatArray)


def require_series(field: str, values: Any, low: float, high: float, unit: str) -> FloatArray:
    """Return `values` as a float array. Raises OutOfRange naming the first value that is neither NaN nor in range."""
    array = np.asarray(values, dtype=float)
    wrong = (array < low) | (array > high)
    if np.any(wrong):
        raise OutOfRange(field, float(array[wrong].flat[0]), f"{low:g} to {high:g} {unit}")
    return array


def like_input(value: Any, *inputs: Any) -> Any:
    """Give a plain float back where every input was a scalar, else the array."""
    if all(np.ndim(i) == 0 for i in inputs):
        return float(value)
    return value
