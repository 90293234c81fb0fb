"""The stand-in's world: its water closes, its pulses are exact at any speed, its weather is the history's."""

from datetime import timedelta

import numpy as np
import pytest

from standin.history import HistoryMaker
from standin.holding import Holding
from standin.registers import address_of
from standin.sky import Sky

from .test_nodes import new_world


def pulse(world, bed, seconds):
    truth = world.beds[bed].truth
    world.beds[bed].valve.command(1, seconds)
    world.pumps[truth.definition["pump"]].command(2, seconds)
    return truth


@pytest.mark.parametrize("turn_s", [0.2, 12.0, 60.0, 300.0])
def test_a_pulse_delivers_the_same_at_any_speed_of_the_clock(turn_s):
    world = new_world()
    truth = pulse(world, "1", 180.0)
    for _ in range(int(400 / turn_s) + 1):
        world.advance_to(world.now + timedelta(seconds=turn_s))
    assert world.beds["1"].valve.delivered_ml == pytest.approx((180 - 12) * 40.2 / 60, rel=1e-6)
    assert truth.definition["line_fill_s"] == 12 and not world.beds["1"].valve.on


def test_water_of_a_bed_closes_over_hours():
    world = new_world(theta=0.85)
    before = {n: (b.water.theta * b.truth.volume_l, b.drain_ml) for n, b in world.beds.items()}
    pulse(world, "5", 300.0)
    world.advance_to(world.now + timedelta(hours=5))
    for name, bed in world.beds.items():
        held, drained = before[name]
        gained = bed.water.theta * bed.truth.volume_l - held
        gone = bed.valve.delivered_ml / 1000 - gained - (bed.drain_ml - drained) / 1000
        assert gone > 0, "the crop drank"
        assert bed.water.theta <= bed.truth.capacity + 1e-9


def test_a_valve_without_its_pump_gives_nothing():
    world = new_world()
    world.beds["3"].valve.command(1, 120)
    world.advance_to(world.now + timedelta(minutes=5))
    assert world.beds["3"].valve.delivered_ml == 0 and not world.beds["3"].valve.on


def test_blocked_drippers_deliver_less_than_the_node_was_told():
    world = new_world()
    pulse(world, "4", 240.0)
    world.advance_to(world.now + timedelta(minutes=10))
    full = (240 - 12) * 35.1 / 60
    assert world.beds["4"].valve.delivered_ml == pytest.approx(0.3 * full, rel=1e-6)


def test_the_tank_is_drawn_by_what_flows_and_refilled_between_its_levels():
    world = new_world()
    world.tank_l = 2400.0
    pulse(world, "1", 192.0)
    world.advance_to(world.now + timedelta(minutes=6))
    assert 2400 - world.tank_l == pytest.approx(192 * 40.2 / 60 * 156 / 1000, rel=1e-6)
    world.tank_l = 1000.0
    world.advance_to(world.now + timedelta(hours=2))
    assert world.tank_l >= 2700 and not world.filling


def test_flow_is_seen_while_it_flows_and_not_after():
    world = new_world()
    pulse(world, "1", 120.0)
    world.advance_to(world.now + timedelta(seconds=30))
    assert world.flow_l_min["North pump"] == pytest.approx(40.2 * 156 / 1000)
    world.advance_to(world.now + timedelta(minutes=5))
    assert world.flow_l_min["North pump"] == 0


def test_live_weather_is_the_historys_weather():
    holding = Holding()
    sky, maker = Sky(holding), HistoryMaker(holding)
    track = maker.climate("House North")
    at = maker.end - timedelta(minutes=30)
    live = sky.climate_at("House North", at)
    index = int((at - maker.start).total_seconds() // 60)
    assert live[:2] == pytest.approx((track["radiation_w_m2"][index], track["air_temp_c"][index]))


def test_the_whitewash_takes_light_from_its_day_on():
    sky = Sky(Holding())
    end = Holding().start
    assert (
        sky.transmission("House South", end) == 0.52
        and sky.transmission("House South", end - timedelta(days=10)) == 0.7
    )
    assert sky.transmission("House North", end) == 0.68


def test_sensors_read_within_what_their_registers_hold():
    world = new_world()
    registers = world.holding.definition["registers"]
    for name in world.beds:
        values = world.bed_values(name)
        assert set(values) == set(registers["bed"]["map"]) and all(np.isfinite(v) for v in values.values())
        assert 0 <= values["raw"] <= 65535 and values["bulk_ec"] >= 0
    house = world.house_values("House North")
    assert set(house) == set(registers["house"]["map"]) and 0 <= house["humidity"] <= 100


def test_no_two_channels_of_a_node_share_a_register():
    d = Holding().definition
    used: dict[str, set[int]] = {}
    places = [(b["node"], "bed", b["slot"]) for h in d["houses"] for b in h["beds"]]
    places += [(h["node"], "house", h["slot"]) for h in d["houses"]]
    places += [(p["node"], "pump", p["slot"]) for p in d["pumps"]] + [(d["tank"]["node"], "tank", d["tank"]["slot"])]
    for node, section, slot in places:
        for quantity, (_, kind, _) in d["registers"][section]["map"].items():
            first = address_of(d["registers"][section], slot, quantity)
            mine = set(range(first, first + (2 if kind.endswith("32") else 1)))
            assert not mine & used.setdefault(node, set()), (node, section, quantity)
            used[node] |= mine
