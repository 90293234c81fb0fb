"""Sun times of a site, by astral; the core gets them as arguments."""

from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from astral import LocationInfo
from astral.sun import elevation, noon, sun

from .models import Site


@lru_cache(maxsize=4096)
def _sun_of(latitude: float, longitude: float, day: date) -> tuple[datetime, datetime, float]:
    place = LocationInfo(latitude=latitude, longitude=longitude)
    midday = noon(place.observer, date=day, tzinfo=UTC)
    height = max(0.0, elevation(place.observer, midday))
    try:
        times = sun(place.observer, date=day, tzinfo=UTC)
        return times["sunrise"], times["sunset"], height
    except ValueError:
        # Polar day or night: the sun does not cross the horizon. A polar day counts as all day, a polar night as none.
        half = timedelta(hours=12) if height > 0 else timedelta(minutes=1)
        return midday - half, midday + half, height


def sun_times(site: Site, day: date) -> tuple[datetime, datetime]:
    """Sunrise and sunset of a civil day of the site, UTC."""
    return _sun_of(site.latitude, site.longitude, day)[:2]


def noon_elevation(site: Site, day: date) -> float:
    """Height of the sun at noon [degrees, 0 to 90]."""
    return _sun_of(site.latitude, site.longitude, day)[2]


def local_day(site: Site, at: datetime) -> date:
    """Civil day of a moment in the site's zone."""
    return at.astimezone(ZoneInfo(site.time_zone)).date()


def elevation_at(site: Site, at: datetime) -> float:
    """Height of the sun at a moment [degrees, below 0 at night]."""
    return float(elevation(LocationInfo(latitude=site.latitude, longitude=site.longitude).observer, at))
