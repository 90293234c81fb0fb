"""A medium's retention curve from a tensiometer and a probe that stood in the same bed."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from accounts.models import User
from fitting.models import Channel
from places.models import OwnMedium, Site
from places.plumbing_services import save_medium
from places.substrates import medium_of
from reedcore.compare import on_grid
from reedcore.constants import CM_WATER_PER_KPA
from reedcore.errors import Inconsistent
from reedcore.retention_fit import RetentionFit, fit_retention
from reedcore.substrate import Medium, water_content_from_suction

from .trial import gives_of, series_of

SHOWN = 200


@dataclass
class RetentionOut:
    """Pairs, the fitted curve and that of the bed's present medium, suction in kPa, θ in m3/m3."""

    pairs: int
    suction_kpa: list[float]
    theta: list[float]
    fit: RetentionFit
    medium: str
    curve_kpa: list[float]
    fitted: list[float]
    present: list[float]


def fit_pair(suction: Channel, theta: Channel, start: datetime, end: datetime, step_s: float) -> RetentionOut:
    """Fit van Genuchten to the pairs of two channels of one bed. Raises Inconsistent at suction or theta, NotDetermined."""
    if suction.quantity != "suction" or suction.bed is None:
        raise Inconsistent("suction", suction.quantity, "a tensiometer that stands in a bed")
    if gives_of(theta, end) != "theta" or theta.bed_id != suction.bed_id:
        raise Inconsistent("theta", theta.pk, "a calibrated probe of the same bed")
    steps = int((end - start).total_seconds() // step_s)
    kpa, water = (on_grid(*series_of(c, start, end), start.timestamp(), step_s, steps) for c in (suction, theta))
    both = np.isfinite(kpa) & np.isfinite(water) & (kpa >= 0) & (water >= 0) & (water <= 1)
    h, t = kpa[both] * CM_WATER_PER_KPA, water[both]
    found = fit_retention(h.tolist(), t.tolist())
    m = medium_of(suction.bed)
    grid = np.linspace(0, max(12.0, float(kpa[both].max())), 60)
    every = max(1, len(h) // SHOWN)
    return RetentionOut(
        len(h), kpa[both][::every].tolist(), t[::every].tolist(), found, m.name, grid.tolist(), _curve(found.medium("fit", "fit", 0.05), grid),
        _curve(m, grid),
    )  # fmt: skip


def _curve(m: Medium, kpa: np.ndarray) -> list[float]:
    return np.asarray(water_content_from_suction(kpa * CM_WATER_PER_KPA, m)).tolist()


def keep_medium(site: Site, name: str, like: Medium, fit: RetentionFit, by: User, now: datetime) -> OwnMedium:
    """Keep a fit as a medium of the grower's own; beds change to it under Lay out."""
    values = {
        "name": name, "theta_s": fit.theta_s, "theta_r": fit.theta_r, "alpha": fit.alpha, "n": fit.n, "dry_mix_theta": like.dry_mix_theta,
        "origin": f"fitted to own pairs, {fit.low_cm:.0f} to {fit.high_cm:.0f} cm",
    }  # fmt: skip
    return save_medium(site, None, values, 0, by, now)
