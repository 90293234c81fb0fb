"""A house under random programmes, weather, faults and restarts: no guard is ever violated, no cap passed, every command ends.

The house is small and mechanical: valves that run for the seconds of their last command and close by themselves, a pump with
its own level switch, a tank, beds of the bed model. Control is decide, with its memory kept outside, as the server does.
"""

from dataclasses import dataclass, field, replace
from datetime import timedelta

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from reedcore.bedmodel import advance, starting_physics, water_at
from reedcore.decide import Action, Memory, decide
from reedcore.programme import BedSetup, Programme
from reedcore.programme_checks import programme_faults
from reedcore.reasons import Holds, Since
from reedcore.schools import School, propose_school
from tests.core.watering_samples import MIDNIGHT, NIGHTLY, STATE

PUMP_L_MIN, EMPTY_L = 14.0, 200.0
SETUP = BedSetup(4.5, 180, 0.81, 0.486, 0.92, 35.1, 12, PUMP_L_MIN, EMPTY_L)
PHYSICS = starting_physics(4.5, 0.81, 0.486, 2.4)
FLOW = SETUP.flow_l_min


@dataclass
class OneBed:
    programme: Programme
    water: object = field(default_factory=lambda: water_at(0.74, 3.0, PHYSICS))
    memory: Memory = field(default_factory=Memory)
    left_s: float = 0.0
    starts: list = field(default_factory=list)
    last_end: object = None
    stopped: bool = False
    sensor: str = "sound"
    stuck_at: float = 0.7
    delivered: float = 1.0


class House(RuleBasedStateMachine):
    """Three beds on a pump that feeds two at once."""

    @initialize(
        schools=st.lists(st.sampled_from(School), min_size=3, max_size=3),
        cap=st.floats(300, 3000),
        gap=st.floats(5, 60),
    )
    def build(self, schools, cap, gap):
        self.now, self.tank, self.alive = MIDNIGHT + timedelta(hours=5), 1500.0, True
        base = [propose_school(s, SETUP, 1800).programme for s in schools]
        self.beds = [OneBed(replace(p, daily_cap_ml_per_plant=max(cap, 200.0), soak_min=gap)) for p in base]
        self.light, self.dosed_with_empty_tank = 400.0, False
        self.sums = [0.0, 0.0, 0.0]

    def _seen(self, bed):
        if bed.sensor == "dead":
            return float("nan")
        return {"stuck": bed.stuck_at, "dry": 0.02, "impossible": 1.4}.get(bed.sensor, float(bed.water.theta))

    def _state(self, index):
        bed = self.beds[index]
        midnight = self.now.replace(hour=0, minute=0)
        today = [(at, ml) for at, ml in bed.starts if at >= midnight]
        hour = [ml for at, ml in bed.starts if at > self.now - timedelta(hours=1)]
        theta = self._seen(bed)
        return replace(
            STATE, setup=SETUP, theta=theta, theta_at=self.now if theta == theta else None, sunrise=midnight + timedelta(hours=4),
            sunset=midnight + timedelta(hours=20), midnight=midnight, memory=bed.memory, last_pulse_start=bed.starts[-1][0] if bed.starts else None,
            last_pulse_end=bed.last_end, given_today_ml=sum(ml for _, ml in today), given_hour_ml=sum(hour), pulses_today=len(today),
            stopped=bed.stopped, tank_l=self.tank, busy_flow_l_min=FLOW * sum(b.left_s > 0 for b in self.beds),
            since=Since(self.sums[index], 1.0, 1.0, 0.78), radiation_w_m2=self.light, normal_day_ml=1500.0, holds=Holds(),
        )  # fmt: skip

    def _control(self):
        for index, bed in enumerate(self.beds):
            state = self._state(index)
            decision = decide(bed.programme, state, self.now)
            bed.memory = decision.memory
            if decision.action is not Action.GIVE:
                continue
            assert not bed.stopped and not state.memory.fault and self.tank > EMPTY_L and bed.left_s <= 0
            assert 0 < decision.seconds < 3600
            bed.left_s = decision.seconds
            bed.starts.append((self.now, decision.dose_ml_per_plant))
            bed.last_end = self.now + timedelta(seconds=decision.seconds)
            self.sums[index] = 0.0

    @rule(minutes=st.integers(1, 180))
    def time_passes(self, minutes):
        for _ in range(minutes):
            if self.alive:
                self._control()
            self._minute()

    def _minute(self):
        opened = [min(60.0, b.left_s) for b in self.beds]
        assert FLOW * sum(s > 0 for s in opened) <= PUMP_L_MIN + 1e-9, "the pump feeds no more than it can"
        for index, (bed, seconds) in enumerate(zip(self.beds, opened, strict=True)):
            flows = self.tank > 0  # the node's own level switch
            litres = FLOW * seconds / 60 if flows else 0.0
            self.tank = max(0.0, self.tank - litres)
            dose = litres * 1000 / SETUP.plants * bed.delivered
            bed.water, _ = advance(bed.water, PHYSICS, dose, 2.4, 0.1 + self.light / 300)
            bed.left_s = max(0.0, bed.left_s - 60)
            self.sums[index] += self.light * 60 / 1e4
        self.now += timedelta(minutes=1)

    @rule(index=st.integers(0, 2), fault=st.sampled_from(["sound", "dead", "stuck", "dry", "impossible"]))
    def a_sensor_changes(self, index, fault):
        self.beds[index].sensor, self.beds[index].stuck_at = fault, float(self.beds[index].water.theta)

    @rule(index=st.integers(0, 2), share=st.sampled_from([0.0, 0.3, 1.0]))
    def drippers_change(self, index, share):
        self.beds[index].delivered = share

    @rule(litres=st.sampled_from([0.0, 150.0, 250.0, 2000.0]))
    def the_tank_changes(self, litres):
        self.tank = litres

    @rule(light=st.floats(0, 900))
    def the_weather_changes(self, light):
        self.light = light

    @rule()
    def the_server_dies_or_comes_back(self):
        self.alive = not self.alive

    @rule(index=st.integers(0, 2))
    def a_person_stops_or_resumes(self, index):
        bed = self.beds[index]
        bed.stopped = not bed.stopped
        if bed.stopped:
            bed.left_s = 0.0
            bed.last_end = min(bed.last_end, self.now) if bed.last_end else None

    @rule(index=st.integers(0, 2))
    def a_person_clears(self, index):
        bed = self.beds[index]
        bed.memory = replace(bed.memory, fault="", tries=0, latched=False)

    @rule(index=st.integers(0, 2), school=st.sampled_from(School), dose=st.floats(40, 300))
    def another_programme_is_published(self, index, school, dose):
        held = self.beds[index].programme
        new = replace(
            propose_school(school, SETUP, 1800).programme,
            dose=replace(held.dose, value=dose),
            daily_cap_ml_per_plant=held.daily_cap_ml_per_plant,
        )
        if not programme_faults(new, SETUP):
            self.beds[index].programme = new

    @invariant()
    def no_cap_is_passed(self):
        for bed in getattr(self, "beds", []):
            by_day = {}
            for at, ml in bed.starts:
                by_day[at.date()] = by_day.get(at.date(), 0.0) + ml
            assert all(total <= bed.programme.daily_cap_ml_per_plant + 1e-6 for total in by_day.values())

    @invariant()
    def every_command_ends(self):
        for bed in getattr(self, "beds", []):
            assert bed.left_s <= 3600

    @invariant()
    def a_bed_with_an_impossible_reading_is_not_flooded(self):
        for bed in getattr(self, "beds", []):
            assert bed.water.theta <= SETUP.capacity + 1e-9


TestHouse = House.TestCase
TestHouse.settings = settings(
    max_examples=100 * NIGHTLY, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
)
