"""Kinds of sensors, one data file each, and the chooser that proposes them with reasons and cautions."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from .errors import OutOfRange, require_range
from .response import ProofLimits

COST_WORDS = {1: "low", 2: "middle", 3: "high"}
WANTS = {
    "water_content": "how much water the substrate holds",
    "suction": "how hard the roots must pull",
    "salts": "salts in the substrate or the feed",
    "medium_temp": "temperature at the roots",
    "profile": "temperature over the depth",
    "air": "air temperature and humidity",
    "vpd": "how hard the air pulls (VPD)",
    "leaf_temp": "leaf temperature",
    "light": "light",
    "par": "photons for the crop (PAR)",
    "radiation": "global radiation, for light-sum watering",
    "co2": "CO2",
    "nutrients": "nutrients in the water",
    "nitrate": "nitrate",
    "potassium": "potassium",
    "feed_quality": "whether the feed is right",
    "ph": "pH",
    "tank": "how full the tank is",
    "dry_run": "that the pump never runs dry",
    "flow": "that water really flows",
    "drain": "how much drains",
    "rain": "rain",
    "security": "motion at night",
    "health": "supply of a node",
}
"""What a person may want to know, in plain words."""
LINKS = {
    "modbus": "bus (Modbus)",
    "analogue": "analogue (mV, 4-20 mA)",
    "pulse": "pulses",
    "switch": "switch",
    "http": "Wi-Fi (HTTP)",
    "sdi12": "SDI-12",
}
NOT_ALONE = frozenset({"water_content", "suction", "salts"})
"""One probe speaks for one plant: a bed watered by it alone hangs on that plant."""


@dataclass(frozen=True)
class Quantity:
    """What a channel can measure: its name, unit, and the range outside which a reading is flagged."""

    code: str
    name: str
    unit: str
    low: float
    high: float
    digits: int


@lru_cache(maxsize=1)
def quantities() -> dict[str, Quantity]:
    """Quantities by code. Source: data/quantities.json."""
    rows: dict[str, Any] = json.loads(_data("quantities.json"))
    return {code: Quantity(code, **row) for code, row in rows.items()}


def quantity(code: str) -> Quantity:
    """One quantity. Raises OutOfRange for an unknown one."""
    try:
        return quantities()[code]
    except KeyError:
        raise OutOfRange("quantity", code, "one of " + ", ".join(sorted(quantities()))) from None


@dataclass(frozen=True)
class KindChannel:
    """A channel a kind gives: quantity and its usual register."""

    quantity: str
    register: int
    type: str
    scale: float
    function: int


@dataclass(frozen=True)
class SensorKind:
    """A kind of sensor as its data file says. life_months: usual life; cost 1 to 3; radius_cm of what it reads [cm, 0: a point]."""

    code: str
    name: str
    wants: tuple[str, ...]
    channels: tuple[KindChannel, ...]
    media: tuple[str, ...]
    life_months: int
    cost: int
    links: tuple[str, ...]
    reasons: tuple[str, ...]
    cautions: tuple[str, ...]
    proof: dict[str, Any]
    radius_cm: float = 0.0
    places: str = ""
    inferred: bool = False
    power_only_while_reading: bool = False

    @property
    def limits(self) -> ProofLimits:
        """Limits of the proving test."""
        p = self.proof
        high = quantity(self.channels[0].quantity).high
        return ProofLimits(
            p["span_raw"],
            p["reaction"],
            p["settle_s"],
            p["dead_s"],
            p["noise"],
            p["back_share"],
            rail_low=0.0 if self.channels[0].quantity == "raw" else float("-inf"),
            rail_high=high if self.channels[0].quantity == "raw" else float("inf"),
        )


def _data(name: str) -> str:
    return resources.files(__package__).joinpath("data").joinpath(name).read_text()


@lru_cache(maxsize=1)
def sensor_kinds() -> dict[str, SensorKind]:
    """Kinds by code, in order of their names. Source: a file each below data/sensor_kinds."""
    folder = resources.files(__package__).joinpath("data").joinpath("sensor_kinds")
    kinds = [_kind(json.loads(f.read_text())) for f in folder.iterdir() if f.name.endswith(".json")]
    return {k.code: k for k in sorted(kinds, key=lambda k: k.name)}


def _kind(row: dict[str, Any]) -> SensorKind:
    plain: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in row.items() if k != "channels"}
    channels = tuple(KindChannel(**c) for c in row["channels"])
    for c in channels:
        quantity(c.quantity)
    return SensorKind(channels=channels, **plain)


def sensor_kind(code: str) -> SensorKind:
    """One kind. Raises OutOfRange for an unknown one."""
    try:
        return sensor_kinds()[code]
    except KeyError:
        raise OutOfRange("kind", code, "one of " + ", ".join(sorted(sensor_kinds()))) from None


@dataclass(frozen=True)
class Choice:
    """A proposed kind: how well it suits [points, higher is better], reasons for it, cautions, and what speaks against it."""

    kind: SensorKind
    points: float
    reasons: tuple[str, ...]
    cautions: tuple[str, ...]
    against: tuple[str, ...]


def choose(want: str, medium: str, months: int, budget: int, link: str = "") -> list[Choice]:
    """Kinds that tell what is wanted, the best first.

    Parameters
    ----------
    want : a code of WANTS. medium : a medium's code, `air` or `water`. months : how long it must last [1 to 240].
    budget : 1 low to 3 high. link : a code of LINKS, or "" for any.

    Returns
    -------
    Choices; one that does not suit a wish is kept, lower, with what speaks against it.

    Raises
    ------
    OutOfRange : an unknown want or link, or a number outside its range.

    References
    ----------
    needs.md F1.
    """
    if want not in WANTS:
        raise OutOfRange("want", want, "one of " + ", ".join(WANTS))
    if link and link not in LINKS:
        raise OutOfRange("link", link, "one of " + ", ".join(LINKS))
    require_range("months", months, 1, 240, "months")
    require_range("budget", budget, 1, 3, "")
    found = [_choice(k, want, medium, months, budget, link) for k in sensor_kinds().values() if want in k.wants]
    return sorted(found, key=lambda c: (-c.points, c.kind.name))


def _choice(kind: SensorKind, want: str, medium: str, months: int, budget: int, link: str) -> Choice:
    against: list[str] = []
    cautions = list(kind.cautions)
    if kind.media != ("water",) and kind.media != ("air",) and medium not in kind.media:
        against.append("It does not suit this medium.")
    if kind.life_months < months:
        lasts = f"{kind.life_months} months" if kind.life_months < 24 else f"{kind.life_months // 12} years"
        against.append(
            f"It usually lasts {lasts}: replace it {-(-months // kind.life_months) - 1} times in {months} months."
        )
    if kind.cost > budget:
        against.append(f"Its cost is {COST_WORDS[kind.cost]}, over the budget.")
    if link and link not in kind.links:
        against.append(f"It does not come with {LINKS[link]}, but with {', '.join(LINKS[x] for x in kind.links)}.")
    if kind.inferred:
        against.append("It infers what it shows instead of measuring it.")
    if want in NOT_ALONE and kind.places == "substrate":
        cautions.append(
            "One probe is not enough for a bed that is watered by it: two, at typical plants, so that neither can mislead alone."
        )
    points = 10 - 4 * len(against) - 0.5 * kind.cost + (1 if kind.wants[0] == want else 0) - (3 if kind.inferred else 0)
    return Choice(kind, points, kind.reasons, tuple(cautions), tuple(against))
