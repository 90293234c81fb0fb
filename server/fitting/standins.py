"""Stand-in nodes as their process wants them; and where a person has put their sensors."""

import re
from datetime import datetime

from django.db import transaction

from accounts.models import User
from common.events import tell
from places.beds import capacity_of, setup_of
from places.models import Bed, Site
from places.substrates import medium_of
from reedcore.errors import Inconsistent, OutOfRange, ReedError

from .api_gateway import StandinActuator, StandinBed, StandinNode, StandinPlace
from .building import standin_token
from .models import Channel, Node

PLACES = ("first", "changed", "bed", "dry_mix", "drained_mix", "water")
"""Where a stand-in sensor can be: as in the first phase of its test, as in the changed one, at its own place; in the mixes and
the water of the calibration bench."""
VALUE_PLACE = re.compile(r"(pot 0\.\d{1,3}|std -?\d{1,5}(\.\d{1,3})?)")
"""In the bench pot at a water content, or in a standard of a value."""


def nodes_of(site: Site) -> list[StandinNode]:
    """Stand-in nodes of a site that are not retired."""
    rows = site.nodes.filter(standin_slot__isnull=False, retired_at=None).prefetch_related(
        "channels__probe", "actuators"
    )
    return [_node(n) for n in rows.order_by("pk")]


def _node(n: Node) -> StandinNode:
    channels = [
        StandinPlace(
            c.pk, c.quantity, c.sensor_kind, c.register or 0, c.register_type, c.word_order, c.function, c.scale, c.offset,
            c.input, c.input_settings, c.key, c.bed_id, c.standin_place,
        )
        for c in n.channels.all()
        if c.retired_at is None
    ]  # fmt: skip
    actuators = [
        StandinActuator(a.coil, a.command_register, a.status_register, a.bed_id, a.pump_id) for a in n.actuators.all()
    ]
    return StandinNode(
        n.pk, n.name, n.kind, n.address[1] or 0, n.device_id, n.poll_s, standin_token(n), n.health_register, n.config_number,
        list(n.faults), channels, actuators,
    )  # fmt: skip


def beds_of(site: Site, nodes: list[StandinNode]) -> list[StandinBed]:
    """Beds that a stand-in node measures or waters."""
    from watering.proposal import peak_use_ml  # watering stands on fitting; only this one figure looks the other way

    wanted = {c.bed for n in nodes for c in n.channels} | {a.bed for n in nodes for a in n.actuators}
    out = []
    for bed in Bed.standing.filter(house__site=site, pk__in=wanted - {None}).select_related(
        "house__site", "pump", "own_medium"
    ):
        try:
            setup, capacity = setup_of(bed), capacity_of(bed)
        except ReedError:
            continue  # a bed whose description is not complete stands empty in the stand-in too
        out.append(
            StandinBed(
                bed.pk, setup.volume_l_per_plant, capacity, bed.dry_limit, medium_of(bed).dry_mix_theta, bed.plants,
                bed.flow_ml_min, bed.line_fill_s, bed.pump_id, peak_use_ml(bed),
            )
        )  # fmt: skip
    return out


@transaction.atomic
def put_sensor(channel: Channel, place: str, by: User, now: datetime) -> None:
    """Put a stand-in sensor in one of its test's places, or back. Raises Inconsistent for a real one, OutOfRange."""
    if not channel.node.is_standin:
        raise Inconsistent("channel", channel.node.name, "a sensor of a stand-in node; move the real one by hand")
    if place not in PLACES and not VALUE_PLACE.fullmatch(place):
        raise OutOfRange("place", place, "one of " + ", ".join(PLACES) + ", pot <water content>, or std <value>")
    mates = (
        Channel.objects.filter(node=channel.node, probe=channel.probe)
        if channel.probe_id
        else Channel.objects.filter(pk=channel.pk)
    )
    mates.update(standin_place=place)
    if channel.probe is not None:
        channel.probe.moved_at = now
        channel.probe.save(update_fields=["moved_at"])
    tell(channel.node.site_id, "fitting", "calibration")
