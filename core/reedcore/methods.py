"""The ways to calibrate: which suits which sensor, its cards, how long it holds. A new way begins with a line of data."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from .errors import OutOfRange
from .sense import Sign


@dataclass(frozen=True)
class Card:
    """A capture: kind, what to do, what is asked with it (theta, mass_g, standard, value, run or nothing), once or often."""

    kind: str
    title: str
    text: str
    asks: str
    once: bool


@dataclass(frozen=True)
class CalibrationMethod:
    """A way to calibrate. gives: quantity of the result, "same" as the channel's. steady: each capture waits for it."""

    code: str
    name: str
    quantities: tuple[str, ...]
    gives: str
    due_days: int
    provisional: bool
    why: str
    cautions: tuple[str, ...]
    steady: bool
    cards: tuple[Card, ...]

    def card(self, kind: str) -> Card:
        """One card by kind. Raises OutOfRange."""
        for card in self.cards:
            if card.kind == kind:
                return card
        raise OutOfRange("kind", kind, "one of " + ", ".join(c.kind for c in self.cards))


@lru_cache(maxsize=1)
def methods() -> dict[str, CalibrationMethod]:
    """Every way, by code, in the order in which they are offered. Source: data/calibration_methods.json."""
    rows: list[dict[str, Any]] = json.loads(
        resources.files(__package__).joinpath("data/calibration_methods.json").read_text()
    )
    return {
        r["code"]: CalibrationMethod(
            **{
                **r,
                "quantities": tuple(r["quantities"]),
                "cautions": tuple(r["cautions"]),
                "cards": tuple(Card(**c) for c in r["cards"]),
            }
        )
        for r in rows
    }


def method(code: str) -> CalibrationMethod:
    """One way. Raises OutOfRange for an unknown one."""
    try:
        return methods()[code]
    except KeyError:
        raise OutOfRange("method", code, "one of " + ", ".join(methods())) from None


def methods_for(quantity: str) -> list[CalibrationMethod]:
    """The ways that suit a quantity, the first one proposed."""
    return [m for m in methods().values() if quantity in m.quantities]


CALLS_FOR_A_NEW_ONE = frozenset(
    {
        Sign.GAIN,
        Sign.OUTSIDE_SPAN,
        Sign.SPAN_TOO_WIDE,
        Sign.BELOW_ZERO,
        Sign.ABOVE_PORE_SPACE,
        Sign.DRIFT_APART,
        Sign.TEMPERATURE_SWING,
    }
)
"""Findings that a new calibration may mend, so that it is due at once."""


def due_in_days(code: str, age_days: float, signs: frozenset[Sign] = frozenset()) -> float:
    """Days until a calibration by a method is due again, 0 at once where a sense check asks for it; negative when overdue."""
    left = method(code).due_days - age_days
    return min(left, 0.0) if signs & CALLS_FOR_A_NEW_ONE else left
