"""What a formula of the registry consists of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Argument:
    """An argument of a formula: its symbol in the expression, what it is, its unit, and how to show it."""

    symbol: str
    meaning: str
    unit: str
    scale: float = 1.0
    digits: int = 2


@dataclass(frozen=True)
class Formula:
    """A formula: the core function that computes it and how it is written."""

    code: str
    title: str
    expression: str
    function: Callable[..., Any]
    arguments: dict[str, Argument]
    unit: str
    source: str
    scale: float = 1.0
    digits: int = 2
    note: str = ""
