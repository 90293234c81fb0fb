"""What a day leaves behind: its figures, what its drain does to tomorrow's dose or gap, and how its forecast came true."""

from datetime import date, datetime, timedelta

from django.db import transaction

from accounts.models import User
from common.clock import midnight_of, site_now
from common.events import tell
from common.models import Job
from logbook.services import record
from places.models import Bed, Site
from places.sun import local_day, sun_times
from reedcore.errors import Inconsistent, OutOfRange, ReedError
from reedcore.programme import DrainAim, Moves
from reedcore.replay import corrected_factor, forecast_score

from .days import renew_day
from .forecast import rest_of_day
from .models import BedControl, DayFigure, DrainCorrection, DrainSource, ForecastKept
from .state import SiteState, bed_state, gather, programme_of
from .ticklock import hold_off_tick

CLOSE_AFTER = timedelta(minutes=20)
"""A day is closed so long after midnight, when its last readings have come in."""
KEEP_AFTER_SUNRISE = timedelta(minutes=5)


def close_day(site: Site, day: date, now: datetime) -> int:
    """Work out a finished day of every bed: figures, drain correction, forecast. Returns how many beds were worked out."""
    done = 0
    BedControl.objects.filter(bed__house__site=site, rain_credit_ml__gt=0).update(rain_credit_ml=0)
    for bed in Bed.standing.filter(house__site=site).select_related("house__site", "own_medium"):
        row = renew_day(bed, day)
        if row is None:
            continue
        if row.drain_ml is not None and row.dose_ml > 0:
            correct(bed, day, row.drain_ml, row.dose_ml, DrainSource.GAUGE, None, now)
        score(bed, row)
        done += 1
    return done


def aim_of(bed: Bed) -> DrainAim | None:
    """The drain a bed's newest programme aims at; None where it does not, or where the correction is frozen."""
    version = bed.programmes.order_by("-number").first()
    aim = programme_of(version).drain if version else None
    return None if aim is None or aim.frozen else aim


@transaction.atomic
def correct(
    bed: Bed, day: date, drain_ml: float, dose_ml: float, source: DrainSource, by: User | None, now: datetime
) -> DrainCorrection | None:
    """Move the bed's dose or gap by a day's drain share, once for each day; a hand's measure takes the gauge's place.

    None where the programme aims at no drain, its correction is frozen, or the gauge comes after a hand.
    """
    aim = aim_of(bed)
    if aim is None:
        return None
    hold_off_tick(bed.house.site)
    control, _ = BedControl.objects.get_or_create(bed=bed)
    held = DrainCorrection.objects.filter(bed=bed, day=day).first()
    if held is not None and (source == DrainSource.GAUGE or held.day < (newest_day(bed) or day)):
        return None
    field = "gap_factor" if aim.moves is Moves.GAP else "dose_factor"
    before = held.before if held is not None and held.moves == aim.moves.value else getattr(control, field)
    found = corrected_factor(
        before, aim.share, min(1.0, drain_ml / dose_ml), aim.gain, aim.bound, aim.moves is Moves.GAP
    )
    setattr(control, field, found.after)
    other = "dose_factor" if field == "gap_factor" else "gap_factor"
    setattr(control, other, 1.0)
    control.save(update_fields=["dose_factor", "gap_factor"])
    values = {
        "source": source, "drain_ml": drain_ml, "dose_ml": dose_ml, "wanted": aim.share, "before": before, "after": found.after,
        "moves": aim.moves.value, "at": now, "by": by,
    }  # fmt: skip
    row, _ = DrainCorrection.objects.update_or_create(bed=bed, day=day, defaults=values)
    if by is not None:
        record(
            bed.house.site,
            now,
            by,
            f"entered the drain of bed {bed.name} on {day}",
            row,
            None,
            {"drain_ml": drain_ml, "factor": found.after},
        )
    tell(bed.house.site_id, "watering")
    return row


def newest_day(bed: Bed) -> date | None:
    """The last day whose drain has moved something."""
    return DrainCorrection.objects.filter(bed=bed).order_by("-day").values_list("day", flat=True).first()


def enter_drain(bed: Bed, day: date, drain_ml: float, by: User, now: datetime) -> DrainCorrection:
    """A day's drain measured by hand [mL per plant]. Raises OutOfRange, Inconsistent naming what stands against it."""
    today = local_day(bed.house.site, now)
    if not today - timedelta(days=7) <= day <= today:
        raise OutOfRange("day", day.isoformat(), "today or one of the last seven days")
    figure = renew_day(bed, day)
    if figure is None or figure.dose_ml <= 0:
        raise Inconsistent("day", day.isoformat(), "a day on which the bed was watered")
    if not 0 <= drain_ml <= figure.dose_ml:
        raise OutOfRange("drain_ml", drain_ml, f"0 to the {figure.dose_ml:.0f} mL per plant given that day")
    if aim_of(bed) is None:
        raise Inconsistent(
            "drain", "not steered", "a programme that aims at a drain share and whose correction is not frozen"
        )
    newest = newest_day(bed)
    if newest is not None and day < newest:
        raise OutOfRange("day", day.isoformat(), f"{newest.isoformat()} or later: that day has moved the dose already")
    row = correct(bed, day, drain_ml, figure.dose_ml, DrainSource.HAND, by, now)
    assert row is not None
    return row


def keep_forecasts(site: Site, now: datetime) -> int:
    """Keep this morning's forecast of every bed that has none yet. Returns how many were kept."""
    state = gather(site, now)
    have = set(ForecastKept.objects.filter(bed__house__site=site, day=state.today).values_list("bed", flat=True))
    rows = [f for b in state.beds if b.pk not in have and (f := _forecast(state, b)) is not None]
    ForecastKept.objects.bulk_create(rows, ignore_conflicts=True)
    return len(rows)


def _forecast(state: SiteState, bed: Bed) -> ForecastKept | None:
    version = state.programmes.get(bed.pk)
    if version is None or bed.pk not in state.setups:
        return None
    programme = programme_of(version)
    held = bed_state(state, bed, programme.stale_after_s)
    try:
        day = rest_of_day(bed, programme, held, state.now, bed.feed_ec_ms_cm * 1.25)
    except ReedError:
        return None
    if day is None:
        return None
    return ForecastKept(
        bed=bed, day=state.today, made_at=state.now, pulses=held.pulses_today + len(day.pulses), dose_ml=held.given_today_ml + day.dose_ml,
        drain_ml=day.drained_ml,
    )  # fmt: skip


def score(bed: Bed, row: DayFigure) -> None:
    """Hold a day's forecast against what came."""
    kept = ForecastKept.objects.filter(bed=bed, day=row.day).first()
    if kept is None:
        return
    kept.got_pulses, kept.got_dose_ml, kept.got_drain_ml = row.pulses, row.dose_ml, row.drain_ml
    kept.score = forecast_score(kept.dose_ml, row.dose_ml, kept.pulses, row.pulses)
    kept.save(update_fields=["got_pulses", "got_dose_ml", "got_drain_ml", "score"])


def due(site: Site, now: datetime) -> list[tuple[str, date]]:
    """Which of the day's jobs are due and not ordered yet: ("close", yesterday), ("forecast", today)."""
    today = local_day(site, now)
    midnight = midnight_of(now, site.time_zone)
    out: list[tuple[str, date]] = []
    ordered = set(
        Job.objects.filter(site=site, kind__in=["close_day", "forecast"], created_at__gte=midnight).values_list(
            "kind", flat=True
        )
    )
    if now >= midnight + CLOSE_AFTER and "close_day" not in ordered:
        out.append(("close_day", today - timedelta(days=1)))
    if now >= sun_times(site, today)[0] + KEEP_AFTER_SUNRISE and "forecast" not in ordered:
        out.append(("forecast", today))
    return out


def run_daily(site: Site, kind: str, day: date) -> int:
    """One of the day's jobs."""
    return close_day(site, day, site_now(site)) if kind == "close_day" else keep_forecasts(site, site_now(site))
