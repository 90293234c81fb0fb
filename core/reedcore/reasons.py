"""Actions, reasons for and against them, and what is known of a bed when they are weighed."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any, TypeVar

from .programme import BedSetup

Record = TypeVar("Record", "BedState", "Memory")


def renewed(record: Record, **values: Any) -> Record:
    """A frozen record of this module with some fields changed: dataclasses.replace, several times faster.

    A simulated season renews its state half a million times. Only for records without slots and without __post_init__.
    """
    new = object.__new__(type(record))
    new.__dict__.update(record.__dict__)
    new.__dict__.update(values)
    return new


class Action(StrEnum):
    GIVE = "give"
    WITHHOLD = "withhold"


class Why(StrEnum):
    """Reasons, for and against."""

    BELOW_LOW = "below_low"
    TOWARDS_HIGH = "towards_high"
    RESCUE = "rescue"
    RECHARGE = "recharge"
    FALLEN = "fallen"
    SUCTION = "suction"
    LIGHT_SUM = "light_sum"
    VPD_HOURS = "vpd_hours"
    WATER_USE = "water_use"
    ELAPSED = "elapsed"
    CLOCK_TIME = "clock_time"
    LARGEST_GAP = "largest_gap"
    FALLBACK = "fallback"
    IN_BAND = "in_band"
    TARGET_REACHED = "target_reached"
    NOT_YET = "not_yet"
    OUTSIDE_HOURS = "outside_hours"
    SOAKING = "soaking"
    RUNNING = "running"
    NO_READING = "no_reading"
    NOT_MEASURED = "not_measured"
    NOT_TRUSTED = "not_trusted"
    STALE = "stale"
    IMPLAUSIBLE = "implausible"
    CLOCK = "clock"
    TANK_EMPTY = "tank_empty"
    TANK_UNKNOWN = "tank_unknown"
    PUMP_BUSY = "pump_busy"
    PULSES_CAP = "pulses_cap"
    HOURLY_CAP = "hourly_cap"
    DAILY_CAP = "daily_cap"
    NODE_SILENT = "node_silent"
    STRAY_FLOW = "stray_flow"
    FEED_EC = "feed_ec"
    FEED_PH = "feed_ph"
    RAIN_HOLD = "rain_hold"
    RAIN_CREDIT = "rain_credit"
    EXCEPTION = "exception"
    PAUSED = "paused"
    MANUAL = "manual"
    LOCKED = "locked"
    MISSED_TARGET = "missed_target"
    NO_FLOW = "no_flow"
    FAULT = "fault"
    STOPPED = "stopped"
    CANNOT_DOSE = "cannot_dose"
    AMOUNTS = "amounts"


@dataclass(frozen=True)
class Reason:
    """One reason with its numbers: levels in m3/m3, volumes in mL per plant or L, times in s or min, as named.

    text: a name or a word that belongs to it, such as who locked a bed.
    """

    why: Why
    numbers: dict[str, float] = field(default_factory=dict)
    text: str = ""


class Span(StrEnum):
    """Where in its day a bed is. Dry-down holds through the night until the next start."""

    RECHARGE = "recharge"
    HOLD = "hold"
    DRYDOWN = "drydown"


@dataclass(frozen=True)
class Memory:
    """What one decision hands to the next.

    latch, tries towards the target, latched fault, span with its beginning, recharge pulses given, θ when the dry-down
    began, and since when there is no reading to go by.
    """

    latched: bool = False
    tries: int = 0
    fault: str = ""
    span: Span | None = None
    span_since: datetime | None = None
    recharge_pulses: int = 0
    evening_theta: float = float("nan")
    lost_since: datetime | None = None


@dataclass(frozen=True)
class Since:
    """Sums since the last pulse: light [J/cm2], VPD [kPa h], modelled use [mL per plant], and the peak of θ; NaN unknown."""

    light_j_cm2: float = float("nan")
    vpd_kpa_h: float = float("nan")
    use_ml: float = float("nan")
    peak: float = float("nan")


@dataclass(frozen=True)
class Band:
    """A measured value with the limits it must keep; NaN where it is not measured."""

    value: float = float("nan")
    low: float = float("-inf")
    high: float = float("inf")

    @property
    def broken(self) -> bool:
        return self.value < self.low or self.value > self.high


@dataclass(frozen=True)
class Holds:
    """What people and the system around a bed forbid.

    locked: name on a maintenance lock; manual: its valve is not on automatic; paused until; exception of the calendar;
    node_silent_s [s, NaN while it speaks]; stray_flow_l_min: flow on its pump that nobody ordered; feed bands;
    rain_left_min [min] of a rain hold; rain_credit_ml [mL per plant] still to be counted as given.
    """

    locked: str = ""
    manual: bool = False
    paused_until: datetime | None = None
    exception: str = ""
    node_silent_s: float = float("nan")
    stray_flow_l_min: float = 0.0
    feed_ec: Band = Band()
    feed_ph: Band = Band()
    rain_left_min: float = 0.0
    rain_credit_ml: float = 0.0


NO_HOLDS = Holds()
"""Nothing holds the bed: what simulated days run with, so that guards on holds need not be asked."""


@dataclass(frozen=True)
class BedState:
    """What is known of a bed at a moment.

    theta [m3/m3, NaN when unknown] and when it was read; sunrise, sunset and midnight of this day; memory of the last
    decision; pulse times; given today and in the last hour [mL per plant], pulses today; tank [L, None when not
    measured]; flow others take [L/min]; untrusted: probes that have a value but are not to be used, where none is left;
    sums since the last pulse; suction [kPa], radiation inside [W/m2], fall_ahead: expected fall of θ until the next
    start [m3/m3], drain_seen today; dose and gap factor of the drain feedback; normal_day_ml: usual day [mL per plant].
    """

    setup: BedSetup
    theta: float
    theta_at: datetime | None
    sunrise: datetime
    sunset: datetime
    midnight: datetime
    memory: Memory = Memory()
    last_pulse_start: datetime | None = None
    last_pulse_end: datetime | None = None
    given_today_ml: float = 0.0
    given_hour_ml: float = 0.0
    pulses_today: int = 0
    stopped: bool = False
    tank_l: float | None = None
    tank_required: bool = True
    busy_flow_l_min: float = 0.0
    untrusted: int = 0
    since: Since = Since()
    suction_kpa: float = float("nan")
    radiation_w_m2: float = float("nan")
    fall_ahead: float = float("nan")
    drain_seen: bool = False
    dose_factor: float = 1.0
    gap_factor: float = 1.0
    normal_day_ml: float = float("nan")
    holds: Holds = NO_HOLDS


@dataclass(frozen=True)
class Decision:
    """An action with its reasons, the deciding one first, what to remember, and the dose it gives."""

    action: Action
    reasons: tuple[Reason, ...]
    memory: Memory
    dose_ml_per_plant: float = 0.0
    seconds: float = 0.0
    credit_used_ml: float = 0.0
