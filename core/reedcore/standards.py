"""Reference solutions and salts: what each is worth at its temperature."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from .errors import OutOfRange, require_range


@dataclass(frozen=True)
class Standard:
    """A reference: values over temperatures [°C], in mS/cm, pH or % by its family."""

    code: str
    family: str
    name: str
    source: str
    temp_c: tuple[float, ...]
    value: tuple[float, ...]

    def at(self, temp_c: float) -> float:
        """Its value at a temperature, between the table's lines. Raises OutOfRange outside the table."""
        require_range("temp_c", temp_c, self.temp_c[0], self.temp_c[-1], f"°C, where the table of {self.name} stands")
        return float(np.interp(temp_c, self.temp_c, self.value))


@lru_cache(maxsize=1)
def standards() -> dict[str, Standard]:
    """Every reference by code. Source: data/standards.json, each with its own."""
    rows: dict[str, list[dict[str, Any]]] = json.loads(
        resources.files(__package__).joinpath("data/standards.json").read_text()
    )
    return {
        row["code"]: Standard(
            row["code"], family, row["name"], row["source"], tuple(row["temp_c"]), tuple(row["value"])
        )
        for family, many in rows.items()
        for row in many
    }


def standard(code: str) -> Standard:
    """One reference. Raises OutOfRange for an unknown one."""
    try:
        return standards()[code]
    except KeyError:
        raise OutOfRange("standard", code, "one of " + ", ".join(sorted(standards()))) from None
