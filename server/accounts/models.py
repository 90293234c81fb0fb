from django.contrib.auth.models import AbstractUser
from django.db import models

from .roles import Role


class User(AbstractUser):
    """A person who signs in, with the units that person reads in: {quantity: code of reedcore.units}."""

    units = models.JSONField(default=dict, blank=True)

    def __str__(self) -> str:
        return self.get_full_name() or self.username


class Membership(models.Model):
    """A person's role on a site."""

    user = models.ForeignKey(User, models.CASCADE, related_name="memberships")
    site = models.ForeignKey("places.Site", models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "site"], name="one_role_per_site")]


class Invitation(models.Model):
    """A link that makes one person: to a site with a role, or, without a site, the first owner of this installation."""

    token_hash = models.CharField(max_length=64, unique=True)
    site = models.ForeignKey("places.Site", models.CASCADE, null=True, related_name="invitations")
    role = models.CharField(max_length=10, choices=Role.choices)
    created_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    created_by = models.ForeignKey(User, models.CASCADE, null=True, related_name="+")
    used_at = models.DateTimeField(null=True)
    used_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
