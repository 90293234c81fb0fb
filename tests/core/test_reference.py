"""Check values from outside, kept as data; the arithmetic panel must give the same numbers."""

import json
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest

from reedcore import climate, formulas, substrate

ROWS = json.loads((Path(__file__).parent / "reference" / "check_values.json").read_text())


def compute(row):
    if row["call"] == "capacity":
        return substrate.capacity_from_height(row["args"]["height_cm"], substrate.medium(row["args"]["medium"]))
    module, name = row["call"].split(".")
    return getattr(import_module(f"reedcore.{module}"), name)(**row["args"])


@pytest.mark.parametrize("row", ROWS, ids=lambda r: f"{r['call']}-{next(iter(r['args'].values()))}")
def test_check_value(row):
    assert compute(row) == pytest.approx(row["value"], abs=row["tolerance"]), row["source"]


PANEL = {
    "climate.air_vpd_from_humidity": "air_vpd",
    "climate.leaf_vpd_from_temperatures": "leaf_vpd",
    "climate.dew_point_from_humidity": "dew_point",
    "conductivity.pore_ec_from_bulk": "pore_ec",
    "substrate.ml_per_point": "ml_per_point",
    "dosing.seconds_from_dose": "dose_seconds",
}


@pytest.mark.parametrize("row", [r for r in ROWS if r["call"] in PANEL], ids=lambda r: r["call"])
def test_panel_shows_the_same_number(row):
    more = {"epsilon_dry": 4.1} if PANEL[row["call"]] == "pore_ec" else {}
    worked = formulas.work_out(PANEL[row["call"]], {**row["args"], **more})
    assert worked.value == pytest.approx(row["value"], abs=row["tolerance"])


def test_panel_shows_capacity_with_the_mediums_parameters():
    m = substrate.medium("stone_wool")
    worked = formulas.work_out(
        "capacity", {"height_cm": 7.5, "theta_s": m.theta_s, "theta_r": m.theta_r, "alpha": m.alpha, "n": m.n}
    )
    assert worked.value == pytest.approx(90.9, abs=0.06)
    assert "0.090" in worked.substituted


def test_light_sums_of_an_even_day():
    even = np.full(1440, 500.0)
    assert climate.daily_light_integral_from_ppfd(even, 60) == pytest.approx(43.2)
    assert climate.light_sum_from_radiation(even, 60) == pytest.approx(4320)


def test_leaf_vpd_is_negative_when_water_condenses():
    assert climate.leaf_vpd_from_temperatures(10.0, 20.0, 95.0) < 0
