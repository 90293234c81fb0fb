"""The five steps of the first evening with Tall Reed, on the real interface, and everything kept over a restart."""

import re
import time
from contextlib import closing

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.journey


def bed_at(stack, name):
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        watch = client.get(f"/api/sites/{site}/watch/").json()
        return next(b for b in watch["beds"] if b["name"] == name), watch


def test_five_steps(stack, open_page):
    page = open_page()

    # 1: the holding, six reeds, a line per bed, numbers moving while one looks.
    expect(page.get_by_role("heading", name="Heron Quay Glass, now")).to_be_visible()
    expect(page.locator(".reed-button")).to_have_count(6)
    expect(page.locator(".house-list > li")).to_have_count(6)
    expect(page.locator(".demo-bar")).to_contain_text("demo's own clock")
    water = page.locator(".bed-line", has_text="Bed 1").locator(".bed-water b")
    before = water.inner_text()
    expect(water).not_to_have_text(before, timeout=40_000)

    # 2: the probe that is not calibrated; capture sleeps until the bubble rests.
    page.get_by_role("button", name="60×").click()
    page.get_by_role("button", name="Calibrate probe 6B").click()
    dry, wet = page.get_by_role("region", name="Point 1"), page.get_by_role("region", name="Point 2")
    page.get_by_role("button", name="in dry mix").click()
    expect(dry.get_by_role("button", name="Capture")).to_be_disabled()
    expect(dry.get_by_role("button", name="Capture")).to_be_enabled(timeout=60_000)
    dry.get_by_role("button", name="Capture").click()
    page.get_by_role("button", name="in soaked and drained mix").click()
    # What was steady in the dry mix is not steady here: the button sleeps before it wakes again.
    expect(wet.get_by_role("button", name="Capture")).to_be_disabled()
    expect(wet.get_by_role("button", name="Capture")).to_be_enabled(timeout=60_000)
    wet.get_by_role("button", name="Capture").click()
    expect(page.get_by_text("Raw falls as water rises")).to_be_visible()
    page.get_by_role("button", name="Publish version 1").click()
    published = page.get_by_role("region", name="Published")
    expect(published).to_contain_text("% v/v")
    expect(published).to_contain_text("L per plant")
    expect(published).to_contain_text("mL per plant")
    published.get_by_role("button", name=re.compile("% v.v , water content")).click()
    panel = page.get_by_role("dialog")
    expect(panel).to_contain_text("θ = θd + (x - xd)/(xw - xd) (θw - θd)")
    expect(panel).to_contain_text("raw at the dry point")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="back in the bed").click()

    # 3: the programme as a sentence; the simulated day redraws; publish.
    published.get_by_role("button", name="Go to Water").click()
    outcome = page.locator(".try")
    expect(outcome).to_contain_text("pulses")
    told = outcome.inner_text()
    page.get_by_label(re.compile("^Low in")).fill("54.5")
    page.get_by_label(re.compile("^Dose in")).fill("600")
    expect(outcome).not_to_have_text(told)
    page.get_by_role("button", name="Publish version 1").click()
    expect(page.get_by_role("status")).to_contain_text("Version 1 is published")

    # 4: pump and valve run for the computed seconds, the water rises, soak and latch are explained.
    expect(page.get_by_role("complementary")).to_contain_text("600 mL per plant given", timeout=120_000)
    bed, _ = bed_at(stack, "6")
    low_water = bed["theta"]["value"]
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        with closing(stack.client()) as client:
            pulses = [p for p in client.get(f"/api/beds/{bed['id']}/ribbon/").json()["pulses"] if p["state"] == "done"]
        if pulses:
            break
        time.sleep(0.5)
    assert pulses and pulses[-1]["seconds"] == pytest.approx(600 / 134 * 60 + 14, abs=1)
    # At 60× a tenth of a second between the valve's command and the pump's is six seconds of the site, and a loaded machine
    # takes several tenths; what a pulse delivers exactly is tested at the node (tests/gateway).
    assert pulses[-1]["delivered_ml"] == pytest.approx(600, rel=0.25)
    deadline, peak = time.monotonic() + 60, low_water
    while peak < low_water + 0.8 and time.monotonic() < deadline:
        peak = max(peak, bed_at(stack, "6")[0]["theta"]["value"] or 0.0)
        time.sleep(0.3)
    assert peak >= low_water + 0.8
    page.get_by_role("link", name="Watch").click()
    expect(page.get_by_role("slider", name=re.compile("Day ribbon"))).to_be_visible()
    expect(page.get_by_role("complementary")).to_contain_text("min soak have passed", timeout=60_000)
    expect(page.get_by_role("complementary")).to_contain_text(
        re.compile("on its way from|under the low"), timeout=60_000
    )
    page.get_by_role("button", name="1×").click()

    # 5: stop, start again: everything is kept, time goes on where it stopped, and it is quick.
    before_bed, before_watch = bed_at(stack, "6")
    stack.down()
    began = time.monotonic()
    stack.up()
    assert time.monotonic() - began < 45  # the budget of 10 s is measured by reed bench; this only catches a reinstall
    after_bed, after_watch = bed_at(stack, "6")
    assert after_bed["programme"] == 1 and "calibration 1" in after_bed["theta"]["source"]
    assert after_bed["pulses_today"] >= before_bed["pulses_today"]
    assert before_watch["now"] <= after_watch["now"] < before_watch["now"][:11] + "24"
    page.reload()
    page.locator(".sheet h1").wait_for()
    expect(page.locator(".reed-button[aria-current]")).to_contain_text("6")
