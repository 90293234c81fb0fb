"""A number on its way to the screen: with unit, age, source, and the formula behind it."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from reedcore.errors import ReedError
from reedcore.formulas import evaluate, formula


@dataclass
class Figure:
    """value is None where there is none; `formula` and `inputs` open the arithmetic panel."""

    value: float | None
    unit: str
    digits: int
    source: str
    at: datetime | None = None
    formula: str = ""
    inputs: dict[str, float] = field(default_factory=dict)


def worked(code: str, inputs: Mapping[str, float], source: str, at: datetime | None = None) -> Figure:
    """A figure computed by a formula of the core. No value where an input is missing or out of its range."""
    f = formula(code)
    if any(v is None or math.isnan(v) for v in inputs.values()):
        return Figure(None, f.unit, f.digits, source, at)
    try:
        value = evaluate(code, inputs)
    except ReedError as error:
        return Figure(None, f.unit, f.digits, f"{source}: {error}", at)
    return Figure(value, f.unit, f.digits, source, at, code, dict(inputs))


def measured(value: float | None, unit: str, digits: int, source: str, at: datetime | None) -> Figure:
    """A figure as it was read, without arithmetic."""
    known = value is not None and math.isfinite(value)
    return Figure(value if known else None, unit, digits, source, at)
