"""Counts, millivolts, current loops, pulses and switches to values."""

from __future__ import annotations

from dataclasses import dataclass

from ..errors import Inconsistent, OutOfRange, require_range

LOOP_LOW_MA, LOOP_HIGH_MA = 3.6, 21.0
"""A 4-20 mA loop outside this is broken or shorted, not a reading. Source: NAMUR NE 43."""


def millivolts_from_counts(counts: float, bits: int, reference_mv: float) -> float:
    """Millivolts [mV] from converter counts [0 to 2^bits - 1], bits [8 to 24], reference [mV, 100 to 30000].

    Raises OutOfRange. NaN in, NaN out.
    """
    require_range("bits", bits, 8, 24, "bits")
    require_range("reference_mv", reference_mv, 100, 30000, "mV")
    top = 2**bits - 1
    if counts == counts:
        require_range("counts", counts, 0, top, "counts")
    return counts / top * reference_mv


def value_from_millivolts(mv: float, mv_low: float, mv_high: float, low: float, high: float) -> float:
    """Value by the line through (mv_low, low) and (mv_high, high); values outside are given, not clamped. NaN in, NaN out.

    Raises Inconsistent for equal ends.
    """
    if mv_low == mv_high:
        raise Inconsistent("mv_high", mv_high, f"different from mv_low {mv_low:g} mV")
    return low + (mv - mv_low) / (mv_high - mv_low) * (high - low)


def value_from_loop(current_ma: float, low: float, high: float) -> float:
    """Value of a 4-20 mA loop: low at 4 mA, high at 20 mA.

    Parameters
    ----------
    current_ma : loop current [mA]. low, high : the sensor's range, any unit.

    Returns
    -------
    Value; 3.6 to 4 and 20 to 21 mA give values a little outside the range. NaN in, NaN out.

    Raises
    ------
    OutOfRange : a current under 3.6 or over 21 mA: the loop is at fault. Inconsistent : equal ends.

    References
    ----------
    NAMUR NE 43.
    """
    if low == high:
        raise Inconsistent("high", high, f"different from low {low:g}")
    if current_ma < LOOP_LOW_MA:
        raise OutOfRange(
            "current_ma",
            current_ma,
            f"{LOOP_LOW_MA:g} to {LOOP_HIGH_MA:g} mA: the loop is open, or the sensor has no supply",
        )
    if current_ma > LOOP_HIGH_MA:
        raise OutOfRange(
            "current_ma",
            current_ma,
            f"{LOOP_LOW_MA:g} to {LOOP_HIGH_MA:g} mA: the loop is shorted, or the sensor is at fault",
        )
    return low + (current_ma - 4) / 16 * (high - low)


def pulses_between(before: int, after: int, bits: int = 32, most: int | None = None) -> int:
    """Pulses counted between two readings of a counter that wraps at 2^bits [8 to 64].

    most : more than this [pulses] means the counter was reset: then what it counted since. Raises OutOfRange.
    """
    require_range("bits", bits, 8, 64, "bits")
    top = 2**bits
    for field, value in (("before", before), ("after", after)):
        require_range(field, value, 0, top - 1, "pulses")
    passed = (after - before) % top
    return after if most is not None and passed > most else passed


@dataclass(frozen=True)
class Switch:
    """A debounced switch: closed as it stands, since when it has been pending, for how long it must hold [s]."""

    closed: bool
    pending_since_s: float | None = None
    hold_s: float = 2.0
    normally_closed: bool = False

    @property
    def active(self) -> bool:
        """Whether the switch says yes: a normally closed one says it by opening, so a cut wire says it too."""
        return self.closed != self.normally_closed

    def seen(self, closed: bool, at_s: float) -> Switch:
        """The switch after a contact was seen at a time [s]. It changes when the new state has held hold_s."""
        if closed == self.closed:
            return Switch(self.closed, None, self.hold_s, self.normally_closed)
        since = at_s if self.pending_since_s is None else self.pending_since_s
        if at_s - since >= self.hold_s:
            return Switch(closed, None, self.hold_s, self.normally_closed)
        return Switch(self.closed, since, self.hold_s, self.normally_closed)
