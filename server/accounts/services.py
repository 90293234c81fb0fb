from collections.abc import Mapping

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from places.models import Site
from reedcore.errors import OutOfRange
from reedcore.units import UNITS

from .models import Membership, User
from .roles import Role

WATER_VIEWS = {
    "theta": "water content, % v/v",
    "relative": "share of the usable water, %",
    "water": "litres per plant",
    "raw": "raw counts",
}
"""How a bed's water may be read first; the others stay one click away."""


def choose_units(user: User, chosen: Mapping[str, str]) -> None:
    """Keep the units a person reads in. Raises OutOfRange for a unit that is not one of its quantity."""
    for quantity, code in chosen.items():
        codes = list(WATER_VIEWS) if quantity == "water" else [u.code for u in UNITS.values() if u.quantity == quantity]
        if code not in codes:
            raise OutOfRange(
                quantity, code, "one of " + ", ".join(codes) if codes else "a quantity with units to choose"
            )
    user.units = {**user.units, **chosen}
    user.save(update_fields=["units"])


@transaction.atomic
def add_person(site: Site, username: str, password: str, role: Role, full_name: str = "") -> User:
    """Create a person with a role on a site. Raises OutOfRange for a taken name or a weak password."""
    if User.objects.filter(username=username).exists():
        raise OutOfRange("username", username, "a name that is not taken")
    try:
        validate_password(password)
    except ValidationError as error:
        raise OutOfRange("password", "(hidden)", " ".join(error.messages)) from None
    user = User.objects.create_user(username=username, password=password, first_name=full_name)
    Membership.objects.create(user=user, site=site, role=role)
    return user
