"""The dripper test of a bed: recorded, judged, and from then on the flow that turns millilitres into seconds."""

from datetime import datetime

import numpy as np
from django.db import transaction

from accounts.models import User
from common.events import tell
from logbook.services import record
from reedcore.dosing import seconds_from_dose
from reedcore.errors import ReedError
from reedcore.uniformity import DripperTest as Judged
from reedcore.uniformity import dripper_test

from .models import Bed, DripperTest


def judge(volumes_ml: list[float], minutes: float, drippers_per_plant: float) -> Judged:
    """Judge cups without keeping them. Raises OutOfRange naming the field."""
    return dripper_test(np.array(volumes_ml, dtype=float), minutes, drippers_per_plant)


def seconds_of(bed: Bed, flow_ml_min: float) -> tuple[float, float | None]:
    """Dose of the bed's programme (3 % of the substrate without one) and its seconds at a flow; None where refused."""
    from .plumbing import bed_line

    dose = bed_line(bed).dose_ml
    try:
        return dose, seconds_from_dose(dose, flow_ml_min, bed.line_fill_s)
    except ReedError:
        return dose, None


@transaction.atomic
def record_test(bed: Bed, volumes_ml: list[float], minutes: float, by: User, now: datetime) -> DripperTest:
    """Keep a test; the bed's tested flow follows from it from now on. Raises OutOfRange."""
    row = Bed.objects.select_for_update(of=("self",)).get(pk=bed.pk)
    judged = judge(volumes_ml, minutes, row.drippers_per_plant)
    before, after = row.flow_ml_min, judged.mean_flow_ml_min * row.drippers_per_plant
    test = DripperTest.objects.create(
        bed=row,
        at=now,
        by=by,
        minutes=minutes,
        volumes_ml=[float(v) for v in volumes_ml],
        drippers_per_plant=row.drippers_per_plant,
        christiansen=judged.christiansen,
        low_quarter=judged.low_quarter,
        emission=judged.emission,
        flow_before_ml_min=before,
        flow_after_ml_min=after,
    )
    row.tested_flow_ml_min = round(after, 2)
    row.version += 1
    row.save(update_fields=["tested_flow_ml_min", "version"])
    record(
        row.house.site,
        now,
        by,
        "tested drippers",
        row,
        {"flow_ml_min": before},
        {"flow_ml_min": row.tested_flow_ml_min},
    )
    tell(row.house.site_id, "places", "watering")
    return test
