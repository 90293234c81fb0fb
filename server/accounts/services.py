from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from places.models import Site
from reedcore.errors import OutOfRange

from .models import Membership, User
from .roles import Role


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
