"""The lock of a site's control tick, for whoever must not run beside one."""

from places.models import Site

from .models import ControlClock


def hold_off_tick(site: Site) -> ControlClock:
    """Take the lock that a tick takes, so that no tick decides between what is read here and what is written."""
    ControlClock.objects.get_or_create(site=site)
    return ControlClock.objects.select_for_update().get(site=site)
