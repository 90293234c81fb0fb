"""From bulk conductivity to pore water: ε0 of a probe, adjusted or fitted from a sample of the water itself."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from accounts.models import User
from common.events import tell
from common.figures import Figure, measured, worked
from fitting.models import Channel, Probe
from logbook.services import record
from reedcore.constants import STARTING_EPSILON_DRY
from reedcore.curves import value_from_curve
from reedcore.electrodes import fit_epsilon_dry
from reedcore.errors import NotDetermined, require_range
from reedcore.sensors import quantity

from .queries import current_calibrations

PARTS = ("bulk_ec", "permittivity", "medium_temp")
USABLE_ABOVE = 6.0
"""Permittivity must lie this far above ε0 for the formula to mean anything."""


def epsilon_of(bed_ids: Iterable[int]) -> dict[int, float]:
    """Own ε0 by bed, where one of its probes has one."""
    rows = Probe.objects.filter(bed__in=list(bed_ids), retired_at=None, epsilon_dry__isnull=False)
    return {bed: value for bed, value in rows.values_list("bed_id", "epsilon_dry") if value is not None}


@dataclass
class Pore:
    """Pore-water conductivity of a probe with everything it is worked out from."""

    epsilon_dry: float
    own: bool
    usable_above: float
    bulk_ec: Figure
    permittivity: Figure
    medium_temp: Figure
    pore_ec: Figure


def values_of_probe(probe: Probe, now: datetime) -> dict[str, tuple[float, datetime]]:
    """The newest calibrated values of a probe's parts."""
    channels = Channel.objects.filter(probe=probe, quantity__in=PARTS, retired_at=None, latest__isnull=False)
    rows = list(channels.select_related("latest"))
    versions = current_calibrations([c.pk for c in rows], now)
    return {
        c.quantity: (
            float(value_from_curve(c.latest.raw, v.curve)) if (v := versions.get(c.pk)) else c.latest.raw,
            c.latest.time,
        )
        for c in rows
    }


def pore_of(probe: Probe, now: datetime) -> Pore | None:
    """None for a probe that lacks one of the parts."""
    held = values_of_probe(probe, now)
    if set(held) != set(PARTS):
        return None
    epsilon = probe.epsilon_dry if probe.epsilon_dry is not None else STARTING_EPSILON_DRY
    parts = {
        q: measured(held[q][0], quantity(q).unit, quantity(q).digits, f"probe {probe.name}", held[q][1]) for q in PARTS
    }
    inputs = {
        "bulk_ec_ms_cm": held["bulk_ec"][0],
        "permittivity": held["permittivity"][0],
        "temp_c": held["medium_temp"][0],
        "epsilon_dry": epsilon,
    }
    pore = worked("pore_ec", inputs, f"probe {probe.name}", held["bulk_ec"][1])
    return Pore(
        epsilon,
        probe.epsilon_dry is not None,
        epsilon + USABLE_ABOVE,
        parts["bulk_ec"],
        parts["permittivity"],
        parts["medium_temp"],
        pore,
    )


@transaction.atomic
def set_epsilon(probe: Probe, epsilon: float | None, sample_ec: float | None, by: User, now: datetime) -> Probe:
    """Set ε0 by hand [-5 to 15], from a poured-through or squeezed sample [mS/cm at 25 °C], or back to the starting value.

    Raises NotDetermined without the probe's own readings, and what fit_epsilon_dry refuses, at the field pore_ec.
    """
    row = Probe.objects.select_for_update().get(pk=probe.pk)
    before = {"epsilon_dry": row.epsilon_dry}
    if sample_ec is not None:
        held = values_of_probe(row, now)
        if set(held) != set(PARTS):
            raise NotDetermined(
                "pore_ec", sample_ec, "a probe that gives bulk conductivity, permittivity and temperature"
            )
        epsilon = fit_epsilon_dry(*(held[q][0] for q in PARTS), sample_ec)
    elif epsilon is not None:
        require_range("epsilon_dry", epsilon, -5, 15, "")
    row.epsilon_dry = epsilon
    row.save(update_fields=["epsilon_dry"])
    site = row.bed.house.site
    told = {"epsilon_dry": epsilon, "sample_ec": sample_ec}
    record(site, now, by, f"set the pore water of probe {row.name}", row, before, told)
    tell(site.pk, "calibration", "readings")
    return row
