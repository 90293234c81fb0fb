"""Print the token of the link on which the first owner sets name and password; nothing when there is a person already."""

from typing import Any

from django.core.management.base import BaseCommand

from accounts.invitations import first_link
from common.clock import real_now


class Command(BaseCommand):
    help = "A one-time link for the first owner of this installation."

    def handle(self, *args: Any, **options: Any) -> None:
        token = first_link(real_now())
        if token:
            self.stdout.write(token)
