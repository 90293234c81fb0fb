"""What sensors and valves cost and when water and fertiliser saved have paid for them: a range, never one figure."""

from __future__ import annotations

from dataclasses import dataclass, replace

from .errors import Inconsistent, OutOfRange, require_range


@dataclass(frozen=True)
class Span:
    """A low, a likely and a high value of one assumption."""

    low: float
    likely: float
    high: float


@dataclass(frozen=True)
class PaybackCase:
    """Assumptions, money in one currency: kit and labour once, upkeep a year, water [m3 a year] with its price per m3,
    fertiliser a year, saved share of both [-, 0 to 0.9]."""

    kit: Span
    labour: Span
    upkeep_a_year: Span
    water_m3_a_year: Span
    water_price: Span
    fertiliser_a_year: Span
    saved_share: Span


@dataclass(frozen=True)
class Payback:
    """Months to pay back, low to high; inf where it never pays. Which assumption moves it most, and from what to what."""

    months_low: float
    months_likely: float
    months_high: float
    saved_a_year_likely: float
    swing_field: str
    swing_low: float
    swing_high: float


FIELDS = tuple(PaybackCase.__dataclass_fields__)
LABELS = {
    "kit": "cost of the kit",
    "labour": "cost of labour",
    "upkeep_a_year": "upkeep a year",
    "water_m3_a_year": "water used a year",
    "water_price": "price of water",
    "fertiliser_a_year": "fertiliser a year",
    "saved_share": "share saved",
}
BETTER_HIGH = frozenset({"water_m3_a_year", "water_price", "fertiliser_a_year", "saved_share"})
"""Assumptions whose higher value shortens the payback."""


def payback_months(
    kit: float,
    labour: float,
    upkeep_a_year: float,
    water_m3_a_year: float,
    water_price: float,
    fertiliser_a_year: float,
    saved_share: float,
) -> float:
    """Months until savings have paid: 12 (kit + labour)/((water price + fertiliser) share - upkeep); inf when never.

    Money in one currency, each 0 to 1e8; saved_share [-, 0 to 0.9]. Raises OutOfRange. Source: simple payback.
    """
    money = {
        "kit": kit,
        "labour": labour,
        "upkeep_a_year": upkeep_a_year,
        "water_m3_a_year": water_m3_a_year,
        "water_price": water_price,
        "fertiliser_a_year": fertiliser_a_year,
    }
    for field, value in money.items():
        require_range(field, value, 0, 1e8, "")
    require_range("saved_share", saved_share, 0, 0.9, "")
    saved = (water_m3_a_year * water_price + fertiliser_a_year) * saved_share - upkeep_a_year
    return 12 * (kit + labour) / saved if saved > 0 else float("inf")


def _months(case: PaybackCase, pick: dict[str, str]) -> float:
    return payback_months(**{f: getattr(getattr(case, f), pick.get(f, "likely")) for f in FIELDS})


def payback(case: PaybackCase) -> Payback:
    """Payback as a range, and the assumption that moves it most when the others stay likely.

    Raises Inconsistent for a span whose low is above its likely or its likely above its high, OutOfRange as
    payback_months.
    """
    for field in FIELDS:
        span: Span = getattr(case, field)
        if not span.low <= span.likely <= span.high:
            raise Inconsistent(field, span.likely, f"between its low {span.low:g} and its high {span.high:g}")
    best = {f: "high" if f in BETTER_HIGH else "low" for f in FIELDS}
    worst = {f: "low" if f in BETTER_HIGH else "high" for f in FIELDS}
    swings = {f: sorted((_months(case, {f: "low"}), _months(case, {f: "high"}))) for f in FIELDS}
    field = max(FIELDS, key=lambda f: _spread(swings[f]))
    likely = {f: getattr(case, f).likely for f in FIELDS}
    saved = (likely["water_m3_a_year"] * likely["water_price"] + likely["fertiliser_a_year"]) * likely["saved_share"]
    return Payback(
        _months(case, best),
        _months(case, {}),
        _months(case, worst),
        saved - likely["upkeep_a_year"],
        field,
        *swings[field],
    )


def _spread(ends: list[float]) -> float:
    if ends[1] == float("inf"):
        return 0.0 if ends[0] == float("inf") else float("inf")
    return ends[1] - ends[0]


def spread_case(case: PaybackCase, field: str, low: float, high: float) -> PaybackCase:
    """The case with one assumption's ends changed. Raises OutOfRange for an unknown field."""
    if field not in FIELDS:
        raise OutOfRange("field", field, "one of " + ", ".join(FIELDS))
    span: Span = getattr(case, field)
    return replace(case, **{field: Span(low, span.likely, high)})
