"""Media to choose from: the core's library with starting values, and the site's own."""

from reedcore.errors import OutOfRange
from reedcore.substrate import Medium, media, medium

from .models import Bed, OwnMedium, Site

OWN = "own-"


def core_medium(own: OwnMedium) -> Medium:
    """An own medium as the core wants it. Raises OutOfRange or Inconsistent at the field that cannot be."""
    return Medium(f"{OWN}{own.pk}", own.name, own.theta_s, own.theta_r, own.alpha, own.n, own.dry_mix_theta, own.origin)


def medium_of(bed: Bed) -> Medium:
    """The medium of a bed. Raises OutOfRange for a code that is in neither list."""
    return core_medium(bed.own_medium) if bed.own_medium is not None else medium(bed.medium)


def choose_medium(bed: Bed, site: Site) -> None:
    """Set the bed's own medium by its code. Raises OutOfRange for one that is not of this site."""
    bed.own_medium = None
    if not bed.medium.startswith(OWN):
        medium(bed.medium)
        return
    number = bed.medium.removeprefix(OWN)
    own = OwnMedium.objects.filter(site=site, pk=int(number)).first() if number.isdigit() else None
    if own is None:
        raise OutOfRange("medium", bed.medium, "a medium of the library or of this site")
    bed.own_medium = own


def all_media(site: Site) -> list[Medium]:
    """Library and own media of a site."""
    return [*media().values(), *(core_medium(m) for m in site.own_media.all())]
