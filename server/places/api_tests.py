"""Lay out, what is tried and reckoned: dripper tests and payback; and the time zone of a position."""

import math
from dataclasses import dataclass
from datetime import datetime

import tzfpy
from rest_framework.request import Request

from accounts.access import reach
from accounts.roles import Role
from common.clock import site_now
from common.endpoint import endpoint
from common.figures import Figure, measured, worked
from reedcore.errors import require_range
from reedcore.payback import FIELDS, LABELS, payback
from reedcore.uniformity import DripperTest as Judged
from reedcore.uniformity import uniformity_class

from .drippers import judge, record_test, seconds_of
from .models import Bed, PaybackSheet, Site
from .paybacks import case_of, proposed, save_payback


@dataclass
class CupsForm:
    """Cup volumes [mL] in bed order, caught over `minutes`."""

    volumes_ml: list[float]
    minutes: float


@dataclass
class CupOut:
    volume_ml: float
    share_of_median: float
    verdict: str


@dataclass
class CupsOut:
    """A test as judged: measures [%] with their class words, a verdict per dripper, flows and seconds before and after."""

    cups: list[CupOut]
    christiansen: float
    christiansen_class: str
    low_quarter: float
    low_quarter_class: str
    emission: Figure
    emission_class: str
    flow_before_ml_min: float
    flow_after_ml_min: float
    dose_ml: float
    seconds_before: float | None
    seconds_after: float | None
    sentence: str


@dataclass
class PastTest:
    at: datetime
    by: str
    cups: int
    christiansen: float
    low_quarter: float
    emission: float
    flow_after_ml_min: float


def _cups_out(bed: Bed, data: CupsForm, judged: Judged, before: float) -> CupsOut:
    volumes = [float(v) for v in data.volumes_ml]
    positive = sorted(v for v in volumes if v > 0)
    middle = len(positive) // 2
    median = positive[middle] if len(positive) % 2 else (positive[middle - 1] + positive[middle]) / 2
    cups = [CupOut(v, v / median, verdict.value) for v, verdict in zip(volumes, judged.verdicts, strict=True)]
    mean = sum(volumes) / len(volumes)
    scatter = math.sqrt(sum((v - mean) ** 2 for v in volumes) / (len(volumes) - 1)) / mean
    emission = worked(
        "emission_uniformity",
        {
            "scatter": scatter,
            "drippers_per_plant": bed.drippers_per_plant,
            "smallest_ml": min(volumes),
            "mean_ml": mean,
        },
        f"{len(volumes)} cups",
    )
    after = judged.mean_flow_ml_min * bed.drippers_per_plant
    dose, seconds_before = seconds_of(bed, before)
    _, seconds_after = seconds_of(bed, after) if after >= 1 else (dose, None)
    return CupsOut(
        cups, judged.christiansen, uniformity_class(judged.christiansen), judged.low_quarter,
        uniformity_class(judged.low_quarter), emission, uniformity_class(judged.emission), before, after, dose,
        seconds_before, seconds_after, _say(cups, before, after),
    )  # fmt: skip


def _say(cups: list[CupOut], before: float, after: float) -> str:
    parts = []
    for verdict, word in (
        ("swap", "swap"),
        ("clean", "clean or open up"),
        ("worn", "reseat or swap, they give too much,"),
    ):
        places = [str(i + 1) for i, c in enumerate(cups) if c.verdict == verdict]
        if places:
            parts.append(f"{word} {', '.join(places)}")
    todo = "; ".join(parts)
    change = f"The bed gives {after:.1f} instead of {before:.1f} mL/min per plant."
    return (todo[0].upper() + todo[1:] + ". " if todo else "All drippers are within their limits. ") + change


@endpoint("POST", takes=CupsForm, gives=CupsOut)
def cups_judge(request: Request, data: CupsForm, bed_id: int) -> CupsOut:
    """Judge a catch-cup test without keeping it."""
    bed = reach(request, Bed, bed_id)
    return _cups_out(bed, data, judge(data.volumes_ml, data.minutes, bed.drippers_per_plant), bed.flow_ml_min)


@endpoint("POST", takes=CupsForm, gives=CupsOut, status=201)
def cups_record(request: Request, data: CupsForm, bed_id: int) -> CupsOut:
    """Keep a catch-cup test; its flow is the bed's tested flow from now on."""
    bed = reach(request, Bed, bed_id, Role.GROWER)
    before = bed.flow_ml_min
    record_test(bed, data.volumes_ml, data.minutes, request.user, site_now(bed.house.site))
    bed.refresh_from_db()
    return _cups_out(bed, data, judge(data.volumes_ml, data.minutes, bed.drippers_per_plant), before)


@endpoint("GET", gives=PastTest, many=True)
def cups_past(request: Request, bed_id: int) -> list[PastTest]:
    """Earlier tests of a bed, the newest first."""
    bed = reach(request, Bed, bed_id)
    return [
        PastTest(t.at, str(t.by), len(t.volumes_ml), t.christiansen, t.low_quarter, t.emission, t.flow_after_ml_min)
        for t in bed.dripper_tests.select_related("by")[:20]
    ]


@dataclass
class PaybackForm:
    """[low, likely, high] of each assumption; money in `currency`, saved_share as a share."""

    currency: str
    assumptions: dict[str, list[float]]
    version: int = 0


@dataclass
class PaybackOut:
    """Months to pay back as a range (None: never), and the assumption that moves it most."""

    form: PaybackForm
    labels: dict[str, str]
    origin: dict[str, str]
    kept: bool
    months_low: float | None
    months_likely: Figure
    months_high: float | None
    swing_label: str
    swing_low: float | None
    swing_high: float | None
    sentence: str


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _months(value: float | None) -> str:
    if value is None:
        return "never"
    if value > 240:
        return "more than 20 years"
    return f"{value:.0f} months" if value < 24 else f"{value / 12:.1f} years"


def _payback_out(form: PaybackForm, origin: dict[str, str], kept: bool) -> PaybackOut:
    case = case_of(form.assumptions)
    result = payback(case)
    likely = worked("payback", {f: getattr(case, f).likely for f in FIELDS}, "the likely value of each assumption")
    if not math.isfinite(result.months_likely):
        likely = measured(None, "months", 1, "savings do not cover the upkeep", None)
    low, high = _finite(result.months_low), _finite(result.months_high)
    swing = LABELS[result.swing_field]
    sentence = (
        f"Paid back in {_months(low)} at best, {_months(_finite(result.months_likely))} likely, {_months(high)} at worst. "
        f"What moves it most is the {swing}: {_months(_finite(result.swing_low))} to {_months(_finite(result.swing_high))} with the rest as likely."
    )
    return PaybackOut(
        form,
        LABELS,
        origin,
        kept,
        low,
        likely,
        high,
        swing,
        _finite(result.swing_low),
        _finite(result.swing_high),
        sentence,
    )


@endpoint("GET", gives=PaybackOut)
def payback_get(request: Request, site_id: int) -> PaybackOut:
    """The kept assumptions, or proposed ones, and what follows."""
    site = reach(request, Site, site_id)
    assumptions, origin = proposed(site)
    sheet = PaybackSheet.objects.filter(site=site).first()
    if sheet is None:
        return _payback_out(PaybackForm("€", assumptions, 1), origin, False)
    return _payback_out(PaybackForm(sheet.currency, sheet.assumptions, sheet.version), origin, True)


@endpoint("POST", takes=PaybackForm, gives=PaybackOut)
def payback_try(request: Request, data: PaybackForm, site_id: int) -> PaybackOut:
    """What follows from assumptions; nothing is kept."""
    site = reach(request, Site, site_id)
    return _payback_out(data, proposed(site)[1], False)


@endpoint("PUT", takes=PaybackForm, gives=PaybackOut)
def payback_save(request: Request, data: PaybackForm, site_id: int) -> PaybackOut:
    """Keep the assumptions."""
    site = reach(request, Site, site_id, Role.GROWER)
    sheet = save_payback(site, data.assumptions, data.currency, data.version, request.user, site_now(site))
    return _payback_out(PaybackForm(sheet.currency, sheet.assumptions, sheet.version), proposed(site)[1], True)


@dataclass
class Position:
    latitude: float
    longitude: float


@dataclass
class ZoneOut:
    time_zone: str


@endpoint("POST", takes=Position, gives=ZoneOut, by="anyone")
def zone_propose(request: Request, data: Position) -> ZoneOut:
    """The time zone a position lies in, as a proposal."""
    require_range("latitude", data.latitude, -90, 90, "degrees north")
    require_range("longitude", data.longitude, -180, 180, "degrees east")
    return ZoneOut(tzfpy.get_tz(data.longitude, data.latitude) or "UTC")
