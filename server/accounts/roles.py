"""What a person may do on a site."""

from django.db import models


class Role(models.TextChoices):
    VIEWER = "viewer", "viewer"
    GROWER = "grower", "grower"
    OWNER = "owner", "owner"


RANK = {Role.VIEWER: 0, Role.GROWER: 1, Role.OWNER: 2}


def at_least(have: str, need: Role) -> bool:
    """Does a role include another? Owner includes grower includes viewer."""
    return RANK[Role(have)] >= RANK[need]
