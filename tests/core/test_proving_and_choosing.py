"""The guided test of a sensor, and the chooser of kinds."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reedcore.errors import NotDetermined, OutOfRange
from reedcore.response import Outcome, Phase, ProofLimits, prove_sensor
from reedcore.sensors import LINKS, WANTS, choose, quantities, sensor_kind, sensor_kinds

LIMITS = ProofLimits(20000)


def phase(target, start, noise=15.0, lag=12.0, seed=0, count=30, dead=3.0):
    rng = np.random.default_rng(seed)
    seconds = np.arange(count) * 5.0
    eased = np.exp(-np.maximum(0, seconds - dead) / lag) if lag else np.zeros(count)
    return Phase(seconds, target + (start - target) * eased + rng.normal(0, noise, count))


def test(first=27000.0, wet=9000.0, back=27000.0, **kw):
    return prove_sensor(
        phase(first, first, seed=1, **kw), phase(wet, first, seed=2, **kw), phase(back, wet, seed=3, **kw), LIMITS, 0.8
    )


test.__test__ = False


def outcomes(proof):
    return {c.code: c.outcome for c in proof.checks}


def test_a_sound_probe_passes_with_its_figures():
    proof = test()
    assert proof.outcome is Outcome.PASS and proof.direction == -1
    assert proof.span_raw == pytest.approx(18000, rel=0.01)
    assert proof.noise_raw == pytest.approx(15, rel=0.5)
    assert 0 < proof.dead_s <= 10 and 25 <= proof.settle_s <= 60
    assert proof.resolution_points == pytest.approx(100 * 2 * proof.noise_raw * 0.8 / proof.span_raw)


@settings(max_examples=40)
@given(st.floats(3000, 30000), st.floats(8000, 25000), st.booleans(), st.floats(2, 40))
def test_direction_and_span_are_found_never_assumed(base, span, rises, noise):
    wet = base + span if rises else base - span
    proof = test(base, wet, base, noise=noise)
    assert proof.direction == (1 if rises else -1)
    assert proof.span_raw == pytest.approx(span, abs=5 * noise + 0.02 * span)


@pytest.mark.parametrize(
    ("name", "proof", "code", "outcome"),
    [
        ("stuck", lambda: test(12000, 12000, 12000, noise=0.0), "stuck", Outcome.FAIL),
        ("unplugged", lambda: test(65535, 65535, 65535, noise=0.0), "rail", Outcome.FAIL),
        ("deaf", lambda: test(12000, 12030, 12000), "reaction", Outcome.FAIL),
        ("loose", lambda: test(27000, 25500, 27000), "reaction", Outcome.RETRY),
        ("noisy", lambda: test(noise=900.0), "noise", Outcome.FAIL),
        ("slow", lambda: test(lag=200.0), "settle", Outcome.RETRY),
        ("late", lambda: test(dead=45.0), "dead", Outcome.RETRY),
        ("does not come back", lambda: test(back=24000), "return", Outcome.FAIL),
    ],
)
def test_each_trouble_is_named_by_its_own_check(name, proof, code, outcome):
    found = proof()
    assert outcomes(found)[code] is outcome, name
    assert found.outcome is not Outcome.PASS


def test_nan_readings_are_left_out_and_too_few_are_told():
    holes = phase(27000, 27000)
    holes.raw[::7] = np.nan
    assert prove_sensor(holes, phase(9000, 27000), phase(27000, 9000), LIMITS, 0.8).outcome is Outcome.PASS
    with pytest.raises(NotDetermined) as error:
        prove_sensor(holes, Phase(np.arange(3.0), np.arange(3.0)), holes, LIMITS, 0.8)
    assert error.value.field == "wet"
    with pytest.raises(OutOfRange):
        prove_sensor(holes, holes, holes, LIMITS, 0.0)


def test_every_kind_of_the_catalogue_is_whole():
    kinds = sensor_kinds()
    assert len(kinds) == 24
    for kind in kinds.values():
        assert (
            kind.reasons
            and kind.cautions
            and kind.channels
            and set(kind.wants) <= set(WANTS)
            and set(kind.links) <= set(LINKS)
        )
        assert {"first", "changed", "back"} <= set(kind.proof) and kind.limits.span_raw > 0
        assert all(c.quantity in quantities() for c in kind.channels)
    assert {w for k in kinds.values() for w in k.wants} == set(WANTS)


def test_the_chooser_says_what_the_work_needs_to_hear():
    best = choose("water_content", "coir", 24, 2)
    assert best[0].kind.code == "capacitive" and any("not enough" in c for c in best[0].cautions)
    resistive = next(c for c in best if c.kind.code == "resistive")
    assert any("corrode" in c for c in resistive.cautions) and any("2 months" in a for a in resistive.against)
    npk = next(c for c in choose("nutrients", "coir", 12, 2) if c.kind.code == "npk")
    assert any("infers" in a for a in npk.against) and any("conductivity" in c for c in npk.cautions)
    wool = next(c for c in choose("suction", "stone_wool", 12, 3) if c.kind.code == "tensiometer")
    assert any("medium" in a for a in wool.against)


@given(
    st.sampled_from(sorted(WANTS)),
    st.sampled_from(["coir", "stone_wool", "air"]),
    st.integers(1, 240),
    st.integers(1, 3),
    st.sampled_from(["", *LINKS]),
)
def test_choices_come_best_first_and_none_is_hidden(want, medium, months, budget, link):
    found = choose(want, medium, months, budget, link)
    assert [c.points for c in found] == sorted((c.points for c in found), reverse=True)
    assert {c.kind.code for c in found} == {k.code for k in sensor_kinds().values() if want in k.wants}


@pytest.mark.parametrize(
    ("args", "field"),
    [
        (("joy", "coir", 12, 2), "want"),
        (("co2", "air", 0, 2), "months"),
        (("co2", "air", 12, 4), "budget"),
        (("co2", "air", 12, 2, "pigeon"), "link"),
    ],
)
def test_a_wish_that_cannot_be_is_refused(args, field):
    with pytest.raises(OutOfRange) as error:
        choose(*args)
    assert error.value.field == field


def test_an_unknown_kind_is_named():
    with pytest.raises(OutOfRange) as error:
        sensor_kind("dowsing rod")
    assert "capacitive" in error.value.expectation
