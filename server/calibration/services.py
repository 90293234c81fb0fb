"""Captures and published calibrations."""

from datetime import datetime

from django.db import transaction

from accounts.models import User
from common.events import tell
from fitting.models import Probe
from logbook.services import record
from reedcore.calibration import two_point_calibration
from reedcore.errors import Inconsistent, NotDetermined, require_range

from .bench import judge, not_moved, open_captures, point_of
from .models import CalibrationVersion, Capture, Method, PointKind


@transaction.atomic
def capture_point(probe: Probe, kind: PointKind, theta: float, by: User, now: datetime) -> Capture:
    """Take the steady reading as a reference point. Raises Inconsistent while the reading is not steady."""
    Probe.objects.select_for_update().get(pk=probe.pk)
    require_range("theta", theta, 0, 1, "m³/m³")
    _, _, steady = judge(probe, now)
    if not steady.steady:
        raise Inconsistent("raw", steady.why, "a steady reading; wait for the bubble to come to the middle")
    other = not_moved(probe, kind, steady.mean)
    if other is not None:
        raise Inconsistent(
            "raw",
            round(steady.mean),
            f"a reading away from the other point's {other.raw:.0f} counts; is the probe still in the same mix?",
        )
    probe.captures.filter(kind=kind, superseded=False).update(superseded=True)
    capture = Capture.objects.create(
        probe=probe,
        kind=kind,
        theta=theta,
        raw=steady.mean,
        noise_raw=steady.noise,
        readings=steady.readings,
        taken_at=now,
        taken_by=by,
    )
    record(
        probe.bed.house.site,
        now,
        by,
        f"captured {kind.label} of probe {probe.name}",
        capture,
        None,
        {"raw": steady.mean, "theta": theta},
    )
    tell(probe.bed.house.site_id, "calibration")
    return capture


@transaction.atomic
def publish_calibration(probe: Probe, expected_number: int, by: User, now: datetime) -> CalibrationVersion:
    """Publish the two captured points as the next version, valid from now.

    Raises NotDetermined without both points, Inconsistent when someone published first, and whatever
    two_point_calibration refuses.
    """
    Probe.objects.select_for_update().get(pk=probe.pk)
    captures = open_captures(probe)
    missing = [kind.label for kind in PointKind if kind not in captures]
    if missing:
        raise NotDetermined("points", f"no {' and no '.join(missing)}", "both points captured")
    number = probe.calibrations.count() + 1
    if number != expected_number:
        raise Inconsistent(
            "number", expected_number, f"{number}: someone published version {number - 1} meanwhile, reload"
        )
    dry, wet = captures[PointKind.DRY], captures[PointKind.WET]
    line = two_point_calibration(point_of(dry), point_of(wet), probe.span_raw)
    version = CalibrationVersion.objects.create(
        probe=probe,
        number=number,
        method=Method.TWO_POINT,
        valid_from=now,
        slope=line.slope,
        intercept=line.intercept,
        resolution_points=line.resolution_points,
        raw_dry=dry.raw,
        raw_wet=wet.raw,
        theta_dry=dry.theta,
        theta_wet=wet.theta,
        published_at=now,
        published_by=by,
    )
    probe.captures.filter(superseded=False).update(superseded=True)
    site = probe.bed.house.site
    record(
        site,
        now,
        by,
        f"published calibration {number} of probe {probe.name}",
        version,
        None,
        {"slope": line.slope, "intercept": line.intercept},
    )
    tell(site.pk, "calibration", "readings")
    return version
