"""Weather of the demo holding: the same for the history and for the live stand-in, by date."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

import numpy as np
from astral import LocationInfo
from astral.sun import elevation, noon, sun

from reedcore.weather import WARMTH_C, HouseClimate, SunDay, Weather, clear_sky_radiation, cloud_factor, house_climate

from .holding import Holding

_KINDS = (
    Weather.CLEAR,
    Weather.MIXED,
    Weather.CLEAR,
    Weather.MIXED,
    Weather.DULL,
    Weather.CLEAR,
    Weather.HOT,
    Weather.MIXED,
)


class Sky:
    """Sun times and weather by civil day of the holding."""

    def __init__(self, holding: Holding) -> None:
        site = holding.definition["site"]
        self._holding = holding
        self._observer = LocationInfo(latitude=site["latitude"], longitude=site["longitude"]).observer
        self.climate_of_day = lru_cache(maxsize=64)(self._climate_of_day)

    def sun_times(self, day: date) -> tuple[datetime, datetime]:
        times = sun(self._observer, date=day, tzinfo=UTC)
        return times["sunrise"], times["sunset"]

    def midnight(self, day: date) -> datetime:
        return datetime(day.year, day.month, day.day, tzinfo=self._holding.zone)

    def kind(self, day: date) -> Weather:
        # The demo's first day is a bright one; the others follow a fixed order.
        first = self._holding.start.date()
        return Weather.CLEAR if day == first else _KINDS[day.toordinal() % len(_KINDS)]

    def transmission(self, house: str, at: datetime) -> float:
        d = self._holding.house(house)
        wash = d.get("whitewash")
        if wash and at >= self._holding.start - timedelta(days=wash["from_days"]):
            return float(wash["transmission"])
        return float(d["transmission"])

    def _climate_of_day(self, house: str, day: date) -> HouseClimate:
        """Climate of a civil day, 1440 values, one a minute from local midnight."""
        midnight = self.midnight(day)
        sunrise, sunset = self.sun_times(day)
        height = max(0.0, elevation(self._observer, noon(self._observer, date=day, tzinfo=UTC)))
        axis = SunDay((sunrise - midnight).total_seconds(), (sunset - midnight).total_seconds(), height)
        kind = self.kind(day)
        seed = self._holding.definition["seed"] + day.toordinal()
        outside = clear_sky_radiation(np.arange(1440) * 60.0, axis) * cloud_factor(
            1440, kind, np.random.default_rng(seed)
        )
        return house_climate(outside, self.transmission(house, midnight + timedelta(hours=12)), WARMTH_C[kind])

    def climate_at(self, house: str, at: datetime) -> tuple[float, float, float, float, float]:
        """Radiation, air temperature, humidity, leaf temperature and VPD at a moment."""
        local = at.astimezone(self._holding.zone)
        c = self.climate_of_day(house, local.date())
        i = min(1439, local.hour * 60 + local.minute)
        return (
            float(c.radiation_w_m2[i]),
            float(c.air_temp_c[i]),
            float(c.humidity_pct[i]),
            float(c.leaf_temp_c[i]),
            float(c.vpd_kpa[i]),
        )
