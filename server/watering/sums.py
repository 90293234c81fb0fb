"""Running sums of light and dryness per house, and what has come together for a bed since its last pulse."""

from datetime import datetime, timedelta

import numpy as np
from django.db import models

from fitting.models import Channel, Quantity
from places.beds import crop_of
from places.models import Bed, House, Site
from readings.models import Latest, Quality
from readings.series import bucketed
from reedcore.climate import air_vpd_from_humidity
from reedcore.crop import use_coefficients
from reedcore.reasons import Since

from .models import BedControl, HouseSums

NAN = float("nan")
SHORT = timedelta(minutes=5)
"""Over so short a stretch the newest reading stands for all of it; a longer one is read from the record."""
BUCKET = timedelta(minutes=5)
DAYLIGHT_W_M2 = 5.0
CLIMATE = (Quantity.RADIATION, Quantity.AIR_TEMP, Quantity.HUMIDITY)


def climate_now(site: Site, now: datetime, fresh_s: float) -> dict[int, dict[str, float]]:
    """Newest fresh radiation, air temperature and humidity of each house, by quantity."""
    rows = Latest.objects.filter(
        channel__house__site=site, channel__quantity__in=CLIMATE, channel__retired_at=None, quality=Quality.GOOD,
        time__gt=now - timedelta(seconds=fresh_s),
    ).annotate(house=models.F("channel__house"), quantity=models.F("channel__quantity"))  # fmt: skip
    out: dict[int, dict[str, float]] = {}
    for row in rows:
        out.setdefault(row.house, {})[row.quantity] = row.raw
    return out


def vpd_of(climate: dict[str, float]) -> float | None:
    """VPD of a house's newest air values [kPa]; None where one is missing or cannot be."""
    temp, humidity = climate.get(Quantity.AIR_TEMP), climate.get(Quantity.HUMIDITY)
    if temp is None or humidity is None or not -20 <= temp <= 60 or not 0 <= humidity <= 100:
        return None
    return float(air_vpd_from_humidity(temp, humidity))


def advance_sums(site: Site, now: datetime, climate: dict[int, dict[str, float]]) -> list[HouseSums]:
    """Carry every house's sums on to now, and keep them. After a gap the record of the gap is summed."""
    held = {s.house_id: s for s in HouseSums.objects.filter(house__site=site)}
    out = []
    for house in House.objects.filter(site=site):
        row = held.get(house.pk)
        if row is None:
            out.append(HouseSums(house=house, at=now))
            continue
        if now <= row.at:
            continue
        _carry(row, house, now, climate.get(house.pk, {}))
        out.append(row)
    HouseSums.objects.bulk_create(
        out,
        update_conflicts=True,
        unique_fields=["house"],
        update_fields=["at", "light_j_cm2", "vpd_day_kpa_h", "vpd_night_kpa_h"],
    )
    return out


def _carry(row: HouseSums, house: House, now: datetime, climate: dict[str, float]) -> None:
    if now - row.at > SHORT:
        light, day, night = _from_record(house, row.at, now)
    else:
        seconds = (now - row.at).total_seconds()
        radiation, vpd = climate.get(Quantity.RADIATION, 0.0), vpd_of(climate) or 0.0
        light = max(0.0, radiation) * seconds / 1e4
        dry = vpd * seconds / 3600
        day, night = (dry, 0.0) if radiation > DAYLIGHT_W_M2 else (0.0, dry)
    row.at = now
    row.light_j_cm2 += light
    row.vpd_day_kpa_h += day
    row.vpd_night_kpa_h += night


def _from_record(house: House, start: datetime, end: datetime) -> tuple[float, float, float]:
    """Light [J/cm2], VPD by day and by night [kPa h] of a stretch, from the readings there are."""
    ids = dict(Channel.objects.filter(house=house, quantity__in=CLIMATE, retired_at=None).values_list("quantity", "pk"))
    series = bucketed(list(ids.values()), start, end, BUCKET)
    blank = np.full(max(1, int(np.ceil((end - start) / BUCKET))), NAN)
    radiation, temp, humidity = (series.get(ids.get(q, 0), blank) for q in CLIMATE)
    seconds = BUCKET.total_seconds()
    light = float(np.nansum(np.clip(radiation, 0, None))) * seconds / 1e4
    usable = (temp > -20) & (temp < 60) & (humidity >= 0) & (humidity <= 100)
    vpd = np.where(
        usable, np.asarray(air_vpd_from_humidity(np.where(usable, temp, 20.0), np.where(usable, humidity, 100.0))), 0.0
    )
    lit = radiation > DAYLIGHT_W_M2
    return light, float(vpd[lit].sum()) * seconds / 3600, float(vpd[~lit].sum()) * seconds / 3600


def since_last_pulse(bed: Bed, control: BedControl, sums: HouseSums | None) -> Since:
    """What has come together since the bed's last pulse; NaN where its house has no sums yet."""
    peak = NAN if control.peak is None else control.peak
    if sums is None:
        return Since(peak=peak)
    light = sums.light_j_cm2 - (control.light_at_pulse or 0.0)
    day = sums.vpd_day_kpa_h - (control.vpd_day_at_pulse or 0.0)
    night = sums.vpd_night_kpa_h - (control.vpd_night_at_pulse or 0.0)
    per = use_coefficients(crop_of(bed))
    use = per.light_ml_per_j_cm2 * light + per.vpd_day_ml_per_kpa_h * day + per.vpd_night_ml_per_kpa_h * night
    return Since(max(0.0, light), max(0.0, day + night), max(0.0, use), peak)


def mark_pulse(control: BedControl, sums: HouseSums | None, theta: float) -> None:
    """Begin the bed's sums anew at a pulse."""
    control.peak = None if theta != theta else theta
    if sums is not None:
        control.light_at_pulse = sums.light_j_cm2
        control.vpd_day_at_pulse = sums.vpd_day_kpa_h
        control.vpd_night_at_pulse = sums.vpd_night_kpa_h
