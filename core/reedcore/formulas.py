"""The registry behind "show me the arithmetic": each computed figure's formula, arguments, units and source."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from . import calibration, climate, conductivity, dosing, substrate
from .errors import OutOfRange
from .formula_types import Argument, Formula
from .formulas_calibration import CALIBRATION_FORMULAS
from .formulas_site import SITE_FORMULAS


@dataclass(frozen=True)
class Arithmetic:
    """A formula with the values put in. `value` and the inputs are in shown units."""

    formula: Formula
    value: float
    substituted: str
    inputs: list[tuple[Argument, float]]


def _capacity(height_cm: float, theta_s: float, theta_r: float, alpha: float, n: float) -> float:
    m = substrate.Medium("given", "given", theta_s, theta_r, alpha, n, 0.0, "given")
    return substrate.capacity_from_height(height_cm, m)


_THETA = Argument("θ", "water content", "% v/v", 100, 1)
_TA = Argument("Ta", "air temperature", "°C", 1, 1)
_RH = Argument("RH", "relative humidity", "%", 1, 0)
_V = Argument("V", "substrate per plant", "L", 1, 2)
_FAO = "Allen et al. 1998, FAO-56, eq. 11"
_SCIENCE = "volume balance of the substrate"

FORMULAS: dict[str, Formula] = {
    f.code: f
    for f in (
        *SITE_FORMULAS,
        *CALIBRATION_FORMULAS,
        Formula(
            "air_vpd",
            "Vapour pressure deficit of the air",
            "VPD = 0.6108 exp(17.27 Ta/(Ta+237.3)) (1 - RH/100)",
            climate.air_vpd_from_humidity,
            {"air_temp_c": _TA, "humidity_pct": _RH},
            "kPa",
            _FAO,
        ),
        Formula(
            "leaf_vpd",
            "Vapour pressure deficit at the leaf",
            "VPDleaf = e°(Tl) - e°(Ta) RH/100",
            climate.leaf_vpd_from_temperatures,
            {"leaf_temp_c": Argument("Tl", "leaf temperature", "°C", 1, 1), "air_temp_c": _TA, "humidity_pct": _RH},
            "kPa",
            _FAO,
            note="Negative where water condenses on the leaf.",
        ),
        Formula(
            "dew_point",
            "Dew point",
            "Td = 237.3 x/(17.27 - x), x = ln(e°(Ta) RH/100/0.6108)",
            climate.dew_point_from_humidity,
            {"air_temp_c": _TA, "humidity_pct": _RH},
            "°C",
            _FAO,
            digits=1,
        ),
        Formula(
            "two_point",
            "Water content from the raw count",
            "θ = θd + (x - xd)/(xw - xd) (θw - θd)",
            calibration.two_point_water_content,
            {
                "raw": Argument("x", "raw count", "counts", 1, 0),
                "raw_dry": Argument("xd", "raw at the dry point", "counts", 1, 0),
                "raw_wet": Argument("xw", "raw at the wet point", "counts", 1, 0),
                "theta_dry": Argument("θd", "water content of the dry point", "% v/v", 100, 1),
                "theta_wet": Argument("θw", "water content of the wet point", "% v/v", 100, 1),
            },
            "% v/v",
            "two reference points captured in the substrate",
            100,
            1,
        ),
        Formula(
            "water_l",
            "Water held per plant",
            "W = θ V",
            substrate.water_l_per_plant,
            {"theta": _THETA, "volume_l_per_plant": _V},
            "L per plant",
            _SCIENCE,
        ),
        Formula(
            "ml_per_point",
            "One point of water content",
            "mL per point = 10 V",
            substrate.ml_per_point,
            {"volume_l_per_plant": _V},
            "mL per plant",
            _SCIENCE,
            digits=1,
        ),
        Formula(
            "slab_volume",
            "Volume of a slab or trough",
            "litres = a b h/1000",
            substrate.slab_volume_l,
            {
                "length_cm": Argument("a", "length", "cm", 1, 1),
                "width_cm": Argument("b", "width", "cm", 1, 1),
                "height_cm": Argument("h", "height", "cm", 1, 1),
            },
            "L",
            "geometry",
        ),
        Formula(
            "pot_volume",
            "Volume of a round pot",
            "litres = π h (a² + a b + b²)/12/1000",
            substrate.pot_volume_l,
            {
                "top_diameter_cm": Argument("a", "top diameter", "cm", 1, 1),
                "base_diameter_cm": Argument("b", "base diameter", "cm", 1, 1),
                "height_cm": Argument("h", "height", "cm", 1, 1),
            },
            "L",
            "geometry, truncated cone",
        ),
        Formula(
            "volume_per_plant",
            "Substrate per plant",
            "V = Vc/p",
            substrate.volume_per_plant_l,
            {
                "container_l": Argument("Vc", "container", "L", 1, 2),
                "plants_per_container": Argument("p", "plants in it", "plants", 1, 0),
            },
            "L per plant",
            "geometry",
        ),
        Formula(
            "capacity",
            "Container capacity",
            "θc = (1/H) ∫0..H [θr + (θs-θr)(1+(α h)^n)^-(1-1/n)] dh",
            _capacity,
            {
                "height_cm": Argument("H", "height of the medium", "cm", 1, 1),
                "theta_s": Argument("θs", "saturated water content", "% v/v", 100, 0),
                "theta_r": Argument("θr", "residual water content", "% v/v", 100, 0),
                "alpha": Argument("α", "shape, inverse entry suction", "1/cm", 1, 3),
                "n": Argument("n", "shape", "-", 1, 2),
            },
            "% v/v",
            "van Genuchten 1980, mean over the height",
            100,
            1,
            "Starting values of the medium until your own test replaces them.",
        ),
        Formula(
            "dose_seconds",
            "Seconds of a pulse",
            "t = D/q 60 + f",
            dosing.seconds_from_dose,
            {
                "dose_ml_per_plant": Argument("D", "dose", "mL per plant", 1, 0),
                "flow_ml_min_per_plant": Argument("q", "dripper flow per plant", "mL/min", 1, 1),
                "line_fill_s": Argument("f", "line fill", "s", 1, 0),
            },
            "s",
            "flow balance of the line",
            digits=0,
        ),
        Formula(
            "dose_from_rise",
            "Dose for a rise",
            "D = Δθ V 1000/(1 - d)",
            dosing.dose_ml_from_rise,
            {
                "rise": Argument("Δθ", "rise", "points/100", 1, 3),
                "volume_l_per_plant": _V,
                "drain_share": Argument("d", "drain share", "-", 1, 2),
            },
            "mL per plant",
            _SCIENCE,
            digits=0,
        ),
        Formula(
            "drain_share",
            "Drain share",
            "drain share = drain/dose",
            dosing.drain_share,
            {
                "drain_ml": Argument("drain", "drain so far", "mL per plant", 1, 0),
                "dose_ml": Argument("dose", "dose so far", "mL per plant", 1, 0),
            },
            "%",
            "definition",
            100,
            0,
        ),
        Formula(
            "pore_ec",
            "Conductivity of the pore water",
            "σp = (80.3 - 0.37 (T - 20)) σb/(εb - ε0)",
            conductivity.pore_ec_from_bulk,
            {
                "bulk_ec_ms_cm": Argument("σb", "bulk conductivity", "mS/cm", 1, 2),
                "permittivity": Argument("εb", "permittivity", "-", 1, 1),
                "temp_c": Argument("T", "temperature", "°C", 1, 1),
                "epsilon_dry": Argument("ε0", "permittivity at which bulk conductivity vanishes", "-", 1, 1),
            },
            "mS/cm",
            "Hilhorst 2000",
            note="Unusable in dry medium, where permittivity comes within 6 of ε0. ε0 4.1 is a starting value until a sample has shown your own.",
        ),
        Formula(
            "relative_water",
            "Share of the usable water",
            "r = 100 (θ - θl)/(θc - θl)",
            substrate.relative_water,
            {
                "theta": _THETA,
                "dry_limit": Argument("θl", "dry limit", "% v/v", 100, 1),
                "capacity": Argument("θc", "container capacity", "% v/v", 100, 1),
            },
            "%",
            "scale between dry limit and capacity",
            digits=0,
        ),
        Formula(
            "bed_flow",
            "Flow of the bed",
            "Q = q p/1000",
            dosing.bed_flow_l_min,
            {
                "flow_ml_min_per_plant": Argument("q", "dripper flow per plant", "mL/min", 1, 1),
                "plants": Argument("p", "plants", "plants", 1, 0),
            },
            "L/min",
            "sum over the drippers",
            digits=1,
        ),
    )
}


def formula(code: str) -> Formula:
    """A formula by its code. Raises OutOfRange for an unknown one."""
    try:
        return FORMULAS[code]
    except KeyError:
        raise OutOfRange("formula", code, "one of " + ", ".join(sorted(FORMULAS))) from None


def evaluate(code: str, inputs: Mapping[str, float]) -> float:
    """The value alone, in the shown unit, without writing it out. Inputs and refusals as work_out."""
    f = formula(code)
    if inputs.keys() != f.arguments.keys():
        name = next(iter(set(inputs) ^ set(f.arguments)))
        raise OutOfRange(name, inputs.get(name), f"exactly the inputs {', '.join(sorted(f.arguments))}")
    return float(f.function(**{k: float(v) for k, v in inputs.items()})) * f.scale


def work_out(code: str, inputs: Mapping[str, float]) -> Arithmetic:
    """Evaluate a formula with the core function and write it out with the values put in.

    Inputs by argument name in inside units. Raises OutOfRange for a missing or unknown input and whatever
    the formula itself refuses.
    """
    f = formula(code)
    value = evaluate(code, inputs)
    shown = [(a, float(inputs[name]) * a.scale) for name, a in f.arguments.items()]
    return Arithmetic(f, value, _substitute(f, shown), shown)


def _substitute(f: Formula, shown: list[tuple[Argument, float]]) -> str:
    right = f.expression.split("=", 1)[1]
    values = {a.symbol: f"{v:.{a.digits}f}" for a, v in shown}
    symbols = sorted(values, key=len, reverse=True)
    pattern = r"(?<![\w°])(" + "|".join(re.escape(s) for s in symbols) + r")(?![\w])"
    return re.sub(pattern, lambda m: values[m.group(1)], right).strip()
