"""Pipes and pumps: head loss, flow spread along a lateral, pump flow at a head, line filling."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .arrays import FloatArray
from .errors import Inconsistent, NotDetermined, OutOfRange, require_range

HAZEN_FLOW_EXPONENT = 1.852
"""Exponent of flow in Hazen-Williams [-]."""
HAZEN_DIAMETER_EXPONENT = 4.8704
"""Exponent of diameter in Hazen-Williams [-]."""
HAZEN_SI = 10.67
"""Hazen-Williams constant for m and m3/s. Keller and Bliesner 1990."""
STARTING_ROUGHNESS_C = 140.0
"""Hazen-Williams C of clean polyethylene [-]. Starting value."""
STARTING_SHUTOFF_SHARE = 1.25
"""Head of a pump at no flow over its head at rated flow, where only the rated point is known. Starting value."""


def head_loss_m(
    flow_l_min: float, diameter_mm: float, length_m: float, roughness_c: float = STARTING_ROUGHNESS_C
) -> float:
    """Friction head loss of a plain pipe.

    Parameters
    ----------
    flow_l_min : flow [L/min, 0 to 20000].
    diameter_mm : inner diameter [mm, 2 to 500].
    length_m : length [m, 0 to 5000].
    roughness_c : Hazen-Williams C [-, 60 to 160].

    Returns
    -------
    Head [m of water].

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    Hazen and Williams 1905, in the SI form of Keller and Bliesner 1990: h = 10.67 L Q^1.852/(C^1.852 d^4.8704).
    """
    require_range("flow_l_min", flow_l_min, 0, 20000, "L/min")
    require_range("diameter_mm", diameter_mm, 2, 500, "mm")
    require_range("length_m", length_m, 0, 5000, "m")
    require_range("roughness_c", roughness_c, 60, 160, "")
    flow, d = flow_l_min / 60000, diameter_mm / 1000
    return HAZEN_SI * length_m * (flow / roughness_c) ** HAZEN_FLOW_EXPONENT / d**HAZEN_DIAMETER_EXPONENT


def christiansen_factor(outlets: int) -> float:
    """Share of a plain pipe's loss that remains with `outlets` [1 to 10000] evenly spaced outlets.

    Raises OutOfRange. Source: Christiansen 1942, F = 1/(m+1) + 1/(2N) + sqrt(m-1)/(6 N²), m = 1.852.
    """
    require_range("outlets", outlets, 1, 10000, "outlets")
    m = HAZEN_FLOW_EXPONENT
    return 1 / (m + 1) + 1 / (2 * outlets) + math.sqrt(m - 1) / (6 * outlets * outlets)


def lateral_loss_m(
    outlets: int, flow_l_min: float, diameter_mm: float, length_m: float, roughness_c: float = STARTING_ROUGHNESS_C
) -> float:
    """Head loss along a lateral whose inflow leaves by evenly spaced outlets [m]: plain loss times Christiansen's factor."""
    return christiansen_factor(outlets) * head_loss_m(flow_l_min, diameter_mm, length_m, roughness_c)


@dataclass(frozen=True)
class Lateral:
    """A dripper line: outlets [1 to 2000], spacing_m [0.01 to 20], diameter_mm inner, rated_l_h of one dripper at
    rated_head_m, exponent x of q = k h^x [0 pressure compensating to 1], min_head_m of a compensating dripper."""

    outlets: int
    spacing_m: float
    diameter_mm: float
    rated_l_h: float
    rated_head_m: float = 10.0
    exponent: float = 0.5
    min_head_m: float = 5.0

    def __post_init__(self) -> None:
        require_range("outlets", self.outlets, 1, 2000, "drippers")
        require_range("spacing_m", self.spacing_m, 0.01, 20, "m")
        require_range("diameter_mm", self.diameter_mm, 2, 100, "mm")
        require_range("rated_l_h", self.rated_l_h, 0.1, 100, "L/h")
        require_range("rated_head_m", self.rated_head_m, 1, 60, "m")
        require_range("exponent", self.exponent, 0, 1, "")
        require_range("min_head_m", self.min_head_m, 0, 30, "m")


@dataclass(frozen=True)
class LateralFlow:
    """Heads [m] and flows [L/h] of the drippers from inlet to end, shape (outlets,)."""

    head_m: FloatArray
    flow_l_h: FloatArray
    inlet_head_m: float

    @property
    def loss_m(self) -> float:
        return float(self.inlet_head_m - self.head_m[-1])

    @property
    def spread(self) -> float:
        """Flow spread (largest - smallest)/largest [-]. Source: Keller and Karmeli 1974."""
        return float((self.flow_l_h.max() - self.flow_l_h.min()) / self.flow_l_h.max())

    @property
    def total_l_min(self) -> float:
        return float(self.flow_l_h.sum() / 60)


def dripper_flow_l_h(head_m: FloatArray, lateral: Lateral) -> FloatArray:
    """Flow of a dripper [L/h] at a head [m]: q = qr (h/hr)^x; a compensating one (x = 0) starves under its least head.

    Source: Keller and Karmeli 1974, q = k h^x.
    """
    h = np.maximum(head_m, 0.0)
    flow = lateral.rated_l_h * (h / lateral.rated_head_m) ** lateral.exponent
    if lateral.exponent == 0 and lateral.min_head_m > 0:
        return flow * np.sqrt(np.minimum(1.0, h / lateral.min_head_m))
    return flow


def lateral_flow(lateral: Lateral, inlet_head_m: float) -> LateralFlow:
    """Heads and flows along a lateral fed at `inlet_head_m` [m, 0.5 to 60].

    The drippers' flows and the pipe's losses are brought together by damped repetition.

    Raises OutOfRange for a head outside its range, NotDetermined where no balance is found.
    Source: Hazen-Williams between outlets, q = k h^x at each.
    """
    require_range("inlet_head_m", inlet_head_m, 0.5, 60, "m")
    per_m = HAZEN_SI * lateral.spacing_m / STARTING_ROUGHNESS_C**HAZEN_FLOW_EXPONENT
    per_m /= (lateral.diameter_mm / 1000) ** HAZEN_DIAMETER_EXPONENT
    flow = dripper_flow_l_h(np.full(lateral.outlets, inlet_head_m), lateral)
    for _ in range(400):
        carried = np.cumsum(flow[::-1])[::-1] / 3.6e6
        head = inlet_head_m - np.cumsum(per_m * carried**HAZEN_FLOW_EXPONENT)
        fresh = 0.5 * (flow + dripper_flow_l_h(head, lateral))
        if np.max(np.abs(fresh - flow)) < 1e-9 * lateral.rated_l_h:
            return LateralFlow(head, fresh, inlet_head_m)
        flow = fresh
    raise NotDetermined(
        "diameter_mm", lateral.diameter_mm, "a wider or shorter line: this one starves its far drippers"
    )


def line_volume_l(diameter_mm: float, length_m: float) -> float:
    """Litres in a pipe of inner diameter [mm, 2 to 500] and length [m, 0 to 5000]. Source: geometry."""
    require_range("diameter_mm", diameter_mm, 2, 500, "mm")
    require_range("length_m", length_m, 0, 5000, "m")
    return math.pi * (diameter_mm / 1000) ** 2 / 4 * length_m * 1000


def line_fill_s(volume_l: float, flow_l_min: float) -> float:
    """Seconds to fill an empty line of `volume_l` [0 to 100000] at a flow [L/min, > 0]. Raises OutOfRange."""
    require_range("volume_l", volume_l, 0, 100000, "L")
    if not flow_l_min > 0:
        raise OutOfRange("flow_l_min", flow_l_min, "above 0 L/min")
    return volume_l / flow_l_min * 60


def pump_flow_at_head(
    head_m: float, rated_flow_l_min: float, rated_head_m: float, shutoff_head_m: float | None = None
) -> float:
    """Flow a pump gives at a head.

    Parameters
    ----------
    head_m : head asked of it [m, 0 to 200].
    rated_flow_l_min, rated_head_m : its rated point [L/min, m].
    shutoff_head_m : head at no flow [m]; 1.25 times the rated head where unknown (starting value).

    Returns
    -------
    Flow [L/min]; 0 at or above the shut-off head. Never over 1.5 times the rated flow: beyond its curve.

    Raises
    ------
    OutOfRange, Inconsistent : values outside range; shut-off head not above the rated head.

    References
    ----------
    Parabola through shut-off and rated point, H = H0 - (H0 - Hr)(q/qr)².
    """
    require_range("head_m", head_m, 0, 200, "m")
    require_range("rated_flow_l_min", rated_flow_l_min, 0.1, 20000, "L/min")
    require_range("rated_head_m", rated_head_m, 0.5, 200, "m")
    shutoff = STARTING_SHUTOFF_SHARE * rated_head_m if shutoff_head_m is None else shutoff_head_m
    if shutoff <= rated_head_m:
        raise Inconsistent("shutoff_head_m", shutoff, f"above the rated head of {rated_head_m:g} m")
    if head_m >= shutoff:
        return 0.0
    return float(rated_flow_l_min * min(1.5, math.sqrt((shutoff - head_m) / (shutoff - rated_head_m))))


@dataclass(frozen=True)
class HeadPart:
    """One step of head on the way from tank to dripper [m]."""

    name: str
    head_m: float


def required_head(parts: list[HeadPart]) -> float:
    """Sum of the heads from tank to dripper [m]: lift, mains, filter, injector, valve, lateral, dripper."""
    return sum(p.head_m for p in parts)


def solve_operating_point(
    rated_flow_l_min: float,
    rated_head_m: float,
    shutoff_head_m: float | None,
    static_m: float,
    friction_at_rated_m: float,
) -> float:
    """Flow [L/min] at which a pump's curve meets the line's: static head plus friction growing as flow^1.852.

    static_m : lift and dripper head [m]; friction_at_rated_m : friction at the pump's rated flow [m].
    Bisection, since one curve falls and the other rises. 0 where the pump cannot reach the static head.
    """
    low, high = 0.0, 1.5 * rated_flow_l_min
    if pump_flow_at_head(min(static_m, 200.0), rated_flow_l_min, rated_head_m, shutoff_head_m) <= 0:
        return 0.0
    for _ in range(60):
        flow = (low + high) / 2
        wanted = static_m + friction_at_rated_m * (flow / rated_flow_l_min) ** HAZEN_FLOW_EXPONENT
        given = pump_flow_at_head(min(wanted, 200.0), rated_flow_l_min, rated_head_m, shutoff_head_m)
        low, high = (flow, high) if given > flow else (low, flow)
    return (low + high) / 2
