from datetime import datetime, timedelta

from django.db import transaction

from common.clock import site_now
from common.events import tell
from fitting.models import Probe
from places.models import Site
from reedcore.errors import OutOfRange
from reedcore.probe import Place

from .models import DemoClock, ProbePlace

RATES = (0.0, 1.0, 60.0)


@transaction.atomic
def set_rate(site: Site, rate: float, real: datetime) -> None:
    """Run the demo clock at another rate from its present moment on."""
    if rate not in RATES:
        raise OutOfRange("rate", rate, "0 (paused), 1 or 60")
    clock = DemoClock.objects.select_for_update().get(site=site)
    clock.anchor_site, clock.anchor_real, clock.rate = site_now(Site.objects.get(pk=site.pk), real), real, rate
    clock.save()
    tell(site.pk, "clock")


@transaction.atomic
def set_clock(site: Site, site_time: datetime, real: datetime, rate: float) -> None:
    """Set the demo clock to a moment."""
    DemoClock.objects.update_or_create(
        site=site, defaults={"anchor_site": site_time, "anchor_real": real, "rate": rate}
    )


def keep_clocks() -> None:
    """Note what each demo clock shows, once a second of real time: after a stop it goes on from there."""
    for clock in DemoClock.objects.select_related("site"):
        DemoClock.objects.filter(pk=clock.pk).update(seen_site=site_now(clock.site))


KEEP_CLOCK_S = 1.0


def wake_from(clock: DemoClock, last_record: datetime) -> datetime:
    """Where a stopped demo clock goes on: after the last record, and not before what anyone may have seen."""
    unseen = timedelta(seconds=max(1.0, 2 * KEEP_CLOCK_S * clock.rate))
    seen = clock.seen_site + unseen if clock.seen_site else last_record
    return max(last_record + timedelta(seconds=1), seen)


@transaction.atomic
def place_probe(probe: Probe, place: Place) -> None:
    """Move the stand-in's probe."""
    ProbePlace.objects.update_or_create(probe=probe, defaults={"place": place.value})
    Probe.objects.filter(pk=probe.pk).update(moved_at=site_now(probe.bed.house.site))
    tell(probe.bed.house.site_id, "calibration")
