"""Load the demo once, or wake it up again after a stop."""

import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db.models import Max

from common.authentication import hash_token
from common.clock import real_now
from demo.load import load_demo
from demo.models import DemoClock
from demo.services import set_clock, wake_from
from fitting.models import Node, NodeKind
from readings.models import Latest
from watering.models import Command as DeviceCommand
from watering.models import CommandState, ControlClock
from watering.tasks import order_day_figures


class Command(BaseCommand):
    help = "Load the demo holding if there is none yet; else set its clock going where it stopped."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--history", type=Path, required=True)
        parser.add_argument("--port-base", type=int, required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        token = os.environ["GATEWAY_TOKEN"]
        clock = DemoClock.objects.select_related("site").first()
        if clock is None:
            site = load_demo(
                settings.ROOT / "data" / "heron_quay_glass.json", options["history"], options["port_base"], token
            )
            for house in site.houses.all():
                for bed in house.beds.all():
                    order_day_figures(bed, None)
            self.stdout.write("loaded")
            return
        self._wake(clock, options["port_base"], token)
        self.stdout.write("woken")

    def _wake(self, clock: DemoClock, port_base: int, token: str) -> None:
        """Time stood still while the demo was off: go on from the last thing that happened."""
        site = clock.site
        seen = [
            Latest.objects.filter(channel__node__site=site).aggregate(at=Max("time"))["at"],
            ControlClock.objects.filter(site=site).aggregate(at=Max("last_tick"))["at"],
            DeviceCommand.objects.filter(actuator__node__site=site, state=CommandState.DONE).aggregate(
                at=Max("ended_at")
            )["at"],
        ]
        last = max(t for t in seen if t is not None)
        set_clock(site, wake_from(clock, last), real_now(), 1.0)
        nodes = Node.objects.filter(site=site, kind=NodeKind.MODBUS_TCP).order_by("port", "pk")
        for offset, node in enumerate(nodes):
            node.port = port_base + offset
            node.save(update_fields=["port"])
        Node.objects.filter(site=site, kind=NodeKind.GATEWAY).update(token_hash=hash_token(token))
