"""Which beds run together on one pump, in what order, how long a round takes, and when a second pump is due."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from .errors import Inconsistent, OutOfRange, require_range

EXACT_UP_TO = 9
"""Beds up to this number are grouped by trying everything; more by the longest pulse first."""
DUE_SHARE = 0.85
"""A second pump is due when a peak day's rounds need more than this share of the watering hours. Starting value."""


@dataclass(frozen=True)
class BedDemand:
    """What a bed asks of its pump: name, flow [L/min, > 0], seconds of a pulse [s, > 0]."""

    name: str
    flow_l_min: float
    pulse_s: float

    def __post_init__(self) -> None:
        if not self.flow_l_min > 0:
            raise OutOfRange("flow_l_min", self.flow_l_min, "above 0 L/min")
        if not self.pulse_s > 0:
            raise OutOfRange("pulse_s", self.pulse_s, "above 0 s")


@dataclass(frozen=True)
class Group:
    """Beds that run together: names, flow [L/min], seconds until the longest is done."""

    beds: tuple[str, ...]
    flow_l_min: float
    seconds: float


@dataclass(frozen=True)
class Sequence:
    """One round over all beds of a pump."""

    groups: tuple[Group, ...]

    @property
    def seconds(self) -> float:
        return sum(g.seconds for g in self.groups)

    @property
    def all_together(self) -> bool:
        return len(self.groups) == 1


def best_sequence(beds: list[BedDemand], pump_l_min: float) -> Sequence:
    """Group beds so that no group asks more than the pump gives and a round is short.

    Parameters
    ----------
    beds : at least one bed.
    pump_l_min : flow of the pump at the head of these beds [L/min].

    Returns
    -------
    Sequence, the longest group first, beds of equal length in the order given. Up to nine beds the shortest round there is; beyond, longest pulse first
    into the first group with room.

    Raises
    ------
    Inconsistent : a bed that asks more than the pump gives on its own, with both figures. OutOfRange : no bed.
    """
    if not beds:
        raise OutOfRange("beds", 0, "at least one bed")
    for bed in beds:
        if bed.flow_l_min > pump_l_min * (1 + 1e-9):
            raise Inconsistent(
                "pump_flow_l_min",
                round(pump_l_min, 2),
                f"at least {bed.flow_l_min:.1f} L/min, which bed {bed.name} takes on its own",
            )
    rows = sorted(beds, key=lambda b: -b.pulse_s)
    parts = _exact(rows, pump_l_min) if len(rows) <= EXACT_UP_TO else _first_fit(rows, pump_l_min)
    groups = [Group(tuple(b.name for b in g), sum(b.flow_l_min for b in g), max(b.pulse_s for b in g)) for g in parts]
    return Sequence(tuple(sorted(groups, key=lambda g: -g.seconds)))


def _first_fit(rows: list[BedDemand], pump_l_min: float) -> list[list[BedDemand]]:
    groups: list[list[BedDemand]] = []
    for bed in rows:
        for group in groups:
            if sum(b.flow_l_min for b in group) + bed.flow_l_min <= pump_l_min * (1 + 1e-9):
                group.append(bed)
                break
        else:
            groups.append([bed])
    return groups


def _exact(rows: list[BedDemand], pump_l_min: float) -> list[list[BedDemand]]:
    count = len(rows)

    @cache
    def best(left: int) -> tuple[float, tuple[int, ...]]:
        if not left:
            return 0.0, ()
        # The longest bed still to place leads its group, so the group's length is its pulse.
        lead = next(i for i in range(count) if left >> i & 1)
        rest = left & ~(1 << lead)
        found: tuple[float, tuple[int, ...]] | None = None
        others = rest
        while True:
            group = others | 1 << lead
            flow = sum(rows[i].flow_l_min for i in range(count) if group >> i & 1)
            if flow <= pump_l_min * (1 + 1e-9):
                seconds, tail = best(left & ~group)
                if found is None or rows[lead].pulse_s + seconds < found[0] - 1e-9:
                    found = rows[lead].pulse_s + seconds, (group, *tail)
            if not others:
                break
            others = (others - 1) & rest
        assert found is not None
        return found

    return [[rows[i] for i in range(count) if g >> i & 1] for g in best((1 << count) - 1)[1]]


def peak_day_l(plants: int, peak_use_ml_per_plant: float, drain_share: float) -> float:
    """Water of a bed on its peak day [L]: plants × use/(1 - drain share). Ranges: use 1 to 30000 mL, drain 0 to 0.9."""
    require_range("plants", plants, 1, 100000, "plants")
    require_range("peak_use_ml_per_plant", peak_use_ml_per_plant, 1, 30000, "mL per plant")
    require_range("drain_share", drain_share, 0, 0.9, "")
    return plants * peak_use_ml_per_plant / 1000 / (1 - drain_share)


@dataclass(frozen=True)
class PumpLoad:
    """How busy a pump is on a peak day: minutes needed and there, rounds, share, litres."""

    needed_min: float
    available_min: float
    rounds: int
    day_l: float

    @property
    def share(self) -> float:
        return self.needed_min / self.available_min

    @property
    def second_pump_due(self) -> bool:
        return self.share > DUE_SHARE

    def beds_until_due(self, beds: int) -> int:
        """How many more beds like the mean one this pump carries before a second one is due."""
        if self.share <= 0:
            return 0
        return max(0, int(DUE_SHARE / self.share * beds + 1e-9) - beds)


def pump_load(sequence: Sequence, rounds: int, available_min: float, day_l: float) -> PumpLoad:
    """Load of a pump: rounds of a peak day [0 to 200] in the watering minutes there are [1 to 1440]. Raises OutOfRange."""
    require_range("rounds", rounds, 0, 200, "rounds a day")
    require_range("available_min", available_min, 1, 1440, "min")
    return PumpLoad(sequence.seconds / 60 * rounds, available_min, rounds, day_l)
