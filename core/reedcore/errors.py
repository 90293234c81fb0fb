"""Typed refusals. Each names the field, the value given and what was expected."""

from __future__ import annotations

from typing import Any


class ReedError(Exception):
    """A refusal that a person can act on.

    Parameters
    ----------
    field : name of the offending field, as in the API.
    value : the value that was given.
    expectation : what would have been accepted, in words with units.
    """

    def __init__(self, field: str, value: Any, expectation: str) -> None:
        self.field = field
        self.value = value
        self.expectation = expectation
        super().__init__(f"{field} is {value!r}; expected {expectation}")


class OutOfRange(ReedError):
    """A number lies outside the range in which it means something."""


class Inconsistent(ReedError):
    """Two values contradict each other, such as a low above a high."""


class NotDetermined(ReedError):
    """The data do not determine an answer, such as two equal calibration points."""


def require_range(field: str, value: float, low: float, high: float, unit: str) -> float:
    """Return `value` if low <= value <= high, else raise OutOfRange. NaN is refused."""
    if not low <= value <= high:
        raise OutOfRange(field, value, f"{low:g} to {high:g} {unit}".rstrip())
    return value
