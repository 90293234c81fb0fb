"""Where a probe sits in its container, whether what it reads lies inside the medium, and how many probes it takes."""

from __future__ import annotations

import math
from dataclasses import dataclass

from scipy.special import stdtrit

from .errors import OutOfRange, require_range

UNDER_DRIPPER_CM = 3.0
"""Nearer than this a probe sees each drop first and reads too wet. Starting value."""
WET_FOOT_SHARE = 0.85
"""Deeper than this share of the height a probe sits in the water that stands at the foot. Starting value."""
DRY_TOP_SHARE = 0.25
"""Shallower than this share of the height a probe reads the drying surface. Starting value."""


@dataclass(frozen=True)
class Vessel:
    """A container seen from its side [cm]: width at the top and at the base, height of medium; dripper_cm is the
    dripper's place from the middle, to the right positive."""

    top_cm: float
    base_cm: float
    height_cm: float
    dripper_cm: float = 0.0

    def __post_init__(self) -> None:
        require_range("top_cm", self.top_cm, 3, 1000, "cm")
        require_range("base_cm", self.base_cm, 3, 1000, "cm")
        require_range("height_cm", self.height_cm, 2, 200, "cm")

    def half_width_at(self, depth_cm: float) -> float:
        """Half the width [cm] at a depth [cm]."""
        return (self.top_cm + (self.base_cm - self.top_cm) * depth_cm / self.height_cm) / 2


@dataclass(frozen=True)
class Placed:
    """A probe in a vessel: middle of its reading volume at across_cm from the middle and depth_cm, radius_cm of the
    volume it reads [cm, 0.5 to 20]."""

    across_cm: float
    depth_cm: float
    radius_cm: float


@dataclass(frozen=True)
class PlaceJudgement:
    """Distances [cm], share of the reading volume inside the medium [-], refusals and advice in words."""

    to_dripper_cm: float
    to_wall_cm: float
    inside_share: float
    refused: str
    advice: tuple[str, ...]


def distance_to_wall_cm(vessel: Vessel, across_cm: float, depth_cm: float) -> float:
    """Shortest way [cm] from a point to wall, floor or surface; negative outside the medium. Source: geometry."""
    side = (vessel.half_width_at(depth_cm) - abs(across_cm)) / math.hypot(1, _slope(vessel))
    return min(side, vessel.height_cm - depth_cm, depth_cm)


def _slope(vessel: Vessel) -> float:
    return (vessel.top_cm - vessel.base_cm) / 2 / vessel.height_cm


def inside_share(vessel: Vessel, placed: Placed) -> float:
    """Share [-] of the circle that a probe reads which lies inside the drawn medium, by an even grid of 2,000 points.

    Raises OutOfRange for a radius outside 0.5 to 20 cm.
    """
    require_range("radius_cm", placed.radius_cm, 0.5, 20, "cm")
    if distance_to_wall_cm(vessel, placed.across_cm, placed.depth_cm) >= placed.radius_cm:
        return 1.0
    inside = total = 0
    for ring in range(1, 21):
        r = placed.radius_cm * math.sqrt((ring - 0.5) / 20)
        for i in range(100):
            angle = 2 * math.pi * (i + 0.5 * (ring % 2)) / 100
            total += 1
            inside += (
                distance_to_wall_cm(
                    vessel, placed.across_cm + r * math.cos(angle), placed.depth_cm + r * math.sin(angle)
                )
                >= 0
            )
    return inside / total


def judge_place(vessel: Vessel, placed: Placed) -> PlaceJudgement:
    """Judge a probe's place.

    Parameters
    ----------
    vessel, placed : geometry [cm].

    Returns
    -------
    PlaceJudgement: refused with its reason when more than 2 % of the reading volume is outside the medium; advice
    for places that read something, but not what roots drink.

    Raises
    ------
    OutOfRange : a reading radius outside 0.5 to 20 cm.

    References
    ----------
    needs.md F2. Limits are starting values.
    """
    share = inside_share(vessel, placed)
    dripper = math.hypot(placed.across_cm - vessel.dripper_cm, 0.0)
    return PlaceJudgement(
        dripper,
        distance_to_wall_cm(vessel, placed.across_cm, placed.depth_cm),
        share,
        _refusal(vessel, placed, share),
        _advice(vessel, placed, dripper),
    )


def _refusal(vessel: Vessel, placed: Placed, share: float) -> str:
    if share >= 0.98:
        return ""
    where = []
    if placed.depth_cm < placed.radius_cm:
        where.append("above the surface")
    if placed.depth_cm > vessel.height_cm - placed.radius_cm:
        where.append("below the floor")
    if not where or vessel.half_width_at(placed.depth_cm) - abs(placed.across_cm) < placed.radius_cm:
        where.append("beyond the wall")
    return (
        f"{100 * (1 - share):.0f} % of what this probe reads lies {' and '.join(where)}: it would measure air or plastic. "
        f"Keep it {placed.radius_cm:g} cm from wall, floor and surface."
    )


def _advice(vessel: Vessel, placed: Placed, dripper: float) -> tuple[str, ...]:
    found, depth = [], placed.depth_cm / vessel.height_cm
    if dripper < UNDER_DRIPPER_CM:
        found.append(
            f"{dripper:.0f} cm from the dripper: it sees each drop first and reads too wet. Move it to 5 to 10 cm."
        )
    if abs(placed.across_cm - vessel.dripper_cm) > 0.7 * vessel.top_cm / 2 + abs(vessel.dripper_cm):
        found.append(
            "A dry corner: water reaches it last, and the bed would be overwatered. Move it nearer to the dripper."
        )
    if depth > WET_FOOT_SHARE:
        found.append(
            "In the wet foot: water stands here when the rest is dry. Right only for watching what passes the roots."
        )
    if depth < DRY_TOP_SHARE:
        found.append("In the drying surface: it falls fast and says little about the roots. Go deeper.")
    if not found:
        found.append("A fair place: in the root zone, away from the drip, the wet foot and the dry corner.")
    return tuple(found)


def proposed_place(vessel: Vessel, radius_cm: float) -> Placed:
    """A place in the root zone: 60 % of the height down and 6 cm beside the dripper, moved inward where the vessel is small."""
    depth = min(max(0.6 * vessel.height_cm, radius_cm), max(radius_cm, vessel.height_cm - radius_cm))
    side = 1 if vessel.dripper_cm <= 0 else -1
    room = vessel.half_width_at(depth) - radius_cm * math.hypot(1, _slope(vessel)) - 1e-9
    across = vessel.dripper_cm + side * 6.0
    return Placed(min(max(across, -room), room) if room > 0 else 0.0, depth, radius_cm)


def probes_needed(spread_points: float, tolerance_points: float, confidence: float = 0.95) -> int:
    """Probes whose mean is within a tolerance of the bed's true mean.

    Parameters
    ----------
    spread_points : standard deviation between probes [points of water content, 0.1 to 30].
    tolerance_points : wanted half width [points, 0.2 to 20].
    confidence : [-, 0.5 to 0.999].

    Returns
    -------
    Least n (at least 1) with n >= (t s/E)², t of Student with n - 1 degrees of freedom.

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    Snedecor and Cochran 1989, ch. 4: sample size for a mean.
    """
    require_range("spread_points", spread_points, 0.1, 30, "points")
    require_range("tolerance_points", tolerance_points, 0.2, 20, "points")
    require_range("confidence", confidence, 0.5, 0.999, "")
    for n in range(2, 100000):
        if n >= (float(stdtrit(n - 1, (1 + confidence) / 2)) * spread_points / tolerance_points) ** 2:
            return n
    raise OutOfRange("tolerance_points", tolerance_points, "a wider tolerance: this one needs over 100,000 probes")
