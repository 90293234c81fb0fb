"""Payback of a site: proposals from its own record, kept assumptions, the range."""

from collections.abc import Mapping
from datetime import datetime

from django.db import transaction
from django.db.models import F, Sum

from accounts.models import User
from common.events import tell
from common.versioned import lock_version
from logbook.services import record
from reedcore.errors import OutOfRange
from reedcore.payback import FIELDS, PaybackCase, Span, payback

from .models import Bed, PaybackSheet, Site
from .services import last_saver

KIT_PER_BED, LABOUR_PER_BED = 260.0, 90.0
"""Kit and labour for a bed with two probes, a node's share and a valve, in the site's currency. Starting values."""


def case_of(assumptions: Mapping[str, list[float]]) -> PaybackCase:
    """The core's case. Raises OutOfRange naming a span that is missing or not three numbers."""
    spans: dict[str, Span] = {}
    for field in FIELDS:
        ends = assumptions.get(field)
        if not isinstance(ends, list | tuple) or len(ends) != 3:
            raise OutOfRange(field, ends, "three numbers: low, likely, high")
        spans[field] = Span(*(float(v) for v in ends))
    return PaybackCase(**spans)


def proposed(site: Site) -> tuple[dict[str, list[float]], dict[str, str]]:
    """Starting assumptions with their origin; water from the site's own day figures where there are any."""
    from watering.models import DayFigure

    beds = max(1, Bed.standing.filter(house__site=site).count())
    days = DayFigure.objects.filter(bed__house__site=site, bed__retired_at=None)
    litres = days.aggregate(sum=Sum(F("dose_ml") * F("bed__plants")))["sum"] or 0.0
    count = days.values("day").distinct().count()
    water = litres / 1e6 / count * 365 if count else 400.0 * beds
    source = f"your own record of {count} days, taken for a year" if count else "400 m³ a bed, a starting value"
    span = {
        "kit": [0.8, 1.0, 1.3],
        "labour": [0.7, 1.0, 1.6],
        "upkeep_a_year": [0.5, 1.0, 2.0],
        "water_m3_a_year": [0.8, 1.0, 1.2],
        "water_price": [0.7, 1.0, 1.4],
        "fertiliser_a_year": [0.7, 1.0, 1.3],
        "saved_share": [0.5, 1.0, 1.6],
    }
    likely = {
        "kit": KIT_PER_BED * beds,
        "labour": LABOUR_PER_BED * beds,
        "upkeep_a_year": 12.0 * beds,
        "water_m3_a_year": water,
        "water_price": 1.1,
        "fertiliser_a_year": water * 0.9,
        "saved_share": 0.15,
    }
    origin = {
        "kit": f"{KIT_PER_BED:.0f} a bed: two probes, a share of a node, a valve; a starting value",
        "labour": f"{LABOUR_PER_BED:.0f} a bed, a starting value",
        "upkeep_a_year": "12 a bed: replacing a probe now and then; a starting value",
        "water_m3_a_year": source,
        "water_price": "a starting value; see your bill",
        "fertiliser_a_year": "0.9 for each m³ of water, a starting value; see your bill",
        "saved_share": "8 to 24 % is a careful range; your own drain share tells more",
    }
    return {f: [round(likely[f] * k, 3) for k in span[f]] for f in FIELDS}, origin


@transaction.atomic
def save_payback(
    site: Site, assumptions: Mapping[str, list[float]], currency: str, version: int, by: User, now: datetime
) -> PaybackSheet:
    """Keep the assumptions. Raises Conflict, Inconsistent or OutOfRange at the field."""
    payback(case_of(assumptions))
    if not 1 <= len(currency.strip()) <= 8:
        raise OutOfRange("currency", currency, "a sign or code of 1 to 8 characters")
    PaybackSheet.objects.get_or_create(site=site, defaults={"version": version})
    sheet: PaybackSheet = lock_version(PaybackSheet, site.pk, version, last_saver("PaybackSheet", site.pk))
    before = dict(sheet.assumptions)
    sheet.assumptions, sheet.currency = {f: list(assumptions[f]) for f in FIELDS}, currency.strip()
    sheet.save()
    record(site, now, by, "changed", sheet, before, sheet.assumptions)
    tell(site.pk, "places")
    return sheet
