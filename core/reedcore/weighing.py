"""Water content by weight: what the balance says against what the probe says."""

from __future__ import annotations

import numpy as np

from .arrays import Series, like_input, require_series
from .errors import Inconsistent, require_range


def water_density_from_temperature(temp_c: Series) -> Series:
    """Density of water [kg/L] at temperature [°C, 0 to 60].

    Raises OutOfRange. NaN in, NaN out. References: Kell 1975, J. Chem. Eng. Data 20, eq. 16, air-free at 101.325 kPa.
    """
    t = require_series("temp_c", temp_c, 0, 60, "°C")
    top = 999.83952 + t * (
        16.945176 + t * (-7.9870401e-3 + t * (-46.170461e-6 + t * (105.56302e-9 - t * 280.54253e-12)))
    )
    return like_input(top / (1 + 16.879850e-3 * t) / 1000, temp_c)


def water_content_from_mass(
    wet_g: float, dry_g: float, container_g: float, volume_l: float, temp_c: float = 20.0
) -> float:
    """θ [m3/m3] of a pot on the scale.

    Parameters
    ----------
    wet_g : pot with wet medium [g].
    dry_g : the dry medium alone [g, > 0].
    container_g : the empty pot with whatever stays on the scale, probe and cable included [g, >= 0].
    volume_l : volume of the medium [L, 0.05 to 500].
    temp_c : water temperature [°C, 0 to 60].

    Returns
    -------
    Volumetric water content.

    Raises
    ------
    OutOfRange : volume, temperature or a mass outside its range. Inconsistent : wet_g below pot and dry medium together,
    or more water than the volume holds.

    References
    ----------
    science.md, By weight: θ = (m_wet - m_dry - m_container)/(ρw V).
    """
    require_range("container_g", container_g, 0, 1e6, "g")
    require_range("dry_g", dry_g, 0.1, 1e6, "g")
    require_range("volume_l", volume_l, 0.05, 500, "L")
    water_g = wet_g - dry_g - container_g
    if not water_g >= 0:
        raise Inconsistent("wet_g", wet_g, f"at least {dry_g + container_g:.0f} g, the pot with its dry medium")
    theta = water_g / 1000 / (float(water_density_from_temperature(temp_c)) * volume_l)
    if theta > 1:
        raise Inconsistent(
            "wet_g",
            wet_g,
            f"at most {dry_g + container_g + 1000 * volume_l:.0f} g: a full volume of water; is the volume right?",
        )
    return theta


def mass_from_water_content(
    theta: float, dry_g: float, container_g: float, volume_l: float, temp_c: float = 20.0
) -> float:
    """Inverse of water_content_from_mass: what the scale shows [g] at θ [m3/m3, 0 to 1]."""
    require_range("theta", theta, 0, 1, "m³/m³")
    return container_g + dry_g + 1000 * theta * volume_l * float(water_density_from_temperature(temp_c))


def error_of_theta(
    scale_error_g: float, dry_error_g: float, volume_l: float, volume_error_share: float, theta: float
) -> float:
    """One standard error of a weighed θ [m3/m3] from the errors of scale and dry mass [g] and of the volume [share].

    Raises OutOfRange for a volume outside 0.05 to 500 L. Source: first-order error propagation.
    """
    require_range("volume_l", volume_l, 0.05, 500, "L")
    masses = np.hypot(scale_error_g, dry_error_g) / 1000 / volume_l
    return float(np.hypot(masses, theta * volume_error_share))
