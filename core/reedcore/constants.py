"""Constants, once each, with unit and source. Names marked STARTING are replaced by the grower's own tests."""

SATURATION_E0_KPA = 0.6108
"""Saturation vapour pressure at 0 °C [kPa]. Allen et al. 1998, FAO-56, eq. 11."""
SATURATION_SLOPE = 17.27
"""Numerator of the exponent [-]. FAO-56, eq. 11."""
SATURATION_OFFSET_C = 237.3
"""Denominator offset [°C]. FAO-56, eq. 11."""
VAPOUR_DENSITY_G_K_PER_KPA_M3 = 2166.8
"""Converts kPa/K to g/m3 of vapour. Molar mass of water over the gas constant."""
KELVIN_OFFSET = 273.15
"""0 °C in kelvin. BIPM SI brochure."""
LATENT_HEAT_J_PER_KG = 2.45e6
"""Latent heat of vaporisation at 20 °C [J/kg]. FAO-56, annex 3."""
CM_WATER_PER_KPA = 10.2
"""Suction: 1 kPa = 10.2 cm of water."""
J_PER_CM2_PER_MJ_PER_M2 = 100.0
"""Light sum: 1 MJ/m2 = 100 J/cm2."""

STARTING_PAR_UMOL_PER_J = 2.06
"""Outside global radiation to PAR photon flux [µmol/J]. Starting value."""
STARTING_EXTINCTION = 0.64
"""Canopy extinction k [-]. Baille et al. 1994 form. Starting value."""
STARTING_RADIATION_SHARE = 0.6
"""A: share of intercepted radiation that evaporates water [-]. Starting value."""
STARTING_VPD_DAY_W_M2_KPA = 12.0
"""B by day [W/m2/kPa]. Starting value."""
STARTING_VPD_NIGHT_W_M2_KPA = 5.0
"""B by night [W/m2/kPa]. Starting value."""
STARTING_EC_TEMPERATURE_COEFFICIENT = 0.02
"""Conductivity temperature coefficient [1/K]. Starting value."""
STARTING_EPSILON_DRY = 4.1
"""Permittivity at which bulk conductivity vanishes [-]. Hilhorst 2000. Starting value."""
STARTING_BYPASS_SHARE = 0.35
"""b*: share of a dose that runs straight to drain at capacity [-]. Starting value."""
STARTING_UPTAKE_MS_CM = 1.6
"""Uptake concentration of salts [mS/cm]. Starting value."""
STARTING_FEEDBACK_GAIN = 0.5
"""g: gain of the drain-share feedback [-]. Starting value."""
