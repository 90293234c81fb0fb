"""Create a site and its first owner, for a start without the demo."""

import getpass
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from accounts.roles import Role
from accounts.services import add_person
from places.models import Site
from reedcore.errors import ReedError


class Command(BaseCommand):
    help = "Create a site and its first owner."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--site", required=True, help="name of the holding")
        parser.add_argument("--owner", required=True, help="name to sign in with")
        parser.add_argument("--latitude", type=float, required=True)
        parser.add_argument("--longitude", type=float, required=True)
        parser.add_argument("--time-zone", default="UTC")

    def handle(self, *args: Any, **o: Any) -> None:
        password = getpass.getpass("Password for the owner: ")
        site, _ = Site.objects.get_or_create(
            name=o["site"],
            defaults={"latitude": o["latitude"], "longitude": o["longitude"], "time_zone": o["time_zone"]},
        )
        try:
            add_person(site, o["owner"], password, Role.OWNER)
        except ReedError as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{o['owner']} owns {site.name}. Sign in at the printed address.")
